//! The forms a preview is printed in.

use crate::args::definitions::PreviewArgs;
use crate::commands::notes::{print_notes, print_totals};
use crate::commands::search::Room;
use crate::diagnostic::Diagnostic;
use crate::options::{self, AskedRewrite};
use crate::output::Output;
use crate::render::diff::{CONTEXT, diff_of_file};
use crate::render::names::file_name;
use crate::render::positions;
use crate::render::preview::PreviewView;
use crate::render::sentence::rewrite_sentence;
use crate::render::table::rewrite_totals;
use crate::render::whole::whole_file;
use crate::status::Status;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_engine::kept_hunk::{FileReport, HunkLimits};
use brisk_quill_engine::summary::Summary;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::error::{FileError, FileErrorKind};
use brisk_quill_files::read::Reader;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::read::kept_stdin::KeptStdin;

/// A preview being printed.
pub struct View<'r> {
    form: Form<'r>,
    /// Changes that may still be shown.
    pub room: Room,
    /// Limits on what is kept of each file.
    pub keep: HunkLimits,
}

/// The form of a preview.
enum Form<'r> {
    Text {
        view: PreviewView,
        rewrite: &'r Rewrite,
        shown: u64,
        /// Something else is shown instead of the changes.
        instead: bool,
    },
    /// The plan alone, which is written on its own way.
    Json,
    /// A line for each change, with its place.
    Positions,
    /// Whole files as they would be.
    Whole {
        rewrite: &'r Rewrite,
        reader: Box<Reader>,
    },
    Diff {
        /// A person reads it, so control characters must not get through.
        escaped: bool,
    },
}

impl<'r> View<'r> {
    pub fn new(
        args: &PreviewArgs,
        asked: &'r AskedRewrite,
        output: &Output,
    ) -> Result<Self, Diagnostic> {
        let rewrite = &asked.rewrite;
        let shown = options::shown(&args.show)?;
        // Kinds and differences are shown instead of the changes.
        let instead = args.kinds.is_some() || args.against.is_some();
        let mut keep = HunkLimits::default();
        let (form, changes) = if args.json {
            (Form::Json, 0)
        } else if args.positions {
            (Form::Positions, usize::MAX)
        } else if args.whole {
            let texts = options::texts(&args.files, FactsOf::All)?;
            let form = Form::Whole {
                rewrite,
                reader: Box::new(Reader::new(texts)),
            };
            (form, usize::MAX)
        } else if args.diff {
            keep.context = CONTEXT;
            keep.on_disk = true;
            let escaped = output.is_terminal();
            (Form::Diff { escaped }, usize::MAX)
        } else {
            keep.context = args.show.context.lines();
            let several = rewrite.steps().len() > 1;
            let form = Form::Text {
                view: PreviewView::new(output.canvas(), several),
                rewrite,
                shown: 0,
                instead,
            };
            (form, if instead { 0 } else { shown })
        };
        Ok(Self {
            form,
            room: Room::new(changes),
            keep,
        })
    }

    /// True if a line with very many changes may come in parts.
    pub fn splits_lines(&self, args: &PreviewArgs) -> bool {
        self.keep.context == 0
            && !args.positions
            && !args.diff
            && !args.whole
            && args.save_rewrite.is_none()
    }

    /// Shows standard input as a whole, too, from where it is kept.
    pub fn read_stdin(&mut self, kept: Option<&KeptStdin>) {
        if let (Form::Whole { reader, .. }, Some(kept)) = (&mut self.form, kept) {
            **reader = std::mem::take(&mut **reader).with_stdin(kept.clone());
        }
    }

    pub fn begin(&self, listing: &Listing, output: &mut Output) {
        match &self.form {
            Form::Text { rewrite, .. } | Form::Whole { rewrite, .. } => {
                let sentence = rewrite_sentence(rewrite, &listing.sources);
                output.prose(&format!("{sentence}\n"));
            }
            Form::Json | Form::Positions | Form::Diff { .. } => {}
        }
    }

    pub fn file(&mut self, report: &FileReport<'_>, output: &mut Output) -> Status {
        match &mut self.form {
            Form::Text { view, shown, .. } => {
                output.draw(&view.file(report));
                let now: usize = report.hunks.iter().map(|p| p.edits.len()).sum();
                *shown += now as u64;
            }
            Form::Whole { reader, .. } => match text_of(reader, report) {
                Ok(text) => output.draw(&whole_file(report, &text)),
                Err(diagnostic) => return output.complain(&diagnostic),
            },
            Form::Json => {}
            Form::Positions => output.say(&positions::of_changes(report)),
            // Its line ends are two bytes, which no patch tool knows.
            Form::Diff { .. } if report.facts.encoding.starts_with("UTF-16") => {
                let name = file_name(report.source);
                let message = format!("{name}: a diff cannot show UTF-16");
                let remedy = "leave `--diff` out, or use `--json`";
                return output.complain(&Diagnostic::trouble(message).remedy(remedy));
            }
            Form::Diff { escaped } => print_diff(&diff_of_file(report), *escaped, output),
        }
        Status::Fine
    }

    pub fn end(&self, summary: &Summary, output: &mut Output) {
        match &self.form {
            Form::Text {
                rewrite,
                shown,
                instead,
                ..
            } => {
                let hidden = summary.counts.changes - shown;
                if hidden > 0 && !instead {
                    let more = match shown {
                        0 => counted(hidden, "change"),
                        _ => counted(hidden, "more change"),
                    };
                    output.say(&format!("\n{more} not shown; add `--show all`.\n"));
                }
                print_totals(&rewrite_totals(summary, rewrite), output);
                print_notes(&summary.notes, &summary.hints, output);
            }
            Form::Whole { rewrite, .. } => {
                print_totals(&rewrite_totals(summary, rewrite), output);
                print_notes(&summary.notes, &summary.hints, output);
            }
            Form::Json | Form::Positions | Form::Diff { .. } => {}
        }
    }
}

/// The text of a file once more, as it was when it was evaluated.
fn text_of(reader: &mut Reader, report: &FileReport<'_>) -> Result<Vec<u8>, Diagnostic> {
    let fail = |error: &FileError| Diagnostic::of_file(error);
    let opened = reader.open(report.source).map_err(|error| fail(&error))?;
    let Ok(mut text) = opened else {
        return Err(fail(&FileError::new(
            report.source.path(),
            FileErrorKind::Changed,
        )));
    };
    let mut bytes = Vec::new();
    text.read(|piece, _, _| bytes.extend_from_slice(piece))
        .map_err(|error| fail(&error))?;
    match text.facts(true).hash == report.facts.hash {
        true => Ok(bytes),
        false => Err(fail(&FileError::new(
            report.source.path(),
            FileErrorKind::Changed,
        ))),
    }
}

fn print_diff(diff: &[u8], escaped: bool, output: &mut Output) {
    if !escaped {
        return output.data(diff);
    }
    for line in diff.split_inclusive(|b| *b == b'\n') {
        let line = line.strip_suffix(b"\n").unwrap_or(line);
        output.say(&format!("{}\n", visible(line)));
    }
}
