//! Records: lines of JSON that other programs read and write.
//!
//! Each type of record is defined once, by the macro `record!`: its fields give what is written,
//! what is read, and what the JSON Schema says. A new field is a line in its record; a type of
//! value that no record has yet needs a [`Field`](field::Field).

pub mod field;
pub mod field_schema;
pub mod find;
pub mod history;
pub mod infer;
pub mod json;
pub mod plan;
pub mod schema;
pub mod shapes;
pub mod test;

/// Defines a type of record from its fields.
///
/// A record with `= "name"` stands on a line of its own, `{"record":"name",…}`; one without is a
/// value in another record. The first line of documentation becomes a description in the schema.
macro_rules! record {
    (
        $(#[doc = $about:literal])+
        $name:ident $(<$life:lifetime>)? $(= $tag:literal)? {
            $( $(#[doc = $doc:literal])+ $(#[serde($($serde:tt)*)])* $field:ident: $type:ty, )+
        }
    ) => {
        $(#[doc = $about])+
        #[derive(Clone, Debug, serde::Deserialize)]
        pub struct $name $(<$life>)? {
            $( $(#[doc = $doc])+ $(#[serde($($serde)*)])* pub $field: $type, )+
        }

        impl $(<$life>)? $crate::records::field::Record for $name $(<$life>)? {
            const NAME: Option<&'static str> = [$(Some($tag),)? None][0];

            fn put_fields(&self, out: &mut Vec<u8>) {
                let Self { $($field),+ } = self;
                $(
                    let key = concat!(",\"", stringify!($field), "\":");
                    $crate::records::field::Field::put($field, key, out);
                )+
            }

            fn schema() -> serde_json::Value {
                $crate::records::field_schema::of_record(
                    concat!($($about, "\n"),+),
                    Self::NAME,
                    &[$(
                        $crate::records::field_schema::FieldSchema {
                            name: stringify!($field),
                            about: concat!($($doc, "\n"),+),
                            is_optional: <$type as $crate::records::field::Field>::IS_OPTIONAL,
                            value: <$type as $crate::records::field::Field>::schema(),
                        },
                    )+],
                )
            }
        }
    };
}

pub(crate) use record;
