//! A plan as a page: one HTML file that a browser shows without anything else.
//!
//! Note to the maintainer: every change is in the page as finished HTML inside `noscript`, so
//! a browser without script shows all of it. A browser with script takes `noscript` for plain text:
//! `page.js` cuts that into changes and builds only those in sight, so a hundred thousand of them
//! cost no more than a string each. What `page.js` reads of a change are the attributes `id`,
//! `data-k` and `data-d`, and that each begins on a line of its own with `<article`: a new attribute
//! there needs a line in both. Text of files gets into the page through `maud`, which escapes it,
//! and through `visible`, and in no other way. Nothing but the style and the script whose hashes
//! are in the policy can run.

mod changes;
pub mod document;
mod kinds;

use crate::page::changes::FileChanges;
use crate::page::document::Letter;
use brisk_quill_engine::cell_values::CellValues;
use brisk_quill_files::plan_file::PlanDoc;
use std::io::{self, Write};

/// The most changes of a page.
pub const CHANGES_MOST: usize = 250_000;

/// A plan to be shown as a page.
pub struct Page<'p> {
    /// The plan.
    pub doc: &'p PlanDoc,
    /// The request in words.
    pub request: &'p str,
    /// The words of the sender.
    pub letter: Letter,
}

impl Page<'_> {
    /// Writes the page.
    ///
    /// # Errors
    ///
    /// When the plan cannot be read again, or `out` not be written.
    pub fn write(&self, out: &mut impl Write) -> io::Result<()> {
        let kinds = self.doc.kinds()?;
        let plan = &self.doc.index;
        let values = CellValues::of(plan);
        // How many changes of each kind are within words stands before the changes.
        let mut within_words = vec![0u64; kinds.kinds.len()];
        let mut shown = Vec::new();
        let mut changes = Vec::new();
        let mut number = 0;
        self.doc.each(|index, change| {
            while index >= plan.files[number].end {
                number += 1;
            }
            changes.push(change);
            if index + 1 < plan.files[number].end {
                return Ok(());
            }
            let file = FileChanges {
                doc: self.doc,
                plan,
                kinds: &kinds,
                values: &values,
                number,
                changes: &changes,
            };
            shown.push(file.html(&mut within_words));
            changes.clear();
            Ok(())
        })?;
        out.write_all(
            document::head(
                (self.doc, self.request, &self.letter),
                &kinds,
                &within_words,
            )
            .as_bytes(),
        )?;
        for file in &shown {
            out.write_all(file.as_bytes())?;
        }
        out.write_all(document::foot(&self.doc.hash()).as_bytes())
    }
}
