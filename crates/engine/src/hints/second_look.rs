//! Searches made for hints once a request is done, each of little text.

use crate::collector::{Events, SearchedUnit};
use crate::file_run::run_in_turn;
use crate::hints::spot::Spot;
use crate::request::Work;
use crate::text_worker::TextWorker;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::{Pick, Query};
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::options::{RunOptions, RunTotals};
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::read::Reader;
use brisk_quill_files::source::Source;
use std::ops::ControlFlow;
use std::sync::Arc;

/// Bytes read at a time.
const PIECE: usize = 64 << 10;
/// Bytes read in all.
const BYTES_MOST: u64 = 1 << 20;

/// Searches some files once more, until it is enough.
pub struct SecondLook<'s> {
    /// Reads them.
    pub reader: Reader,
    /// The search, without its pick.
    search: Rewrite,
    sources: &'s [Source],
}

impl<'s> SecondLook<'s> {
    /// A search of `sources` for `query`.
    pub fn new(reader: &Reader, query: &Query, sources: &'s [Source]) -> Self {
        Self {
            reader: reader.another().in_pieces_of(PIECE).at_most(BYTES_MOST),
            search: Rewrite::showing(Query {
                pick: Pick::default(),
                limit: None,
                ..query.clone()
            }),
            sources,
        }
    }

    /// Shows `visit` each unit with a match, or, of those that are `missing`, each without one, until it
    /// breaks or 1 MiB have been read; gives true if all has been looked at. Files that cannot be read are passed
    /// over.
    pub fn run(
        self,
        options: RunOptions,
        visit: &mut dyn FnMut(&Source, &SearchedUnit<'_>) -> ControlFlow<()>,
    ) -> bool {
        let token = Arc::new(CancelToken::default());
        let mut reader = self.reader.watched(Arc::clone(&token));
        let work = Work {
            rewrite: &self.search,
            options,
        };
        let mut worker = TextWorker::new(&work, &RunTotals::default(), None);
        let mut looking = Looking {
            source: Source::STDIN,
            token,
            visit,
        };
        for source in self.sources {
            if source.is_stdin() {
                continue;
            }
            looking.source = source.clone();
            run_in_turn(&mut worker, &mut reader, source, &mut looking);
            if looking.token.is_stopped() || looking.token.bytes() >= BYTES_MOST {
                return false;
            }
        }
        true
    }
}

struct Looking<'v> {
    source: Source,
    token: Arc<CancelToken>,
    visit: &'v mut dyn FnMut(&Source, &SearchedUnit<'_>) -> ControlFlow<()>,
}

impl Events for Looking<'_> {
    fn unit(&mut self, unit: &SearchedUnit<'_>) {
        if self.token.is_stopped() {
            return;
        }
        // A line that was cut there is none.
        let is_cut = self.token.bytes() >= BYTES_MOST && unit.unit.ending.is_empty();
        if is_cut || (self.visit)(&self.source, unit).is_break() {
            self.token.stop();
        }
    }

    fn problem(&mut self, _: Problem) {}
}

/// The first place of a unit's first match, or of the unit.
pub fn spot_of(source: &Source, unit: &SearchedUnit<'_>) -> Spot {
    let first = unit.found.iter().next();
    Spot::new(
        &Arc::new(source.clone()),
        unit.unit,
        first.map(|finding| finding.span).unwrap_or_default(),
    )
}
