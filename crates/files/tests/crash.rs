//! The run protocol, stopped after every operation: all old or all new, and nothing left over.

use crate::model::{Dice, ModelFs, Survives, copy_name};
use brisk_quill_files::change::Change;
use brisk_quill_files::error::FileErrorKind;
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::fs::{Confinement, Fs};
use brisk_quill_files::journal::Journal;
use brisk_quill_files::plan::{Plan, PlannedFile};
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::recover::abandon::abandon;
use brisk_quill_files::recover::left_file::{Holds, LeftFile};
use brisk_quill_files::recover::recover;
use brisk_quill_files::recover::standing::Direction;
use brisk_quill_files::run::make_run;
use brisk_quill_files::run::request::{RunDone, RunFailed, RunNote, RunRequest};
use brisk_quill_files::source::Source;
use brisk_quill_files::undo::undo_plan;
use proptest::prelude::*;
use std::fs::Permissions;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::Path;
use std::sync::atomic::AtomicBool;

const OLD: &[(&str, &str)] = &[
    ("/port/a.txt", "quay 1\nquay 2\n"),
    ("/port/b.hard", "quay 3"),
    ("/port/d.strange", "quay 4, quay 5"),
    ("/port/notices/c.txt", "the quay\n"),
];
const NEW: &[(&str, &str)] = &[
    ("/port/a.txt", "Q 1\nQ 2\n"),
    ("/port/b.hard", "Q 3"),
    ("/port/d.strange", "Q 4, Q 5"),
    ("/port/notices/c.txt", "the Q\n"),
];

/// The plan that makes `Q` of every `quay`.
fn plan() -> Plan {
    plan_of(OLD)
}

fn plan_of(files: &[(&str, &str)]) -> Plan {
    plan_to(files, "Q")
}

/// The plan that makes something else of every `quay`, and every `Q`.
fn plan_to(files: &[(&str, &str)], to: &str) -> Plan {
    let file = |(path, text): &(&str, &str)| PlannedFile {
        source: Source::file(*path),
        confinement: Confinement::AsEvaluated(None),
        facts: Facts::of_bytes(blake3::hash(text.as_bytes()), text.len() as u64),
        changes: text
            .match_indices(if text.contains("quay") { "quay" } else { "Q" })
            .map(|(at, old)| Change {
                line: 1,
                from: at as u64,
                to: (at + old.len()) as u64,
                before: old.into(),
                after: to.into(),
            })
            .collect(),
        stands_for: None,
    };
    Plan {
        files: files.iter().map(file).collect(),
    }
}

fn journal(fs: &ModelFs) -> Journal<'_> {
    Journal::new(fs, "/state".into())
}

fn run(fs: &ModelFs, plan: &Plan) -> Result<RunDone, RunFailed> {
    run_in(&journal(fs), fs, plan)
}

