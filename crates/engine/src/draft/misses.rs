//! Units without a match, the near misses first.

use crate::collector::{Collector, Events, SearchedUnit};
use crate::draft::request::{Draft, Wanted};
use crate::draft::row::{Row, RowKind};
use crate::request::Work;
use crate::session::Session;
use crate::summary::Ended;
use crate::why::{Explainer, Reason, UNITS_MOST};
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::unit_view::Unmatched;
use brisk_quill_core::query::{Pick, Query};
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::span::Span;
use brisk_quill_files::error::FileError;
use std::ops::ControlFlow;
use std::sync::atomic::{AtomicU64, Ordering};

/// Units without a match.
pub struct MissList {
    /// The first misses, as many as are wanted.
    pub rows: Vec<Row>,
    /// The number of units that were looked at, where there are more.
    pub looked_at: Option<u64>,
}

/// The units in scope without a match; `None` where it was stopped.
pub fn misses(
    draft: &Draft<'_>,
    wanted: Wanted,
    session: &mut Session,
) -> Result<Option<MissList>, FileError> {
    let query = Query {
        pick: Pick::default(),
        limit: None,
        ..draft.step.query().clone()
    };
    let explainer = Explainer::new(&query.pattern);
    let work = Work {
        rewrite: &Rewrite::showing(query),
        options: RunOptions {
            missing: Unmatched::Shown,
            ..RunOptions::default()
        },
    };
    let all = &draft.sources.listing.sources;
    let met = AtomicU64::new(0);
    let mut rows = Vec::new();
    let mut units = 0;
    let ended = session.run(
        &work,
        draft.sources,
        |source| MissCollector {
            file: all.binary_search(source).unwrap_or(0),
            explainer: explainer.as_deref(),
            met: &met,
            units: 0,
            rows: Vec::new(),
        },
        |taken| {
            units += taken.found.units;
            // There is room for 10,000.
            let room = (UNITS_MOST as usize).saturating_sub(rows.len());
            rows.extend(taken.found.rows.into_iter().take(room));
            met.store(rows.len() as u64, Ordering::Relaxed);
            match units > UNITS_MOST {
                true => ControlFlow::Break(()),
                false => ControlFlow::Continue(()),
            }
        },
    )?;
    if session.token().is_stopped() {
        return Ok(None);
    }
    let is_cut = !matches!(ended, Ended::Complete(_)) || units > UNITS_MOST;
    // Those of one rank stay in order.
    rows.sort_by_key(|row: &Row| rank(&row.kind));
    rows.truncate(wanted.rows);
    Ok(Some(MissList {
        rows,
        looked_at: is_cut.then_some(UNITS_MOST),
    }))
}

/// The more telling a reason is, the earlier it stands.
fn rank(kind: &RowKind) -> (u8, std::cmp::Reverse<usize>) {
    let (rank, reached) = match kind {
        RowKind::Miss(Reason::Part(..)) => (0, 0),
        RowKind::Miss(Reason::Stops(part)) => (1, *part),
        _ => (2, 0),
    };
    (rank, std::cmp::Reverse(reached))
}

struct MissCollector<'m> {
    file: usize,
    explainer: Option<&'m Explainer>,
    /// Units of the files before.
    met: &'m AtomicU64,
    units: u64,
    rows: Vec<Row>,
}

impl Events for MissCollector<'_> {
    fn unit(&mut self, unit: &SearchedUnit<'_>) {
        if !unit.found.is_empty() {
            return;
        }
        self.units += 1;
        if self.met.load(Ordering::Relaxed) + self.units > UNITS_MOST {
            return;
        }
        let mut row = Row::of_unit(self.file, unit);
        let bytes = unit.unit.bytes();
        let why = self.explainer.and_then(|all| all.explain(bytes, row.line));
        if let Some(why) = why {
            // What would match is marked.
            let place = memchr::memmem::find(&row.was.text, &why.text);
            if let (Some(at), true) = (place, why.reason != Reason::Nothing) {
                row.was.marks = vec![Span::new(at, at + why.text.len())];
            }
            row.kind = RowKind::Miss(why.reason);
        }
        self.rows.push(row);
    }

    fn problem(&mut self, _: Problem) {}
}

impl Collector for MissCollector<'_> {
    fn join(&mut self, part: Self) {
        self.units += part.units;
        self.rows.extend(part.rows);
    }
}
