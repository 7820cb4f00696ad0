//! Composition: the edits of one step on the text that earlier edits left, as edits of the
//! original text.
//!
//! Note to the maintainer. Both lists are looked at in *current* coordinates, those of the text
//! between the two: an earlier edit stands where its new text lies, a later one where its match
//! lies. They are merged in order of start. Each item opens a cluster, or joins the last one
//! when it touches (ends included) a member *from the other list*: edits of one list never merge
//! with each other for being neighbours. Nor does an edit that takes the end of its line merge
//! with what merely touches it on the next line: else the outcome would depend on where a text
//! was cut into pieces. Joining can make the cluster touch the one before it,
//! so joining repeats. A cluster then becomes one edit: its range goes back to original
//! coordinates by taking away what the earlier edits before it, and within it, have added; its
//! text is the current text of its range with the later edits in it made.
//!
//! The oracle is applying one list after the other: `splice(splice(t, a), b)` equals
//! `splice(t, compose(t, a, b))`; the tests hold the two together.

use crate::edits::{CellEdit, Edit, edit_bytes};
use crate::span::Span;

/// Earlier edits of `original` and later edits of `current` (the text they left), as one list of
/// edits of `original`.
///
/// An edit that only one list has stays as it is; edits of both lists that touch or overlap
/// become one that names the steps of all. An edit whose text equals what it replaces is dropped.
/// Time is linear in the number of edits and of changed bytes.
pub fn compose(original: &[u8], earlier: Vec<Edit>, current: &[u8], later: Vec<Edit>) -> Vec<Edit> {
    if later.is_empty() {
        return earlier;
    }
    if earlier.is_empty() {
        let mut later = later;
        later.retain(|edit| current[edit.span.range()] != edit.text[..]);
        return later;
    }
    let mut clusters: Vec<Cluster> = Vec::new();
    for (index, member) in members(original, &earlier, current, &later)
        .into_iter()
        .enumerate()
    {
        let mut cluster = Cluster::of(index, member);
        while clusters.last().is_some_and(|last| last.touches(cluster)) {
            if let Some(last) = clusters.pop() {
                cluster = last.joined(cluster);
            }
        }
        clusters.push(cluster);
    }
    assemble(original, earlier, current, later, &clusters)
}

/// One edit in current coordinates.
#[derive(Clone, Copy)]
struct Member {
    span: Span,
    from_earlier: bool,
    /// True if it takes the end of its last line, and a line begins behind it.
    ends_line: bool,
}

/// A run of members: those with index `first..=last` in the merged order.
#[derive(Clone, Copy)]
struct Cluster {
    first: usize,
    last: usize,
    span: Span,
    /// Smallest start and greatest end among the members of each list.
    earlier: Option<Span>,
    later: Option<Span>,
    /// A member that reaches its end takes the end of its line.
    ends_line: bool,
}

impl Cluster {
    fn of(index: usize, member: Member) -> Self {
        let (earlier, later) = if member.from_earlier {
            (Some(member.span), None)
        } else {
            (None, Some(member.span))
        };
        Self {
            first: index,
            last: index,
            span: member.span,
            earlier,
            later,
            ends_line: member.ends_line,
        }
    }

    /// True if a member of `self` touches a member from the other list in `next`, which lies
    /// behind it in the order.
    fn touches(self, next: Self) -> bool {
        if self.ends_line && next.span.from == self.span.to {
            return false;
        }
        let touch = |a: Option<Span>, b: Option<Span>| match (a, b) {
            (Some(a), Some(b)) => b.from <= a.to,
            _ => false,
        };
        touch(self.earlier, next.later) || touch(self.later, next.earlier)
    }

    fn joined(self, next: Self) -> Self {
        let join = |a: Option<Span>, b: Option<Span>| match (a, b) {
            (Some(a), Some(b)) => Some(hull(a, b)),
            (a, b) => a.or(b),
        };
        Self {
            first: self.first,
            last: next.last,
            span: hull(self.span, next.span),
            earlier: join(self.earlier, next.earlier),
            later: join(self.later, next.later),
            ends_line: (self.ends_line && self.span.to >= next.span.to)
                || (next.ends_line && next.span.to >= self.span.to),
        }
    }
}

