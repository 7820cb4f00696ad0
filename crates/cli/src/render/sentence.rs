//! The sentence that says how the request was understood.

use brisk_quill_core::describe::QueryWords;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::step::describe::clause;
use brisk_quill_files::source::Source;

/// A clause about a query, in its files.
fn about(sources: &[Source], words: &QueryWords, clause: &str) -> String {
    let (files, place) = (files(sources), &words.place);
    format!("In {files}: {clause}, {place}.{}", engine(words.backtracks))
}

/// The matches, without the comma that may follow them.
fn matches(words: &QueryWords) -> &str {
    words.matches.trim_end_matches(',')
}

/// `find`: matches, or units in scope without one.
pub fn find_sentence(query: &Query, sources: &[Source], missing: bool) -> String {
    let mut words = QueryWords::of(query);
    let matches = matches(&words);
    let clause = match missing {
        true => format!(
            "every {} without a {}",
            words.unit,
            &matches["every ".len()..]
        ),
        false => matches.to_owned(),
    };
    if missing {
        words.place = words.place.replacen("in every line", "in all lines", 1);
    }
    about(sources, &words, &clause)
}

/// `check`: the units that must hold a match, or none.
pub fn check_sentence(query: &Query, sources: &[Source], forbid: bool) -> String {
    let words = QueryWords::of(query);
    let (unit, a_match) = (words.unit, &words.a_match);
    let clause = match forbid {
        true => format!("no {unit} may hold {a_match}"),
        false => format!("every {unit} must hold {a_match}"),
    };
    about(sources, &words, &clause)
}

/// `tally`: the values that are counted.
pub fn tally_sentence(query: &Query, sources: &[Source], group: usize) -> String {
    let words = QueryWords::of(query);
    let matches = matches(&words);
    let clause = match (group, query.pattern.groups().name(group)) {
        (0, _) => format!("the values of {matches}"),
        (_, Some(name)) => format!("the values of the group {name} in {matches}"),
        (n, None) => format!("the values of group {n} in {matches}"),
    };
    about(sources, &words, &clause)
}

/// The values that `extract` takes out of each record.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Extracted {
    /// The text between the matches.
    Between,
    /// Groups of a match.
    Groups,
    /// The number of matches.
    Count,
    /// True if there is a match.
    YesNo,
}

impl Extracted {
    /// True if only whether, or how often, a record matches is asked for.
    pub fn judges(self) -> bool {
        matches!(self, Self::Count | Self::YesNo)
    }
}

/// `extract`: the groups, or the text between the matches.
pub fn extract_sentence(query: &Query, sources: &[Source], extracted: Extracted) -> String {
    let words = QueryWords::of(query);
    let matches = matches(&words);
    let clause = match extracted {
        Extracted::Between => format!(
            "the text between {}",
            matches.replacen("every match", "the matches", 1)
        ),
        Extracted::Groups => format!("the groups of {matches}"),
        Extracted::Count => format!(
            "the number of {}",
            matches.replacen("every match", "matches", 1)
        ),
        Extracted::YesNo => format!("true where there is {}", words.a_match),
    };
    about(sources, &words, &clause)
}

/// `shapes`: `things` of whole units, or of matches.
pub fn shapes_sentence(query: &Query, sources: &[Source], things: &str) -> String {
    let words = QueryWords::of(query);
    let everywhere = format!("in every {}", words.unit);
    let whole_units = query.pattern.source().is_empty();
    let of = match whole_units {
        true => format!("every {}", words.unit),
        false => matches(&words).to_owned(),
    };
    if whole_units && words.place == everywhere {
        let (files, engine) = (files(sources), engine(words.backtracks));
        return format!("In {files}: the {things} of {of}.{engine}");
    }
    about(sources, &words, &format!("the {things} of {of}"))
}

/// A rewrite; several steps take a line each.
pub fn rewrite_sentence(rewrite: &Rewrite, sources: &[Source]) -> String {
    let steps = rewrite.steps();
    let backtracks = (steps.iter()).any(|step| QueryWords::of(&step.query).backtracks);
    let engine = engine(backtracks);
    if let [step] = steps {
        return format!("In {}: {}.{engine}", files(sources), clause(step));
    }
    let mut text = format!("In {}, {} steps:", files(sources), steps.len());
    for (number, step) in (1..).zip(steps) {
        text.push_str(&format!("\n  {number}. {}", clause(step)));
    }
    text + engine
}

/// A warning where a pattern runs on the engine that is not linear.
fn engine(backtracks: bool) -> &'static str {
    match backtracks {
        true => {
            "\nLook-around, or a reference inside the pattern, runs on the backtracking engine."
        }
        false => "",
    }
}

fn files(sources: &[Source]) -> String {
    match sources {
        [Source::Stdin(None)] => "standard input".into(),
        [Source::File(path)] => visible_path(path.path()),
        many => counted(many.len() as u64, "file"),
    }
}
