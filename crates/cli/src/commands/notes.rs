//! Notes and hints behind what was found.

use crate::output::Output;
use crate::render::hints::hint_lines;
use crate::render::names::file_name;
use brisk_quill_core::numbers::counted;
use brisk_quill_engine::file_note::FileNote;
use brisk_quill_engine::hints::hint::Hints;
use brisk_quill_engine::plan_records;

/// Notes shown; the rest is counted.
const NOTES_SHOWN: usize = 10;

/// Prints the record of each note.
pub fn print_note_records(notes: &[FileNote], output: &mut Output) {
    for note in notes {
        output.data(&plan_records::note(note));
    }
}

/// Prints the record of each hint.
pub fn print_hint_records(hints: &Hints, output: &mut Output) {
    for hint in &hints.shown {
        output.data(&plan_records::hint(hint));
    }
}

/// Prints counts behind a blank line, where there are some.
pub fn print_totals(totals: &str, output: &mut Output) {
    if !totals.is_empty() {
        output.say(&format!("\n{totals}"));
    }
}

/// Prints notes, the first of many, and hints.
pub fn print_notes(notes: &[FileNote], hints: &Hints, output: &mut Output) {
    if !notes.is_empty() {
        output.say("\n");
    }
    for note in notes.iter().take(NOTES_SHOWN) {
        let (path, line, message) = (file_name(&note.source), note.line, &note.message);
        output.say(&format!("note: {path}, line {line}: {message}\n"));
    }
    if let Some(more) = notes.len().checked_sub(NOTES_SHOWN).filter(|n| *n > 0) {
        output.say(&format!("{}\n", counted(more as u64, "more note")));
    }
    let text = hint_lines(hints);
    if !text.is_empty() {
        output.say("\n");
        output.draw_prose(&text);
    }
}
