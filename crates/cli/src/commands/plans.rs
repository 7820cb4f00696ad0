//! Plans by name: a file that is named, or the last preview of
//! a folder.

use crate::args::definitions::PlanArgs;
use crate::args::split::Part;
use crate::commands::ends::{already_there, report_failed, stopped};
use crate::commands::journal_run;
use crate::commands::report::Reported;
use crate::diagnostic::Diagnostic;
use crate::host::{current_folder, go_to, host};
use crate::output::Output;
use crate::render::sentence::rewrite_sentence;
use crate::signals;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_engine::open_plan::{NotAppended, OpenPlan, WriteError};
use brisk_quill_engine::plan_writer::PlanWriteError;
use brisk_quill_engine::renew::{RenewError, Renewed, source_of};
use brisk_quill_engine::tables::UnreadTables;
use brisk_quill_files::error::{FileErrorKind, system_words};
use brisk_quill_files::fs::FileId;
use brisk_quill_files::plan::Plan;
use brisk_quill_files::plan_file::{AppendError, PlanDoc, PlanFileError};
use brisk_quill_files::read::planned::PlannedTexts;
use brisk_quill_files::source::Source;
use std::io;
use std::ops::ControlFlow;
use std::path::Path;

/// The file that is named; `last` names none.
fn named(file: Option<&Path>) -> Option<&Path> {
    file.filter(|file| file.as_os_str() != "last")
}

/// The plan in a file; `last`, or nothing, is the last preview of this folder.
pub fn open(file: Option<&Path>) -> Result<PlanDoc, Diagnostic> {
    let file = named(file);
    let place = match file {
        Some(file) => file.to_owned(),
        None => host()
            .last_plan()
            .filter(|place| place.exists())
            .ok_or_else(|| {
                Diagnostic::no("there is no preview to go on with in this folder").remedy(
                    "`bquill preview PATTERN --with TEMPLATE …` makes one, or name a plan with \
                 `--plan FILE`",
                )
            })?,
    };
    let name = name_of(file);
    PlanDoc::open(&place).map_err(|error| cannot_use(&name, &error))
}

/// The name of a plan.
fn name_of(file: Option<&Path>) -> String {
    match named(file) {
        Some(file) => format!("the plan {}", visible_path(file)),
        None => "the last preview".to_owned(),
    }
}

fn cannot_use(name: &str, error: &PlanFileError) -> Diagnostic {
    if let PlanFileError::Io(cause) = error
        && cause.kind() == io::ErrorKind::NotFound
    {
        return Diagnostic::trouble(format!("{name} does not exist")).remedy(
            "`preview --save-plan FILE` makes a plan; check the name, and the current folder",
        );
    }
    let remedy = match error {
        PlanFileError::LeadsOut(_) => "say with `--root DIR` where its files lie",
        _ => "make it anew with `preview --save-plan FILE`",
    };
    Diagnostic::trouble(format!("{name} cannot be used: {error}"))
        .remedy(format!("nothing has been written; {remedy}"))
}

/// True if no rewrite is named at all.
pub fn nothing_named(parts: &[Part]) -> bool {
    matches!(parts, [part] if part.words.is_empty() && part.step == StepSpec::default() && part.rewrite.is_none())
}

/// A plan says all that is to be done.
pub fn check_alone(parts: &[Part], ensures: bool) -> Result<(), Diagnostic> {
    if nothing_named(parts) && !ensures {
        return Ok(());
    }
    Err(
        Diagnostic::wrong("a plan cannot be combined with a pattern, step options, or `--rewrite`")
            .remedy("leave one of them out"),
    )
}

/// A plan that is meant to be judged or written.
pub struct Meant {
    pub plan: OpenPlan,
    /// The name.
    pub name: String,
    /// The command that goes on with it.
    pub again: String,
}

/// The plan that the options mean; renewed, where that is asked for.
pub fn meant(args: &PlanArgs, output: &mut Output) -> Result<Meant, Diagnostic> {
    meant_to_write(args, true, output)
}

