//! Standard input as the sample of a draft: what has come of it so far.

use brisk_quill_files::read::kept_stdin::KeptStdin;
use std::fs::File;
use std::io::{self, Read};
use std::os::unix::fs::FileExt;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// Bytes read at a time.
const PIECE: usize = 64 << 10;
/// Bytes that are kept at most.
const MOST: u64 = 1 << 30;

/// Keeps standard input in a file without a name, while it comes.
#[derive(Clone, Debug)]
pub struct StdinSample {
    file: Arc<File>,
    bytes: Arc<AtomicU64>,
    is_over: Arc<AtomicBool>,
}

impl StdinSample {
    /// Begins to read standard input on a thread of its own.
    pub fn start() -> io::Result<Self> {
        let sample = Self {
            file: Arc::new(tempfile::tempfile()?),
            bytes: Arc::default(),
            is_over: Arc::default(),
        };
        let of_thread = sample.clone();
        std::thread::spawn(move || of_thread.read(io::stdin()));
        Ok(sample)
    }

    fn read(&self, mut input: impl Read) {
        let mut piece = vec![0; PIECE];
        loop {
            let at = self.bytes.load(Ordering::Relaxed);
            let read = match input.read(&mut piece) {
                Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
                Ok(read) if read > 0 && at < MOST => read,
                Ok(_) | Err(_) => break,
            };
            if self.file.write_all_at(&piece[..read], at).is_err() {
                break;
            }
            self.bytes.store(at + read as u64, Ordering::Release);
        }
        self.is_over.store(true, Ordering::Release);
    }

    /// The bytes that have come so far.
    pub fn kept(&self) -> KeptStdin {
        KeptStdin::new(Arc::clone(&self.file), self.bytes())
    }

    /// Bytes that have come so far.
    pub fn bytes(&self) -> u64 {
        self.bytes.load(Ordering::Acquire)
    }

    /// True if no more comes, or no more is taken.
    pub fn is_over(&self) -> bool {
        self.is_over.load(Ordering::Acquire)
    }
}
