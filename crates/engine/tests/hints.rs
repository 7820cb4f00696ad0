//! Hints: whole requests, the hints that they give, and what their remedies cure.

use crate::port::cases as law_cases;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::tables::NoTables;
use brisk_quill_engine::collector::NullCollector;
use brisk_quill_engine::hints::hint::{Hint, Remedy};
use brisk_quill_engine::host::Host;
use brisk_quill_engine::request::Work;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::session::Session;
use brisk_quill_engine::sources::Sources;
use brisk_quill_engine::summary::Ended;
use brisk_quill_files::discover::Search;
use brisk_quill_files::read::TextOptions;
use proptest::prelude::*;
use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::num::NonZeroUsize;
use std::ops::ControlFlow;
use std::sync::Arc;

#[derive(Deserialize)]
struct Cases {
    case: Vec<Case>,
}

#[derive(Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct Case {
    name: String,
    #[serde(default)]
    step: Option<StepSpec>,
    #[serde(default)]
    steps: Vec<StepSpec>,
    /// The name of the file with the text.
    file: Option<String>,
    #[serde(default)]
    text: String,
    #[serde(default)]
    files: BTreeMap<String, String>,
    /// The hints, in any order.
    #[serde(default)]
    hints: BTreeSet<String>,
}

impl Case {
    fn steps(&self) -> Vec<StepSpec> {
        self.step.iter().chain(&self.steps).cloned().collect()
    }

    fn hints(&self, steps: &[StepSpec]) -> Vec<Hint> {
        let folder = tempfile::tempdir().unwrap();
        let mut files = self.files.clone();
        if files.is_empty() {
            let name = self.file.clone().unwrap_or("notice.txt".into());
            files.insert(name, self.text.clone());
        }
        for (name, text) in &files {
            let path = folder.path().join(name);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        }
        let built = steps.iter().map(|step| step.build(&mut NoTables).unwrap());
        let rewrite = Rewrite::new(built.collect());
        let sources = Sources::find(
            &Host::new(folder.path().to_owned()),
            vec![folder.path().to_owned()],
            Search::default(),
        )
        .unwrap();
        let work = Work::new(&rewrite);
        let take = |_: brisk_quill_engine::session::Taken<'_, _>| ControlFlow::Continue(());
        let mut session = Session::default().with_hints();
        let ended = session.run(&work, &sources, |_| NullCollector, take);
        let Ok(Ended::Complete(summary)) = ended else {
            panic!("{}", self.name)
        };
        summary.hints.shown
    }
}

fn cases(toml: &str) -> Vec<Case> {
    toml::from_str::<Cases>(toml).unwrap().case
}

/// Mistakes, and right requests.
const ALL: [&str; 6] = [
    include_str!("hints/mistakes.toml"),
    include_str!("hints/right.toml"),
    include_str!("hints/mistakes_2.toml"),
    include_str!("hints/right_2.toml"),
    include_str!("hints/held_out.toml"),
    include_str!("hints/fresh.toml"),
];

/// The table of cases: what was named, what was missed, and what was noise.
#[test]
fn mistakes_are_named_and_right_rewrites_are_not() {
    let (mut named, mut missed, mut noise, mut told) = (0, 0, 0, String::new());
    let all = ALL.map(cases).concat();
    assert!(all.len() >= 265);
    for case in &all {
        let hints = case.hints(&case.steps());
        let names: BTreeSet<String> = hints.iter().map(|hint| hint.name.to_owned()).collect();
        named += case.hints.intersection(&names).count();
        missed += case.hints.difference(&names).count();
        noise += names.difference(&case.hints).count();
        if names != case.hints {
            let _ = writeln!(
                told,
                "{}: {names:?} for {:?}: {hints:#?}",
                case.name, case.hints
            );
        }
    }
    println!("{named} named, {missed} missed, {noise} noise");
    assert_eq!(
        (missed, noise),
        (0, 0),
        "{named} named, {missed} missed, {noise} noise\n{told}"
    );
}

/// Each remedy runs, and the hint is gone.
#[test]
fn remedies_cure() {
    let (mut uncured, mut told, mut all, mut without) = (String::new(), String::new(), 0, 0);
    for case in [ALL[0], ALL[2]].map(cases).concat() {
        for hint in case.hints(&case.steps()) {
            let mut steps = case.steps();
            all += 1;
            let Some(remedy) = &hint.remedy else {
                // None that was tried holds.
                without += 1;
                let _ = writeln!(told, "{}: no remedy: {hint:?}", case.name);
                continue;
            };
            if !steps.iter_mut().any(|step| remedy.apply(step)) {
                continue;
            }
            let again = case.hints(&steps);
            if again.iter().any(|other| other.name == hint.name) {
                let _ = writeln!(uncured, "{}: {hint:?}, then {again:?}", case.name);
            }
        }
    }
    assert!(uncured.is_empty(), "{uncured}");
    assert!(
        without * 20 <= all,
        "{without} of {all} without a remedy:\n{told}"
    );
}

