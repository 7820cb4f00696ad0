//! Decisions of reviewers, from the files that they saved.

use crate::commands::plans::Meant;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::render::decisions::opinion_text;
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::plan::TakenIn;
use brisk_quill_core::plan::fault::PlanFault;
use brisk_quill_files::fs::open::open_regular;
use std::io::{BufRead, BufReader, Read};
use std::path::{Path, PathBuf};

/// The longest line of such a file, in bytes.
const LINE_MOST: u64 = 64 << 20;
/// Conflicts that are listed; the rest is counted.
const LISTED: usize = 40;

/// Takes in the decisions of all files, or of none; the records go to `lines`. Gives the sentences
/// about it.
pub fn take_in(
    meant: &mut Meant,
    files: &[PathBuf],
    lines: &mut Vec<u8>,
) -> Result<String, Diagnostic> {
    let hash = meant.plan.doc.hash();
    let mut told = String::new();
    for file in files {
        let taken = take_file(meant, file, &hash, lines)?;
        let known = match taken.known {
            0 => String::new(),
            known => format!(", {} known already", number(known)),
        };
        let new = counted(taken.new, "decision");
        told.push_str(&format!("{}: {new} taken in{known}.\n", visible_path(file)));
        let checked = meant.plan.check_decisions();
        checked.map_err(|error| {
            Diagnostic::trouble(format!("{}: {error}", visible_path(file)))
                .remedy("nothing has been taken in; have that change decided anew")
        })?;
    }
    Ok(told)
}

/// The decisions of one file.
#[derive(Default)]
struct Taken {
    new: u64,
    /// The decisions that the plan holds already.
    known: u64,
}

fn take_file(
    meant: &mut Meant,
    file: &Path,
    hash: &str,
    lines: &mut Vec<u8>,
) -> Result<Taken, Diagnostic> {
    let shown = visible_path(file);
    let fail = |error: &dyn std::fmt::Display| {
        Diagnostic::trouble(format!("cannot read the decisions in {shown}: {error}"))
    };
    let mut input = BufReader::new(open_regular(file).map_err(|error| fail(&error))?);
    let name = file
        .file_stem()
        .map(|name| visible(name.as_encoded_bytes()));
    let name = name.unwrap_or_default();
    let mut taken = Taken::default();
    let mut line = Vec::new();
    for number in 1u64.. {
        line.clear();
        let read = input.by_ref().take(LINE_MOST).read_until(b'\n', &mut line);
        let read = read.map_err(|error| fail(&error))?;
        if read == 0 {
            break;
        }
        let record = line.trim_ascii();
        if record.is_empty() {
            continue;
        }
        if read as u64 == LINE_MOST {
            let most = LINE_MOST >> 20;
            return Err(Diagnostic::trouble(format!(
                "{shown}, line {number}: this line is longer than {most} MiB, the most that is read"
            ))
            .remedy("nothing has been taken in; name a file that was saved on the page"));
        }
        let added = meant.plan.doc.index.take_in(record, (hash, &name));
        match added.map_err(|fault| faulty(&shown, number, &fault))? {
            TakenIn::New(added) => {
                taken.new += 1;
                lines.extend(added);
            }
            TakenIn::Known => taken.known += 1,
            TakenIn::Foreign => {}
        }
    }
    match taken.new + taken.known {
        0 => Err(Diagnostic::no(format!("{shown} holds no decisions"))
            .remedy("nothing has been taken in; `review --report` makes the page that saves them")),
        _ => Ok(taken),
    }
}

fn faulty(file: &str, line: u64, fault: &PlanFault) -> Diagnostic {
    let remedy = match fault {
        PlanFault::OtherPlan => {
            "nothing has been taken in; name the plan that the page was made from with `--plan FILE`"
        }
        _ => "nothing has been taken in; name a file that was saved on the page",
    };
    Diagnostic::trouble(format!("{file}, line {line}: {fault}")).remedy(remedy)
}

/// Lists the changes that reviewers decided differently about; an error, where there are some.
pub fn check_conflicts(meant: &Meant, output: &mut Output) -> Result<(), Diagnostic> {
    let plan = &meant.plan.doc.index;
    let conflicts = plan.conflicts();
    if conflicts.is_empty() {
        return Ok(());
    }
    for index in conflicts.iter().take(LISTED) {
        let path = visible(&plan.files[plan.file_of(*index)].path);
        let opinions = plan.opinions.get(index);
        let said = opinions
            .into_iter()
            .flat_map(|all| all.all())
            .map(opinion_text);
        let said = said.collect::<Vec<_>>().join(", ");
        let own = opinions.and_then(|all| all.own());
        let own = own.map_or(String::new(), |own| format!("{} in the plan, ", own.name()));
        let (id, line) = (plan.id(*index), plan.entries[*index].line);
        output.note(&format!("  {id}  {path}, line {line}: {own}{said}\n"));
    }
    if let Some(more) = conflicts.len().checked_sub(LISTED).filter(|more| *more > 0) {
        output.note(&format!("  … and {more} more\n"));
    }
    let message = match conflicts.len() {
        1 => "1 change is decided differently, and is open".to_owned(),
        n => format!("{n} changes are decided differently, and are open"),
    };
    Err(Diagnostic::no(message).remedy(
        "settle them in `bquill review`, or with `--accept WHICH` and `--refuse WHICH`: an open change is not written",
    ))
}
