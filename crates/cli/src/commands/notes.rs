//! Notes and hints behind what was found.

use crate::output::Output;
use crate::render::names::file_name;
use brisk_quill_core::numbers::counted;
use brisk_quill_engine::file_note::FileNote;
use brisk_quill_engine::hints::Hint;
use brisk_quill_engine::plan_records;

/// Notes shown; the rest is counted.
const NOTES_SHOWN: usize = 10;

/// Prints the record of each note.
pub fn print_note_records(notes: &[FileNote], output: &mut Output) {
    for note in notes {
        output.print(&plan_records::note(note));
    }
}

/// Prints notes, the first of many, and hints.
pub fn print_notes(notes: &[FileNote], hints: &[Hint], output: &mut Output) {
    if !notes.is_empty() {
        output.print(b"\n");
    }
    for note in notes.iter().take(NOTES_SHOWN) {
        let (path, line, message) = (file_name(&note.source), note.line, &note.message);
        output.print(format!("note: {path}, line {line}: {message}\n").as_bytes());
    }
    if let Some(more) = notes.len().checked_sub(NOTES_SHOWN).filter(|n| *n > 0) {
        output.print(format!("{}\n", counted(more as u64, "more note")).as_bytes());
    }
    for hint in hints {
        output.print(format!("\nhint {}: {}\n", hint.name, hint.message).as_bytes());
    }
}