fn run_in(journal: &Journal<'_>, fs: &dyn Fs, plan: &Plan) -> Result<RunDone, RunFailed> {
    let request = RunRequest {
        plan,
        rewrite: serde_json::Value::Null,
        undoes: None,
        at: 0,
        folder: Path::new("/port"),
        interrupted: &AtomicBool::new(false),
    };
    make_run(fs, journal, &mut Journal::no_lock(), &request)
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

/// Finishes whatever needs care.
fn finish(fs: &ModelFs) -> Result<(), brisk_quill_files::error::FileError> {
    let journal = journal(fs);
    for run in journal.marked()? {
        recover(fs, &journal, &journal.load(run)?, None)?;
    }
    Ok(())
}

/// Files of others: none of them is ever touched.
const FOREIGN: &[(&str, &str)] = &[
    ("/port/.bquill-1-0", "foreign notes"),
    (
        "/port/.bquill-0123456789abcdef0123456789abcdef",
        "another journal's copy",
    ),
];

fn with_foreign() -> ModelFs {
    let fs = ModelFs::with(OLD);
    for (path, text) in FOREIGN {
        fs.foreign(path, text);
    }
    fs
}

/// Conditions that must hold when all is over.
fn check(fs: &ModelFs, case: &str) -> bool {
    let found = texts(fs);
    assert!(is(&found, OLD) || is(&found, NEW), "{case}: {found:?}");
    let journal = journal(fs);
    assert!(journal.interrupted().unwrap().is_empty(), "{case}");
    for (path, text) in FOREIGN {
        assert!([*text, "(missing)"].contains(&&*fs.text(path)), "{case}");
    }
    let stray: Vec<String> = fs
        .names()
        .into_iter()
        .filter(|name| !FOREIGN.iter().any(|(path, _)| path == name))
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
    let whole = with_foreign();
    let done = run(&whole, &plan()).unwrap();
    let another = RunNote::AnotherRun(FOREIGN[1].0.into());
    assert_eq!(done.notes, [another], "it is recognised");
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
            let fs = with_foreign();
            fs.stop_at(stop);
            let made = run(&fs, &plan());
            assert!(fs.stopped(), "{case}");
            fs.reboot(survives);
            assert_eq!(fs.text(FOREIGN[0].0), FOREIGN[0].1, "{case}");
            // The recovery is stopped too, again and again, and then let through.
            let mut dice = Dice(seed * 31 + stop);
            for _ in 0..3 {
                fs.stop_at(1 + dice.below(40));
                let _ = finish(&fs);
                fs.reboot(Survives::Some(dice.below(1 << 30)));
            }
            finish(&fs).unwrap_or_else(|error| panic!("{case}: {error:?}"));
            assert_eq!(fs.text(FOREIGN[0].0), FOREIGN[0].1, "{case}");
            let new = check(&fs, &case);
            ends[usize::from(new)] += 1;
            assert!(
                new || made.is_err(),
                "{case}: what was told as done is done"
            );
        }
    }
    println!("{operations} operations; {ends:?} ended old and new");
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
            let Some(record) = journal.interrupted().unwrap().pop() else {
                continue;
            };
            let record = record.unwrap();
            // The way back is always open, and the other one once it was decided.
            let allowed = way == Direction::Back || record.commit.is_some();
            let done = recover(&fs, &journal, &record, Some(way));
            assert_eq!(done.is_ok(), allowed, "{stop} {way:?}");
            if done.is_ok() {
                // Another recovery had read the log before, and only then got the lock.
                let _ = recover(&fs, &journal, &record, Some(way));
                assert_eq!(check(&fs, "asked"), way == Direction::Forward, "{stop}");
                taken[way as usize] += 1;
            }
        }
    }
    assert!(taken[0] > 5 && taken[1] > 5, "{taken:?}");
}

/// An interference in mid-run.
#[derive(Clone, Copy, Debug)]
enum Meddle {
    Edit,
    Replace,
    Delete,
    Mode,
    /// Puts a file of their own where a copy is, or will be.
    Copy(u128),
    SwapFolder,
    RemoveFolder,
}

const MEDDLED: &str = "/port/notices/c.txt";

impl Meddle {
    const ALL: [Self; 9] = [
        Self::Edit,
        Self::Replace,
        Self::Delete,
        Self::Mode,
        Self::Copy(0),
        Self::Copy(2),
        Self::Copy(3),
        Self::SwapFolder,
        Self::RemoveFolder,
    ];

    fn act(self, fs: &ModelFs) {
        match self {
            Self::Edit => fs.edit(MEDDLED, "edited"),
            Self::Replace => fs.replace(MEDDLED, "edited"),
            Self::Delete => fs.delete(MEDDLED),
            Self::Mode => fs.set_mode(MEDDLED, 0o4711),
            Self::Copy(n) => {
                let folder = if n == 3 { "/port/notices" } else { "/port" };
                let path = format!("{folder}/{}", copy_name(n));
                fs.foreign(&path, "precious");
            }
            Self::SwapFolder => fs.swap_folder("/port/notices"),
            Self::RemoveFolder => fs.remove_tree("/port/notices"),
        }
    }

    /// Files of others that must still be there.
    fn check(self, fs: &ModelFs, case: &str) {
        match self {
            Self::Edit | Self::Replace => assert_eq!(fs.text(MEDDLED), "edited", "{case}"),
            Self::Delete | Self::RemoveFolder => {
                assert_eq!(fs.text(MEDDLED), "(missing)", "{case}");
            }
            Self::Mode => assert_eq!(fs.mode(MEDDLED), 0o4711, "{case}"),
            Self::Copy(_) => assert!(fs.holds("precious"), "{case}"),
            // The other folder is not ours to write in.
            Self::SwapFolder => assert_eq!(fs.text(MEDDLED), fs.noted(), "{case}"),
        }
    }
}

