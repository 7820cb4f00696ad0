//! Steps built from words.

use crate::address::Spec;
use crate::chars::{class_of, set};
use crate::error::Error;
use crate::pattern::Pattern;
use crate::pattern::options::MatchOptions;
use crate::query::cell_condition::{CellTest, Comparing, ListedValues};
use crate::query::scope::{Block, Near, Scope};
use crate::query::{Per, Pick, Query};
use crate::step::Step;
use crate::step::actions::Action;
use crate::step::actions::pairs::Pairs;
use crate::step::actions::{above, below, cells, lead, pairs, replace, swap_chars, trail};
use crate::step::into_column::{self, IntoColumn};
use crate::step::template_reader::TemplateReader;
use crate::step_spec::StepSpec;
use crate::step_spec::columns::{CellSpec, name_columns};
use crate::step_spec::lists::in_pairs;
use crate::step_spec::values::{StepFault, compiled, compiled_texts, fault, parse, senseless};
use crate::template::tables::Tables;
use crate::unit::UnitKind;
use std::str::FromStr;

impl StepSpec {
    /// The step that this says.
    ///
    /// # Errors
    ///
    /// When a value does not parse, or the keys make no sense together.
    pub fn build(&self, tables: &mut dyn Tables) -> Result<Step, StepFault> {
        let (query, pairs) = self.query_with(tables)?;
        let mut query = query;
        let action = self.action(&query, pairs, tables)?;
        let into = self.target_of_new_text(&query, &action)?;
        match query.unit {
            UnitKind::Cell if action.is_for_lines() => {
                return Err(senseless(
                    "lines cannot be inserted while the unit is a cell",
                    "leave the columns out: `--where` and `--unless` test the whole line",
                ));
            }
            UnitKind::Paragraph | UnitKind::Text if action.is_for_lines() => {
                return Err(senseless(
                    "lines cannot be dropped or inserted while the unit is larger than a line",
                    "leave `--unit` out",
                ));
            }
            UnitKind::Line | UnitKind::Paragraph | UnitKind::Text if action.is_for_rows() => {
                return Err(senseless(
                    "cells are written only where there are columns",
                    "add `columns`",
                ));
            }
            UnitKind::Cell | UnitKind::Paragraph | UnitKind::Text | UnitKind::Line => {}
        }
        name_columns(&action, into.as_ref(), &mut query)?;
        let of_unit = unit_options(query.unit);
        let mut step = Step::new(query, action);
        let expect = self.expect.iter().map(|text| parse("expect", text));
        step.into = into;
        step.expect = expect.collect::<Result<_, _>>()?;
        step.ensure = all_compiled("ensure", &self.ensure, &of_unit)?;
        Ok(step)
    }

    fn target_of_new_text(
        &self,
        query: &Query,
        action: &Action,
    ) -> Result<Option<IntoColumn>, StepFault> {
        match (&self.into, self.into_empty) {
            (Some(into), empty) => into_column::build(into, empty, (query, action)).map(Some),
            (None, true) => Err(senseless(
                "`--into-empty` belongs to `--into`",
                "add `--into COLUMN`",
            )),
            (None, false) => Ok(None),
        }
    }

    /// The query that this says, with the texts of its tables and lists.
    ///
    /// # Errors
    ///
    /// As [`StepSpec::build`].
    pub fn query_with(&self, tables: &mut dyn Tables) -> Result<(Query, Option<Pairs>), StepFault> {
        let mut query = self.query()?;
        self.read_lists(&mut query.scope, tables)?;
        let Some(path) = &self.pairs else {
            return Ok((query, None));
        };
        let (pairs, pattern) = pairs::build(path, query.pattern.options(), tables)?;
        query.pattern = pattern;
        Ok((query, Some(pairs)))
    }

    /// Reads the lists that rows are compared with.
    fn read_lists(&self, scope: &mut Scope, tables: &mut dyn Tables) -> Result<(), StepFault> {
        let comparing = Comparing {
            ignores_case: self.ignore_case,
            trims: self.trimmed,
        };
        for cell in &mut scope.cells {
            if let CellTest::Listed(list) = &mut cell.test {
                let values = tables.values(&list.path, &cell.column);
                let values = values.map_err(|error| {
                    senseless(
                        error.to_string(),
                        "write a value on each line, or a table with that column",
                    )
                })?;
                *list = ListedValues::new(&list.path, values, comparing);
            }
        }
        Ok(())
    }

