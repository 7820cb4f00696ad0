//! The kinds of changes on the page: equal changes together.

use crate::page::changes::{new, old};
use crate::render::highlight::shortened;
use brisk_quill_core::escape::visible_blanks;
use brisk_quill_core::kind_shapes::by_shape;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_files::plan_file::PlanKinds;
use maud::{Markup, html};

/// Kinds that are listed one by one; of more, those of one pair of shapes stand together.
const SINGLE_MOST: usize = 60;
/// Entries of the list, and those that are in sight at first.
const ENTRIES_MOST: usize = 100;
const IN_SIGHT: usize = 6;
/// Characters shown of a text: its beginning and its end.
const TEXT_MOST: usize = 30;

/// Kinds that are decided about together.
struct Entry {
    kinds: Vec<usize>,
    count: u64,
    /// The changes that lie within a longer word.
    within: u64,
    /// By decision, in the order of [`Decision::ALL`].
    decided: [u64; 4],
}

/// The list of kinds, those with a warning first, then the most frequent.
pub fn section(plan: &PlanIndex, kinds: &PlanKinds, within_words: &[u64]) -> Markup {
    let counts = counts(plan, kinds);
    let entry = |of: Vec<usize>| {
        let mut entry = Entry {
            count: 0,
            within: 0,
            decided: [0; 4],
            kinds: of,
        };
        for kind in &entry.kinds {
            entry.count += kinds.kinds[*kind].count;
            entry.within += within_words[*kind];
            for (sum, n) in entry.decided.iter_mut().zip(counts[*kind]) {
                *sum += n;
            }
        }
        entry
    };
    let mut entries: Vec<Entry> = match kinds.kinds.len() <= SINGLE_MOST {
        true => (0..kinds.kinds.len())
            .map(|kind| entry(vec![kind]))
            .collect(),
        false => {
            let all = kinds.kinds.iter();
            let groups = by_shape(all.map(|kind| (&kind.before[..], &kind.after[..], kind.count)));
            groups.into_iter().map(|group| entry(group.kinds)).collect()
        }
    };
    entries.sort_by_key(|entry| (entry.within == 0, std::cmp::Reverse(entry.count)));
    let rarer = entries.len().saturating_sub(ENTRIES_MOST);
    html! {
        section {
            div.head {
                h2 { "Equal changes together" }
                p.quiet { (counted(kinds.kinds.len() as u64, "kind")) ". One click decides about all that are still open." }
                @if entries.len() > IN_SIGHT {
                    button.plain #all-kinds { "Show all " (number(entries.len().min(ENTRIES_MOST) as u64)) }
                }
            }
            div.kinds #kinds {
                @for (place, entry) in entries.iter().take(ENTRIES_MOST).enumerate() {
                    (entry.html(kinds, place >= IN_SIGHT))
                }
            }
            @if rarer > 0 {
                p.quiet { (counted(rarer as u64, "rarer form")) " not listed here; their changes are below." }
            }
        }
    }
}

impl Entry {
    fn html(&self, kinds: &PlanKinds, is_rare: bool) -> Markup {
        let example = self.kinds.first().map(|kind| &kinds.kinds[*kind]);
        let all: Vec<String> = self.kinds.iter().map(ToString::to_string).collect();
        html! { div.kind.rare[is_rare] data-kinds=(all.join(" ")) {
            span.n { (number(self.count)) }
            div {
                @if let Some(kind) = example {
                    (old(&cut(&changed(&kind.before)))) span.to { "→" } (new(&cut(&changed(&kind.after))))
                }
                div.state {
                    @if self.kinds.len() > 1 { span { "and " (counted(self.kinds.len() as u64 - 1, "other text")) " of this form" } }
                    @if self.within > 0 { em.warn { (number(self.within)) " within a longer word" } }
                    span.decided { (decided(self.decided)) }
                }
            }
            span.act {}
        } }
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

/// "4 open, 12 accepted"
fn decided(counts: [u64; 4]) -> String {
    let all = Decision::ALL
        .into_iter()
        .zip(counts)
        .filter(|(_, n)| *n > 0);
    let words = all.map(|(decision, n)| format!("{} {}", number(n), decision.name()));
    words.collect::<Vec<_>>().join(", ")
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
