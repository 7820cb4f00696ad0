//! Changes found again in a text that has been edited since.

use brisk_quill_core::relocate::{AROUND, Sought, relocate};
use proptest::prelude::*;

/// The places in a text, and the text.
fn places(text: &[u8], ranges: &[(usize, usize)]) -> Vec<Sought> {
    let place = |(from, to): &(usize, usize)| Sought {
        at: *from,
        left: text[from.saturating_sub(AROUND)..*from].into(),
        text: text[*from..*to].into(),
        right: text[*to..(*to + AROUND).min(text.len())].into(),
    };
    ranges.iter().map(place).collect()
}

#[test]
fn a_text_that_is_as_it_was() {
    let text = "quay\n".repeat(50).into_bytes();
    let ranges: Vec<_> = (0..25).map(|n| (n * 10, n * 10 + 4)).collect();
    let found = relocate(&places(&text, &ranges), text.len(), &text);
    // Although every other line looks the same.
    assert_eq!(found, ranges.iter().map(|r| Some(r.0)).collect::<Vec<_>>());
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

    /// Edits elsewhere lead to the same places, and never to others; an edited place is not found.
    #[test]
    fn edits_elsewhere(
        words in prop::collection::vec("[a-c]{1,6}", 20..60),
        chosen in prop::collection::vec(any::<prop::sample::Index>(), 1..8),
        edits in prop::collection::vec((any::<prop::sample::Index>(), "[a-d ]{0,9}"), 0..4),
    ) {
        let mut text = String::new();
        let mut at = Vec::new();
        for (number, word) in words.iter().enumerate() {
            let from = text.len();
            text.push_str(&format!("{number}{word}"));
            at.push((from, text.len()));
            text.push(if number % 5 == 4 { '\n' } else { ' ' });
        }
        let mut numbers: Vec<usize> = chosen.iter().map(|n| n.index(words.len())).collect();
        numbers.sort_unstable();
        numbers.dedup();
        let ranges: Vec<_> = numbers.iter().map(|n| at[*n]).collect();
        let mut edited: Vec<(usize, &String)> = edits.iter().map(|(n, new)| (n.index(words.len()), new)).collect();
        edited.sort_by_key(|(number, _)| *number);
        edited.dedup_by_key(|(number, _)| *number);
        // Where each word is now; none where it was edited.
        let (mut now, mut last) = (String::new(), 0);
        let mut place = vec![None; words.len()];
        for (number, (from, to)) in at.iter().enumerate() {
            now.push_str(&text[last..*from]);
            let edit = edited.iter().find(|(n, _)| *n == number);
            match edit {
                Some((_, new)) => now.push_str(new),
                None => {
                    place[number] = Some(now.len());
                    now.push_str(&text[*from..*to]);
                }
            }
            last = *to;
        }
        now.push_str(&text[last..]);
        let found = relocate(&places(text.as_bytes(), &ranges), text.len(), now.as_bytes());
        for (number, found) in numbers.iter().zip(found) {
            prop_assert!(found.is_none() || found == place[*number], "{text:?} {now:?} {number}");
            if edited.is_empty() {
                prop_assert_eq!(found, place[*number]);
            }
        }
    }
}
