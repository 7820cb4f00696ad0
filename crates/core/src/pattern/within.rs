//! Units in which an empty match may lie.

/// The kind of unit that is searched.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Within {
    /// Lines: behind the last line end there is none.
    Lines,
    /// The value of a cell.
    Value,
}

impl Within {
    /// True if an empty match may lie at offset `at` of `unit`: not inside a character, and not
    /// behind the last line end, where there is no line.
    pub(super) fn may_be_empty_at(self, unit: &[u8], at: usize) -> bool {
        let behind_last_line = self == Self::Lines && at == unit.len() && unit.ends_with(b"\n");
        !behind_last_line && !inside_char(unit, at)
    }
}

/// True if offset `at` of `text` lies strictly inside a valid UTF-8 character.
fn inside_char(text: &[u8], at: usize) -> bool {
    let continues = |b: u8| b & 0xC0 == 0x80;
    if at == 0 || at >= text.len() || !continues(text[at]) {
        return false;
    }
    // A character has at most four bytes, so its first byte is at most three back.
    let start = (at.saturating_sub(3)..at)
        .rev()
        .find(|&i| !continues(text[i]));
    let Some(start) = start else { return false };
    let end = text.len().min(start + 4);
    text[start..end]
        .utf8_chunks()
        .next()
        .and_then(|chunk| chunk.valid().chars().next())
        .is_some_and(|c| start + c.len_utf8() > at)
}
