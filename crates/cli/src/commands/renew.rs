//! `--renew`: a plan evaluated again on the files as they are now.
//!
//! A decision is carried over to the change that has the same text around it, the same old and
//! the same new text, and stands at the same place in its line or cell; where several changes
//! are like that, only when there are as many as before and all were decided alike.

use crate::args::GuardArgs;
use crate::commands::pass::{Guard, Pass};
use crate::commands::plan_out::{PlanOut, PlanPart};
use crate::commands::plans::{Meant, source_of};
use crate::diagnostic::Diagnostic;
use crate::options::{AskedRewrite, Sources, Threads};
use crate::output::Output;
use crate::render::numbers::{counted, number};
use crate::render::report::{Collector, FileReport, Keep};
use crate::tables::FileTables;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::plan::{Decision, JUDGED_LINE, decision_line};
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::scanner::Note;
use brisk_quill_core::rewrite::{RunOptions, SPLIT_FROM, Unmet};
use brisk_quill_files::coding::TextEncoding;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::evaluate::in_parts::PartSink;
use brisk_quill_files::evaluate::{FileHunk, FileSink};
use brisk_quill_files::fs::open::open_regular;
use brisk_quill_files::plan_file::PlanDoc;
use brisk_quill_files::read::{FactsOf, TextOptions};
use std::collections::HashMap;
use std::fs;
use std::io::{self, BufRead, BufReader};
use std::ops::ControlFlow;
use std::path::{Path, PathBuf};

/// What a change is known by, hashed.
type Key = [u8; 32];

/// Evaluates the plan again, writes it in its place, and says what became of the decisions.
pub fn renew(meant: &mut Meant, output: &mut Output) -> Result<(), Diagnostic> {
    let place = meant.doc.path().to_owned();
    let fresh = PathBuf::from(format!(
        "{}.renewed-{}",
        place.display(),
        std::process::id()
    ));
    let renewed = evaluate(meant, &fresh, output).and_then(|()| carry(meant, &fresh));
    let renewed = match renewed {
        Ok(renewed) => renewed,
        Err(diagnostic) => {
            let _ = fs::remove_file(&fresh);
            return Err(diagnostic);
        }
    };
    let put = fs::rename(&fresh, &place).map_err(|error| {
        Diagnostic::trouble(format!("cannot write {}: {error}", visible_path(&place)))
    });
    put?;
    meant.doc = super::plans::open(Some(&place))?;
    let Renewed { carried, lost, new } = renewed;
    output.print(
        format!(
            "Evaluated again: {} carried over, {} lost, {}.\n\n",
            counted(carried, "decision"),
            number(lost),
            counted(new, "new change"),
        )
        .as_bytes(),
    );
    Ok(())
}

/// What became of the decisions.
struct Renewed {
    carried: u64,
    /// Decisions about changes that are no longer there.
    lost: u64,
    /// Changes that no decision was carried over to, of those that are decided about.
    new: u64,
}

fn evaluate(meant: &Meant, fresh: &Path, output: &mut Output) -> Result<(), Diagnostic> {
    // Where the plan may not write, it may not read either.
    meant.check_places()?;
    let index = &meant.doc.index;
    let text = index.rewrite.clone();
    let mut tables = FileTables::below(meant.root());
    let rewrite = text.build(&mut tables).map_err(|(step, fault)| {
        Diagnostic::wrong(format!(
            "the rewrite of the plan cannot be built, step {step}: {fault}"
        ))
    })?;
    let mut labels: Vec<&str> = index.files.iter().map(|file| &*file.encoding).collect();
    labels.dedup();
    // A byte-order mark tells the others.
    let encoding = match labels[..] {
        [label] => TextEncoding::of_label(label).ok(),
        _ => None,
    };
    let texts = TextOptions {
        binary: true,
        facts: FactsOf::Found,
        encoding,
    };
    let sources = Sources::of(Listing {
        sources: index.files.iter().map(source_of).collect(),
        problems: Vec::new(),
    });
    let asked = AskedRewrite {
        text,
        rewrite,
        paths: Vec::new(),
    };
    let run = RunOptions {
        groups: true,
        cells: true,
        split_from: Some(SPLIT_FROM),
        ..RunOptions::default()
    };
    let guard = Guard::new(&GuardArgs::default())?;
    let reading = (texts, Threads::new(None));
    let mut pass = Pass::below(
        meant.root(),
        (&asked.rewrite, &sources, run),
        reading,
        guard,
    )?;
    let mut plan = PlanOut::new(&asked, false, Some(fresh), false)?;
    plan.begin(output);
    if !fill(&mut pass, &sources.listing, &mut plan, output)? {
        return Err(Diagnostic::trouble(
            "a file of the plan can no longer be read",
        ));
    }
    plan.end(&pass.totals, &pass.notes, (false, false), output)
}

