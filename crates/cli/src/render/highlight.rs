//! Text with marked parts, made fit to be shown: visible, cut to a width, one line a line.

use crate::render::labelled::{Labelled, Role};
use brisk_quill_core::escape::{push_visible, visible, visible_blanks, visible_end};
use brisk_quill_core::span::Span;
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// Marked parts shown of one line; the rest is counted.
const MARKS_SHOWN: usize = 40;
/// Columns kept on either side of a marked part when a line is too long.
const KEPT: usize = 24;
/// The least that is kept; a line in which there is no room for that is shown whole.
const KEPT_LEAST: usize = 16;
/// Rows that a line takes at most where it is shown whole.
const ROWS_MOST: usize = 12;

/// The place on which text is drawn.
#[derive(Clone, Copy)]
pub struct Canvas {
    pub width: usize,
    /// A longer line goes on in the next row, as on a terminal.
    pub wraps: bool,
}

impl Canvas {
    /// The room of a line to the right of a gutter.
    pub fn beside(self, gutter: usize) -> LineRoom {
        LineRoom {
            width: self.width.saturating_sub(gutter).max(20),
            hang: self.wraps.then_some(gutter),
        }
    }
}

/// The columns that a line may take.
#[derive(Clone, Copy)]
pub struct LineRoom {
    width: usize,
    /// Blanks before each row but the first, where it may take several.
    hang: Option<usize>,
}

impl LineRoom {
    /// As many as it has.
    pub const ENDLESS: Self = Self {
        width: usize::MAX,
        hang: None,
    };
}

/// The way in which lines are made to fit.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Fit {
    /// Each on its own: a longer one is cut to one row, or takes several where little would be left of it.
    #[default]
    Own,
    /// A longer one takes several rows.
    Rows,
    /// Each is cut to this number of columns on either side of a marked part.
    Kept(usize),
}

/// The look of marked parts.
#[derive(Clone, Copy)]
pub struct Look {
    pub role: Role,
    pub room: LineRoom,
    pub fit: Fit,
    /// Blanks in marked parts, and at the end of lines, are drawn.
    pub blanks: bool,
}

/// A part of one line.
struct Segment {
    shown: String,
    marked: bool,
    /// The label of the sign that shows that the mark begins here.
    opens: Option<Role>,
    /// The same for its end.
    closes: Option<Role>,
}

/// `text` as lines fit to be shown, the parts in `marks` marked.
///
/// `marks` are sorted and disjoint. A line end is shown only where it is marked. Without colour
/// each mark stands between `‹` and `›`; with colour only where marks touch or are empty.
pub fn lines(text: &[u8], marks: &[Span], look: Look) -> Vec<Labelled> {
    let shown = segments_of(text, marks, look).map(|mut segments| {
        if let Some(kept) = kept(&segments, look) {
            let width = look.room.width;
            let marks_most = if columns(&segments) > width {
                width / 2
            } else {
                width
            };
            fit(&mut segments, (width, marks_most), kept);
        }
        let drawn = draw(&segments, look);
        match look.room.hang {
            Some(hang) => drawn.hanging(look.room.width, hang),
            None => drawn,
        }
    });
    let mut out: Vec<Labelled> = shown.collect();
    if out.is_empty() && !marks.is_empty() {
        out.push("‹›".into());
    }
    out
}

/// The way in which the lines of texts that are compared fit alike: where one takes several rows, all do; where one of two
/// single lines is cut, the other is, too.
pub fn common_fit(texts: [(&[u8], &[Span]); 2], look: Look) -> Fit {
    let lines: Vec<_> = texts
        .iter()
        .map(|(text, marks)| segments_of(text, marks, look).collect::<Vec<_>>())
        .collect();
    let all = lines.iter().flatten();
    let takes_rows =
        |line: &Vec<Segment>| columns(line) > look.room.width && kept(line, look).is_none();
    if all.clone().any(takes_rows) {
        return Fit::Rows;
    }
    let is_pair = lines.iter().all(|lines| lines.len() == 1);
    let least = all.filter_map(|line| kept(line, look)).min();
    least.filter(|_| is_pair).map_or(Fit::Own, Fit::Kept)
}

/// The segments of each line.
fn segments_of<'t>(
    text: &'t [u8],
    marks: &'t [Span],
    look: Look,
) -> impl Iterator<Item = Vec<Segment>> + 't {
    let mut first = 0;
    brisk_quill_core::unit::lines(text).map(move |line| {
        let last = line.next == text.len();
        // Marks and lines are both in order.
        while marks
            .get(first)
            .is_some_and(|mark| mark.to < line.content.from)
        {
            first += 1;
        }
        let inside: Vec<usize> = (first..marks.len())
            .take_while(|&i| marks[i].from <= line.next)
            .filter(|&i| {
                let mark = marks[i];
                // An empty mark behind a line end belongs to the line after it.
                mark.from < line.next && mark.to >= line.content.from
                    || mark.is_empty() && mark.from == line.next && last
            })
            .filter(|&i| marks[i].is_empty() || marks[i].to > line.content.from)
            .collect();
        of_line(text, line, marks, &inside, look)
    })
}

