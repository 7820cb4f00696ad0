//! Plans and drafts on disk: the last of each folder.

use brisk_quill_files::journal::Journal;
use std::os::unix::fs::DirBuilderExt;
use std::path::{Path, PathBuf};
use std::{fs, io};

/// Folders whose last one is kept.
const FOLDERS_MOST: usize = 20;

/// The place of the last preview of the current folder.
pub fn last_place() -> Option<PathBuf> {
    place_in("last", "plan")
}

/// The place of the draft of the current folder that was not closed.
pub fn draft_place() -> Option<PathBuf> {
    place_in("drafts", "json")
}

/// A new place for decisions about the plan of this hash, which could not be written to it.
pub fn new_decisions_place(hash: &str) -> Option<PathBuf> {
    let state = Journal::place()?.join("decisions");
    let name = hash.get(..12).unwrap_or(hash);
    let place = |number: u32| state.join(format!("{name}-{number}.jsonl"));
    (1..).map(place).find(|place| !place.exists())
}

/// The place in `folder` of what is kept for the current folder.
fn place_in(folder: &str, extension: &str) -> Option<PathBuf> {
    let here = std::env::current_dir().ok()?;
    let name = blake3::hash(here.as_os_str().as_encoded_bytes()).to_hex();
    let state = Journal::place()?;
    Some(
        state
            .join(folder)
            .join(format!("{}.{extension}", &name[..24])),
    )
}

/// Makes the folder of `place`, and removes the oldest of too many files in it.
///
/// # Errors
///
/// When the folder cannot be made or read.
pub fn make_room(place: &Path) -> io::Result<()> {
    let folder = place.parent().unwrap_or(Path::new("."));
    fs::DirBuilder::new()
        .recursive(true)
        .mode(0o700)
        .create(folder)?;
    let mut plans: Vec<_> = fs::read_dir(folder)?
        .filter_map(|entry| {
            let entry = entry.ok()?;
            Some((entry.metadata().ok()?.modified().ok()?, entry.path()))
        })
        .collect();
    plans.sort();
    let many = (plans.len() + 1).saturating_sub(FOLDERS_MOST);
    for (_, path) in plans.iter().take(many) {
        let _ = fs::remove_file(path);
    }
    Ok(())
}
