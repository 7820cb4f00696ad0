//! Files as a plan would leave them, read in their place.

use crate::error::{FileError, FileErrorKind};
use crate::plan::Plan;
use crate::read::kept_stdin::KeptStdin;
use crate::source::Source;
use crate::splice::splice_text;
use std::collections::HashMap;
use std::fs::File;
use std::io::{self, BufWriter, Read, Write};
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The texts of files with the changes of a plan made, in one temporary file.
///
/// ```
/// use brisk_quill_files::plan::Plan;
/// use brisk_quill_files::read::planned::PlannedTexts;
/// use brisk_quill_files::source::Source;
/// let none = PlannedTexts::new(&Plan::default(), None)?;
/// assert!(none.text(&Source::file("notice.txt")).is_none());
/// # Ok::<(), brisk_quill_files::error::FileError>(())
/// ```
#[derive(Debug)]
pub struct PlannedTexts {
    texts: Arc<File>,
    /// The place of the text of each file, by its path without links: from, and one past its end.
    places: HashMap<PathBuf, (u64, u64)>,
    /// The text of standard input.
    stdin: Option<(u64, u64)>,
}

/// One of those texts, from its beginning.
pub struct PlannedText {
    texts: Arc<File>,
    at: u64,
    end: u64,
}

impl PlannedTexts {
    /// Makes the changes of `plan` in copies of its files, and of `stdin`, where that is kept.
    ///
    /// # Errors
    ///
    /// When a file cannot be read, or is not what the plan was made from, or there is no room.
    pub fn new(plan: &Plan, stdin: Option<&KeptStdin>) -> Result<Self, FileError> {
        let here = Path::new("the temporary file");
        let fail = |error| FileError::io(here, FileErrorKind::Write, error);
        let file = tempfile::tempfile().map_err(fail)?;
        let mut out = Counting {
            inner: BufWriter::with_capacity(1 << 18, &file),
            written: 0,
        };
        let mut places = HashMap::new();
        let mut place_of_stdin = None;
        for planned in plan.changed() {
            let Source::File(path) = &planned.source else {
                let Some(kept) = stdin else { continue };
                let from = out.written;
                splice_text(kept.reader(), planned, &mut out)
                    .map_err(|error| error.into_file_error(planned.source.path()))?;
                place_of_stdin = Some((from, out.written));
                continue;
            };
            let fail = |error| FileError::io(path.path(), FileErrorKind::Read, error);
            let from = out.written;
            let source = File::open(path.place()).map_err(fail)?;
            splice_text(source, planned, &mut out)
                .map_err(|error| error.into_file_error(path.path()))?;
            places.insert(
                path.place().canonicalize().map_err(fail)?,
                (from, out.written),
            );
        }
        out.flush().map_err(fail)?;
        drop(out);
        Ok(Self {
            texts: Arc::new(file),
            places,
            stdin: place_of_stdin,
        })
    }

    /// The text of a source that the plan changes.
    pub fn text(&self, source: &Source) -> Option<PlannedText> {
        let (at, end) = match source {
            Source::Stdin(_) => self.stdin?,
            Source::File(path) => *self.places.get(&path.place().canonicalize().ok()?)?,
        };
        Some(PlannedText {
            texts: Arc::clone(&self.texts),
            at,
            end,
        })
    }
}

impl Read for PlannedText {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let left = usize::try_from(self.end - self.at).unwrap_or(usize::MAX);
        let most = buffer.len().min(left);
        let read = self.texts.read_at(&mut buffer[..most], self.at)?;
        self.at += read as u64;
        Ok(read)
    }
}

struct Counting<W> {
    inner: W,
    written: u64,
}

impl<W: Write> Write for Counting<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.inner.write(bytes)?;
        self.written += written as u64;
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.inner.flush()
    }
}