/// The same for a plan that is written at once where no one `is_asked`: decisions may not be lost
/// then.
pub fn meant_to_write(
    args: &PlanArgs,
    is_asked: bool,
    output: &mut Output,
) -> Result<Meant, Diagnostic> {
    let file = named(args.plan.as_deref());
    let file = file.map(std::path::absolute).transpose();
    let file = file.map_err(|error| {
        Diagnostic::trouble(format!("cannot find the plan: {}", system_words(&error)))
    })?;
    let doc = open(file.as_deref())?;
    if let Some(root) = &args.root {
        go_to(root)?;
    }
    let root = file.as_ref().map(|_| current_folder()).transpose()?;
    let mut meant = Meant {
        plan: OpenPlan::new(doc, &host(), root),
        name: name_of(args.plan.as_deref()),
        again: match file {
            Some(_) => format!(
                "bquill review --plan {}",
                args.plan.as_deref().map(visible_path).unwrap_or_default()
            ),
            None => "bquill review".to_owned(),
        },
    };
    if !meant.plan.doc.is_whole() && !args.partial {
        let changes = counted(meant.plan.doc.index.entries.len() as u64, "change");
        let message = format!("{} was cut off; {changes} of it can be read", meant.name);
        return Err(Diagnostic::trouble(message)
            .remedy("make it anew, or add `--partial` to go on with what is there"));
    }
    if args.renew {
        meant.renew(is_asked || args.partial, output)?;
    }
    meant.check_decisions()?;
    Ok(meant)
}

/// The plan that was just made the last preview of this folder; an error where another one has taken
/// its place already.
pub fn just_kept(kept: Option<FileId>, output: &mut Output) -> Result<Meant, Diagnostic> {
    let meant = meant(&PlanArgs::default(), output)?;
    match kept == Some(meant.plan.doc.id()) {
        true => Ok(meant),
        false => Err(Diagnostic::trouble(
            "another preview in this folder has replaced this one before it could be shown",
        )
        .remedy(
            "nothing has been written; try again, or save the plan with `preview --save-plan FILE`",
        )),
    }
}

impl Meant {
    /// Evaluates the plan again, and says what became of the decisions.
    fn renew(&mut self, may_lose: bool, output: &mut Output) -> Result<(), Diagnostic> {
        if let Some(run) = self.plan.doc.index.undoes {
            return Err(Diagnostic::wrong(format!(
                "{} reverts run {run}, so there is no rewrite to evaluate again",
                self.name
            ))
            .remedy(format!("make it anew with `bquill undo {run} --review`")));
        }
        // Where the plan may not write, it may not read either.
        self.check_places()?;
        signals::listen();
        let mut reported = Reported::default();
        let renewed = self.plan.renew(may_lose, |source, found, end| {
            output.flow()?;
            report_failed(end, output);
            reported.units(source, &found.problems, &found.unmet, output);
            ControlFlow::Continue(())
        });
        let renewed = renewed.map_err(|error| match error {
            RenewError::Stopped => stopped(),
            RenewError::Lost(renewed) => self.would_lose(&renewed),
            RenewError::Rewrite { .. } => Diagnostic::wrong(error.to_string()),
            RenewError::Write(error) => plan_write_diagnostic(&error),
            other => Diagnostic::trouble(other.to_string()),
        })?;
        let Renewed { carried, lost, new } = renewed;
        let text = format!(
            "Evaluated again: {} carried over, {} lost, {}.\n\n",
            counted(carried, "decision"),
            number(lost),
            counted(new, "new change"),
        );
        output.prose(&text);
        Ok(())
    }

    /// The diagnostic of a renewal that would lose decisions.
    fn would_lose(&self, renewed: &Renewed) -> Diagnostic {
        let (lost, carried) = (counted(renewed.lost, "decision"), number(renewed.carried));
        Diagnostic::trouble(format!(
            "{lost} cannot be carried over, and {carried} can, so what would be written is not what was \
             decided"
        ))
        .remedy(format!(
            "nothing has been written, and the plan is as it was; review it again with `{} --renew`, or \
             add `--partial` to write what is left",
            self.again
        ))
    }

    /// Makes sure that every decision fits the plan and its files.
    pub fn check_decisions(&self) -> Result<(), Diagnostic> {
        let checked = self.plan.check_decisions();
        checked.map_err(|error| match error {
            PlanFileError::Decision(_) => {
                Diagnostic::trouble(format!("{} cannot be used: {error}", self.name)).remedy(
                    "nothing has been written; decide about that change anew, or make the plan anew with \
                     `preview --save-plan FILE`",
                )
            }
            error => cannot_use(&self.name, &error),
        })
    }

    /// Appends decisions to the plan that is shown. Where another one has taken its place, they are
    /// kept in a file of their own, which the error names.
    pub fn append(&mut self, lines: &[u8]) -> Result<(), Diagnostic> {
        let done = self.plan.append(lines);
        done.map_err(|error| self.not_appended(&error))?;
        self.sync()
    }

    /// Brings the decisions to the disk.
    pub fn sync(&self) -> Result<(), Diagnostic> {
        let failed = |error| Diagnostic::trouble(format!("cannot write the decisions: {error}"));
        self.plan.doc.sync().map_err(failed)
    }

