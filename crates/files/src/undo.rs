//! The way back from a run: its changes inverted, as a plan of their own.

use crate::fs::Fs;
use crate::journal::{Journal, RunRecord, RunState};
use crate::run::hash_of;
use crate::{Change, Facts, FileError, Newline, Plan, PlannedFile, Source, Trouble};
use brisk_quill_core::line_ends;
use std::path::PathBuf;

/// A plan that leads back from `run`, over the files that `wants` names.
///
/// # Errors
///
/// When the journal cannot be read, or the run was not completed; and, as the second kind, the
/// files that no longer hold what the run wrote, as the user named them.
pub fn undo_plan(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
    wants: &dyn Fn(&PathBuf) -> bool,
) -> Result<Result<Plan, Vec<PathBuf>>, FileError> {
    let (Some(intent), Some(commit), RunState::Done | RunState::Clean) =
        (&run.intent, &run.commit, run.state)
    else {
        return Err(FileError::new(&journal.folder(run.run), Trouble::NotDone));
    };
    let mut changes = vec![Vec::new(); intent.targets.len()];
    for record in journal.changes(run.run)? {
        if let Some(of_file) = changes.get_mut(record.file) {
            of_file.push(record.change());
        }
    }
    let mut plan = Plan::default();
    let mut changed = Vec::new();
    let files = intent.targets.iter().zip(&commit.after).zip(changes);
    for ((target, (after, bytes)), changes) in files {
        let path = target.path.path();
        if !wants(&path) {
            continue;
        }
        let now = hash_of(fs, &path).map_err(|error| FileError::io(&path, Trouble::Read, error))?;
        let hash = blake3::Hash::from_hex(after).ok();
        if now.as_ref() != Some(after) || hash.is_none() {
            changed.push(target.named.path());
            continue;
        }
        plan.files.push(PlannedFile {
            source: Source::File(path),
            facts: Facts {
                bytes: *bytes,
                hash,
                encoding: "UTF-8",
                newline: Newline::None,
            },
            changes: inverted(changes),
        });
    }
    Ok(if changed.is_empty() {
        Ok(plan)
    } else {
        Err(changed)
    })
}

/// The changes that lead back, in the coordinates of the file as it is now.
fn inverted(changes: Vec<Change>) -> Vec<Change> {
    // What the changes before have added, in bytes and in lines; offsets wrap back into range.
    let (mut bytes, mut lines) = (0u64, 0u64);
    let invert = |change: Change| {
        let from = change.from.wrapping_add(bytes);
        let line = change.line.wrapping_add(lines);
        bytes = bytes
            .wrapping_add(change.after.len() as u64)
            .wrapping_sub(change.before.len() as u64);
        lines = lines
            .wrapping_add(line_ends(&change.after))
            .wrapping_sub(line_ends(&change.before));
        Change {
            line,
            from,
            to: from + change.after.len() as u64,
            before: change.after,
            after: change.before,
        }
    };
    changes.into_iter().map(invert).collect()
}
