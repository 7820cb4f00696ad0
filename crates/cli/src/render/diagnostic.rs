//! Errors for a reader: one sentence, the place in what was written, and what to do.

use crate::diagnostic::{Diagnostic, Quote};
use crate::render::labelled::{Labelled, Role};
use brisk_quill_core::escape::visible;
use unicode_width::UnicodeWidthStr;

/// Characters shown before and after a place in a long line.
const AROUND: usize = 50;

/// An error as text; a blank line ends one that takes several lines.
pub fn diagnostic(diagnostic: &Diagnostic) -> Labelled {
    let mut out = Labelled::default();
    out.put(Role::Problem, "bquill:");
    out.push(' ');
    out.push_str(&visible(diagnostic.message.as_bytes()));
    out.push('\n');
    if let Some(quote) = &diagnostic.quote {
        push_place(&mut out, quote);
    }
    for line in &diagnostic.details {
        out.push_str(&format!("  {}\n", visible(line.as_bytes())));
    }
    if let Some(remedy) = &diagnostic.remedy {
        out.push_str(&format!("  {}\n", sentence(&visible(remedy.as_bytes()))));
    }
    let is_long = diagnostic.quote.is_some() || diagnostic.remedy.is_some();
    if is_long || !diagnostic.details.is_empty() {
        out.push('\n');
    }
    out
}

/// The part of the request, the place in it in words, its text, and a line under the place.
fn push_place(out: &mut Labelled, quote: &Quote) {
    let Quote { name, text, span } = quote;
    let start = span.from.min(text.len());
    let line_start = text[..start].rfind('\n').map_or(0, |at| at + 1);
    let line = text[line_start..].split('\n').next().unwrap_or_default();
    let line = line.strip_suffix('\r').unwrap_or(line);
    let from = (start - line_start).min(line.len());
    let to = span.to.saturating_sub(line_start).clamp(from, line.len());
    let character = line[..from].chars().count() + 1;
    let number = text[..start].matches('\n').count() + 1;
    let place = match text.trim_end().contains('\n') {
        true => format!("line {number}, character {character}"),
        false => format!("character {character}"),
    };
    let name = visible(name.strip_prefix("the ").unwrap_or(name).as_bytes());
    let head = format!("  {name}, {place}   ");
    let before: Vec<char> = line[..from].chars().collect();
    let hidden = before.len().saturating_sub(AROUND);
    let before: String = before[hidden..].iter().collect();
    let before = match hidden {
        0 => visible(before.as_bytes()),
        _ => format!("…{}", visible(before.as_bytes())),
    };
    let marked = visible(
        line[from..to]
            .chars()
            .take(AROUND)
            .collect::<String>()
            .as_bytes(),
    );
    let after: String = line[to..].chars().take(AROUND).collect();
    let more = if line[to..].chars().count() > AROUND {
        "…"
    } else {
        ""
    };
    out.push_str(&format!(
        "{head}{before}{marked}{}{more}\n",
        visible(after.as_bytes())
    ));
    out.push_str(&" ".repeat(head.width() + before.width()));
    out.put(Role::Problem, &"‾".repeat(marked.width().max(1)));
    out.push('\n');
}

/// A remedy with a capital letter and a full stop.
fn sentence(text: &str) -> String {
    let mut chars = text.chars();
    let first = chars.next().map(|c| c.to_uppercase().to_string());
    let ends = text.ends_with(['.', '?', '!', ':']);
    let stop = if ends { "" } else { "." };
    format!("{}{}{stop}", first.unwrap_or_default(), chars.as_str())
}
