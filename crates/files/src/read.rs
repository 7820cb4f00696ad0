//! Reading a text in pieces, once, with what must be known of it.

pub mod facts;
pub mod kept_stdin;
pub mod open_text;
pub mod planned;
mod table_heads;
pub mod text_cache;

use crate::cancel::CancelToken;
use crate::encoding::TextEncoding;
use crate::error::{FileError, FileErrorKind};
use crate::fs::open::open_below;
use crate::read::facts::FactsOf;
use crate::read::kept_stdin::KeptStdin;
use crate::read::open_text::{OpenStore, OpenText, SNIFF, fill, fill_with_mark, go_on};
use crate::read::planned::PlannedTexts;
use crate::read::table_heads::TableHeads;
use crate::read::text_cache::{CachedText, TextCache};
use crate::signature::structured;
use crate::source::Source;
use crate::store::Store;
use crate::store::in_use::check_whole;
use crate::store::store_of::StoreOf;
use crate::store::unpacked::Unpacked;
use crate::text_map::Decoded;
use crate::waiting::{Waiting, open_at_once};
use memchr::memchr;
use std::collections::HashMap;
use std::fs::File;
use std::io::{self, Read, Seek};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Bytes read at a time.
const PIECE: usize = 1 << 20;
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

/// Why a file is not looked at.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Skipped {
    /// There is a NUL in the first 8 KiB of its text.
    Binary,
    /// The file is in a structured format, which has this name.
    Structured(&'static str),
    /// The file is a workbook, and not only cells are looked at.
    CellsAlone,
}

impl Skipped {
    /// The error where such a file was named.
    pub fn error(self, source: &Source) -> FileError {
        let kind = match self {
            Self::Binary => FileErrorKind::LooksBinary,
            Self::Structured(name) => FileErrorKind::Structured(name),
            Self::CellsAlone => FileErrorKind::CellsAlone,
        };
        FileError::new(source.path(), kind)
    }
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
    kept: Option<KeptStdin>,
    watch: Arc<CancelToken>,
    /// The folder that files must lie below.
    root: Option<PathBuf>,
    /// Bytes of each source that are read.
    most: Option<u64>,
    /// Texts that are read in the place of files.
    planned: Option<Arc<PlannedTexts>>,
    /// Files that are kept in memory.
    cache: Option<Arc<TextCache>>,
    /// The first lines of tables of other programs.
    heads: Arc<TableHeads>,
    /// Texts are read to be rewritten.
    rewrites: bool,
    /// Texts are read to be packed again.
    packs: bool,
    /// Only cells are looked at, so that tables of other programs may be read.
    cells: bool,
    /// The encodings of single files.
    encodings: Option<Arc<FileEncodings>>,
}

/// The encodings of files without a byte-order mark that have one of their own.
pub type FileEncodings = HashMap<PathBuf, TextEncoding>;

/// A text whose first bytes are in the buffer.
struct Begun {
    /// The rest.
    input: io::Take<Box<dyn Read>>,
    /// The number of bytes in the buffer.
    filled: usize,
    store: OpenStore,
}

impl Reader {
    /// A reader with these options.
    pub fn new(options: TextOptions) -> Self {
        Self {
            options,
            ..Self::default()
        }
    }

    /// Reads this many bytes at a time, at least 16. What is found does not depend on it.
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

    /// Reads files that look binary too.
    #[must_use]
    pub fn with_binary(mut self) -> Self {
        self.options.binary = true;
        self
    }

    /// True if texts without a byte-order mark are read in an encoding that was asked for.
    pub fn has_encoding(&self) -> bool {
        self.options.encoding.is_some()
    }

