//! Many small files, written with the journal and without.
//!
//! The floor is a bare program on the same libraries: it reads, searches, stages beside the
//! target, syncs on as many threads, renames, and syncs each folder once, with no journal and no
//! check.

use crate::corpus;
use crate::measure::{Ratio, Table, rounds, timed};
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::step::Step;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::template::Template;
use brisk_quill_engine::change_collector::ChangeCollector;
use brisk_quill_engine::request::Work;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::session::Session;
use brisk_quill_engine::sources::Sources;
use brisk_quill_engine::summary::FileEnd;
use brisk_quill_files::changes::Spooler;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::plan::{Plan, PlannedFile};
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::run::make_run;
use brisk_quill_files::run::request::RunRequest;
use brisk_quill_files::source::Source;
use std::fs::{self, File};
use std::io::Write;
use std::num::NonZeroUsize;
use std::ops::ControlFlow;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

const FILES: usize = 2000;
const THREADS: usize = 8;

/// Measures it.
pub fn run(table: &mut Table, count: usize) {
    let folder = tempfile::tempdir_in(corpus::folder()).expect("a writable folder");
    let paths = gauges(folder.path());
    // One goes there and the other back, so that both find as much to do.
    let pairs = rounds(
        count,
        || timed(|| bare(&paths, "level", "LEVEL")),
        || timed(|| journalled(folder.path(), &paths, "LEVEL", "level")),
    );
    let work = format!("rewriting {FILES} small files under the journal");
    table.add(work, &Ratio::of(&pairs), 1.2, None);
}

/// Gauge logs of the Port of Larkmoor.
fn gauges(folder: &Path) -> Vec<PathBuf> {
    let file = |n: usize| {
        let path = folder.join(format!("gauge-{n:04}.log"));
        let line = |i: usize| {
            format!(
                "2026-06-01 {:02}:{:02} gauge L{} {} 2.{:02} m\n",
                i % 24,
                i % 60,
                n % 4,
                if i.is_multiple_of(9) { "level" } else { "mark" },
                i * n % 100
            )
        };
        let text: String = (0..80).map(line).collect();
        fs::write(&path, text).expect("a writable folder");
        path
    };
    (0..FILES).map(file).collect()
}

/// The floor.
fn bare(paths: &[PathBuf], from: &str, to: &str) {
    let finder = memchr::memmem::Finder::new(from);
    let copies: Vec<PathBuf> = paths
        .iter()
        .map(|path| path.with_extension("new"))
        .collect();
    for (path, copy) in paths.iter().zip(&copies) {
        let text = fs::read(path).expect("a readable file");
        let mut out = Vec::with_capacity(text.len());
        let mut at = 0;
        for found in finder.find_iter(&text) {
            out.extend_from_slice(&text[at..found]);
            out.extend_from_slice(to.as_bytes());
            at = found + from.len();
        }
        out.extend_from_slice(&text[at..]);
        let mut file = File::create_new(copy).expect("a new file");
        file.write_all(&out).expect("space");
    }
    let next = AtomicUsize::new(0);
    std::thread::scope(|scope| {
        for _ in 0..THREADS {
            scope.spawn(|| {
                while let Some(copy) = copies.get(next.fetch_add(1, Ordering::Relaxed)) {
                    File::open(copy)
                        .and_then(|file| file.sync_all())
                        .expect("a sync");
                }
            });
        }
    });
    for (path, copy) in paths.iter().zip(&copies) {
        fs::rename(copy, path).expect("a rename");
    }
    let folder = paths[0].parent().expect("a folder");
    File::open(folder)
        .and_then(|folder| folder.sync_all())
        .expect("a sync");
}

/// The same by our own means: evaluated, hashed, and written under the journal.
fn journalled(folder: &Path, paths: &[PathBuf], from: &str, to: &str) {
    let pattern = Pattern::new(from, &MatchOptions::default()).expect("a pattern");
    let template = Template::parse(to, pattern.groups()).expect("a template");
    let rewrite = Rewrite::new(vec![Step::new(
        Query::new(pattern),
        Action::Replace(template),
    )]);
    let texts = TextOptions {
        facts: FactsOf::All,
        ..TextOptions::default()
    };
    let sources = Sources::of(Listing {
        sources: paths.iter().cloned().map(Source::file).collect(),
        ..Listing::default()
    });
    let work = Work::new(&rewrite);
    let spool = Spooler::spool();
    let mut plan = Plan::default();
    // On one thread, as the floor.
    let threads = Threads::new(NonZeroUsize::new(1));
    let ended = Session::new(texts, threads, Arc::default()).run(
        &work,
        &sources,
        |_| ChangeCollector::new(&spool),
        |taken| {
            let changes = taken.found.finish().expect("kept changes");
            let Some(FileEnd::Read(read)) = taken.end else {
                panic!("not read");
            };
            let file = PlannedFile::evaluated(taken.source.clone(), read.facts, changes);
            plan.files.push(file);
            ControlFlow::Continue(())
        },
    );
    ended.expect("no standard input");
    let journal = Journal::new(&RealFs, folder.join("state"));
    let mut lock = journal.lock().expect("a journal");
    let request = RunRequest {
        plan: &plan,
        rewrite: serde_json::Value::Null,
        undoes: None,
        at: 0,
        folder,
        interrupted: &AtomicBool::new(false),
    };
    make_run(&RealFs, &journal, &mut lock, &request).expect("a run");
}
