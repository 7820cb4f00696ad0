//! A tree of many files: looked through, previewed, and rewritten to another folder.
//!
//! The floors walk with the same library, read the same files on as many threads, and run the
//! same search over each file as a whole. The one for `apply` then writes the same bytes and
//! syncs as many files at a time.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, floor, peak_of, remove, rounds, time_afresh, time_of};
use ignore::{WalkBuilder, WalkState};
use regex_automata::meta::Regex;
use regex_automata::util::syntax;
use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};

const FILES: usize = 15_000;
const SMALL_FILES: usize = 17_000;
const SYNC_THREADS: usize = 8;

const LITERAL: &str = r"berth (\d+)";
const CLASSES: &str = r"[A-Z]\w{3} [A-Z]\w{4}";
const DEFINITION: &str = r"fn (\w+)";
const RARE: &str = "harbourmaster";

/// Looking through it.
pub fn look(table: &mut Table, count: usize) {
    let tree = corpus::tree(FILES);
    let cases = [
        ("a pattern with a literal", LITERAL, "-", 1.15),
        ("a pattern of classes", CLASSES, "-", 1.25),
        ("any letter case", LITERAL, "i", 1.25),
    ];
    for (name, pattern, flag, goal) in cases {
        let work = format!("`find --count` over the tree: {name}");
        find(table, count, &work, (&tree, pattern, flag), goal);
    }
    let work = "`preview --show 0` over the tree";
    preview(table, count, work, (&tree, LITERAL, "-"), 1.35);
    let tenth = corpus::tree(FILES / 10);
    let growth = rounds(
        count,
        || time_of(&mut shown_nothing(LITERAL, &tenth)),
        || time_of(&mut shown_nothing(LITERAL, &tree)),
    );
    let work = "the same, ten times the files";
    table.add(work, &Ratio::of(&growth), 10.5, None);
}

/// Looking through many files most of which are small.
pub fn look_at_small(table: &mut Table, count: usize) {
    let tree = corpus::sources(SMALL_FILES);
    let cases = [
        ("few matches", LITERAL, (1.25, 1.6)),
        // Each matching line is searched alone, and each change is kept in the plan.
        ("one line in sixteen matches", DEFINITION, (2.0, 3.5)),
    ];
    for (name, pattern, (find_goal, preview_goal)) in cases {
        let work = format!("`find --count` over small files: {name}");
        find(table, count, &work, (&tree, pattern, "-"), find_goal);
        let work = format!("`preview --show 0` over small files: {name}");
        preview(
            table,
            count,
            &work,
            (&tree, pattern, "captures"),
            preview_goal,
        );
    }
}

/// Adds `find --count` with a pattern in a tree, against the floor with its flag.
fn find(
    table: &mut Table,
    count: usize,
    work: &str,
    (tree, pattern, flag): (&Path, &str, &str),
    goal: f64,
) {
    let ours = || {
        let mut command = bquill();
        command.args(["find", pattern, "--count"]).arg(tree);
        if flag == "i" {
            command.arg("--ignore-case");
        }
        command
    };
    against_floor(table, count, work, (tree, pattern, flag), (&ours, goal));
}

/// Adds a preview that shows none of its changes, against the floor with its flag.
fn preview(
    table: &mut Table,
    count: usize,
    work: &str,
    (tree, pattern, flag): (&Path, &str, &str),
    goal: f64,
) {
    let ours = || shown_nothing(pattern, tree);
    against_floor(table, count, work, (tree, pattern, flag), (&ours, goal));
}

/// Adds the command that `ours` makes, against the floor of looking.
fn against_floor(
    table: &mut Table,
    count: usize,
    work: &str,
    (tree, pattern, flag): (&Path, &str, &str),
    (ours, goal): (&dyn Fn() -> Command, f64),
) {
    let bare = || time_of(floor("find").args([pattern, flag]).arg(tree));
    let pairs = rounds(count, bare, || time_of(&mut ours()));
    table.add(work, &Ratio::of(&pairs), goal, Some(peak_of(&mut ours())));
}

fn shown_nothing(pattern: &str, tree: &Path) -> Command {
    let mut command = bquill();
    command.args(["preview", pattern, "--with", "B-$1", "--show", "0"]);
    command.arg(tree);
    command
}

