//! A table with its header: what the columns that are asked for mean in it.

use crate::columns::fault::ColumnFault;
use crate::columns::layout::{Columns, Layout};
use crate::columns::list::{Column, Item};
use crate::columns::pointer::escaped;
use crate::nearest::nearest;
use std::ops::Range;
use std::sync::Arc;

/// A layout with its header, and the columns of it that are meant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Table {
    layout: Layout,
    /// The name of each column: that of the header, or its number.
    names: Vec<Arc<str>>,
    header: Header,
    ragged: bool,
    selected: Selected,
    /// The columns whose values name a row.
    labels: Vec<Column>,
}

/// The role of the first row of a table.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Header {
    /// The first row holds the names of the columns.
    Read,
    /// The first row holds values: there are no names.
    None,
    /// The first row should hold the names, and could not be read.
    Lost,
}

/// The cells that are the units.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Selected {
    /// By index, from 0; the last range may have no end.
    Indexes(Vec<Range<usize>>),
    /// Pointers in JSON Lines; `None` is every member of the outermost object.
    Pointers(Vec<Arc<str>>),
    Members,
}

impl Table {
    /// The table of a layout with pointers; it needs no first row.
    pub(crate) fn of_pointers(layout: Layout, columns: &Columns) -> Result<Self, ColumnFault> {
        let pointers = columns.list.named().map(pointer_of);
        let pointers: Vec<Arc<str>> = pointers
            .map(|pointer| pointer.map(Arc::from))
            .collect::<Result<_, _>>()?;
        for column in &columns.also {
            pointer_of(column)?;
        }
        if let Some(container) = layout.container().filter(|_| !columns.added.is_empty()) {
            return Err(ColumnFault::Contained(container));
        }
        set_once(columns, pointer_of)?;
        added_once(columns)?;
        let into = columns.into.as_ref().map(pointer_of).transpose()?;
        if let Some(into) = into.filter(|into| pointers.iter().any(|own| **own == **into)) {
            return Err(ColumnFault::IntoItself(into));
        }
        let ranges = columns.list.items().iter();
        let selected = match columns.list.is_all() {
            true => Selected::Members,
            false if ranges.into_iter().any(|i| matches!(i, Item::Range(..))) => {
                return Err(ColumnFault::NoNumbers);
            }
            false => Selected::Pointers(pointers),
        };
        Ok(Self {
            layout,
            names: Vec::new(),
            header: Header::None,
            ragged: true,
            selected,
            labels: columns.labels.clone(),
        })
    }

    /// The table whose first sound row has these values.
    pub(crate) fn new(
        layout: Layout,
        columns: &Columns,
        first: &[String],
        header: Header,
    ) -> Result<Self, ColumnFault> {
        let has_header = header == Header::Read;
        let names = first
            .iter()
            .zip(1..)
            .map(|(name, number)| match has_header {
                true => Arc::from(name.as_str()),
                false => Arc::from(number.to_string()),
            });
        let mut table = Self {
            layout,
            names: names.collect(),
            header,
            ragged: columns.options.ragged,
            selected: Selected::Indexes(Vec::new()),
            labels: columns.labels.clone(),
        };
        let indexes = table.indexes(columns);
        let indexes = indexes.map_err(|fault| table.with_delimiter(fault))?;
        set_once(columns, |column| table.index(column))?;
        if !layout.can_be_widened() && !columns.added.is_empty() {
            return Err(ColumnFault::CannotAdd);
        }
        added_once(columns)?;
        if let Some(name) = columns.added.first().filter(|_| header == Header::Lost) {
            return Err(ColumnFault::HeaderLost(name.clone()));
        }
        let there = |name: &&String| table.names.iter().any(|there| **there == ***name);
        if let Some(name) = columns.added.iter().find(there).filter(|_| has_header) {
            return Err(ColumnFault::There(name.clone()));
        }
        if let Some(into) = &columns.into {
            table.check_into(into, &indexes)?;
        }
        table.selected = Selected::Indexes(disjoint(indexes));
        Ok(table)
    }

