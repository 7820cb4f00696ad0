//! Writing the rewritten files to another place, where the sources are left alone.
//!
//! All files are staged before the first one is put in place. There is no journal for them: what
//! is there is not replaced unless the user says so.

use crate::fs::folder_of;
use crate::parallel::on_each;
use crate::splice::{CHUNK, splice_into};
use crate::{FileError, Plan, PlannedFile, Source, Trouble};
use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::BufWriter;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::PathBuf;
use tempfile::TempPath;

/// Files synced at a time: waiting for the disk takes no processor.
const SYNC_THREADS: usize = 8;

/// What was written.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Written {
    /// The files that were written, in order of path of their sources.
    pub files: Vec<PathBuf>,
    /// How many changes they hold.
    pub changes: u64,
}

/// Writes every file of the plan, changed or not, as `target` says, and leaves the sources alone.
///
/// `target` gives the place of each file. Folders are made as needed; a file that is already
/// there is replaced only with `replace`.
///
/// # Errors
///
/// When a source has changed since, or a target cannot be written or is already there. Targets
/// are put in place only after all of them have been staged.
pub fn write_elsewhere(
    plan: &Plan,
    target: &dyn Fn(&Source) -> PathBuf,
    replace: bool,
) -> Result<Written, FileError> {
    let mut staged = Vec::new();
    for file in &plan.files {
        staged.push((
            stage(target(&file.source), file, replace)?,
            file.changes.len(),
        ));
    }
    on_each(&staged, SYNC_THREADS, |((target, copy), _)| {
        let synced = File::open(copy).and_then(|copy| copy.sync_all());
        synced.map_err(|error| FileError::io(target, Trouble::Write, error))
    })?;
    let mut written = Written::default();
    for ((target, copy), changes) in staged {
        let put = match replace {
            true => copy.persist(&target),
            false => copy.persist_noclobber(&target),
        };
        put.map_err(|failed| FileError::io(&target, Trouble::Write, failed.error))?;
        written.files.push(target);
        written.changes += changes;
    }
    for folder in written
        .files
        .iter()
        .map(|file| folder_of(file))
        .collect::<BTreeSet<_>>()
    {
        let synced = File::open(&folder).and_then(|opened| opened.sync_all());
        synced.map_err(|error| FileError::io(&folder, Trouble::Write, error))?;
    }
    Ok(written)
}

/// Splices a file into a new copy beside its target.
fn stage(
    target: PathBuf,
    file: &PlannedFile,
    replace: bool,
) -> Result<(PathBuf, TempPath), FileError> {
    let writing = |error| FileError::io(&target, Trouble::Write, error);
    if !replace && target.symlink_metadata().is_ok() {
        return Err(FileError::new(&target, Trouble::Exists));
    }
    let path = file.source.path();
    let reading = |error| FileError::io(path, Trouble::Read, error);
    let source = File::open(path).map_err(reading)?;
    let mode = source.metadata().map_err(reading)?.mode() & 0o777;
    fs::create_dir_all(folder_of(&target)).map_err(writing)?;
    let made = tempfile::Builder::new()
        .prefix(".bquill-")
        .tempfile_in(folder_of(&target));
    // The name of the copy would only puzzle whoever reads the message.
    let copy = made.map_err(|error| writing(error.kind().into()))?;
    let mut out = BufWriter::with_capacity(CHUNK, copy.as_file());
    splice_into(&source, file, &mut out).map_err(|error| error.into_file_error(path))?;
    out.into_inner()
        .map_err(|error| writing(error.into_error()))?;
    let mode = fs::Permissions::from_mode(mode);
    copy.as_file().set_permissions(mode).map_err(writing)?;
    let copy = copy.into_temp_path();
    Ok((target, copy))
}
