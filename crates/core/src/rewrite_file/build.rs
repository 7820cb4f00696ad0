//! From words to steps.

use crate::address::Spec;
use crate::chars::{class_of, set, swaps};
use crate::edits::StepSet;
use crate::error::Error;
use crate::pattern::{Groups, MatchOptions, Pattern};
use crate::query::scope::{Block, Near, Scope};
use crate::query::{Per, Pick, Query};
use crate::rewrite::Rewrite;
use crate::rewrite_file::{RewriteText, StepText};
use crate::step::{Action, CellTarget, CellText, Step};
use crate::template::Template;
use crate::template::filters::Tables;
use crate::unit::UnitKind;
use std::str::FromStr;

/// Why a step in words cannot be done.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum StepFault {
    /// A value has a fault.
    #[error("{error}")]
    Value {
        /// The key it belongs to.
        key: &'static str,
        /// The value as it was written.
        text: String,
        /// The fault, located in `text`.
        error: Error,
    },
    /// The keys do not make sense together.
    #[error("{message}")]
    Senseless {
        /// Why not.
        message: String,
        /// What to do.
        remedy: &'static str,
    },
}

pub(super) fn senseless(message: impl Into<String>, remedy: &'static str) -> StepFault {
    StepFault::Senseless {
        message: message.into(),
        remedy,
    }
}

pub(super) fn fault<E: Into<Error>>(key: &'static str, text: &str) -> impl FnOnce(E) -> StepFault {
    let text = text.to_owned();
    move |error| StepFault::Value {
        key,
        text,
        error: error.into(),
    }
}

impl RewriteText {
    /// The rewrite that this says.
    ///
    /// # Errors
    ///
    /// The number of the step at fault, from 1, and the fault.
    pub fn build(&self, tables: &mut dyn Tables) -> Result<Rewrite, (usize, StepFault)> {
        if self.step.len() > StepSet::MOST {
            let message = format!("a rewrite has at most {} steps", StepSet::MOST);
            return Err((StepSet::MOST + 1, senseless(message, "run it in two parts")));
        }
        let each = (1..).zip(&self.step);
        let steps = each.map(|(number, step)| step.build(tables).map_err(|fault| (number, fault)));
        steps.collect::<Result<_, _>>().map(Rewrite::new)
    }
}

impl StepText {
    /// The step that this says.
    ///
    /// # Errors
    ///
    /// When a value does not parse, or the keys make no sense together.
    pub fn build(&self, tables: &mut dyn Tables) -> Result<Step, StepFault> {
        let mut query = self.query()?;
        let action = self.action(query.pattern.groups(), tables)?;
        match query.unit {
            UnitKind::Cell if action.is_for_lines() => {
                return Err(senseless(
                    "lines cannot be dropped or inserted while the unit is a cell",
                    "leave the columns out; `where` and `unless` test the whole line",
                ));
            }
            UnitKind::Paragraph | UnitKind::Text if action.is_for_lines() => {
                return Err(senseless(
                    "lines cannot be dropped or inserted while the unit is larger than a line",
                    "leave `unit` out",
                ));
            }
            _ => {}
        }
        self.name_columns(&action, &mut query)?;
        let mut step = Step::new(query, action);
        let expect = self.expect.iter().map(|text| parse("expect", text));
        step.expect = expect.collect::<Result<_, _>>()?;
        step.ensure = all_compiled("ensure", &self.ensure, &self.record_options()?)?;
        Ok(step)
    }

