//! How the request was understood, in one plain sentence.

use super::numbers::counted;
use brisk_quill_core::address::Spec;
use brisk_quill_core::escape::visible;
use brisk_quill_core::{Action, Query, Rewrite, Step};
use brisk_quill_files::Source;

/// What `find` looks for.
pub fn find_sentence(query: &Query, sources: &[Source]) -> String {
    format!("{} of {}.", capital(&subject(query)), files(sources))
}

/// What a rewrite does; several steps take a line each.
pub fn rewrite_sentence(rewrite: &Rewrite, sources: &[Source]) -> String {
    match rewrite.steps() {
        [step] => format!("{} of {}.", capital(&clause(step)), files(sources)),
        steps => {
            let mut text = format!("{} steps, in {}:", steps.len(), files(sources));
            for (index, step) in steps.iter().enumerate() {
                text.push_str(&format!("\n  {}. {}", index + 1, clause(step)));
            }
            text
        }
    }
}

fn clause(step: &Step) -> String {
    let query = &step.query;
    let (matches, place) = (matches(query), place(query));
    match &step.action {
        Action::Replace(template) if template.source().is_empty() => {
            format!("{matches} becomes nothing, {place}")
        }
        Action::Replace(template) => {
            format!("{matches} becomes {}, {place}", quoted(template.source()))
        }
        Action::Remove => format!("{matches} is taken out, {place}"),
        _ => format!("{matches}, {place}"),
    }
}

fn subject(query: &Query) -> String {
    let matches = matches(query);
    format!("{}, {}", matches.trim_end_matches(','), place(query))
}

/// "every match of `x`, in any case"
fn matches(query: &Query) -> String {
    let pick = &query.pick.spec;
    let which = match pick.to_string().as_str() {
        "all" => "every match".to_owned(),
        "1" => "the first match".to_owned(),
        "last" => "the last match".to_owned(),
        some => format!("match {some}"),
    };
    let mut text = format!("{which} of {}", quoted(query.pattern.source()));
    let options = query.pattern.options();
    let said = [
        (options.literal, "as plain text"),
        (options.ignore_case, "in any case"),
        (options.whole_word, "as a whole word"),
        (options.entire, "where it spans the whole line"),
    ];
    let said: Vec<&str> = said
        .iter()
        .filter(|(on, _)| *on)
        .map(|(_, words)| *words)
        .collect();
    if !said.is_empty() {
        text.push_str(&format!(", {},", said.join(", ")));
    }
    text
}

/// "in every line"
fn place(query: &Query) -> String {
    let lines = &query.scope.lines;
    let mut text = match lines {
        all if all.is_all() && query.pick.spec.is_all() => "in every line".to_owned(),
        all if all.is_all() => "in each line".to_owned(),
        one if is_one(one) => format!("in line {one}"),
        some => format!("in lines {some}"),
    };
    if let Some(limit) = query.limit {
        text.push_str(&format!(", at most {limit} in all"));
    }
    text
}

fn is_one(spec: &Spec) -> bool {
    !spec.to_string().contains([',', '.'])
}

fn files(sources: &[Source]) -> String {
    match sources {
        [Source::Stdin] => "standard input".into(),
        [Source::File(path)] => visible(path.as_os_str().as_encoded_bytes()),
        many => counted(many.len() as u64, "file"),
    }
}

/// A piece of the user's own text.
fn quoted(text: &str) -> String {
    format!("`{}`", visible(text.as_bytes()))
}

fn capital(text: &str) -> String {
    let mut chars = text.chars();
    let first = chars.next().map(|c| c.to_uppercase().to_string());
    first.unwrap_or_default() + chars.as_str()
}
