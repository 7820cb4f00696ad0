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

/// The look of marked parts.
#[derive(Clone, Copy)]
pub struct Look {
    pub role: Role,
    /// Columns a line may take.
    pub width: usize,
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
    let mut out = Vec::new();
    let mut first = 0;
    for line in brisk_quill_core::unit::lines(text) {
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
        out.push(one_line(text, line, marks, &inside, look));
    }
    if out.is_empty() && !marks.is_empty() {
        out.push("‹›".into());
    }
    out
}

fn one_line(
    text: &[u8],
    line: brisk_quill_core::unit::Line,
    marks: &[Span],
    inside: &[usize],
    look: Look,
) -> Labelled {
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
    fit(&mut segments, look.width);
    draw(&segments, look)
}

fn plain(bytes: &[u8]) -> Segment {
    Segment {
        shown: visible(bytes),
        marked: false,
        opens: None,
        closes: None,
    }
}

/// Shortens segments until the line fits, the plain ones first.
fn fit(segments: &mut [Segment], width: usize) {
    let total: usize = segments.iter().map(|s| s.shown.width() + 2).sum();
    if total <= width {
        return;
    }
    let last = segments.len() - 1;
    for (i, segment) in segments.iter_mut().enumerate() {
        let limit = if segment.marked { width / 2 } else { KEPT };
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

    fn look(width: usize) -> Look {
        Look {
            role: Role::Match,
            width,
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
