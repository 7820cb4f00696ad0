//! Reading a text in pieces, once, with what must be known of it.

use crate::cancel::CancelToken;
use crate::coding::{Coding, Decoded};
use crate::encoding::TextEncoding;
use crate::error::{FileError, FileErrorKind};
use crate::fs::open::open_below;
use crate::source::Source;
use crate::waiting::{Waiting, open_at_once};
use memchr::{memchr, memchr_iter};
use std::fs::File;
use std::io::{self, Read, Seek};
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Bytes read at a time.
const PIECE: usize = 1 << 20;
/// So many pieces are a large text.
const LARGE: usize = 4;
/// A piece that is handed out to several threads is so much smaller: then all of them have
/// something to do until the end.
const SHARES: usize = 4;
/// The bytes of a text in which a NUL is looked for.
const SNIFF: usize = 8 << 10;
/// The largest file that is decoded, in bytes: it is held as a whole.
const DECODED_MOST: u64 = 1 << 30;

/// Options for reading texts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct TextOptions {
    /// Files that look binary are read too.
    pub binary: bool,
    /// Of which texts the hash and the kind of line ends are to be found out.
    pub facts: FactsOf,
    /// The encoding of texts without a byte-order mark; `None` is UTF-8.
    pub encoding: Option<TextEncoding>,
}

/// Of which texts facts are wanted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum FactsOf {
    /// Of none.
    #[default]
    None,
    /// Of those in which something was found.
    Found,
    /// Of all.
    All,
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

/// Facts about a text once it has been read to its end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Facts {
    /// Its length on disk.
    pub bytes: u64,
    /// The BLAKE3 hash of its bytes on disk, where facts were asked for.
    pub hash: Option<blake3::Hash>,
    /// The target of symbolic links on the way to it, absolute, where facts were asked for and there
    /// are some.
    pub real: Option<PathBuf>,
    /// The name of its encoding.
    pub encoding: &'static str,
    /// Its line ends, where facts were asked for.
    pub newline: Newline,
}

/// Why a file is not looked at.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Skipped {
    /// There is a NUL in the first 8 KiB of its text.
    Binary,
}

/// Reads one text after another into the same memory.
#[derive(Debug, Default)]
pub struct Reader {
    options: TextOptions,
    /// Bytes read at a time, where that is not [`PIECE`].
    piece: Option<usize>,
    /// Bytes are handed on as they are read, however few.
    as_it_comes: bool,
    buffer: Vec<u8>,
    /// Standard input, where it has been kept.
    kept: Option<Arc<File>>,
    watch: Arc<CancelToken>,
    /// The folder that files must lie below.
    root: Option<PathBuf>,
}

impl Reader {
    /// A reader with these options.
    pub fn new(options: TextOptions) -> Self {
        Self {
            options,
            ..Self::default()
        }
    }

    /// Reads so many bytes at a time, at least 16. What is found does not depend on it.
    #[must_use]
    pub fn in_pieces_of(mut self, bytes: usize) -> Self {
        // Less would not hold a byte-order mark.
        self.piece = Some(bytes.max(16));
        self
    }

    /// Hands on what it reads as it comes, and waits for no more. That it looks binary may then be
    /// seen too late: reading fails there.
    #[must_use]
    pub fn as_it_comes(mut self) -> Self {
        self.as_it_comes = true;
        self
    }

    /// Is watched by `watch`.
    #[must_use]
    pub fn watched(mut self, watch: Arc<CancelToken>) -> Self {
        self.watch = watch;
        self
    }

    /// Reads only files that lie below `root`, wherever links lead.
    #[must_use]
    pub fn below(mut self, root: Option<&Path>) -> Self {
        self.root = root.map(Path::to_owned);
        self
    }

    /// A reader for another thread, of the same texts.
    #[must_use]
    pub fn another(&self) -> Self {
        Self {
            options: self.options,
            piece: self.piece,
            as_it_comes: self.as_it_comes,
            buffer: Vec::new(),
            kept: self.kept.clone(),
            watch: Arc::clone(&self.watch),
            root: self.root.clone(),
        }
    }