/// Rewriting it to another folder.
pub fn apply(table: &mut Table, count: usize) {
    let tree = corpus::tree(FILES);
    let out = corpus::folder().join("out");
    let ours = || {
        let mut command = bquill();
        command.args(["apply", RARE, "--with", "harbour master", "--yes"]);
        command.arg(&tree).arg("--to").arg(&out);
        command
    };
    let timed = |command: &mut Command| time_afresh(command, &out);
    let pairs = rounds(
        count,
        || timed(floor("apply-tree").arg(RARE).arg(&tree).arg(&out)),
        || timed(&mut ours()),
    );
    remove(&out);
    let peak = peak_of(&mut ours());
    remove(&out);
    let work = "`apply --to` over the tree, 1 file in 10 changed";
    table.add(work, &Ratio::of(&pairs), 1.3, Some(peak));
}

fn threads() -> usize {
    std::thread::available_parallelism().map_or(1, usize::from)
}

/// All files below `root`, in order.
pub fn files(root: &Path) -> Vec<PathBuf> {
    let found = Mutex::new(Vec::new());
    let mut walk = WalkBuilder::new(root);
    walk.require_git(false).git_global(false);
    walk.threads(threads()).build_parallel().run(|| {
        Box::new(|entry| {
            let entry = entry.expect("a readable folder");
            if entry.file_type().is_some_and(|kind| kind.is_file()) {
                found.lock().expect("no panic").push(entry.into_path());
            }
            WalkState::Continue
        })
    });
    let mut files = found.into_inner().expect("no panic");
    files.sort_by(|a, b| a.as_os_str().cmp(b.as_os_str()));
    files
}

/// Does `work` with each text on as many threads as there are processors.
pub fn each(files: &[PathBuf], work: impl Fn(&Path, &[u8]) + Sync) {
    let next = AtomicUsize::new(0);
    let turns = || {
        let mut text = Vec::new();
        while let Some(path) = files.get(next.fetch_add(1, Ordering::Relaxed)) {
            text.clear();
            let mut file = File::open(path).expect("a readable file");
            file.read_to_end(&mut text).expect("a readable file");
            if memchr::memchr(0, &text[..text.len().min(8 << 10)]).is_none() {
                work(path, &text);
            }
        }
    };
    std::thread::scope(|scope| {
        (0..threads()).for_each(|_| {
            scope.spawn(turns);
        });
    });
}

fn regex(pattern: &str, ignore_case: bool) -> Regex {
    Regex::builder()
        .syntax(syntax::Config::new().case_insensitive(ignore_case))
        .build(pattern)
        .expect("a pattern")
}

/// The floor of looking: the matches are counted, with `captures` one by one with their groups.
pub fn bare_find(pattern: &str, flag: &str, root: &Path) {
    let regex = regex(pattern, flag == "i");
    let found = AtomicU64::new(0);
    each(&files(root), |_, text| {
        let matches = match flag {
            "captures" => regex
                .captures_iter(text)
                .filter(|groups| groups.get_group(1).is_some())
                .count(),
            _ => regex.find_iter(text).count(),
        };
        found.fetch_add(matches as u64, Ordering::Relaxed);
    });
    println!("{}", found.into_inner());
}

/// The floor of rewriting to another folder.
pub fn bare_apply(pattern: &str, root: &Path, out: &Path) {
    let regex = regex(pattern, false);
    let files = files(root);
    let place = |path: &Path| out.join(path.strip_prefix("/").unwrap_or(path));
    each(&files, |path, text| {
        let target = place(path);
        fs::create_dir_all(target.parent().expect("a folder")).expect("a writable folder");
        let mut new = Vec::with_capacity(text.len());
        let mut at = 0;
        for found in regex.find_iter(text) {
            new.extend_from_slice(&text[at..found.start()]);
            new.extend_from_slice(b"harbour master");
            at = found.end();
        }
        new.extend_from_slice(&text[at..]);
        let copy = target.with_extension("new");
        let mut file = File::create_new(copy).expect("a new file");
        file.write_all(&new).expect("space");
    });
    let targets: Vec<PathBuf> = files.iter().map(|path| place(path)).collect();
    let next = AtomicUsize::new(0);
    let sync = || {
        while let Some(target) = targets.get(next.fetch_add(1, Ordering::Relaxed)) {
            let copy = File::open(target.with_extension("new")).expect("a file");
            copy.sync_all().expect("a sync");
        }
    };
    std::thread::scope(|scope| {
        (0..SYNC_THREADS).for_each(|_| {
            scope.spawn(sync);
        });
    });
    for target in &targets {
        fs::rename(target.with_extension("new"), target).expect("a rename");
    }
    let folders: BTreeSet<&Path> = targets
        .iter()
        .filter_map(|target| target.parent())
        .collect();
    for folder in folders {
        let synced = File::open(folder).and_then(|folder| folder.sync_all());
        synced.expect("a sync");
    }
}
