//! `infer`: rewrites proposed from examples.

mod ask;
mod examples;
mod shown;
mod units;
mod values;

use crate::args::definitions::{GuardArgs, InferArgs};
use crate::args::split::{Part, put_pattern};
use crate::commands::ends::{check_new, stopped};
use crate::commands::infer::ask::{Asker, Told};
use crate::commands::infer::shown::{Counts, Shown};
use crate::commands::search::Searched;
use crate::commands::{plans, preview, review};
use crate::diagnostic::Diagnostic;
use crate::host::cancel_token;
use crate::options::{self, AskedRewrite};
use crate::output::Output;
use crate::status::Status;
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::stop::Stop;
use brisk_quill_core::template::tables::NoTables;
use brisk_quill_engine::worked_examples::Examples as NoExamples;
use brisk_quill_files::source::Source;
use brisk_quill_infer::data::proposed;
use brisk_quill_infer::data::units::{Distinct, Units};
use brisk_quill_infer::inference::{Inference, SHOWN};
use brisk_quill_infer::proposal::Proposal;
use brisk_quill_infer::refusal::Refusal;
use brisk_quill_infer::task::{EXAMPLE_MOST, Pair, Task};
use brisk_quill_infer::trial::Trial;
use std::io::{self, IsTerminal};
use std::path::PathBuf;

/// The words shown once the first proposal is kept.
const KEPT: &str =
    "\nProposal 1 is the last preview now: `bquill review`, or `bquill apply`, goes on from it.\n";

pub fn run(
    args: &InferArgs,
    mut parts: Vec<Part>,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    let place = parts
        .first()
        .map(|part| part.step.clone())
        .unwrap_or_default();
    examples::check_where_only(&place)?;
    put_pattern(&mut parts, "");
    let asked = options::query(parts, &args.files.table)?;
    let cells = units::check_kind(&asked.query)?;
    let show = examples::shown(args)?;
    if args.values {
        return values::run(args, (&asked.query, asked.paths), show, output);
    }
    examples::check_some(args)?;
    if let Some(file) = &args.save_rewrite {
        check_new(file, "the rewrite")?;
    }
    if args.ask && !io::stdin().is_terminal() {
        return Err(Diagnostic::wrong("there is no terminal to ask on")
            .remedy("leave `--ask` out: the texts in dispute are listed"));
    }
    let (units, searched, sources) = units::read(
        (&asked.query, asked.paths.clone()),
        &args.files,
        args.json,
        output,
    )?;
    examples::original(args, sources.len())?;
    let edited = match &args.edited {
        Some(file) => {
            examples::check_copy(file)?;
            let edited = (&asked.query, vec![file.clone()]);
            Some(units::read(edited, &args.files, args.json, output)?.0)
        }
        None => None,
    };
    let distinct = units.distinct();
    let examples = examples::named(args, (&units, &distinct), edited.as_ref(), cells)?;
    for note in examples::missing(&examples.missing) {
        output.note(&format!("note: {note}\n"));
    }
    let session = Session {
        args,
        place,
        paths: asked.paths,
        sources,
        task: Task {
            cells,
            data: units.sample(&distinct, examples.edited_to),
            examples: examples.pairs,
            stop: Stop::by(cancel_token().flag()),
        },
        units: &units,
        distinct: &distinct,
        searched,
    };
    session.run(show, output)
}

/// One inference over data that was read.
struct Session<'a> {
    args: &'a InferArgs,
    /// The options that say where.
    place: StepSpec,
    paths: Vec<PathBuf>,
    sources: Vec<Source>,
    task: Task,
    units: &'a Units,
    distinct: &'a [Distinct<'a>],
    searched: Searched,
}

