//! Facts about a text that are found out while it is read.

use crate::store::store_of::StoreOf;
use memchr::{memchr, memchr_iter};
use std::path::PathBuf;

/// Of which texts facts are wanted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum FactsOf {
    /// Of none.
    #[default]
    None,
    /// Of those in which something was found.
    Found,
    /// Of all.
    All,
}

/// The line ends of a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Newline {
    /// There is none.
    None,
    /// All are `\n`.
    Lf,
    /// All are `\r\n`.
    CrLf,
    /// There are both.
    Mixed,
}

impl Newline {
    /// The name in records.
    pub fn name(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Lf => "lf",
            Self::CrLf => "crlf",
            Self::Mixed => "mixed",
        }
    }
}

/// Facts about a text once it has been read to its end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Facts {
    /// The length on disk.
    pub bytes: u64,
    /// The store: how its text lies in the file.
    pub store: StoreOf,
    /// The length of its text, before decoding; another one than on disk where it is packed.
    pub text_bytes: u64,
    /// The BLAKE3 hash of its bytes on disk, where facts were asked for.
    pub hash: Option<blake3::Hash>,
    /// The target of symbolic links on the way to it, absolute, where facts were asked for and there
    /// are some.
    pub real: Option<PathBuf>,
    /// The name of its encoding.
    pub encoding: &'static str,
    /// The line ends, where facts were asked for.
    pub newline: Newline,
}

impl Facts {
    /// The facts about a plain file of which only the bytes are known.
    pub fn of_bytes(hash: blake3::Hash, bytes: u64) -> Self {
        Self {
            bytes,
            text_bytes: bytes,
            hash: Some(hash),
            real: None,
            store: StoreOf::PLAIN,
            encoding: "UTF-8",
            newline: Newline::None,
        }
    }
}

#[derive(Debug, Default)]
pub(super) struct Newlines {
    lf: bool,
    crlf: bool,
    /// The piece before ended in `\r`.
    after_cr: bool,
}

impl Newlines {
    pub(super) fn count(&mut self, piece: &[u8]) {
        if memchr(b'\r', piece).is_none() {
            let (behind_cr, rest) = match piece {
                [b'\n', rest @ ..] if self.after_cr => (true, rest),
                all => (false, all),
            };
            self.crlf |= behind_cr;
            self.lf |= memchr(b'\n', rest).is_some();
        } else if !(self.lf && self.crlf) {
            for at in memchr_iter(b'\n', piece) {
                let cr = match at.checked_sub(1) {
                    Some(before) => piece[before] == b'\r',
                    None => self.after_cr,
                };
                if cr {
                    self.crlf = true;
                } else {
                    self.lf = true;
                }
            }
        }
        self.after_cr = piece.last() == Some(&b'\r');
    }

    pub(super) fn kind(&self) -> Newline {
        match (self.lf, self.crlf) {
            (false, false) => Newline::None,
            (true, false) => Newline::Lf,
            (false, true) => Newline::CrLf,
            (true, true) => Newline::Mixed,
        }
    }
}
