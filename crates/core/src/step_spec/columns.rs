//! The words about columns.

use crate::columns::layout::{Columns, Format, TableOptions};
use crate::columns::list::{Column, ColumnList};
use crate::pattern::options::MatchOptions;
use crate::query::Query;
use crate::query::cell_condition::{CellCondition, CellTest, Comparing, ListedValues};
use crate::step::actions::Action;
use crate::step::actions::cells::CellTarget;
use crate::step::into_column::IntoColumn;
use crate::step_spec::lists::in_pairs;
use crate::step_spec::values::{StepFault, compiled, fault, senseless};
use crate::unit::UnitKind;

/// The words about cells.
pub(super) struct CellSpec<'s> {
    pub unit: Option<&'s str>,
    pub columns: Option<&'s str>,
    /// Pairs of a column and a pattern: that it must hold, and that it must not.
    pub conditions: [&'s [String]; 2],
    /// Pairs of a column and a list: that it must be in, and that it must not.
    pub lists: [&'s [String]; 2],
    /// Pairs of a column and a template: for one that is there, and for one that is added.
    pub writes: [&'s [String]; 2],
    /// The table of a workbook or a database.
    pub table: Option<&'s str>,
    /// The columns that name a row.
    pub label: Option<&'s str>,
    pub format: Option<&'s str>,
    pub delimiter: Option<&'s str>,
    pub quote: Option<&'s str>,
    pub no_header: bool,
    pub ragged: bool,
}

impl CellSpec<'_> {
    /// True if cells are read.
    pub fn is_meant(&self) -> bool {
        let pairs = self
            .conditions
            .iter()
            .chain(&self.lists)
            .chain(&self.writes);
        self.columns.is_some()
            || self.label.is_some()
            || self.table.is_some()
            || pairs.into_iter().any(|pairs| !pairs.is_empty())
            || self.unit == Some(UnitKind::Cell.name())
    }

    fn has_table_options(&self) -> bool {
        self.format.is_some()
            || self.delimiter.is_some()
            || self.quote.is_some()
            || self.no_header
            || self.ragged
    }

    /// The cells that are read; `None` where the unit is not a cell.
    pub fn columns(&self) -> Result<Option<Columns>, StepFault> {
        let options = self.table_options()?;
        if !self.is_meant() {
            return match self.has_table_options() {
                true => Err(senseless(
                    "it is said how columns are to be read, and no column is looked at",
                    "add `--columns LIST`, or `--unit cell` for all of them",
                )),
                false => Ok(None),
            };
        }
        let list = match self.columns {
            Some(text) => text.parse().map_err(fault("columns", text))?,
            None => ColumnList::all(),
        };
        check_named(list.named(), options)?;
        let labels = self.labels()?;
        check_named(labels.iter(), options)?;
        Ok(Some(Columns {
            also: labels.clone(),
            labels,
            table: self.table.map(str::to_owned),
            ..Columns::new(list, options)
        }))
    }

    /// The columns that name a row, each by itself.
    fn labels(&self) -> Result<Vec<Column>, StepFault> {
        let Some(text) = self.label else {
            return Ok(Vec::new());
        };
        let list: ColumnList = text.parse().map_err(fault("label", text))?;
        match list.named().count() == list.items().len() && !list.is_all() {
            true => Ok(list.named().cloned().collect()),
            false => Err(senseless(
                "`--label` takes columns, and not a range of them",
                "write each by its name or number, as in `id,2`",
            )),
        }
    }

    fn table_options(&self) -> Result<TableOptions, StepFault> {
        let format = match self.format {
            None => None,
            Some(name) => Some(Format::named(name).ok_or_else(|| {
                senseless(
                    format!("there is no format `{name}`"),
                    "write `csv`, `tsv`, `spaced`, `jsonl`, `json`, `workbook`, `sqlite` or `parquet`",
                )
            })?),
        };
        let quote = match self.quote {
            None => None,
            Some("none") => Some(None),
            Some(text) => Some(Some(sign("quote", text)?)),
        };
        let delimiter = match self.delimiter {
            None => None,
            Some("tab" | "\\t") => Some(b'\t'),
            Some(text) => Some(sign("delimiter", text)?),
        };
        let delimited = matches!(format, None | Some(Format::Csv | Format::Tsv));
        if !delimited && (delimiter.is_some() || quote.is_some()) {
            return Err(senseless(
                "only csv and tsv have a delimiter and quotes",
                "leave `format` out, or the delimiter and the quote",
            ));
        }
        let delimiters: &[u8] = match (&delimiter, format) {
            (Some(delimiter), _) => std::slice::from_ref(delimiter),
            (None, Some(Format::Csv)) => b",",
            (None, Some(Format::Tsv)) => b"\t",
            (None, None) => b",\t",
            (
                None,
                Some(
                    Format::Spaced
                    | Format::JsonLines
                    | Format::Json
                    | Format::Workbook
                    | Format::Sqlite
                    | Format::Parquet,
                ),
            ) => b"",
        };
        if quote
            .unwrap_or(Some(b'"'))
            .is_some_and(|quote| delimiters.contains(&quote))
        {
            return Err(senseless(
                "the quote and the delimiter are the same",
                "choose another quote, or `--quote none`; a delimiter is given with `--delimiter`",
            ));
        }
        Ok(TableOptions {
            format,
            delimiter,
            quote,
            header: !self.no_header,
            ragged: self.ragged,
        })
    }

    /// The conditions on cells.
    pub fn conditions(&self) -> Result<Vec<CellCondition>, StepFault> {
        let [holds, lacks] = self.conditions;
        let of_column = |key, lacks, column: &str, test| {
            let column = column.parse().map_err(fault(key, column))?;
            Ok(CellCondition {
                column,
                test,
                lacks,
            })
        };
        let condition = |key, lacks, (column, pattern): (&str, &str)| {
            let pattern = compiled(key, pattern, &MatchOptions::default())?;
            of_column(key, lacks, column, CellTest::Match(pattern))
        };
        let listed = |key, lacks, (column, path): (&str, &str)| {
            // The values are read once it is known that they are wanted.
            let values = ListedValues::new(path, Vec::new(), Comparing::default());
            of_column(key, lacks, column, CellTest::Listed(values))
        };
        let [among, not_among] = self.lists;
        let among = in_pairs(among).map(|pair| listed("where-listed", false, pair));
        let not_among = in_pairs(not_among).map(|pair| listed("unless-listed", true, pair));
        let holds = in_pairs(holds).map(|pair| condition("where-in", false, pair));
        let lacks = in_pairs(lacks).map(|pair| condition("unless-in", true, pair));
        holds.chain(lacks).chain(among).chain(not_among).collect()
    }
}

/// Tells the query of the columns that the action speaks of.
pub(super) fn name_columns(
    action: &Action,
    into: Option<&IntoColumn>,
    query: &mut Query,
) -> Result<(), StepFault> {
    let Some(columns) = &mut query.columns else {
        for template in action.templates() {
            let error = fault("with", template.source());
            template.without_rows().map_err(error)?;
        }
        return Ok(());
    };
    for template in action.templates() {
        columns.also.extend(template.columns().cloned());
    }
    if let Action::Cells(cells) = action {
        for cell in cells {
            match &cell.target {
                CellTarget::Column(column) => columns.set.push(column.clone()),
                CellTarget::Added(name) => columns.added.push(name.clone()),
            }
        }
    }
    columns.into = into.map(|into| into.column.clone());
    check_named(
        columns.also.iter().chain(&columns.set).chain(&columns.into),
        columns.options,
    )
}

/// Names need a header to are in.
fn check_named<'c>(
    mut columns: impl Iterator<Item = &'c Column>,
    options: TableOptions,
) -> Result<(), StepFault> {
    let json = options.format.is_some_and(Format::has_pointers);
    let name = columns.find_map(|column| match column {
        Column::Name(name) if !options.header && !json => Some(name),
        _ => None,
    });
    match name {
        Some(name) => Err(senseless(
            format!("without a header, `{name}` names no column"),
            "write the number of the column, counted from 1",
        )),
        None => Ok(()),
    }
}

/// One sign, which must be a byte.
fn sign(key: &str, text: &str) -> Result<u8, StepFault> {
    match text.as_bytes() {
        [byte] if byte.is_ascii() && !matches!(byte, b'\n' | b'\r') => Ok(*byte),
        _ => Err(senseless(
            format!("the {key} must be one ASCII character, and `{text}` is not"),
            "write one such as `;` or `|`, or `tab`",
        )),
    }
}
