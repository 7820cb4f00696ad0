//! The values of cells in a plan, and how their files write them.

use crate::tables::UnreadTables;
use brisk_quill_core::columns::layout::Layout;
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::records::plan::ChangeRecord;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

/// Reads and writes the values of cells.
pub struct CellValues {
    files: Vec<FileCells>,
}

/// The cells of one file.
struct FileCells {
    /// The layout, where it has columns.
    layout: Option<Layout>,
    /// The first row holds the names of its columns.
    has_header: bool,
    is_utf8: bool,
}

impl CellValues {
    /// The values of the files of a plan.
    pub fn of(plan: &PlanIndex) -> Self {
        let rewrite = plan.rewrite.build(&mut UnreadTables).ok();
        let layout = |path: &[u8]| {
            let path = Path::new(OsStr::from_bytes(path));
            let steps = rewrite.as_ref()?.steps().iter();
            let mut columns = steps.filter_map(|step| step.query.columns.as_ref());
            columns.find_map(|columns| {
                let layout = columns.options.layout(path)?;
                Some((layout, columns.options.header && !layout.has_pointers()))
            })
        };
        let files = plan.files.iter();
        let file = files.map(|file| {
            let found = layout(&file.path);
            FileCells {
                layout: found.map(|(layout, _)| layout),
                has_header: found.is_some_and(|(_, has_header)| has_header),
                is_utf8: file.encoding.starts_with("UTF-8"),
            }
        });
        Self {
            files: file.collect(),
        }
    }

    /// The layout of the cell that a change is; `None` where it is none.
    fn layout(&self, file: usize, change: &ChangeRecord<'_>) -> Option<Layout> {
        change.cell.as_ref()?;
        self.layout_of(file)
    }

    /// The layout of a file, where it has columns.
    pub(crate) fn layout_of(&self, file: usize) -> Option<Layout> {
        self.files.get(file)?.layout
    }

    /// True if the first row of a file holds the names of its columns.
    pub(crate) fn has_header(&self, file: usize) -> bool {
        self.files.get(file).is_some_and(|file| file.has_header)
    }

    /// `value` as the file at `file` writes it in the place of a change; `None` where it cannot hold
    /// it.
    pub fn written(&self, file: usize, change: &ChangeRecord<'_>, value: &str) -> Option<Vec<u8>> {
        if !self.files.get(file)?.is_utf8 {
            return None;
        }
        match self.layout(file, change) {
            Some(layout) => layout.write_value(&change.before_bytes()?, value.as_bytes()),
            None => Some(value.as_bytes().to_vec()),
        }
    }

    /// The value that `bytes` stand for in the place of a change.
    pub fn value(&self, file: usize, change: &ChangeRecord<'_>, bytes: &[u8]) -> String {
        let value = match self.layout(file, change) {
            Some(layout) => layout.read_value(bytes),
            None => bytes.to_vec(),
        };
        String::from_utf8_lossy(&value).into_owned()
    }
}