    /// The query that this says, but for the texts of a table or a list; what it does is not looked at, but for characters to swap or
    /// to remove, which are what it matches.
    ///
    /// # Errors
    ///
    /// As [`StepSpec::build`].
    pub fn query(&self) -> Result<Query, StepFault> {
        // Every field stands here, so that a new one must be given its meaning.
        let Self {
            pattern,
            pattern_file: _,
            ignore_case,
            whole_word,
            literal,
            entire,
            unit,
            columns,
            where_in,
            unless_in,
            where_listed,
            unless_listed,
            table,
            trimmed,
            lines,
            contains,
            unless,
            between,
            outside,
            inner,
            open_end,
            near,
            pick,
            per,
            limit,
            with: _,
            remove: _,
            drop_lines: _,
            keep_lines: _,
            into: _,
            into_empty: _,
            above: _,
            below: _,
            lead: _,
            trail: _,
            swap_chars,
            remove_chars,
            pairs,
            set,
            add_column,
            label,
            format,
            delimiter,
            quote,
            no_header,
            ragged,
            expect: _,
            ensure: _,
            example: _,
        } = self;
        let cells = CellSpec {
            unit: unit.as_deref(),
            columns: columns.as_deref(),
            conditions: [where_in, unless_in],
            lists: [where_listed, unless_listed],
            writes: [set, add_column],
            label: label.as_deref(),
            table: table.as_deref(),
            format: format.as_deref(),
            delimiter: delimiter.as_deref(),
            quote: quote.as_deref(),
            no_header: *no_header,
            ragged: *ragged,
        };
        let unit = unit_of(unit.as_deref(), cells.is_meant())?;
        let record = unit_options(unit);
        let pattern_options = MatchOptions {
            ignore_case: *ignore_case,
            whole_word: *whole_word,
            literal: *literal,
            entire: *entire,
            ..record
        };
        if *trimmed && where_listed.is_empty() && unless_listed.is_empty() {
            return Err(senseless(
                "`--trimmed` belongs to `--where-listed` or `--unless-listed`",
                "add one of them",
            ));
        }
        let chars = characters(swap_chars, remove_chars.as_deref())?;
        let conditions = cells.conditions()?;
        let mut columns = cells.columns()?;
        if let Some(columns) = &mut columns {
            let named = conditions.iter().map(|cell| cell.column.clone());
            columns.also.extend(named);
        }
        Ok(Query {
            pattern: match (pairs, chars.is_some() || *literal, pattern) {
                (None, ..) => main_pattern(pattern.as_deref(), chars, (&pattern_options, &record))?,
                (Some(table), false, None) => compiled_texts(table, &[], &pattern_options)?,
                (Some(table), ..) => return Err(more_than_pairs(table)),
            },
            unit,
            scope: Scope {
                cells: conditions,
                lines: parsed("lines", lines.as_deref())?.unwrap_or_else(Spec::all),
                contains: all_compiled("where", contains, &record)?,
                lacks: all_compiled("unless", unless, &record)?,
                blocks: blocks((between, outside), *inner, *open_end)?,
                near: near_lines(near)?,
            },
            pick: picked(pick.as_deref(), per.as_deref(), unit)?,
            limit: *limit,
            columns,
        })
    }

    /// True if it says what is done with the matches.
    pub fn has_action(&self) -> bool {
        let templates = [
            &self.with,
            &self.above,
            &self.below,
            &self.lead,
            &self.trail,
        ];
        let tables = [&self.remove_chars, &self.pairs];
        let lists = [&self.swap_chars, &self.set, &self.add_column];
        templates.into_iter().chain(tables).any(Option::is_some)
            || lists.into_iter().any(|list| !list.is_empty())
            || self.remove
            || self.drop_lines
            || self.keep_lines
    }

    /// True if what it matches is said, by a pattern or in another way.
    pub fn has_pattern(&self) -> bool {
        let pattern = self.pattern.as_deref().unwrap_or_default();
        !pattern.is_empty()
            || self.pattern_file.is_some()
            || self.remove_chars.is_some()
            || self.pairs.is_some()
            || !self.swap_chars.is_empty()
    }

