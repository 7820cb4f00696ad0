//! Proposals as text and as records.

use crate::commands::search::Searched;
use crate::draft::request::{StepText, command_line};
use crate::options::AskedRewrite;
use crate::output::Output;
use crate::render::grid::{Align, Grid};
use crate::render::labelled::{Labelled, Role};
use crate::render::sentence::rewrite_sentence;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::records::field::{Json, Ordinal, line as record_line};
use brisk_quill_core::records::infer::{DisputeRecord, InferTotalsRecord, ProposalRecord};
use brisk_quill_core::shapes::{Shape, Shapes};
use brisk_quill_files::source::Source;
use brisk_quill_infer::data::units::{Distinct, Units};
use brisk_quill_infer::inference::Inference;
use brisk_quill_infer::task::{Pair, Task};
use brisk_quill_infer::trial::Trial;
use std::borrow::Cow;
use std::collections::HashMap;
use unicode_width::UnicodeWidthStr;

/// The proposals, with their effect on the data.
pub struct Shown<'s> {
    pub inference: &'s Inference,
    /// The proposals that are shown, as rewrites of the files.
    pub rewrites: &'s [AskedRewrite],
    pub distinct: &'s [Distinct<'s>],
    /// The result of each proposal for all units.
    pub trials: &'s [Trial],
    pub task: &'s Task,
    pub units: &'s Units,
    pub searched: &'s Searched,
    pub sources: &'s [Source],
    /// Rows shown of each list.
    pub show: usize,
}

/// A text, as it is shown between others.
fn text(text: &str) -> String {
    match text {
        "" => "(empty)".into(),
        text => visible(text.as_bytes()),
    }
}

/// An example in one line.
pub fn pair(pair: &Pair) -> String {
    match pair.is_untouched() {
        true => format!("`{}` stays as it is", text(&pair.before)),
        false => format!("`{}` → `{}`", text(&pair.before), text(&pair.after)),
    }
}

/// The width of the labels of what would be the first to go wrong.
const LABEL: usize = 39;

/// A text that is shown, its end left out where it is wider than `most`.
fn cut(shown: String, most: usize) -> String {
    match shown.width() > most {
        true => crate::render::highlight::shortened(&shown, most.saturating_sub(1), 0),
        false => shown,
    }
}