    /// Reads all of standard input into a file without a name, so that it can be opened more
    /// than once.
    ///
    /// # Errors
    ///
    /// When it cannot be read or kept.
    pub fn keep_stdin(&mut self) -> Result<(), FileError> {
        let path = Source::Stdin.path();
        let mut kept =
            tempfile::tempfile().map_err(|e| FileError::io(path, FileErrorKind::Write, e))?;
        let fail = |error| FileError::io(path, FileErrorKind::Read, error);
        let mut input = Waiting::stdin(Arc::clone(&self.watch)).map_err(fail)?;
        let copied = io::copy(&mut input, &mut kept);
        if self.watch.is_stopped() {
            return Err(FileError::new(path, FileErrorKind::Interrupted));
        }
        copied.map_err(fail)?;
        self.kept = Some(Arc::new(kept));
        Ok(())
    }

    /// The kept standard input, from its beginning.
    ///
    /// # Errors
    ///
    /// When it has not been kept, or cannot be read again.
    pub fn kept_stdin(&self) -> Result<File, FileError> {
        let fail = |error| FileError::io(Source::Stdin.path(), FileErrorKind::Read, error);
        let kept = self
            .kept
            .as_ref()
            .ok_or_else(|| fail(io::ErrorKind::NotSeekable.into()))?;
        let mut again = kept.try_clone().map_err(fail)?;
        again.rewind().map_err(fail)?;
        Ok(again)
    }

    /// Opens a source and reads its beginning; all of it, where it must be decoded.
    ///
    /// # Errors
    ///
    /// When it cannot be opened or read, is too large to be decoded, or reading is to stop.
    pub fn open<'r>(
        &'r mut self,
        source: &'r Source,
    ) -> Result<Result<OpenText<'r>, Skipped>, FileError> {
        let fail = |error| FileError::io(source.path(), FileErrorKind::Read, error);
        go_on(&self.watch, source)?;
        let mut input: Box<dyn Read> = match source {
            Source::Stdin if self.kept.is_some() => Box::new(self.kept_stdin()?),
            Source::Stdin => Box::new(Waiting::stdin(Arc::clone(&self.watch)).map_err(fail)?),
            Source::File(path) => match &self.root {
                Some(root) => Box::new(open_below(root, path).map_err(fail)?),
                None => open_at_once(path, &self.watch).map_err(fail)?,
            },
        };
        let piece = self.piece.unwrap_or(PIECE);
        if self.buffer.len() != piece {
            // Memory that is zero anyway is not touched before it is needed.
            self.buffer = vec![0; piece];
        }
        let filled = match self.as_it_comes {
            true => fill_with_mark(&mut *input, &mut self.buffer),
            false => fill(&mut *input, &mut self.buffer),
        };
        go_on(&self.watch, source)?;
        let filled = filled.map_err(fail)?;
        let head = &self.buffer[..filled];
        let (encoding, start) = TextEncoding::of_mark(head)
            .unwrap_or_else(|| (self.options.encoding.unwrap_or(TextEncoding::utf8()), 0));
        let coding = if encoding.is_utf8() {
            Coding::Utf8
        } else {
            let mut raw = head.to_vec();
            let limit = DECODED_MOST + 1 - filled as u64;
            input.take(limit).read_to_end(&mut raw).map_err(fail)?;
            if raw.len() as u64 > DECODED_MOST {
                return Err(FileError::new(
                    source.path(),
                    FileErrorKind::TooLargeToDecode,
                ));
            }
            input = Box::new(io::empty());
            Coding::Decoded(Decoded::new(encoding, raw, start))
        };
        let sample = match &coding {
            Coding::Utf8 => &self.buffer[..filled],
            Coding::Decoded(decoded) => decoded.text(),
        };
        if !self.options.binary && memchr(0, &sample[..sample.len().min(SNIFF)]).is_some() {
            return Ok(Err(Skipped::Binary));
        }
        Ok(Ok(OpenText {
            source,
            input,
            buffer: &mut self.buffer,
            filled,
            start,
            bytes: 0,
            watch: &self.watch,
            as_it_comes: self.as_it_comes,
            may_be_binary: self.options.binary,
            wanted: self.options.facts,
            looked_at: None,
            coding,
        }))
    }
}

/// Fails once reading is to stop.
fn go_on(watch: &CancelToken, source: &Source) -> Result<(), FileError> {
    match watch.is_stopped() {
        true => Err(FileError::new(source.path(), FileErrorKind::Interrupted)),
        false => Ok(()),
    }
}

