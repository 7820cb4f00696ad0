//! Diagnostics: data about what is wrong; `render::diagnostic` draws it.

use crate::render::names::file_name;
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::fault::Fault;
use brisk_quill_core::pattern::search_error::SearchError;
use brisk_quill_core::problem::{Problem, ProblemKind};
use brisk_quill_core::span::Span;
use brisk_quill_files::error::{FileError, FileErrorKind, system_words};
use brisk_quill_files::signature::feature_left_out;
use brisk_quill_files::source::Source;

/// A reason to stop.
#[derive(Clone, Debug)]
pub struct Diagnostic {
    /// The exit status.
    pub status: Status,
    /// The fault in a few words.
    pub message: String,
    /// The user's own words, with the place in them.
    pub quote: Option<Box<Quote>>,
    /// Lines about the parts of it, below the sentence.
    pub details: Vec<String>,
    /// The remedy.
    pub remedy: Option<String>,
}

/// A place in something the user wrote.
#[derive(Clone, Debug)]
pub struct Quote {
    /// The name of the text: `the pattern`, `--lines`.
    pub name: String,
    /// The text as it was written.
    pub text: String,
    /// The bytes at fault.
    pub span: Span,
}

impl Diagnostic {
    /// The request is wrong.
    pub fn wrong(message: impl Into<String>) -> Self {
        Self::new(Status::WrongRequest, message)
    }

    /// Something could not be read or written.
    pub fn trouble(message: impl Into<String>) -> Self {
        Self::new(Status::Trouble, message)
    }

    /// The answer is no.
    pub fn no(message: impl Into<String>) -> Self {
        Self::new(Status::No, message)
    }

    fn new(status: Status, message: impl Into<String>) -> Self {
        Self {
            status,
            message: message.into(),
            quote: None,
            details: Vec::new(),
            remedy: None,
        }
    }

    /// A file that cannot be read or written.
    pub fn of_file(error: &FileError) -> Self {
        let cause = error
            .source
            .as_ref()
            .map(|cause| format!(": {}", system_words(cause)));
        let name = match error.path.as_os_str() == "-" {
            true => "standard input".to_owned(),
            false => visible_path(&error.path),
        };
        let diagnostic = Self::trouble(format!(
            "{}: {name}{}",
            error.kind,
            cause.unwrap_or_default()
        ));
        match error.kind {
            FileErrorKind::LooksBinary => {
                diagnostic.remedy("add `--binary` if it is text all the same")
            }
            FileErrorKind::CellsAlone => {
                diagnostic.remedy("add `--columns LIST`, or `--unit cell` for all of them")
            }
            FileErrorKind::Structured(format) => match feature_left_out(format) {
                Some(feature) => diagnostic.remedy(format!(
                    "this bquill was built without it: build it with `--features {feature}`"
                )),
                None => diagnostic.remedy("leave it out; only text is searched and rewritten"),
            },
            _ => diagnostic,
        }
    }

    /// A unit that was left alone.
    pub fn of_problem(source: &Source, problem: &Problem) -> Self {
        let place = problem.line.map(|line| format!(", line {line}"));
        let path = file_name(source);
        let message = format!("{path}{}: {}", place.unwrap_or_default(), problem.kind);
        match problem.kind {
            ProblemKind::Column(_) => Self::wrong(message),
            ProblemKind::Search(SearchError::NotUtf8) => Self::trouble(message)
                .remedy("say how it is encoded, as in `--encoding windows-1252`"),
            _ => Self::trouble(message),
        }
    }

    /// Adds lines below the sentence.
    #[must_use]
    pub fn details(mut self, details: impl IntoIterator<Item = String>) -> Self {
        self.details.extend(details);
        self
    }

    /// Adds what to do.
    #[must_use]
    pub fn remedy(mut self, remedy: impl Into<String>) -> Self {
        self.remedy = Some(remedy.into());
        self
    }

    /// A fault in `text`, which the user wrote as `name`.
    pub fn fault(name: &str, text: &str, fault: &impl Fault) -> Self {
        Self {
            status: Status::WrongRequest,
            message: match fault.span() {
                // The quote names it.
                Some(_) => fault.to_string(),
                None => format!("{name}: {fault}"),
            },
            quote: fault.span().map(|span| {
                Box::new(Quote {
                    name: name.to_owned(),
                    text: text.to_owned(),
                    span,
                })
            }),
            details: Vec::new(),
            remedy: fault.remedy(),
        }
    }
}
