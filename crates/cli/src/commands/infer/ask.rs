//! Questions on the terminal, one text at a time, until it is settled or the user has had enough.

use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::signals;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::counted;
use brisk_quill_infer::inference::Inference;
use brisk_quill_infer::questions::{Answer, Asked, Confirmed};
use brisk_quill_infer::task::Pair;
use std::io::{self, BufRead as _};
use unicode_width::UnicodeWidthStr as _;

/// The most answers offered to one question.
const ANSWERS_MOST: usize = 3;
/// The widest that answers are made for the sake of what follows the others.
const COLUMN_MOST: usize = 80;

/// The outcome of a question.
pub enum Told {
    /// An example more.
    Example(Pair),
    /// No more questions.
    Enough,
}

/// Asks, and remembers what was confirmed.
#[derive(Default)]
pub struct Asker {
    confirmed: Confirmed,
}

impl Asker {
    /// Asks the next question, where there is one.
    pub fn ask(
        &mut self,
        inference: &Inference,
        examples: &[Pair],
        output: &mut Output,
    ) -> Result<Told, Diagnostic> {
        let Some(asked) = inference.questions.next(self.confirmed) else {
            output.say("\nNo question is left that would tell these proposals apart.\n\n");
            return Ok(Told::Enough);
        };
        let (said, text, line, answers): (_, _, _, Vec<Offered>) = match asked {
            Asked::Disputed(question) => {
                let examples = counted(examples.len() as u64, "example");
                let differ = counted(inference.questions.disputes.len() as u64, "text");
                let said = format!(
                    "After {examples}, likely rewrites differ on {differ} of those looked at. What becomes of this one?"
                );
                let of = |answer| Offered::of(answer, inference);
                let answers = question.answers.into_iter().map(of).collect();
                (said, question.text, Some(question.line), answers)
            }
            Asked::Furthest(before, after) => {
                let said = "The likeliest rewrite changes this text, which is least like the examples. Is that right?";
                (
                    said.to_owned(),
                    before,
                    None,
                    vec![Offered::only(Some(after))],
                )
            }
            Asked::NearestLeft(text) => {
                let said = "Likely rewrites leave this text alone, which is like the examples. Is that right?";
                (said.to_owned(), text, None, vec![Offered::only(None)])
            }
        };
        output.say(&format!("\n{said}\n"));
        let Some(after) = choose((&text, line), &answers, output)? else {
            return Ok(Told::Enough);
        };
        if line.is_none() {
            let is_right = after == answers[0].after;
            match answers[0].after {
                Some(_) => self.confirmed.furthest = is_right,
                None => self.confirmed.nearest_left = is_right,
            }
        }
        Ok(Told::Example(Pair {
            after: after.unwrap_or_else(|| text.clone()),
            before: text,
            line,
            part: None,
        }))
    }
}

/// An answer that can be chosen.
#[derive(Clone)]
struct Offered {
    /// The text; `None` where it stays as it is.
    after: Option<String>,
    /// The number of texts looked at that the likeliest rewrite with this answer changes.
    changes: Option<usize>,
}

impl Offered {
    fn of(answer: Answer, inference: &Inference) -> Self {
        let likeliest = answer.proposals.first();
        Self {
            changes: likeliest.map(|number| inference.proposals[*number].changes()),
            after: answer.after,
        }
    }

    fn only(after: Option<String>) -> Self {
        Self {
            after,
            changes: None,
        }
    }

    /// The text that it stands for, as it is shown.
    fn text(&self) -> String {
        match &self.after {
            Some(made) => visible(made.as_bytes()),
            None => "it stays as it is".to_owned(),
        }
    }
}

/// Shows a text with the things that may come of it, and reads which; the outer `None` is enough of questions, the inner one that
/// it stays as it is.
fn choose(
    (text, line): (&str, Option<u64>),
    answers: &[Offered],
    output: &mut Output,
) -> Result<Option<Option<String>>, Diagnostic> {
    let shown = visible(text.as_bytes());
    let mut out = match line {
        Some(line) => format!("\n  line {line}: {shown}\n"),
        None => format!("\n  {shown}\n"),
    };
    let mut offered: Vec<Offered> = answers.iter().take(ANSWERS_MOST).cloned().collect();
    if offered.iter().all(|answer| answer.after.is_some()) {
        offered.push(Offered::only(None));
    }
    let widths = offered.iter().map(|answer| answer.text().width());
    let column = widths.max().unwrap_or_default().min(COLUMN_MOST);
    for (letter, answer) in ('a'..).zip(&offered) {
        let made = answer.text();
        out.push_str(&format!("    {letter}  {made}"));
        if let Some(changes) = answer.changes {
            let space = column.saturating_sub(made.width());
            let verb = if changes == 1 { "changes" } else { "change" };
            let changes = counted(changes as u64, "text");
            out.push_str(&format!("{:space$}   then {changes} {verb}", ""));
        }
        out.push('\n');
    }
    out.push_str("    =  another text: type it after the `=`\n    q  enough\n");
    output.say(&out);
    loop {
        let Some(answer) = read("> ", output)? else {
            return Ok(None);
        };
        if let Some(typed) = answer.strip_prefix('=') {
            let typed = typed.strip_prefix(' ').unwrap_or(typed);
            return Ok(Some(Some(typed.to_owned())));
        }
        let chosen = answer.trim();
        if chosen == "q" {
            return Ok(None);
        }
        let mut lettered = ('a'..).zip(&offered);
        match lettered.find(|(letter, _)| chosen.chars().eq([*letter])) {
            Some((_, answer)) => return Ok(Some(answer.after.clone())),
            None => output.say("Answer with one of the letters, or `=` and the text.\n"),
        }
    }
}

/// Reads a line from the terminal, without its end; `None` where there is no more.
fn read(prompt: &str, output: &mut Output) -> Result<Option<String>, Diagnostic> {
    output.say(prompt);
    output.show();
    let mut line = String::new();
    let count = signals::waiting(|| io::stdin().lock().read_line(&mut line))
        .map_err(|error| Diagnostic::trouble(format!("cannot read the answer: {error}")))?;
    let line = line.strip_suffix('\n').unwrap_or(&line);
    let line = line.strip_suffix('\r').unwrap_or(line);
    Ok((count > 0).then(|| line.to_owned()))
}
