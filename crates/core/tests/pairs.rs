//! Many plain texts at once, against a pattern that lists them.

use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::rewrite::{Rewrite, rewrite_text};
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::tables::{Table, TableError, Tables};
use proptest::prelude::*;
use std::sync::Arc;

/// Gives one table, whatever its path.
struct One(Arc<Table>);

impl Tables for One {
    fn table(&mut self, _: &str) -> Result<Arc<Table>, TableError> {
        Ok(Arc::clone(&self.0))
    }
}

fn word() -> impl Strategy<Value = String> {
    let parts = ["a", "b", "A", "é", "É", " ", "-", "1", "s"];
    prop::collection::vec(prop::sample::select(parts.to_vec()), 1..4)
        .prop_map(|parts| parts.concat())
}

fn text() -> impl Strategy<Value = String> {
    let parts = [
        "a", "b", "A", "é", "É", " ", "-", "1", "s", "ſ", "\u{212A}", "\n", "€",
    ];
    prop::collection::vec(prop::sample::select(parts.to_vec()), 0..40)
        .prop_map(|parts| parts.concat())
}

proptest! {
    /// The longest of the texts at each place becomes the one beside it, in one pass.
    #[test]
    fn pairs_are_a_choice_longest_first(
        olds in prop::collection::btree_set(word(), 1..6), text in text(), flags in any::<[bool; 3]>(),
    ) {
        let [ignore_case, whole_word, entire] = flags;
        let mut table = Table::default();
        let mut kept: Vec<String> = Vec::new();
        for old in olds {
            let is_twice = ignore_case && kept.iter().any(|other| other.to_lowercase() == old.to_lowercase());
            if !is_twice {
                table.add(old.clone(), format!("<{}>", kept.len())).unwrap();
                kept.push(old);
            }
        }
        let spec = StepSpec { pairs: Some("t".into()), ignore_case, whole_word, entire, ..StepSpec::default() };
        let step = spec.build(&mut One(Arc::new(table))).unwrap();
        let got = rewrite_text(&Rewrite::new(vec![step]), text.as_bytes()).text;

        let mut longest: Vec<usize> = (0..kept.len()).collect();
        longest.sort_by_key(|index| std::cmp::Reverse(kept[*index].len()));
        // Each is a group, which tells which of them matched.
        let choice: Vec<String> = longest.iter().map(|index| format!("({})", kept[*index].replace('-', r"\-"))).collect();
        let options = MatchOptions { ignore_case, whole_word, entire, ..MatchOptions::default() };
        let pattern = Pattern::new(&choice.join("|"), &options).unwrap();
        let (mut finder, mut matches) = (pattern.finder(), Matches::default());
        let mut wanted = String::new();
        for line in text.split_inclusive('\n') {
            let (content, ending) = line.strip_suffix('\n').map_or((line, ""), |content| (content, "\n"));
            finder.collect(content.as_bytes(), true, &mut matches).unwrap();
            let mut done = 0;
            for index in 0..matches.len() {
                let groups = matches.groups(index);
                let group = (1..=longest.len()).find(|group| groups.get(*group).is_some()).unwrap();
                let span = matches.span(index);
                wanted.push_str(&content[done..span.from]);
                wanted.push_str(&format!("<{}>", longest[group - 1]));
                done = span.to;
            }
            wanted.push_str(&content[done..]);
            wanted.push_str(ending);
        }
        prop_assert_eq!(String::from_utf8(got).unwrap(), wanted);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, cases: 24, ..ProptestConfig::default() })]

    /// The number and the length of texts decide the form in which they are searched for, and not what is found.
    #[test]
    fn the_forms_agree(
        olds in prop::collection::btree_set("[ab]{1,5}", 1..12), text in "[abc\n]{0,40}", whole_word in any::<bool>(),
    ) {
        // Texts that are not there, so that the second form, and the third, are built.
        let found = [0, 200, 21_000].map(|others| {
            let mut table = Table::default();
            for old in &olds {
                table.add(old.clone(), format!("<{old}>")).unwrap();
            }
            for number in 0..others {
                table.add(format!("d{number:0>200}"), "no".to_owned()).unwrap();
            }
            let spec = StepSpec { pairs: Some("t".into()), whole_word, ..StepSpec::default() };
            let step = spec.build(&mut One(Arc::new(table))).unwrap();
            rewrite_text(&Rewrite::new(vec![step]), text.as_bytes()).text
        });
        prop_assert_eq!(&found[0], &found[1]);
        prop_assert_eq!(&found[0], &found[2]);
    }
}
