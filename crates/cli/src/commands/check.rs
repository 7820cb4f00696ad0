//! `check`: every line or cell must match, or none may.

mod rewrite;

use crate::args::definitions::{CheckArgs, Context, FilesArgs};
use crate::args::split::Part;
use crate::commands::notes::{print_hint_records, print_note_records, print_notes};
use crate::commands::search::{Request, Room, Seer, Split};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::{Output, Page};
use crate::render::annotations::Places;
use crate::render::find::{FindView, FoundUnit};
use crate::render::json;
use crate::render::positions;
use crate::render::sentence::check_sentence;
use crate::status::Status;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::query::unit_view::Unmatched;
use brisk_quill_core::records::field::line as record_line;
use brisk_quill_core::records::find::CheckTotalsRecord;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::span::Span;
use brisk_quill_engine::collector::SearchedUnit;
use brisk_quill_engine::plan_records;
use brisk_quill_files::source::Source;

pub fn run(args: &CheckArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Diagnostic> {
    if args.of_file.rewrite.is_some() {
        return rewrite::run(args, parts, output);
    }
    let files = FilesArgs {
        // Its answer is what it is asked for.
        exit_zero: false,
        ..args.files.clone()
    };
    let mut request = Request::new(parts, &files)?.after(&args.texts, output)?;
    let query = request.query.clone();
    let sentence = check_sentence(&query, &request.sources.listing.sources, args.forbid);
    let mut judge = Judge {
        form: Form::new(args, &query, output),
        forbid: args.forbid,
        room: Room::new(match args.positions || args.annotate.is_some() {
            true => usize::MAX,
            false => options::at_most("--show", args.show.as_deref())?,
        }),
        left: 0,
        here: Vec::new(),
        checked: 0,
        offenders: 0,
        shown: 0,
    };
    if let Form::Text(_) = judge.form {
        output.prose(&format!("{sentence}\n"));
    }
    let options = RunOptions {
        missing: match args.forbid {
            true => Unmatched::Counted,
            false => Unmatched::Shown,
        },
        ..RunOptions::default()
    };
    let searched = request.run(options, &mut judge, output)?;
    let Judge {
        checked,
        offenders,
        shown,
        form,
        ..
    } = judge;
    if let Form::Places(places, _) = form {
        output.say(&places.end(&sentence));
    } else if args.json {
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

/// The form of what is not as it must be.
#[derive(Clone)]
enum Form<'a> {
    Text(FindView<'a>),
    Json,
    /// Places, and the fault at each.
    Places(Places, String),
}

impl<'a> Form<'a> {
    fn new(args: &CheckArgs, query: &'a Query, output: &Output) -> Self {
        let pattern = visible(query.pattern.source().as_bytes());
        match (args.json, args.positions || args.annotate.is_some()) {
            (true, _) => Self::Json,
            (false, true) => {
                let fault = match args.forbid {
                    true => format!("a match of `{pattern}`, which is forbidden"),
                    false => format!("no match of `{pattern}`"),
                };
                Self::Places(Places::new(args.annotate), fault)
            }
            (false, false) => Self::Text(FindView {
                canvas: output.canvas(),
                groups: query.pattern.groups(),
            }),
        }
    }
}

/// Collects what is not as it must be.
#[derive(Clone)]
struct Judge<'a> {
    form: Form<'a>,
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
        if self.left == 0 && !matches!(self.form, Form::Json) {
            return;
        }
        let mut unit = FoundUnit::new(seen.unit, seen.found, Context::default());
        unit.groups.clear();
        match self.form {
            Form::Json => return page.data(&json::offender(source, &unit)),
            Form::Places(..) => {
                // Where nothing matches, all of it is meant.
                unit.spans.truncate(1);
                unit.spans.extend(unit.spans.is_empty().then(Span::default));
                unit = unit.placed(seen.unit);
            }
            Form::Text(_) => {}
        }
        self.left -= 1;
        self.here.push(unit);
    }

    fn passed(&mut self, units: u64) {
        self.checked += units;
    }

    fn problem(&mut self, source: &Source, problem: &Problem, page: &mut Page) {
        if let Form::Json = self.form {
            page.data(&plan_records::problem(source, problem));
        }
    }

    fn end_file(&mut self, source: &Source, output: &mut Output) {
        match &mut self.form {
            Form::Json => {}
            Form::Text(view) => output.draw(&view.file(source, &self.here)),
            Form::Places(places, fault) => {
                for unit in &self.here {
                    let (place, at) = (unit.places[0], unit.spans[0].from);
                    let text = positions::line_at(&unit.text, at);
                    let said = places.add(source, place, (fault, &text));
                    output.say(&said);
                }
            }
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
