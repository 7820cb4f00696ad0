//! Which changes are meant, in words: for decisions without a screen.
//!
//! ```text
//! SPEC      = ITEM ("," ITEM)*              any of them
//! ITEM      = CONDITION ("&" CONDITION)*    all of them
//! CONDITION = FILE "." CHANGE               the id
//!           | "kind:" SPEC-OF-NUMBERS       the number in the list of kinds
//!           | "line:" SPEC-OF-NUMBERS       the line it begins in
//!           | "file:" GLOB                  its file
//! ```

use crate::address::Spec;
use crate::address::parse::SpecError;
use crate::address::resolve::Selection;
use crate::fault::Fault;
use crate::plan::{PlanIndex, parse_id};
use crate::span::Span;

/// Which changes are meant. What a glob matches is decided outside.
///
/// ```
/// use brisk_quill_core::plan::decide::Decider;
/// assert!(!Decider::parse("1.2,line:10..20", &mut Vec::new()).expect("changes").needs_kinds());
/// assert!(Decider::parse("no such thing", &mut Vec::new()).is_err());
/// ```
#[derive(Clone, Debug)]
pub struct Decider {
    /// The changes that are named by nothing but their ids.
    ids: Vec<String>,
    items: Vec<Vec<Condition>>,
}

#[derive(Clone, Debug)]
enum Condition {
    Id(String),
    Kind(Selection),
    Line(Selection),
    /// The number of the glob.
    File(usize),
}

/// Why a SPEC of changes was refused.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct DecideError {
    message: String,
    span: Span,
}

impl Fault for DecideError {
    fn span(&self) -> Option<Span> {
        Some(self.span)
    }

    fn remedy(&self) -> Option<String> {
        Some(
            "write ids such as `2.7`, or `kind:3`, `line:10..20`, `file:notices/*.md`; `&` joins \
             conditions and `,` begins another"
                .into(),
        )
    }
}

impl Decider {
    /// Reads a SPEC; its globs are put behind `globs`.
    ///
    /// # Errors
    ///
    /// When it does not parse.
    pub fn parse(text: &str, globs: &mut Vec<String>) -> Result<Self, DecideError> {
        let mut items: Vec<Vec<Condition>> = Vec::new();
        let mut at = 0;
        // A list of numbers may hold commas, as in `line:3,5`: what is a number goes on with it.
        let mut words: Vec<(usize, String)> = Vec::new();
        for word in text.split(',') {
            // What is joined to it by `&` says nothing about it.
            let first = word.split('&').next().unwrap_or(word).trim();
            let numbers =
                first.starts_with(|c: char| c.is_ascii_digit() || c == '.') && !is_id(first);
            match words.last_mut() {
                Some((_, last)) if numbers && ends_in_numbers(last) => {
                    last.push(',');
                    last.push_str(word);
                }
                _ => words.push((at, word.to_owned())),
            }
            at += word.len() + 1;
        }
        let mut ids = Vec::new();
        for (from, word) in &words {
            let mut item = Vec::new();
            let mut at = *from;
            for part in word.split('&') {
                let span = Span::new(at, at + part.len());
                item.push(condition(part.trim(), span, globs)?);
                at += part.len() + 1;
            }
            match &mut item[..] {
                [Condition::Id(id)] => ids.push(std::mem::take(id)),
                _ => items.push(item),
            }
        }
        Ok(Self { ids, items })
    }

    /// The ids that name a change alone.
    pub fn ids(&self) -> &[String] {
        &self.ids
    }

    /// True if it names changes by more than their ids, so that [`Decider::holds`] must be asked.
    pub fn has_conditions(&self) -> bool {
        !self.items.is_empty()
    }

    /// True if it speaks of kinds.
    pub fn needs_kinds(&self) -> bool {
        let mut all = self.items.iter().flatten();
        all.any(|condition| matches!(condition, Condition::Kind(_)))
    }

    /// True if the change at `index` is meant by a condition, or by more than one. `kind` is its number in the list of kinds;
    /// `in_glob` says whether its file matches a glob, by its number.
    pub fn holds(
        &self,
        plan: &PlanIndex,
        index: usize,
        kind: Option<u64>,
        in_glob: &dyn Fn(usize) -> bool,
    ) -> bool {
        let condition = |condition: &Condition| match condition {
            Condition::Id(id) => *id == plan.id(index),
            Condition::Kind(numbers) => kind.is_some_and(|kind| numbers.contains(kind)),
            Condition::Line(numbers) => numbers.contains(u64::from(plan.entries[index].line)),
            Condition::File(glob) => in_glob(*glob),
        };
        self.items.iter().any(|item| item.iter().all(condition))
    }
}

fn is_id(word: &str) -> bool {
    parse_id(word).is_some()
}

fn ends_in_numbers(word: &str) -> bool {
    let last = word.rsplit('&').next().unwrap_or(word).trim();
    last.starts_with("kind:") || last.starts_with("line:")
}

fn condition(part: &str, span: Span, globs: &mut Vec<String>) -> Result<Condition, DecideError> {
    let fail = |message: String| DecideError { message, span };
    let numbers = |text: &str| -> Result<Selection, DecideError> {
        let spec: Spec = text
            .parse()
            .map_err(|error: SpecError| fail(error.to_string()))?;
        match spec.needs_total() {
            true => Err(fail("`last` has no meaning here".into())),
            false => Ok(spec.resolve(None)),
        }
    };
    match part.split_once(':') {
        Some(("kind", text)) => Ok(Condition::Kind(numbers(text)?)),
        Some(("line", text)) => Ok(Condition::Line(numbers(text)?)),
        Some(("file", glob)) if !glob.is_empty() => {
            globs.push(glob.to_owned());
            Ok(Condition::File(globs.len() - 1))
        }
        None if is_id(part) => Ok(Condition::Id(part.to_owned())),
        _ => Err(fail(format!("`{part}` names no changes"))),
    }
}
