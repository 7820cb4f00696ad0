//! Ends of the elements of the outermost array of a JSON document, found in bytes that come in any cut.

use memchr::memchr2;

/// Finds the places before the commas between elements; carries its state from one cut to the next.
///
/// It only knows of brackets and strings: a text that is not JSON has its ends somewhere, and is refused by who
/// parses it.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct ElementEnds {
    /// Brackets and braces that are open.
    depth: usize,
    text: InText,
    /// The outermost value is an array, or is not; `None` before it begins.
    is_array: Option<bool>,
}

/// The place in regard to strings.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum InText {
    #[default]
    Outside,
    Inside,
    /// Behind a backslash.
    Escaped,
}

impl ElementEnds {
    /// Goes on over all of `bytes`; gives the first end in them, and the last.
    pub fn ends(&mut self, bytes: &[u8]) -> Option<(usize, usize)> {
        let (mut first, mut last) = (None, 0);
        self.each_end(bytes, |end| {
            first.get_or_insert(end);
            last = end;
            true
        });
        Some((first?, last))
    }

    /// Goes on to the first end; `None` where there is none in `bytes`.
    pub fn first_end(&mut self, bytes: &[u8]) -> Option<usize> {
        let mut first = None;
        self.each_end(bytes, |end| {
            first = Some(end);
            false
        });
        first
    }

    fn each_end(&mut self, bytes: &[u8], mut go_on: impl FnMut(usize) -> bool) {
        let mut at = 0;
        while let Some(byte) = bytes.get(at) {
            match self.text {
                InText::Escaped => self.text = InText::Inside,
                InText::Inside => {
                    let Some(sign) = memchr2(b'"', b'\\', &bytes[at..]) else {
                        return;
                    };
                    at += sign;
                    self.text = match bytes[at] {
                        b'"' => InText::Outside,
                        _ => InText::Escaped,
                    };
                }
                InText::Outside => match byte {
                    b'"' => self.text = InText::Inside,
                    b'[' | b'{' => {
                        self.is_array.get_or_insert(*byte == b'[');
                        self.depth += 1;
                    }
                    b']' | b'}' => self.depth = self.depth.saturating_sub(1),
                    // A place at the very beginning cuts nothing off.
                    b',' if at > 0
                        && self.depth == 1
                        && self.is_array == Some(true)
                        && !go_on(at) =>
                    {
                        return;
                    }
                    _ => {}
                },
            }
            at += 1;
        }
    }
}