fn of_line(
    text: &[u8],
    line: brisk_quill_core::unit::Line,
    marks: &[Span],
    inside: &[usize],
    look: Look,
) -> Vec<Segment> {
    let mut segments = Vec::new();
    let mut at = line.content.from;
    for &index in inside.iter().take(MARKS_SHOWN) {
        let mark = marks[index];
        let from = mark.from.clamp(at, line.next);
        let to = mark.to.clamp(from, line.next);
        if from > at {
            segments.push(plain(&text[at..from.min(line.content.to).max(at)]));
        }
        let touches = |other: Option<&Span>, ours: usize, theirs: fn(&Span) -> usize| {
            other.is_some_and(|span| theirs(span) == ours)
        };
        let before = index.checked_sub(1).and_then(|i| marks.get(i));
        let crowded = mark.is_empty()
            || touches(before, mark.from, |s| s.to)
            || touches(marks.get(index + 1), mark.to, |s| s.from);
        let edge = match crowded {
            true => Role::Edge,
            false => Role::PlainEdge,
        };
        segments.push(Segment {
            shown: match look.blanks {
                true => visible_blanks(&text[from..to]),
                false => visible(&text[from..to]),
            },
            marked: true,
            opens: (mark.from >= line.content.from).then_some(edge),
            closes: (mark.to <= line.next).then_some(edge),
        });
        at = to;
    }
    if let Some(more) = inside.len().checked_sub(MARKS_SHOWN).filter(|n| *n > 0) {
        segments.push(plain(format!(" … and {more} more in this line").as_bytes()));
    } else if at < line.content.to {
        let mut last = plain(&text[at..line.content.to]);
        if look.blanks {
            last.shown = visible_end(&text[at..line.content.to]);
        }
        segments.push(last);
    }
    segments
}

fn plain(bytes: &[u8]) -> Segment {
    Segment {
        shown: visible(bytes),
        marked: false,
        opens: None,
        closes: None,
    }
}

/// The columns that a line takes as a whole, with the signs around marks.
fn columns(segments: &[Segment]) -> usize {
    let columns = |s: &Segment| s.shown.width() + if s.marked { 2 } else { 0 };
    segments.iter().map(columns).sum()
}

/// The columns that are kept around marks, so that a line fits in one row; `None` where all of it fits, or so little would be
/// left that it is shown whole, in several. A line that would take very many has both.
fn kept(segments: &[Segment], look: Look) -> Option<usize> {
    let width = look.room.width;
    let total = columns(segments);
    if let Fit::Kept(kept) = look.fit {
        return Some(kept);
    }
    if total <= width {
        return None;
    }
    let marks = segments.iter().filter(|segment| segment.marked);
    let gaps = segments.len() - marks.clone().count();
    // Each gap has a sign of what is left out.
    let of_marks: usize = marks.map(|s| s.shown.width().min(width / 2) + 2).sum();
    let left = width.saturating_sub(of_marks + 2 * gaps);
    let kept = left.checked_div(gaps).unwrap_or(left);
    match kept < KEPT_LEAST || look.fit == Fit::Rows {
        true if total <= ROWS_MOST * width => None,
        true => Some(KEPT),
        false => Some(kept.min(KEPT)),
    }
}

/// Shortens segments, the plain ones to what is kept of them.
fn fit(segments: &mut [Segment], (width, marks_most): (usize, usize), kept: usize) {
    let last = segments.len().saturating_sub(1);
    for (i, segment) in segments.iter_mut().enumerate() {
        let limit = if segment.marked { marks_most } else { kept };
        let (head, tail) = match (segment.marked, i) {
            (true, _) => (limit / 2, limit / 2),
            (false, 0) if last > 0 => (0, limit),
            (false, _) if i == last && last > 0 => (limit, 0),
            (false, _) if last == 0 => (width.saturating_sub(1), 0),
            (false, _) => (limit / 2, limit / 2),
        };
        segment.shown = shortened(&segment.shown, head, tail);
    }
}

/// The first `head` and the last `tail` columns of `text`, `…` between them.
pub fn shortened(text: &str, head: usize, tail: usize) -> String {
    if text.width() <= head + tail + 1 {
        return text.to_owned();
    }
    let cut = |graphemes: &mut dyn Iterator<Item = &str>, columns: usize| {
        let mut used = 0;
        graphemes
            .take_while(|g| {
                used += g.width();
                used <= columns
            })
            .map(str::len)
            .sum::<usize>()
    };
    let head = &text[..cut(&mut text.graphemes(true), head)];
    let tail = &text[text.len() - cut(&mut text.graphemes(true).rev(), tail)..];
    format!("{}…{}", up_to_word(head), from_word(tail))
}

/// `head` without the part of a word at its end, where that leaves more than half of it.
fn up_to_word(head: &str) -> &str {
    let blank = head.rfind(' ').map_or(0, |at| at + 1);
    if blank > head.len() / 2 {
        &head[..blank]
    } else {
        head
    }
}

