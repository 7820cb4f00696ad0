//! How the request was understood, in one plain sentence.

use brisk_quill_core::address::Spec;
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::query::{Per, Query};
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::step::{Action, CellTarget, CellText, Step};
use brisk_quill_core::template::Template;
use brisk_quill_core::unit::UnitKind;
use brisk_quill_files::discover::Source;

/// What `find` looks for: matches, or units in scope without one.
pub fn find_sentence(query: &Query, sources: &[Source], missing: bool) -> String {
    let matches = matches(query);
    let matches = matches.trim_end_matches(',');
    let what = match missing {
        true => format!(
            "every {} without a {}",
            unit(query),
            &matches["every ".len()..]
        ),
        false => matches.to_owned(),
    };
    let mut place = place(query);
    if missing {
        place = place.replacen("in every line", "in all lines", 1);
    }
    format!("In {}: {what}, {place}.{}", files(sources), engine(query))
}

/// What `check` makes sure of.
pub fn check_sentence(query: &Query, sources: &[Source], forbid: bool) -> String {
    let unit = unit(query);
    let matches = matches(query);
    let bare = matches
        .trim_end_matches(',')
        .replacen("every match", "a match", 1);
    let what = match forbid {
        true => format!("no {unit} may hold {bare}"),
        false => format!("every {unit} must hold {bare}"),
    };
    format!(
        "In {}: {what}, {}.{}",
        files(sources),
        place(query),
        engine(query)
    )
}

/// What `tally` counts.
pub fn tally_sentence(query: &Query, sources: &[Source], group: usize) -> String {
    let matches = matches(query);
    let matches = matches.trim_end_matches(',');
    let what = match (group, query.pattern.groups().name(group)) {
        (0, _) => format!("the values of {matches}"),
        (_, Some(name)) => format!("the values of the group {name} in {matches}"),
        (n, None) => format!("the values of group {n} in {matches}"),
    };
    format!(
        "In {}: {what}, {}.{}",
        files(sources),
        place(query),
        engine(query)
    )
}

/// What `extract` takes.
pub fn extract_sentence(query: &Query, sources: &[Source], split: bool) -> String {
    let matches = matches(query);
    let matches = matches.trim_end_matches(',');
    let what = match split {
        true => format!(
            "what stands between {}",
            matches.replacen("every match", "the matches", 1)
        ),
        false => format!("the groups of {matches}"),
    };
    format!(
        "In {}: {what}, {}.{}",
        files(sources),
        place(query),
        engine(query)
    )
}

/// What `shapes` looks at: `things` of whole units, or of matches.
pub fn shapes_sentence(query: &Query, sources: &[Source], things: &str) -> String {
    let everywhere = format!("in every {}", unit(query));
    let place = place(query);
    let whole_units = query.pattern.source().is_empty();
    let of = match whole_units {
        true => format!("every {}", unit(query)),
        false => matches(query).trim_end_matches(',').to_owned(),
    };
    let place = match whole_units && place == everywhere {
        true => String::new(),
        false => format!(", {place}"),
    };
    let (files, engine) = (files(sources), engine(query));
    format!("In {files}: the {things} of {of}{place}.{engine}")
}

/// What to say where a pattern runs on the engine that is not linear.
fn engine(query: &Query) -> &'static str {
    let mut all = query.scope.patterns().chain([&query.pattern]);
    if all.any(Pattern::backtracks) {
        "\nLook-around, or a reference inside the pattern, runs on the backtracking engine."
    } else {
        ""
    }
}

/// What a rewrite does; several steps take a line each.
pub fn rewrite_sentence(rewrite: &Rewrite, sources: &[Source]) -> String {
    match rewrite.steps() {
        [step] => {
            let engine = engine(&step.query);
            format!("In {}: {}.{engine}", files(sources), clause(step))
        }
        steps => {
            let mut text = format!("In {}, {} steps:", files(sources), steps.len());
            for (index, step) in steps.iter().enumerate() {
                text.push_str(&format!("\n  {}. {}", index + 1, clause(step)));
            }
            let engine = steps.iter().map(|step| engine(&step.query)).max();
            text.push_str(engine.unwrap_or_default());
            text
        }
    }
}

/// What one step does.
pub fn step_sentence(step: &Step) -> String {
    let clause = clause(step);
    let mut chars = clause.chars();
    let first = chars.next().map(|c| c.to_uppercase().to_string());
    format!("{}{}.", first.unwrap_or_default(), chars.as_str())
}

