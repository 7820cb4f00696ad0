//! Reading what may keep one waiting, a pipe or a terminal, without missing a signal.

use crate::Watch;
use crate::fs::open_at_once as open;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::io::Errno;
use std::fs::File;
use std::io::{self, Read};
use std::os::fd::{AsFd, OwnedFd};
use std::path::Path;
use std::sync::Arc;

/// How often it is looked whether reading is to stop: another thread may have got the signal.
const LOOK_EVERY: Timespec = Timespec {
    tv_sec: 0,
    tv_nsec: 100_000_000,
};

/// A reader that waits for bytes until reading is to stop.
pub(crate) struct Waiting {
    input: OwnedFd,
    watch: Arc<Watch>,
}

impl Waiting {
    /// Of standard input.
    pub fn stdin(watch: Arc<Watch>) -> io::Result<Self> {
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

/// Opens a file to be read, whatever it is; what may keep one waiting is watched.
pub(crate) fn open_at_once(path: &Path, watch: &Arc<Watch>) -> io::Result<Box<dyn Read>> {
    let (file, is_regular) = open(path)?;
    Ok(match is_regular {
        true => Box::new(File::from(file)),
        false => Box::new(Waiting {
            input: file,
            watch: Arc::clone(watch),
        }),
    })
}
