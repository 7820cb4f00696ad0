//! A text that has been opened, read piece by piece.

use crate::cancel::CancelToken;
use crate::error::{FileError, FileErrorKind};
use crate::read::facts::{Facts, FactsOf, Newline, Newlines};
use crate::source::Source;
use crate::store::store_of::{Packing, StoreOf};
use crate::store::unpacked::DiskSide;
use crate::text_map::{AsItIs, Decoded, TextMap};
use memchr::memchr;
use std::io::{self, Read};
use std::ops::Range;
use std::path::Path;

/// So many pieces are a large text.
const LARGE: usize = 4;
/// A piece that is handed out to several threads is so much smaller: then all of them have
/// something to do until the end.
const SHARES: usize = 4;
/// The bytes of a text in which a NUL is looked for.
pub(super) const SNIFF: usize = 8 << 10;

/// Bytes of a text, and the memory they lie in.
pub struct Piece {
    pub(super) memory: Vec<u8>,
    pub(super) text: Range<usize>,
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
    pub(super) source: &'r Source,
    pub(super) input: Box<dyn Read>,
    pub(super) buffer: &'r mut Vec<u8>,
    /// Bytes of the buffer that have been read and not yet handed on.
    pub(super) filled: usize,
    /// The length of the byte-order mark in bytes.
    pub(super) start: usize,
    /// Bytes handed on, before decoding.
    pub(super) bytes: u64,
    pub(super) watch: &'r CancelToken,
    pub(super) as_it_comes: bool,
    pub(super) may_be_binary: bool,
    pub(super) wanted: FactsOf,
    /// Made once it is needed, for it is large.
    pub(super) looked_at: Option<Box<LookedAt>>,
    /// The text, where it was decoded as a whole.
    pub(super) decoded: Option<Decoded>,
    /// The store of the file.
    pub(super) store: OpenStore,
}

/// The store of a text being read.
#[derive(Default)]
pub(super) struct OpenStore {
    pub(super) of: StoreOf,
    /// The bytes that the text is unpacked from.
    pub(super) disk: Option<DiskSide>,
    /// Bytes on disk whose reading has been reported.
    pub(super) reported: u64,
}

impl OpenStore {
    /// The bytes on disk that a piece of the text is to be known by: none where they are others, and are hashed as they
    /// are read.
    fn raw<'t>(&self, piece: &'t [u8]) -> &'t [u8] {
        match &self.disk {
            Some(_) => &[],
            None => piece,
        }
    }

    /// So many bytes of the text have been read.
    fn has_read(&mut self, text: usize, watch: &CancelToken) {
        let Some(disk) = &self.disk else {
            return watch.has_read(text as u64);
        };
        let read = disk.bytes();
        watch.has_read(read - self.reported);
        self.reported = read;
    }
}

/// The sources of facts.
#[derive(Debug, Default)]
pub(super) struct LookedAt {
    pub(super) hasher: blake3::Hasher,
    pub(super) newlines: Newlines,
}

impl LookedAt {
    /// Looks at the next bytes on disk, and as text.
    pub(super) fn look(&mut self, raw: &[u8], text: &[u8]) {
        self.hasher.update(raw);
        self.newlines.count(text);
    }
}