    /// The query that this says; what it does is not looked at, but for characters to swap or
    /// to remove, which are what it matches.
    ///
    /// # Errors
    ///
    /// As [`StepText::build`].
    pub fn query(&self) -> Result<Query, StepFault> {
        let record = self.record_options()?;
        let line = MatchOptions::default();
        let block = |pair: &[String; 2]| {
            Ok(Block {
                start: compiled("between", &pair[0], &line)?,
                end: compiled("between", &pair[1], &line)?,
                inner: self.inner,
            })
        };
        let near = |(text, distance): &(String, u64)| {
            Ok(Near {
                pattern: compiled("near", text, &line)?,
                distance: *distance,
            })
        };
        if self.inner && self.between.is_empty() {
            return Err(senseless("`inner` belongs to `between`", "add `between`"));
        }
        if self.per.is_some() && self.pick.is_none() {
            return Err(senseless("`per` belongs to `pick`", "add `pick`"));
        }
        let cells = self.cell_conditions()?;
        let mut columns = self.columns()?;
        if let Some(columns) = &mut columns {
            columns
                .also
                .extend(cells.iter().map(|cell| cell.column.clone()));
        }
        Ok(Query {
            pattern: self.main_pattern(&record)?,
            unit: self.unit()?,
            scope: Scope {
                cells,
                lines: parsed("lines", self.lines.as_deref())?.unwrap_or_else(Spec::all),
                contains: all_compiled("where", &self.contains, &record)?,
                lacks: all_compiled("unless", &self.unless, &record)?,
                blocks: self.between.iter().map(block).collect::<Result<_, _>>()?,
                near: self.near.iter().map(near).collect::<Result<_, _>>()?,
            },
            pick: Pick {
                spec: parsed("pick", self.pick.as_deref())?.unwrap_or_else(Spec::all),
                per: self.per()?,
            },
            limit: self.limit,
            columns,
        })
    }

    fn main_pattern(&self, record: &MatchOptions) -> Result<Pattern, StepFault> {
        let chars = match (&self.swap_chars, &self.remove_chars) {
            (Some([from, to]), _) => {
                let map = swaps(from, to).map_err(|(error, in_to)| {
                    fault("swap-chars", if in_to { to } else { from })(error)
                })?;
                Some(map.into_keys().collect::<Vec<_>>())
            }
            (None, Some(text)) => {
                let chars = set(text).map_err(fault("remove-chars", text))?;
                Some(chars.into_iter().collect())
            }
            (None, None) => None,
        };
        // A run of them is one match.
        let chars = chars.map(|chars| format!("{}+", class_of(chars)));
        let options = MatchOptions {
            ignore_case: self.ignore_case,
            whole_word: self.whole_word,
            literal: self.literal,
            entire: self.entire,
            ..*record
        };
        match (chars, &self.pattern) {
            (Some(_), Some(pattern)) => Err(senseless(
                format!(
                    "characters are swapped or removed without a pattern, and there is `{pattern}`"
                ),
                "leave the pattern out, or use `where` to say in which lines",
            )),
            (Some(_), None) if options != *record => Err(senseless(
                "characters are matched as they are, whatever is said of a pattern",
                "leave ignore-case, whole-word, literal and entire out",
            )),
            (Some(class), None) => compiled("match", &class, record),
            (None, Some(pattern)) => compiled("match", pattern, &options),
            (None, None) => Err(senseless(
                "a pattern is missing",
                "write one, between single quotes",
            )),
        }
    }

    /// How conditions on units are read.
    fn record_options(&self) -> Result<MatchOptions, StepFault> {
        Ok(MatchOptions {
            multi_line: matches!(self.unit()?, UnitKind::Paragraph | UnitKind::Text),
            ..MatchOptions::default()
        })
    }

    pub(super) fn unit(&self) -> Result<UnitKind, StepFault> {
        let unit = match self.unit.as_deref() {
            None if self.has_columns() => UnitKind::Cell,
            None | Some("line") => UnitKind::Line,
            Some("paragraph") => UnitKind::Paragraph,
            Some("text") => UnitKind::Text,
            Some("cell") => UnitKind::Cell,
            Some(other) => {
                return Err(senseless(
                    format!("there is no unit `{other}`"),
                    "write `line`, `paragraph`, `text` or `cell`",
                ));
            }
        };
        match unit {
            UnitKind::Cell => Ok(unit),
            _ if self.has_columns() => Err(senseless(
                format!(
                    "a cell is a unit of its own, and no part of a {}",
                    unit.name()
                ),
                "leave `unit` out, or the columns",
            )),
            _ => Ok(unit),
        }
    }

