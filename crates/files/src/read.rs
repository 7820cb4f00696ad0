//! Reading a text in pieces, once, with what must be known of it.

use crate::{FileError, Source, Trouble};
use memchr::{memchr, memchr_iter};
use std::fs::File;
use std::io::{self, Read};
use std::path::{Path, PathBuf};

/// How much is read at a time, in bytes.
const PIECE: usize = 1 << 20;
/// How far a NUL is looked for, in bytes.
const SNIFF: usize = 8 << 10;
const UTF8_MARK: &[u8] = b"\xEF\xBB\xBF";

/// How texts are to be read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct TextOptions {
    /// Files that look binary are read too.
    pub binary: bool,
    /// The hash and the kind of line ends are to be found out.
    pub facts: bool,
}

/// The line ends of a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Newline {
    /// There is none.
    None,
    /// All are `\n`.
    Lf,
    /// All are `\r\n`.
    CrLf,
    /// There are both.
    Mixed,
}

impl Newline {
    /// Its name in records.
    pub fn name(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Lf => "lf",
            Self::CrLf => "crlf",
            Self::Mixed => "mixed",
        }
    }
}

/// What is known of a text once it has been read to its end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Facts {
    /// Its length on disk.
    pub bytes: u64,
    /// The BLAKE3 hash of its bytes on disk, where facts were asked for.
    pub hash: Option<blake3::Hash>,
    /// The name of its encoding.
    pub encoding: &'static str,
    /// Its line ends, where facts were asked for.
    pub newline: Newline,
}

/// Why a file is not looked at.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Skipped {
    /// There is a NUL in its first 8 KiB.
    Binary,
}

/// Reads one text after another into the same memory.
#[derive(Debug, Default)]
pub struct Reader {
    options: TextOptions,
    buffer: Vec<u8>,
}

impl Reader {
    /// A reader with these options.
    pub fn new(options: TextOptions) -> Self {
        Self {
            options,
            buffer: Vec::new(),
        }
    }

    /// Opens a source and reads its beginning.
    ///
    /// # Errors
    ///
    /// When it cannot be opened or read.
    pub fn open(&mut self, source: &Source) -> Result<Result<OpenText<'_>, Skipped>, FileError> {
        let path = source.path();
        let input: Box<dyn Read> = match source {
            Source::Stdin => Box::new(io::stdin().lock()),
            Source::File(path) => Box::new(
                File::open(path).map_err(|error| FileError::io(path, Trouble::Read, error))?,
            ),
        };
        self.open_stream(path, input)
    }

    /// Opens a text that comes from `input` and is known as `path`.
    ///
    /// # Errors
    ///
    /// When its beginning cannot be read.
    pub fn open_stream(
        &mut self,
        path: &Path,
        input: Box<dyn Read>,
    ) -> Result<Result<OpenText<'_>, Skipped>, FileError> {
        self.buffer.resize(PIECE, 0);
        let mut text = OpenText {
            path: path.to_owned(),
            input,
            buffer: &mut self.buffer,
            filled: 0,
            start: 0,
            bytes: 0,
            hasher: self.options.facts.then(blake3::Hasher::new),
            newlines: Newlines::default(),
            ended: false,
        };
        text.fill()?;
        let head = &text.buffer[..text.filled];
        if !self.options.binary && memchr(0, &head[..head.len().min(SNIFF)]).is_some() {
            return Ok(Err(Skipped::Binary));
        }
        if head.starts_with(UTF8_MARK) {
            text.start = UTF8_MARK.len();
        }
        Ok(Ok(text))
    }
}

/// A text being read.
pub struct OpenText<'r> {
    path: PathBuf,
    input: Box<dyn Read>,
    buffer: &'r mut [u8],
    /// Bytes of the buffer that have been read and not yet handed on.
    filled: usize,
    /// How many bytes the byte-order mark takes.
    start: usize,
    bytes: u64,
    hasher: Option<blake3::Hasher>,
    newlines: Newlines,
    ended: bool,
}

impl OpenText<'_> {
    /// Offset at which the text begins on disk: 0, or behind a byte-order mark.
    pub fn start(&self) -> u64 {
        self.start as u64
    }

    /// The next bytes of the text, `None` at its end.
    ///
    /// # Errors
    ///
    /// When reading fails.
    pub fn next_piece(&mut self) -> Result<Option<&[u8]>, FileError> {
        if self.bytes > 0 {
            self.fill()?;
        }
        let skip = if self.bytes == 0 { self.start } else { 0 };
        let filled = std::mem::take(&mut self.filled);
        if filled == 0 {
            return Ok(None);
        }
        self.bytes += filled as u64;
        let piece = &self.buffer[..filled];
        if let Some(hasher) = &mut self.hasher {
            hasher.update(piece);
            self.newlines.count(piece);
        }
        Ok(Some(&piece[skip..]))
    }

    /// What is known of the text, once all of it has been read.
    pub fn facts(self) -> Facts {
        Facts {
            bytes: self.bytes,
            hash: self.hasher.map(|hasher| hasher.finalize()),
            encoding: "UTF-8",
            newline: self.newlines.kind(),
        }
    }

    fn fill(&mut self) -> Result<(), FileError> {
        while !self.ended && self.filled < self.buffer.len() {
            match self.input.read(&mut self.buffer[self.filled..]) {
                Ok(0) => self.ended = true,
                Ok(n) => self.filled += n,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(FileError::io(&self.path, Trouble::Read, error)),
            }
        }
        Ok(())
    }
}

#[derive(Debug, Default)]
struct Newlines {
    lf: bool,
    crlf: bool,
    /// The piece before ended in `\r`.
    after_cr: bool,
}

impl Newlines {
    fn count(&mut self, piece: &[u8]) {
        if !(self.lf && self.crlf) {
            for at in memchr_iter(b'\n', piece) {
                let cr = match at.checked_sub(1) {
                    Some(before) => piece[before] == b'\r',
                    None => self.after_cr,
                };
                if cr {
                    self.crlf = true;
                } else {
                    self.lf = true;
                }
            }
        }
        self.after_cr = piece.last() == Some(&b'\r');
    }

    fn kind(&self) -> Newline {
        match (self.lf, self.crlf) {
            (false, false) => Newline::None,
            (true, false) => Newline::Lf,
            (false, true) => Newline::CrLf,
            (true, true) => Newline::Mixed,
        }
    }
}