    /// Makes sure that a column is there once, or can be added.
    fn check_into(&self, into: &Column, matched: &[Range<usize>]) -> Result<(), ColumnFault> {
        let next = self.names.len() as u64 + 1;
        match self.index(into) {
            Ok(index) if matched.iter().any(|range| range.contains(&index)) => {
                Err(ColumnFault::IntoItself(into.to_string()))
            }
            Ok(_) => Ok(()),
            Err(ColumnFault::Unknown { .. } | ColumnFault::Beyond { .. })
                if !self.layout.can_be_widened() =>
            {
                Err(ColumnFault::CannotAdd)
            }
            Err(ColumnFault::Unknown { .. }) => Ok(()),
            Err(ColumnFault::Beyond { number, .. }) if number == next && !self.has_header() => {
                Ok(())
            }
            Err(fault) => Err(fault),
        }
    }

    /// The places of the columns that are the units; all others must be there too.
    fn indexes(&self, columns: &Columns) -> Result<Vec<Range<usize>>, ColumnFault> {
        let mut indexes = Vec::new();
        for item in columns.list.items() {
            indexes.push(match item {
                Item::One(column) => {
                    let index = self.index(column)?;
                    index..index + 1
                }
                // Numbers have at most nine digits.
                Item::Range(from, to) => self.range(*from as usize, to.map(|to| to as usize))?,
            });
        }
        for column in columns.also.iter().chain(&columns.set) {
            self.index(column)?;
        }
        Ok(indexes)
    }

    /// The fault, and the delimiter that would do, where the first row has one cell.
    fn with_delimiter(&self, fault: ColumnFault) -> ColumnFault {
        if let (Some((quote, shown)), ColumnFault::Unknown { name, .. }) =
            (self.other_quote(), &fault)
        {
            return ColumnFault::OtherQuote {
                name: name.clone(),
                quote,
                shown,
            };
        }
        let ([only], true) = (&self.names[..], self.layout.has_delimiter()) else {
            return fault;
        };
        let known = [
            ("';'", ';'),
            ("tab", '\t'),
            ("'|'", '|'),
            (",", ','),
            (":", ':'),
        ];
        let widths = known.map(|(name, sign)| (name, only.split(sign).count()));
        match widths.into_iter().find(|(_, width)| *width > 1) {
            Some((delimiter, width)) => ColumnFault::OtherDelimiter {
                fault: Box::new(fault),
                delimiter,
                width,
            },
            None => fault,
        }
    }

    /// A quote of another kind that stands around each name of the header.
    fn other_quote(&self) -> Option<(char, &'static str)> {
        let kinds = [('\'', "\"'\""), ('`', "'`'"), ('|', "'|'"), ('"', "'\"'")];
        let is_in = |name: &str, quote: char| {
            name.len() > 1 && name.starts_with(quote) && name.ends_with(quote)
        };
        let names = || self.names.iter().filter(|name| !name.is_empty());
        let holds = |(quote, _): &(char, &str)| {
            names().next().is_some() && names().all(|name| is_in(name, *quote))
        };
        kinds.into_iter().find(holds)
    }

    fn range(&self, from: usize, to: Option<usize>) -> Result<Range<usize>, ColumnFault> {
        let width = self.names.len();
        let last = to.unwrap_or(width.max(from));
        if last > width && !self.ragged {
            let number = last as u64;
            return Err(ColumnFault::Beyond { number, width });
        }
        Ok(from - 1..to.unwrap_or(usize::MAX))
    }

    /// The columns of this name, from 0.
    fn places_of(&self, name: &str) -> impl Iterator<Item = usize> {
        let all = self.names.iter().enumerate();
        all.filter(move |(_, there)| ***there == *name)
            .map(|(index, _)| index)
    }

    /// The index of a column, from 0, where there is one, and only one: asked of each row, so that
    /// nothing is said of others.
    pub(crate) fn place(&self, column: &Column) -> Option<usize> {
        match column {
            Column::Name(name) | Column::Pointer(name) if self.header == Header::Read => {
                let mut found = self.places_of(name);
                found.next().filter(|_| found.next().is_none())
            }
            Column::Name(_) | Column::Pointer(_) => None,
            Column::Number(_) => self.index(column).ok(),
        }
    }