/// Another program edits, replaces or deletes a file in mid-run, changes its mode, puts a file in the
/// place of a copy, or another folder in the place of one: what they did is never lost, and all
/// other files are old, or all are new; also where the run is then stopped.
#[test]
fn what_somebody_else_does_stays() {
    let whole = ModelFs::with(OLD);
    run(&whole, &plan()).unwrap();
    let (mut refused, mut abandoned) = (0, 0);
    // Before the folders are opened, whoever changes one changes what is meant.
    let opened = |how| {
        if matches!(how, Meddle::SwapFolder) {
            17
        } else {
            1
        }
    };
    for (how, at) in Meddle::ALL
        .into_iter()
        .flat_map(|how| (opened(how)..=whole.operations()).map(move |at| (how, at)))
    {
        for stop in [0, 1, 3, 9, 20] {
            let case = format!("{how:?} at {at}, stopped {stop} later");
            let fs = ModelFs::with(OLD);
            fs.at(at, move |fs| {
                how.act(fs);
                if stop > 0 {
                    let now = fs.operations();
                    fs.stop_later(now + stop);
                }
            });
            let made = run(&fs, &plan());
            // From outside, nobody could tell a machine that stopped from one that works.
            fs.stop_at(0);
            if stop == 0 {
                how.check(&fs, &case);
            }
            refused += u64::from(made.is_err());
            for run in journal(&fs).marked().unwrap() {
                let record = journal(&fs).load(run).unwrap();
                let recovered = recover(&fs, &journal(&fs), &record, None);
                how.check(&fs, &case);
                if let Err(stuck) = recovered {
                    assert_eq!(stuck.kind, FileErrorKind::Unreachable, "{case}");
                    let files = abandon(&fs, &journal(&fs), &record).unwrap();
                    check_abandoned(&fs, &files, &case);
                    how.check(&fs, &case);
                    abandoned += 1;
                    continue;
                }
                let found = texts(&fs);
                // Whoever takes the name of a copy from us may take the file with it.
                let apart = match how {
                    Meddle::Copy(n) => n as usize,
                    _ => 3,
                };
                let all = |wanted: &[(&str, &str)]| {
                    let mut files = found.iter().zip(wanted).enumerate();
                    files.all(|(n, (found, wanted))| n == apart || found.1 == wanted.1)
                };
                let (old, new) = (all(OLD), all(NEW));
                assert!(old || new, "{case}: {made:?} {found:?}");
            }
            assert!(journal(&fs).interrupted().unwrap().is_empty(), "{case}");
            let found = texts(&fs);
            if made.is_ok() && !matches!(how, Meddle::Copy(_)) {
                assert!(is(&found[..3], NEW), "{case}: {found:?}");
            }
        }
    }
    println!("{refused} runs refused or stopped, {abandoned} abandoned");
    assert!(refused > 600 && abandoned > 60, "{refused} {abandoned}");
}

/// One of several deeds of another program in one run.
#[derive(Clone, Copy, Debug)]
enum Deed {
    Edit,
    Replace,
    Delete,
    Move,
    Mode,
}

/// A deed to one of the files, by its number.
#[derive(Clone, Copy, Debug)]
struct Done(Deed, usize);

impl Done {
    fn any(dice: &mut Dice) -> Self {
        use Deed::{Delete, Edit, Mode, Move, Replace};
        let deeds = [Edit, Replace, Delete, Move, Mode];
        let deed = deeds[dice.below(deeds.len() as u64) as usize];
        Self(deed, dice.below(OLD.len() as u64) as usize)
    }

    fn act(self, fs: &ModelFs) {
        let path = OLD[self.1].0;
        match self.0 {
            Deed::Edit => fs.edit(path, "edited"),
            Deed::Replace => fs.replace(path, "edited"),
            Deed::Delete => fs.delete(path),
            Deed::Move => fs.rename(path, &format!("{path}.moved")),
            Deed::Mode => fs.set_mode(path, 0o4711),
        }
    }

    /// The deed stands; where the machine stopped while ours was being put back, beside its place.
    fn check(self, fs: &ModelFs, stop: u64, case: &str) {
        let (path, found) = (OLD[self.1].0, fs.text(OLD[self.1].0));
        match self.0 {
            // A write that falls into that of ours to the same file is lost, as `safety.md` says.
            Deed::Edit if self.is_in_place() => assert_ne!(found, "(missing)", "{case}"),
            Deed::Edit | Deed::Replace if stop > 0 => assert!(
                fs.holds("edited"),
                "{case} {:?} {:?} {}",
                texts(fs),
                fs.names(),
                fs.text("/state/runs/1/log")
            ),
            Deed::Edit | Deed::Replace => assert_eq!(found, "edited", "{case}"),
            Deed::Delete => assert_eq!(found, "(missing)", "{case}"),
            Deed::Move => {
                let moved = fs.text(&format!("{path}.moved"));
                let whole = [OLD[self.1].1, NEW[self.1].1].contains(&&*moved);
                // Ours may have been at work on its bytes.
                assert!(whole || self.is_in_place(), "{case}: {moved}");
                assert_eq!(found, "(missing)", "{case}");
            }
            Deed::Mode if stop > 0 => {}
            Deed::Mode => assert_eq!(fs.mode(path), 0o4711, "{case}"),
        }
    }

