//! Forms of values: letters, digits, signs, and runs of them.
//!
//! A letter of upper case is `A`, any other letter `a`, a digit `9`; every other sign stands for
//! itself. A run of the same is folded: `B-07` has the shape `A-9{2}`, and the coarse shape `A+-9+`.

use crate::span::Span;
use regex_syntax::hir::{Class as HirClass, HirKind};
use std::fmt::{self, Write as _};

/// Runs after which a shape is cut off.
const MOST_RUNS: usize = 120;

/// Letters of upper case, other letters, digits: as classes of a pattern, which say what they
/// are here too.
const CLASSES: [(Class, &str); 3] = [
    (Class::Upper, r"\p{Lu}"),
    (Class::Lower, r"[\p{L}--\p{Lu}]"),
    (Class::Digit, r"\d"),
];

/// The class of one character of a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
enum Class {
    Upper,
    Lower,
    Digit,
    Sign(char),
    /// A byte that is not UTF-8.
    Byte(u8),
}

/// The form of a value.
///
/// ```
/// use brisk_quill_core::shapes::Shapes;
/// let shapes = Shapes::new();
/// let shape = shapes.of(b"Berth 14");
/// assert_eq!(shape.to_string(), "Aa{4} 9{2}");
/// assert_eq!(shape.pattern().unwrap(), r"^\p{Lu}[\p{L}--\p{Lu}]{4} \d{2}$");
/// ```
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Shape {
    /// Each with its length; 0 is one or more.
    runs: Vec<(Class, usize)>,
    /// The value goes on.
    cut: bool,
}

/// Tells the shapes of values.
///
/// ```
/// use brisk_quill_core::shapes::Shapes;
/// let shape = Shapes::new().of("Berth 14".as_bytes());
/// assert_eq!(shape.to_string(), "Aa{4} 9{2}");
/// ```
#[derive(Clone, Debug)]
pub struct Shapes {
    /// Sorted, disjoint ranges of characters, both ends included.
    ranges: Vec<(char, char, Class)>,
}

impl Default for Shapes {
    fn default() -> Self {
        Self::new()
    }
}

impl Shapes {
    /// Reads the classes.
    pub fn new() -> Self {
        let mut ranges = Vec::new();
        for (class, pattern) in CLASSES {
            let parsed = regex_syntax::parse(pattern).map(regex_syntax::hir::Hir::into_kind);
            if let Ok(HirKind::Class(HirClass::Unicode(set))) = parsed {
                ranges.extend(set.iter().map(|range| (range.start(), range.end(), class)));
            }
        }
        ranges.sort_unstable();
        Self { ranges }
    }

    fn class(&self, c: char) -> Class {
        match c {
            'A'..='Z' => Class::Upper,
            'a'..='z' => Class::Lower,
            '0'..='9' => Class::Digit,
            c if c.is_ascii() => Class::Sign(c),
            c => {
                let after = self.ranges.partition_point(|(from, ..)| *from <= c);
                let range = after.checked_sub(1).map(|index| self.ranges[index]);
                match range {
                    Some((_, to, class)) if c <= to => class,
                    _ => Class::Sign(c),
                }
            }
        }
    }

    /// The shape of a value.
    pub fn of(&self, value: &[u8]) -> Shape {
        let mut runs: Vec<(Class, usize)> = Vec::new();
        let chunks = value.utf8_chunks().flat_map(|chunk| {
            let chars = chunk.valid().chars().map(|c| self.class(c));
            chars.chain(chunk.invalid().iter().map(|byte| Class::Byte(*byte)))
        });
        for class in chunks {
            if let Some((last, length)) = runs.last_mut()
                && *last == class
            {
                *length += 1;
            } else if runs.len() == MOST_RUNS {
                return Shape { runs, cut: true };
            } else {
                runs.push((class, 1));
            }
        }
        Shape { runs, cut: false }
    }
}

impl Shape {
    /// The shape in which runs of letters and digits, and longer runs of signs, are of any length.
    ///
    /// ```
    /// use brisk_quill_core::shapes::Shapes;
    /// let shapes = Shapes::new();
    /// assert_eq!(shapes.of(b"Berth 14").coarse().to_string(), "A+a+ 9+");
    /// assert_eq!(shapes.of(b"Berth 14").coarse(), shapes.of(b"Bth 7").coarse());
    /// ```
    #[must_use]
    pub fn coarse(mut self) -> Self {
        for (class, length) in &mut self.runs {
            let is_sign = matches!(class, Class::Sign(_) | Class::Byte(_));
            if !is_sign || *length > 1 {
                *length = 0;
            }
        }
        self
    }

    /// A pattern that matches the values of this shape and no other; `None` where there is none:
    /// for bytes that are not UTF-8, and for a shape that was cut off.
    pub fn pattern(&self) -> Option<String> {
        if self.cut {
            return None;
        }
        let mut out = String::from("^");
        for (class, length) in &self.runs {
            match class {
                Class::Byte(_) => return None,
                Class::Sign(c) if c.is_control() => {
                    // Writing to a String cannot fail.
                    let _ = write!(out, "\\x{{{:X}}}", *c as u32);
                }
                Class::Sign(c) => {
                    // The others that can be escaped mean something only within brackets.
                    if "\\.+*?()|[]{}^$".contains(*c) {
                        out.push('\\');
                    }
                    out.push(*c);
                }
                _ => out.extend(
                    CLASSES
                        .iter()
                        .filter(|(of, _)| of == class)
                        .map(|(_, p)| *p),
                ),
            }
            match length {
                0 => out.push('+'),
                1 => {}
                length => {
                    let _ = write!(out, "{{{length}}}");
                }
            }
        }
        out.push('$');
        Some(out)
    }
}

impl fmt::Display for Shape {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (class, length) in &self.runs {
            match class {
                Class::Upper => f.write_char('A')?,
                Class::Lower => f.write_char('a')?,
                Class::Digit => f.write_char('9')?,
                Class::Sign(c) => f.write_char(*c)?,
                Class::Byte(byte) => write!(f, "‹{byte:02X}›")?,
            }
            match length {
                0 => f.write_char('+')?,
                1 => {}
                length => write!(f, "{{{length}}}")?,
            }
        }
        if self.cut {
            f.write_char('…')?;
        }
        Ok(())
    }
}

/// The characters of a value that are worth a look, with where they stand: all but printable
/// ASCII. A byte that is not UTF-8 is one too.
pub fn unusual(value: &[u8]) -> impl Iterator<Item = (Span, Result<char, u8>)> {
    let mut at = 0;
    value.utf8_chunks().flat_map(move |chunk| {
        let start = at;
        at += chunk.valid().len() + chunk.invalid().len();
        let chars = chunk.valid().char_indices().map(move |(offset, c)| {
            let from = start + offset;
            (Span::new(from, from + c.len_utf8()), Ok(c))
        });
        let bad = start + chunk.valid().len();
        let bytes = chunk.invalid().iter().enumerate();
        let bytes = bytes.map(move |(n, byte)| (Span::new(bad + n, bad + n + 1), Err(*byte)));
        let odd = |(_, c): &(Span, Result<char, u8>)| !matches!(c, Ok(' '..='~'));
        chars.chain(bytes).filter(odd)
    })
}
