//! `find`: every match of a pattern, with its groups.

use crate::args::definitions::Context;
use crate::args::definitions::FindArgs;
use crate::args::split::Part;
use crate::commands::notes::{print_hint_records, print_note_records, print_notes, print_totals};
use crate::commands::search::{Request, Room, Searched, Seer, Split};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::{Output, Page};
use crate::render::find::{FindView, FoundUnit};
use crate::render::json;
use crate::render::names::file_name;
use crate::render::positions;
use crate::render::sentence::find_sentence;
use crate::render::table::FindTotals;
use crate::render::why::{reason_table, reason_words};
use crate::status::Status;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::groups::Groups;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::query::unit_view::Unmatched;
use brisk_quill_core::records::field::line as record_line;
use brisk_quill_core::records::find::FindTotalsRecord;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_engine::collector::SearchedUnit;
use brisk_quill_engine::plan_records;
use brisk_quill_engine::why::{Explained, Explainer, Reason, Reasons, UNITS_MOST};
use brisk_quill_files::source::Source;
use std::sync::{Arc, Mutex, PoisonError};

pub fn run(args: &FindArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Diagnostic> {
    let mut request = Request::new(parts, &args.files)?.after(&args.texts, output)?;
    if args.bare || args.paths || args.count || args.positions {
        request = request.without_hints();
    }
    let query = request.query.clone();
    let explainer = match args.why {
        true => Some(Explainer::new(&query.pattern).ok_or_else(|| no_parts(&query.pattern))?),
        false => None,
    };
    let mut tally = Tally {
        why: Why {
            explainer,
            here: Vec::new(),
            reasons: Arc::default(),
        },
        form: Form::new(args, &query, output),
        missing: args.missing,
        context: args.show.context,
        room: Room::new(options::shown(&args.show)?),
        left: 0,
        shown: 0,
        here: 0,
        units: Vec::new(),
        lacks_end: false,
        last: request.sources.listing.sources.last().cloned(),
        totals: FindTotals::new(&query, args.missing),
    };
    if let Form::Text(_) = tally.form {
        let sentence = find_sentence(&query, &request.sources.listing.sources, args.missing);
        output.prose(&format!("{sentence}\n"));
    }
    let options = RunOptions {
        // Where nothing is shown of them, finding them would only take time.
        groups: matches!(tally.form, Form::Text(_) | Form::Json(_)),
        missing: match args.missing {
            true => Unmatched::Shown,
            false => Unmatched::Ignored,
        },
        one_piece: args.show.context.lines() > 0,
        ..RunOptions::default()
    };
    let searched = request.run(options, &mut tally, output)?;
    Ok(tally.end(&searched, output))
}

/// Reasons shown; the rest is counted.
const REASONS_SHOWN: usize = 20;

/// In which form the matches come.
#[derive(Clone)]
enum Form<'a> {
    Text(FindView<'a>),
    Json(&'a Groups),
    /// The units alone; made visible for a person.
    Bare {
        escaped: bool,
    },
    /// A line for each match, with its place.
    Positions,
    /// The names of files alone.
    Paths,
    /// Counts alone; of each unit too.
    Count {
        each: bool,
    },
}

impl<'a> Form<'a> {
    fn new(args: &FindArgs, query: &'a Query, output: &Output) -> Self {
        let groups = query.pattern.groups();
        if args.json {
            Self::Json(groups)
        } else if args.bare {
            Self::Bare {
                escaped: output.is_terminal(),
            }
        } else if args.positions {
            Self::Positions
        } else if args.paths {
            Self::Paths
        } else if args.count {
            Self::Count { each: args.each }
        } else {
            Self::Text(FindView {
                canvas: output.canvas(),
                groups,
            })
        }
    }
}

/// The fault of `--why` with a pattern that has no parts to report on.
fn no_parts(pattern: &Pattern) -> Diagnostic {
    let why = match pattern.backtracks() {
        true => {
            "`--why`: a pattern with look-around, or a reference to one of its groups, has no parts to report on"
        }
        false => {
            "`--why`: the pattern has one part only, and where it does not match, that part is missing"
        }
    };
    Diagnostic::wrong(why).remedy("leave `--why` out")
}

/// The reasons for which units do not match, where they are asked for.
#[derive(Clone)]
struct Why {
    explainer: Option<Arc<Explainer>>,
    /// Of the current file.
    here: Vec<Explained>,
    /// Of all files; a file on another thread does not look at it.
    reasons: Arc<Mutex<Reasons>>,
}

impl Why {
    /// The reason of a unit, in words, where there is one to be shown.
    fn unit(&mut self, seen: &SearchedUnit<'_>) -> Option<String> {
        let explainer = self.explainer.as_ref()?;
        let explained = explainer.explain(seen.unit.bytes(), seen.unit.line)?;
        let words = reason_words(&explained.reason, explainer.parts());
        let words = (explained.reason != Reason::Nothing).then_some(words);
        if (self.here.len() as u64) < UNITS_MOST {
            self.here.push(explained);
        }
        words
    }

    /// Counts the reasons of a file with this many units.
    fn end_file(&mut self, source: &Source, units: u64) {
        if let Some(explainer) = &self.explainer {
            let mut reasons = self.reasons.lock().unwrap_or_else(PoisonError::into_inner);
            reasons.add(explainer, source, (std::mem::take(&mut self.here), units));
        }
    }

    fn take(&self) -> Reasons {
        let mut reasons = self.reasons.lock().unwrap_or_else(PoisonError::into_inner);
        std::mem::take(&mut *reasons)
    }
}

/// Counts matches, or units without one, and shows them.
#[derive(Clone)]
struct Tally<'a> {
    why: Why,
    form: Form<'a>,
    missing: bool,
    context: Context,
    room: Room,
    /// Matches of the current file that may still be shown.
    left: usize,
    shown: u64,
    /// Counted in the current file.
    here: u64,
    /// Units of the current file that are to be shown.
    units: Vec<FoundUnit>,
    /// The last line that was printed as it is has no end.
    lacks_end: bool,
    /// The last of all files.
    last: Option<Source>,
    totals: FindTotals,
}

impl Seer for Tally<'_> {
    fn begin_file(&mut self, _: &Source) {
        self.left = self.room.left();
    }

    fn unit(&mut self, source: &Source, seen: &SearchedUnit<'_>, page: &mut Page) {
        let wanted = match self.missing {
            true => u64::from(seen.unit.in_scope && seen.taken == 0),
            false => seen.taken,
        };
        self.here += wanted;
        if wanted > 0 {
            let why = self.why.unit(seen);
            self.show((source, seen), (wanted, why), page);
        }
    }

    fn problem(&mut self, source: &Source, problem: &Problem, page: &mut Page) {
        if let Form::Json(_) = &self.form {
            page.data(&plan_records::problem(source, problem));
        }
    }

    fn end_file(&mut self, source: &Source, output: &mut Output) {
        self.totals.matching += u64::from(self.here > 0);
        self.totals.units += self.here;
        self.why.end_file(source, self.here);
        if std::mem::take(&mut self.lacks_end) && Some(source) != self.last.as_ref() {
            // A line of the next file must not stand behind this one.
            output.say("\n");
        }
        match &self.form {
            Form::Text(view) => output.draw(&view.file(source, &self.units)),
            Form::Paths if self.here > 0 => {
                let name = source.path().as_os_str().as_encoded_bytes();
                match output.is_terminal() {
                    true => output.say(&visible(name)),
                    false => output.data(name),
                }
                output.say("\n");
            }
            Form::Count { .. } if self.here > 0 => {
                let row = format!("{:>8}  {}\n", number(self.here), file_name(source));
                output.say(&row);
            }
            _ => {}
        }
    }
}

