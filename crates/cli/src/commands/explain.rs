//! `explain`: what a pattern, a template, or a rewrite file does, in plain words.

use crate::args::definitions::{ExplainArgs, TableArgs};
use crate::args::split::unmarked_text;
use crate::diagnostic::Diagnostic;
use crate::options::{load_rewrite, pattern_and_template};
use crate::output::Output;
use crate::render::explain::ExplainView;
use crate::render::labelled::Labelled;
use crate::status::Status;
use brisk_quill_core::step::describe::sentence;
use std::path::Path;

pub fn run(args: &ExplainArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let view = ExplainView;
    let text = match (args.pattern.as_deref().map(unmarked_text), &args.rewrite) {
        (Some(pattern), _) => {
            let (pattern, template) = pattern_and_template(pattern, args.with.as_deref())?;
            view.step(&pattern, &template)
        }
        (None, Some(file)) => explain_file(file, &view)?,
        (None, None) => view.signs(),
    };
    output.draw(&text);
    Ok(Status::Fine)
}

fn explain_file(file: &Path, view: &ExplainView) -> Result<Labelled, Diagnostic> {
    let (text, rewrite) = load_rewrite(file, &TableArgs::default())?;
    let mut out = Labelled::default();
    if let Some(title) = text.title {
        out.push_str(&format!("{title}\n"));
    }
    for (number, step) in (1..).zip(rewrite.steps()) {
        if !out.is_empty() {
            out.push('\n');
        }
        out.push_str(&format!("{number}. {}\n\n", sentence(step)));
        out.append(&view.step(&step.query.pattern, step.action.templates()));
    }
    Ok(out)
}
