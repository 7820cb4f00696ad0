//! Reports on standard error about files and units, and the end of a rewrite.

use crate::args::definitions::GuardArgs;
use crate::commands::ends::{report_failed, stopped};
use crate::diagnostic::Diagnostic;
use crate::host::cancel_token;
use crate::options;
use crate::output::Output;
use crate::render::highlight::one_line_of;
use crate::render::names::file_name;
use crate::settings::settings;
use crate::signals;
use crate::status::Status;
use brisk_quill_core::address::Count;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::rewrite::sink::Unmet;
use brisk_quill_engine::collector::Collector;
use brisk_quill_engine::guards::{Guards, Unexpected};
use brisk_quill_engine::request::Work;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::session::{Session, Taken};
use brisk_quill_engine::sources::Sources;
use brisk_quill_engine::summary::{Ended, StopReason, Summary};
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::source::Source;
use std::ops::ControlFlow;

/// Units reported that are not as `--ensure` asks; the rest is counted.
const UNMET_TOLD: usize = 40;

/// A rewrite over its files, and the reports about it.
pub struct Evaluating<'r> {
    rewrite: &'r Rewrite,
    pub sources: &'r Sources,
    options: RunOptions,
    pub session: Session,
    guards: Guards,
    reported: Reported,
    pub summary: Summary,
}

/// The reports made about units.
#[derive(Default)]
pub struct Reported {
    skip_problems: bool,
    /// The status where nothing matched.
    nothing: Option<Status>,
    unmet: usize,
    /// The heaviest of it.
    status: Status,
}

/// Conditions that must hold in the end.
pub fn guards(args: &GuardArgs) -> Result<Guards, Diagnostic> {
    Ok(Guards {
        expected: options::expected(&args.expect)?,
        skip_problems: args.skip_problems,
    })
}

impl<'r> Evaluating<'r> {
    /// A rewrite over some files.
    pub fn new(
        rewrite: &'r Rewrite,
        sources: &'r Sources,
        options: RunOptions,
        (texts, threads): (TextOptions, Threads),
        guards: Guards,
    ) -> Self {
        if !options::waits_for_typing(sources) {
            signals::listen();
        }
        Self {
            rewrite,
            sources,
            options,
            session: Session::new(texts, threads, cancel_token()),
            reported: Reported::new(&guards),
            guards,
            summary: Summary::default(),
        }
    }

    /// Looks out for hints, if they are `wanted`.
    #[must_use]
    pub fn with_hints(mut self, wanted: bool) -> Self {
        if wanted {
            let session = self.session.with_hints();
            self.session = session.silent_about(&settings().hints_off());
        }
        self
    }

    /// Ends with this status where nothing matched.
    #[must_use]
    pub fn ends_with(mut self, nothing: Status) -> Self {
        self.reported.nothing = Some(nothing);
        self
    }

    /// Evaluates every file, each with a collector of its own, and shows `take` what was
    /// gathered, in order. Reports files that could not be read.
    ///
    /// Fails when it was stopped before the end.
    pub fn run<C: Collector>(
        &mut self,
        make: impl Fn(&'r Source) -> C + Sync,
        output: &mut Output,
        mut take: impl FnMut(Taken<'r, C>, &mut Reported, &mut Output) -> ControlFlow<()>,
    ) -> Result<(), Diagnostic> {
        let work = Work {
            rewrite: self.rewrite,
            options: self.options.clone(),
        };
        let _progress = output.progress(&self.sources.listing.sources);
        let reported = &mut self.reported;
        let ended = self.session.run(&work, self.sources, make, |taken| {
            output.flow()?;
            if let Some(end) = &taken.end {
                report_failed(end, output);
            }
            take(taken, reported, output)
        });
        self.summary = match ended.map_err(|error| Diagnostic::of_file(&error))? {
            Ended::Complete(summary) | Ended::Stopped(StopReason::Enough, summary) => summary,
            Ended::Stopped(StopReason::Interrupted, _) => return Err(stopped()),
        };
        Ok(())
    }

    /// True if all numbers of changes are as expected.
    pub fn as_expected(&self) -> bool {
        self.guards
            .unexpected(self.rewrite, &self.summary)
            .is_empty()
    }

    /// Reports which guards do not hold; gives what the program ends with.
    pub fn end(&self, output: &mut Output) -> Status {
        self.reported
            .end((self.rewrite, &self.guards), &self.summary, output)
    }
}

impl Reported {
    /// Nothing has been reported yet.
    pub fn new(guards: &Guards) -> Self {
        Self {
            skip_problems: guards.skip_problems,
            ..Self::default()
        }
    }

    /// Reports which guards do not hold in the end; gives what the program ends with.
    pub fn end(
        &self,
        (rewrite, guards): (&Rewrite, &Guards),
        summary: &Summary,
        output: &mut Output,
    ) -> Status {
        let counts = &summary.counts;
        let mut status = self.status;
        if summary.files.unreadable > 0 {
            status = status.max(Status::Trouble);
        }
        if guards.expected.is_empty() && counts.all_steps().matches + counts.changes == 0 {
            status = status.max(self.nothing.unwrap_or(Status::No));
        }
        for one in guards.unexpected(rewrite, summary) {
            status = status.max(output.complain(&unexpected(&one)));
        }
        if counts.unmet > 0 {
            let more = self.unmet.checked_sub(UNMET_TOLD);
            if let Some(more) = more.filter(|n| *n > 0) {
                output.note(&format!("… and {more} more\n"));
            }
            status = status.max(output.complain(&unmet(counts.unmet)));
        }
        status
    }

    /// Reports what was left alone in a file, and what is not as it must be.
    pub fn units(
        &mut self,
        source: &Source,
        problems: &[Problem],
        unmet: &[Unmet],
        output: &mut Output,
    ) {
        for problem in problems {
            let diagnostic = Diagnostic::of_problem(source, problem);
            if diagnostic.status == Status::WrongRequest || !self.skip_problems {
                self.status = self.status.max(diagnostic.status);
            }
            output.problem(&diagnostic);
        }
        for unmet in unmet {
            self.unmet += 1;
            if self.unmet <= UNMET_TOLD {
                let place = format!("{}, line {}: ", file_name(source), unmet.line);
                let left = output.width().saturating_sub(place.len()).max(20);
                output.note(&format!("{place}{}\n", one_line_of(&unmet.text, left)));
            }
        }
    }
}

/// More changes than expected, or fewer.
pub fn unexpected(one: &Unexpected) -> Diagnostic {
    let Unexpected {
        step,
        expected,
        found,
    } = one;
    let message = match step {
        None => format!("{expected} changes were expected, and there are {found}"),
        Some(step) => format!("step {step} expects {expected} changes, and there are {found}"),
    };
    Diagnostic::no(message).remedy("nothing has been written")
}

/// The first of the expected numbers that does not hold.
pub fn first_unexpected(expected: &[Count], found: u64) -> Option<Unexpected> {
    let count = expected.iter().find(|count| !count.holds(found))?;
    Some(Unexpected {
        step: None,
        expected: *count,
        found,
    })
}

fn unmet(units: u64) -> Diagnostic {
    let what = counted(units, "unit");
    Diagnostic::no(format!(
        "--ensure: {what} in scope would not match afterwards"
    ))
    .remedy("nothing has been written")
}
