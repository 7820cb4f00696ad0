//! Sending a large file to the disk while it is still being written, so that little is left to
//! wait for at its end.

use crate::parallel::done;
use std::fs::File;
use std::io::{self, Write};
use std::sync::mpsc::{SyncSender, TrySendError, sync_channel};
use std::thread::JoinHandle;

/// A sync is begun after this many bytes.
const EVERY: usize = 16 << 20;

/// A file that a thread of its own syncs now and then, once much has been written to it. It
/// spares no one the sync at the end.
///
/// Note to the maintainer: the system reports a failed sync only once. So what the thread is
/// reported must be passed on: by [`Write::flush`], which has to be called at the end.
#[derive(Debug)]
pub(crate) struct EarlySync {
    file: File,
    every: usize,
    /// Bytes written since a sync was begun.
    since: usize,
    syncing: Option<Syncing>,
}

#[derive(Debug)]
struct Syncing {
    ask: SyncSender<()>,
    thread: JoinHandle<io::Result<()>>,
}

impl EarlySync {
    pub fn new(file: File) -> Self {
        Self {
            file,
            every: EVERY,
            since: 0,
            syncing: None,
        }
    }

    /// Has what has been written synced, unless that is already waiting to be done.
    fn begin(&mut self) -> io::Result<()> {
        let syncing = match &self.syncing {
            Some(syncing) => syncing,
            None => self.syncing.insert(Syncing::start(self.file.try_clone()?)?),
        };
        match syncing.ask.try_send(()) {
            Ok(()) | Err(TrySendError::Full(())) => Ok(()),
            Err(TrySendError::Disconnected(())) => self.end(),
        }
    }

    /// Waits for the syncs that have been begun; how they went.
    fn end(&mut self) -> io::Result<()> {
        let Some(Syncing { ask, thread }) = self.syncing.take() else {
            return Ok(());
        };
        drop(ask);
        done(thread.join())
    }
}

impl Syncing {
    fn start(file: File) -> io::Result<Self> {
        let (ask, asked) = sync_channel(1);
        let sync = move || asked.iter().try_for_each(|()| file.sync_data());
        let thread = std::thread::Builder::new().spawn(sync)?;
        Ok(Self { ask, thread })
    }
}

impl Write for EarlySync {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.file.write(bytes)?;
        self.since += written;
        if self.since >= self.every {
            self.since = 0;
            self.begin()?;
        }
        Ok(written)
    }

    /// Waits for the syncs that have been begun.
    fn flush(&mut self) -> io::Result<()> {
        self.end()
    }
}

impl Drop for EarlySync {
    fn drop(&mut self) {
        // Whoever did not ask no longer wants to know.
        let _ = self.end();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_sync_says_is_told() {
        let disk = || tempfile::tempfile().unwrap();
        // What cannot be synced.
        let null = || File::options().write(true).open("/dev/null").unwrap();
        for (file, every, fails) in [
            (disk(), 7, false),
            (disk(), usize::MAX, false),
            (null(), 7, true),
            (null(), usize::MAX, false),
        ] {
            let mut out = EarlySync::new(file);
            out.every = every;
            let written = (0..100).try_for_each(|_| out.write_all(b"berth 7\n"));
            let flushed = written.and_then(|()| out.flush());
            assert_eq!(flushed.is_err(), fails, "{every}: {flushed:?}");
        }
    }
}
