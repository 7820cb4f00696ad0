//! Distinguishing a write that was cut off from an edit by another program.

use std::io::{self, Read};

/// The unit in which a disk keeps what was written, in bytes.
const SECTOR: usize = 512;

/// True if overwriting `old` with `new` from its beginning, cut off at any moment, can have left
/// `found`: each sector holds its new bytes up to some place and its old ones from there, or
/// only zeros.
///
/// # Errors
///
/// When one of them cannot be read.
pub(super) fn can_be_cut_off(
    found: &mut dyn Read,
    old: &mut dyn Read,
    new: &mut dyn Read,
) -> io::Result<bool> {
    let (mut now, mut before, mut after) = (Vec::new(), Vec::new(), Vec::new());
    loop {
        next_sector(found, &mut now)?;
        next_sector(old, &mut before)?;
        next_sector(new, &mut after)?;
        if now.is_empty() {
            return Ok(true);
        }
        if !is_mixture(&now, &before, &after) {
            return Ok(false);
        }
    }
}

fn next_sector(from: &mut dyn Read, sector: &mut Vec<u8>) -> io::Result<()> {
    sector.clear();
    from.take(SECTOR as u64).read_to_end(sector).map(drop)
}

fn is_mixture(now: &[u8], before: &[u8], after: &[u8]) -> bool {
    let longest = before.len().max(after.len());
    let same = now.iter().zip(after).take_while(|(a, b)| a == b).count();
    let rest_is_old = || before.get(same..now.len()) == Some(&now[same..]);
    let is_zero = || now.iter().all(|byte| *byte == 0);
    now.len() <= longest && (same == now.len() || rest_is_old() || is_zero())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_cut_off_write_is_told_from_an_edit() {
        let old: Vec<u8> = (0..1500u32).map(|n| (n % 251) as u8).collect();
        let new: Vec<u8> = (0..1300u32).map(|n| (n % 241) as u8 ^ 0x55).collect();
        let is_torn = |found: &[u8]| can_be_cut_off(&mut &*found, &mut &*old, &mut &*new).unwrap();
        for written in 0..=new.len() {
            let mut found = old.clone();
            found[..written].copy_from_slice(&new[..written]);
            assert!(is_torn(&found), "{written}");
            // The sectors of a power cut come in any order.
            found[..512].copy_from_slice(&old[..512]);
            assert!(is_torn(&found), "{written}");
            let theirs = |byte: &u8| *byte != old[written] && new.get(written) != Some(byte);
            found[written] = (1..4).find(theirs).unwrap();
            assert!(!is_torn(&found), "edited at {written}");
        }
        assert!(is_torn(&new[..600]) && is_torn(b""));
        assert!(!is_torn(&[&old[..], b"more"].concat()));
        assert!(is_torn(&[&new[..512], &[0; 512]].concat()));
    }
}
