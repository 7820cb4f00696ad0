//! Any two options together: the program does what they say, or says in one form why it does not.

use crate::support::{Got, Sandbox, cases};
use proptest::prelude::*;

/// An option with values that mean something in the sample files.
type Sample = &'static [&'static str];

const VERBS: &[(&str, Sample)] = &[
    ("preview", &["berth", "--with", "X"]),
    ("find", &["berth"]),
    ("check", &["berth"]),
    ("extract", &["berth"]),
    ("tally", &["berth"]),
    ("shapes", &[]),
    (
        "apply",
        &["berth", "--with", "X", "--yes", "--to", "copies"],
    ),
    ("review", &["berth", "--with", "X", "--accept", "all"]),
    ("infer", &["--example", "berth 7", "B-7"]),
];

const OPTIONS: &[Sample] = &[
    &["--ignore-case"],
    &["--whole-word"],
    &["--literal"],
    &["--entire"],
    &["--pattern-file", "pattern.txt"],
    &["--unit", "line"],
    &["--unit", "paragraph"],
    &["--unit", "cell"],
    &["--columns", "berth"],
    &["--columns", "/berth"],
    &["--where-in", "berth", "B"],
    &["--unless-in", "2", "Quay"],
    &["--where-listed", "berth", "list.txt"],
    &["--unless-listed", "berth", "nowhere.txt"],
    &["--table", "berths"],
    &["--trimmed"],
    &["--lines", "2..4"],
    &["--lines", "x"],
    &["--where", "Quay"],
    &["--unless", "^$"],
    &["--between", "B-0", "B-1"],
    &["--outside", "(", "B-1"],
    &["--inner"],
    &["--open-end"],
    &["--near", "Quay", "1"],
    &["--near", "Quay", "-1"],
    &["--pick", "first"],
    &["--pick", "0"],
    &["--per", "file"],
    &["--limit", "3"],
    &["--remove"],
    &["--drop-lines"],
    &["--keep-lines"],
    &["--above", "$0"],
    &["--below", "$1"],
    &["--lead", "${0 | upper}"],
    &["--trail", "${0 | shout}"],
    &["--swap-chars", "a-z", "A-Z"],
    &["--remove-chars", "B"],
    &["--pairs", "list.txt"],
    &["--set", "status", "open"],
    &["--add-column", "code", "x"],
    &["--into", "code"],
    &["--into-empty"],
    &["--label", "name"],
    &["--format", "csv"],
    &["--format", "jsonl"],
    &["--delimiter", ";"],
    &["--quote", "none"],
    &["--no-header"],
    &["--ragged"],
    &["--expect", "1.."],
    &["--ensure", "B"],
    &["--skip-problems"],
    &["--rewrite", "rewrites/iso-dates.toml"],
    &["--then", "pier", "--with", "quay"],
    &["--save-rewrite", "saved.toml"],
    &["--save-plan", "saved.plan"],
    &["--report", "saved.html"],
    &["--totals", "totals.json"],
    &["--against", "last"],
    &["--plan", "last"],
    &["--kinds"],
    &["--diff"],
    &["--whole"],
    &["--json"],
    &["--count"],
    &["--bare"],
    &["--paths"],
    &["--positions"],
    &["--missing"],
    &["--why"],
    &["--forbid"],
    &["--every"],
    &["--wide"],
    &["--beside"],
    &["--counts"],
    &["--yes-no"],
    &["--split", ";"],
    &["--select", "berth"],
    &["--as", "jsonl"],
    &["--group", "0"],
    &["--sum", "1"],
    &["--by", "status"],
    &["--coarse"],
    &["--chars"],
    &["--include", "*.csv"],
    &["--exclude", "*.csv"],
    &["--hidden"],
    &["--ignored"],
    &["--changed"],
    &["--binary"],
    &["--paths-from", "list.txt"],
    &["--null"],
    &["--stdin-name", "x.csv"],
    &["--encoding", "latin1"],
    &["--context", "2"],
    &["--show", "3"],
    &["--after", "last"],
    &["--through", "1"],
    &["--threads", "2"],
    &["--no-hints"],
    &["--exit-zero"],
    &["--color", "never"],
    &["--theme", "light"],
    &["--edited", "gauge.log"],
];

/// True if each option that a text names is in backquotes.
fn quotes_options(text: &str) -> bool {
    let outside = text.split('`').step_by(2);
    outside.clone().all(|part| {
        !part
            .split([' ', '('])
            .any(|word| word.starts_with("--") && word.len() > 2)
    })
}

fn holds(got: &Got, words: &[&str]) -> Result<(), TestCaseError> {
    prop_assert!((0..=3).contains(&got.status), "{words:?}: {got:?}");
    prop_assert!(!got.err.contains("panicked"), "{words:?}: {got:?}");
    if got.status == 2 {
        let first = got
            .err
            .lines()
            .find(|line| !line.starts_with("note: "))
            .unwrap_or_default();
        prop_assert!(first.starts_with("bquill: "), "{words:?}: {got:?}");
        prop_assert!(quotes_options(first), "{words:?}: {got:?}");
        prop_assert!(
            got.err.lines().all(|line| line.chars().count() < 400),
            "{words:?}: {got:?}"
        );
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: cases(150),
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    #[test]
    fn work_or_are_refused(
        verb in prop::sample::select(VERBS.to_vec()), options in prop::collection::vec(prop::sample::select(OPTIONS.to_vec()), 0..4),
        path in prop::sample::select(vec!["berths.csv", "notices", "moorings.jsonl", "harbour.db", "berths.xlsx", "ships.json", "nowhere"]),
    ) {
        let port = Sandbox::larkmoor();
        port.write("list.txt", "B-01,x\nB-02,y\n");
        port.write("pattern.txt", "berth\n");
        let before = port.snapshot();
        let words: Vec<&str> = [verb.0].iter().chain(verb.1).chain(options.iter().copied().flatten()).copied().chain([path]).collect();
        let got = port.args(&words);
        holds(&got, &words)?;
        // The sample files stay as they are: what is written goes to a copy, or to a file that is named.
        for (name, bytes) in before {
            prop_assert_eq!(port.read(name.to_str().unwrap()), bytes, "{:?}", words);
        }
    }
}
