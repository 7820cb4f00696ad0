//! Hints, as a person reads them.

use crate::render::labelled::{Labelled, Role};
use crate::render::names::file_name;
use brisk_quill_engine::hints::hint::{Hint, Hints};

/// Each hint on a line, with its first place and what to do on the next.
pub fn hint_lines(hints: &Hints) -> Labelled {
    let mut out = Labelled::default();
    for hint in &hints.shown {
        out.put(Role::Hint, &format!("hint {}", hint.name));
        out.push_str(&format!(": {}.\n", hint.message));
        let below = below(hint);
        if !below.is_empty() {
            out.push_str(&format!("  {below}\n"));
        }
    }
    if let Some(others) = hints.others() {
        out.push_str(&format!("{others}.\n"));
    }
    out
}

/// "First in gauge.log, line 4. Add `--whole-word`."
fn below(hint: &Hint) -> String {
    let place = hint.place.as_ref().map(|place| {
        let first = if hint.count > 1 { "First in" } else { "In" };
        format!("{first} {}, line {}.", file_name(&place.source), place.line)
    });
    let remedy = hint.remedy.as_ref().map(|remedy| {
        let words = remedy.to_string();
        let mut chars = words.chars();
        let first = chars.next().map(|c| c.to_ascii_uppercase());
        format!(
            "{}{}.",
            first.map(String::from).unwrap_or_default(),
            chars.as_str()
        )
    });
    let sentences: Vec<String> = place.into_iter().chain(remedy).collect();
    sentences.join(" ")
}
