//! Two tries beside each other.

use crate::render::grid::{Align, Grid};
use crate::render::highlight::one_line_of;
use crate::render::labelled::Labelled;
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_engine::compare::{Compared, ComparedChange, Difference};

/// Columns of the screen that a text may take.
const TEXT_MOST: usize = 60;

/// The differences, and the counts.
pub fn text(found: &Compared, width: usize) -> Labelled {
    let mut out = Labelled::from("\n");
    if found.total() > 0 {
        let heads = ["", "where", "was", "last time", "this time"];
        let mut grid = Grid::new(heads.map(|head| (head, Align::Left)));
        for difference in &found.differences {
            grid.add(row(difference));
        }
        out.append(&grid.text(width));
        let hidden = found.total() - found.differences.len() as u64;
        if hidden > 0 {
            let more = counted(hidden, "more difference");
            out.push_str(&format!("\n{more} not shown; add `--show all`.\n"));
        }
        out.push('\n');
    }
    for (name, count) in [
        ("the same", found.same),
        ("only last time", found.only_last),
        ("only this time", found.only_this),
        ("different", found.different),
    ] {
        out.push_str(&format!("  {name:<14} {:>8}\n", number(count)));
    }
    for path in &found.other_files {
        let path = visible_path(path);
        out.push_str(&format!(
            "\nnote: {path} has changed since, and is not compared\n"
        ));
    }
    out
}

fn row(difference: &Difference) -> Vec<String> {
    let Difference { path, last, this } = difference;
    let (how, at) = match (last, this) {
        (Some(last), Some(_)) => ("different", Some(last)),
        (Some(last), None) => ("only last time", Some(last)),
        (None, this) => ("only this time", this.as_ref()),
    };
    let new_text = |change: &Option<ComparedChange>| match change {
        None => "–".to_owned(),
        Some(change) if change.after.is_empty() => "(nothing)".to_owned(),
        Some(change) => one_line_of(&change.after, TEXT_MOST),
    };
    let line = at.map_or(0, |change| change.line);
    let before = at.map(|change| one_line_of(&change.before, TEXT_MOST));
    vec![
        how.to_owned(),
        format!("{}, line {line}", visible(path)),
        before.unwrap_or_default(),
        new_text(last),
        new_text(this),
    ]
}
