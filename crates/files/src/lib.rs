//! Files for Brisk Quill: which ones, what they hold, and how they are rewritten safely.
//!
//! * [`discover`] turns paths and globs into [`Source`]s in order of path.
//! * [`Reader`] hands a source's text on in pieces and tells its [`Facts`].
//! * [`evaluate`] runs a rewrite over a source; [`Plan`] keeps what came out.
//! * [`write_in_place`] and [`write_elsewhere`] splice a plan into files.
//!
//! The journal, undo and recovery will stand between the staging and the renaming in
//! `replace.rs`; nothing else needs to move for them.
#![warn(missing_docs)]

mod coding;
mod discover;
mod error;
mod evaluate;
mod plan;
mod read;
mod replace;
mod splice;

pub use coding::{Coding, EncodingError, TextEncoding};
pub use discover::{GlobError, Listing, Search, Source, discover};
pub use error::{FileError, Trouble};
pub use evaluate::{Evaluated, FileEdit, FilePassage, FileSink, Nobody, evaluate};
pub use plan::{Change, Plan, PlannedFile};
pub use read::{Facts, Newline, OpenText, Reader, Skipped, TextOptions};
pub use replace::{RunError, Written, write_elsewhere, write_in_place};
pub use splice::{SpliceError, splice_into};
