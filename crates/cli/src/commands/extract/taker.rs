//! The values that a sheet takes out of units.

use crate::args::definitions::ExtractArgs;
use brisk_quill_core::pattern::groups::Groups;
use brisk_quill_core::span::Span;
use brisk_quill_engine::collector::SearchedUnit;

/// Takes out of units what goes into the sheet.
#[derive(Clone)]
pub(super) struct Taker {
    /// The groups that are taken of each match; none takes what stands between the matches.
    pub(super) groups: Vec<usize>,
    /// The values of each match in the current record.
    pub(super) found: Vec<Vec<Option<Vec<u8>>>>,
}

impl Taker {
    pub(super) fn new(args: &ExtractArgs, groups: &Groups) -> Self {
        let whole = args.whole_match || groups.len() == 1;
        let first = if whole { 0 } else { 1 };
        Self {
            groups: match args.split {
                Some(_) => Vec::new(),
                None => (first..groups.len()).collect(),
            },
            found: Vec::new(),
        }
    }

    /// The names of the values taken of a match.
    pub(super) fn names(&self, groups: &Groups) -> Vec<String> {
        let name = |group: &usize| match (*group, groups.name(*group)) {
            (0, _) => "whole_match".to_owned(),
            (_, Some(name)) => name.to_owned(),
            (n, None) => format!("group_{n}"),
        };
        match self.groups.is_empty() {
            true => vec!["part".to_owned()],
            false => self.groups.iter().map(name).collect(),
        }
    }

    pub(super) fn unit(&mut self, seen: &SearchedUnit<'_>) {
        let bytes = seen.unit.bytes();
        let value = |span: Option<Span>| span.map(|span| bytes[span.range()].to_vec());
        if !self.groups.is_empty() {
            for finding in seen.found.picked() {
                let values = self
                    .groups
                    .iter()
                    .map(|group| value(finding.groups.get(*group)));
                self.found.push(values.collect());
            }
        } else if seen.unit.in_scope {
            let mut at = 0;
            for finding in seen.found.picked() {
                let part = Span::new(at, finding.span.from);
                self.found.push(vec![value(Some(part))]);
                at = finding.span.to;
            }
            self.found
                .push(vec![value(Some(Span::new(at, bytes.len())))]);
        }
    }
}