/// Evaluates every source into a plan; whether each could be read.
pub fn fill(
    pass: &mut Pass<'_>,
    listing: &Listing,
    plan: &mut PlanOut<'_>,
    output: &mut Output,
) -> Result<bool, Diagnostic> {
    let mut all = true;
    let maker = plan.maker();
    let sink = |source| PlanSink {
        plan: maker.part(source),
        found: Collector::new(Keep::default()),
    };
    pass.each(listing, sink, output, |pass, source, sink, read, output| {
        let found = sink.found;
        let Some(read) = read else {
            all = false;
            return ControlFlow::Continue(());
        };
        pass.tell(source, &found.problems, &found.unmet, output);
        if read.counts.changes + read.counts.problems > 0 {
            let report = FileReport {
                source,
                facts: &read.facts,
                hunks: &[],
                problems: &found.problems,
                unmet: &found.unmet,
            };
            plan.file(&report, sink.plan, output);
        }
        ControlFlow::Continue(())
    })?;
    Ok(all)
}

/// Writes changes into a plan, and keeps what else there is to tell.
struct PlanSink<'p> {
    plan: PlanPart<'p>,
    found: Collector,
}

impl FileSink for PlanSink<'_> {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        self.plan.hunk(hunk);
    }

    fn problem(&mut self, problem: Problem) {
        self.found.problem(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.found.unmet(unmet);
    }

    fn note(&mut self, step: usize, note: Note) {
        self.found.note(step, note);
    }
}

impl PartSink for PlanSink<'_> {
    fn join(&mut self, part: Self) {
        self.plan.join(part.plan);
        self.found.join(part.found);
    }
}

/// The decisions about changes of one key.
#[derive(Default)]
struct Old {
    count: u64,
    decided: Option<(Decision, Option<Vec<u8>>)>,
    differ: bool,
}

/// Appends to the fresh plan each decision that still fits.
fn carry(meant: &Meant, fresh: &Path) -> Result<Renewed, Diagnostic> {
    let fail = |error: io::Error| Diagnostic::trouble(format!("cannot renew the plan: {error}"));
    let mut old: HashMap<Key, Old> = HashMap::new();
    let index = &meant.doc.index;
    let mut decided = 0;
    let keys = keys(meant.doc.path()).map_err(fail)?;
    for (number, key) in keys.into_iter().enumerate().take(index.entries.len()) {
        let decision = index.entries[number].decision;
        decided += u64::from(decision != Decision::Open);
        let this = (decision, index.modified.get(&number).cloned());
        let known = old.entry(key).or_default();
        known.count += 1;
        known.differ |= known.decided.as_ref().is_some_and(|other| *other != this);
        known.decided = Some(this);
    }
    let mut doc = PlanDoc::open(fresh)
        .map_err(|error| Diagnostic::trouble(format!("cannot renew the plan: {error}")))?;
    let now = self::keys(fresh).map_err(fail)?;
    let mut counts: HashMap<Key, u64> = HashMap::new();
    for key in &now {
        *counts.entry(*key).or_default() += 1;
    }
    let mut lines = Vec::new();
    if decided > 0 || index.is_judged {
        // What was judged once is not taken as a whole, even if no decision fits any more.
        lines.extend_from_slice(JUDGED_LINE);
    }
    let (mut carried, mut new) = (0, 0);
    for (number, key) in now.iter().enumerate() {
        let fits = old
            .get(key)
            .filter(|old| !old.differ && counts.get(key) == Some(&old.count));
        match fits.and_then(|old| old.decided.as_ref()) {
            Some((Decision::Open, _)) => {}
            Some((decision, text)) => {
                carried += 1;
                let id = doc.index.id(number);
                lines.extend(decision_line(&id, *decision, text.as_deref()));
            }
            None => new += 1,
        }
    }
    doc.append(&lines).map_err(fail)?;
    Ok(Renewed {
        carried,
        lost: decided - carried,
        new,
    })
}

/// What each change of a plan is known by, in order: its file, the text it stands in, its number
/// there, its column, and its old and new text.
fn keys(plan: &Path) -> io::Result<Vec<Key>> {
    let mut input = BufReader::with_capacity(1 << 18, open_regular(plan)?);
    let mut keys = Vec::new();
    let mut line = Vec::new();
    let mut around = String::new();
    let mut number = 0u64;
    loop {
        line.clear();
        if input.read_until(b'\n', &mut line)? == 0 || !line.ends_with(b"\n") {
            return Ok(keys);
        }
        let record: serde_json::Value = serde_json::from_slice(&line)?;
        match record["record"].as_str() {
            Some("unit") => {
                around = record["was"].to_string();
                number = 0;
            }
            Some("file") => around.clear(),
            Some("change") => {
                number += 1;
                let mut hasher = blake3::Hasher::new();
                let names = [
                    "path",
                    "path_b64",
                    "cell",
                    "before",
                    "before_b64",
                    "after",
                    "after_b64",
                ];
                for name in names {
                    hasher.update(record[name].to_string().as_bytes());
                    hasher.update(&[0]);
                }
                hasher.update(around.as_bytes());
                hasher.update(&number.to_le_bytes());
                keys.push(*hasher.finalize().as_bytes());
            }
            _ => {}
        }
    }
}
