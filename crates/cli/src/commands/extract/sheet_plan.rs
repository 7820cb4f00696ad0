//! The columns of a sheet, and the source of each.

use crate::args::definitions::{ExtractArgs, SheetForm};
use crate::diagnostic::Diagnostic;
use crate::render::sentence::Extracted;
use brisk_quill_core::columns::list::{Column, ColumnList};
use brisk_quill_core::columns::row::{Field, Row};
use brisk_quill_core::escape::visible;
use std::collections::{HashMap, HashSet};

/// Which columns a sheet is to have.
pub(super) struct SheetPlan {
    pub(super) beside: bool,
    pub(super) every: bool,
    /// One value says of each record whether, or how often, it matches.
    pub(super) judges: Option<Pick>,
    /// Records are rows of a table, not lines.
    pub(super) in_cells: bool,
    /// The number of times the groups are repeated side by side.
    pub(super) repeats: Option<usize>,
    /// Cells that the widest row has, where rows may be longer than the header.
    pub(super) cells: usize,
    pub(super) chosen: Option<ColumnList>,
    /// Each object keeps its own keys.
    pub(super) own_keys: bool,
    /// No two columns may have one name.
    pub(super) unique: bool,
    /// The names of the values taken of a match.
    pub(super) names: Vec<String>,
}

/// The source of a value of the sheet.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Pick {
    File,
    Record,
    /// The number of the match in its record.
    Match,
    /// True if there is a match.
    YesNo,
    /// The number of matches.
    Count,
    /// All of the line.
    Text,
    Field(Column),
    /// Of which match, and which of its values.
    Found(usize, usize),
}

impl SheetPlan {
    pub(super) fn new(
        (args, extracted): (&ExtractArgs, Extracted),
        names: Vec<String>,
        (repeats, cells): (Option<usize>, usize),
        (form, in_cells): (SheetForm, bool),
    ) -> Result<Self, Diagnostic> {
        let parse = |text: &str| {
            text.parse()
                .map_err(|error| Diagnostic::fault("--select", text, &error))
        };
        Ok(Self {
            beside: args.beside,
            every: args.every,
            judges: match extracted {
                Extracted::Count => Some(Pick::Count),
                Extracted::YesNo => Some(Pick::YesNo),
                Extracted::Between | Extracted::Groups => None,
            },
            in_cells,
            repeats,
            cells,
            chosen: args.chosen.as_deref().map(parse).transpose()?,
            own_keys: args.beside && args.chosen.is_none() && form == SheetForm::Jsonl,
            unique: form == SheetForm::Jsonl,
            names,
        })
    }

    /// True if only whether, or how often, a record matches is asked for.
    pub(super) fn judges(&self) -> bool {
        self.judges.is_some()
    }

    /// The columns there are, each with its name: those of the record first.
    fn available(&self, row: Option<&Row<'_>>) -> Vec<(String, Pick)> {
        let mut all: Vec<(String, Pick)> = match row {
            None => vec![("text".into(), Pick::Text)],
            Some(row) if row.table().layout().has_pointers() => {
                let fields = row.fields().into_iter();
                let member = |(key, _): (std::sync::Arc<str>, Field<'_>)| {
                    let column = Column::of_key(&key);
                    (key.to_string(), Pick::Field(column))
                };
                fields.map(member).collect()
            }
            Some(row) => {
                let names = row.table().names().iter();
                let names = names.map(|name| name.to_string());
                let beyond = (row.table().names().len()..self.cells).map(|n| (n + 1).to_string());
                let column = |(number, name)| (name, Pick::Field(Column::Number(number)));
                (1..).zip(names.chain(beyond)).map(column).collect()
            }
        };
        let record = match self.judges == Some(Pick::Count) && !self.in_cells {
            true => "line",
            false => "record",
        };
        all.extend([("file".into(), Pick::File), (record.into(), Pick::Record)]);
        if self.every {
            all.push(("match".into(), Pick::Match));
        }
        if let Some(judges) = &self.judges {
            all.extend(
                self.names
                    .first()
                    .map(|name| (name.clone(), judges.clone())),
            );
        } else {
            for repeat in 0..self.repeats.unwrap_or(1) {
                let names = self.names.iter().enumerate();
                all.extend(names.map(|(index, name)| {
                    let name = match self.repeats {
                        Some(_) => format!("{name}_{}", repeat + 1),
                        None => name.clone(),
                    };
                    (name, Pick::Found(repeat, index))
                }));
            }
        }
        all
    }

    /// The columns of the sheet.
    pub(super) fn columns(&self, row: Option<&Row<'_>>) -> Result<Vec<(String, Pick)>, Diagnostic> {
        let all = self.available(row);
        let is_own = |pick: &Pick| matches!(pick, Pick::Field(_) | Pick::Text);
        let is_lead = |pick: &Pick| matches!(pick, Pick::File | Pick::Record | Pick::Match);
        let Some(chosen) = &self.chosen else {
            let wanted = |(_, pick): &(String, Pick)| match self.beside {
                true => !is_lead(pick),
                false => !is_own(pick),
            };
            let all = all.into_iter().filter(wanted).collect();
            return Ok(self.named_apart(all));
        };
        let all = self.named_apart(all);
        let own = all.iter().filter(|(_, pick)| is_own(pick)).count();
        let choose = |column: Column| {
            let found = match &column {
                Column::Number(number) => usize::try_from(number - 1)
                    .ok()
                    .filter(|n| *n < own)
                    .map(|n| all[n].clone()),
                Column::Pointer(pointer)
                    if row.is_some_and(|row| row.table().layout().has_pointers()) =>
                {
                    Some((pointer.clone(), Pick::Field(column.clone())))
                }
                Column::Name(name) | Column::Pointer(name) => {
                    all.iter().find(|(other, _)| other == name).cloned()
                }
            };
            found.ok_or_else(|| {
                let names: Vec<String> = all
                    .iter()
                    .map(|(name, _)| format!("`{}`", visible(name.as_bytes())))
                    .collect();
                Diagnostic::wrong(format!("`--select`: there is no column `{column}`"))
                    .remedy(format!("there are {}", names.join(", ")))
            })
        };
        let chosen = chosen.one_by_one(own as u64).into_iter().map(choose);
        let chosen = chosen.collect::<Result<_, _>>()?;
        Ok(self.named_apart(chosen))
    }

    /// The columns with names that lead to one each: what is added gives way to what is there, and
    /// in objects the later to the earlier.
    fn named_apart(&self, mut all: Vec<(String, Pick)>) -> Vec<(String, Pick)> {
        let stays = |pick: &Pick| !self.unique && matches!(pick, Pick::Field(_) | Pick::Text);
        let own = all.iter().filter(|(_, pick)| stays(pick));
        let mut taken: HashSet<String> = own.map(|(name, _)| name.clone()).collect();
        let mut tried: HashMap<String, u64> = HashMap::new();
        for (name, _) in all.iter_mut().filter(|(_, pick)| !stays(pick)) {
            if taken.contains(name) {
                let next = tried.entry(name.clone()).or_insert(1);
                let mut free = std::iter::repeat_with(|| {
                    *next += 1;
                    format!("{name}_{next}")
                });
                *name = free.find(|name| !taken.contains(name)).unwrap_or_default();
            }
            taken.insert(name.clone());
        }
        all
    }
}