fn hull(a: Span, b: Span) -> Span {
    Span::new(a.from.min(b.from), a.to.max(b.to))
}

/// Both lists in current coordinates, in order of start; where both start at one place, the
/// earlier edit stands first.
fn members(original: &[u8], earlier: &[Edit], current: &[u8], later: &[Edit]) -> Vec<Member> {
    let takes_line_end = |text: &[u8], span: Span| text[span.range()].ends_with(b"\n");
    let begins_line = |at: usize| at == 0 || current[at - 1] == b'\n';
    let of_later = |span: Span| Member {
        span,
        from_earlier: false,
        ends_line: takes_line_end(current, span),
    };
    let mut merged = Vec::with_capacity(earlier.len() + later.len());
    let mut later = later.iter().map(|edit| edit.span).peekable();
    let mut delta = 0;
    for edit in earlier {
        let from = edit.span.from.saturating_add_signed(delta);
        let to = from + edit.text.len();
        delta += edit.growth();
        while let Some(span) = later.next_if(|span| span.from < from) {
            merged.push(of_later(span));
        }
        merged.push(Member {
            span: Span::new(from, to),
            from_earlier: true,
            ends_line: takes_line_end(original, edit.span) && begins_line(to),
        });
    }
    merged.extend(later.map(of_later));
    merged
}

/// Two steps, one after the other, on one cell.
fn same_cell(
    earlier: Option<Box<CellEdit>>,
    later: Option<Box<CellEdit>>,
) -> Option<Box<CellEdit>> {
    let (earlier, later) = (earlier?, later?);
    (earlier.name == later.name).then(|| Box::new(compose_cells(*earlier, *later)))
}

/// Turns clusters into edits of the original text.
fn assemble(
    original: &[u8],
    earlier: Vec<Edit>,
    current: &[u8],
    later: Vec<Edit>,
    clusters: &[Cluster],
) -> Vec<Edit> {
    let mut edits = Vec::with_capacity(clusters.len());
    let mut order = members(original, &earlier, current, &later).into_iter();
    let (mut earlier, mut later) = (earlier.into_iter(), later.into_iter());
    // What the earlier edits before the current cluster have added.
    let mut delta = 0;
    for cluster in clusters {
        let mut text = Vec::new();
        let mut at = cluster.span.from;
        let mut growth = 0;
        let mut steps = super::StepSet::default();
        let mut groups = None;
        let mut cell = None;
        let mut row = None;
        let mut copied = None;
        let size = cluster.last - cluster.first + 1;
        for member in order.by_ref().take(size) {
            let next = if member.from_earlier {
                earlier.next()
            } else {
                later.next()
            };
            let Some(edit) = next else { break };
            steps = steps.union(edit.steps);
            if member.from_earlier {
                growth += edit.growth();
            } else {
                text.extend_from_slice(&current[at..edit.span.from]);
                text.extend_from_slice(&edit.text);
                at = edit.span.to;
            }
            row = row.or(edit.row);
            groups = if size == 1 { edit.groups } else { None };
            copied = if size == 1 { edit.copied } else { None };
            cell = match (size, member.from_earlier) {
                (1, _) | (2, true) => edit.cell,
                (2, false) if member.span == cluster.span => same_cell(cell, edit.cell),
                _ => None,
            };
        }
        text.extend_from_slice(&current[at..cluster.span.to]);
        let span = Span::new(
            cluster.span.from.saturating_add_signed(-delta),
            cluster.span.to.saturating_add_signed(-delta - growth),
        );
        delta += growth;
        if original[span.range()] != text[..] {
            edits.push(Edit {
                span,
                text: edit_bytes(text),
                steps,
                groups,
                cell,
                row,
                copied,
                line: None,
            });
        }
    }
    edits
}

/// Two edits within a cell, one after the other.
fn compose_cells(earlier: CellEdit, later: CellEdit) -> CellEdit {
    let now = earlier.now();
    let (first, then) = (earlier.edits.into_vec(), later.edits.into_vec());
    CellEdit {
        edits: compose(&earlier.value, first, &now, then).into(),
        name: earlier.name,
        value: earlier.value,
    }
}
