//! Worked examples: what a step, or a whole rewrite, makes of a text.

use crate::columns::layout::Format;
use crate::columns::list::Column;
use crate::example::Example;
use crate::problem::Problem;
use crate::rewrite::{Rewrite, rewrite_text};
use crate::rewrite_file::RewriteText;

/// The outcome of an example.
///
/// ```
/// use brisk_quill_core::rewrite_file::RewriteText;
/// use brisk_quill_core::template::tables::NoTables;
/// let file = "[[step]]\nmatch = 'quay'\nwith = 'pier'\n\
///             [[step.example]]\nbefore = 'old quay'\nafter = 'old pier'\n";
/// let text = RewriteText::parse(file).expect("a rewrite file");
/// let rewrite = text.build(&mut NoTables).expect("steps");
/// let outcomes = text.work_examples(&rewrite).expect("examples");
/// assert!(outcomes[0].holds());
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ExampleOutcome {
    /// The step it belongs to, from 1; `None` for the whole rewrite.
    pub step: Option<usize>,
    /// The number there, from 1.
    pub number: usize,
    /// The text to be rewritten.
    pub was: String,
    /// The text that must come of it.
    pub wanted: String,
    /// The text that came of it.
    pub got: Vec<u8>,
    /// The problems that came up.
    pub problems: Vec<Problem>,
}

impl ExampleOutcome {
    /// True if it came out as it must.
    pub fn holds(&self) -> bool {
        self.got == self.wanted.as_bytes() && self.problems.is_empty()
    }
}

/// Examples that are none: step (from 1; `None` for the whole) and number (from 1) of each.
pub type ExampleTroubles = Vec<(Option<usize>, usize)>;

impl Rewrite {
    /// The same for texts that come from no file: where a step names no format, its columns are
    /// those of `format`; without one those of CSV, or of JSON Lines where it names pointers.
    #[must_use]
    pub fn for_examples(&self, format: Option<Format>) -> Self {
        let mut steps = self.steps().to_vec();
        for columns in steps
            .iter_mut()
            .filter_map(|step| step.query.columns.as_mut())
        {
            let named = columns
                .list
                .named()
                .chain(&columns.also)
                .chain(&columns.set);
            let pointers = named.into_iter().any(|c| matches!(c, Column::Pointer(_)));
            let usual = match pointers {
                true => Format::JsonLines,
                false => Format::Csv,
            };
            if columns.options.layout("-".as_ref()).is_none() {
                columns.options.format = Some(format.unwrap_or(usual));
            }
        }
        Self::new(steps)
    }
}

impl RewriteText {
    /// Works all examples, those of the steps first.
    ///
    /// # Errors
    ///
    /// Examples with neither `before` and `after` nor `untouched`.
    pub fn work_examples(&self, rewrite: &Rewrite) -> Result<Vec<ExampleOutcome>, ExampleTroubles> {
        let mut all = Vec::new();
        for (number, (text, step)) in (1..).zip(self.step.iter().zip(rewrite.steps())) {
            let alone = Rewrite::new(vec![step.clone()]);
            let each = (1..).zip(&text.example);
            all.extend(each.map(|(n, e)| (Some(number), n, e, alone.clone())));
        }
        let each = (1..).zip(&self.example);
        all.extend(each.map(|(n, e)| (None, n, e, rewrite.clone())));
        let is_none = |(_, _, example, _): &&(_, _, &Example, _)| example.pair().is_none();
        let troubles: ExampleTroubles = all.iter().filter(is_none).map(|t| (t.0, t.1)).collect();
        if !troubles.is_empty() {
            return Err(troubles);
        }
        let work = |(step, number, example, rewrite): (_, _, &Example, Rewrite)| {
            let (was, wanted) = example.pair()?;
            let rewrite = rewrite.for_examples(example.known_format());
            let outcome = rewrite_text(&rewrite, was.as_bytes());
            Some(ExampleOutcome {
                step,
                number,
                was: was.to_owned(),
                wanted: wanted.to_owned(),
                got: outcome.text,
                problems: outcome.problems,
            })
        };
        Ok(all.into_iter().filter_map(work).collect())
    }
}