/// `tail` without the part of a word at its start, where that leaves more than half of it.
fn from_word(tail: &str) -> &str {
    let blank = tail.find(' ').unwrap_or(0);
    if blank > 0 && blank < tail.len() / 2 {
        &tail[blank..]
    } else {
        tail
    }
}

fn draw(segments: &[Segment], look: Look) -> Labelled {
    let mut out = Labelled::default();
    for segment in segments {
        if let Some(edge) = segment.opens {
            out.put(edge, "‹");
        }
        match segment.marked {
            true => out.put(look.role, &segment.shown),
            false => out.push_str(&segment.shown),
        }
        if let Some(edge) = segment.closes {
            out.put(edge, "›");
        }
    }
    out
}

/// `text` on one line, cut to `width` columns.
pub fn one_line_of(bytes: &[u8], width: usize) -> String {
    let mut out = String::new();
    push_visible(&mut out, bytes);
    shortened(&out, width.saturating_sub(1), 0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::render::paint::Paint;
    use proptest::prelude::*;

    fn look(width: usize) -> Look {
        Look {
            role: Role::Match,
            room: Canvas {
                width,
                wraps: false,
            }
            .beside(0),
            fit: Fit::Own,
            blanks: false,
        }
    }

    fn plain_lines(text: &str, marks: &[Span]) -> Vec<String> {
        let lines = lines(text.as_bytes(), marks, look(80));
        let drawn = lines.iter().map(|line| Paint::new(None).draw(line));
        drawn.collect()
    }

    #[test]
    fn marks_are_seen() {
        type Case = (
            &'static str,
            &'static [(usize, usize)],
            &'static [&'static str],
        );
        let cases: &[Case] = &[
            ("berth 7", &[(0, 5)], &["‹berth› 7"]),
            ("77", &[(0, 1), (1, 2)], &["‹7›‹7›"]),
            ("ab", &[(0, 0), (1, 1), (2, 2)], &["‹›a‹›b‹›"]),
            ("a\nb\n", &[(0, 2)], &["‹a↵›", "b"]),
            ("a\r\nb", &[(0, 4)], &["‹a‹CR›↵", "b›"]),
            ("a\nb", &[(2, 2)], &["a", "‹›b"]),
            ("", &[(0, 0)], &["‹›"]),
            ("x\t\u{1b}", &[(1, 3)], &["x‹→‹ESC››"]),
        ];
        for (text, marks, shown) in cases {
            let marks: Vec<Span> = marks.iter().map(|&(a, b)| Span::new(a, b)).collect();
            assert_eq!(plain_lines(text, &marks), *shown, "{text:?}");
        }
    }

    proptest! {
        /// A line is cut to one row, or shown whole in several, never both; what is not shown of the marks is counted.
        #[test]
        fn lines_are_cut_or_wrapped(
            words in prop::collection::vec(("[a-z]{1,12}", prop::bool::weighted(0.2)), 1..200), width in 40usize..130, gutter in 0..12usize, whole in any::<bool>(),
        ) {
            let (mut text, mut marks) = (String::new(), Vec::new());
            for (word, marked) in &words {
                text.push_str(if text.is_empty() { "" } else { " " });
                let from = text.len();
                text.push_str(word);
                marks.extend(marked.then_some(Span::new(from, text.len())));
            }
            let canvas = Canvas { width: width + gutter, wraps: true };
            let look = Look { role: Role::Match, room: canvas.beside(gutter), fit: if whole { Fit::Rows } else { Fit::Own }, blanks: false };
            let drawn = lines(text.as_bytes(), &marks, look);
            let shown = Paint::new(None).draw(&drawn[0]);
            let rows: Vec<&str> = shown.split('\n').collect();
            let is_cut = shown.contains('…');
            let is_huge = text.len() + 2 * marks.len() > ROWS_MOST * width || marks.len() > MARKS_SHOWN;
            prop_assert!(rows.len() == 1 || !is_cut || is_huge, "{shown}");
            for (number, row) in rows.iter().enumerate() {
                let text = if number == 0 { Some(*row) } else { row.strip_prefix(&*" ".repeat(gutter)) };
                prop_assert!(text.is_some_and(|text| text.width() <= width), "{shown}");
            }
            prop_assert_eq!(shown.matches('‹').count(), marks.len().min(MARKS_SHOWN), "{}", shown);
            if !is_cut {
                let alike = common_fit([(text.as_bytes(), &marks), (b"berth", &[])], look);
                prop_assert_eq!(alike == Fit::Rows, rows.len() > 1);
                let whole = rows.iter().map(|row| row.trim_start()).collect::<Vec<_>>().join(" ");
                prop_assert_eq!(whole.replace(['‹', '›'], ""), text);
            }
        }
    }

    #[test]
    fn long_lines_keep_what_is_marked() {
        let text = format!("{}MARK{}", "x".repeat(500), "y".repeat(500));
        let shown = plain_lines(&text, &[Span::new(500, 504)]);
        assert_eq!(shown.len(), 1);
        assert!(
            shown[0].contains("x‹MARK›y") && shown[0].width() <= 80,
            "{shown:?}"
        );
        assert!(shown[0].starts_with('…') && shown[0].ends_with('…'));
    }
}