    fn is_in_place(self) -> bool {
        OLD[self.1].0.ends_with("hard") || OLD[self.1].0.ends_with("strange")
    }

    /// The bytes are as the run has them.
    fn spares(self, file: usize) -> bool {
        self.1 != file || matches!(self.0, Deed::Mode)
    }
}

/// Another program does two things in one run, at every pair of operations: both stand, and all
/// other files are old, or all are new, also where the run is then stopped, or closed as it
/// stands. What is left of the run can be undone, or its files are named.
#[test]
fn several_deeds_in_one_run() {
    let whole = ModelFs::with(OLD);
    run(&whole, &plan()).unwrap();
    let operations = whole.operations();
    let (mut pairs, mut ends, mut edits) = (0, [0; 4], [0; 2]);
    for first in 1..=operations {
        for second in first..=operations {
            let mut dice = Dice(first * 1009 + second);
            let one = Done::any(&mut dice);
            let other = loop {
                let other = Done::any(&mut dice);
                if other.1 != one.1 {
                    break other;
                }
            };
            let stop = [0, 0, 1, 7, 15][dice.below(5) as usize];
            let closes = dice.below(3) == 0;
            let case = format!("{one:?} at {first}, {other:?} at {second}, stopped {stop} later");
            let fs = ModelFs::with(OLD);
            fs.at(first, move |fs| one.act(fs));
            fs.at(second, move |fs| {
                other.act(fs);
                if stop > 0 {
                    fs.stop_later(fs.operations() + stop);
                }
            });
            let made = run(&fs, &plan());
            fs.stop_at(0);
            // Refused early, it has not come to the second deed.
            let acted = fs.is_through_hooks();
            let deeds = if acted { vec![one, other] } else { vec![one] };
            let journal = journal(&fs);
            for number in journal.marked().unwrap() {
                let record = journal.load(number).unwrap();
                let is_open = record.intent.is_some() && !record.state.is_finished();
                if closes && is_open {
                    let files = abandon(&fs, &journal, &record).unwrap();
                    check_abandoned(&fs, &files, &case);
                    ends[2] += 1;
                } else {
                    let done = recover(&fs, &journal, &record, None);
                    done.unwrap_or_else(|error| panic!("{case}: {error:?}"));
                }
            }
            assert!(journal.interrupted().unwrap().is_empty(), "{case}");
            deeds.iter().for_each(|deed| deed.check(&fs, stop, &case));
            let found = texts(&fs);
            let spared = |file: &usize| deeds.iter().all(|deed| deed.spares(*file));
            let all = |wanted: &[(&str, &str)]| {
                let mut files = (0..OLD.len()).filter(spared);
                files.all(|file| found[file].1 == wanted[file].1)
            };
            assert!(all(OLD) || all(NEW), "{case}: {made:?} {found:?}");
            for deed in deeds
                .iter()
                .filter(|d| matches!(d.0, Deed::Edit | Deed::Replace))
            {
                edits[usize::from(found[deed.1].1 == "edited")] += 1;
            }
            ends[usize::from(made.is_ok())] += 1;
            ends[3] += u64::from(left_is_undone(&fs, &case));
            pairs += 1;
        }
    }
    println!("{pairs} pairs of deeds; ended back, done, closed, undone in part: {ends:?}");
    println!("edits elsewhere or lost, and in their place: {edits:?}");
    assert!(ends.iter().all(|n| *n > 100), "{ends:?}");
    assert!(edits[1] > 50 * edits[0], "{edits:?}");
}

