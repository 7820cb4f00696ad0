//! Reading that a signal stops.

use crate::fs::ReadFile;
use std::io::{self, Read};
use std::sync::atomic::{AtomicBool, Ordering};

/// A reader that fails once a flag is set, so that a long copy does not outlast a signal.
pub(crate) struct Stoppable<'r, R: ?Sized> {
    pub inner: Box<R>,
    pub stopped: &'r AtomicBool,
}

/// True if to go on.
fn go_on(stopped: &AtomicBool) -> io::Result<()> {
    match stopped.load(Ordering::Relaxed) {
        true => Err(io::Error::other("stopped")),
        false => Ok(()),
    }
}

impl<R: ReadFile + ?Sized> Read for Stoppable<'_, R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        go_on(self.stopped)?;
        self.inner.read(buffer)
    }
}