    /// Reads texts without a byte-order mark in this encoding.
    #[must_use]
    pub fn in_encoding(mut self, encoding: TextEncoding) -> Self {
        self.options.encoding = Some(encoding);
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

    /// Reads no more than this many bytes of each source, as if it ended there.
    #[must_use]
    pub fn at_most(mut self, bytes: u64) -> Self {
        self.most = Some(bytes);
        self
    }

    /// Reads texts to be rewritten, or only to be searched: what is in a structured format is never
    /// rewritten, even where files that look binary are.
    pub fn set_rewrites(&mut self, rewrites: bool) {
        self.rewrites = rewrites;
    }

    /// Texts that are read from now on are packed again, in the way of their files.
    pub fn set_packs(&mut self, packs: bool) {
        self.packs = packs;
    }

    /// Reads texts of which only cells are looked at, so that tables of other programs may be among them; or does not.
    pub fn set_cells(&mut self, cells: bool) {
        self.cells = cells;
    }

    /// Reads some files in encodings of their own.
    #[must_use]
    pub fn encoded(mut self, encodings: Arc<FileEncodings>) -> Self {
        self.encodings = Some(encodings);
        self
    }

    /// Reads files as a plan would leave them.
    #[must_use]
    pub fn after(mut self, planned: Arc<PlannedTexts>) -> Self {
        self.planned = Some(planned);
        self
    }

    /// Keeps files in `cache`, and reads them there.
    #[must_use]
    pub fn cached(mut self, cache: Arc<TextCache>) -> Self {
        self.cache = Some(cache);
        self
    }

    /// Reads `kept` as standard input, from its beginning each time.
    #[must_use]
    pub fn with_stdin(mut self, kept: KeptStdin) -> Self {
        self.kept = Some(kept);
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
            most: self.most,
            planned: self.planned.clone(),
            cache: self.cache.clone(),
            heads: Arc::clone(&self.heads),
            encodings: self.encodings.clone(),
            rewrites: self.rewrites,
            packs: self.packs,
            cells: self.cells,
        }
    }

    /// Reads all of standard input into a file without a name, so that it can be opened more
    /// than once.
    ///
    /// # Errors
    ///
    /// When it cannot be read or kept.
    pub fn keep_stdin(&mut self) -> Result<(), FileError> {
        let path = Source::STDIN.path();
        let mut kept =
            tempfile::tempfile().map_err(|e| FileError::io(path, FileErrorKind::Write, e))?;
        let fail = |error| FileError::io(path, FileErrorKind::Read, error);
        let mut input = Waiting::stdin(Arc::clone(&self.watch)).map_err(fail)?;
        let copied = io::copy(&mut input, &mut kept);
        if self.watch.is_stopped() {
            return Err(FileError::new(path, FileErrorKind::Interrupted));
        }
        let bytes = copied.map_err(fail)?;
        self.kept = Some(KeptStdin::new(Arc::new(kept), bytes));
        Ok(())
    }

    /// Standard input, where it is kept.
    pub fn stdin(&self) -> Option<&KeptStdin> {
        self.kept.as_ref()
    }

    /// The kept standard input, from its beginning.
    ///
    /// # Errors
    ///
    /// When it has not been kept, or cannot be read again.
    pub fn kept_stdin(&self) -> Result<File, FileError> {
        let fail = |error| FileError::io(Source::STDIN.path(), FileErrorKind::Read, error);
        let kept = self
            .kept
            .as_ref()
            .ok_or_else(|| fail(io::ErrorKind::NotSeekable.into()))?;
        let mut again = kept.file().try_clone().map_err(fail)?;
        again.rewind().map_err(fail)?;
        Ok(again)
    }