/// The files that hold what a run wrote although it was rolled back or closed can be undone one
/// by one, and no others; true if there were any.
fn left_is_undone(fs: &ModelFs, case: &str) -> bool {
    let journal = journal(fs);
    let Some(record) = journal
        .numbers()
        .unwrap()
        .pop()
        .map(|run| journal.load(run))
    else {
        return false;
    };
    let record = record.unwrap();
    if record.state.is_complete() || !record.can_be_undone() {
        return false;
    }
    for (file, (path, old)) in OLD.iter().enumerate() {
        let holds = fs.text(path);
        let only = |wanted: &std::path::PathBuf| wanted == Path::new(path);
        let back = undo_plan(fs, &journal, &record, &only).unwrap();
        match back {
            Ok(plan) if plan.files.is_empty() => assert_ne!(holds, NEW[file].1, "{case}: {path}"),
            Ok(plan) => {
                assert_eq!(holds, NEW[file].1, "{case}: {path}");
                run(fs, &plan).unwrap();
                assert_eq!(fs.text(path), *old, "{case}");
            }
            Err(changed) => assert!(changed.len() == 1 && holds != *old, "{case}: {path}"),
        }
    }
    true
}

/// Messages about an abandoned run are true.
fn check_abandoned(fs: &ModelFs, files: &[LeftFile], case: &str) {
    assert_eq!(files.len(), OLD.len(), "{case}");
    for (file, ((path, old), (_, new))) in files.iter().zip(OLD.iter().zip(NEW)) {
        let found = fs.text(path);
        let wanted = match file.holds {
            Holds::Old => *old,
            Holds::New => *new,
            Holds::Missing => "(missing)",
            Holds::Other => {
                assert!(found != *old && found != *new, "{case}");
                &*found
            }
            Holds::Unreadable => panic!("{case}"),
        };
        assert_eq!(found, wanted, "{case}: {file:?}");
        for (kept, wanted) in [(&file.old, old), (&file.new, new)] {
            if let Some(kept) = kept {
                assert_eq!(fs.text(kept.to_str().unwrap()), *wanted, "{case}: {file:?}");
            }
        }
        // What there was of it is kept, unless another program has destroyed it.
        let whole = file.holds == Holds::Old || file.holds == Holds::New;
        assert!(
            !whole || file.old.is_some() || file.new.is_some(),
            "{case}: {file:?}"
        );
    }
}

/// A file whose name a copy was to have refuses the run, and stays.
#[test]
fn names_that_are_taken_are_not_ours() {
    for n in 0..4 {
        let fs = ModelFs::with(OLD);
        let folder = if n == 3 { "/port/notices" } else { "/port" };
        let path = format!("{folder}/{}", copy_name(n));
        fs.foreign(&path, "precious");
        let made = run(&fs, &plan());
        assert_eq!(fs.text(&path), "precious");
        let is_written = is(&texts(&fs), NEW);
        // A file that is written in place needs no copy beside it.
        assert_eq!(made.is_ok(), n == 1, "{n}: {made:?}");
        assert_eq!(is_written, n == 1);
        assert!(journal(&fs).marked().unwrap().is_empty(), "{n}");
    }
}

/// Another journal's run over the same files falls into the middle of one: each file holds the
/// bytes of one of them in the end, all files those of the same.
#[test]
fn two_journals_in_one_folder() {
    let whole = ModelFs::with(OLD);
    run(&whole, &plan()).unwrap();
    let other_new: Vec<(&str, String)> = OLD
        .iter()
        .map(|(path, text)| (*path, text.replace("quay", "berth")))
        .collect();
    let mut ends = [0, 0];
    for at in 1..=whole.operations() {
        for stop in [0, 5, 17] {
            let fs = ModelFs::with(OLD);
            let other = std::sync::Arc::new(std::sync::Mutex::new(None));
            let told = std::sync::Arc::clone(&other);
            fs.at(at, move |fs| {
                let journal = Journal::new(fs, "/other".into());
                let made = run_in(&journal, fs, &plan_to(OLD, "berth"));
                *told.lock().unwrap() = Some(made);
                if stop > 0 {
                    fs.stop_later(fs.operations() + stop);
                }
            });
            let made = run(&fs, &plan());
            fs.stop_at(0);
            let other = other.lock().unwrap().take().unwrap();
            let case = format!("{at}, {stop}: {made:?} {other:?}");
            for state in ["/state", "/other"] {
                let journal = Journal::new(&fs, state.into());
                for run in journal.marked().unwrap() {
                    let record = journal.load(run).unwrap();
                    recover(&fs, &journal, &record, None)
                        .unwrap_or_else(|e| panic!("{case}: {e:?}"));
                }
            }
            let found = texts(&fs);
            let others = (found.iter())
                .zip(&other_new)
                .all(|(found, wanted)| found.1 == wanted.1);
            assert!(
                is(&found, OLD) || is(&found, NEW) || others,
                "{case}: {found:?}"
            );
            assert!(made.is_err() || is(&found, NEW) || other.is_ok(), "{case}");
            assert!(other.is_err() || others, "{case}: {found:?}");
            assert!(
                fs.names().iter().all(|name| !name.contains(".bquill")),
                "{case}"
            );
            ends[usize::from(others)] += 1;
        }
    }
    println!("{ends:?} ended as one or the other journal has it");
    assert!(ends[0] > 30 && ends[1] > 30, "{ends:?}");
}

