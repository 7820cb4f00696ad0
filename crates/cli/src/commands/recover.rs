//! `recover`: finishes a run that was stopped.

use super::pass::file_complaint;
use super::state;
use crate::args::RecoverArgs;
use crate::complaint::Complaint;
use crate::output::Output;
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_files::{Direction, RealFs, open_ways, recover};

pub fn run(args: &RecoverArgs, output: &mut Output) -> Result<Status, Complaint> {
    let journal = state::journal()?;
    let failed = |error| file_complaint(&error);
    let Some(record) = journal.unfinished().map_err(failed)? else {
        output.print(b"No run is unfinished.\n");
        return Ok(Status::Fine);
    };
    let _lock = journal.lock().map_err(failed)?;
    // Another recovery may have finished it in the meantime.
    let record = journal.load(record.run).map_err(failed)?;
    let asked = match (args.back, args.forward) {
        (true, _) => Some(Direction::Back),
        (_, true) => Some(Direction::Forward),
        _ => None,
    };
    let open = open_ways(&RealFs, &journal, &record).map_err(failed)?;
    let way = asked.or(open.way());
    let (files, changes, when, place) = match &record.intent {
        Some(intent) => (
            intent.targets.len() as u64,
            intent.targets.iter().map(|target| target.changes).sum(),
            state::moment(intent.at),
            visible_path(&intent.folder.path()),
        ),
        None => (
            0,
            0,
            "at an unknown time".into(),
            "an unknown folder".into(),
        ),
    };
    let what = state::changes_in_files(changes, files);
    let why = match (way, record.commit.is_some()) {
        (Some(Direction::Forward), _) => "Every file gets its new bytes.",
        (Some(Direction::Back), false) => {
            "It was not yet decided, so every file keeps its old bytes."
        }
        (Some(Direction::Back), true) => "Every file gets its old bytes.",
        (None, _) => "It can go neither way.",
    };
    let run = record.run;
    let text = format!("Run {run}, begun {when} in {place}: {what}. {why}\n");
    output.print(text.as_bytes());
    let taken = recover(&RealFs, &journal, &record, asked).map_err(|error| {
        let other = match asked {
            Some(Direction::Back) if open.forward => "`--forward` is open",
            Some(Direction::Forward) if open.back => "`--back` is open",
            _ => "put the file back as it was before or after, and recover again",
        };
        file_complaint(&error).remedy(format!("nothing has been touched; {other}"))
    })?;
    let end = match taken {
        Direction::Forward => "is complete",
        Direction::Back => "has been taken back",
    };
    output.print(format!("Run {run} {end}.\n").as_bytes());
    Ok(Status::Fine)
}