    /// True if it reads cells.
    pub fn has_columns(&self) -> bool {
        self.columns.is_some()
            || !self.where_in.is_empty()
            || !self.unless_in.is_empty()
            || !self.where_listed.is_empty()
            || !self.unless_listed.is_empty()
            || !self.set.is_empty()
            || !self.add_column.is_empty()
            || self.unit.as_deref() == Some(UnitKind::Cell.name())
    }

    /// The action, which must be said exactly once.
    fn action(
        &self,
        query: &Query,
        pairs: Option<Pairs>,
        tables: &mut dyn Tables,
    ) -> Result<Action, StepFault> {
        let mut templates = TemplateReader {
            literal: self.literal,
            groups: query.pattern.groups(),
            tables,
        };
        let templates = &mut templates;
        let mut said = Vec::new();
        if let Some(text) = &self.with {
            said.push(("with", Action::Replace(replace::build(text, templates)?)));
        }
        if let Some(text) = &self.above {
            said.push(("above", Action::Above(above::build(text, templates)?)));
        }
        if let Some(text) = &self.below {
            said.push(("below", Action::Below(below::build(text, templates)?)));
        }
        if let Some(text) = &self.lead {
            said.push(("lead", Action::Lead(lead::build(text, templates)?)));
        }
        if let Some(text) = &self.trail {
            said.push(("trail", Action::Trail(trail::build(text, templates)?)));
        }
        match (self.set.is_empty(), self.add_column.is_empty()) {
            (true, true) => {}
            (no_set, _) => {
                let key = if no_set { "add-column" } else { "set" };
                let texts = (&self.set[..], &self.add_column[..]);
                said.push((key, Action::Cells(cells::build(texts, templates)?)));
            }
        }
        if self.remove {
            said.push(("remove", Action::Remove));
        }
        let in_rows = query.unit == UnitKind::Cell;
        if self.drop_lines {
            let action = match in_rows {
                true => Action::DropRows,
                false => Action::DropLines,
            };
            said.push(("drop-lines", action));
        }
        if self.keep_lines {
            let action = match in_rows {
                true => Action::DropOtherRows,
                false => Action::DropOtherLines,
            };
            said.push(("keep-lines", action));
        }
        if let Some((from, to)) = in_pairs(&self.swap_chars).next() {
            said.push((
                "swap-chars",
                Action::SwapChars(swap_chars::build(from, to)?),
            ));
        }
        if self.remove_chars.is_some() {
            said.push(("remove-chars", Action::Remove));
        }
        said.extend(pairs.map(|pairs| ("pairs", Action::Pairs(pairs))));
        the_one(said, self.pattern.as_deref().unwrap_or_default())
    }
}

/// The characters that are swapped or removed.
fn characters(swap: &[String], remove: Option<&str>) -> Result<Option<Vec<char>>, StepFault> {
    if let Some((from, to)) = in_pairs(swap).next() {
        let map = swap_chars::characters(from, to)?;
        return Ok(Some(map.into_keys().collect()));
    }
    let Some(text) = remove else {
        return Ok(None);
    };
    let chars = set(text).map_err(fault("remove-chars", text))?;
    Ok(Some(chars.into_iter().collect()))
}

/// The fault of a step with the texts of a table, and something else to match.
fn more_than_pairs(table: &str) -> StepFault {
    let table = crate::escape::visible(table.as_bytes());
    senseless(
        format!("the texts of the table {table} are what is matched, as plain text"),
        "leave the pattern and `--literal` out, or use `--where` to say in which lines",
    )
}

/// The pattern with its options, or that of runs of characters; `record` are the options without
/// any that were given.
fn main_pattern(
    pattern: Option<&str>,
    chars: Option<Vec<char>>,
    (options, record): (&MatchOptions, &MatchOptions),
) -> Result<Pattern, StepFault> {
    // A run of them is one match.
    let chars = chars.map(|chars| format!("{}+", class_of(chars)));
    match (chars, pattern) {
        (Some(_), Some(pattern)) => Err(senseless(
            format!(
                "characters are swapped or removed without a pattern, and there is `{pattern}`"
            ),
            "leave the pattern out, or use `--where` to say in which lines",
        )),
        (Some(_), None) if options != record => Err(senseless(
            "characters are matched as they are, whatever is said of a pattern",
            "leave `--ignore-case`, `--whole-word`, `--literal` and `--entire` out",
        )),
        (Some(class), None) => compiled("match", &class, record),
        (None, Some(pattern)) => compiled("match", pattern, options),
        (None, None) => Err(senseless(
            "a pattern is missing",
            "write one, between single quotes",
        )),
    }
}

