//! Sources of texts.

use std::path::{Path, PathBuf};

/// The source of a text. The order is that of the bytes of the path; standard input is first.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Source {
    /// Standard input.
    Stdin,
    /// A file, as it was named or as it was found below a folder that was named.
    File(PathBuf),
}

impl Source {
    /// The path, `-` for standard input.
    pub fn path(&self) -> &Path {
        match self {
            Self::Stdin => Path::new("-"),
            Self::File(path) => path,
        }
    }
}
