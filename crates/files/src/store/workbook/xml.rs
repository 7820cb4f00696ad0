//! The XML of a workbook: elements with their places, and text with its escapes.

use super::damaged;
use quick_xml::Reader;
use quick_xml::escape::{resolve_xml_entity, unescape};
use quick_xml::events::{BytesStart, Event};
use std::borrow::Cow;
use std::io;
use std::ops::Range;

/// Something that is met while reading a member.
pub enum Met<'x> {
    /// An element begins; it may be empty.
    Start {
        /// The name without a prefix.
        name: &'x str,
        /// The tag.
        tag: BytesStart<'x>,
        /// The place of the tag.
        place: Range<usize>,
        is_empty: bool,
    },
    /// An element ends.
    End {
        name: &'x str,
        place: Range<usize>,
    },
    Text(Cow<'x, str>),
    /// The end of the member.
    Eof,
}

/// A member being read.
pub struct Xml<'x> {
    reader: Reader<&'x [u8]>,
    /// The text of the member, as far as it is text.
    text: &'x str,
    name: &'x str,
}

impl<'x> Xml<'x> {
    pub fn new(xml: &'x [u8], name: &'x str) -> Self {
        let mut reader = Reader::from_reader(xml);
        reader.config_mut().check_end_names = true;
        // Beyond it, nothing can be read.
        let text = std::str::from_utf8(xml)
            .or_else(|error| std::str::from_utf8(&xml[..error.valid_up_to()]))
            .unwrap_or_default();
        Self { reader, text, name }
    }

    fn bad(&self) -> io::Error {
        let (name, at) = (self.name, self.reader.buffer_position());
        damaged(format!("the member {name} is damaged at byte {at}"))
    }

    /// The place up to which it has been read.
    pub fn at(&self) -> usize {
        self.reader.buffer_position() as usize
    }

    /// The name that begins at `from` and has this many bytes, without its prefix.
    fn local(&self, from: usize, length: usize) -> &'x str {
        let name = self.text.get(from..from + length);
        name.map_or("", without_prefix)
    }

    /// Goes to the next thing.
    pub fn next(&mut self) -> io::Result<Met<'x>> {
        loop {
            let from = self.reader.buffer_position() as usize;
            let event = self.reader.read_event().map_err(|_| self.bad())?;
            let place = from..self.reader.buffer_position() as usize;
            return Ok(match event {
                Event::Start(tag) => Met::Start {
                    name: self.local(from + 1, tag.name().as_ref().len()),
                    tag,
                    place,
                    is_empty: false,
                },
                Event::Empty(tag) => Met::Start {
                    name: self.local(from + 1, tag.name().as_ref().len()),
                    tag,
                    place,
                    is_empty: true,
                },
                Event::End(tag) => Met::End {
                    name: self.local(from + 2, tag.name().as_ref().len()),
                    place,
                },
                // Escapes are things of their own.
                Event::Text(found) => Met::Text(found.into_inner()),
                Event::CData(found) => Met::Text(found.into_inner()),
                Event::GeneralRef(found) => {
                    let sign = found.resolve_char_ref().map_err(|_| self.bad())?;
                    let named = || resolve_xml_entity(&found).map(str::to_owned);
                    let sign = sign.map(String::from).or_else(named);
                    Met::Text(Cow::Owned(sign.ok_or_else(|| self.bad())?))
                }
                Event::DocType(_) => {
                    let name = self.name;
                    return Err(damaged(format!(
                        "the member {name} declares a document type, which is not allowed in it"
                    )));
                }
                Event::Eof => Met::Eof,
                Event::Decl(_) | Event::PI(_) | Event::Comment(_) => continue,
            });
        }
    }
}

/// A name without its prefix.
fn without_prefix(name: &str) -> &str {
    // Names are too short for a search that looks at many bytes at once.
    let colon = name.bytes().position(|byte| byte == b':');
    colon.map_or(name, |at| &name[at + 1..])
}

/// The value of an attribute by its name without a prefix.
pub fn attribute(tag: &BytesStart<'_>, name: &str) -> Option<String> {
    let mut all = attributes(tag);
    all.find_map(|(own, value)| (own == name).then(|| value.into_owned()))
}

/// The prefix of the name of an element, with its colon; empty where it has none.
pub fn prefix(tag: &BytesStart<'_>) -> String {
    let (name, local) = (tag.name(), tag.local_name());
    let length = name.as_ref().len() - local.as_ref().len();
    name.as_ref()[..length].to_owned()
}

/// The attributes, each with its name without a prefix, and its value.
pub fn attributes<'t>(tag: &'t BytesStart<'_>) -> impl Iterator<Item = (&'t str, Cow<'t, str>)> {
    let mut all = tag.attributes();
    all.with_checks(false);
    all.flatten().filter_map(|one| {
        let value = match one.value.contains('&') {
            true => Cow::Owned(unescape(&one.value).ok()?.into_owned()),
            false => one.value,
        };
        Some((without_prefix(one.key.into_inner()), value))
    })
}

/// Text as an element of a workbook holds it: what XML cannot hold is there as `_xHHHH_`.
pub fn decoded(text: &str) -> String {
    if !text.contains('_') {
        return text.to_owned();
    }
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find("_x") {
        out.push_str(&rest[..at]);
        rest = &rest[at..];
        let code = rest
            .get(2..6)
            .filter(|_| rest.as_bytes().get(6) == Some(&b'_'));
        let code = code.and_then(|digits| u32::from_str_radix(digits, 16).ok());
        match code.and_then(char::from_u32) {
            Some(sign) => {
                out.push(sign);
                rest = &rest[7..];
            }
            None => {
                out.push_str("_x");
                rest = &rest[2..];
            }
        }
    }
    out + rest
}

/// The same the other way, with the escapes of XML.
pub fn encoded(text: &str) -> String {
    let mut out = String::new();
    for (at, sign) in text.char_indices() {
        match sign {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '\t' | '\n' => out.push(sign),
            '\u{FFFE}' | '\u{FFFF}' | '\0'..='\u{1F}' => {
                out.push_str(&format!("_x{:04X}_", sign as u32));
            }
            '_' if is_code(&text[at..]) => out.push_str("_x005F_"),
            _ => out.push(sign),
        }
    }
    out
}

/// True if a text begins with what would be read as a code.
fn is_code(text: &str) -> bool {
    let bytes = text.as_bytes();
    let digits = bytes.get(2..6).unwrap_or_default();
    text.starts_with("_x")
        && bytes.get(6) == Some(&b'_')
        && digits.len() == 4
        && digits.iter().all(u8::is_ascii_hexdigit)
}
