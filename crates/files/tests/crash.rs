//! The run protocol, stopped after every operation: all old or all new, and nothing left over.

mod model;

use brisk_quill_files::{
    Change, Direction, Facts, Journal, Newline, Plan, PlannedFile, RealFs, RunDone, RunRequest,
    Source, Trouble, make_run, open_ways, recover, undo_plan,
};
use model::{Dice, Meddle, ModelFs, Survives};
use proptest::prelude::*;
use std::fs::Permissions;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::Path;
use std::sync::atomic::AtomicBool;

const OLD: &[(&str, &str)] = &[
    ("/port/a.txt", "quay 1\nquay 2\n"),
    ("/port/b.hard", "quay 3"),
    ("/port/notices/c.txt", "the quay\n"),
];
const NEW: &[(&str, &str)] = &[
    ("/port/a.txt", "Q 1\nQ 2\n"),
    ("/port/b.hard", "Q 3"),
    ("/port/notices/c.txt", "the Q\n"),
];

/// The plan that makes `Q` of every `quay`.
fn plan() -> Plan {
    plan_of(OLD)
}

fn plan_of(files: &[(&str, &str)]) -> Plan {
    let file = |(path, text): &(&str, &str)| PlannedFile {
        source: Source::File(path.into()),
        facts: Facts {
            bytes: text.len() as u64,
            hash: Some(blake3::hash(text.as_bytes())),
            encoding: "UTF-8",
            newline: Newline::Lf,
        },
        changes: text
            .match_indices("quay")
            .map(|(at, old)| Change {
                line: 1,
                from: at as u64,
                to: (at + old.len()) as u64,
                before: old.into(),
                after: b"Q".to_vec(),
            })
            .collect(),
    };
    Plan {
        files: files.iter().map(file).collect(),
    }
}

fn journal(fs: &ModelFs) -> Journal<'_> {
    Journal::new(fs, "/state".into())
}

fn run(fs: &ModelFs, plan: &Plan) -> Result<RunDone, brisk_quill_files::FileError> {
    let request = RunRequest {
        plan,
        rewrite: serde_json::Value::Null,
        undoes: None,
        at: 0,
        folder: Path::new("/port"),
        interrupted: &AtomicBool::new(false),
    };
    make_run(fs, &journal(fs), &mut Journal::no_lock(), &request)
}

fn texts(fs: &ModelFs) -> Vec<(&'static str, String)> {
    OLD.iter().map(|(path, _)| (*path, fs.text(path))).collect()
}

