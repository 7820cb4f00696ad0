//! The changes that make a file hold other bytes, block by block.

use crate::change::Change;
use crate::changes::{ChangeList, Spooler};
use crate::hash::Hashing;
use brisk_quill_core::unit::line_ends;
use std::io::{self, Read};

/// Bytes of one change at most.
const BLOCK: u64 = 1 << 20;

/// Why two files cannot be compared.
pub(crate) enum BlockError {
    /// One cannot be read.
    Read(io::Error),
    /// The changes cannot be kept.
    Keep(io::Error),
}

/// The changes that lead from what `old` holds to what `new` does, and the hash and the length of `old`.
pub(crate) fn changes_between(
    old: impl Read,
    mut new: impl Read,
    spooler: &mut Spooler,
) -> Result<(ChangeList, blake3::Hash, u64), BlockError> {
    let mut old = Hashing::new(old);
    let (mut from, mut line) = (0, 1);
    loop {
        let (before, after) = (next_block(&mut old)?, next_block(&mut new)?);
        if before.is_empty() && after.is_empty() {
            break;
        }
        let to = from + before.len() as u64;
        let lines = line_ends(&before);
        if before != after {
            let change = Change {
                line,
                from,
                to,
                before,
                after,
            };
            spooler.push(&change).map_err(BlockError::Keep)?;
        }
        (from, line) = (to, line + lines);
    }
    let (hash, bytes) = old.hash();
    let changes = spooler.end_file().map_err(BlockError::Keep)?;
    Ok((changes, hash, bytes))
}

fn next_block(from: &mut impl Read) -> Result<Vec<u8>, BlockError> {
    let mut block = Vec::new();
    let read = from.take(BLOCK).read_to_end(&mut block);
    read.map_err(BlockError::Read)?;
    Ok(block)
}
