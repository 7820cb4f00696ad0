//! Files for Brisk Quill: which ones, what they hold, and how they are rewritten safely.
//!
//! * [`discover`] turns paths and globs into [`Source`]s in order of path.
//! * [`Reader`] hands a source's text on in pieces and tells its [`Facts`].
//! * [`in_order`] does the same work on many sources at a time, and tells of them in order;
//!   [`read_in_parts`] on the parts of a large one.
//! * [`evaluate`] runs a rewrite over a source, [`evaluate_in_parts`] over parts of it;
//!   [`Plan`] keeps what came out.
//! * [`PlanDoc`] is a plan in a file, with its decisions.
//! * [`make_run`] splices a plan into files, all or nothing, and tells the [`Journal`];
//!   [`recover`] finishes what was stopped, [`undo_plan`] leads back.
//! * [`stage_all`] copies the files of a plan for another place, and [`Copying`] those that are
//!   being evaluated; [`Staging`] puts them there.
#![warn(missing_docs)]

mod background_writer;
mod cancel;
mod changes;
mod coding;
mod discover;
mod early_sync;
mod error;
mod evaluate;
mod fs;
mod journal;
mod parallel;
mod parts;
mod plan;
mod plan_file;
mod read;
mod recover;
mod run;
mod splice;
mod splicer;
mod spool;
mod staging;
mod stoppable;
mod temporary;
mod undo;
mod waiting;

pub use cancel::CancelToken;
pub use changes::{ChangeList, Spooler};
pub use coding::{Coding, EncodingError, TextEncoding};
pub use discover::{
    FileUse, GlobError, Listing, PassedOver, Search, Source, discover, passed_over,
};
pub use error::{FileError, FileErrorKind};
pub use evaluate::{
    Evaluated, FileEdit, FileHunk, FileSink, NullCollector, PartSink, Sharing, evaluate,
    evaluate_in_parts,
};
pub use fs::{
    Confinement, FileId, Folder, Fs, LeadsElsewhere, NotRegular, Place, ReadFile, RealFs, Removal,
    Replacing, Stat, links_on_the_way, open_below, open_regular,
};
pub use journal::{
    ChangeRecord, Commit, Intent, Journal, Lock, PathText, Record, RunRecord, RunState, Target,
};
pub use parallel::in_order;
pub use parts::{Called, Helpers, Joiner, Part, read_in_parts};
pub use plan::{Change, Plan, PlannedFile};
pub use plan_file::{PlanDoc, PlanFileError, PlanKind, PlanKinds};
pub use read::{Facts, FactsOf, Newline, OpenText, Reader, Skipped, TextOptions};
pub use recover::{
    AbandonedFile, Direction, Holds, Open, Recovered, abandon, clean, open_ways, recover,
};
pub use run::{RunDone, RunNote, RunRequest, is_copy_name, make_run};
pub use splice::{SpliceError, splice_into};
pub use splicer::Splicer;
pub use spool::{Spool, SpoolReader, SpoolWriter, Spooled};
pub use staging::{Copying, Destination, Put, Staged, Staging, Written, stage_all};
pub use temporary::{Temporaries, Temporary};
pub use undo::undo_plan;
pub use waiting::{StreamOut, open_stream};
