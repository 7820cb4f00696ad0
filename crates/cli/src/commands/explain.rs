//! `explain`: what a pattern, a template, or a rewrite file does, in plain words.

use crate::args::definitions::{ExplainArgs, TableArgs};
use crate::args::split::unmarked_text;
use crate::diagnostic::Diagnostic;
use crate::options::{load_rewrite, pattern_and_template};
use crate::output::Output;
use crate::render::explain::ExplainView;
use crate::render::labelled::Labelled;
use crate::render::labelled::Role;
use crate::render::why::{parts_taken, quoted, reason_words};
use crate::status::Status;
use brisk_quill_core::near_miss::taken;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::step::describe::sentence;
use brisk_quill_core::step::reach::Reach;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_engine::why::{Explainer, Reason};
use std::path::Path;

pub fn run(args: &ExplainArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let width = match output.is_terminal() {
        true => output.width(),
        false => usize::MAX,
    };
    let view = ExplainView { width };
    let text = match (args.pattern.as_deref().map(unmarked_text), &args.rewrite) {
        (Some(pattern), _) => {
            let text = StepSpec {
                pattern: Some(pattern.to_owned()),
                ignore_case: args.ignore_case,
                whole_word: args.whole_word,
                literal: args.literal,
                entire: args.entire,
                ..StepSpec::default()
            };
            let (pattern, template) = pattern_and_template(&text, args.with.as_deref())?;
            let mut explained = view.step(&pattern, &template);
            if let Some(text) = &args.on {
                explained.push('\n');
                explained.append(&on_text(&pattern, text.as_bytes()));
            }
            explained
        }
        (None, Some(file)) if args.reach => reach_of(file)?,
        (None, Some(file)) => explain_file(file, &view)?,
        (None, None) => view.signs(),
    };
    output.draw_prose(&text);
    Ok(Status::Fine)
}

/// The part of the data that each step must see as a whole.
fn reach_of(file: &Path) -> Result<Labelled, Diagnostic> {
    let (_, rewrite) = load_rewrite(file, &TableArgs::default())?;
    let mut out = String::new();
    let mut most = Reach::Line;
    for (number, step) in (1..).zip(rewrite.steps()) {
        let (reach, key) = step.reach();
        let why = key.map(|key| format!(", because of `{key}`"));
        out.push_str(&format!("{number}. {reach}{}\n", why.unwrap_or_default()));
        most = most.max(reach);
    }
    out.push_str(match most {
        Reach::Line => "\nEach line can be rewritten by itself.\n",
        Reach::File => "\nEach file can be rewritten by itself, but not a part of one.\n",
        Reach::Run => "\nIt must see all files, in order.\n",
    });
    Ok(Labelled::from(&*out))
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

/// The parts of a pattern with the text that each takes, or the part at which it stops.
fn on_text(pattern: &Pattern, text: &[u8]) -> Labelled {
    let mut out = Labelled::default();
    let mut matches = Matches::default();
    if let Err(error) = pattern.finder().collect(text, true, &mut matches) {
        out.push_str(&format!("  In this text the search fails: {error}\n"));
        return out;
    }
    if matches.is_empty() {
        out.push_str("  It does not match");
        let explained = Explainer::new(pattern).and_then(|explainer| {
            let explained = explainer.explain(text, 1)?;
            Some((
                reason_words(&explained.reason, explainer.parts()),
                explained,
            ))
        });
        match explained {
            Some((words, explained)) if explained.reason != Reason::Nothing => {
                out.push_str(": ");
                out.put(Role::Guide, &words);
                out.push_str(&format!(", in {}.\n", quoted(&explained.text)));
            }
            Some((words, _)) => out.push_str(&format!(": {words}.\n")),
            None => out.push_str(".\n"),
        }
        return out;
    }
    out.push_str(&format!(
        "  It matches {}",
        quoted(&text[matches.span(0).range()])
    ));
    if matches.len() > 1 {
        out.push_str(&format!(
            ", the first of {}",
            counted(matches.len() as u64, "match")
        ));
    }
    out.push_str(":\n");
    if let Some(parts) = taken(pattern, text) {
        out.append(&parts_taken(text, &parts));
    }
    out
}
