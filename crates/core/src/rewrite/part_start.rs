//! Parts of a text that are evaluated apart: where it may be cut, and what each must know.

use crate::chunker::Cut;
use crate::query::table_end::{TableEnd, TableHead};
use crate::unit::{ending_before, line_ends};

/// The start of a part of a text: a line.
///
/// ```
/// use brisk_quill_core::rewrite::part_start::PartStart;
/// let second = PartStart::of_text(0).behind(b"quay 1\nquay 2\n");
/// assert_eq!((second.offset, second.line), (14, 3));
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PartStart {
    /// The offset in the file, in bytes from 0.
    pub offset: u64,
    /// The number of its first line, from 1.
    pub line: u64,
    /// The line end before it; `\n` at the start of the text.
    pub(crate) ending: &'static [u8],
    /// For each step that looks at cells, the columns as the first rows of the text have named them.
    pub(crate) heads: Vec<TableHead>,
}

impl PartStart {
    /// The start of a text that lies `offset` bytes into its file.
    pub fn of_text(offset: u64) -> Self {
        Self {
            offset,
            line: 1,
            ending: b"\n",
            heads: Vec::new(),
        }
    }

    /// Behind a part of whole lines that begins here.
    #[must_use]
    pub fn behind(self, lines: &[u8]) -> Self {
        Self {
            offset: self.offset + lines.len() as u64,
            line: self.line + line_ends(lines),
            ending: ending_before(lines, self.ending),
            heads: self.heads,
        }
    }

    /// Goes by the columns of the part before it, of which these are the [ends](crate::rewrite::sink::Sink::part_end),
    /// one for each step that looks at cells. False where that part has not come to a row that names them: the
    /// next part must wait for this one, too.
    pub fn go_by(&mut self, ends: &[TableEnd]) -> bool {
        self.heads = ends.iter().map(|end| end.head.clone()).collect();
        self.heads.iter().all(TableHead::is_known)
    }
}

/// The places where a text may be cut into [parts](crate::rewrite::Run::part).
///
/// ```
/// use brisk_quill_core::rewrite::options::RunOptions;
/// use brisk_quill_core::rewrite::{Rewrite, Run};
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_core::template::tables::NoTables;
/// let spec = StepSpec { pattern: Some("closed".into()), columns: Some("note".into()), ..StepSpec::default() };
/// let rewrite = Rewrite::showing(spec.query().expect("a query"));
/// let mut run = Run::new(&rewrite, &RunOptions::default());
/// let mut cut = run.part_cut("berths.csv").expect("rows are apart");
/// assert_eq!(cut.ends(b"id,note\n1,\"closed\nuntil May\"\n2,"), Some((8, 29)));
/// assert!(cut.names_columns());
/// ```
#[derive(Clone, Copy, Debug)]
pub struct PartCut {
    pub(super) cut: Cut,
    pub(super) names_columns: bool,
}

impl PartCut {
    /// One past the first place in `bytes`, and one past the last; `None` where there is none. They follow on those that were
    /// shown before.
    pub fn ends(&mut self, bytes: &[u8]) -> Option<(usize, usize)> {
        self.cut.ends(bytes)
    }

    /// True if the first rows name the columns, so that the parts that follow must [go by](PartStart::go_by) them.
    pub fn names_columns(&self) -> bool {
        self.names_columns
    }
}
