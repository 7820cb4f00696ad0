//! Files as the steps before the current one leave them.

use crate::change_collector::ChangeCollector;
use crate::request::Work;
use crate::session::Session;
use crate::sources::Sources;
use crate::summary::{Ended, FileEnd};
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_files::changes::Spooler;
use brisk_quill_files::error::{FileError, FileErrorKind};
use brisk_quill_files::plan::{Plan, PlannedFile};
use brisk_quill_files::read::kept_stdin::KeptStdin;
use brisk_quill_files::read::planned::PlannedTexts;
use brisk_quill_files::source::Source;
use std::ops::ControlFlow;
use std::sync::Arc;

/// The texts that `steps` leave; `None` where it was stopped. The session must hash the files that
/// have changes.
///
/// # Errors
///
/// When a file has changed meanwhile, or there is no room for the texts.
pub fn texts_after(
    steps: &Rewrite,
    (session, stdin): (&mut Session, Option<&KeptStdin>),
    sources: &Sources,
) -> Result<Option<Arc<PlannedTexts>>, FileError> {
    let work = Work::new(steps);
    let spool = Spooler::spool();
    let mut plan = Plan::default();
    let mut failed = None;
    let make = |_: &Source| ChangeCollector::new(&spool);
    let ended = session.run(&work, sources, make, |taken| {
        let Some(FileEnd::Read(read)) = taken.end else {
            return ControlFlow::Continue(());
        };
        match taken.found.finish() {
            Ok(changes) => {
                let source = taken.source.clone();
                plan.files
                    .push(PlannedFile::evaluated(source, read.facts, changes));
                ControlFlow::Continue(())
            }
            Err(error) => {
                let path = taken.source.path();
                failed = Some(FileError::io(path, FileErrorKind::Write, error));
                ControlFlow::Break(())
            }
        }
    })?;
    match (ended, failed) {
        (_, Some(error)) => Err(error),
        (Ended::Stopped(..), None) => Ok(None),
        (Ended::Complete(_), None) => {
            PlannedTexts::new(&plan, stdin).map(|texts| Some(Arc::new(texts)))
        }
    }
}
