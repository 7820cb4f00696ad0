//! Names of the copies that runs make beside files.

use crate::fs::Fs;
use std::ffi::{OsStr, OsString};
use std::io;

/// The start of the names of copies.
const PREFIX: &str = ".bquill-";

/// True if a file of this name is a copy that a run has made, of whatever journal.
pub fn is_copy_name(name: &OsStr) -> bool {
    let is_random = |rest: &[u8]| rest.len() == 32 && rest.iter().all(u8::is_ascii_hexdigit);
    let name = name.as_encoded_bytes();
    let Some(rest) = name.strip_prefix(PREFIX.as_bytes()) else {
        return false;
    };
    is_random(rest.strip_suffix(b"-kept").unwrap_or(rest))
}

/// A name for a new copy.
pub(crate) fn copy_name(fs: &dyn Fs) -> io::Result<OsString> {
    Ok(format!("{PREFIX}{:032x}", fs.random()?).into())
}
