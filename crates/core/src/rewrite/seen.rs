//! Units that a search or a step has looked at, with what has become of their matches.

use crate::edits::Edit;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::span::Span;

/// A unit that has been looked at: one with matches, or one that holds what a
/// [`Probe`](crate::pattern::probe::Probe) asked for.
///
/// ```
/// use brisk_quill_core::problem::Problem;
/// use brisk_quill_core::rewrite::hunk::Hunk;
/// use brisk_quill_core::rewrite::options::{RunOptions, Watch};
/// use brisk_quill_core::rewrite::seen::SeenUnit;
/// use brisk_quill_core::rewrite::sink::Sink;
/// use brisk_quill_core::rewrite::{Rewrite, Run};
/// use brisk_quill_core::span::Span;
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_core::template::tables::NoTables;
///
/// #[derive(Default)]
/// struct Changes(Vec<(Span, Vec<u8>)>);
///
/// impl Sink for Changes {
///     fn hunk(&mut self, _: &Hunk<'_>) {}
///     fn problem(&mut self, problem: Problem) {
///         panic!("{problem:?}");
///     }
///     fn seen(&mut self, _: usize, seen: &SeenUnit<'_>) {
///         let changes = seen.changes().into_iter().flatten();
///         self.0.extend(changes.map(|(span, text)| (span, text.to_vec())));
///     }
/// }
///
/// let spec = StepSpec {
///     pattern: Some("quay".into()),
///     with: Some("pier".into()),
///     ..StepSpec::default()
/// };
/// let rewrite = Rewrite::new(vec![spec.build(&mut NoTables).expect("a step")]);
/// let options = RunOptions { watch: Some(Watch::default()), ..RunOptions::default() };
/// let mut run = Run::new(&rewrite, &options);
/// let mut changes = Changes::default();
/// let mut text = run.text("notice.txt", 0);
/// text.push(b"berth 1\nold quay\n", &mut changes);
/// text.finish(&mut changes);
/// assert_eq!(changes.0, [(Span::new(4, 8), b"pier".to_vec())]);
/// ```
#[derive(Clone, Copy, Debug)]
pub struct SeenUnit<'u> {
    /// The unit, in the text that the step sees.
    pub unit: &'u UnitView<'u>,
    /// The matches, those that were left out too.
    pub found: &'u Findings<'u>,
    /// The edits made of it; `None` where they are not known.
    edits: Option<&'u [Edit]>,
    /// The places in the text around the unit that earlier steps have written, in order.
    written: &'u [Span],
}

impl<'u> SeenUnit<'u> {
    /// A unit that was only searched.
    pub(crate) fn searched(unit: &'u UnitView<'u>, found: &'u Findings<'u>) -> Self {
        Self {
            unit,
            found,
            edits: None,
            written: &[],
        }
    }

    /// A unit that a step has worked on.
    pub(crate) fn rewritten(
        (unit, found): (&'u UnitView<'u>, &'u Findings<'u>),
        edits: Option<&'u [Edit]>,
        written: &'u [Span],
    ) -> Self {
        Self {
            unit,
            found,
            edits,
            written,
        }
    }

    /// The edits of what was searched, in order: the span in [`UnitView::bytes`], and its new text. `None`
    /// where they are not known. Lines that are dropped or inserted are not among them.
    pub fn changes(&self) -> Option<impl Iterator<Item = (Span, &'u [u8])> + use<'u>> {
        let edits = self.edits?;
        let (unit, in_cell) = (self.unit.span, self.unit.cell.is_some());
        let of_cell = edits.first().and_then(|edit| edit.cell.as_deref());
        let edits = match of_cell {
            Some(cell) => cell.edits.as_slice(),
            None if in_cell => &[],
            None => edits,
        };
        Some(edits.iter().filter_map(move |edit| {
            let span = match in_cell {
                true => edit.span,
                false => Span::new(
                    edit.span.from.checked_sub(unit.from)?,
                    edit.span.to.checked_sub(unit.from)?,
                ),
            };
            Some((span, edit.text.as_slice()))
        }))
    }

    /// True if an earlier step has written all of `span` of what was searched. Of a cell, it is not known.
    pub fn is_written(&self, span: Span) -> bool {
        if self.unit.cell.is_some() {
            return false;
        }
        let span = span.shifted(self.unit.span.from);
        let next = self.written.partition_point(|place| place.to < span.to);
        let next = self.written.get(next);
        !span.is_empty() && next.is_some_and(|place| place.from <= span.from)
    }
}