fn is(found: &[(&'static str, String)], wanted: &[(&str, &str)]) -> bool {
    found
        .iter()
        .zip(wanted)
        .all(|((_, found), (_, wanted))| found == wanted)
}

/// Finishes whatever is unfinished.
fn finish(fs: &ModelFs) -> Result<(), brisk_quill_files::FileError> {
    let journal = journal(fs);
    if let Some(record) = journal.unfinished()? {
        recover(fs, &journal, &record, None)?;
    }
    Ok(())
}

/// What must hold when all is over.
fn check(fs: &ModelFs, case: &str) -> bool {
    let found = texts(fs);
    assert!(is(&found, OLD) || is(&found, NEW), "{case}: {found:?}");
    let journal = journal(fs);
    assert!(journal.unfinished().unwrap().is_none(), "{case}");
    // What a complete run left over goes with the next one.
    let last = journal.numbers().unwrap().pop();
    if let Some(record) = last.map(|last| journal.load(last).unwrap()) {
        brisk_quill_files::clean(fs, &journal, &record).unwrap();
    }
    let stray: Vec<String> = fs
        .names()
        .into_iter()
        .filter(|name| name.contains(".bquill") || name.ends_with(".new") || name.ends_with(".old"))
        .collect();
    assert!(
        stray.is_empty(),
        "{case}: {stray:?} {}",
        fs.text("/state/runs/1/log")
    );
    is(&found, NEW)
}

#[test]
fn stopped_after_every_operation() {
    let whole = ModelFs::with(OLD);
    run(&whole, &plan()).unwrap();
    let operations = whole.operations();
    assert!(check(&whole, "whole") && operations > 60, "{operations}");
    let mut ends = [0, 0];
    for stop in 1..=operations {
        for seed in 0..14 {
            let survives = match seed {
                0 => Survives::Nothing,
                1 => Survives::Everything,
                seed => Survives::Some(seed * 7919 + stop),
            };
            let case = format!("stopped at {stop}, {survives:?}");
            let fs = ModelFs::with(OLD);
            fs.stop_at(stop);
            let made = run(&fs, &plan());
            assert!(fs.stopped(), "{case}");
            fs.reboot(survives);
            // The recovery is stopped too, again and again, and then let through.
            let mut dice = Dice(seed * 31 + stop);
            for _ in 0..3 {
                fs.stop_at(1 + dice.below(40));
                let _ = finish(&fs);
                fs.reboot(Survives::Some(dice.below(1 << 30)));
            }
            finish(&fs).unwrap_or_else(|error| panic!("{case}: {error:?}"));
            let new = check(&fs, &case);
            ends[usize::from(new)] += 1;
            assert!(
                new || made.is_err(),
                "{case}: what was told as done is done"
            );
        }
    }
    assert!(ends[0] > 100 && ends[1] > 100, "{ends:?}");
}

#[test]
fn both_ways_where_both_are_open() {
    let whole = ModelFs::with(OLD);
    run(&whole, &plan()).unwrap();
    let mut taken = [0, 0];
    for stop in 1..=whole.operations() {
        for way in [Direction::Forward, Direction::Back] {
            let fs = ModelFs::with(OLD);
            fs.stop_at(stop);
            let _ = run(&fs, &plan());
            fs.reboot(Survives::Everything);
            let journal = journal(&fs);
            let Some(record) = journal.unfinished().unwrap() else {
                continue;
            };
            let open = open_ways(&fs, &journal, &record).unwrap();
            let allowed = if way == Direction::Forward {
                open.forward
            } else {
                open.back
            };
            let done = recover(&fs, &journal, &record, Some(way));
            assert_eq!(done.is_ok(), allowed, "{stop} {way:?}");
            if done.is_ok() {
                assert_eq!(check(&fs, "asked"), way == Direction::Forward, "{stop}");
                taken[way as usize] += 1;
            }
        }
    }
    assert!(taken[0] > 5 && taken[1] > 5, "{taken:?}");
}

/// Somebody else edits, replaces or deletes a file in mid-run: what he did is never lost, and
/// all other files are old, or all are new.
#[test]
fn what_somebody_else_does_stays() {
    let whole = ModelFs::with(OLD);
    run(&whole, &plan()).unwrap();
    let mut refused = 0;
    for at in 1..=whole.operations() {
        for (how, wanted) in [
            (Meddle::Edit, "edited"),
            (Meddle::Replace, "edited"),
            (Meddle::Delete, "(missing)"),
        ] {
            let fs = ModelFs::with(OLD);
            fs.meddle_at(at, "/port/notices/c.txt", how);
            let made = run(&fs, &plan());
            let found = texts(&fs);
            assert_eq!(found[2].1, wanted, "{at} {how:?}: {made:?}");
            let (old, new) = (is(&found[..2], OLD), is(&found[..2], NEW));
            assert!(
                if made.is_ok() { new } else { old },
                "{at} {how:?}: {made:?} {found:?}"
            );
            refused += u64::from(made.is_err());
        }
    }
    assert!(refused > 60, "{refused}");
}

#[test]
fn undo_and_undo_of_undo() {
    let fs = ModelFs::with(OLD);
    let first = run(&fs, &plan()).unwrap();
    for wanted in [OLD, NEW, OLD] {
        let journal = journal(&fs);
        let last = journal
            .load(*journal.numbers().unwrap().last().unwrap())
            .unwrap();
        let back = undo_plan(&fs, &journal, &last, &|_| true).unwrap().unwrap();
        assert_eq!(run(&fs, &back).unwrap().changes, first.changes);
        assert!(is(&texts(&fs), wanted));
    }
    let journal = journal(&fs);
    let one = journal.load(1).unwrap();
    let changed = undo_plan(&fs, &journal, &one, &|_| true)
        .unwrap()
        .unwrap_err();
    assert_eq!(changed.len(), 3, "the files hold their old bytes again");
}

#[test]
fn an_interrupted_run_leaves_nothing() {
    let fs = ModelFs::with(OLD);
    let request = RunRequest {
        plan: &plan(),
        rewrite: serde_json::Value::Null,
        undoes: None,
        at: 0,
        folder: Path::new("/port"),
        interrupted: &AtomicBool::new(true),
    };
    let error = make_run(&fs, &journal(&fs), &mut Journal::no_lock(), &request).unwrap_err();
    assert_eq!(error.trouble, Trouble::Interrupted);
    assert!(!check(&fs, "interrupted"));
}

/// A log damaged in any byte is refused with a message, and nothing is done.
#[test]
fn a_damaged_journal_is_refused() {
    let fs = ModelFs::with(OLD);
    run(&fs, &plan()).unwrap();
    for name in ["/state/runs/1/log", "/state/runs/1/changes"] {
        let whole = fs.text(name);
        for at in 0..whole.len() {
            let mut bytes = whole.clone().into_bytes();
            bytes[at] ^= 1;
            let damaged = ModelFs::with(NEW);
            damaged.put("/state/runs/1/log", fs.text("/state/runs/1/log").as_bytes());
            damaged.put(
                "/state/runs/1/changes",
                fs.text("/state/runs/1/changes").as_bytes(),
            );
            damaged.put(name, &bytes);
            let journal = journal(&damaged);
            let undone = journal
                .load(1)
                .and_then(|run| undo_plan(&damaged, &journal, &run, &|_| true));
            // The last record only says that nothing is left over.
            if name.ends_with("log") && at + 1 == whole.len() {
                assert!(undone.is_ok());
                continue;
            }
            let trouble = undone.unwrap_err().trouble;
            assert!(
                matches!(trouble, Trouble::Damaged | Trouble::NotDone),
                "{name} {at}: {trouble:?}"
            );
            assert!(is(&texts(&damaged), NEW));
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, failure_persistence: None, ..ProptestConfig::default() })]

    /// On real files: undo is the identity on bytes, modes, links and attributes; undo of undo
    /// equals apply.
    #[test]
    fn undo_is_the_identity(
        files in prop::collection::vec(("(quay |[a-z]{0,9}\\n){0,8}", 0o400u32..0o777, any::<(bool, bool)>()), 1..9),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let mut paths = Vec::new();
        for (n, (text, mode, (linked, marked))) in files.iter().enumerate() {
            let path = folder.path().join(format!("{n}.txt"));
            std::fs::write(&path, text).unwrap();
            if *linked {
                std::fs::hard_link(&path, folder.path().join(format!("{n}.link"))).unwrap();
            }
            if *marked {
                let _ = xattr::set(&path, "user.port", text.as_bytes());
            }
            std::fs::set_permissions(&path, Permissions::from_mode(mode | 0o600)).unwrap();
            paths.push(path);
        }
        let look = || paths.iter().map(|path| {
            let found = path.metadata().unwrap();
            let attribute = xattr::get(path, "user.port").ok().flatten();
            (std::fs::read(path).unwrap(), found.mode(), found.nlink(), found.uid(), attribute)
        }).collect::<Vec<_>>();
        let old = look();
        let texts: Vec<(&str, &str)> = paths.iter().zip(&files)
            .map(|(path, (text, ..))| (path.to_str().unwrap(), text.as_str())).collect();
        let state = tempfile::tempdir().unwrap();
        let journal = Journal::new(&RealFs, state.path().join("journal"));
        let make = |plan: &Plan| {
            let request = RunRequest {
                plan, rewrite: serde_json::Value::Null, undoes: None, at: 0,
                folder: folder.path(), interrupted: &AtomicBool::new(false),
            };
            make_run(&RealFs, &journal, &mut journal.lock().unwrap(), &request).unwrap().run
        };
        let mut run = make(&plan_of(&texts));
        let new = look();
        prop_assert_eq!(old.iter().map(|f| (f.1, f.2, f.3, &f.4)).collect::<Vec<_>>(), new.iter().map(|f| (f.1, f.2, f.3, &f.4)).collect::<Vec<_>>());
        for wanted in [&old, &new, &old] {
            let record = journal.load(run).unwrap();
            let back = undo_plan(&RealFs, &journal, &record, &|_| true).unwrap().unwrap();
            run = make(&back);
            prop_assert_eq!(&look(), wanted);
        }
    }
}