/// Reads until the buffer is full or the input ends; gives how much.
fn fill(input: &mut dyn Read, buffer: &mut [u8]) -> io::Result<usize> {
    let mut filled = 0;
    while filled < buffer.len() {
        match input.read(&mut buffer[filled..]) {
            Ok(0) => break,
            Ok(n) => filled += n,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
    Ok(filled)
}

/// Reads what there is, but enough to know whether a byte-order mark begins the text.
fn fill_with_mark(input: &mut dyn Read, buffer: &mut [u8]) -> io::Result<usize> {
    let mut filled = 0;
    loop {
        match read_some(input, &mut buffer[filled..])? {
            0 => return Ok(filled),
            n => filled += n,
        }
        let marks: [&[u8]; 3] = [b"\xEF\xBB\xBF", b"\xFE\xFF", b"\xFF\xFE"];
        let head = &buffer[..filled];
        if !marks
            .iter()
            .any(|mark| mark.len() > filled && mark.starts_with(head))
        {
            return Ok(filled);
        }
    }
}

/// Reads what there is; nothing at the end.
fn read_some(input: &mut dyn Read, buffer: &mut [u8]) -> io::Result<usize> {
    loop {
        match input.read(buffer) {
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            done => return done,
        }
    }
}

/// Bytes of a text, and the memory they lie in.
pub struct Piece {
    memory: Vec<u8>,
    text: Range<usize>,
}

impl Piece {
    /// The bytes.
    pub fn text(&self) -> &[u8] {
        &self.memory[self.text.clone()]
    }

    /// Keeps only those in `range`.
    pub fn keep(&mut self, range: Range<usize>) {
        let start = self.text.start;
        self.text = start + range.start..start + range.end;
    }

    /// The memory, to be used again.
    pub fn into_memory(self) -> Vec<u8> {
        self.memory
    }
}

/// A text being read.
pub struct OpenText<'r> {
    source: &'r Source,
    input: Box<dyn Read>,
    buffer: &'r mut Vec<u8>,
    /// Bytes of the buffer that have been read and not yet handed on.
    filled: usize,
    /// The length of the byte-order mark in bytes.
    start: usize,
    /// Bytes on disk handed on.
    bytes: u64,
    watch: &'r CancelToken,
    as_it_comes: bool,
    may_be_binary: bool,
    wanted: FactsOf,
    /// Made once it is needed, for it is large.
    looked_at: Option<Box<LookedAt>>,
    coding: Coding,
}

/// The sources of facts.
#[derive(Debug, Default)]
struct LookedAt {
    hasher: blake3::Hasher,
    newlines: Newlines,
}

impl LookedAt {
    /// Looks at the next bytes on disk, and as text.
    fn look(&mut self, raw: &[u8], text: &[u8]) {
        self.hasher.update(raw);
        self.newlines.count(text);
    }
}

impl<'r> OpenText<'r> {
    /// Its source.
    pub fn source(&self) -> &'r Source {
        self.source
    }

    /// Its path, `-` for standard input.
    pub fn file(&self) -> &'r Path {
        self.source.path()
    }

    /// True if it is so long that several threads are worth their start, and not decoded.
    pub fn is_large(&self) -> bool {
        let (read, most) = (self.filled, self.buffer.len());
        let is_long = || match &self.source {
            Source::Stdin => true,
            Source::File(path) => path
                .metadata()
                .is_ok_and(|found| found.len() >= (LARGE * most) as u64),
        };
        read == most && !self.as_it_comes && matches!(self.coding, Coding::Utf8) && is_long()
    }

    /// Offset at which the text begins: behind the byte-order mark of a text that is not
    /// decoded, else 0.
    pub fn start(&self) -> u64 {
        match self.coding {
            Coding::Utf8 => self.start as u64,
            Coding::Decoded(_) => 0,
        }
    }

    /// The byte-order mark before the text, where that is not decoded; else nothing.
    pub fn mark(&self) -> &[u8] {
        &self.buffer[..usize::try_from(self.start()).unwrap_or(0)]
    }

    /// The encoding, which locates its offsets and bytes on disk.
    pub fn coding(&self) -> &Coding {
        &self.coding
    }

    /// Hands the whole text on, piece by piece; with the last piece, as far as it is known to be
    /// the last, that it is.
    ///
    /// # Errors
    ///
    /// When reading fails, or is to stop; what has been handed on is void then.
    pub fn read(&mut self, mut take: impl FnMut(&[u8], &Coding, bool)) -> Result<(), FileError> {
        if let Coding::Decoded(decoded) = &self.coding {
            self.bytes = decoded.raw().len() as u64;
            take(decoded.text(), &self.coding, true);
            return Ok(());
        }
        let mut skip = self.start;
        while self.filled > 0 {
            let piece = &self.buffer[..self.filled];
            self.bytes += piece.len() as u64;
            let is_last = !self.as_it_comes && piece.len() < self.buffer.len();
            // A text that is all there can be looked at later, when it is known to be wanted.
            if !(is_last && self.is_at_hand()) && self.wanted != FactsOf::None {
                self.looked_at.get_or_insert_default().look(piece, piece);
            }
            take(&piece[std::mem::take(&mut skip)..], &self.coding, is_last);
            self.watch.has_read(piece.len() as u64);
            if is_last {
                break;
            }
            self.fill()?;
        }
        Ok(())
    }

    /// The same for a text that is large and whose pieces are kept: gives away the memory each
    /// lies in, and takes other memory for the next.
    pub fn read_away(
        &mut self,
        mut take: impl FnMut(Piece, bool) -> Vec<u8>,
    ) -> Result<(), FileError> {
        let length = self.buffer.len().div_ceil(SHARES);
        let mut skip = self.start;
        while self.filled > 0 {
            self.bytes += self.filled as u64;
            if self.wanted != FactsOf::None {
                let piece = &self.buffer[..self.filled];
                self.looked_at.get_or_insert_default().look(piece, piece);
            }
            let is_last = self.filled < length;
            let piece = Piece {
                memory: std::mem::take(self.buffer),
                text: std::mem::take(&mut skip)..self.filled,
            };
            *self.buffer = take(piece, is_last);
            self.buffer.resize(length, 0);
            self.watch.has_read(self.filled as u64);
            if is_last {
                break;
            }
            self.fill()?;
        }
        Ok(())
    }

    /// Reads the next piece.
    fn fill(&mut self) -> Result<(), FileError> {
        go_on(self.watch, self.source)?;
        let filled = match self.as_it_comes {
            true => read_some(&mut *self.input, self.buffer),
            false => fill(&mut *self.input, self.buffer),
        };
        go_on(self.watch, self.source)?;
        let fail = |error| FileError::io(self.source.path(), FileErrorKind::Read, error);
        self.filled = filled.map_err(fail)?;
        let sniffed = usize::try_from(self.bytes).unwrap_or(SNIFF).min(SNIFF);
        let sample = &self.buffer[..self.filled.min(SNIFF - sniffed)];
        match self.as_it_comes && !self.may_be_binary && memchr(0, sample).is_some() {
            true => Err(fail(io::Error::other("from here on it looks binary"))),
            false => Ok(()),
        }
    }

    /// True if all that has been read of the text lies in the buffer.
    fn is_at_hand(&self) -> bool {
        self.bytes == self.filled as u64
    }

    /// Facts about the text, once all of it has been read; `found` tells whether something
    /// was found in it.
    pub fn facts(&mut self, found: bool) -> Facts {
        let wanted = match self.wanted {
            FactsOf::None => false,
            FactsOf::Found => found,
            FactsOf::All => true,
        };
        let at_hand = self.is_at_hand();
        if wanted {
            let looked_at = self.looked_at.get_or_insert_default();
            match &self.coding {
                Coding::Decoded(decoded) => looked_at.look(decoded.raw(), decoded.text()),
                Coding::Utf8 if at_hand => {
                    let all = &self.buffer[..self.filled];
                    looked_at.look(all, all);
                }
                Coding::Utf8 => {}
            }
        }
        let looked_at = self.looked_at.as_ref();
        let real = match self.source {
            Source::File(path) if wanted => crate::fs::open::links_on_the_way(path),
            _ => None,
        };
        Facts {
            bytes: self.bytes,
            real,
            hash: looked_at
                .filter(|_| wanted)
                .map(|found| found.hasher.finalize()),
            encoding: self.coding.name(),
            newline: looked_at.map_or(Newline::None, |found| found.newlines.kind()),
        }
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
        if memchr(b'\r', piece).is_none() {
            let (behind_cr, rest) = match piece {
                [b'\n', rest @ ..] if self.after_cr => (true, rest),
                all => (false, all),
            };
            self.crlf |= behind_cr;
            self.lf |= memchr(b'\n', rest).is_some();
        } else if !(self.lf && self.crlf) {
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
