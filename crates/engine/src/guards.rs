//! Conditions on the results of a rewrite, without which nothing is written.

use crate::summary::Summary;
use brisk_quill_core::address::Count;
use brisk_quill_core::rewrite::Rewrite;

/// Conditions on the results.
///
/// ```
/// use brisk_quill_core::rewrite::Rewrite;
/// use brisk_quill_engine::guards::Guards;
/// use brisk_quill_engine::summary::Summary;
///
/// let guards = Guards { expected: vec!["30..40".parse()?], ..Guards::default() };
/// let unexpected = guards.unexpected(&Rewrite::new(Vec::new()), &Summary::default());
/// assert_eq!(unexpected[0].found, 0);
/// # Ok::<(), brisk_quill_core::address::parse::SpecError>(())
/// ```
#[derive(Clone, Debug, Default)]
pub struct Guards {
    /// The numbers of changes that are expected; all must hold.
    pub expected: Vec<Count>,
    /// Units that could not be computed are left alone and do not matter.
    pub skip_problems: bool,
}

/// A number of changes that is not as expected.
///
/// ```
/// use brisk_quill_engine::guards::Unexpected;
/// let unexpected = Unexpected { step: None, expected: "1..".parse()?, found: 0 };
/// assert!(!unexpected.expected.holds(unexpected.found));
/// # Ok::<(), brisk_quill_core::address::parse::SpecError>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Unexpected {
    /// The step, from 1; `None` is the whole rewrite.
    pub step: Option<usize>,
    /// The number that was expected.
    pub expected: Count,
    /// The number there is.
    pub found: u64,
}

impl Guards {
    /// The numbers of changes that are not as expected: of the whole, then of each step.
    pub fn unexpected(&self, rewrite: &Rewrite, summary: &Summary) -> Vec<Unexpected> {
        let found = summary.counts.changes;
        let whole = self.expected.iter().map(|count| (None, *count, found));
        let steps = rewrite.steps().iter().zip(&summary.counts.steps);
        let steps = (1..).zip(steps).flat_map(|(number, (step, counts))| {
            let expected = step.expect.iter();
            expected.map(move |count| (Some(number), *count, counts.edits))
        });
        whole
            .chain(steps)
            .filter(|(_, expected, found)| !expected.holds(*found))
            .map(|(step, expected, found)| Unexpected {
                step,
                expected,
                found,
            })
            .collect()
    }
}
