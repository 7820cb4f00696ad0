//! Questions on the terminal, one text at a time, until it is settled or the user has had enough.

use crate::commands::infer::shown::Shown;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::signals;
use brisk_quill_core::escape::visible;
use brisk_quill_core::infer::inference::{Answer, Asked, Confirmed, Question};
use brisk_quill_core::infer::task::Pair;
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
    pub fn ask(&mut self, shown: &Shown<'_>, output: &mut Output) -> Result<Told, Diagnostic> {
        let Some(asked) = shown.inference.next_question(self.confirmed) else {
            output.print(b"No question is left that would tell these proposals apart.\n\n");
            return Ok(Told::Enough);
        };
        match asked {
            Asked::Disputed(question) => self.disputed(&question, shown, output),
            Asked::Furthest(before, after) => {
                let said = "It changes this text, which is least like the examples. Is that right?";
                let question = sure_question(before, Some(after));
                output.print(format!("\n{said}\n").as_bytes());
                let told = self.choose(&question, output)?;
                if let Told::Example(pair) = &told {
                    self.confirmed.furthest =
                        Some(&pair.after) == question.answers[0].after.as_ref();
                }
                Ok(told)
            }
            Asked::NearestLeft(text) => {
                let said =
                    "It leaves this text alone, which is most like the examples. Is that right?";
                let question = sure_question(text, None);
                output.print(format!("\n{said}\n").as_bytes());
                let told = self.choose(&question, output)?;
                if let Told::Example(pair) = &told {
                    self.confirmed.nearest_left = pair.is_untouched();
                }
                Ok(told)
            }
        }
    }

    fn disputed(
        &mut self,
        question: &Question,
        shown: &Shown<'_>,
        output: &mut Output,
    ) -> Result<Told, Diagnostic> {
        let examples = shown.examples.len();
        let questions = shown.inference.questions.len();
        let said = format!(
            "\nAfter {examples} examples, likely rewrites differ on {questions} of the texts looked at. What becomes of this one?\n"
        );
        output.print(said.as_bytes());
        self.choose(question, output)
    }

    /// Shows the answers, and reads one.
    fn choose(&self, question: &Question, output: &mut Output) -> Result<Told, Diagnostic> {
        let text = visible(question.text.as_bytes());
        let mut out = format!("\n  line {}: {text}\n", question.line);
        if question.line == 0 {
            out = format!("\n  {text}\n");
        }
        let mut answers: Vec<Option<String>> = question
            .answers
            .iter()
            .take(ANSWERS_MOST)
            .map(|answer| answer.after.clone())
            .collect();
        if !answers.contains(&None) {
            answers.push(None);
        }
        for (letter, answer) in ('a'..).zip(&answers) {
            let made = match answer {
                Some(made) => visible(made.as_bytes()),
                None => "it stays as it is".to_owned(),
            };
            out.push_str(&format!("    {letter}  {made}\n"));
        }
        out.push_str("    =  another text: type it behind the `=`\n");
        out.push_str("    q  enough\n");
        output.print(out.as_bytes());
        loop {
            let line = read("> ", output)?;
            let Some(line) = line else {
                return Ok(Told::Enough);
            };
            let chosen = line.trim();
            if chosen == "q" {
                return Ok(Told::Enough);
            }
            if let Some(typed) = line.strip_prefix('=') {
                let typed = typed.strip_prefix(' ').unwrap_or(typed);
                return Ok(Told::Example(placed(question, Some(typed.to_owned()))));
            }
            let at = ('a'..)
                .zip(&answers)
                .find(|(letter, _)| chosen.chars().eq([*letter]));
            match at {
                Some((_, answer)) => return Ok(Told::Example(placed(question, answer.clone()))),
                None => output.print(b"Answer with one of the letters, or `=` and the text.\n"),
            }
        }
    }
}

/// The example that an answer is.
fn placed(question: &Question, after: Option<String>) -> Pair {
    Pair {
        before: question.text.clone(),
        after: after.unwrap_or_else(|| question.text.clone()),
        line: Some(question.line).filter(|line| *line > 0),
        part: None,
    }
}

/// A question with one answer that is expected.
fn sure_question(text: String, after: Option<String>) -> Question {
    Question {
        text,
        line: 0,
        answers: vec![Answer {
            after,
            weight: 1.0,
            proposals: vec![0],
        }],
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
