//! A query walking over the cells of a table.
//!
//! Each row is judged as a record: by the line it begins in, by its bytes, and by its cells.
//! Then the cells that are asked for are units of their own, and a match lies in the *value* of
//! one.

use crate::columns::fault::{ColumnFault, RowFault};
use crate::columns::formats::jsonl::object;
use crate::columns::layout::{Columns, Layout};
use crate::columns::pointer::escaped;
use crate::columns::row::{Row, RowCell, RowReader};
use crate::columns::table::{Header, Table, pointer_of};
use crate::pattern::search_error::SearchError;
use crate::problem::{Problem, ProblemKind};
use crate::query::Per;
use crate::query::scan::{Place, Scan};
use crate::query::table_end::{TABLES_MOST, TableEnd, TableHead};
use crate::query::unit_search::UnitSearch;
use crate::query::unit_view::{CellView, UnitView};
use crate::span::Span;
use crate::unit::line_ends;
use std::path::Path;
use std::sync::Arc;

/// A pointer into the value of a key, where that is a list or an object.
fn inner_of(key: &str, value: &str) -> Option<String> {
    let key = escaped(key);
    match value.as_bytes().first()? {
        b'[' => Some(format!("/{key}/-")),
        b'{' => {
            let members = object(value.as_bytes()).ok()?;
            let (first, _) = members.iter().next()?;
            Some(format!("/{key}/{}", escaped(first)))
        }
        _ => None,
    }
}

/// The table of the current text.
#[derive(Debug)]
pub(super) struct TableScanner<'q> {
    columns: &'q Columns,
    layout: Option<Layout>,
    pub head: TableHead,
    /// The text goes on, or lacks its end.
    is_cut_off: bool,
    rows: u64,
    /// The tables of a workbook or a database, where one of them is asked for, and true once it was met.
    tables: Vec<String>,
    found_table: bool,
    /// Rows of others.
    others: u64,
    /// Rows in which each pointer that is named leads to no text.
    absent: Vec<u64>,
    numbers: Option<(u64, String, u64)>,
    /// The outermost keys of the first object, and a pointer into the value of each that is a list or an
    /// object.
    keys: Vec<(String, Option<String>)>,
    cells: Vec<RowCell>,
}

impl<'q> TableScanner<'q> {
    pub fn new(columns: &'q Columns) -> Self {
        Self {
            columns,
            layout: None,
            head: TableHead::default(),
            is_cut_off: false,
            rows: 0,
            tables: Vec::new(),
            found_table: false,
            others: 0,
            absent: Vec::new(),
            numbers: None,
            keys: Vec::new(),
            cells: Vec::new(),
        }
    }

    pub fn begin_text(&mut self, file: &Path) {
        self.layout = self.columns.options.layout(file);
        self.begin_again();
    }

    /// Goes back to the first row.
    pub fn begin_again(&mut self) {
        self.head = TableHead::default();
        self.is_cut_off = false;
        self.rows = 0;
        self.tables.clear();
        self.found_table = false;
        self.others = 0;
        self.absent = vec![0; self.columns.list.named().count()];
        self.numbers = None;
        self.keys.clear();
    }

    /// A row that is too long has been passed over.
    pub fn pass_row(&mut self) {
        self.head.is_lost |= self.head.table.is_none();
    }

    /// The end of the text, or of a part of it, which has this many line ends.
    pub fn end_text(&mut self, lines: u64) -> TableEnd {
        let is_json = self.layout.is_some_and(Layout::has_pointers);
        let named = || self.columns.list.named();
        TableEnd {
            head: self.head.clone(),
            pointers: match is_json && !self.head.is_broken {
                // A column that is not a pointer was refused at the start.
                true => named()
                    .map(|column| pointer_of(column).unwrap_or_default())
                    .collect(),
                false => Vec::new(),
            },
            cut_off: (self.is_cut_off && !self.head.is_broken).then_some(lines + 1),
            rows: self.rows,
            table: self.columns.table.clone(),
            tables: std::mem::take(&mut self.tables),
            found_table: self.found_table,
            others: self.others,
            absent: std::mem::take(&mut self.absent),
            numbers: self.numbers.take().filter(|_| !self.head.is_broken),
            keys: std::mem::take(&mut self.keys),
        }
    }

