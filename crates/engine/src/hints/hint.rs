//! Hints and their remedies.

use crate::hints::spot::Spot;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_files::source::Source;
use std::fmt;

/// Something that often means a mistake.
///
/// ```
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_engine::hints::hint::{Hint, Remedy};
/// let hint = Hint {
///     remedy: Some(Remedy::WholeWord),
///     ..Hint::new("inside-word", "2 of 9 matches lie within a longer word".into())
/// };
/// let mut step = StepSpec::default();
/// hint.remedy.expect("a remedy").apply(&mut step);
/// assert!(step.whole_word);
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hint {
    /// The name of its kind.
    pub name: &'static str,
    /// One sentence without its full stop.
    pub message: String,
    /// The first place that it is about.
    pub place: Option<HintPlace>,
    /// The number of places that it is about; 0 where it is about the request alone.
    pub count: u64,
    /// The remedy.
    pub remedy: Option<Remedy>,
    /// Other remedies, for where that does not hold; none in a hint that is reported.
    pub others: Vec<Remedy>,
}

/// A place that a hint is about.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HintPlace {
    /// The file.
    pub source: Source,
    /// The line, from 1.
    pub line: u64,
}

/// The remedy for a hint.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Remedy {
    /// Ignore letter case.
    IgnoreCase,
    /// Match whole words only.
    WholeWord,
    /// Take all matches.
    PickAll,
    /// Take the text for a pattern.
    NotLiteral,
    /// Try the pattern on all the text.
    WholeText,
    /// Let the line that ends a block begin the next one.
    OpenEnd,
    /// Columns for a step.
    Columns {
        /// The number, from 1.
        step: usize,
        /// As they are written on a command line.
        columns: String,
    },
    /// Take in files that ignore rules leave out.
    Ignored,
    /// Take in hidden files.
    Hidden,
    /// Take in files that look binary.
    Binary,
    /// Read files in this encoding.
    Encoding(&'static str),
    /// Another pattern.
    Pattern(String),
    /// Another template.
    Template(String),
    /// Another pattern and another template.
    Both(String, String),
    /// One step that makes the changes of two, each old text with its new one.
    Pairs,
    /// Another delimiter.
    Delimiter(String),
    /// Something that cannot be written for the user.
    Words(&'static str),
}

/// The hints that are reported.
///
/// ```
/// use brisk_quill_engine::hints::hint::Hints;
/// assert!(Hints::default().shown.is_empty());
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Hints {
    /// The most telling ones, at most [`Hints::MOST`], the most telling first.
    pub shown: Vec<Hint>,
    /// The names of further ones.
    pub more: Vec<&'static str>,
}

impl Hints {
    /// The most hints that are reported.
    pub const MOST: usize = 2;

    /// The first of all hints, which come in order.
    pub fn of(mut all: Vec<Hint>) -> Self {
        let more = all.split_off(all.len().min(Self::MOST));
        Self {
            shown: all,
            more: more.iter().map(|hint| hint.name).collect(),
        }
    }

    /// The number of all of them.
    pub fn count(&self) -> u64 {
        (self.shown.len() + self.more.len()) as u64
    }

    /// "2 more hints: case-variants, still-there"; `None` where all are shown.
    pub fn others(&self) -> Option<String> {
        let count = counted(self.more.len() as u64, "more hint");
        (!self.more.is_empty()).then(|| format!("{count}: {}", self.more.join(", ")))
    }
}

impl Hint {
    /// A hint about the request alone.
    pub fn new(name: &'static str, message: String) -> Self {
        Self {
            name,
            message,
            place: None,
            count: 0,
            remedy: None,
            others: Vec::new(),
        }
    }

    /// A hint about this many places, with the first of them.
    pub fn at(name: &'static str, (count, spot): (u64, &Spot), message: String) -> Self {
        Self {
            place: Some(HintPlace {
                source: Source::clone(&spot.source),
                line: spot.line,
            }),
            count,
            ..Self::new(name, message)
        }
    }

    /// The same with another remedy, for where those before do not hold.
    #[must_use]
    pub fn or_by(mut self, remedy: Option<Remedy>) -> Self {
        self.others.extend(remedy);
        self
    }

    /// The same with a remedy.
    #[must_use]
    pub fn cured_by(self, remedy: impl Into<Option<Remedy>>) -> Self {
        Self {
            remedy: remedy.into(),
            ..self
        }
    }
}

impl Remedy {
    /// Changes a step as it says; false where that is not a matter of the step.
    pub fn apply(&self, step: &mut StepSpec) -> bool {
        match self {
            Self::IgnoreCase => step.ignore_case = true,
            Self::WholeWord => step.whole_word = true,
            Self::PickAll => {
                step.pick = None;
                step.per = None;
            }
            Self::NotLiteral => step.literal = false,
            Self::WholeText => step.unit = Some("text".into()),
            Self::OpenEnd => step.open_end = true,
            Self::Columns { columns, .. } => step.columns = Some(columns.clone()),
            Self::Pattern(pattern) => step.pattern = Some(pattern.clone()),
            Self::Template(template) => set_template(step, template),
            Self::Both(pattern, template) => {
                step.pattern = Some(pattern.clone());
                set_template(step, template);
            }
            Self::Delimiter(delimiter) => step.delimiter = Some(delimiter.clone()),
            Self::Ignored
            | Self::Hidden
            | Self::Binary
            | Self::Encoding(_)
            | Self::Pairs
            | Self::Words(_) => return false,
        }
        true
    }
}

fn set_template(step: &mut StepSpec, template: &str) {
    let templates = [
        &mut step.with,
        &mut step.above,
        &mut step.below,
        &mut step.lead,
        &mut step.trail,
    ];
    for own in templates.into_iter().flatten() {
        template.clone_into(own);
    }
    if step.remove {
        step.remove = false;
        step.with = Some(template.to_owned());
    }
}

/// A clause: "add `--whole-word`".
impl fmt::Display for Remedy {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::IgnoreCase => f.write_str("add `--ignore-case`"),
            Self::WholeWord => f.write_str("add `--whole-word`"),
            Self::PickAll => f.write_str("leave `--pick` out"),
            Self::NotLiteral => f.write_str("leave `--literal` out"),
            Self::WholeText => f.write_str("add `--unit text`"),
            Self::OpenEnd => f.write_str("add `--open-end`"),
            Self::Columns { step, columns } => {
                write!(
                    f,
                    "add `--columns {}` to step {step}",
                    visible(columns.as_bytes())
                )
            }
            Self::Ignored => f.write_str("add `--ignored`"),
            Self::Hidden => f.write_str("add `--hidden`"),
            Self::Binary => f.write_str("add `--binary`"),
            Self::Encoding(label) => write!(f, "add `--encoding {label}`"),
            Self::Pattern(pattern) => write!(f, "write the pattern {}", quoted(pattern)),
            Self::Template(template) => write!(f, "write the template {}", quoted(template)),
            Self::Both(pattern, template) => {
                let (pattern, template) = (quoted(pattern), quoted(template));
                write!(f, "write the pattern {pattern} and `--with` {template}")
            }
            Self::Pairs => f.write_str("give both pairs to one step, with `--pairs TABLE`"),
            Self::Delimiter(delimiter) => {
                write!(f, "add `--delimiter {}`", visible(delimiter.as_bytes()))
            }
            Self::Words(words) => f.write_str(words),
        }
    }
}

/// Text between backquotes, made visible.
pub fn quoted(text: &str) -> String {
    let text = visible(text.as_bytes());
    match text.contains('`') {
        true => format!("“{text}”"),
        false => format!("`{text}`"),
    }
}

/// Bytes between backquotes, made visible, long ones cut.
pub fn shown(text: &[u8]) -> String {
    const MOST: usize = 60;
    let text = String::from_utf8_lossy(text);
    match text.char_indices().nth(MOST) {
        Some((at, _)) => quoted(&format!("{}…", &text[..at])),
        None => quoted(&text),
    }
}
