//! Reasons for which units do not match, in words.

use crate::render::highlight::one_line_of;
use crate::render::labelled::{Labelled, Role};
use crate::render::names::file_name;
use brisk_quill_core::escape::visible;
use brisk_quill_core::near_miss::WantedPart;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::span::Span;
use brisk_quill_engine::why::{Reason, ReasonRow, Reasons, UNITS_MOST};

/// Columns that a text takes at most.
const TEXT: usize = 40;

/// "expected ` `, found `-`"
pub fn reason_words(reason: &Reason, parts: &[WantedPart]) -> String {
    let wanted = |part: usize| quoted(parts[part].text.as_bytes());
    match reason {
        Reason::Part(part, stands) if stands.is_empty() => {
            format!("expected {}, found the end", wanted(*part))
        }
        Reason::Part(part, stands) => {
            format!("expected {}, found {}", wanted(*part), quoted(stands))
        }
        Reason::Stops(part) => {
            let before: String = parts[..*part]
                .iter()
                .map(|part| part.text.as_str())
                .collect();
            let before = quoted(before.as_bytes());
            format!("expected {} after {before}", wanted(*part))
        }
        Reason::Nothing => format!("{} not found", wanted(0)),
    }
}

/// The reasons of all units, the most telling first; `unit` is the word for one.
pub fn reason_table(
    reasons: Reasons,
    parts: &[WantedPart],
    (unit, show): (&str, usize),
) -> Labelled {
    let is_cut = reasons.is_cut;
    let rows = reasons.rows();
    let mut out = Labelled::default();
    if rows.is_empty() {
        return out;
    }
    out.push_str("\nWhy they do not match");
    if is_cut {
        out.push_str(&format!(
            ", of the first {} looked at",
            counted(UNITS_MOST, unit)
        ));
    }
    out.push_str(":\n");
    let digits = rows
        .iter()
        .map(|row| number(row.count).len())
        .max()
        .unwrap_or(1);
    for row in rows.iter().take(show) {
        row_line(&mut out, row, parts, (unit, digits));
    }
    if let Some(more) = rows.len().checked_sub(show).filter(|more| *more > 0) {
        let more = counted(more as u64, "more reason");
        out.push_str(&format!("  {more} not shown; add `--show all`.\n"));
    }
    out
}

/// "  19 lines: `-` where ` ` is wanted: `Berth-8` (gauge.log, line 4)"
fn row_line(
    out: &mut Labelled,
    row: &ReasonRow,
    parts: &[WantedPart],
    (unit, digits): (&str, usize),
) {
    let count = number(row.count);
    let plural = if row.count == 1 { " " } else { "s" };
    out.push_str(&format!("  {count:>digits$} {unit}{plural}  "));
    out.put(Role::Guide, &reason_words(&row.reason, parts));
    if row.reason != Reason::Nothing {
        out.push_str(&format!(": {}", quoted(&row.text)));
    }
    let place = format!("  {}, line {}", file_name(&row.source), row.line);
    out.put(Role::Quiet, &place);
    out.push('\n');
}

/// The parts of a pattern with the text that each took, one under the other.
pub fn parts_taken(text: &[u8], parts: &[(WantedPart, Option<Span>)]) -> Labelled {
    let mut out = Labelled::default();
    let shown = |part: &WantedPart| quoted(part.text.as_bytes());
    let widest = parts.iter().map(|(part, _)| shown(part).chars().count());
    let widest = widest.max().unwrap_or(0).min(TEXT);
    for (part, span) in parts {
        out.put(Role::Guide, &format!("    {:widest$}", shown(part)));
        match span {
            Some(span) => {
                out.push_str("  took ");
                out.put(Role::Match, &quoted(&text[span.range()]));
            }
            None => out.push_str("  took no part"),
        }
        out.push('\n');
    }
    out
}

/// Text between backquotes, on one line.
pub fn quoted(text: &[u8]) -> String {
    match text.len() > TEXT {
        true => format!("`{}`", one_line_of(text, TEXT)),
        false => format!("`{}`", visible(text)),
    }
}