impl Session<'_> {
    fn run(mut self, show: usize, output: &mut Output) -> Result<Status, Diagnostic> {
        let mut inference = self.infer(output)?;
        if self.args.ask {
            let mut asker = Asker::default();
            while let Told::Example(pair) = asker.ask(&inference, &self.task.examples, output)? {
                self.task.examples.push(pair);
                match Inference::of(&self.task) {
                    Ok(next) => inference = next,
                    Err(_) if self.task.stop.is_set() => return Err(stopped()),
                    Err(_) => {
                        self.set_answer_aside(output);
                        break;
                    }
                }
            }
        }
        let proposals = &inference.proposals[..inference.proposals.len().min(SHOWN)];
        let all: Vec<&str> = self.units.all.iter().map(|unit| &unit.text[..]).collect();
        let trials: Vec<Trial> = proposals.iter().map(|one| Trial::of(one, &all)).collect();
        let rewrites = proposals.iter().map(|one| self.rewrite(one));
        let rewrites: Vec<AskedRewrite> = rewrites.collect::<Result<_, _>>()?;
        let shown = Shown {
            inference: &inference,
            rewrites: &rewrites,
            distinct: self.distinct,
            trials: &trials,
            task: &self.task,
            units: self.units,
            searched: &self.searched,
            sources: &self.sources,
            show,
        };
        match self.args.json {
            true => shown.print_records(output),
            false => shown.print(output),
        }
        let best = &rewrites[0];
        self.save(best, output)?;
        self.keep(best, output)?;
        Ok(self.searched.status(true))
    }

    /// Removes the last answer, which no rule makes along with the examples: the proposals from before it hold.
    fn set_answer_aside(&mut self, output: &mut Output) {
        let Some(Pair { before, after, .. }) = self.task.examples.pop() else {
            return;
        };
        let [before, after] = [before, after].map(|text| visible(text.as_bytes()));
        let made = match before == after {
            true => format!("that `{before}` stays"),
            false => format!("that `{before}` becomes `{after}`"),
        };
        output.prose(&format!(
            "\nNo rule that was found makes all examples and this answer too, {made}. It is left aside; the proposals are those from before it.\n\n"
        ));
    }

    /// Infers from the examples that there are by now.
    fn infer(&self, output: &mut Output) -> Result<Inference, Diagnostic> {
        let inferred = Inference::of(&self.task);
        if self.task.stop.is_set() {
            return Err(stopped());
        }
        inferred.map_err(|refusal| {
            if self.args.json {
                let counts = Counts {
                    examples: self.task.examples.len(),
                    refused: Some(refusal.name()),
                    ..Counts::default()
                };
                shown::print_totals((self.units, &self.searched), counts, output);
            }
            explained(&refusal, &self.task.examples)
        })
    }

    /// A proposal with the options that say where, as the command line would have it.
    fn rewrite(&self, proposal: &Proposal) -> Result<AskedRewrite, Diagnostic> {
        let mut place = self.place.clone();
        options::with_table(&mut place, &self.args.files.table);
        let text = proposed::rewrite_text(proposal, &place);
        let rewrite = text
            .build(&mut NoTables)
            .map_err(|faulty| options::step_diagnostic(&faulty.fault))?;
        Ok(AskedRewrite {
            text,
            rewrite,
            paths: self.paths.clone(),
        })
    }

    /// Saves the best proposal with the examples that it makes on its own.
    fn save(&self, best: &AskedRewrite, output: &mut Output) -> Result<(), Diagnostic> {
        let Some(file) = &self.args.save_rewrite else {
            return Ok(());
        };
        let mut text = best.text.clone();
        let words = (&mut text, &best.rewrite);
        let left_out = proposed::add_examples(words, &self.task, &self.place);
        preview::save_rewrite(file, (&text, &best.rewrite), NoExamples::default())?;
        let shown = visible_path(file);
        let without = match left_out {
            0 => String::new(),
            left_out => format!(
                ", without {left_out} of the examples, which say nothing outside these columns"
            ),
        };
        output.note(&format!("Saved in {shown}{without}.\n"));
        Ok(())
    }

    /// Makes the best proposal the last preview of this folder.
    fn keep(&self, best: &AskedRewrite, output: &mut Output) -> Result<(), Diagnostic> {
        if self.sources.iter().any(Source::is_stdin) {
            return Ok(());
        }
        let kept = review::evaluate(
            best,
            (&self.args.files, &GuardArgs::default()),
            true,
            output,
        );
        match kept {
            Ok((Status::Fine, _)) if !self.args.json => {
                let hints = plans::open(None).map(|plan| plan.index.hints);
                for hint in hints.unwrap_or_default() {
                    output.prose(&format!("\nhint {hint}\n"));
                }
                output.prose(KEPT);
                Ok(())
            }
            // There is nothing more to change, or what is wrong has been reported.
            Ok(_) => Ok(()),
            Err(diagnostic) if diagnostic.status == Status::No => Ok(()),
            Err(diagnostic) => Err(diagnostic),
        }
    }
}

/// A refusal, and what to do.
fn explained(refusal: &Refusal, pairs: &[Pair]) -> Diagnostic {
    let example = |number: usize| shown::pair(&pairs[number - 1]);
    match *refusal {
        Refusal::NothingChanges => Diagnostic::no("no example changes anything")
            .remedy("give one that does: `--example BEFORE AFTER`"),
        Refusal::TwoOutcomes(a, b) => Diagnostic::no(format!(
            "examples {a} and {b} give different results for one text: {} and {}",
            example(a),
            example(b)
        ))
        .remedy(
            "leave one of them out; or give more of the line around them, if that tells them apart",
        ),
        Refusal::TooMany(_) => Diagnostic::wrong(refusal.to_string())
            .remedy("give some that differ in kind; two or three say most"),
        Refusal::TooLong(number) => Diagnostic::wrong(format!(
            "example {number} is longer than {EXAMPLE_MOST} characters"
        ))
        .remedy("give a shorter one, or the part of it that changes"),
        Refusal::OddOne(number) => Diagnostic::no(format!(
            "no single rule reproduces all examples: example {number}, {}, fits none that reproduces the others",
            example(number)
        ))
        .remedy(
            "leave it out, and look what is proposed without it; it may need a rewrite of its own",
        ),
        Refusal::LooksLikeTable => {
            Diagnostic::no("the new texts are not made of the old ones: this looks like a table")
                .remedy("write the pairs into a file, and use `--pairs FILE`, or the filter `map`")
        }
        Refusal::NoRule => Diagnostic::no("no single rule reproduces all examples")
            .remedy("try with fewer; or give examples that differ less, one kind at a time"),
    }
}
