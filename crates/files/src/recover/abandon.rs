//! Closing a run: the way out where it cannot be brought to its end.

use crate::error::{FileError, FileErrorKind};
use crate::fs::Fs;
use crate::journal::Journal;
use crate::journal::records::{Record, RunState};
use crate::journal::run_record::RunRecord;
use crate::recover::left_file::{Leaving, LeftFile};
use crate::recover::standing::{At, Direction, Known, Standing, sync_folders};
use crate::recover::targets::{standings, turn_all};

/// Closes a run. Every file that still holds what the run wrote gets its old bytes back, as far as
/// that can be done; all others are left as they are. The old and the new bytes are kept in the
/// journal, as far as they are found, until the run is forgotten.
///
/// # Errors
///
/// When the journal cannot be written; the run can then be closed again.
pub fn abandon(
    fs: &dyn Fs,
    journal: &Journal<'_>,
    run: &RunRecord,
) -> Result<Vec<LeftFile>, FileError> {
    journal.repair(run)?;
    let (mut all, _) = standings(fs, journal, run, &Known::new());
    let holds_ours = |one: &Standing| matches!(one.at, At::New | At::Torn) && one.can_go_back;
    if all.iter().any(holds_ours) {
        if run.state == RunState::Committed {
            journal.add(run.run, &Record::Back)?;
        }
        // What fails here is left as it is, and named.
        let _ = turn_all(fs, journal, run, &mut all, (Direction::Back, false));
        let _ = sync_folders(all.iter());
    }
    let targets = run.intent.iter().flat_map(|intent| &intent.targets);
    let mut files = Vec::new();
    for (one, target) in all.iter().zip(targets) {
        let after = run.commit.as_ref();
        let after = after.and_then(|commit| commit.after.get(one.number));
        let leaving = Leaving {
            fs,
            journal,
            run: run.run,
            one,
            hashes: (&target.before, after.map(|(hash, _)| hash.as_str())),
        };
        let file = leaving.file(target.named.path());
        files.push(file.map_err(|error| {
            FileError::io(&journal.folder(run.run), FileErrorKind::Journal, error)
        })?);
    }
    journal.add(run.run, &Record::Abandoned)?;
    journal.close(run.run);
    Ok(files)
}
