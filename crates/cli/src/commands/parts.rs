//! `merge-plans` and `split-plan`: plans of several machines.

use crate::args::definitions::{MergePlansArgs, SplitPlanArgs};
use crate::commands::ends::{already_there, check_new};
use crate::commands::plans;
use crate::diagnostic::Diagnostic;
use crate::host::host;
use crate::output::Output;
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::counted;
use brisk_quill_engine::plan_parts::{PartsError, merge, split};
use brisk_quill_files::error::system_words;
use std::fs;
use std::io::{self, BufWriter, Write};
use std::path::Path;

/// Makes one plan of several.
pub fn merge_plans(args: &MergePlansArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    check_new(&args.save_plan, "the plan")?;
    let docs = args.plans.iter().map(|plan| plans::open(Some(plan)));
    let docs = docs.collect::<Result<Vec<_>, _>>()?;
    let failed = |error: io::Error| cannot_write(&args.save_plan, &error);
    let target = host()
        .temporaries()
        .beside(&args.save_plan)
        .map_err(failed)?;
    let mut out = BufWriter::new(target);
    let merged = merge(&docs, &mut out).map_err(|error| diagnostic(&error))?;
    out.flush().map_err(failed)?;
    let target = out
        .into_inner()
        .map_err(|error| failed(error.into_error()))?;
    target.keep_as(&args.save_plan).map_err(failed)?;
    let (changes, files) = (
        counted(merged.changes, "change"),
        counted(merged.files, "file"),
    );
    let of = counted(docs.len() as u64, "plan");
    let shown = visible_path(&args.save_plan);
    output.say(&format!(
        "{changes} in {files}, of {of}, saved in {shown}.\n"
    ));
    Ok(Status::Fine)
}

/// Cuts a plan into a part for each file.
pub fn split_plan(args: &SplitPlanArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let doc = plans::open(Some(&args.plan))?;
    if args.to.symlink_metadata().is_ok() {
        return Err(already_there(&args.to, "the parts"));
    }
    fs::create_dir_all(&args.to).map_err(|error| cannot_write(&args.to, &error))?;
    let digits = doc.index.files.len().to_string().len();
    let mut number = 0;
    let mut rows = String::new();
    let parts = split(&doc, |path, part| {
        number += 1;
        let name = format!("{number:0digits$}.plan");
        rows.push_str(&format!("  {name}  {}\n", visible_path(path)));
        fs::write(args.to.join(name), part)
    });
    let parts = parts.map_err(|error| diagnostic(&error))?;
    let (changes, files) = (
        counted(parts.changes, "change"),
        counted(parts.files, "part"),
    );
    let shown = visible_path(&args.to);
    output.say(&format!(
        "{changes} in {files}, saved in {shown}:\n\n{rows}"
    ));
    Ok(Status::Fine)
}

fn cannot_write(path: &Path, error: &io::Error) -> Diagnostic {
    let shown = visible_path(path);
    Diagnostic::trouble(format!("cannot write {shown}: {}", system_words(error)))
}

fn diagnostic(error: &PartsError) -> Diagnostic {
    let remedy = match error {
        PartsError::CutOff(_) | PartsError::Record { .. } => {
            "make it anew with `preview --save-plan FILE`"
        }
        PartsError::OtherRewrite(_) => {
            "make all plans with one rewrite file: `preview --rewrite FILE --save-plan PLAN`"
        }
        PartsError::Reverts(_) => "apply it where it was made",
        PartsError::FileTwice { .. } => "let each file be in one plan",
        PartsError::Io(_) => "nothing has been applied; try again in another place",
    };
    let words = match error {
        PartsError::Io(error) => system_words(error),
        other => other.to_string(),
    };
    Diagnostic::trouble(words).remedy(remedy)
}
