//! Changes within words, which often mean a pattern that matches too much.

use crate::context::open;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_core::word::is_within_word;
use brisk_quill_files::plan_file::{PlanDoc, PlanKinds};
use brisk_quill_files::store::text_file::TextFile;
use std::io;

/// Plans with more changes are not looked through.
const CHANGES_MOST: usize = 200_000;
/// Bytes of the longest character.
const CHAR: u64 = 4;

/// The changes of each kind that lie within a word; none where there are too many to look at.
///
/// # Errors
///
/// When the plan cannot be read again.
pub fn within_words(doc: &PlanDoc, kinds: &PlanKinds) -> io::Result<Vec<u64>> {
    let plan = &doc.index;
    let mut counts = vec![0; kinds.kinds.len()];
    if plan.entries.len() > CHANGES_MOST {
        return Ok(counts);
    }
    let mut file: (usize, Option<TextFile>) = (usize::MAX, None);
    doc.each(|index, change| {
        let number = plan.file_of(index);
        if file.0 != number {
            file = (number, open(doc, plan, index));
        }
        let (Some(count), Some(open)) = (counts.get_mut(kinds.of[index] as usize), &file.1) else {
            return Ok(());
        };
        let bytes = plan.files[number].text_bytes;
        let is_within = change.cell.is_none() && lies_within(open, bytes, &change) == Some(true);
        *count += u64::from(is_within);
        Ok(())
    })?;
    Ok(counts)
}

/// `None` where the file is not what it was.
fn lies_within(file: &TextFile, bytes: u64, change: &ChangeRecord<'_>) -> Option<bool> {
    let part = |from: u64, to: u64| {
        let mut bytes = vec![0; usize::try_from(to.checked_sub(from)?).ok()?];
        file.read_exact_at(&mut bytes, from).ok()?;
        Some(bytes)
    };
    let before = part(change.from.saturating_sub(CHAR), change.from)?;
    let after = part(change.to, (change.to + CHAR).min(bytes))?;
    Some(is_within_word(&before, &change.before_bytes()?, &after))
}
