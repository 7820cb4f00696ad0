//! Bytes that are kept for later: in memory, or in a file where they are many.
//!
//! Note to the maintainer. A [`Spool`] is shared by all who keep something, on any thread. Each
//! writes blocks through a [`SpoolWriter`] of its own; a block stays in memory as long as all
//! blocks together are below a bound, else it goes to the one temporary file of the spool, at
//! a place that no one else writes to. [`Spooled`] knows its blocks in order, and gives its
//! memory back when it is dropped.

use std::fs::File;
use std::io::{self, BufRead, Read, Write};
use std::os::unix::fs::FileExt;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// The size to which a block grows, in bytes, before it is put away.
const BLOCK: usize = 64 << 10;
/// The room of a block at first, so that a few bytes do not make it grow again and again.
const FIRST: usize = 1 << 10;

/// The place where bytes are kept.
#[derive(Debug)]
pub struct Spool {
    /// Bytes that may be, and are, in memory.
    most: usize,
    in_memory: AtomicUsize,
    file: Mutex<Option<Arc<File>>>,
    /// The end of the file.
    end: AtomicU64,
}

impl Spool {
    /// Keeps at most this many bytes in memory.
    pub fn new(most: usize) -> Arc<Self> {
        Arc::new(Self {
            most,
            in_memory: AtomicUsize::new(0),
            file: Mutex::new(None),
            end: AtomicU64::new(0),
        })
    }

    fn has_room(&self, bytes: usize) -> bool {
        let before = self.in_memory.fetch_add(bytes, Ordering::Relaxed);
        let fits = before.saturating_add(bytes) <= self.most;
        if !fits {
            self.in_memory.fetch_sub(bytes, Ordering::Relaxed);
        }
        fits
    }

    /// The temporary file, which has no name.
    fn file(&self) -> io::Result<Arc<File>> {
        let mut file = self.file.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(file) = &*file {
            return Ok(Arc::clone(file));
        }
        let made = Arc::new(tempfile::tempfile()?);
        *file = Some(Arc::clone(&made));
        Ok(made)
    }

    fn keep(self: &Arc<Self>, bytes: Vec<u8>) -> io::Result<Block> {
        if self.has_room(bytes.len()) {
            return Ok(Block::Memory(InMemory {
                bytes,
                spool: Arc::clone(self),
            }));
        }
        let file = self.file()?;
        let from = self.end.fetch_add(bytes.len() as u64, Ordering::Relaxed);
        file.write_all_at(&bytes, from)?;
        let length = bytes.len();
        Ok(Block::File { file, from, length })
    }
}

#[derive(Debug)]
enum Block {
    Memory(InMemory),
    File {
        file: Arc<File>,
        from: u64,
        length: usize,
    },
}

/// Bytes that count as in memory as long as they are there.
#[derive(Debug)]
struct InMemory {
    bytes: Vec<u8>,
    spool: Arc<Spool>,
}

impl Drop for InMemory {
    fn drop(&mut self) {
        let in_memory = &self.spool.in_memory;
        in_memory.fetch_sub(self.bytes.len(), Ordering::Relaxed);
    }
}

/// Writes bytes that are to be kept together.
#[derive(Debug)]
pub struct SpoolWriter {
    spool: Arc<Spool>,
    blocks: Vec<Block>,
    buffer: Vec<u8>,
}

impl SpoolWriter {
    /// Keeps them in `spool`.
    pub fn new(spool: &Arc<Spool>) -> Self {
        Self {
            spool: Arc::clone(spool),
            blocks: Vec::new(),
            buffer: Vec::new(),
        }
    }

    /// Bytes that have been written; the next ones are kept apart from them.
    ///
    /// # Errors
    ///
    /// When the temporary file cannot be written.
    pub fn finish(&mut self) -> io::Result<Spooled> {
        self.put()?;
        Ok(Spooled {
            blocks: std::mem::take(&mut self.blocks),
        })
    }

    /// Takes in what another has written, behind what is here.
    ///
    /// # Errors
    ///
    /// When the temporary file cannot be written.
    pub fn join(&mut self, behind: &mut Self) -> io::Result<()> {
        if behind.blocks.is_empty() {
            self.buffer.append(&mut behind.buffer);
            return self.put_full();
        }
        self.put()?;
        behind.put()?;
        self.blocks.append(&mut behind.blocks);
        Ok(())
    }

    /// Writes what `write` appends; gives how many bytes that were.
    ///
    /// # Errors
    ///
    /// When the temporary file cannot be written.
    pub fn write_with(&mut self, write: impl FnOnce(&mut Vec<u8>)) -> io::Result<usize> {
        if self.buffer.capacity() == 0 {
            self.buffer.reserve(FIRST);
        }
        let before = self.buffer.len();
        write(&mut self.buffer);
        let written = self.buffer.len() - before;
        self.put_full()?;
        Ok(written)
    }

    fn put_full(&mut self) -> io::Result<()> {
        match self.buffer.len() >= BLOCK {
            true => self.put(),
            false => Ok(()),
        }
    }

    fn put(&mut self) -> io::Result<()> {
        if !self.buffer.is_empty() {
            // The next block will be as large.
            let next = Vec::with_capacity(self.buffer.len().min(BLOCK + BLOCK / 8));
            let mut block = std::mem::replace(&mut self.buffer, next);
            if block.len() < block.capacity() / 2 {
                block.shrink_to_fit();
            }
            let block = self.spool.keep(block)?;
            self.blocks.push(block);
        }
        Ok(())
    }
}

impl Write for SpoolWriter {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.buffer.extend_from_slice(bytes);
        self.put_full()?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Bytes that were kept together.
#[derive(Debug, Default)]
pub struct Spooled {
    blocks: Vec<Block>,
}

impl Spooled {
    /// Reads them from the first.
    pub fn reader(&self) -> SpoolReader<'_> {
        SpoolReader {
            blocks: &self.blocks,
            at: 0,
            buffer: Vec::new(),
        }
    }
}

/// Reads what was kept.
#[derive(Debug)]
pub struct SpoolReader<'s> {
    /// The current block, and those behind it.
    blocks: &'s [Block],
    /// The part of it that has been read.
    at: usize,
    /// The current block, where it lies in the file.
    buffer: Vec<u8>,
}

impl BufRead for SpoolReader<'_> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        match self.blocks.first() {
            None => Ok(&[]),
            Some(Block::Memory(kept)) => Ok(&kept.bytes[self.at..]),
            Some(Block::File { file, from, length }) => {
                if self.buffer.is_empty() {
                    self.buffer.resize(*length, 0);
                    file.read_exact_at(&mut self.buffer, *from)?;
                }
                Ok(&self.buffer[self.at..])
            }
        }
    }

    fn consume(&mut self, bytes: usize) {
        self.at += bytes;
        let length = match self.blocks.first() {
            None => return,
            Some(Block::Memory(kept)) => kept.bytes.len(),
            Some(Block::File { length, .. }) => *length,
        };
        if self.at == length {
            self.blocks = &self.blocks[1..];
            self.at = 0;
            self.buffer.clear();
        }
    }
}

impl Read for SpoolReader<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let found = self.fill_buf()?;
        let most = found.len().min(buffer.len());
        buffer[..most].copy_from_slice(&found[..most]);
        self.consume(most);
        Ok(most)
    }
}
