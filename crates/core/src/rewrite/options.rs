//! Options of evaluations.

use crate::pattern::probe::Probe;
use crate::query::prefilter::PrefilterUse;
use crate::query::unit_view::Unmatched;

/// The matches in scope of each step in a run, as far as they have been counted.
///
/// ```
/// use brisk_quill_core::rewrite::Rewrite;
/// use brisk_quill_core::rewrite::options::RunTotals;
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_core::template::tables::NoTables;
/// let spec = StepSpec {
///     pattern: Some("quay".into()),
///     with: Some("pier".into()),
///     pick: Some("last".into()),
///     per: Some("run".into()),
///     ..StepSpec::default()
/// };
/// let rewrite = Rewrite::new(vec![spec.build(&mut NoTables).expect("a step")]);
/// let mut totals = RunTotals::default();
/// assert_eq!(rewrite.step_to_count(&totals), Some(0));
/// totals.set(0, 12);
/// assert_eq!(rewrite.step_to_count(&totals), None);
/// ```
#[derive(Clone, Debug, Default)]
pub struct RunTotals(pub(crate) Vec<Option<u64>>);

impl RunTotals {
    /// Takes note of what a counting run found for `step`.
    pub fn set(&mut self, step: usize, total: u64) {
        self.0.resize(self.0.len().max(step + 1), None);
        self.0[step] = Some(total);
    }
}

/// A run whose units are shown one by one to [`Sink::seen`](crate::rewrite::sink::Sink::seen).
#[derive(Clone, Debug, Default)]
pub struct Watch {
    /// For each step, the units to be shown beside those with a match; steps without one may be
    /// left out at the end.
    pub probes: Vec<Option<Probe>>,
}

/// With this many changes in it, a line is better [split](RunOptions::split_from).
pub const SPLIT_FROM: usize = 1 << 16;

/// Options of a run.
///
/// ```
/// use brisk_quill_core::rewrite::options::{RunOptions, SPLIT_FROM};
/// let options = RunOptions { split_from: Some(SPLIT_FROM), ..RunOptions::default() };
/// assert!(!options.groups);
/// ```
#[derive(Clone, Debug, Default)]
pub struct RunOptions {
    /// Each change carries the groups of its match, where its pattern has any; each match that is shown, too.
    pub groups: bool,
    /// The way in which units in scope without a match are reported, where a step only
    /// [shows](crate::step::actions::Action::Show) what it finds.
    pub missing: Unmatched,
    /// Each change of a cell carries what happens to its value.
    pub cells: bool,
    /// Each change in a table carries the whole row that it is about.
    pub rows: bool,
    /// Texts are evaluated only as a whole, so that a hunk shows all that surrounds it.
    pub one_piece: bool,
    /// Only this many steps, from the first.
    pub through: Option<usize>,
    /// Each hunk carries its text after every step.
    pub stages: bool,
    /// A line with more changes than this comes as several hunks, see [`Extent`](crate::rewrite::hunk::Extent), so that it
    /// takes little memory; only where there is one step. See [`SPLIT_FROM`].
    pub split_from: Option<usize>,
    /// The totals counted before: see [`Rewrite::step_to_count`](crate::rewrite::Rewrite::step_to_count).
    pub totals: RunTotals,
    /// The way lines without a match are passed over; what is found does not depend on it.
    pub prefilter: PrefilterUse,
    /// Each unit that a step looks at is shown.
    pub watch: Option<Watch>,
}
