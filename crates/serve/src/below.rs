//! The files below a folder that is open in an editor.

use brisk_quill_engine::host::Host;
use brisk_quill_engine::sources::{Sources, SourcesError};
use brisk_quill_files::discover::Search;

/// All files below the folder of `host` but those that version control ignores, and hidden ones.
///
/// # Errors
///
/// As [`Sources::find`].
pub fn sources_below(host: &Host) -> Result<Sources, SourcesError> {
    Sources::find(host, vec![".".into()], Search::default())
}
