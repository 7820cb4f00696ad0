//! `check`: every line or cell must match, or none may.

use crate::args::definitions::CheckArgs;
use crate::args::definitions::Context;
use crate::args::split::Part;
use crate::commands::notes::{print_hint_records, print_note_records, print_notes};
use crate::commands::search::{Request, Room, Seer, Split};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::{Output, Page};
use crate::render::find::{FindView, FoundUnit};
use crate::render::json;
use crate::render::sentence::check_sentence;
use crate::status::Status;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::records::field::line as record_line;
use brisk_quill_core::records::find::CheckTotalsRecord;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_engine::collector::SearchedUnit;
use brisk_quill_engine::plan_records;
use brisk_quill_files::source::Source;

pub fn run(args: &CheckArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Diagnostic> {
    let mut request = Request::new(parts, &args.files)?.after(&args.texts, output)?;
    let query = request.query.clone();
    let sentence = check_sentence(&query, &request.sources.listing.sources, args.forbid);
    let mut judge = Judge {
        view: (!args.json).then(|| FindView {
            width: output.width(),
            groups: query.pattern.groups(),
        }),
        forbid: args.forbid,
        room: Room::new(options::at_most("--show", args.show.as_deref())?),
        left: 0,
        here: Vec::new(),
        checked: 0,
        offenders: 0,
        shown: 0,
    };
    if !args.json {
        output.say(&format!("{sentence}\n"));
    }
    let options = RunOptions {
        missing: true,
        ..RunOptions::default()
    };
    let searched = request.run(options, &mut judge, output)?;
    let Judge {
        checked,
        offenders,
        shown,
        ..
    } = judge;
    if args.json {
        print_note_records(&searched.notes, output);
        print_hint_records(&searched.hints, output);
        output.data(&record_line(&CheckTotalsRecord {
            files: searched.files.read,
            files_skipped: searched.files.skipped(),
            checked,
            offenders,
            problems: searched.problems + searched.files.unreadable,
        }));
    } else {
        if offenders > shown {
            let more = counted(offenders - shown, "more offender");
            output.say(&format!("\n{more} not shown; add `--show all`.\n"));
        }
        let files = counted(searched.files.read, "file");
        let verdict = verdict((checked, query.unit.name()), offenders, &files);
        output.say(&format!("\n{verdict}\n"));
        print_notes(&searched.notes, &searched.hints, output);
    }
    Ok(searched.status(checked > 0 && offenders == 0))
}

/// Collects what is not as it must be.
#[derive(Clone)]
struct Judge<'a> {
    /// `None` prints records.
    view: Option<FindView<'a>>,
    forbid: bool,
    room: Room,
    /// Offenders of the current file that may still be shown.
    left: usize,
    here: Vec<FoundUnit>,
    checked: u64,
    offenders: u64,
    shown: u64,
}

impl Seer for Judge<'_> {
    fn begin_file(&mut self, _: &Source) {
        self.left = self.room.left();
    }

    fn unit(&mut self, source: &Source, seen: &SearchedUnit<'_>, page: &mut Page) {
        if !seen.unit.in_scope {
            return;
        }
        self.checked += 1;
        if (seen.taken > 0) != self.forbid {
            return;
        }
        self.offenders += 1;
        let mut unit = FoundUnit::new(seen.unit, seen.found, Context::default());
        unit.groups.clear();
        if self.view.is_none() {
            page.data(&json::offender(source, &unit));
        } else if self.left > 0 {
            self.left -= 1;
            self.here.push(unit);
        }
    }

    fn problem(&mut self, source: &Source, problem: &Problem, page: &mut Page) {
        if self.view.is_none() {
            page.data(&plan_records::problem(source, problem));
        }
    }

    fn end_file(&mut self, source: &Source, output: &mut Output) {
        if let Some(view) = &self.view {
            output.draw(&view.file(source, &self.here));
        }
    }
}

impl Split for Judge<'_> {
    fn absorb(&mut self, file: Self) {
        self.checked += file.checked;
        self.offenders += file.offenders;
        self.here = file.here;
        self.shown += self.room.fill(&mut self.here, |_| 1) as u64;
    }

    fn join(&mut self, part: Self) {
        self.checked += part.checked;
        self.offenders += part.offenders;
        let fits = part.here.into_iter().take(self.left);
        let before = self.here.len();
        self.here.extend(fits);
        self.left -= self.here.len() - before;
    }
}

/// The last sentence: how many units were checked, and how many offend.
fn verdict((checked, unit): (u64, &str), offenders: u64, files: &str) -> String {
    let units = counted(checked, unit);
    match (checked, offenders) {
        (0, _) => format!("There is no {unit} to check in {files}."),
        (_, 0) => format!("All is as it must be: {units} in {files}."),
        _ => {
            let offenders = counted(offenders, "offender");
            format!("{offenders} in {units} in {files}.")
        }
    }
}
