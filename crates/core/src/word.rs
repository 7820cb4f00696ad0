//! Words: whether a range of a text lies within one.

/// True if `old` text that stands between `before` and `after` begins or ends between two letters,
/// digits or underscores.
///
/// ```
/// use brisk_quill_core::word::is_within_word;
/// assert!(is_within_word(b"the re", b"berth", b" of"));
/// assert!(!is_within_word(b"at ", b"berth", b" 7"));
/// // An insertion has no text of its own.
/// assert!(is_within_word(b"ber", b"", b"th"));
/// ```
pub fn is_within_word(before: &[u8], old: &[u8], after: &[u8]) -> bool {
    let (ends, begins) = (last_is_of_word, first_is_of_word);
    match old.is_empty() {
        true => ends(before) && begins(after),
        false => ends(before) && begins(old) || ends(old) && begins(after),
    }
}

/// The bytes of the longest character.
const CHAR: usize = 4;

fn is_of_word(c: char) -> bool {
    c.is_alphanumeric() || c == '_'
}

fn last_is_of_word(text: &[u8]) -> bool {
    let tail = &text[text.len().saturating_sub(CHAR)..];
    let last = String::from_utf8_lossy(tail).chars().next_back();
    last.is_some_and(is_of_word)
}

fn first_is_of_word(text: &[u8]) -> bool {
    let head = &text[..text.len().min(CHAR)];
    let first = String::from_utf8_lossy(head).chars().next();
    first.is_some_and(is_of_word)
}
