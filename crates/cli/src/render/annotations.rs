//! Places that are not as they must be, for systems that run checks.

use crate::args::definitions::Annotations;
use crate::render::positions::{self, Position};
use brisk_quill_core::escape::uri_path;
use brisk_quill_files::source::Source;
use serde_json::{Value, json};
use std::os::unix::ffi::OsStrExt;

/// The schema of the file (OASIS, SARIF 2.1.0).
const SCHEMA: &str =
    "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json";

/// A line for each place, or a file of all of them.
#[derive(Clone)]
pub enum Places {
    /// Lines for editors.
    Lines,
    /// Commands of a workflow.
    Workflow,
    /// The results of a SARIF file, which comes at the end.
    Sarif(Vec<Value>),
}

impl Places {
    /// In the form that is asked for.
    pub fn new(form: Option<Annotations>) -> Self {
        match form {
            None => Self::Lines,
            Some(Annotations::Workflow) => Self::Workflow,
            Some(Annotations::Sarif) => Self::Sarif(Vec::new()),
        }
    }

    /// A place at fault, with the fault and the text that is there; gives what is printed at once.
    pub fn add(&mut self, source: &Source, place: Position, (fault, text): (&str, &str)) -> String {
        let Position { line, column } = place;
        let path = source.path().to_string_lossy();
        match self {
            Self::Lines => positions::line(source, place, text),
            Self::Workflow => {
                let message = data(&format!("{fault}: {text}"));
                let file = property(&path);
                format!("::error file={file},line={line},col={column}::{message}\n")
            }
            Self::Sarif(results) => {
                results.push(json!({
                    "ruleId": "check",
                    "level": "error",
                    "message": { "text": format!("{fault}: {text}") },
                    "locations": [{ "physicalLocation": {
                        "artifactLocation": { "uri": uri(source) },
                        "region": {
                            "startLine": line,
                            "startColumn": column,
                            "snippet": { "text": text },
                        },
                    }}],
                }));
                String::new()
            }
        }
    }

    /// The text printed at the end; `rule` says what was checked.
    pub fn end(self, rule: &str) -> String {
        let Self::Sarif(results) = self else {
            return String::new();
        };
        let file = json!({
            "$schema": SCHEMA,
            "version": "2.1.0",
            "runs": [{
                "tool": { "driver": {
                    "name": "bquill",
                    "version": env!("CARGO_PKG_VERSION"),
                    "rules": [{ "id": "check", "shortDescription": { "text": rule } }],
                }},
                "columnKind": "unicodeCodePoints",
                "results": results,
            }],
        });
        format!("{file:#}\n")
    }
}

/// The text of a command, with the signs that would end it as codes.
fn data(text: &str) -> String {
    text.replace('%', "%25")
        .replace('\r', "%0D")
        .replace('\n', "%0A")
}

/// A property of a command.
fn property(text: &str) -> String {
    data(text).replace(':', "%3A").replace(',', "%2C")
}

/// The path of a source as a reference.
fn uri(source: &Source) -> String {
    uri_path(source.path().as_os_str().as_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_in_each_form() {
        let source = Source::file("no tices/a:1,%.md");
        let place = Position { line: 3, column: 7 };
        for (form, wanted) in [
            (None, "no tices/a:1,%.md:3:7: berth 7\n"),
            (
                Some(Annotations::Workflow),
                "::error file=no tices/a%3A1%2C%25.md,line=3,col=7::not 50%25: berth 7\n",
            ),
            (Some(Annotations::Sarif), ""),
        ] {
            let mut places = Places::new(form);
            let said = places.add(&source, place, ("not 50%", "berth 7"));
            assert_eq!(said, wanted);
            let end = places.end("rule");
            assert_eq!(
                end.contains("no%20tices/a%3A1%2C%25.md"),
                said.is_empty(),
                "{end}"
            );
        }
    }
}
