//! Records, and the types of the values in them.

use crate::records::json::{lossy, push_number, push_text, push_value};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::borrow::Cow;

/// A record, or a value made of fields in one. `record!` writes the implementations.
pub trait Record {
    /// The value of `record`; `None` for a value in another record.
    const NAME: Option<&'static str>;

    /// Appends its fields, each after a comma.
    fn put_fields(&self, out: &mut Vec<u8>);

    /// The JSON Schema of such records.
    fn schema() -> Value;
}

/// Appends a record on a line of its own.
pub fn push(out: &mut Vec<u8>, record: &impl Record) {
    push_object(out, record);
    out.push(b'\n');
}

/// A record on a line of its own.
pub fn line(record: &impl Record) -> Vec<u8> {
    let mut out = Vec::new();
    push(&mut out, record);
    out
}

fn push_object<R: Record>(out: &mut Vec<u8>, record: &R) {
    let start = out.len();
    if let Some(name) = R::NAME {
        out.extend_from_slice(b",\"record\":\"");
        out.extend_from_slice(name.as_bytes());
        out.push(b'"');
    }
    record.put_fields(out);
    // The comma before the first field becomes the brace.
    match out.get_mut(start) {
        Some(first) => *first = b'{',
        None => out.push(b'{'),
    }
    out.push(b'}');
}

/// The value of a field.
pub trait Field {
    /// True if the field is left out where there is no value.
    const IS_OPTIONAL: bool = false;

    /// Appends the key, which brings its comma and its colon, and the value.
    fn put(&self, key: &str, out: &mut Vec<u8>) {
        out.extend_from_slice(key.as_bytes());
        self.put_value(out);
    }

    /// Appends the value.
    fn put_value(&self, out: &mut Vec<u8>);

    /// The JSON Schema of the value.
    fn schema() -> Value;
}

impl<R: Record> Field for R {
    fn put_value(&self, out: &mut Vec<u8>) {
        push_object(out, self);
    }

    fn schema() -> Value {
        <R as Record>::schema()
    }
}

/// A field that is left out where it has no value.
///
/// ```
/// use brisk_quill_core::records::field::Optional;
/// assert_eq!(Optional::<u64>::default(), Optional(None));
/// ```
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
#[serde(transparent)]
pub struct Optional<T>(pub Option<T>);

impl<T> Default for Optional<T> {
    fn default() -> Self {
        Self(None)
    }
}

impl<T: Field> Field for Optional<T> {
    const IS_OPTIONAL: bool = true;

    fn put(&self, key: &str, out: &mut Vec<u8>) {
        if let Some(value) = &self.0 {
            value.put(key, out);
        }
    }

    fn put_value(&self, out: &mut Vec<u8>) {
        if let Some(value) = &self.0 {
            value.put_value(out);
        }
    }

    fn schema() -> Value {
        T::schema()
    }
}

/// A number counted from 1.
///
/// ```
/// use brisk_quill_core::records::field::Ordinal;
/// assert_eq!(Ordinal(1).0, 1);
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Deserialize)]
#[serde(transparent)]
pub struct Ordinal(pub u64);

/// Bytes in base64, where they are not UTF-8.
///
/// ```
/// use brisk_quill_core::records::field::{Coded, decoded};
/// // The byte is beside the text that is shown for it.
/// let coded = Coded::of(b"caf\xE9");
/// assert_eq!(decoded(&coded.text, &coded.base64).as_deref(), Some(&b"caf\xE9"[..]));
/// ```
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
#[serde(transparent)]
pub struct Base64<'t>(pub Cow<'t, str>);

/// Text, and the bytes beside it where it does not say all.
///
/// ```
/// use brisk_quill_core::records::field::Coded;
/// assert_eq!(Coded::of(b"quay").text, "quay");
/// assert_eq!(Coded::of(b"caf\xE9").text, "caf\u{FFFD}");
/// ```
pub struct Coded<'t> {
    /// The text to be shown.
    pub text: Cow<'t, str>,
    /// The bytes, where they are not UTF-8.
    pub base64: Optional<Base64<'t>>,
}

impl<'t> Coded<'t> {
    /// Bytes of any kind.
    pub fn of(bytes: &'t [u8]) -> Self {
        let text = lossy(bytes);
        let base64 = match text {
            Cow::Borrowed(_) => None,
            Cow::Owned(_) => Some(encoded(bytes)),
        };
        Self {
            text,
            base64: Optional(base64),
        }
    }

