//! Names of files as they are shown.

use brisk_quill_core::escape::visible_path;
use brisk_quill_files::source::Source;
use std::path::Path;

/// The name of a source, fit to be shown.
pub fn file_name(source: &Source) -> String {
    path_name(source.path())
}

/// The name of the source that has this path.
pub fn path_name(path: &Path) -> String {
    match path.as_os_str() == "-" {
        true => "standard input".into(),
        false => visible_path(path),
    }
}