    fn per(&self) -> Result<Per, StepFault> {
        match self.per.as_deref() {
            None | Some("unit") => Ok(Per::Unit),
            Some("row") if self.unit()? != UnitKind::Cell => Err(senseless(
                "picks are counted per row only where there are columns",
                "add `columns`, or count them per `unit`",
            )),
            Some("row") => Ok(Per::Row),
            Some("file") => Ok(Per::File),
            Some("run") => Ok(Per::Run),
            Some(other) => Err(senseless(
                format!("picks cannot be counted per `{other}`"),
                "write `unit`, `row`, `file` or `run`",
            )),
        }
    }

    /// What is to be done, which must be said exactly once.
    fn action(&self, groups: &Groups, tables: &mut dyn Tables) -> Result<Action, StepFault> {
        let mut template = |key, text: &str| match self.literal {
            true => Ok(Template::literal(text)),
            false => Template::parse_with(text, groups, tables).map_err(fault(key, text)),
        };
        let mut said = Vec::new();
        if let Some(text) = &self.with {
            said.push(("with", Action::Replace(template("with", text)?)));
        }
        if let Some(text) = &self.above {
            said.push(("above", Action::Above(template("above", text)?)));
        }
        if let Some(text) = &self.below {
            said.push(("below", Action::Below(template("below", text)?)));
        }
        if let Some(text) = &self.lead {
            said.push(("lead", Action::Lead(template("lead", text)?)));
        }
        if let Some(text) = &self.trail {
            said.push(("trail", Action::Trail(template("trail", text)?)));
        }
        let mut cells = Vec::new();
        for [column, text] in &self.set {
            cells.push(CellText {
                target: CellTarget::Column(parse("set", column)?),
                template: template("set", text)?,
            });
        }
        for [name, text] in &self.add_column {
            cells.push(CellText {
                target: CellTarget::Added(name.clone()),
                template: template("add-column", text)?,
            });
        }
        if !cells.is_empty() {
            let key = if self.set.is_empty() {
                "add-column"
            } else {
                "set"
            };
            said.push((key, Action::Cells(cells)));
        }
        if self.remove {
            said.push(("remove", Action::Remove));
        }
        if self.drop_lines {
            said.push(("drop-lines", Action::DropLines));
        }
        if self.drop_other_lines {
            said.push(("drop-other-lines", Action::DropOtherLines));
        }
        if let Some([from, to]) = &self.swap_chars {
            // The query has already found them sound.
            let map = swaps(from, to).unwrap_or_default();
            said.push(("swap-chars", Action::SwapChars(map)));
        }
        if self.remove_chars.is_some() {
            said.push(("remove-chars", Action::Remove));
        }
        match said.len() {
            1 => Ok(said.swap_remove(0).1),
            0 => Err(senseless(
                format!(
                    "nothing is said about what becomes of `{}`",
                    self.pattern.as_deref().unwrap_or_default()
                ),
                "add `--with TEMPLATE` or another action; to only look, use `find`",
            )),
            _ => Err(senseless(
                format!("{} and {} exclude each other", said[0].0, said[1].0),
                "keep one of them, or make two steps with `--then`",
            )),
        }
    }
}

pub(super) fn compiled(
    key: &'static str,
    text: &str,
    options: &MatchOptions,
) -> Result<Pattern, StepFault> {
    Pattern::new(text, options).map_err(fault(key, text))
}

fn all_compiled(
    key: &'static str,
    texts: &[String],
    options: &MatchOptions,
) -> Result<Vec<Pattern>, StepFault> {
    let each = texts.iter().map(|text| compiled(key, text, options));
    each.collect()
}

fn parse<T>(key: &'static str, text: &str) -> Result<T, StepFault>
where
    T: FromStr<Err: Into<Error>>,
{
    text.parse().map_err(fault(key, text))
}

fn parsed<T>(key: &'static str, text: Option<&str>) -> Result<Option<T>, StepFault>
where
    T: FromStr<Err: Into<Error>>,
{
    text.map(|text| parse(key, text)).transpose()
}