impl<'r> OpenText<'r> {
    /// The source.
    pub fn source(&self) -> &'r Source {
        self.source
    }

    /// The path, `-` for standard input.
    pub fn file(&self) -> &'r Path {
        self.source.path()
    }

    /// True if it is so long that several threads are worth their start, and not decoded.
    pub fn is_large(&self) -> bool {
        let (read, most) = (self.filled, self.buffer.len());
        let is_long = || match &self.source {
            Source::Stdin(_) => true,
            Source::File(path) => path
                .place()
                .metadata()
                .is_ok_and(|found| found.len() >= (LARGE * most) as u64),
        };
        let is_long = || self.store.disk.is_some() || is_long();
        read == most && !self.as_it_comes && self.decoded.is_none() && is_long()
    }

    /// Offset at which the text begins: behind the byte-order mark of a text that is not
    /// decoded, else 0.
    pub fn start(&self) -> u64 {
        match self.decoded {
            None => self.start as u64,
            Some(_) => 0,
        }
    }

    /// The byte-order mark before the text, where that is not decoded; else nothing.
    pub fn mark(&self) -> &[u8] {
        &self.buffer[..usize::try_from(self.start()).unwrap_or(0)]
    }

    /// The way to the bytes that it was decoded from.
    pub fn map(&self) -> &dyn TextMap {
        match &self.decoded {
            Some(decoded) => decoded,
            None => &AsItIs,
        }
    }

    /// The way in which the file is packed, where its text is not the file.
    pub fn packing(&self) -> Option<Packing> {
        let disk = self.store.disk.as_ref()?;
        Packing::new(self.store.of, disk.head())
    }

    /// Hands the whole text on, piece by piece; with the last piece, as far as it is known to be
    /// the last, that it is.
    ///
    /// # Errors
    ///
    /// When reading fails, or is to stop; what has been handed on is void then.
    pub fn read(
        &mut self,
        mut take: impl FnMut(&[u8], &dyn TextMap, bool),
    ) -> Result<(), FileError> {
        if let Some(decoded) = &self.decoded {
            self.bytes = decoded.whole().map_or(0, <[u8]>::len) as u64;
            take(decoded.text(), decoded, true);
            return Ok(());
        }
        let mut skip = self.start;
        while self.filled > 0 {
            let piece = &self.buffer[..self.filled];
            self.bytes += piece.len() as u64;
            let is_last = !self.as_it_comes && piece.len() < self.buffer.len();
            // A text that is all there can be looked at later, when it is known to be wanted.
            if !(is_last && self.is_at_hand()) && self.wanted != FactsOf::None {
                let raw = self.store.raw(piece);
                self.looked_at.get_or_insert_default().look(raw, piece);
            }
            take(&piece[std::mem::take(&mut skip)..], &AsItIs, is_last);
            self.store.has_read(piece.len(), self.watch);
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
                let raw = self.store.raw(piece);
                self.looked_at.get_or_insert_default().look(raw, piece);
            }
            let is_last = self.filled < length;
            let piece = Piece {
                memory: std::mem::take(self.buffer),
                text: std::mem::take(&mut skip)..self.filled,
            };
            *self.buffer = take(piece, is_last);
            self.buffer.resize(length, 0);
            self.store.has_read(self.filled, self.watch);
            if is_last {
                break;
            }
            self.fill()?;
        }
        Ok(())
    }

    /// Reads the next piece.
    pub(super) fn fill(&mut self) -> Result<(), FileError> {
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

    /// Facts about the text, once all of it has been read; `found` says whether something
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
            match &self.decoded {
                Some(decoded) => {
                    looked_at.look(decoded.whole().unwrap_or_default(), decoded.text());
                }
                None if at_hand => {
                    let all = &self.buffer[..self.filled];
                    looked_at.look(self.store.raw(all), all);
                }
                None => {}
            }
        }
        let looked_at = self.looked_at.as_ref();
        let real = match self.source {
            Source::File(path) if wanted => crate::fs::open::links_on_the_way(&path.place()),
            _ => None,
        };
        let hash = || looked_at.map(|found| found.hasher.finalize());
        // What was unpacked is known by the bytes on disk.
        let (hash, bytes) = match &self.store.disk {
            Some(disk) => {
                let (hash, bytes) = disk.hash();
                (Some(hash), bytes)
            }
            None => (hash(), self.bytes),
        };
        Facts {
            bytes,
            real,
            text_bytes: self.bytes,
            store: self.store.of,
            hash: hash.filter(|_| wanted),
            encoding: self.map().encoding(),
            newline: looked_at.map_or(Newline::None, |found| found.newlines.kind()),
        }
    }
}

/// Fails once reading is to stop.
pub(super) fn go_on(watch: &CancelToken, source: &Source) -> Result<(), FileError> {
    match watch.is_stopped() {
        true => Err(FileError::new(source.path(), FileErrorKind::Interrupted)),
        false => Ok(()),
    }
}

/// Reads until the buffer is full or the input ends; gives how much.
pub(super) fn fill(input: &mut dyn Read, buffer: &mut [u8]) -> io::Result<usize> {
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

/// Reads what there is, but enough to know whether a byte-order mark begins it, or it is packed.
pub(super) fn fill_with_mark(input: &mut dyn Read, buffer: &mut [u8]) -> io::Result<usize> {
    let mut filled = 0;
    loop {
        match read_some(input, &mut buffer[filled..])? {
            0 => return Ok(filled),
            n => filled += n,
        }
        let marks: [&[u8]; 3] = [b"\xEF\xBB\xBF", b"\xFE\xFF", b"\xFF\xFE"];
        let head = &buffer[..filled];
        let mut marks = marks.into_iter().chain(StoreOf::magics());
        if !marks.any(|mark| mark.len() > filled && mark.starts_with(head)) {
            return Ok(filled);
        }
    }
}

/// Reads what there is; nothing at the end.
pub(super) fn read_some(input: &mut dyn Read, buffer: &mut [u8]) -> io::Result<usize> {
    loop {
        match input.read(buffer) {
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            done => return done,
        }
    }
}
