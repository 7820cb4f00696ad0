//! The table of the kinds of changes.

use crate::render::grid::{Align, Grid};
use crate::render::highlight::one_line_of;
use crate::render::labelled::Labelled;
use crate::render::names::file_name;
use brisk_quill_core::escape::visible;
use brisk_quill_core::kind_shapes::{ShapeGroup, by_shape, elided};
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::shapes::Shape;
use brisk_quill_engine::kinds::{Kind, Kinds};
use std::collections::HashMap;

/// Columns of the screen that a text may take.
const TEXT_MOST: usize = 60;
/// Columns of the screen that a shape may take.
const SHAPE_MOST: usize = 28;
/// The rarest groups, which are shown too where not all are.
const RARE: usize = 5;

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
    heads.push(("warning", Align::Left));
    let mut grid = Grid::new(heads);
    let shown = told_apart(&found.kinds[..show.min(found.kinds.len())]);
    for (index, (kind, (was, now))) in found.kinds.iter().zip(shown).enumerate() {
        let first = &kind.first;
        let mut row = vec![(index + 1).to_string(), number(kind.count)];
        if cells {
            let cell = first.cell.as_deref().unwrap_or_default();
            row.push(visible(cell.as_bytes()));
        }
        row.extend([was, now]);
        row.push(format!("{}, line {}", file_name(&first.source), first.line));
        row.push(match &first.odd {
            Some(odd) => {
                let within = number(first.within_words);
                format!("{within} within a word: {}", visible(odd))
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

/// The kinds grouped by the shapes of their texts: the most frequent groups, and the rarest, which are worth
/// a look.
pub fn table_by_shape(found: &Kinds, show: usize, width: usize) -> Labelled {
    let groups = groups(found);
    let mut out = Labelled::from("\n");
    out.append(&shapes(found, &groups, show, width));
    if let Some(more) = groups.len().checked_sub(show).filter(|more| *more > 0) {
        let more = counted(more as u64, "more pair");
        let rare = rare(show);
        out.push_str(&format!("\n{more} of shapes, between the frequent and the {rare} rarest, not shown; add `--show all`.\n"));
    }
    let (kinds, changes) = (
        number(found.kinds.len() as u64),
        counted(found.changes, "change"),
    );
    let pairs = counted(groups.len() as u64, "pair");
    out.push_str(&format!(
        "\n{pairs} of shapes, {kinds} kinds in {changes}; `--kinds text` lists the kinds.\n"
    ));
    if found.others > 0 {
        let others = number(found.others);
        out.push_str(&format!("{others} of further kinds are not told apart.\n"));
    }
    out
}

/// The same before a question: the groups alone.
pub fn shapes_at_a_glance(found: &Kinds, show: usize, width: usize) -> Labelled {
    let groups = groups(found);
    let mut out = shapes(found, &groups, show, width);
    if let Some(more) = groups.len().checked_sub(show).filter(|more| *more > 0) {
        let more = counted(more as u64, "more pair");
        out.push_str(&format!(
            "  {more} of shapes; `bquill preview --kinds` lists all\n"
        ));
    }
    out
}

fn groups(found: &Kinds) -> Vec<ShapeGroup> {
    let kinds = found.kinds.iter();
    by_shape(kinds.map(|kind| (&kind.before[..], &kind.after[..], kind.count)))
}

/// The number of the rarest groups shown where not all are.
fn rare(show: usize) -> usize {
    RARE.min(show / 2)
}

fn shapes(found: &Kinds, groups: &[ShapeGroup], show: usize, width: usize) -> Labelled {
    let rare = rare(show);
    let shown: Vec<&ShapeGroup> = match groups.len() > show {
        true => groups[..show - rare]
            .iter()
            .chain(&groups[groups.len() - rare..])
            .collect(),
        false => groups.iter().collect(),
    };
    let shape = |shape: &Shape| match shape.to_string() {
        empty if empty.is_empty() => "(nothing)".to_owned(),
        text => visible(text.as_bytes()),
    };
    let texts = |of: fn(&ShapeGroup) -> &Shape| {
        let all: Vec<String> = shown.iter().map(|group| shape(of(group))).collect();
        elided(&all, SHAPE_MOST)
    };
    let (was, now) = (texts(|group| &group.before), texts(|group| &group.after));
    let mut grid = Grid::new([
        ("count", Align::Right),
        ("kinds", Align::Right),
        ("was", Align::Left),
        ("now", Align::Left),
        ("example", Align::Left),
        ("first", Align::Left),
        ("warning", Align::Left),
    ]);
    for ((group, was), now) in shown.iter().zip(was).zip(now) {
        let kind = &found.kinds[group.kinds[0]];
        let first = &kind.first;
        let within = group.kinds.iter();
        let within: u64 = within
            .map(|kind| found.kinds[*kind].first.within_words)
            .sum();
        grid.add(vec![
            number(group.count),
            number(group.kinds.len() as u64),
            was,
            now,
            format!("{} → {}", quoted(&kind.before), quoted(&kind.after)),
            format!("{}, line {}", file_name(&first.source), first.line),
            match within {
                0 => String::new(),
                within => format!("{} within a word", number(within)),
            },
        ]);
    }
    grid.text(width)
}

/// The texts of kinds; those that would look alike are shown from just before they differ, with each sign
/// beyond ASCII by its number.
fn told_apart(kinds: &[Kind]) -> Vec<(String, String)> {
    let text = |kind: &Kind| (quoted(&kind.before), quoted(&kind.after));
    let mut alike: HashMap<(String, String), Vec<usize>> = HashMap::new();
    for (number, kind) in kinds.iter().enumerate() {
        alike.entry(text(kind)).or_default().push(number);
    }
    let mut shown: Vec<(String, String)> = kinds.iter().map(text).collect();
    for group in alike.into_values().filter(|group| group.len() > 1) {
        let before: Vec<&[u8]> = group.iter().map(|kind| &kinds[*kind].before[..]).collect();
        let after: Vec<&[u8]> = group.iter().map(|kind| &kinds[*kind].after[..]).collect();
        let (before_from, after_from) = (difference(&before), difference(&after));
        for (number, (before, after)) in group.iter().zip(before.iter().zip(&after)) {
            if let Some(from) = before_from {
                shown[*number].0 = exact_from(before, from);
            }
            if let Some(from) = after_from {
                shown[*number].1 = exact_from(after, from);
            }
        }
    }
    shown
}

/// The offset from which on some texts are not all the same; `None` where they are.
fn difference(texts: &[&[u8]]) -> Option<usize> {
    let first = texts[0];
    let same = |other: &&[u8]| first.iter().zip(*other).take_while(|(a, b)| a == b).count();
    let others = texts.iter().filter(|text| **text != first);
    others.map(same).min()
}

/// A text from some characters before an offset on, each sign beyond ASCII by its number.
fn exact_from(text: &[u8], differ: usize) -> String {
    let text_of = String::from_utf8_lossy(text);
    let before = String::from_utf8_lossy(&text[..differ.min(text.len())])
        .chars()
        .count();
    let skipped = before.saturating_sub(10);
    let mut out = String::from(if skipped > 0 { "…" } else { "" });
    for c in text_of.chars().skip(skipped).take(TEXT_MOST) {
        match c {
            ' '..='~' => out.push(c),
            c => out.push_str(&format!("‹U+{:04X}›", u32::from(c))),
        }
    }
    out
}

fn quoted(text: &[u8]) -> String {
    match text {
        b"" => "(nothing)".into(),
        text => one_line_of(text, TEXT_MOST),
    }
}
