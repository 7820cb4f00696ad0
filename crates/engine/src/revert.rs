//! Runs reverted in files that were edited since: their changes inverted, located by the text around
//! them, and made a plan.

use crate::host::{Host, make_room};
use crate::plan_records::{self, RecordPath};
use brisk_quill_core::relocate::{Sought, relocate};
use brisk_quill_files::change::Change;
use brisk_quill_files::error::{FileError, FileErrorKind};
use brisk_quill_files::fs::FileId;
use brisk_quill_files::fs::open::open_regular;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::journal::run_record::RunRecord;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::source::Source;
use brisk_quill_files::undo::{InverseFile, each_inverse};
use memchr::memchr_iter;
use std::io::{self, BufWriter, Read, Write};
use std::path::{Path, PathBuf};

/// The largest file in which changes are located, in bytes: it is held as a whole.
const FILE_MOST: u64 = 1 << 30;
/// Places that are named; the rest is counted.
const NAMED_MOST: usize = 40;

/// A plan that reverts a run, kept as the last preview of the current folder.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RevertPlan {
    /// The changes of the run that can be reverted.
    pub found: u64,
    /// All of them that were asked for.
    pub all: u64,
    /// The first of those that cannot: the file, and the line after the run, from 1.
    pub edited: Vec<(PathBuf, u64)>,
    /// Files of them that are missing, or too large.
    pub missing: Vec<PathBuf>,
    /// Files whose text is not the file, so that they are only reverted as a whole.
    pub packed: Vec<PathBuf>,
    /// Which file the plan is; `None` where there is nothing in it.
    pub last: Option<FileId>,
}

/// Makes a plan that reverts what can be found again of a run, in the files that `wants` names by
/// their absolute paths, and keeps it as the last preview of the folder.
///
/// # Errors
///
/// When the journal or a file cannot be read, or the plan cannot be kept.
pub fn revert_plan(
    journal: &Journal<'_>,
    run: &RunRecord,
    wants: &dyn Fn(&PathBuf) -> bool,
    host: &Host,
) -> Result<RevertPlan, FileError> {
    let here = host.folder();
    let place = host
        .last_plan()
        .ok_or_else(|| FileError::new(here, FileErrorKind::Journal))?;
    let fail = |error: io::Error| FileError::io(&place, FileErrorKind::Write, error);
    make_room(&place).map_err(fail)?;
    let mut out = BufWriter::new(host.temporaries().beside(&place).map_err(fail)?);
    let mut plan = RevertPlan::default();
    let mut files = 0;
    out.write_all(&plan_records::undoing_head(run.run))
        .map_err(fail)?;
    each_inverse(journal, run, &mut |file| {
        let path = file.target.path.path();
        if !wants(&path) {
            return Ok(());
        }
        let lines = one_file(&file, (here, files + 1), &mut plan)?;
        files += u64::from(!lines.is_empty());
        out.write_all(&lines).map_err(fail)
    })?;
    out.write_all(&plan_records::plain_totals(files, plan.found))
        .map_err(fail)?;
    let file = out.into_inner().map_err(|error| fail(error.into_error()))?;
    if plan.found > 0 {
        plan.last = Some(file.replace(&place).map_err(fail)?);
    }
    Ok(plan)
}

/// The records of one file, which has this number in the plan, from 1; none where nothing of it is
/// found.
fn one_file(
    file: &InverseFile<'_>,
    (here, number): (&Path, u64),
    plan: &mut RevertPlan,
) -> Result<Vec<u8>, FileError> {
    let path = file.target.path.path();
    let total = file.changes.len() as u64;
    let Some(now) =
        read(&path).map_err(|error| FileError::io(&path, FileErrorKind::Read, error))?
    else {
        plan.all += total;
        plan.missing.push(file.target.named.path());
        return Ok(Vec::new());
    };
    let hash = blake3::hash(&now);
    if hash.to_hex().as_str() == file.target.before {
        // It holds its old bytes already.
        return Ok(Vec::new());
    }
    if file.target.store.is_some() {
        plan.all += file.target.changes;
        plan.packed.push(file.target.named.path());
        return Ok(Vec::new());
    }
    plan.all += total;
    let sought = file.changes.iter().map(|inverse| Sought {
        // It was in memory as a whole when it was written.
        at: usize::try_from(inverse.change.from).unwrap_or(usize::MAX),
        left: inverse.around.0.clone(),
        text: inverse.change.before.clone(),
        right: inverse.around.1.clone(),
    });
    let sought: Vec<Sought> = sought.collect();
    let found = relocate(
        &sought,
        usize::try_from(file.bytes).unwrap_or(usize::MAX),
        &now,
    );
    let shown = path.strip_prefix(here).unwrap_or(&path).to_owned();
    let source = Source::file(shown);
    let record_path = RecordPath::of(&source);
    let mut lines = Vec::new();
    let (mut line, mut counted, mut many) = (1, 0, 0u64);
    for (inverse, at) in file.changes.iter().zip(found) {
        let Some(at) = at else {
            if plan.edited.len() < NAMED_MOST {
                plan.edited
                    .push((file.target.named.path(), inverse.change.line));
            }
            continue;
        };
        line += memchr_iter(b'\n', &now[counted..at]).count() as u64;
        counted = at;
        many += 1;
        let change = Change {
            line,
            from: at as u64,
            to: (at + inverse.change.before.len()) as u64,
            before: inverse.change.before.clone(),
            after: inverse.change.after.clone(),
        };
        lines.extend(plan_records::plain_change(
            &record_path,
            format!("{number}.{many}"),
            &change,
        ));
    }
    plan.found += many;
    if many == 0 {
        return Ok(Vec::new());
    }
    let is_text = std::str::from_utf8(&now).is_ok();
    let facts = Facts {
        encoding: if is_text { "UTF-8" } else { "unknown" },
        ..Facts::of_bytes(hash, now.len() as u64)
    };
    let mut all = plan_records::file(&source, &facts);
    all.extend(lines);
    Ok(all)
}

/// The bytes of a file; `None` where there is none, or it is too large.
fn read(path: &Path) -> io::Result<Option<Vec<u8>>> {
    let file = match open_regular(path) {
        Err(error)
            if matches!(
                error.kind(),
                io::ErrorKind::NotFound | io::ErrorKind::InvalidInput
            ) =>
        {
            return Ok(None);
        }
        file => file?,
    };
    let mut bytes = Vec::new();
    file.take(FILE_MOST + 1).read_to_end(&mut bytes)?;
    Ok(Some(bytes).filter(|bytes| bytes.len() as u64 <= FILE_MOST))
}
