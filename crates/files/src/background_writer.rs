//! Writing a large file on a thread of its own, while its text is still being made.

use crate::parallel::done;
use std::io::{self, Write};
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::thread::JoinHandle;

/// Full buffers that may wait to be written.
const WAITING: usize = 4;

/// A buffered writer that writes its buffers behind, from the second on. What fits into one is
/// written in place.
///
/// Dropped before its end, it waits until nothing more is being written.
#[derive(Debug)]
pub(crate) struct BackgroundWriter<W: Write + Send + 'static> {
    buffer: Vec<u8>,
    size: usize,
    to: To<W>,
}

#[derive(Debug)]
enum To<W> {
    /// Nothing has been written.
    Here(W),
    Behind {
        full: SyncSender<Vec<u8>>,
        /// Buffers to be used again.
        spare: Receiver<Vec<u8>>,
        thread: JoinHandle<io::Result<W>>,
    },
    /// The writer has ended, or has failed.
    Nowhere,
}

impl<W: Write + Send + 'static> BackgroundWriter<W> {
    /// With buffers of `size` bytes.
    pub fn new(size: usize, out: W) -> Self {
        Self {
            buffer: Vec::with_capacity(size),
            size,
            to: To::Here(out),
        }
    }

    /// Hands the buffer on, which is full.
    fn turn(&mut self) -> io::Result<()> {
        self.to = match std::mem::replace(&mut self.to, To::Nowhere) {
            To::Here(out) => start(out)?,
            other => other,
        };
        let To::Behind { full, spare, .. } = &self.to else {
            return Err(gone());
        };
        let next = spare.try_recv();
        let next = next.unwrap_or_else(|_| Vec::with_capacity(self.size));
        let sent = full.send(std::mem::replace(&mut self.buffer, next));
        match sent {
            Ok(()) => Ok(()),
            // It has failed, and says why when it is asked.
            Err(_) => self.end_thread().and_then(|_| Err(gone())),
        }
    }

    /// Waits for the thread, where there is one.
    fn end_thread(&mut self) -> io::Result<Option<W>> {
        match std::mem::replace(&mut self.to, To::Nowhere) {
            To::Here(out) => Ok(Some(out)),
            To::Behind { full, thread, .. } => {
                drop(full);
                done(thread.join()).map(Some)
            }
            To::Nowhere => Ok(None),
        }
    }

    /// Writes what is left, and flushes it; gives back what was written to.
    ///
    /// # Errors
    ///
    /// When something could not be written.
    pub fn into_inner(mut self) -> io::Result<W> {
        let mut out = self.end_thread()?.ok_or_else(gone)?;
        out.write_all(&self.buffer)?;
        out.flush()?;
        Ok(out)
    }
}

fn gone() -> io::Error {
    io::Error::other("it could not be written before")
}

fn start<W: Write + Send + 'static>(mut out: W) -> io::Result<To<W>> {
    let (full, line) = sync_channel::<Vec<u8>>(WAITING);
    let (used, spare) = sync_channel(WAITING);
    let write = move || {
        for mut bytes in line {
            out.write_all(&bytes)?;
            bytes.clear();
            // One too many is given back to the system.
            let _ = used.try_send(bytes);
        }
        Ok(out)
    };
    let thread = std::thread::Builder::new().spawn(write)?;
    Ok(To::Behind {
        full,
        spare,
        thread,
    })
}

impl<W: Write + Send + 'static> Write for BackgroundWriter<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        if self.buffer.len() >= self.size {
            self.turn()?;
        }
        let fits = bytes.len().min(self.size - self.buffer.len());
        self.buffer.extend_from_slice(&bytes[..fits]);
        Ok(fits)
    }

    /// Bytes that have been handed on are written soon.
    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl<W: Write + Send + 'static> Drop for BackgroundWriter<W> {
    fn drop(&mut self) {
        if let To::Behind { full, thread, .. } = std::mem::replace(&mut self.to, To::Nowhere) {
            drop(full);
            // What it says no longer matters.
            let _ = thread.join();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::sync::Arc;
    use std::sync::atomic::{AtomicBool, Ordering};

    /// Takes this many bytes; says when it is dropped.
    struct Disk {
        room: usize,
        written: Vec<u8>,
        gone: Arc<AtomicBool>,
    }

    impl Write for Disk {
        fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
            let fits = bytes.len().min(self.room);
            if fits == 0 {
                return Err(io::ErrorKind::StorageFull.into());
            }
            self.room -= fits;
            self.written.extend_from_slice(&bytes[..fits]);
            Ok(fits)
        }
        fn flush(&mut self) -> io::Result<()> {
            Ok(())
        }
    }

    impl Drop for Disk {
        fn drop(&mut self) {
            self.gone.store(true, Ordering::SeqCst);
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

        /// All is written, in order, or the reason is reported; no one is left writing.
        #[test]
        fn what_is_written_behind_arrives(
            writes in prop::collection::vec(prop::collection::vec(any::<u8>(), 0..40), 0..30),
            size in 1..60usize, room in prop_oneof![Just(usize::MAX), 0..600usize],
            stop in any::<bool>(),
        ) {
            let gone = Arc::new(AtomicBool::new(false));
            let disk = Disk { room, written: Vec::new(), gone: Arc::clone(&gone) };
            let mut out = BackgroundWriter::new(size, disk);
            let wanted = writes.concat();
            let mut done = writes.iter().try_for_each(|bytes| out.write_all(bytes));
            if stop {
                drop(out);
            } else {
                let ended = done.and_then(|()| out.into_inner());
                if let Ok(disk) = &ended {
                    prop_assert_eq!(&disk.written, &wanted);
                }
                prop_assert_eq!(ended.is_ok(), wanted.len() <= room);
                done = ended.map(drop);
            }
            if let Err(error) = done {
                prop_assert_eq!(error.kind(), io::ErrorKind::StorageFull);
            }
            prop_assert!(gone.load(Ordering::SeqCst));
        }
    }
}