    /// The index of a column, from 0.
    pub(crate) fn index(&self, column: &Column) -> Result<usize, ColumnFault> {
        match column {
            // Numbers have at most nine digits.
            Column::Number(number) => {
                let found = self.range(*number as usize, Some(*number as usize));
                match found {
                    // A header may hold numbers, such as years.
                    Err(_) if self.header == Header::Read => {
                        let name = number.to_string();
                        self.named(&name)
                            .map_err(|_| found.err().unwrap_or(ColumnFault::NoNumbers))
                    }
                    found => Ok(found?.start),
                }
            }
            Column::Name(name) | Column::Pointer(name) => self.named(name),
        }
    }

    fn named(&self, name: &str) -> Result<usize, ColumnFault> {
        match self.header {
            Header::Read => {}
            Header::None => return Err(ColumnFault::NoHeader(name.to_owned())),
            Header::Lost => return Err(ColumnFault::HeaderLost(name.to_owned())),
        }
        let mut found = self.places_of(name);
        match (found.next(), found.next()) {
            (Some(index), None) => Ok(index),
            (Some(_), Some(_)) => Err(ColumnFault::Twice {
                name: name.to_owned(),
                numbers: self.places_of(name).map(|index| index + 1).collect(),
            }),
            (None, _) => Err(ColumnFault::Unknown {
                name: name.to_owned(),
                nearest: nearest(name, self.names.iter().map(|name| &**name)),
            }),
        }
    }

    /// The way it is read.
    pub fn layout(&self) -> Layout {
        self.layout
    }

    /// The name of each column, its number where there is no header; none in JSON Lines.
    pub fn names(&self) -> &[Arc<str>] {
        &self.names
    }

    /// True if the first row holds names.
    pub fn has_header(&self) -> bool {
        self.header == Header::Read
    }

    /// True if rows may be shorter or longer than the first one.
    pub(crate) fn is_ragged(&self) -> bool {
        self.ragged
    }

    /// True if rows are to be named.
    pub(crate) fn has_labels(&self) -> bool {
        !self.labels.is_empty() || self.layout.container().is_some()
    }

    pub(crate) fn labels(&self) -> &[Column] {
        &self.labels
    }

    pub(crate) fn selected(&self) -> &Selected {
        &self.selected
    }

    /// The name of the column at `index`, from 0, also of one that the first row lacks.
    pub(crate) fn name(&self, index: usize) -> Arc<str> {
        let known = self.names.get(index).cloned();
        known.unwrap_or_else(|| Arc::from((index + 1).to_string()))
    }
}

/// No two columns to be set may mean the same, which `key` says.
fn set_once<K: PartialEq>(
    columns: &Columns,
    key: impl Fn(&Column) -> Result<K, ColumnFault>,
) -> Result<(), ColumnFault> {
    let mut set = Vec::new();
    for column in &columns.set {
        let key = key(column)?;
        if set.contains(&key) {
            return Err(ColumnFault::SetTwice(column.to_string()));
        }
        set.push(key);
    }
    Ok(())
}

fn added_once(columns: &Columns) -> Result<(), ColumnFault> {
    let mut names = columns.added.iter();
    while let Some(name) = names.next() {
        if names.as_slice().contains(name) {
            return Err(ColumnFault::AddedTwice(name.clone()));
        }
    }
    Ok(())
}

/// A column of JSON Lines as a pointer.
pub(crate) fn pointer_of(column: &Column) -> Result<String, ColumnFault> {
    match column {
        Column::Pointer(pointer) => Ok(pointer.clone()),
        Column::Name(key) => Ok(format!("/{}", escaped(key))),
        Column::Number(_) => Err(ColumnFault::NoNumbers),
    }
}

/// Sorted ranges that name each index once.
fn disjoint(mut ranges: Vec<Range<usize>>) -> Vec<Range<usize>> {
    ranges.sort_by_key(|range| range.start);
    let mut out: Vec<Range<usize>> = Vec::new();
    for range in ranges {
        match out.last_mut() {
            Some(last) if range.start <= last.end => last.end = last.end.max(range.end),
            _ => out.push(range),
        }
    }
    out
}
