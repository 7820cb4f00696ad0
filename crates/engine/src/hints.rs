//! Hints: what is allowed but often not meant.
//!
//! While files are searched or rewritten, [`evidence`] gathers the forms of matches and changes, in bounded
//! memory; at the end each rule looks at it, and says at most one sentence. A rule is a file in `rules/` and
//! an entry in [`RULES`].

pub mod beside;
mod blanks;
mod delimiter;
mod dot_stops;
pub mod evidence;
pub mod hint;
mod known;
mod left_out_files;
mod names;
pub mod near_miss;
mod other_encoding;
pub mod plan;
pub mod rule;
mod rules {
    pub mod already_there;
    pub mod anchor_in_branch;
    pub mod any_char;
    pub mod case_variants;
    pub mod cell_count;
    pub mod dialect;
    pub mod double_space;
    pub mod edge_space;
    pub mod empty_match;
    pub mod end_begins_block;
    pub mod feeds_next;
    pub mod glued;
    pub mod greedy_span;
    pub mod group_then_digit;
    pub mod header_too;
    pub mod inside_word;
    pub mod last_of_repeat;
    pub mod line_ends_too;
    pub mod literal_signs;
    pub mod more_per_unit;
    pub mod never_listed;
    pub mod never_met;
    pub mod newline_wanted;
    pub mod no_reference;
    pub mod no_such_date;
    pub mod not_settled;
    pub mod nothing_changes;
    pub mod odd_class;
    pub mod pairs_header;
    pub mod repeats_letter;
    pub mod shared_separator;
    pub mod sign_outside;
    pub mod signs_meant;
    pub mod step_without_columns;
    pub mod still_there;
    pub mod touches_digit;
    pub mod unused_group;
}
mod second_look;
pub mod spot;
pub mod study;
mod table_lines;
mod trial;
mod values_merge;
mod wider;

use crate::hints::evidence::{Evidence, LINES_MOST};
use crate::hints::hint::Hint;
use crate::hints::plan::StudyPlan;
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use crate::sources::Sources;
use brisk_quill_core::numbers::number;
use brisk_quill_core::rewrite::counts::Counts;
use brisk_quill_files::read::Reader;
use brisk_quill_files::source::Source;

/// All rules about steps, the most telling first.
pub const RULES: &[&Rule] = &[
    &rules::newline_wanted::RULE,
    &rules::end_begins_block::RULE,
    &rules::step_without_columns::RULE,
    &rules::pairs_header::RULE,
    &rules::dialect::RULE,
    &rules::signs_meant::RULE,
    &rules::literal_signs::RULE,
    &rules::repeats_letter::RULE,
    &rules::anchor_in_branch::RULE,
    &rules::no_reference::RULE,
    &rules::unused_group::RULE,
    &rules::group_then_digit::RULE,
    &rules::last_of_repeat::RULE,
    &rules::no_such_date::RULE,
    &rules::cell_count::RULE,
    &rules::nothing_changes::RULE,
    &rules::feeds_next::RULE,
    &rules::empty_match::RULE,
    &rules::line_ends_too::RULE,
    &rules::greedy_span::RULE,
    &rules::any_char::RULE,
    &rules::shared_separator::RULE,
    &rules::inside_word::RULE,
    &rules::touches_digit::RULE,
    &rules::sign_outside::RULE,
    &rules::odd_class::RULE,
    &rules::not_settled::RULE,
    &rules::glued::RULE,
    &rules::double_space::RULE,
    &rules::edge_space::RULE,
    &rules::header_too::RULE,
    &rules::more_per_unit::RULE,
    &rules::case_variants::RULE,
    &rules::still_there::RULE,
    &rules::already_there::RULE,
    &rules::never_met::RULE,
    &rules::never_listed::RULE,
];

/// A kind of hints, as the reference page reports it.
pub struct Kind {
    /// The name.
    pub name: &'static str,
    /// When it speaks, as a clause.
    pub speaks: &'static str,
    /// A request for which it speaks.
    pub example: &'static Example,
}

