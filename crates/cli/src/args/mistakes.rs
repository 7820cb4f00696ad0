//! Mistakes in the arguments, in our own words.

use crate::args::pages::TOPICS;
use crate::diagnostic::Diagnostic;
use brisk_quill_core::nearest::distance;
use clap::error::{ContextKind, ContextValue, ErrorKind};
use std::path::Path;

/// The mistake; `None` where help or the version was asked for.
pub fn diagnostic(error: &clap::Error) -> Option<Diagnostic> {
    let of = |kind| error.get(kind);
    let option = of(ContextKind::InvalidArg).map(names);
    let option = option.as_deref().unwrap_or("an argument");
    let value = of(ContextKind::InvalidValue).map(ToString::to_string);
    let value = value.unwrap_or_default();
    Some(match error.kind() {
        ErrorKind::DisplayHelp
        | ErrorKind::DisplayVersion
        | ErrorKind::DisplayHelpOnMissingArgumentOrSubcommand => return None,
        ErrorKind::ArgumentConflict if of(ContextKind::PriorArg) == of(ContextKind::InvalidArg) => {
            wrong(
                format!("{option} is given twice"),
                "leave one of them out; `--then` begins another step",
            )
        }
        ErrorKind::ArgumentConflict => {
            let other = of(ContextKind::PriorArg).map(names).unwrap_or_default();
            wrong(
                format!("{option} and {other} cannot be combined"),
                "leave one of them out",
            )
        }
        ErrorKind::UnknownArgument => {
            let near = of(ContextKind::SuggestedArg);
            let verbs = verbs_with(option.trim_matches(['`', '-']));
            let remedy = match verbs.is_empty() {
                false => format!("it is an option of {}", verbs.join(", ")),
                true => suggested(near, "`--help` after the verb lists its options"),
            };
            let is_long = option.starts_with("`--");
            let literal = option.trim_matches('`');
            wrong(
                format!("there is no option {option} here"),
                match is_long {
                    true => remedy,
                    // Whoever wrote it may have meant a pattern.
                    false => format!("{remedy}; to search for it, write `-- {literal}`"),
                },
            )
        }
        ErrorKind::InvalidSubcommand => {
            let verb = of(ContextKind::InvalidSubcommand).map(names);
            let verb = verb.unwrap_or_default();
            wrong(
                format!("there is no verb {verb}"),
                verb_for(verb.trim_matches('`')),
            )
        }
        ErrorKind::MissingSubcommand => wrong(
            "a verb is missing".into(),
            "`bquill --help` lists the verbs",
        ),
        ErrorKind::MissingRequiredArgument => wrong(
            format!(
                "{option} {} missing",
                if option.contains(" and ") {
                    "are"
                } else {
                    "is"
                }
            ),
            "add it; `--help` after the verb says what goes together",
        ),
        ErrorKind::InvalidValue if value.is_empty() => wrong(
            format!("{option} lacks its value"),
            values(of(ContextKind::ValidValue)),
        ),
        ErrorKind::ValueValidation if option == "`RUN`" && Path::new(&value).exists() => wrong(
            format!("`{value}` is not the number of a run"),
            format!("for that file alone, write `--only {value}`"),
        ),
        ErrorKind::InvalidValue | ErrorKind::ValueValidation => wrong(
            format!("`{value}` is not a value of {option}"),
            values(of(ContextKind::ValidValue)),
        ),
        ErrorKind::WrongNumberOfValues | ErrorKind::TooFewValues => {
            let count = |kind| of(kind).map(ToString::to_string).unwrap_or_default();
            let least = count(ContextKind::ExpectedNumValues) + &count(ContextKind::MinValues);
            let found = count(ContextKind::ActualNumValues);
            wrong(
                format!("{option} takes {least} values, and {found} is given"),
                "`--help` after the verb says what they are",
            )
        }
        ErrorKind::TooManyValues => wrong(
            format!("{option} takes no further value `{value}`"),
            "put `--` before a PATH that looks like an option",
        ),
        ErrorKind::InvalidUtf8 => wrong(
            "an argument is not UTF-8".into(),
            "only paths may hold other bytes",
        ),
        _ => wrong(
            "the arguments cannot be understood".into(),
            "`bquill --help` lists the verbs",
        ),
    })
}

