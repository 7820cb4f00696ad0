//! Examples that did not hold: what was, what was wanted, and what came.

use super::highlight;
use crate::render::highlight::{Canvas, Fit, Look};
use crate::render::labelled::{Labelled, Role};
use brisk_quill_core::records::field::{Ordinal, line};
use brisk_quill_core::records::json::lossy;
use brisk_quill_core::records::test::{ExampleRecord, TestTotalsRecord};
use brisk_quill_core::rewrite_file::examples::ExampleOutcome;
use brisk_quill_core::span::Span;
use std::borrow::Cow;

/// Draws failed examples.
pub struct ExampleView {
    pub canvas: Canvas,
}

impl ExampleView {
    /// One example, the difference between wanted and got marked in both.
    pub fn failed(&self, outcome: &ExampleOutcome) -> Labelled {
        let head = match outcome.step {
            Some(step) => format!("\n  step {step}, example {}\n", outcome.number),
            None => format!("\n  the whole, example {}\n", outcome.number),
        };
        let mut out = Labelled::from(&head[..]);
        let (wanted, got) = difference(outcome.wanted.as_bytes(), &outcome.got);
        self.text(&mut out, "was", outcome.was.as_bytes(), None, Role::Quiet);
        self.text(
            &mut out,
            "wanted",
            outcome.wanted.as_bytes(),
            wanted,
            Role::Now,
        );
        self.text(&mut out, "got", &outcome.got, got, Role::Was);
        for problem in &outcome.problems {
            out.push_str(&format!("    problem  {}\n", problem.kind));
        }
        out
    }

    fn text(&self, out: &mut Labelled, label: &str, text: &[u8], mark: Option<Span>, role: Role) {
        let look = Look {
            role,
            room: self.canvas.beside(13),
            fit: Fit::Own,
            blanks: false,
        };
        let mut lines = highlight::lines(text, mark.as_slice(), look);
        if lines.is_empty() {
            lines.push("(nothing)".into());
        }
        for (index, line) in lines.iter().enumerate() {
            let label = if index == 0 { label } else { "" };
            out.put(Role::Quiet, &format!("    {label:<7}  "));
            out.append(line);
            out.push('\n');
        }
    }
}

/// The differences of two texts, in each: what is left without the start and the end they share.
fn difference(a: &[u8], b: &[u8]) -> (Option<Span>, Option<Span>) {
    if a == b {
        return (None, None);
    }
    let start = a.iter().zip(b).take_while(|(x, y)| x == y).count();
    // Not inside a character.
    let start = (0..=start)
        .rev()
        .find(|&at| a.get(at).is_none_or(|b| b & 0xC0 != 0x80));
    let start = start.unwrap_or(0);
    let (rest_a, rest_b) = (&a[start..], &b[start..]);
    let both = rest_a.iter().rev().zip(rest_b.iter().rev());
    let mut end = both.take_while(|(x, y)| x == y).count();
    while end > 0 && rest_a[rest_a.len() - end] & 0xC0 == 0x80 {
        end -= 1;
    }
    let span = |text: &[u8]| Some(Span::new(start, text.len() - end));
    (span(a), span(b))
}

/// The record of an example.
pub fn json_example(path: &str, outcome: &ExampleOutcome) -> Vec<u8> {
    let problems = outcome
        .problems
        .iter()
        .map(|problem| problem.kind.to_string());
    line(&ExampleRecord {
        path: path.into(),
        step: outcome.step.map(|step| Ordinal(step as u64)),
        number: Ordinal(outcome.number as u64),
        holds: outcome.holds(),
        was: Cow::Borrowed(&outcome.was),
        wanted: Cow::Borrowed(&outcome.wanted),
        got: lossy(&outcome.got),
        problems: problems.collect(),
    })
}

/// The last record.
pub fn json_example_totals(files: u64, examples: u64, failed: u64) -> Vec<u8> {
    line(&TestTotalsRecord {
        files,
        examples,
        failed,
    })
}
