//! Characters beside a match.

/// The bytes of the longest character.
const CHAR: usize = 4;

/// The kind of character beside a match.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Beside {
    /// Nothing: the unit ends there.
    Edge,
    /// A blank.
    Blank,
    /// A letter.
    Letter,
    /// Nothing more of the word but the `s` of a plural.
    Plural,
    /// A digit.
    Digit,
    /// `_`
    Underscore,
    /// A point or a comma with the digits of the same number behind it.
    NumberSign(char),
    /// Any other sign.
    Sign(char),
}

impl Beside {
    /// The kind of character before offset `at`.
    pub fn before(text: &[u8], at: usize) -> Self {
        let c = match text[..at].last() {
            None => return Self::Edge,
            Some(last) if last.is_ascii() => char::from(*last),
            Some(_) => {
                let tail = &text[at.saturating_sub(CHAR)..at];
                String::from_utf8_lossy(tail)
                    .chars()
                    .next_back()
                    .unwrap_or_default()
            }
        };
        match c {
            '.' | ',' if is_number_sign(text, at - 1) => Self::NumberSign(c),
            c => Self::of(c),
        }
    }

    /// The kind of character at offset `at`.
    pub fn after(text: &[u8], at: usize) -> Self {
        let head = &text[at..text.len().min(at + CHAR)];
        let c = match head.first() {
            None => return Self::Edge,
            Some(first) if first.is_ascii() => char::from(*first),
            Some(_) => String::from_utf8_lossy(head)
                .chars()
                .next()
                .unwrap_or_default(),
        };
        match c {
            's' if !head.get(1).is_some_and(|b| is_word_byte(*b)) => Self::Plural,
            '.' | ',' if is_number_sign(text, at) => Self::NumberSign(c),
            c => Self::of(c),
        }
    }

    fn of(c: char) -> Self {
        match c {
            '_' => Self::Underscore,
            'a'..='z' | 'A'..='Z' => Self::Letter,
            '0'..='9' => Self::Digit,
            ' ' => Self::Blank,
            c if c.is_whitespace() => Self::Blank,
            c if c.is_numeric() => Self::Digit,
            c if c.is_alphabetic() => Self::Letter,
            c => Self::Sign(c),
        }
    }

    /// True if a word goes on there.
    pub fn is_word(self) -> bool {
        matches!(
            self,
            Self::Letter | Self::Plural | Self::Digit | Self::Underscore
        )
    }

    /// True for a letter or a digit.
    pub fn is_letter_or_digit(self) -> bool {
        matches!(self, Self::Letter | Self::Plural | Self::Digit)
    }
}

/// True for letters, digits, `_` and the bytes of longer characters.
pub fn is_word_byte(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || byte == b'_' || byte >= 0x80
}

/// True if the sign at `at` stands within one number: a single point, as in `12.5`, or a comma before three
/// digits. Points between more than two runs of digits make a date, a version or an address.
pub fn is_number_sign(text: &[u8], at: usize) -> bool {
    let is_part = |byte: &&u8| byte.is_ascii_digit() || **byte == b'.';
    let head = text[..at].iter().rev().take_while(is_part);
    let tail = text[at + 1..].iter().take_while(is_part);
    let points = |byte: &u8| usize::from(*byte == b'.');
    let (digits_before, digits_behind) = (
        text[..at]
            .iter()
            .rev()
            .take_while(|b| b.is_ascii_digit())
            .take(4)
            .count(),
        text[at + 1..]
            .iter()
            .take_while(|b| b.is_ascii_digit())
            .take(4)
            .count(),
    );
    if digits_before == 0 || digits_behind == 0 {
        return false;
    }
    match text[at] {
        b',' => digits_behind == 3 && digits_before <= 3,
        _ => {
            let all: usize =
                head.take(64).map(points).sum::<usize>() + tail.take(64).map(points).sum::<usize>();
            all == 0
        }
    }
}
