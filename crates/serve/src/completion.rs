//! Proposals for a place of a rewrite file: keys, columns, groups and filters.

use crate::rewrite_document::step_keys;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::template::filters;
use std::collections::BTreeMap;

/// A proposal: what is written, and what it does.
#[derive(Debug, PartialEq, Eq)]
pub struct Proposal {
    pub name: String,
    pub does: String,
    pub kind: ProposalKind,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ProposalKind {
    Key,
    Column,
    Group,
    Filter,
}

/// Keys whose values are columns.
const OF_COLUMNS: [&str; 7] = [
    "columns",
    "into",
    "label",
    "where-in",
    "unless-in",
    "where-listed",
    "unless-listed",
];

/// The proposals for an offset; `columns` gives the columns that there are, each with the file that has it.
pub fn proposals(
    text: &str,
    offset: usize,
    columns: impl FnOnce() -> BTreeMap<String, String>,
) -> Vec<Proposal> {
    let start = text[..offset].rfind('\n').map_or(0, |at| at + 1);
    let before = &text[start..offset];
    let word = before.trim_start();
    if word.chars().all(|c| c.is_ascii_alphanumeric() || c == '-') {
        return keys(&text[..start]);
    }
    let Some((_, value)) = before.split_once('=') else {
        return Vec::new();
    };
    let call = value.trim_end_matches(|c: char| c.is_ascii_alphanumeric() || c == '-');
    // Within `${…}`, behind a bar.
    let in_braces = value
        .rfind("${")
        .is_some_and(|open| !value[open..].contains('}'));
    if in_braces && call.trim_end().ends_with('|') {
        return all_filters();
    }
    match call.ends_with('$') || call.ends_with("${") {
        true => groups(text, start),
        false if is_of_columns(before) => all_columns(columns()),
        false => Vec::new(),
    }
}

/// True within a string that is the value of a key whose values are columns.
fn is_of_columns(before: &str) -> bool {
    let Some((key, value)) = before.split_once('=') else {
        return false;
    };
    let is_open = value.trim_start().starts_with(['\'', '"', '[']);
    is_open && OF_COLUMNS.contains(&key.trim())
}

fn all_columns(columns: BTreeMap<String, String>) -> Vec<Proposal> {
    let proposal = |(name, file)| Proposal {
        name,
        does: format!("a column of {file}"),
        kind: ProposalKind::Column,
    };
    columns.into_iter().map(proposal).collect()
}

/// The keys of the table whose head is the last one before.
fn keys(before: &str) -> Vec<Proposal> {
    let mut heads = before
        .lines()
        .map(str::trim)
        .filter(|line| line.starts_with("[["));
    let own = |names: &[&str]| {
        names
            .iter()
            .map(|name| ((*name).to_owned(), String::new()))
            .collect()
    };
    let all: Vec<(String, String)> = match heads.next_back() {
        Some("[[step]]") => step_keys().to_vec(),
        Some("[[step.example]]" | "[[example]]") => {
            own(&["before", "after", "untouched", "format"])
        }
        _ => own(&["title"]),
    };
    let proposal = |(name, does)| Proposal {
        name,
        does,
        kind: ProposalKind::Key,
    };
    all.into_iter().map(proposal).collect()
}

fn all_filters() -> Vec<Proposal> {
    let proposal = |filter: &'static filters::filter::Filter| Proposal {
        name: filter.name.to_owned(),
        does: filter.does.to_owned(),
        kind: ProposalKind::Filter,
    };
    filters::all().map(proposal).collect()
}

/// The groups of the pattern of the step that the line at `start` belongs to.
fn groups(text: &str, start: usize) -> Vec<Proposal> {
    let number = text[..start].matches("[[step]]").count();
    // The line itself is not written to its end yet.
    let end = text[start..].find('\n').map_or(text.len(), |at| start + at);
    let without = [&text[..start], &text[end..]].concat();
    let steps = RewriteText::parse(&without)
        .map(|text| text.step)
        .unwrap_or_default();
    let step = number.checked_sub(1).and_then(|index| steps.get(index));
    let Some(query) = step.and_then(|step| step.query().ok()) else {
        return Vec::new();
    };
    let groups = query.pattern.groups();
    let proposal = |group: usize| Proposal {
        name: groups
            .name(group)
            .map_or_else(|| group.to_string(), str::to_owned),
        does: match group {
            0 => "the whole match".to_owned(),
            n => format!("group {n}"),
        },
        kind: ProposalKind::Group,
    };
    (0..groups.len()).map(proposal).collect()
}

#[cfg(test)]
mod tests {
    use super::proposals;
    use std::collections::BTreeMap;

    #[test]
    fn at_places() {
        let head = "[[step]]\nmatch = '(?P<berth>\\d)(x)'\n";
        let cases: &[(String, &[&str], &[&str])] = &[
            (
                format!("{head}ig"),
                &["ignore-case", "with"],
                &["before", "title"],
            ),
            (
                format!("{head}[[step.example]]\n"),
                &["before", "untouched"],
                &["with"],
            ),
            ("ti".into(), &["title"], &["with"]),
            (format!("{head}with = '$"), &["0", "berth", "2"], &["upper"]),
            (
                format!("{head}with = '${{1 | up"),
                &["upper", "pad"],
                &["0"],
            ),
            (format!("{head}with = '${{1}} | "), &[], &["upper"]),
            (format!("{head}columns = '"), &["depth"], &["upper", "0"]),
            (format!("{head}where-in = ['"), &["depth"], &["with"]),
            (format!("{head}columns = "), &[], &["depth"]),
            (format!("{head}with = '"), &[], &["depth"]),
        ];
        for (text, wanted, others) in cases {
            let columns = || BTreeMap::from([("depth".to_owned(), "berths.csv".to_owned())]);
            let found = proposals(text, text.len(), columns);
            let has = |name: &&str| found.iter().any(|proposal| proposal.name == *name);
            assert!(wanted.iter().all(has), "{text}: {found:?}");
            assert!(!others.iter().any(has), "{text}: {found:?}");
        }
    }
}
