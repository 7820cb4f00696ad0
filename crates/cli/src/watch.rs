//! What goes on while texts are read: known to all threads.

use brisk_quill_files::Watch;
use std::sync::{Arc, OnceLock};

/// Watches every reader of the program.
pub fn watch() -> Arc<Watch> {
    static WATCH: OnceLock<Arc<Watch>> = OnceLock::new();
    Arc::clone(WATCH.get_or_init(Arc::default))
}
