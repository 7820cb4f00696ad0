//! Plans by name: a file that is named, or the last preview of
//! a folder.

use crate::args::definitions::PlanArgs;
use crate::args::split::Part;
use crate::commands::ends::{already_there, report_failed, stopped};
use crate::commands::journal_run;
use crate::commands::report::Reported;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::render::sentence::rewrite_sentence;
use crate::signals::{self, cancel_token};
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_engine::plan_store::last_place;
use brisk_quill_engine::plan_writer::PlanWriteError;
use brisk_quill_engine::renew::{RenewError, Renewal, Renewed, source_of};
use brisk_quill_engine::tables::UnreadTables;
use brisk_quill_files::error::FileErrorKind;
use brisk_quill_files::plan::Plan;
use brisk_quill_files::plan_file::{PlanDoc, PlanFileError};
use brisk_quill_files::read::planned::PlannedTexts;
use brisk_quill_files::source::Source;
use std::fs;
use std::ops::ControlFlow;
use std::path::{Path, PathBuf};

/// The file that is named; `last` names none.
fn named(file: Option<&Path>) -> Option<&Path> {
    file.filter(|file| file.as_os_str() != "last")
}

/// The plan in a file; `last`, or nothing, is the last preview of this folder.
pub fn open(file: Option<&Path>) -> Result<PlanDoc, Diagnostic> {
    let file = named(file);
    let place = match file {
        Some(file) => file.to_owned(),
        None => last_place().filter(|place| place.exists()).ok_or_else(|| {
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
        Diagnostic::wrong("a plan says all that is to be done, and a rewrite is named too")
            .remedy("leave one of them out"),
    )
}

/// A plan that is meant to be judged or written.
pub struct Meant {
    pub doc: PlanDoc,
    /// Its name.
    pub name: String,
    /// The command that goes on with it.
    pub again: String,
    /// Its paths must lie below this folder; `None` where it is our own.
    root: Option<PathBuf>,
}

/// The plan that the options mean; renewed, where that is asked for.
pub fn meant(args: &PlanArgs, output: &mut Output) -> Result<Meant, Diagnostic> {
    let file = named(args.plan.as_deref());
    let file = file.map(std::path::absolute).transpose();
    let file =
        file.map_err(|error| Diagnostic::trouble(format!("cannot find the plan: {error}")))?;
    let doc = open(file.as_deref())?;
    if let Some(root) = &args.root {
        std::env::set_current_dir(root).map_err(|error| {
            Diagnostic::trouble(format!("cannot go to {}: {error}", visible_path(root)))
        })?;
    }
    let here = std::env::current_dir()
        .map_err(|error| Diagnostic::trouble(format!("this folder cannot be read: {error}")))?;
    let mut meant = Meant {
        doc,
        name: name_of(args.plan.as_deref()),
        again: match file {
            Some(_) => format!(
                "bquill review --plan {}",
                args.plan.as_deref().map(visible_path).unwrap_or_default()
            ),
            None => "bquill review".to_owned(),
        },
        root: file.map(|_| here),
    };
    if !meant.doc.is_whole() && !args.partial {
        let changes = counted(meant.doc.index.entries.len() as u64, "change");
        let message = format!("{} was cut off; {changes} of it can be read", meant.name);
        return Err(Diagnostic::trouble(message)
            .remedy("make it anew, or add `--partial` to go on with what is there"));
    }
    if args.renew {
        meant.renew(output)?;
    }
    Ok(meant)
}

impl Meant {
    /// Evaluates the plan again, and says what became of the decisions.
    fn renew(&mut self, output: &mut Output) -> Result<(), Diagnostic> {
        // Where the plan may not write, it may not read either.
        self.check_places()?;
        let place = self.doc.path().to_owned();
        let renewal = Renewal {
            root: self.root(),
            temporaries: &journal_run::temporaries(),
            token: cancel_token(),
        };
        signals::listen();
        let mut reported = Reported::default();
        let renewed = renewal.renew(&self.doc, |source, found, end| {
            output.flow()?;
            report_failed(end, output);
            reported.units(source, &found.problems, &found.unmet, output);
            ControlFlow::Continue(())
        });
        let Renewed { carried, lost, new } = renewed.map_err(|error| match error {
            RenewError::Stopped => stopped(),
            RenewError::Rewrite { .. } => Diagnostic::wrong(error.to_string()),
            RenewError::Write(error) => plan_write_diagnostic(&error),
            other => Diagnostic::trouble(other.to_string()),
        })?;
        self.doc = open(Some(&place))?;
        let text = format!(
            "Evaluated again: {} carried over, {} lost, {}.\n\n",
            counted(carried, "decision"),
            number(lost),
            counted(new, "new change"),
        );
        output.print(text.as_bytes());
        Ok(())
    }

    /// Makes sure that its files lie where they may.
    pub fn check_places(&self) -> Result<(), Diagnostic> {
        let places = self.doc.places(self.root.as_deref());
        places
            .map(drop)
            .map_err(|error| cannot_use(&self.name, &error))
    }

    /// The changes it would write.
    pub fn to_plan(&self) -> Result<Plan, Diagnostic> {
        let plan = self.doc.to_plan(self.root.as_deref());
        plan.map_err(|error| cannot_use(&self.name, &error))
    }

    /// The folder that its files and tables must lie below; `None` where it is our own.
    pub fn root(&self) -> Option<&Path> {
        self.root.as_deref()
    }

    /// Its name, and how its rewrite was understood.
    pub fn sentence(&self) -> String {
        let name = &self.name;
        let mut chars = name.chars();
        let first = chars.next().map(|c| c.to_uppercase().to_string());
        let words = self.request();
        format!("{}{}.\n{words}", first.unwrap_or_default(), chars.as_str())
    }

    /// A sentence that says how its rewrite was understood.
    pub fn request(&self) -> String {
        let index = &self.doc.index;
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
    pub fn write(&self, plan: &Plan, output: &mut Output) -> Result<(), Diagnostic> {
        let rewrite = serde_json::to_value(&self.doc.index.rewrite).unwrap_or_default();
        let done = journal_run::make(plan, rewrite, None)?;
        journal_run::tell(&done, output);
        if self.root.is_none() {
            let _ = fs::remove_file(self.doc.path());
        }
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
