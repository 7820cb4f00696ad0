//! Questions on the terminal, one text at a time, until it is settled or the user has had enough.

use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::signals;
use brisk_quill_core::escape::visible;
use brisk_quill_core::infer::inference::{Asked, Confirmed, Inference};
use brisk_quill_core::infer::task::Pair;
use brisk_quill_core::numbers::counted;
use std::io::{self, BufRead as _};

/// Answers offered to one question, at most.
const ANSWERS_MOST: usize = 3;

/// What a question came to.
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
        let Some(asked) = inference.next_question(self.confirmed) else {
            output.print(b"No question is left that would tell these proposals apart.\n\n");
            return Ok(Told::Enough);
        };
        let (said, text, line, answers) = match asked {
            Asked::Disputed(question) => {
                let examples = counted(examples.len() as u64, "example");
                let differ = counted(inference.questions.len() as u64, "text");
                let said = format!(
                    "After {examples}, likely rewrites differ on {differ} of those looked at. What becomes of this one?"
                );
                let answers = question.answers.into_iter().map(|answer| answer.after);
                (said, question.text, Some(question.line), answers.collect())
            }
            Asked::Furthest(before, after) => {
                let said = "It changes this text, which is least like the examples. Is that right?";
                (said.to_owned(), before, None, vec![Some(after)])
            }
            Asked::NearestLeft(text) => {
                let said = "Likely rewrites leave this text alone, which is like the examples. Is that right?";
                (said.to_owned(), text, None, vec![None])
            }
        };
        output.print(format!("\n{said}\n").as_bytes());
        let Some(after) = choose((&text, line), &answers, output)? else {
            return Ok(Told::Enough);
        };
        if line.is_none() {
            let is_right = after == answers[0];
            match answers[0] {
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

/// Shows a text with the things that may come of it, and reads which; the outer `None` is enough of questions, the inner one that
/// it stays as it is.
fn choose(
    (text, line): (&str, Option<u64>),
    answers: &[Option<String>],
    output: &mut Output,
) -> Result<Option<Option<String>>, Diagnostic> {
    let shown = visible(text.as_bytes());
    let mut out = match line {
        Some(line) => format!("\n  line {line}: {shown}\n"),
        None => format!("\n  {shown}\n"),
    };
    let mut offered: Vec<Option<String>> = answers.iter().take(ANSWERS_MOST).cloned().collect();
    if !offered.contains(&None) {
        offered.push(None);
    }
    for (letter, answer) in ('a'..).zip(&offered) {
        let made = match answer {
            Some(made) => visible(made.as_bytes()),
            None => "it stays as it is".to_owned(),
        };
        out.push_str(&format!("    {letter}  {made}\n"));
    }
    out.push_str("    =  another text: type it behind the `=`\n    q  enough\n");
    output.print(out.as_bytes());
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
            Some((_, answer)) => return Ok(Some(answer.clone())),
            None => output.print(b"Answer with one of the letters, or `=` and the text.\n"),
        }
    }
}

/// Reads a line from the terminal, without its end; `None` where there is no more.
fn read(prompt: &str, output: &mut Output) -> Result<Option<String>, Diagnostic> {
    output.print(prompt.as_bytes());
    output.show();
    let mut line = String::new();
    let count = signals::waiting(|| io::stdin().lock().read_line(&mut line))
        .map_err(|error| Diagnostic::trouble(format!("cannot read the answer: {error}")))?;
    let line = line.strip_suffix('\n').unwrap_or(&line);
    let line = line.strip_suffix('\r').unwrap_or(line);
    Ok((count > 0).then(|| line.to_owned()))
}