    /// The path of a file: the bytes are beside it also where it holds the character that
    /// stands for undecodable bytes.
    pub fn of_path(path: &'t [u8]) -> Self {
        let mut coded = Self::of(path);
        if coded.text.contains(char::REPLACEMENT_CHARACTER) {
            coded.base64.0.get_or_insert_with(|| encoded(path));
        }
        coded
    }

    /// The same, owned.
    pub fn owned(self) -> Coded<'static> {
        let owned = |text: Cow<'_, str>| Cow::Owned(text.into_owned());
        Coded {
            text: owned(self.text),
            base64: Optional(self.base64.0.map(|coded| Base64(owned(coded.0)))),
        }
    }

    /// Text, with bytes beside it that are not its own.
    pub fn beside(text: &'t [u8], bytes: &[u8]) -> Self {
        Self {
            text: lossy(text),
            base64: Optional(Some(encoded(bytes))),
        }
    }
}

fn encoded(bytes: &[u8]) -> Base64<'static> {
    Base64(BASE64.encode(bytes).into())
}

/// The bytes of a text: its own, unless others are beside it. `None` where those are not base64.
pub fn decoded<'t>(text: &'t str, beside: &Optional<Base64<'_>>) -> Option<Cow<'t, [u8]>> {
    match &beside.0 {
        None => Some(Cow::Borrowed(text.as_bytes())),
        Some(coded) => BASE64.decode(&*coded.0).ok().map(Cow::Owned),
    }
}

/// A value that serde writes, an object in the schema.
///
/// ```
/// use brisk_quill_core::records::field::Json;
/// use brisk_quill_core::rewrite_file::RewriteText;
/// assert!(Json(RewriteText::default()).0.step.is_empty());
/// ```
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(transparent)]
pub struct Json<T>(pub T);

impl<T: Serialize> Field for Json<T> {
    fn put_value(&self, out: &mut Vec<u8>) {
        push_value(out, &self.0);
    }

    fn schema() -> Value {
        json!({"type": "object"})
    }
}

impl Field for Ordinal {
    fn put_value(&self, out: &mut Vec<u8>) {
        push_number(out, self.0);
    }

    fn schema() -> Value {
        json!({"type": "integer", "minimum": 1})
    }
}

impl Field for Base64<'_> {
    fn put_value(&self, out: &mut Vec<u8>) {
        push_text(out, &self.0);
    }

    fn schema() -> Value {
        json!({"type": "string", "pattern": "^[A-Za-z0-9+/]*={0,2}$"})
    }
}

impl Field for Cow<'_, str> {
    fn put_value(&self, out: &mut Vec<u8>) {
        push_text(out, self);
    }

    fn schema() -> Value {
        json!({"type": "string"})
    }
}

impl Field for String {
    fn put_value(&self, out: &mut Vec<u8>) {
        push_text(out, self);
    }

    fn schema() -> Value {
        json!({"type": "string"})
    }
}

impl Field for u64 {
    fn put_value(&self, out: &mut Vec<u8>) {
        push_number(out, *self);
    }

    fn schema() -> Value {
        json!({"type": "integer", "minimum": 0})
    }
}

impl Field for u32 {
    fn put_value(&self, out: &mut Vec<u8>) {
        push_number(out, u64::from(*self));
    }

    fn schema() -> Value {
        json!({"type": "integer", "minimum": 0})
    }
}

impl Field for bool {
    fn put_value(&self, out: &mut Vec<u8>) {
        out.extend_from_slice(if *self { b"true" } else { b"false" });
    }

    fn schema() -> Value {
        json!({"type": "boolean"})
    }
}

impl<T: Field> Field for Option<T> {
    fn put_value(&self, out: &mut Vec<u8>) {
        match self {
            Some(value) => value.put_value(out),
            None => out.extend_from_slice(b"null"),
        }
    }

    fn schema() -> Value {
        json!({"anyOf": [T::schema(), {"type": "null"}]})
    }
}

impl<T: Field> Field for Vec<T> {
    fn put_value(&self, out: &mut Vec<u8>) {
        out.push(b'[');
        for (index, item) in self.iter().enumerate() {
            if index > 0 {
                out.push(b',');
            }
            item.put_value(out);
        }
        out.push(b']');
    }

    fn schema() -> Value {
        json!({"type": "array", "items": T::schema()})
    }
}
