//! The table of the kinds of changes.

use crate::render::grid::{Align, Grid};
use crate::render::highlight::one_line_of;
use crate::render::labelled::Labelled;
use crate::render::names::file_name;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_engine::kinds::Kinds;

/// Columns of the screen that a text may take.
const TEXT_MOST: usize = 60;

/// The kinds, the most frequent first; at most `show` of them.
pub fn table(found: &Kinds, show: usize, width: usize) -> Labelled {
    let cells = found.kinds.iter().any(|kind| kind.first.cell.is_some());
    let mut heads = vec![("kind", Align::Right), ("count", Align::Right)];
    if cells {
        heads.push(("column", Align::Left));
    }
    heads.extend([
        ("was", Align::Left),
        ("now", Align::Left),
        ("first", Align::Left),
    ]);
    heads.push(("look at", Align::Left));
    let mut grid = Grid::new(heads);
    for (index, kind) in found.kinds.iter().take(show).enumerate() {
        let first = &kind.first;
        let mut row = vec![(index + 1).to_string(), number(kind.count)];
        if cells {
            let cell = first.cell.as_deref().unwrap_or_default();
            row.push(visible(cell.as_bytes()));
        }
        row.extend([quoted(&kind.before), quoted(&kind.after)]);
        row.push(format!("{}, line {}", file_name(&first.source), first.line));
        row.push(match &first.odd {
            Some(odd) => {
                let touching = number(first.touching);
                format!("{touching} within a word: {}", visible(odd))
            }
            None => String::new(),
        });
        grid.add(row);
    }
    let mut out = Labelled::from("\n");
    out.append(&grid.text(width));
    if let Some(more) = found.kinds.len().checked_sub(show).filter(|more| *more > 0) {
        let more = counted(more as u64, "more kind");
        out.push_str(&format!("\n{more} not shown; add `--show all`.\n"));
    }
    let kinds = counted(found.kinds.len() as u64, "kind");
    let changes = counted(found.changes, "change");
    out.push_str(&format!("\n{kinds} in {changes}.\n"));
    if found.others > 0 {
        let others = number(found.others);
        out.push_str(&format!("{others} of further kinds are not told apart.\n"));
    }
    out
}

fn quoted(text: &[u8]) -> String {
    match text {
        b"" => "(nothing)".into(),
        text => one_line_of(text, TEXT_MOST),
    }
}