    /// Makes the table of its first row.
    fn table_of(&self, layout: Layout, reader: &RowReader<'_>) -> Result<Table, ColumnFault> {
        if layout.has_pointers() {
            return Table::of_pointers(layout, self.columns);
        }
        let header = match (self.columns.options.header, self.head.is_lost) {
            (false, _) => Header::None,
            (true, false) => Header::Read,
            (true, true) => Header::Lost,
        };
        Table::new(layout, self.columns, &reader.names(layout), header)
    }

    fn note_number(&mut self, line: u64, name: &str) {
        let numbers = self.numbers.get_or_insert((line, name.to_owned(), 0));
        numbers.2 += 1;
    }
}

fn refusal(line: Option<u64>, fault: ColumnFault) -> Problem {
    let kind = ProblemKind::Column(fault);
    Problem { line, kind }
}

impl TableScanner<'_> {
    /// Searches the rows of a piece.
    pub fn rows(&mut self, search: &mut UnitSearch<'_>, scan: &mut Scan<'_>) {
        let mut table = self.head.table.take();
        if !self.head.is_broken
            && let Err((offset, problem)) = self.rows_of(search, &mut table, scan)
        {
            self.head.is_broken = true;
            scan.visitor.problem(offset, problem);
        }
        self.head.table = table;
    }

    /// Fails when the table is of no use, with where that was found.
    fn rows_of(
        &mut self,
        search: &mut UnitSearch<'_>,
        table: &mut Option<Arc<Table>>,
        scan: &mut Scan<'_>,
    ) -> Result<(), (usize, Problem)> {
        let unknown = || (0, refusal(None, ColumnFault::NoFormat));
        let layout = self.layout.ok_or_else(unknown)?;
        let mut reader = RowReader::new(scan.text, layout);
        while let Some(scanned) = reader.next() {
            search.lines_done += scanned.lines_above;
            let line = search.lines_done + 1;
            search.lines_done += scanned.inner_lines + u64::from(scanned.ends_line);
            let record = &scan.text[scanned.content.range()];
            // Blocks go over every record, so each is shown to the conditions on lines.
            let holds = search.scope.line_holds(line, record);
            if let Some((at, fault)) = scanned.fault {
                let below = line_ends(&scan.text[scanned.content.from..at]);
                let (line, kind) = (Some(line + below), ProblemKind::Row(fault));
                if layout.is_document() {
                    // Nothing is known of what follows.
                    return Err((at, Problem { line, kind }));
                }
                scan.visitor.problem(at, Problem { line, kind });
                self.head.is_lost |= table.is_none();
                continue;
            }
            if scanned.blank {
                continue;
            }
            let is_first = table.is_none();
            if is_first {
                let made = self.table_of(layout, &reader);
                let made =
                    made.map_err(|fault| (scanned.content.from, refusal(Some(line), fault)))?;
                *table = Some(Arc::new(made));
                self.keys = reader
                    .members
                    .iter()
                    .map(|(key, value)| (key.to_owned(), inner_of(key, value)))
                    .collect();
            }
            let Some(table) = table.as_deref() else {
                continue;
            };
            let mut row = Row {
                text: scan.text,
                span: scanned.content,
                line,
                number: None,
                in_scope: false,
                is_one_line: scanned.inner_lines == 0,
                table,
                cells: &reader.cells,
                members: &reader.members,
            };
            if is_first && table.has_header() {
                scan.visitor.row(&row);
                continue;
            }
            self.rows += 1;
            row.number = Some(self.rows);
            if let Err(kind) = self.row(search, &mut row, holds, scan) {
                let problem = Problem {
                    line: Some(line),
                    kind,
                };
                scan.visitor.problem(row.span.from, problem);
            }
        }
        search.lines_done += reader.lines_below();
        self.is_cut_off = !reader.is_complete();
        Ok(())
    }

    fn row(
        &mut self,
        search: &mut UnitSearch<'_>,
        row: &mut Row<'_>,
        line_holds: Result<bool, SearchError>,
        scan: &mut Scan<'_>,
    ) -> Result<(), ProblemKind> {
        let (found, wanted) = (row.cells.len(), row.table.names().len());
        if found != wanted && !row.table.is_ragged() {
            return Err(RowFault::Width { found, wanted }.into());
        }
        let record = &row.text[row.span.range()];
        if !self.is_of_table(row) {
            self.others += 1;
            scan.visitor.row(row);
            return Ok(());
        }
        row.in_scope =
            line_holds? && search.scope.record_holds(record)? && search.scope.cells_hold(row)?;
        let mut cells = std::mem::take(&mut self.cells);
        cells.clear();
        row.select(&mut cells, &mut self.absent)?;
        search.selector.begin_row();
        if search.query.pick.per == Per::Row && search.query.pick.spec.needs_total() {
            count_row(search, row, &cells)?;
        }
        let (mut line, mut counted) = (row.line, row.span.from);
        for cell in &cells {
            if !row.is_one_line && cell.span.from > counted {
                line += line_ends(&row.text[counted..cell.span.from]);
                counted = cell.span.from;
            }
            if let Err(kind) = self.cell(search, row, cell, line, scan) {
                let line = Some(line);
                scan.visitor.problem(cell.span.from, Problem { line, kind });
            }
        }
        self.cells = cells;
        scan.visitor.row(row);
        Ok(())
    }

    /// True unless the row belongs to another table than the one that is asked for.
    fn is_of_table(&mut self, row: &Row<'_>) -> bool {
        let Some(wanted) = &self.columns.table else {
            return true;
        };
        let mut is_wanted = false;
        for table in row.of_tables() {
            is_wanted |= table == *wanted;
            let is_known = self.tables.iter().any(|known| *known == table);
            if self.tables.len() < TABLES_MOST && !is_known {
                self.tables.push(table.into_owned());
            }
        }
        self.found_table |= is_wanted;
        is_wanted
    }

    fn cell(
        &mut self,
        search: &mut UnitSearch<'_>,
        row: &Row<'_>,
        cell: &RowCell,
        line: u64,
        scan: &mut Scan<'_>,
    ) -> Result<(), ProblemKind> {
        let value = cell.value(row)?;
        search
            .finder
            .collect(&value, scan.wanted.groups, &mut search.matches)?;
        if search.matches.is_empty() && !(row.in_scope && search.wants_cell(scan.wanted, &value)) {
            return Ok(());
        }
        if cell.is_number() && row.in_scope && !search.matches.is_empty() {
            self.note_number(line, &cell.name(row.table));
        }
        let place = match row.in_scope {
            true => Place::All,
            false => Place::None,
        };
        let view = UnitView {
            text: row.text,
            span: cell.span,
            ending: Span::new(cell.span.to, cell.span.to),
            base: scan.base,
            line,
            in_scope: row.in_scope,
            cell: Some(CellView {
                value: &value,
                cell,
                row,
            }),
        };
        search.judge_and_show(&view, place, scan);
        Ok(())
    }
}

/// Tells the selector how many matches in place the row has.
fn count_row(
    search: &mut UnitSearch<'_>,
    row: &Row<'_>,
    cells: &[RowCell],
) -> Result<(), ProblemKind> {
    let mut total = 0;
    if row.in_scope {
        for cell in cells {
            let value = cell.value(row)?;
            search.finder.collect(&value, false, &mut search.matches)?;
            total += search.matches.len() as u64;
        }
    }
    search.selector.set_row_total(total);
    Ok(())
}
