//! Lines of a container, made on a thread of their own while those before are worked on.

use crate::parallel::done;
use std::io::{self, Read};
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::thread::{Builder, JoinHandle};

/// Bytes after which a block of lines is handed over.
const BLOCK: usize = 1 << 17;
/// Blocks that may wait.
const WAITING: usize = 2;

/// The lines that are being made.
pub struct Lines {
    block: Vec<u8>,
    blocks: SyncSender<Vec<u8>>,
}

impl Lines {
    /// Adds a line, which is given without its end.
    ///
    /// # Errors
    ///
    /// When they are no longer read.
    pub fn add(&mut self, line: &[u8]) -> io::Result<()> {
        self.block.extend_from_slice(line);
        self.block.push(b'\n');
        match self.block.len() < BLOCK {
            true => Ok(()),
            false => self.hand_over(),
        }
    }

    fn hand_over(&mut self) -> io::Result<()> {
        let block = std::mem::replace(&mut self.block, Vec::with_capacity(BLOCK + BLOCK / 8));
        let gone = |_| io::ErrorKind::BrokenPipe.into();
        self.blocks.send(block).map_err(gone)
    }
}

/// The lines as bytes.
pub struct LineReader {
    blocks: Receiver<Vec<u8>>,
    /// None once it has ended.
    thread: Option<JoinHandle<io::Result<()>>>,
    block: Vec<u8>,
    given: usize,
}

impl LineReader {
    /// The lines that `make` makes.
    ///
    /// # Errors
    ///
    /// When there can be no thread.
    pub fn new(
        make: impl FnOnce(&mut Lines) -> io::Result<()> + Send + 'static,
    ) -> io::Result<Self> {
        let (sender, blocks) = sync_channel(WAITING);
        let thread = Builder::new().spawn(move || {
            let mut lines = Lines {
                block: Vec::new(),
                blocks: sender,
            };
            make(&mut lines)?;
            lines.hand_over()
        })?;
        Ok(Self {
            blocks,
            thread: Some(thread),
            block: Vec::new(),
            given: 0,
        })
    }
}

impl Read for LineReader {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        while self.given == self.block.len() {
            match self.blocks.recv() {
                Ok(block) => (self.block, self.given) = (block, 0),
                // All has been made, or it says why not.
                Err(_) => {
                    let ended = self.thread.take().map(|thread| done(thread.join()));
                    return ended.unwrap_or(Ok(())).map(|()| 0);
                }
            }
        }
        let part = &self.block[self.given..];
        let count = part.len().min(buffer.len());
        buffer[..count].copy_from_slice(&part[..count]);
        self.given += count;
        Ok(count)
    }
}
