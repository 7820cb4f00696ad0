//! The last tries of a folder's drafts, kept as rewrites for fronts in which none is typed.

use crate::host::{Host, put};
use crate::tables::UnreadTables;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_files::fs::open::read_all;
use std::io;
use std::path::PathBuf;

/// Tries that are kept.
const KEPT_MOST: usize = 20;
/// The longest file of them that is read, in bytes.
const BYTES_MOST: u64 = 4 << 20;

/// The tries that are kept for the folder of a host, the last first; none where they cannot be read.
///
/// ```
/// use brisk_quill_core::rewrite_file::RewriteText;
/// use brisk_quill_engine::draft::kept_tries;
/// use brisk_quill_engine::host::Host;
///
/// let port = tempfile::tempdir()?;
/// let host = Host::new(port.path().to_owned()).with_state(port.path().join("state"));
/// let pier = RewriteText::parse("[[step]]\nmatch = 'quay'\nwith = 'pier'\n").expect("a rewrite");
/// kept_tries::keep(&host, vec![pier.clone()])?;
/// assert_eq!(kept_tries::load(&host), [pier]);
/// # Ok::<(), std::io::Error>(())
/// ```
pub fn load(host: &Host) -> Vec<RewriteText> {
    let read = |place: PathBuf| read_all(&place, BYTES_MOST).ok();
    let text = host.tries().and_then(read).unwrap_or_default();
    serde_json::from_slice(&text).unwrap_or_default()
}

/// Keeps those of `tries` that do something, the last first, and behind them what was kept before.
///
/// # Errors
///
/// When they cannot be written; those kept before stay.
pub fn keep(host: &Host, tries: Vec<RewriteText>) -> io::Result<()> {
    let acts = |one: &RewriteText| one.build(&mut UnreadTables).is_ok();
    let tries: Vec<_> = tries.into_iter().filter(acts).collect();
    let (Some(place), false) = (host.tries(), tries.is_empty()) else {
        return Ok(());
    };
    let mut kept: Vec<RewriteText> = Vec::new();
    for one in tries.into_iter().chain(load(host)) {
        if kept.len() < KEPT_MOST && !kept.contains(&one) {
            kept.push(one);
        }
    }
    put(&place, &serde_json::to_vec(&kept)?, host.temporaries())
}
