//! Requests in plain words: how a query or a step was understood.

use crate::address::Spec;
use crate::escape::visible;
use crate::numbers::counted;
use crate::pattern::Pattern;
use crate::query::cell_condition::CellTest;
use crate::query::{Per, Query};
use crate::unit::UnitKind;

/// The parts of a sentence about a query.
///
/// ```
/// use brisk_quill_core::describe::QueryWords;
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_core::query::Query;
///
/// let query = Query::new(Pattern::new("quay", &MatchOptions::default())?);
/// let words = QueryWords::of(&query);
/// assert_eq!(words.matches, "every match of `quay`");
/// assert_eq!(words.place, "in every line");
/// # Ok::<(), brisk_quill_core::error::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct QueryWords {
    /// The matches that are taken: "every match of `x`, ignoring case,".
    pub matches: String,
    /// The options of the pattern: ", ignoring case", or nothing.
    pub how: String,
    /// One of them: "a match of `x`, ignoring case".
    pub a_match: String,
    /// The scope: "in every line that holds `y`".
    pub place: String,
    /// The unit that the pattern is tried on: "line".
    pub unit: &'static str,
    /// True if the pattern, or one of its conditions, runs on the backtracking engine.
    pub backtracks: bool,
}

impl QueryWords {
    /// The words about `query`.
    pub fn of(query: &Query) -> Self {
        let matches = matches(query);
        let a_match = matches
            .trim_end_matches(',')
            .replacen("every match", "a match", 1);
        let mut patterns = query.scope.patterns().chain([&query.pattern]);
        Self {
            how: options_words(query)
                .map(|said| format!(", {said},"))
                .unwrap_or_default(),
            a_match,
            matches,
            place: place(query),
            unit: unit(query),
            backtracks: patterns.any(Pattern::backtracks),
        }
    }
}

/// "every match of `x`, ignoring case"
fn matches(query: &Query) -> String {
    let pick = &query.pick.spec;
    let which = match pick.to_string().as_str() {
        "all" => "every match".to_owned(),
        "1" => "the first match".to_owned(),
        "last" => "the last match".to_owned(),
        some => format!("match {some}"),
    };
    let mut text = match query.pattern.is_of_texts() {
        true => format!(
            "{which} of a text in the table {}",
            quoted(query.pattern.source())
        ),
        false => format!("{which} of {}", quoted(query.pattern.source())),
    };
    if let Some(said) = options_words(query) {
        text.push_str(&format!(", {said},"));
    }
    text
}

/// "ignoring case, as a whole word"
fn options_words(query: &Query) -> Option<String> {
    let options = query.pattern.options();
    let said = [
        (options.literal, "as plain text"),
        (options.ignore_case, "ignoring case"),
        (options.whole_word, "as a whole word"),
        (options.entire, "where it spans all of it"),
    ];
    let said: Vec<&str> = said
        .iter()
        .filter(|(on, _)| *on)
        .map(|(_, words)| *words)
        .collect();
    (!said.is_empty()).then(|| said.join(", "))
}

fn unit(query: &Query) -> &'static str {
    query.unit.name()
}

/// A name that the user wrote, made visible.
pub fn shown(name: &impl std::fmt::Display) -> String {
    visible(name.to_string().as_bytes())
}

/// "in the column berth"
fn columns(query: &Query) -> Option<String> {
    let columns = query.columns.as_ref()?;
    let names = shown(&columns.list);
    Some(match &columns.list {
        all if all.is_all() => "in every cell".to_owned(),
        _ if names.contains([',', '.']) => format!("in the columns {names}"),
        _ => format!("in the column {names}"),
    })
}

/// "in every line that holds `x`, between `a` and `b`"
fn place(query: &Query) -> String {
    let (scope, pick) = (&query.scope, &query.pick);
    let each = match (pick.spec.is_all(), pick.per) {
        (true, _) => "in every",
        (false, Per::Unit) => "in each",
        (false, Per::Row) => "counted through each row, in any",
        (false, Per::File) => "counted through each file, in any",
        (false, Per::Run) => "counted through all files, in any",
    };
    let mut text = match &scope.lines {
        all if all.is_all() && query.unit == UnitKind::Text => "in the whole text".to_owned(),
        all if all.is_all() => format!("{each} {}", unit(query)),
        lines if is_one(lines) => format!("in line {lines}"),
        lines => format!("in lines `{lines}`"),
    };
    if let Some(columns) = columns(query) {
        let lines = match text.strip_prefix("in line") {
            Some(_) => format!(", {text}"),
            None => String::new(),
        };
        let counted = match (pick.spec.is_all(), pick.per) {
            (true, _) | (_, Per::Unit) => "",
            (_, Per::Row) => "counted through each row, ",
            (_, Per::File) => "counted through each file, ",
            (_, Per::Run) => "counted through all files, ",
        };
        text = format!("{counted}{columns}{lines}");
    }
    if query.columns.is_none() && !scope.lines.is_all() && pick.per != Per::Unit {
        text = format!(
            "{}, {text}",
            each.rsplit_once(", ").map_or(each, |(how, _)| how)
        );
    }
    push_conditions(query, &mut text);
    if let Some(limit) = query.limit {
        text.push_str(&format!(", at most {limit} in all"));
    }
    text
}

/// Appends the conditions on lines, rows and blocks.
fn push_conditions(query: &Query, text: &mut String) {
    let scope = &query.scope;
    let mut conditions = Vec::new();
    for pattern in &scope.contains {
        conditions.push(format!("that holds {}", quoted(pattern.source())));
    }
    for pattern in &scope.lacks {
        conditions.push(format!("that does not hold {}", quoted(pattern.source())));
    }
    if !conditions.is_empty() && query.columns.is_some() {
        text.push_str(" of each row");
    }
    if !conditions.is_empty() {
        text.push(' ');
        text.push_str(&conditions.join(" and "));
    }
    for cell in &scope.cells {
        let column = shown(&cell.column);
        let (test, asked) = match (&cell.test, cell.lacks) {
            (CellTest::Match(pattern), false) => ("holds", quoted(pattern.source())),
            (CellTest::Match(pattern), true) => ("does not hold", quoted(pattern.source())),
            (CellTest::Listed(values), false) => ("is listed in", quoted(&values.path)),
            (CellTest::Listed(values), true) => ("is not listed in", quoted(&values.path)),
        };
        text.push_str(&format!(", where {column} {test} {asked}"));
    }
    if let Some(table) = query.columns.as_ref().and_then(|c| c.table.as_ref()) {
        text.push_str(&format!(", in the table {}", quoted(table)));
    }
    for block in &scope.blocks {
        let (start, end) = (quoted(block.start.source()), quoted(block.end.source()));
        let where_ = if block.outside { "outside" } else { "between" };
        let ends = match (block.inner, block.open_end) {
            (true, _) => "without those lines",
            (false, true) => "without the line of the end",
            (false, false) => "with those lines",
        };
        text.push_str(&format!(", {where_} {start} and {end} ({ends})"));
    }
    for near in &scope.near {
        let lines = counted(near.distance, "line");
        let pattern = quoted(near.pattern.source());
        text.push_str(&format!(", at most {lines} from {pattern}"));
    }
}

fn is_one(spec: &Spec) -> bool {
    !spec.to_string().contains([',', '.'])
}

/// A piece of the user's own text.
pub fn quoted(text: &str) -> String {
    format!("`{}`", visible(text.as_bytes()))
}