/// Options for patterns that are tried on whole units.
fn unit_options(unit: UnitKind) -> MatchOptions {
    MatchOptions {
        multi_line: matches!(unit, UnitKind::Paragraph | UnitKind::Text),
        ..MatchOptions::default()
    }
}

fn unit_of(name: Option<&str>, has_columns: bool) -> Result<UnitKind, StepFault> {
    let unit = match name {
        None if has_columns => UnitKind::Cell,
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
        UnitKind::Line | UnitKind::Paragraph | UnitKind::Text if has_columns => Err(senseless(
            format!(
                "a cell is a unit of its own, and no part of a {}",
                unit.name()
            ),
            "leave `--unit` out, or the columns",
        )),
        UnitKind::Line | UnitKind::Paragraph | UnitKind::Text => Ok(unit),
    }
}

fn picked(pick: Option<&str>, per: Option<&str>, unit: UnitKind) -> Result<Pick, StepFault> {
    let counted_per = match per {
        None | Some("unit") => Per::Unit,
        Some("row") if unit != UnitKind::Cell => {
            return Err(senseless(
                "picks are counted per row only where there are columns",
                "add `--columns`, or count them per `unit`",
            ));
        }
        Some("row") => Per::Row,
        Some("file") => Per::File,
        Some("run") => Per::Run,
        Some(other) => {
            return Err(senseless(
                format!("picks cannot be counted per `{other}`"),
                "write `unit`, `row`, `file` or `run`",
            ));
        }
    };
    if per.is_some() && pick.is_none() {
        return Err(senseless("`--per` belongs to `--pick`", "add `--pick`"));
    }
    Ok(Pick {
        spec: parsed("pick", pick)?.unwrap_or_else(Spec::all),
        per: counted_per,
    })
}

fn blocks(
    (between, outside): (&[String], &[String]),
    inner: bool,
    open_end: bool,
) -> Result<Vec<Block>, StepFault> {
    let has_none = between.is_empty() && outside.is_empty();
    for (name, is_given) in [("inner", inner), ("open-end", open_end)] {
        if is_given && has_none {
            return Err(senseless(
                format!("`--{name}` belongs to `--between` or `--outside`"),
                "add one of them",
            ));
        }
    }
    let line = MatchOptions::default();
    let block = |(key, outside, (start, end))| {
        Ok(Block {
            start: compiled(key, start, &line)?,
            end: compiled(key, end, &line)?,
            inner,
            open_end,
            outside,
        })
    };
    let between = in_pairs(between).map(|pair| ("between", false, pair));
    let outside = in_pairs(outside).map(|pair| ("outside", true, pair));
    between.chain(outside).map(block).collect()
}

fn near_lines(near: &[String]) -> Result<Vec<Near>, StepFault> {
    let line = MatchOptions::default();
    let one = |(text, distance): (&str, &str)| {
        Ok(Near {
            distance: distance.parse().map_err(|_| {
                senseless(
                    format!("`--near`: `{distance}` is not a number of lines"),
                    "write the pattern first and then a number, as in `--near closed 2`",
                )
            })?,
            pattern: compiled("near", text, &line)?,
        })
    };
    in_pairs(near).map(one).collect()
}

fn all_compiled(
    key: &'static str,
    texts: &[String],
    options: &MatchOptions,
) -> Result<Vec<Pattern>, StepFault> {
    let each = texts.iter().map(|text| compiled(key, text, options));
    each.collect()
}

fn parsed<T>(key: &'static str, text: Option<&str>) -> Result<Option<T>, StepFault>
where
    T: FromStr<Err: Into<Error>>,
{
    text.map(|text| parse(key, text)).transpose()
}

/// The one action that is said, each with its key, of a step with this pattern.
fn the_one(said: Vec<(&str, Action)>, pattern: &str) -> Result<Action, StepFault> {
    let mut said = said.into_iter();
    match (said.next(), said.next()) {
        (Some((_, action)), None) => Ok(action),
        (None, _) => Err(senseless(
            format!("no action is given for `{pattern}`"),
            "add `--with TEMPLATE` or another action; to only look, use `find`",
        )),
        (Some((first, _)), Some((second, _))) => Err(senseless(
            format!("`--{first}` and `--{second}` cannot be combined"),
            "keep one of them, or make two steps with `--then`",
        )),
    }
}
