//! The kinds of changes on the page, by shape.

use crate::render::highlight::shortened;
use brisk_quill_core::escape::{visible, visible_blanks};
use brisk_quill_core::kind_shapes::{ShapeGroup, by_shape};
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::shapes::Shape;
use brisk_quill_files::plan_file::PlanKinds;
use maud::{Markup, html};

/// Pairs of shapes shown.
const GROUPS_MOST: usize = 100;
/// Kinds shown of each.
const KINDS_MOST: usize = 20;
/// Characters shown of a text: its beginning and its end.
const TEXT_MOST: usize = 60;

/// The table of kinds: pairs of shapes with their kinds below them.
pub fn section(plan: &PlanIndex, kinds: &PlanKinds, within_words: &[u64]) -> Markup {
    let all = kinds.kinds.iter();
    let groups = by_shape(all.map(|kind| (&kind.before[..], &kind.after[..], kind.count)));
    let counts = counts(plan, kinds);
    let table = Table {
        kinds,
        counts: &counts,
        within_words,
    };
    html! {
        details.kinds #kinds open {
            summary { h2 { "Kinds" } " " small {
                (counted(kinds.kinds.len() as u64, "kind")) " of " (counted(groups.len() as u64, "pair")) " of shapes"
            } }
            div.scroll tabindex="0" role="group" aria-label="kinds" { table {
                thead { tr { th { "count" } th { "was" } th { "now" } th { "decided" } th { "warning" } th.act { span.hidden { "decide" } } } }
                @for group in groups.iter().take(GROUPS_MOST) { (table.group(group)) }
            } }
            @if groups.len() > GROUPS_MOST {
                p.quiet { (counted((groups.len() - GROUPS_MOST) as u64, "rarer pair")) " of shapes not listed here; their changes are below." }
            }
        }
    }
}

/// The number of changes of each kind by decision, in the order of [`Decision::ALL`].
fn counts(plan: &PlanIndex, kinds: &PlanKinds) -> Vec<[u64; 4]> {
    let mut counts = vec![[0; 4]; kinds.kinds.len()];
    for (entry, kind) in plan.entries.iter().zip(&kinds.of) {
        let place = Decision::ALL.iter().position(|d| *d == entry.decision);
        if let (Some(counts), Some(place)) = (counts.get_mut(*kind as usize), place) {
            counts[place] += 1;
        }
    }
    counts
}

struct Table<'t> {
    kinds: &'t PlanKinds,
    counts: &'t [[u64; 4]],
    within_words: &'t [u64],
}

impl Table<'_> {
    fn group(&self, group: &ShapeGroup) -> Markup {
        let shape = |shape: &Shape| cut(&or_nothing(visible(shape.to_string().as_bytes())));
        let mut counts = [0; 4];
        for kind in &group.kinds {
            for (sum, n) in counts.iter_mut().zip(self.counts[*kind]) {
                *sum += n;
            }
        }
        let within: u64 = group
            .kinds
            .iter()
            .map(|kind| self.within_words[*kind])
            .sum();
        let more = group.kinds.len().saturating_sub(KINDS_MOST);
        let all: Vec<String> = group.kinds.iter().map(ToString::to_string).collect();
        html! { tbody {
            @if group.kinds.len() > 1 {
                tr.shape data-kinds=(all.join(" ")) {
                    td.n { (number(group.count)) }
                    th scope="rowgroup" { code { (shape(&group.before)) } }
                    th scope="rowgroup" { code { (shape(&group.after)) } }
                    td.decided { (decided(counts)) } td { (warning(within)) } td.act {}
                }
            }
            @for kind in group.kinds.iter().take(KINDS_MOST) { (self.kind(*kind, group.kinds.len() > 1)) }
            @if more > 0 { tr { td {} td colspan="5" .quiet { "and " (counted(more as u64, "rarer kind")) } } }
        } }
    }

    fn kind(&self, number_of: usize, is_of_pair: bool) -> Markup {
        let kind = &self.kinds.kinds[number_of];
        html! { tr.of[is_of_pair] data-kinds=(number_of) {
            td.n { (number(kind.count)) }
            td { code { del { (cut(&changed(&kind.before))) } } }
            td { code { ins { (cut(&changed(&kind.after))) } } }
            td.decided { (decided(self.counts[number_of])) }
            td { (warning(self.within_words[number_of])) }
            td.act {}
        } }
    }
}

/// "A 12  R 1  · 4"
fn decided(counts: [u64; 4]) -> Markup {
    html! {
        @for (decision, n) in Decision::ALL.into_iter().zip(counts) {
            @if n > 0 { span.d data-d=(decision.sign()) title=(decision.name()) { (decision.sign()) " " (number(n)) } " " }
        }
    }
}

fn warning(within: u64) -> Markup {
    html! { @if within > 0 { em.warn { (number(within)) " within a word" } } }
}

/// Text that changes, its blanks drawn.
fn changed(text: &[u8]) -> String {
    or_nothing(visible_blanks(text))
}

fn or_nothing(text: String) -> String {
    match text.is_empty() {
        true => "(nothing)".to_owned(),
        false => text,
    }
}

fn cut(text: &str) -> String {
    shortened(text, TEXT_MOST, TEXT_MOST)
}