/// The same hints, with the same numbers and places, whatever the threads and the pieces.
#[test]
fn hints_do_not_depend_on_threads() {
    let folder = tempfile::tempdir().unwrap();
    for file in 0..230 {
        let lines = (0..40 + 7 * file % 150).map(|line| match (line + file) % 11 {
            0 => format!("Berth-{line} in report {file}"),
            1 => format!("the port of BERTH {line}"),
            n => format!("Berth {n}{line} in port {file}"),
        });
        let text: String = lines.map(|line| line + "\n").collect();
        std::fs::write(folder.path().join(format!("{file:03}.txt")), text).unwrap();
    }
    // A file that is worked on in parts.
    let large = "Berth 12 in port\nBerth 2a in airport\n".repeat(15_000);
    std::fs::write(folder.path().join("large.txt"), large).unwrap();
    let sources = Sources::find(
        &Host::new(folder.path().to_owned()),
        vec![folder.path().to_owned()],
        Search::default(),
    )
    .unwrap();
    for (pattern, with) in [
        (r"Berth (\d+)", "B-$1"),
        ("port", "harbour"),
        (r"Berth.(\d)", "B"),
    ] {
        let step = StepSpec {
            pattern: Some(pattern.into()),
            with: Some(with.into()),
            ..StepSpec::default()
        };
        let rewrite = Rewrite::new(vec![step.build(&mut NoTables).unwrap()]);
        let work = Work::new(&rewrite);
        let hints = |threads: usize, piece: usize| {
            let threads = Threads::new(NonZeroUsize::new(threads));
            let session = Session::new(TextOptions::default(), threads, Arc::default());
            let mut session = session.in_pieces_of(piece).with_hints();
            let take = |_: brisk_quill_engine::session::Taken<'_, _>| ControlFlow::Continue(());
            let ended = session.run(&work, &sources, |_| NullCollector, take);
            let Ok(Ended::Complete(summary)) = ended else {
                panic!("{pattern}")
            };
            summary.hints
        };
        let alone = hints(1, 1 << 16);
        assert!(!alone.shown.is_empty(), "{pattern}: {alone:?}");
        for (threads, piece) in [(2, 1 << 16), (5, 1 << 14), (1, 1000)] {
            assert_eq!(hints(threads, piece), alone, "{pattern} {threads} {piece}");
        }
    }
}

/// Remedies are the ones that a person would write.
#[test]
fn remedies_are_those_of_a_person() {
    let all = cases(include_str!("hints/mistakes.toml"));
    for (name, wanted) in [
        ("a digit where a number ends", "[0-9]+-[0-9]+-[0-9]+"),
        ("a tab where a blank is wanted", r"pilot\s(\w+)"),
        ("a call whose parentheses are a group", r"save\(path\)"),
        ("an index in brackets", r"row\[0\]"),
        ("an amount with a dollar sign", r"\$5\.00"),
        ("an anchor for one branch", "^(?:DEBUG|INFO)"),
        ("an anchor behind one branch", "(?:open|closed)$"),
        ("a hyphen beside a blank", r"pier[- ](\d+)"),
        ("several blanks for one", r"a\s+b"),
        ("a command with its flag", "(?i)berth"),
    ] {
        let case = all.iter().find(|case| case.name == name).unwrap();
        let hints = case.hints(&case.steps());
        let pattern = |hint: &Hint| match &hint.remedy {
            Some(Remedy::Pattern(pattern) | Remedy::Both(pattern, _)) => pattern.clone(),
            other => format!("{other:?}"),
        };
        let patterns: Vec<String> = hints.iter().map(pattern).collect();
        assert_eq!(patterns, [wanted], "{name}");
    }
}

/// A slip of the fingers at a place of a pattern.
fn slipped(pattern: &str, (place, slip): (usize, u8)) -> Option<String> {
    let mut signs: Vec<char> = pattern.chars().collect();
    let place = place % signs.len().max(1);
    let sign = *signs.get(place)?;
    match slip {
        0 => drop(signs.remove(place)),
        1 => signs.insert(place, sign),
        2 if sign.is_lowercase() => signs[place] = sign.to_ascii_uppercase(),
        3 if sign.is_uppercase() => signs[place] = sign.to_ascii_lowercase(),
        4 if sign == ' ' => signs[place] = '-',
        5 if sign == '+' => signs[place] = '*',
        6 => signs.truncate(place + 1),
        7 if place + 1 < signs.len() => signs.swap(place, place + 1),
        _ => return None,
    }
    Some(signs.into_iter().collect())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: law_cases(100), failure_persistence: None, max_global_rejects: 1_000_000, ..ProptestConfig::default() })]

    /// Whatever slip is made, each remedy can be built and still matches something, and the hint is gone.
    #[test]
    fn remedies_of_slips_cure(number in 0..1000usize, slip in (0..60usize, 0..8u8)) {
        static ALL_CASES: std::sync::LazyLock<Vec<Case>> = std::sync::LazyLock::new(|| ALL.map(cases).concat());
        let all = &*ALL_CASES;
        let case = &all[number % all.len()];
        let mut steps = case.steps();
        let Some(pattern) = steps[0].pattern.as_deref().and_then(|pattern| slipped(pattern, slip)) else {
            return Err(TestCaseError::reject("no such slip"));
        };
        steps[0].pattern = Some(pattern);
        prop_assume!(steps.iter().all(|step| step.build(&mut NoTables).is_ok()));
        for hint in case.hints(&steps) {
            let mut mended = steps.clone();
            let Some(remedy) = &hint.remedy else { continue };
            if !mended.iter_mut().any(|step| remedy.apply(step)) {
                continue;
            }
            if let Some(wrong) = mended.iter().find_map(|step| step.build(&mut NoTables).err()) {
                return Err(TestCaseError::fail(format!("{hint:?}: {wrong}")));
            }
            let again = case.hints(&mended);
            // Other units may be near misses in another part of the pattern.
            let is_same = |other: &&Hint| other.name == hint.name && (hint.name != "near-miss" || other.message == hint.message);
            let is_left = again.iter().any(|other| is_same(&other));
            prop_assert!(!is_left, "{hint:#?}, then {again:#?}, of {steps:#?}");
        }
    }
}
