//! Standard input kept in a file, so that it can be read again.

use std::fs::File;
use std::io::{self, Read};
use std::os::unix::fs::FileExt;
use std::sync::Arc;

/// Standard input, or what has come of it, in a file.
///
/// ```
/// use brisk_quill_files::read::kept_stdin::KeptStdin;
/// use std::io::{Read, Write};
/// let mut file = tempfile::tempfile()?;
/// file.write_all(b"berth 4\nberth 7\n")?;
/// let kept = KeptStdin::new(std::sync::Arc::new(file), 8);
/// let mut text = String::new();
/// kept.reader().read_to_string(&mut text)?;
/// assert_eq!(text, "berth 4\n");
/// # Ok::<(), std::io::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct KeptStdin {
    file: Arc<File>,
    /// The first bytes, which are read.
    bytes: u64,
}

impl KeptStdin {
    /// The first this many bytes of a file.
    pub fn new(file: Arc<File>, bytes: u64) -> Self {
        Self { file, bytes }
    }

    /// The file.
    pub(super) fn file(&self) -> &File {
        &self.file
    }

    /// The text, from its beginning, independent of other readers.
    pub fn reader(&self) -> impl Read + use<> {
        let file = Arc::clone(&self.file);
        ReadAt { file, at: 0 }.take(self.bytes)
    }
}

/// Reads a file that others read at the same time, from its beginning.
struct ReadAt {
    file: Arc<File>,
    at: u64,
}

impl Read for ReadAt {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.file.read_at(buffer, self.at)?;
        self.at += read as u64;
        Ok(read)
    }
}
