//! Reading what may keep one waiting, a pipe or a terminal, without missing a signal.

use crate::cancel::CancelToken;
use crate::fs::open::open_at_once as open;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::io::Errno;
use std::fs::File;
use std::io::{self, Read, Write};
use std::os::fd::{AsFd, OwnedFd};
use std::path::Path;
use std::sync::Arc;

/// The time between two checks whether reading is to stop: another thread may have got the signal.
const LOOK_EVERY: Timespec = Timespec {
    tv_sec: 0,
    tv_nsec: 100_000_000,
};

/// A reader that waits for bytes until reading is to stop.
pub(crate) struct Waiting {
    input: OwnedFd,
    watch: Arc<CancelToken>,
}

impl Waiting {
    /// Of standard input.
    pub fn stdin(watch: Arc<CancelToken>) -> io::Result<Self> {
        let input = io::stdin().as_fd().try_clone_to_owned()?;
        Ok(Self { input, watch })
    }
}

impl Read for Waiting {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        loop {
            if self.watch.is_stopped() {
                return Err(io::Error::other("stopped"));
            }
            let mut waiting = [PollFd::new(&self.input, PollFlags::IN)];
            match poll(&mut waiting, Some(&LOOK_EVERY)) {
                Ok(0) | Err(Errno::INTR) => continue,
                // What cannot be waited for can be read at once.
                Ok(_) | Err(Errno::PERM) => {}
                Err(error) => return Err(error.into()),
            }
            match rustix::io::read(&self.input, &mut *buffer) {
                Err(Errno::AGAIN | Errno::INTR) => {}
                read => return Ok(read?),
            }
        }
    }
}

/// A pipe or a device to be written to, until all is to stop.
pub struct StreamOut {
    output: OwnedFd,
    watch: Arc<CancelToken>,
}

/// Opens a pipe or a device to be written to, and waits until it is read.
///
/// # Errors
///
/// When it cannot be opened, or all is to stop.
pub fn open_stream(path: &Path, watch: &Arc<CancelToken>) -> io::Result<StreamOut> {
    use rustix::fs::{Mode, OFlags, open};
    let how = OFlags::WRONLY | OFlags::NONBLOCK | OFlags::CLOEXEC | OFlags::NOCTTY;
    loop {
        match open(path, how, Mode::empty()) {
            // A pipe that nobody reads yet.
            Err(Errno::NXIO) if !watch.is_stopped() => {
                std::thread::sleep(std::time::Duration::from_millis(20));
            }
            opened => {
                return Ok(StreamOut {
                    output: opened?,
                    watch: Arc::clone(watch),
                });
            }
        }
    }
}

impl Write for StreamOut {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        loop {
            if self.watch.is_stopped() {
                return Err(io::Error::other("stopped"));
            }
            match rustix::io::write(&self.output, bytes) {
                Err(Errno::AGAIN) => {
                    let mut waiting = [PollFd::new(&self.output, PollFlags::OUT)];
                    let _ = poll(&mut waiting, Some(&LOOK_EVERY));
                }
                Err(Errno::INTR) => {}
                written => return Ok(written?),
            }
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Opens a file to be read, whatever it is; what may keep one waiting is watched.
pub(crate) fn open_at_once(path: &Path, watch: &Arc<CancelToken>) -> io::Result<Box<dyn Read>> {
    let (file, length) = open(path)?;
    Ok(match length {
        // One without a length, such as those that the system makes as they are read, ends where a read gives nothing.
        Some(0) => Box::new(File::from(file)),
        // Any other ends where it did when it was opened: no call is needed to learn that.
        Some(length) => Box::new(File::from(file).take(length)),
        None => Box::new(Waiting {
            input: file,
            watch: Arc::clone(watch),
        }),
    })
}