impl Shown<'_> {
    fn unit(&self) -> &'static str {
        if self.task.cells { "cell" } else { "line" }
    }

    /// The command line that previews a proposal.
    fn command(&self, rewrite: &AskedRewrite) -> String {
        let steps: Vec<StepText> = rewrite.text.step.iter().map(StepText::of).collect();
        command_line("preview", &steps, &rewrite.paths)
    }

    /// Prints the proposals, and what they disagree about.
    pub fn print(&self, output: &mut Output) {
        let width = output.width();
        let mut out = Labelled::default();
        let examples = counted(self.task.examples.len() as u64, "example");
        let proposals = match self.rewrites.len() {
            1 => "one rewrite is proposed".to_owned(),
            several => format!("{several} rewrites are proposed, the likeliest first"),
        };
        out.push_str(&format!("From {examples}, {proposals}.\n"));
        if self
            .task
            .examples
            .iter()
            .filter(|pair| !pair.is_untouched())
            .count()
            == 1
        {
            out.push_str("One example of a change leaves much open: these are guesses.\n");
        }
        for at in 0..self.rewrites.len() {
            self.put_proposal(at, width, &mut out);
        }
        self.put_disputes(width, &mut out);
        self.put_extremes(width, &mut out);
        if self.inference.cut_short {
            out.push_str("\nnote: the search ended before all was tried; shorter examples leave less to try\n");
        }
        if self.units.more > 0 {
            let more = counted(self.units.more, &format!("more {}", self.unit()));
            out.push_str(&format!(
                "\nnote: {more} of the data were not counted here\n"
            ));
        }
        output.draw_prose(&out);
    }

    fn put_proposal(&self, at: usize, width: usize, out: &mut Labelled) {
        let (rewrite, trial) = (&self.rewrites[at], &self.trials[at]);
        out.put(Role::Guide, &format!("\nproposal {}", at + 1));
        let of = counted(self.units.all.len() as u64, self.unit());
        out.push_str(&format!("   {} in {of}", counted(trial.changes, "change")));
        if trial.matches > trial.changes {
            let same = number(trial.matches - trial.changes);
            out.push_str(&format!("; {same} more matches stay as they are"));
        }
        if trial.problems > 0 {
            out.push_str(&format!(
                "; {} it cannot work on",
                counted(trial.problems, self.unit())
            ));
        }
        out.push('\n');
        out.push_str(&format!("  {}\n", self.command(rewrite)));
        let sentence = rewrite_sentence(&rewrite.rewrite, self.sources);
        for line in sentence.lines() {
            out.put(Role::Quiet, &format!("  {line}\n"));
        }
        self.put_changes(at, width, out);
    }

    /// Changes of a proposal beyond the examples.
    fn put_changes(&self, at: usize, width: usize, out: &mut Labelled) {
        let known = |(text, made): &(&str, &str)| {
            self.task
                .examples
                .iter()
                .any(|pair| pair.before == *text && pair.after == *made)
        };
        let made = &self.trials[at].made;
        let changed = self.distinct.iter();
        let changed: Vec<(&str, &str)> = changed
            .filter_map(|one| Some((one.text, made[one.at].as_deref()?)))
            .filter(|change| !known(change))
            .collect();
        let most = width.saturating_sub(8) / 2;
        let shown = changed
            .iter()
            .take(self.show)
            .map(|(was, now)| (cut(text(was), most), cut(text(now), most)));
        let shown: Vec<(String, String)> = shown.collect();
        let widest = shown.iter().map(|(was, _)| was.width()).max().unwrap_or(0);
        for (was, now) in &shown {
            out.push_str("    ");
            out.put(Role::Was, was);
            out.push_str(&" ".repeat(widest - was.width()));
            out.push_str(" → ");
            out.put(Role::Now, now);
            out.push('\n');
        }
        if let Some(more) = changed
            .len()
            .checked_sub(shown.len())
            .filter(|more| *more > 0)
        {
            out.put(
                Role::Quiet,
                &format!("    and {}\n", counted(more as u64, "more text")),
            );
        }
    }

    /// The texts that the shown proposals make different things of, the most telling first.
    fn disputes(&self) -> Vec<&Distinct<'_>> {
        let differs = |one: &&Distinct<'_>| {
            let first = &self.trials[0].made[one.at];
            self.trials.iter().any(|trial| trial.made[one.at] != *first)
        };
        let questions = self.inference.questions.disputes.iter().enumerate();
        let order: HashMap<&str, usize> = questions
            .map(|(at, question)| (&question.text[..], at))
            .collect();
        let mut all: Vec<&Distinct<'_>> = self.distinct.iter().filter(differs).collect();
        all.sort_by_key(|one| order.get(one.text).copied().unwrap_or(usize::MAX));
        // One of each shape before a second of any.
        let shapes = Shapes::new();
        let mut seen: HashMap<Shape, usize> = HashMap::new();
        let numbered = all.into_iter().map(|one| {
            let shape = shapes.of(one.text.as_bytes()).coarse();
            let nth = seen.entry(shape).or_default();
            *nth += 1;
            (*nth, one)
        });
        let mut numbered: Vec<(usize, &Distinct<'_>)> = numbered.collect();
        numbered.sort_by_key(|(nth, _)| *nth);
        numbered.into_iter().map(|(_, one)| one).collect()
    }

    fn put_disputes(&self, width: usize, out: &mut Labelled) {
        if self.rewrites.len() < 2 {
            return;
        }
        let disputes = self.disputes();
        let unit = self.unit();
        if disputes.is_empty() {
            out.push_str(&format!("\nThey make the same of every {unit}.\n"));
            return;
        }
        let units: u64 = disputes.iter().map(|one| one.count).sum();
        let (differ, all) = (number(units), counted(self.units.all.len() as u64, unit));
        out.push_str(&format!(
            "\nThey differ on {differ} of {all}. Which did you mean?\n"
        ));
        let mut heads = vec![
            ("line".to_owned(), Align::Right),
            (unit.to_owned(), Align::Left),
        ];
        let proposals =
            (1..=self.rewrites.len()).map(|number| (format!("proposal {number}"), Align::Left));
        heads.extend(proposals);
        let mut grid = Grid::new(heads);
        for one in disputes.iter().take(self.show) {
            let mut row = vec![number(one.line), text(one.text)];
            row.extend(self.trials.iter().map(|trial| match &trial.made[one.at] {
                Some(made) => text(made),
                None => "stays".to_owned(),
            }));
            grid.add(row);
        }
        out.append(&grid.text(width));
        if disputes.len() > self.show {
            let more = counted((disputes.len() - self.show) as u64, "more text");
            out.put(Role::Quiet, &format!("  and {more}\n"));
        }
        out.push_str(
            "Give one of them as a further `--example` or `--untouched`, or let `--ask` ask you.\n",
        );
    }

    fn put_extremes(&self, width: usize, out: &mut Labelled) {
        let questions = &self.inference.questions;
        let (furthest, nearest) = (&questions.furthest, &questions.nearest_left);
        if furthest.is_none() && nearest.is_none() {
            return;
        }
        out.push_str("\nBy proposal 1:\n");
        if let Some((before, after)) = furthest {
            let most = width.saturating_sub(LABEL + 5) / 2;
            let (before, after) = (cut(text(before), most), cut(text(after), most));
            let label = "changed, and least like the examples";
            out.push_str(&format!("  {label:LABEL$}{before} → {after}\n"));
        }
        if let Some(nearest) = nearest {
            let most = width.saturating_sub(LABEL + 2);
            let label = "left alone, though like them";
            out.push_str(&format!("  {label:LABEL$}{}\n", cut(text(nearest), most)));
        }
    }

    /// Prints the proposals and what they disagree about as records.
    pub fn print_records(&self, output: &mut Output) {
        for (at, (rewrite, trial)) in self.rewrites.iter().zip(self.trials).enumerate() {
            let sentence = rewrite_sentence(&rewrite.rewrite, self.sources);
            output.data(&record_line(&ProposalRecord {
                number: Ordinal(at as u64 + 1),
                rewrite: Json(Cow::Borrowed(&rewrite.text)),
                sentence: sentence.into(),
                command: self.command(rewrite).into(),
                matches: trial.matches,
                changes: trial.changes,
                problems: trial.problems,
            }));
        }
        let disputes = match self.rewrites.len() {
            1 => Vec::new(),
            _ => self.disputes(),
        };
        for one in disputes.iter().take(self.show) {
            let made = self
                .trials
                .iter()
                .map(|trial| trial.made[one.at].as_deref());
            output.data(&record_line(&DisputeRecord {
                text: one.text.into(),
                line: Ordinal(one.line),
                made: made.map(|made| made.map(Cow::Borrowed)).collect(),
                count: one.count,
            }));
        }
        let counts = Counts {
            examples: self.task.examples.len(),
            proposals: self.rewrites.len(),
            disputes: disputes.len(),
            refused: None,
        };
        print_totals((self.units, self.searched), counts, output);
    }
}

/// Counts of the last record that are not those of the data.
#[derive(Clone, Copy, Default)]
pub struct Counts {
    pub examples: usize,
    pub proposals: usize,
    pub disputes: usize,
    /// The name of the reason for which nothing is proposed.
    pub refused: Option<&'static str>,
}

/// Prints the last record.
pub fn print_totals((units, searched): (&Units, &Searched), counts: Counts, output: &mut Output) {
    output.data(&record_line(&InferTotalsRecord {
        files: searched.files.read,
        files_skipped: searched.files.skipped(),
        units: units.all.len() as u64 + units.more,
        examples: counts.examples as u64,
        proposals: counts.proposals as u64,
        disputes: counts.disputes as u64,
        refused: counts.refused.map(Cow::Borrowed),
        problems: units.undecodable + searched.problems + searched.files.unreadable,
    }));
}
