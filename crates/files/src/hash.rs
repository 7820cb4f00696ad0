//! Hashes of files.

use std::io::{self, Read};

/// The hash of all that is read, in hexadecimal.
pub(crate) fn hash_of(from: impl Read) -> io::Result<String> {
    let mut hasher = blake3::Hasher::new();
    hasher.update_reader(from)?;
    Ok(hasher.finalize().to_hex().to_string())
}
