//! Notes and hints behind what was found.

use crate::output::Output;
use crate::render::hints::hint_lines;
use crate::render::names::file_name;
use brisk_quill_core::numbers::counted;
use brisk_quill_engine::file_note::FileNote;
use brisk_quill_engine::hints::hint::Hints;
use brisk_quill_engine::plan_records;
use std::collections::HashMap;
use std::collections::hash_map::Entry;

/// Notes shown, those that say the same once; the rest is counted.
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
    let alike = notes_alike(notes);
    for (note, others) in alike.iter().take(NOTES_SHOWN) {
        let (path, line, message) = (file_name(&note.source), note.line, &note.message);
        let others = match others {
            0 => String::new(),
            others => format!(", and {others} more"),
        };
        output.prose(&format!("note: {path}, line {line}{others}: {message}\n"));
    }
    let more = alike.iter().skip(NOTES_SHOWN).map(|(_, others)| others + 1);
    let more: u64 = more.sum();
    if more > 0 {
        output.say(&format!("{}\n", counted(more, "more note")));
    }
    let text = hint_lines(hints);
    if !text.is_empty() {
        output.say("\n");
        output.draw_prose(&text);
    }
}

/// The first of the notes that say the same, in order, and the number of its others.
fn notes_alike(notes: &[FileNote]) -> Vec<(&FileNote, u64)> {
    let mut alike: Vec<(&FileNote, u64)> = Vec::new();
    let mut known: HashMap<&str, usize> = HashMap::new();
    for note in notes {
        match known.entry(&note.message) {
            Entry::Occupied(entry) => alike[*entry.get()].1 += 1,
            Entry::Vacant(entry) => {
                entry.insert(alike.len());
                alike.push((note, 0));
            }
        }
    }
    alike
}