fn clause(step: &Step) -> String {
    let query = &step.query;
    let (matches, place) = (matches(query), place(query));
    let bare = matches
        .trim_end_matches(',')
        .replacen("every match", "a match", 1);
    let bare = bare.as_str();
    let unit = unit(query);
    match &step.action {
        Action::Replace(template) if template.source().is_empty() => {
            format!("{matches} becomes nothing, {place}")
        }
        Action::Replace(template) => {
            format!("{matches} becomes {}, {place}", quoted(template.source()))
        }
        Action::Remove => format!("{matches} is deleted, {place}"),
        Action::DropLines => format!("the lines with {bare} are deleted, {place}"),
        Action::DropOtherLines => format!("the lines without {bare} are deleted, {place}"),
        Action::Above(t) => line(t, "above", bare, &place),
        Action::Below(t) => line(t, "below", bare, &place),
        Action::Lead(t) => {
            let text = quoted(t.source());
            format!("{text} is inserted at the start of each {unit} with {bare}, {place}")
        }
        Action::Trail(t) => {
            let text = quoted(t.source());
            format!("{text} is inserted at the end of each {unit} with {bare}, {place}")
        }
        Action::Cells(cells) => {
            let cells: Vec<String> = cells.iter().map(cell).collect();
            format!("{} in each row with {bare}, {place}", cells.join(" and "))
        }
        Action::SwapChars(swaps) => {
            let (from, to): (String, String) = swaps.iter().unzip();
            format!(
                "the characters {} become {}, {place}",
                quoted(&from),
                quoted(&to)
            )
        }
        _ => format!("{matches}, {place}"),
    }
}

/// "the column a becomes `b`"
fn cell(cell: &CellText) -> String {
    let text = quoted(cell.template.source());
    match &cell.target {
        CellTarget::Column(column) => format!("the column {} becomes {text}", shown(column)),
        CellTarget::Added(name) => format!("a column {} is added, with {text}", quoted(name)),
    }
}

fn line(template: &Template, where_to: &str, matches: &str, place: &str) -> String {
    let text = quoted(template.source());
    format!("the line {text} is inserted {where_to} each line with {matches}, {place}")
}

/// "every match of `x`, in any case"
fn matches(query: &Query) -> String {
    let pick = &query.pick.spec;
    let which = match pick.to_string().as_str() {
        "all" => "every match".to_owned(),
        "1" => "the first match".to_owned(),
        "last" => "the last match".to_owned(),
        some => format!("match {some}"),
    };
    let mut text = format!("{which} of {}", quoted(query.pattern.source()));
    let options = query.pattern.options();
    let said = [
        (options.literal, "as plain text"),
        (options.ignore_case, "in any case"),
        (options.whole_word, "as a whole word"),
        (options.entire, "where it spans all of it"),
    ];
    let said: Vec<&str> = said
        .iter()
        .filter(|(on, _)| *on)
        .map(|(_, words)| *words)
        .collect();
    if !said.is_empty() {
        text.push_str(&format!(", {},", said.join(", ")));
    }
    text
}

fn unit(query: &Query) -> &'static str {
    query.unit.name()
}

/// A name that the user wrote, made visible.
fn shown(name: &impl std::fmt::Display) -> String {
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
        lines => format!("in lines {lines}"),
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
        let (column, pattern) = (shown(&cell.column), quoted(cell.pattern.source()));
        let holds = if cell.lacks { "does not hold" } else { "holds" };
        text.push_str(&format!(", where {column} {holds} {pattern}"));
    }
    for block in &scope.blocks {
        let (start, end) = (quoted(block.start.source()), quoted(block.end.source()));
        let ends = if block.inner { "without" } else { "with" };
        text.push_str(&format!(", between {start} and {end} ({ends} those lines)"));
    }
    for near in &scope.near {
        let lines = counted(near.distance, "line");
        let pattern = quoted(near.pattern.source());
        text.push_str(&format!(", at most {lines} from {pattern}"));
    }
    if let Some(limit) = query.limit {
        text.push_str(&format!(", at most {limit} in all"));
    }
    text
}

fn is_one(spec: &Spec) -> bool {
    !spec.to_string().contains([',', '.'])
}

fn files(sources: &[Source]) -> String {
    match sources {
        [Source::Stdin] => "standard input".into(),
        [Source::File(path)] => visible_path(path),
        many => counted(many.len() as u64, "file"),
    }
}

/// A piece of the user's own text.
fn quoted(text: &str) -> String {
    format!("`{}`", visible(text.as_bytes()))
}