/// All kinds of hints.
///
/// ```
/// use brisk_quill_engine::hints::kinds;
/// assert!(kinds().any(|kind| kind.name == "near-miss"));
/// ```
pub fn kinds() -> impl Iterator<Item = Kind> {
    let of_rule = |rule: &&'static Rule| Kind {
        name: rule.name,
        speaks: rule.speaks,
        example: &rule.example,
    };
    let others = [
        Kind {
            name: near_miss::NAME,
            speaks: near_miss::SPEAKS,
            example: &near_miss::EXAMPLE,
        },
        Kind {
            name: dot_stops::NAME,
            speaks: dot_stops::SPEAKS,
            example: &dot_stops::EXAMPLE,
        },
        Kind {
            name: values_merge::NAME,
            speaks: values_merge::SPEAKS,
            example: &values_merge::EXAMPLE,
        },
        Kind {
            name: left_out_files::NAME,
            speaks: left_out_files::SPEAKS,
            example: &left_out_files::EXAMPLE,
        },
        Kind {
            name: other_encoding::NAME,
            speaks: other_encoding::SPEAKS,
            example: &other_encoding::EXAMPLE,
        },
        Kind {
            name: delimiter::NAME,
            speaks: delimiter::SPEAKS,
            example: &delimiter::EXAMPLE,
        },
    ];
    RULES.iter().map(of_rule).chain(others)
}

/// A request that is done.
pub(crate) struct Done<'d> {
    pub plan: &'d StudyPlan<'d>,
    pub sources: &'d Sources,
    /// Reads the files once more.
    pub reader: &'d Reader,
    pub counts: &'d Counts,
    /// Some of the files that were skipped because they look binary.
    pub binary: &'d [Source],
}

/// All hints about a request that is done.
pub(crate) fn all(done: &Done<'_>, evidence: Evidence<'_>) -> Vec<Hint> {
    let (column, is_cut) = (evidence.column_fault.clone(), evidence.is_cut);
    let studies = studies(done.plan, evidence, done.counts);
    let mut hints = judge(&studies);
    if is_cut {
        // A number is one of what was looked at.
        for hint in hints.iter_mut().filter(|hint| hint.count > 0) {
            let lines = number(LINES_MOST);
            hint.message = format!("in the first {lines} lines of each file, {}", hint.message);
        }
    }
    let files = &done.sources.listing.sources;
    let merged = |study| values_merge::judge(done.reader, study, files);
    hints.splice(0..0, studies.iter().find_map(merged));
    let stopped = |study| dot_stops::judge(done.reader, study, files);
    let stopped = studies.first().and_then(stopped);
    let Some(first) = done.plan.steps.first() else {
        return hints;
    };
    let of_first = done.counts.steps.first().copied().unwrap_or_default();
    let matches = of_first.matches + of_first.left_out.total();
    let (reader, query) = (done.reader, first.query);
    let near = near_miss::judge(
        reader,
        (query, first.template()),
        &done.sources.listing.sources,
        matches,
    );
    match matches {
        0 => hints.splice(0..0, near),
        _ => hints.splice(hints.len().., near),
    };
    hints.splice(0..0, stopped);
    let left_out = left_out_files::judge(reader, query, done.sources, matches, done.binary);
    hints.splice(0..0, left_out);
    hints.splice(0..0, other_encoding::judge(reader, query, files, matches));
    hints.splice(
        0..0,
        column.and_then(|(source, fault)| delimiter::judge(&source, &fault)),
    );
    let spoke = |rule: &&&Rule| hints.iter().any(|hint| hint.name == rule.name);
    let hidden: Vec<&str> = RULES
        .iter()
        .filter(spoke)
        .flat_map(|rule| rule.hides)
        .copied()
        .collect();
    hints.retain(|hint| !hidden.contains(&hint.name));
    hints
}

/// The steps with what was found.
fn studies<'s>(
    plan: &'s StudyPlan<'s>,
    evidence: Evidence<'_>,
    counts: &Counts,
) -> Vec<StepStudy<'s>> {
    let of = plan.steps.len();
    let steps = plan.steps.iter().zip(evidence.into_steps()).enumerate();
    steps
        .map(|(index, (step, evidence))| {
            let counts = counts.steps.get(index).copied().unwrap_or_default();
            StepStudy::new(step, (index, of), counts, evidence)
        })
        .collect()
}

/// The hints that the evidence gives, the most telling first; of each kind one, about the first step for
/// which it holds.
fn judge(studies: &[StepStudy<'_>]) -> Vec<Hint> {
    let judged = |rule: &&'static Rule| {
        let hint = |study: &StepStudy<'_>| Some((study.index, *rule, (rule.judge)(study)?));
        studies.iter().find_map(hint)
    };
    let mut spoken: Vec<_> = RULES.iter().filter_map(judged).collect();
    for study in studies {
        let own = spoken.iter_mut().filter(|(of, ..)| *of == study.index);
        let own = own.map(|(_, rule, hint)| (*rule, hint)).collect();
        trial::choose(study, RULES, own);
    }
    spoken.into_iter().map(|(.., hint)| hint).collect()
}