/// An interrupted run is in the way of what touches its folders, and of nothing else; what a
/// complete one has left over is in no one's way.
#[test]
fn an_interrupted_run_blocks_only_what_it_touches() {
    let whole = ModelFs::with(OLD);
    run(&whole, &plan()).unwrap();
    let mut seen = [0, 0, 0];
    for stop in 1..=whole.operations() {
        let fs = ModelFs::with(OLD);
        fs.foreign("/ship/e.txt", "quay 9");
        fs.make_known("/ship");
        fs.stop_at(stop);
        let _ = run(&fs, &plan());
        fs.reboot(Survives::Everything);
        let is_open = !journal(&fs).interrupted().unwrap().is_empty();
        let elsewhere = run(&fs, &plan_of(&[("/ship/e.txt", "quay 9")]));
        assert!(elsewhere.is_ok(), "{stop}: {elsewhere:?}");
        let current = texts(&fs);
        let current: Vec<(&str, &str)> = current.iter().map(|(p, t)| (*p, &**t)).collect();
        let here = run(&fs, &plan_to(&current[..1], "berth"));
        let blocked = here
            .as_ref()
            .is_err_and(|failed| failed.error.kind == FileErrorKind::Unfinished);
        assert_eq!(blocked, is_open, "{stop}: {here:?}");
        seen[usize::from(is_open)] += 1;
        seen[2] += u64::from(!journal(&fs).marked().unwrap().is_empty());
        // Once its folder is gone, there is only one way out.
        if is_open {
            fs.remove_tree("/port");
            let record = journal(&fs).interrupted().unwrap().pop().unwrap().unwrap();
            let decided = record.commit.is_some();
            assert_eq!(
                recover(&fs, &journal(&fs), &record, None).is_err(),
                decided,
                "{stop}"
            );
            if decided {
                abandon(&fs, &journal(&fs), &record).unwrap();
            }
            assert!(journal(&fs).marked().unwrap().is_empty(), "{stop}");
        }
    }
    assert!(seen.iter().all(|n| *n > 5), "{seen:?}");
}

/// A journal that is removed in mid-run cannot lead back any more; the run itself can.
#[test]
fn a_lost_log_does_not_lose_files() {
    let whole = ModelFs::with(OLD);
    run(&whole, &plan()).unwrap();
    let mut ends = [0, 0];
    for at in 1..=whole.operations() {
        for name in ["log", "changes"] {
            let fs = ModelFs::with(OLD);
            fs.at(at, move |fs| fs.delete(&format!("/state/runs/1/{name}")));
            let made = run(&fs, &plan());
            let found = texts(&fs);
            let wanted = if made.is_ok() { NEW } else { OLD };
            assert!(is(&found, wanted), "{name} {at}: {made:?} {found:?}");
            let names = fs.names();
            assert!(
                names.iter().all(|name| !name.contains(".bquill")),
                "{name} {at}: {names:?}"
            );
            // Who removes it after the last look cannot be reported.
            if let Ok(done) = made
                && at + 4 < whole.operations()
            {
                let journal = journal(&fs);
                let back = journal
                    .load(1)
                    .and_then(|run| undo_plan(&fs, &journal, &run, &|_| true));
                assert_eq!(done.can_undo, back.is_ok(), "{name} {at}: {back:?}");
            }
            ends[usize::from(wanted == NEW)] += 1;
        }
    }
    assert!(ends[0] > 20 && ends[1] > 20, "{ends:?}");
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
    assert_eq!(changed.len(), 4, "the files hold their old bytes again");
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
    assert_eq!(error.error.kind, FileErrorKind::Interrupted);
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
            let trouble = undone.unwrap_err().kind;
            assert!(
                matches!(trouble, FileErrorKind::Damaged | FileErrorKind::NotDone),
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