    /// The bytes of a source, from its beginning.
    fn input(&self, source: &Source) -> Result<Box<dyn Read>, FileError> {
        let fail = |error| FileError::io(source.path(), FileErrorKind::Read, error);
        if let Some(planned) = &self.planned
            && let Some(text) = planned.text(source)
        {
            return Ok(Box::new(text));
        }
        if let (Some(cache), Source::File(path)) = (&self.cache, source)
            && let Some(text) = cache.open(&path.place())
        {
            return Ok(Box::new(text));
        }
        if let (Some(kept), Source::Stdin(_)) = (&self.kept, source) {
            return Ok(Box::new(kept.reader()));
        }
        Ok(match source {
            Source::Stdin(_) => Box::new(Waiting::stdin(Arc::clone(&self.watch)).map_err(fail)?),
            Source::File(path) => match &self.root {
                Some(root) => Box::new(open_below(root, &path.place()).map_err(fail)?),
                None => open_at_once(&path.place(), &self.watch).map_err(fail)?,
            },
        })
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
        let piece = self.piece.unwrap_or(PIECE);
        if self.buffer.len() != piece {
            // Memory that is zero anyway is not touched before it is needed.
            self.buffer = vec![0; piece];
        }
        let Begun {
            input,
            filled,
            store,
        } = match self.begin(source)? {
            Ok(begun) => begun,
            Err(skipped) => return Ok(Err(skipped)),
        };
        let head = &self.buffer[..filled];
        let wants_structured = self.options.binary && !self.rewrites;
        if let Some(name) = structured(head).filter(|_| !wants_structured) {
            return Ok(Err(Skipped::Structured(name)));
        }
        let own = self.encodings.as_ref();
        let own = own.and_then(|all| all.get(source.path()).copied());
        let unmarked = own.or(self.options.encoding);
        let (encoding, start) = TextEncoding::of_mark(head)
            .unwrap_or_else(|| (unmarked.unwrap_or(TextEncoding::utf8()), 0));
        let mut input: Box<dyn Read> = Box::new(input);
        let decoded = if encoding.is_utf8() {
            None
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
            Some(Decoded::new(encoding, raw, start))
        };
        let sample = match &decoded {
            None => &self.buffer[..filled],
            Some(decoded) => decoded.text(),
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
            decoded,
            store,
        }))
    }

    /// Begins to read the text of a source, into the buffer.
    fn begin(&mut self, source: &Source) -> Result<Result<Begun, Skipped>, FileError> {
        let (kept_of, input) = match self.kept_head(source) {
            Some((of, text)) => (Some(of), Box::new(text) as Box<dyn Read>),
            None => (None, self.input(source)?),
        };
        let mut input = input.take(self.most.unwrap_or(u64::MAX));
        let filled = self.fill(&mut input, source)?;
        let of = kept_of.unwrap_or_else(|| StoreOf::head(&self.buffer[..filled]));
        match of.packed().filter(|_| kept_of.is_none()) {
            Some(packing) => {
                self.begin_unpacked((source, input.into_inner()), (of, packing), filled)
            }
            None => Ok(Ok(Begun {
                input,
                filled,
                store: OpenStore {
                    of,
                    ..OpenStore::default()
                },
            })),
        }
    }

    /// The store and the first lines of a table, where no more are wanted and they are kept.
    fn kept_head(&self, source: &Source) -> Option<(StoreOf, CachedText)> {
        let most = self.most.filter(|_| self.planned.is_none())?;
        self.heads.open(source, most)
    }

    /// The same for what is packed; the first `filled` bytes of it are in the buffer.
    fn begin_unpacked(
        &mut self,
        (source, rest): (&Source, Box<dyn Read>),
        (of, packing): (StoreOf, &'static dyn Store),
        filled: usize,
    ) -> Result<Result<Begun, Skipped>, FileError> {
        let fail = |error| FileError::io(source.path(), FileErrorKind::Read, error);
        if packing.is_table() && !self.cells {
            return Ok(Err(Skipped::CellsAlone));
        }
        if !source.is_stdin() {
            check_whole(packing, &source.place()).map_err(fail)?;
        }
        let packed = io::Cursor::new(self.buffer[..filled].to_vec()).chain(rest);
        let text = Unpacked::new(packing, packed, self.packs).map_err(fail)?;
        let lossy = packing.lossy(&text.disk().head()).filter(|_| self.rewrites);
        if let Some(why) = lossy {
            return Err(FileError::new(source.path(), FileErrorKind::Lossy(why)));
        }
        let store = OpenStore {
            of,
            disk: Some(text.disk()),
            ..OpenStore::default()
        };
        let text: Box<dyn Read> = Box::new(text);
        let mut input = text.take(self.most.unwrap_or(u64::MAX));
        let filled = self.fill(&mut input, source)?;
        if packing.is_table() && self.most.is_none() && self.planned.is_none() {
            let goes_on = self.as_it_comes || filled == self.buffer.len();
            let head = (&self.buffer[..filled], goes_on);
            self.heads.keep(source, of, head);
        }
        Ok(Ok(Begun {
            input,
            filled,
            store,
        }))
    }

    /// Reads the beginning of a source into the buffer; gives how much.
    fn fill(&mut self, input: &mut dyn Read, source: &Source) -> Result<usize, FileError> {
        let filled = match self.as_it_comes {
            true => fill_with_mark(input, &mut self.buffer),
            false => fill(input, &mut self.buffer),
        };
        go_on(&self.watch, source)?;
        filled.map_err(|error| FileError::io(source.path(), FileErrorKind::Read, error))
    }
}