    /// The diagnostic of decisions that could not be appended.
    pub fn not_appended(&self, not: &NotAppended) -> Diagnostic {
        let name = &self.name;
        let message = match &not.error {
            AppendError::Replaced => {
                format!("{name} was replaced, removed or changed by another program meanwhile")
            }
            AppendError::Io(error) => format!("cannot write the decisions to {name}: {error}"),
        };
        let diagnostic = Diagnostic::trouble(message);
        match &not.kept {
            Ok(Some(kept)) => diagnostic.remedy(format!(
                "nothing has been written to it; your decisions are kept in {0}. Make the same plan again, \
                 and `bquill review --decisions {0}` takes them in",
                visible_path(kept)
            )),
            Ok(None) => diagnostic.remedy("nothing had been decided; review the plan again"),
            Err(error) => diagnostic.remedy(format!("the decisions cannot be kept either: {error}")),
        }
    }

    /// Makes sure that its files lie where they may.
    pub fn check_places(&self) -> Result<(), Diagnostic> {
        let checked = self.plan.check_places();
        checked.map_err(|error| cannot_use(&self.name, &error))
    }

    /// The changes it would write.
    pub fn to_plan(&self) -> Result<Plan, Diagnostic> {
        let plan = self.plan.changes();
        plan.map_err(|error| match error {
            PlanFileError::Widened { ref path, .. } => Diagnostic::trouble(error.to_string()).remedy(format!(
                "nothing has been written; accept all of them, with `--accept 'file:{path}'`, or none"
            )),
            error => cannot_use(&self.name, &error),
        })
    }

    /// The name, and how its rewrite was understood.
    pub fn sentence(&self) -> String {
        let name = &self.name;
        let mut chars = name.chars();
        let first = chars.next().map(|c| c.to_uppercase().to_string());
        let words = self.request();
        format!("{}{}.\n{words}", first.unwrap_or_default(), chars.as_str())
    }

    /// A sentence that says how its rewrite was understood.
    pub fn request(&self) -> String {
        let index = &self.plan.doc.index;
        if let Some(run) = index.undoes {
            let files = counted(index.files.len() as u64, "file");
            return format!("In {files}: what run {run} changed gets its old text back.");
        }
        let sources: Vec<Source> = index
            .files
            .iter()
            .map(|file| source_of(&file.path))
            .collect();
        match index.rewrite.build(&mut UnreadTables) {
            Ok(rewrite) => rewrite_sentence(&rewrite, &sources),
            Err(_) => format!("In {}.", counted(sources.len() as u64, "file")),
        }
    }

    /// Makes the run, and says so. A preview that was applied is no longer the last one.
    pub fn write(&mut self, plan: &Plan, output: &mut Output) -> Result<(), Diagnostic> {
        let interrupted = journal_run::begin()?;
        let done = self.plan.write(plan, &interrupted);
        let done = done.map_err(|error| match error {
            WriteError::Shared => Diagnostic::trouble(format!(
                "another user has decided about {} meanwhile",
                self.name
            ))
            .remedy(format!(
                "nothing has been written; look again with `{}`",
                self.again
            )),
            WriteError::Read(error) => {
                Diagnostic::trouble(format!("{} cannot be read again: {error}", self.name))
            }
            WriteError::Run(failed) => journal_run::not_made(&failed),
        })?;
        journal_run::tell(&done, output);
        Ok(())
    }
}

/// A plan that cannot be written.
pub fn plan_write_diagnostic(error: &PlanWriteError) -> Diagnostic {
    match error {
        PlanWriteError::AlreadyThere(path) => already_there(path, "the plan"),
        PlanWriteError::Save { path, source } => {
            let shown = visible_path(path);
            Diagnostic::trouble(format!("cannot save the plan in {shown}: {source}"))
        }
        PlanWriteError::Keep { place } => {
            let place = place.as_deref().map(visible_path);
            let place = place.map_or_else(String::new, |place| format!(" as {place}"));
            Diagnostic::trouble(format!("the plan cannot be kept{place}"))
                .remedy("make room there, or name another folder with XDG_STATE_HOME")
        }
    }
}

/// The texts of files as a plan would leave them: with what is accepted, or with all of it where nothing is
/// decided.
pub fn planned_texts(plan: &Path, output: &mut Output) -> Result<PlannedTexts, Diagnostic> {
    let args = PlanArgs {
        plan: Some(plan.to_owned()),
        ..PlanArgs::default()
    };
    let meant = meant(&args, output)?;
    let planned = PlannedTexts::new(&meant.to_plan()?, None);
    let planned = planned.map_err(|error| match error.kind {
        FileErrorKind::Changed => Diagnostic::of_file(&error)
            .remedy("make the plan anew with `preview`; nothing has been looked at"),
        _ => Diagnostic::of_file(&error),
    })?;
    output.note(&format!(
        "note: files are read as {} would leave them\n",
        meant.name
    ));
    Ok(planned)
}