impl Split for Tally<'_> {
    fn absorb(&mut self, file: Self) {
        self.here = file.here;
        self.why.here = file.why.here;
        self.lacks_end = file.lacks_end;
        self.units = file.units;
        let size = |unit: &FoundUnit| unit.spans.len().max(1);
        self.shown += self.room.fill(&mut self.units, size) as u64;
    }

    fn join(&mut self, part: Self) {
        self.here += part.here;
        self.why.here.extend(part.why.here);
        self.lacks_end |= part.lacks_end;
        for unit in part.units {
            if self.left > 0 {
                self.left = self.left.saturating_sub(unit.spans.len().max(1));
                self.units.push(unit);
            }
        }
    }
}

impl Tally<'_> {
    fn show(
        &mut self,
        (source, seen): (&Source, &SearchedUnit<'_>),
        (wanted, why): (u64, Option<String>),
        page: &mut Page,
    ) {
        let unit = seen.unit;
        match &self.form {
            Form::Json(groups) => {
                let offsets = unit.offsets();
                let locate = |at: usize| seen.map.place(offsets.of(at));
                let found = FoundUnit::new(unit, seen.found, Context::default()).placed(unit);
                page.data(&match self.missing {
                    true => json::missing(source, &found, why.as_deref()),
                    false => json::matches(source, &found, groups, &locate),
                });
            }
            Form::Text(_) if self.left > 0 => {
                let shown = usize::try_from(wanted).unwrap_or(usize::MAX);
                self.left = self.left.saturating_sub(shown);
                let found = FoundUnit::new(unit, seen.found, self.context);
                self.units.push(FoundUnit { why, ..found });
            }
            Form::Positions => {
                let found = FoundUnit::new(unit, seen.found, Context::default()).placed(unit);
                for (span, place) in found.spans.iter().zip(&found.places) {
                    let text = positions::line_at(&found.text, span.from);
                    page.say(&positions::line(source, *place, &text));
                }
            }
            Form::Bare { escaped: true } => {
                page.say(&visible(unit.bytes()));
                page.say("\n");
            }
            Form::Bare { escaped: false } => {
                if unit.cell.is_some() {
                    page.data(unit.bytes());
                    return page.say("\n");
                }
                let ending = &unit.text[unit.span.to..unit.ending.to];
                page.data(seen.map.raw(unit.offset(0), unit.bytes()));
                page.data(seen.map.raw(unit.offset(unit.bytes().len()), ending));
                self.lacks_end = ending.is_empty() && !unit.bytes().ends_with(b"\n");
            }
            Form::Count { each: true } => {
                let name = file_name(source);
                let cell = unit.cell.map(|cell| format!(", {}", cell.name()));
                let cell = cell.unwrap_or_default();
                let row = format!("{wanted:>8}  {name}, line {}{cell}\n", unit.line);
                page.say(&row);
            }
            Form::Text(_) | Form::Paths | Form::Count { .. } => {}
        }
    }

    fn end(mut self, searched: &Searched, output: &mut Output) -> Status {
        let totals = &mut self.totals;
        totals.files = searched.files;
        totals.matches = searched.matches;
        totals.left_out = searched.left_out;
        totals.problems = searched.problems;
        totals.set_blocks(searched.blocks);
        let totals = &self.totals;
        match &self.form {
            Form::Json(_) => {
                print_reason_records(&self.why, output);
                print_note_records(&searched.notes, output);
                print_hint_records(&searched.hints, output);
                output.data(&record_line(&FindTotalsRecord {
                    files: totals.files.read,
                    files_matching: totals.matching,
                    files_skipped: totals.files.skipped(),
                    matches: totals.matches,
                    left_out: totals.left_out.into(),
                    problems: totals.problems + totals.files.unreadable,
                }));
            }
            Form::Text(_) => {
                let hidden = totals.units - self.shown;
                if hidden > 0 {
                    let noun = if self.missing { totals.unit } else { "match" };
                    let more = counted(hidden, &format!("more {noun}"));
                    let note = format!("\n{more} not shown; add `--show all`.\n");
                    output.say(&note);
                }
                if let Some(explainer) = &self.why.explainer {
                    let unit = (totals.unit, REASONS_SHOWN);
                    output.draw(&reason_table(self.why.take(), explainer.parts(), unit));
                }
                print_totals(&totals.text(), output);
                print_notes(&searched.notes, &searched.hints, output);
            }
            Form::Count { .. } => {
                let row = format!("{:>8}  in all\n", number(totals.units));
                output.say(&row);
            }
            Form::Bare { .. } | Form::Paths | Form::Positions => {}
        }
        searched.status(totals.units > 0)
    }
}

/// Prints the record of each reason.
fn print_reason_records(why: &Why, output: &mut Output) {
    let Some(explainer) = &why.explainer else {
        return;
    };
    for row in why.take().rows() {
        let words = reason_words(&row.reason, explainer.parts());
        output.data(&json::reason(&row, &words));
    }
}
