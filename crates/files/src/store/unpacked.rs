//! Texts read out of packed files.

use crate::store::{Store, Told};
use std::cell::RefCell;
use std::io::{self, BufRead, Read};
use std::rc::Rc;

/// Bytes on disk that are read at a time.
const CHUNK: usize = 1 << 17;
/// The last bytes that are kept.
const TAIL: usize = 8;
/// A text up to this many bytes may be as large as it likes.
const SMALL: u64 = 256 << 20;
/// A larger text may be this many times as large as its file.
const RATIO_MOST: u64 = 1000;

/// The text of a packed file, from its beginning to its end.
pub struct Unpacked<'d> {
    text: Box<dyn Read + 'd>,
    disk: DiskSide,
    name: &'static str,
    /// Bytes of the text given.
    given: u64,
}

/// The bytes on disk of a text that is being unpacked, as far as they have been read.
#[derive(Clone)]
pub struct DiskSide(Rc<RefCell<Disk>>);

struct Disk {
    hasher: blake3::Hasher,
    /// Bytes that the text has been read out of.
    used: u64,
    head: Vec<u8>,
    /// Bytes of it that are kept.
    head_most: usize,
    tail: Vec<u8>,
    /// The system could not read the file.
    failed: bool,
}

impl DiskSide {
    /// The hash of the file, and its length in bytes; once the text has been read to its end, all of it.
    pub fn hash(&self) -> (blake3::Hash, u64) {
        let disk = self.0.borrow();
        (disk.hasher.finalize(), disk.hasher.count())
    }

    /// Bytes read so far.
    pub fn bytes(&self) -> u64 {
        self.0.borrow().hasher.count()
    }

    /// The first bytes of the file.
    pub fn head(&self) -> Vec<u8> {
        self.0.borrow().head.clone()
    }

    /// The last bytes, once the text has been read to its end.
    pub fn tail(&self) -> Vec<u8> {
        self.0.borrow().tail.clone()
    }
}

/// Reads a file, and keeps what must be known of it.
struct Tap<'d> {
    disk: Box<dyn Read + 'd>,
    side: DiskSide,
    buffer: Vec<u8>,
    at: usize,
    filled: usize,
}

impl Tap<'_> {
    fn fill(&mut self) -> io::Result<()> {
        let mut side = self.side.0.borrow_mut();
        let read = loop {
            match self.disk.read(&mut self.buffer) {
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                read => break read,
            }
        };
        let read = read.inspect_err(|_| side.failed = true)?;
        let bytes = &self.buffer[..read];
        side.hasher.update(bytes);
        let wanted = side.head_most - side.head.len();
        side.head.extend_from_slice(&bytes[..read.min(wanted)]);
        side.tail
            .extend_from_slice(&bytes[read.saturating_sub(TAIL)..]);
        let extra = side.tail.len().saturating_sub(TAIL);
        side.tail.drain(..extra);
        (self.at, self.filled) = (0, read);
        Ok(())
    }
}

impl Read for Tap<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.fill_buf()?.read(buffer)?;
        self.consume(read);
        Ok(read)
    }
}

impl BufRead for Tap<'_> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        if self.at == self.filled {
            self.fill()?;
        }
        Ok(&self.buffer[self.at..self.filled])
    }

    fn consume(&mut self, bytes: usize) {
        self.at += bytes;
        self.side.0.borrow_mut().used += bytes as u64;
    }
}

impl<'d> Unpacked<'d> {
    /// The text that `store` has packed into `disk`; `packs` says that another text is packed in the same way.
    ///
    /// # Errors
    ///
    /// When `disk` cannot be read, or does not begin as it must.
    pub fn new(store: &dyn Store, disk: impl Read + 'd, packs: bool) -> io::Result<Self> {
        let side = DiskSide(Rc::new(RefCell::new(Disk {
            hasher: blake3::Hasher::new(),
            used: 0,
            head: Vec::new(),
            head_most: match packs || store.judges_head() {
                true => store.head_kept(),
                false => 0,
            },
            tail: Vec::new(),
            failed: false,
        })));
        let mut tap = Tap {
            disk: Box::new(disk),
            side: side.clone(),
            buffer: vec![0; CHUNK],
            at: 0,
            filled: 0,
        };
        // Its first bytes are known from here on.
        tap.fill_buf()?;
        let name = store.name();
        let text = store.unpack(Box::new(tap));
        Ok(Self {
            text: text.map_err(|error| in_words(error, name, &side))?,
            disk: side,
            name,
            given: 0,
        })
    }

    /// The bytes on disk.
    pub fn disk(&self) -> DiskSide {
        self.disk.clone()
    }

    /// A text that grows beyond measure was made to fill a memory or a disk.
    fn check_size(&self) -> io::Result<()> {
        let disk = self.disk.0.borrow();
        match self.given > SMALL && self.given / RATIO_MOST > disk.used {
            true => Err(io::Error::other(format!(
                "it unpacks to more than {RATIO_MOST} times its size, and was not read to its end"
            ))),
            false => Ok(()),
        }
    }
}

impl Read for Unpacked<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.text.read(buffer);
        let read = read.map_err(|error| in_words(error, self.name, &self.disk))?;
        self.given += read as u64;
        self.check_size()?;
        Ok(read)
    }
}

/// The error of a library with the place in the file.
fn in_words(error: io::Error, name: &str, side: &DiskSide) -> io::Error {
    let disk = side.0.borrow();
    if error.get_ref().is_some_and(|inner| inner.is::<Told>()) {
        return error;
    }
    if disk.failed || error.kind() == io::ErrorKind::Interrupted {
        return error;
    }
    let kind = error.kind();
    let place = brisk_quill_core::numbers::number(disk.hasher.count());
    io::Error::new(
        kind,
        match kind {
            io::ErrorKind::UnexpectedEof => {
                format!(
                    "the {name} data are cut off: they end at byte {place}, before their text does"
                )
            }
            _ => format!("the {name} data are damaged, at or before byte {place}"),
        },
    )
}
