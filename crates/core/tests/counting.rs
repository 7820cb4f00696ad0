//! Counts taken file by file add up to those taken at once.

use crate::support::{self, Say, spec};
use brisk_quill_core::edits::StepSet;
use brisk_quill_core::inventory::Inventory;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::query::{Per, Query};
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::rewrite::{Rewrite, Run};
use brisk_quill_core::tally::Tally;
use brisk_quill_core::unit::UnitKind;
use proptest::prelude::*;

/// Everything there is to know of an inventory.
type Known = (Vec<(u8, u64, usize)>, Vec<(u8, u64, usize)>, u64, u64);

fn known(inventory: &Inventory<u8, usize>) -> Known {
    let order = inventory.clone().into_order();
    let rows = inventory.clone().into_rows();
    (order, rows, inventory.total, inventory.others)
}

/// With `things` counted, the first of which is at `first`.
fn counted(
    mut inventory: Inventory<u8, usize>,
    things: &[u8],
    first: usize,
) -> Inventory<u8, usize> {
    for (place, thing) in (first..).zip(things) {
        inventory.add(*thing, || place);
    }
    inventory
}

proptest! {
    #![proptest_config(ProptestConfig { cases: support::cases(), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn inventories_add_up(
        parts in prop::collection::vec(prop::collection::vec(0..12u8, 0..8), 0..6), most in 1..14usize,
    ) {
        let few = || Inventory::new(most);
        let whole = counted(few(), &parts.concat(), 0);
        let mut sum = few();
        let mut place = 0;
        for part in &parts {
            sum.absorb(counted(few().without_limit(), part, place), |_, _| {});
            place += part.len();
        }
        prop_assert_eq!(known(&sum), known(&whole));
    }

    #[test]
    fn tallies_add_up(
        parts in prop::collection::vec(
            prop::collection::vec((0..5u8, prop::sample::select(vec!["1", "2,5", "-3", "1e9", "many", ""])), 0..8),
            0..6,
        ),
    ) {
        let add = |tally: &mut Tally, part: &[(u8, &str)]| {
            for (value, number) in part {
                let value = (*value > 0).then_some([*value]);
                let value = value.as_ref().map(|value| &value[..]);
                tally.add(None, value, (!number.is_empty()).then_some(number.as_bytes()));
            }
        };
        let (mut whole, mut sum) = (Tally::default(), Tally::default());
        for part in &parts {
            add(&mut whole, part);
            let mut own = Tally::default().without_limit();
            add(&mut own, part);
            sum.absorb(own);
        }
        let facts = |tally: &Tally| (tally.total(), tally.others(), tally.no_numbers);
        prop_assert_eq!(facts(&sum), facts(&whole));
        prop_assert_eq!(sum.into_rows(), whole.into_rows());
    }

    #[test]
    fn a_set_of_steps_tells_its_steps(steps in prop::collection::btree_set(0..StepSet::MOST, 1..20)) {
        let sets = steps.iter().map(|step| StepSet::one(*step));
        let set = sets.reduce(StepSet::union).unwrap();
        prop_assert_eq!(set.iter().collect::<Vec<_>>(), Vec::from_iter(steps));
    }
}

/// Which rewrites see nothing of a text but one line at a time, and where it lies.
#[test]
fn what_depends_on_other_lines() {
    // How many steps are before it, what it writes, what else it says, and whether it is local.
    type Case = (usize, &'static str, fn(&mut Say), bool);
    let cases: [Case; 18] = [
        (0, "b", |_| {}, true),
        (0, "${@line}", |say| say.lines = "7..9", true),
        (
            0,
            "b",
            |say| (say.contains, say.lacks, say.pick) = (vec!["b"], vec!["c"], "last"),
            true,
        ),
        (0, "b", |say| say.action = "below", true),
        (1, "", |say| say.action = "drop-lines", true),
        (1, "${@file}", |_| {}, true),
        (0, "b", |say| say.lines = "last", false),
        (0, "b", |say| say.near = Some(("c", 1)), false),
        (0, "b", |say| say.between = Some(("a", "b", false)), false),
        (0, "b", |say| (say.pick, say.per) = ("2", Per::File), false),
        (0, "b", |say| (say.pick, say.per) = ("2", Per::Run), false),
        (0, "b", |say| say.limit = Some(3), false),
        (0, "${@number}", |_| {}, false),
        (0, "b", |say| say.unit = UnitKind::Text, false),
        (0, "b", |say| say.unit = UnitKind::Paragraph, false),
        // Which lines a second step sees, only the whole text tells.
        (1, "${@line}", |_| {}, false),
        (1, "b", |say| say.lines = "2..", false),
        (1, "b", |say| say.action = "above", false),
    ];
    for (before, with, change, local) in cases {
        let mut steps = vec![Say::new("b", "c"); before];
        steps.push(Say::new("a", with));
        change(&mut steps[before]);
        let rewrite = support::rewrite(&steps);
        let run = |options| Run::new(&rewrite, &options).part_cut("a.log").is_some();
        assert_eq!(run(RunOptions::default()), local, "{steps:?}");
        let one_piece = RunOptions {
            one_piece: true,
            ..RunOptions::default()
        };
        assert!(!run(one_piece.clone()), "{steps:?}");
        if let [only] = rewrite.steps() {
            let counts = steps[0].with.contains("@number");
            let search = Rewrite::showing(only.query.clone());
            let search = |options| Run::new(&search, &options).part_cut("a.log").is_some();
            assert_eq!(search(RunOptions::default()), local || counts, "{steps:?}");
            assert!(!search(one_piece));
        }
    }
}

#[test]
fn what_depends_on_the_texts_before() {
    let query = |pick: &str, per, limit| {
        let mut query = Query::new(Pattern::new("a", &MatchOptions::default()).unwrap());
        query.pick.spec = spec(pick);
        query.pick.per = per;
        query.limit = limit;
        query
    };
    let queries = [
        ("", Per::Unit, None, false),
        ("2", Per::Unit, None, false),
        ("last", Per::File, None, false),
        ("", Per::Run, None, false),
        ("2..", Per::Run, None, true),
        ("last", Per::Run, None, true),
        ("", Per::Unit, Some(7), true),
    ];
    for (pick, per, limit, spans) in queries {
        let query = query(pick, per, limit);
        assert_eq!(query.spans_texts(), spans, "{pick} {per:?} {limit:?}");
    }
    let templates = [
        ("b", "", false),
        ("${@line} ${@file}", "", false),
        ("<${@number | pad 3}>", "", true),
        ("${@number}", "trail", true),
        ("", "drop-lines", false),
    ];
    for (with, action, spans) in templates {
        let say = Say {
            action,
            ..Say::new("a", with)
        };
        let rewrite = Rewrite::new(vec![Say::new("b", "c").step(), say.step()]);
        assert_eq!(rewrite.spans_texts(), spans, "{action} {with}");
    }
}
