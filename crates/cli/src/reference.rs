//! Pages of the reference that are written from the definitions.

use crate::args::definitions;
use brisk_quill_core::records::schema;
use brisk_quill_core::template::filters;
use clap::{Arg, Command};

/// The generated files of `docs`, each with its text.
pub fn files() -> Vec<(&'static str, String)> {
    vec![
        ("filters.md", filters()),
        ("plan.schema.json", pretty(&schema::of_plan())),
        ("records.schema.json", pretty(&schema::of_results())),
        ("verbs.md", verbs()),
    ]
}

fn pretty(schema: &serde_json::Value) -> String {
    // A schema is strings, numbers and lists of them.
    let text = serde_json::to_string_pretty(schema).expect("a schema has a form in JSON");
    text + "\n"
}

/// Every filter of templates, with its examples.
fn filters() -> String {
    let mut out = "# Filters of templates\n\nA test writes this page from the definitions, and another tries every example. \
                   `${1 | upper | take 3}` passes the first group through two of them. What numbers, dates and tables \
                   are is said in [templates.md](templates.md).\n\n\
                   | filter | does | example | gives |\n|---|---|---|---|\n"
        .to_owned();
    for filter in filters::all() {
        let mut name = format!("`{} {}`", filter.name, filter.arguments);
        name = name.replace(" `", "`");
        let mut does = filter.does;
        for (value, call, gives) in filter.examples {
            let value = match *value {
                "" => "nothing".to_owned(),
                value => code(value),
            };
            let row = format!(
                "| {name} | {does} | {value} → {} | {} |\n",
                code(call),
                code(gives)
            );
            out.push_str(&row);
            (name, does) = (String::new(), "");
        }
    }
    out
}

fn code(text: &str) -> String {
    format!("`{text}`")
}

/// Every verb with its options and examples, as its help says it.
fn verbs() -> String {
    let mut out = "# Verbs\n\nA test writes this page from the definitions. What the options mean together is said in \
                   [options.md](options.md).\n"
        .to_owned();
    let mut program = definitions();
    program.build();
    for verb in program.get_subcommands_mut() {
        let about = verb.get_about().map(ToString::to_string);
        let about = about.unwrap_or_default();
        let usage = verb.render_usage().to_string();
        let usage = usage.trim_start_matches("Usage: ").trim();
        out.push_str(&format!(
            "\n## {}\n\n{about}.\n\n```text\n{usage}\n",
            verb.get_name()
        ));
        let more = verb.get_after_help().map(ToString::to_string);
        let more = more.unwrap_or_default();
        let parts = more.trim().split("\n\n").filter(|part| !part.is_empty());
        let (examples, prose): (Vec<&str>, Vec<&str>) =
            parts.partition(|part| part.contains("\n  "));
        for part in examples {
            out.push_str(&format!("\n{part}\n"));
        }
        out.push_str("```\n");
        for part in prose {
            out.push_str(&format!("\n{}\n", part.replace("\nExit:", "\n\nExit:")));
        }
        let options = table(verb);
        if !options.is_empty() {
            out.push_str("\n| option | does |\n|---|---|\n");
            out.push_str(&options);
        }
    }
    out
}

fn table(verb: &Command) -> String {
    let shown = verb.get_arguments().filter(|arg| !arg.is_hide_set());
    let shown = shown.filter(|arg| !["help", "version"].contains(&arg.get_id().as_str()));
    shown.map(row).collect()
}

fn row(arg: &Arg) -> String {
    let names = arg.get_value_names().unwrap_or_default();
    let values: String = match arg.get_action().takes_values() {
        true => names.iter().map(|name| format!(" {name}")).collect(),
        false => String::new(),
    };
    let name = match (arg.get_short(), arg.get_long()) {
        (Some(short), Some(long)) => format!("-{short}, --{long}{values}"),
        (None, Some(long)) => format!("--{long}{values}"),
        _ => values.trim_start().to_owned(),
    };
    let help = arg.get_help().map(ToString::to_string).unwrap_or_default();
    let mut help = help.replace('\n', " ");
    if let ([default], true) = (arg.get_default_values(), arg.get_action().takes_values()) {
        help.push_str(&format!(" [default: `{}`]", default.to_string_lossy()));
    }
    // A bar would end the cell.
    let [name, help] = [name, help].map(|text| text.replace('|', "\\|"));
    format!("| `{name}` | {help} |\n")
}