/// The verbs with an option of this long name.
fn verbs_with(long: &str) -> Vec<String> {
    let definitions = super::definitions();
    let has = |verb: &&clap::Command| {
        let mut own = verb.get_arguments().filter(|own| !own.is_hide_set());
        own.any(|own| own.get_long() == Some(long))
    };
    let verbs = definitions.get_subcommands().filter(has);
    verbs.map(|verb| format!("`{}`", verb.get_name())).collect()
}

/// The verb that the user may have meant.
fn verb_for(word: &str) -> String {
    let does = match word {
        "replace" | "substitute" | "sub" | "change" | "rewrite" => {
            "`preview PATTERN --with TEMPLATE` shows a replacement, and `apply` makes it"
        }
        "search" | "match" | "look" | "list" => "`find PATTERN` searches",
        "count" | "frequency" => {
            "`tally PATTERN` counts values, and `find PATTERN --count` matches"
        }
        "revert" | "rollback" | "restore" => "`undo` reverts a run",
        "log" | "runs" => "`history` lists the runs",
        "learn" | "guess" | "propose" => "`infer --example BEFORE AFTER` proposes a rewrite",
        "edit" | "try" => "`draft` tries a rewrite out on a screen",
        _ => "",
    };
    if !does.is_empty() {
        return does.to_owned();
    }
    let topic = match word {
        "filters" | "template" | "replacement" | "backreferences" | "groups" => "templates",
        "pattern" | "patterns" | "regex" | "syntax" => "dialect",
        "lines" | "numbers" | "units" | "scope" => "places",
        "column" | "csv" | "json" | "tables" | "table" => "columns",
        "multiline" | "paragraphs" | "newline" | "newlines" => "multi-line",
        "colour" | "color" | "theme" | "config" => "settings",
        _ => "",
    };
    if !topic.is_empty() {
        return format!("`bquill help {topic}` is about that");
    }
    let definitions = super::definitions();
    let verbs = definitions.get_subcommands().map(clap::Command::get_name);
    let near = verbs.map(|verb| (distance(verb, word), verb)).min();
    match near {
        Some((distance, verb)) if distance <= 2 && 2 * distance < word.len() => {
            format!("did you mean `{verb}`?")
        }
        _ => {
            let topics: Vec<&str> = TOPICS.iter().map(|(name, _)| *name).collect();
            let topics = topics.join(", ");
            format!("`bquill --help` lists the verbs; `bquill help` also knows {topics}")
        }
    }
}

fn wrong(message: String, remedy: impl Into<String>) -> Diagnostic {
    Diagnostic::wrong(message).remedy(remedy)
}

/// The names of arguments, without what stands for their values.
fn names(value: &ContextValue) -> String {
    let name = |text: &str| {
        let bare = text.split([' ', '=']).next().unwrap_or(text);
        format!("`{}`", bare.trim_matches(['[', ']', '<', '>']))
    };
    match value {
        ContextValue::String(text) => name(text),
        ContextValue::Strings(texts) => {
            let names: Vec<String> = texts.iter().map(|text| name(text)).collect();
            names.join(" and ")
        }
        other => other.to_string(),
    }
}

fn suggested(value: Option<&ContextValue>, otherwise: &str) -> String {
    match value {
        // The likeliest stands last.
        Some(ContextValue::Strings(all)) if !all.is_empty() => {
            format!("did you mean `{}`?", all[all.len() - 1])
        }
        Some(name) => format!("did you mean {}?", names(name)),
        None => otherwise.to_owned(),
    }
}

fn values(value: Option<&ContextValue>) -> String {
    match value {
        Some(ContextValue::Strings(none)) if none.is_empty() => values(None),
        Some(known) => format!("write {}", names(known).replace(" and ", " or ")),
        None => "`--help` after the verb says what it takes".to_owned(),
    }
}
