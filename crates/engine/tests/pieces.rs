//! Results do not depend on the pieces a file is read, kept and copied in.

use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::rewrite::part_start::{PartCut, PartStart};
use brisk_quill_core::rewrite::{Rewrite, Run, rewrite_text};
use brisk_quill_core::step::Step;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::template::Template;
use brisk_quill_core::unit::UnitKind;
use brisk_quill_engine::change_collector::ChangeCollector;
use brisk_quill_engine::collector::Collector;
use brisk_quill_engine::copy_out::Targets;
use brisk_quill_engine::host::Host;
use brisk_quill_engine::request::Work;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::schedule::in_parts::{Helpers, Joiner, Part, read_in_parts};
use brisk_quill_engine::session::Session;
use brisk_quill_engine::sources::Sources;
use brisk_quill_engine::summary::{Ended, FileEnd, FileRead};
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::error::FileErrorKind;
use brisk_quill_files::plan::PlannedFile;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::read::{Reader, TextOptions};
use brisk_quill_files::source::Source;
use brisk_quill_files::splice::splice_into;
use brisk_quill_files::spool::{Spool, SpoolWriter};
use proptest::prelude::*;
use std::io::{BufRead, Read, Write};
use std::num::NonZeroUsize;
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Lines of every length, with every kind of line end.
fn text() -> impl Strategy<Value = String> {
    let bits = ["quay ", "7", "é", "a berth", "\r", "\t", "no. 12 "];
    let line = (
        prop::collection::vec(prop::sample::select(bits.to_vec()), 0..9),
        // Now and then one that is longer than many pieces.
        prop_oneof![9 => Just(1), 1 => Just(40usize)],
    );
    let line = line.prop_map(|(bits, times)| bits.concat().repeat(times));
    let ending = prop::sample::select(vec!["\n", "\r\n", "\n\n"]);
    let lines = prop::collection::vec((line, ending), 0..12);
    (lines, any::<bool>()).prop_map(|(lines, ended)| {
        let lines = lines.into_iter().map(|(line, ending)| line + ending);
        let mut text: String = lines.collect();
        if !ended {
            text.push_str("the last quay");
        }
        text
    })
}

fn rewrite() -> impl Strategy<Value = Rewrite> {
    let pattern = prop::sample::select(vec![
        "quay", r"\d+", "a|é", r"\w+ ", "$", "^", r"quay.*", "x", r"\s",
    ]);
    let action = prop::sample::select(vec!["with", "remove", "drop", "below", "trail"]);
    let unit = prop::sample::select(vec![UnitKind::Line, UnitKind::Line, UnitKind::Text]);
    let step = (pattern, action, unit).prop_map(|(pattern, action, unit)| {
        let lines_only = matches!(action, "drop" | "below");
        let unit = if lines_only { UnitKind::Line } else { unit };
        let options = MatchOptions {
            multi_line: unit != UnitKind::Line,
            ..MatchOptions::default()
        };
        let mut query = Query::new(Pattern::new(pattern, &options).unwrap());
        let template = Template::parse("<$0>", query.pattern.groups()).unwrap();
        query.unit = unit;
        let action = match action {
            "with" => Action::Replace(template),
            "remove" => Action::Remove,
            "drop" => Action::DropLines,
            "below" => Action::Below(template),
            _ => Action::Trail(template),
        };
        Step::new(query, action)
    });
    prop::collection::vec(step, 1..3).prop_map(Rewrite::new)
}

/// The results of the one file there is, and its end.
fn found<'s, C: Collector>(
    session: &mut Session,
    rewrite: &Rewrite,
    sources: &'s Sources,
    make: impl Fn(&'s Source) -> C + Sync,
) -> (C, FileRead) {
    let work = Work::new(rewrite);
    let mut found = None;
    let ended = session.run(&work, sources, make, |taken| {
        let Some(FileEnd::Read(read)) = taken.end else {
            panic!("not read");
        };
        found = Some((taken.found, *read));
        ControlFlow::Continue(())
    });
    assert!(matches!(ended, Ok(Ended::Complete(_))));
    found.unwrap()
}

/// The rewritten file as a copy, and as its changes spliced in.
fn both_ways(
    rewrite: &Rewrite,
    path: &Path,
    (piece, threads): (usize, usize),
    in_memory: usize,
) -> [Vec<u8>; 2] {
    let target = path.with_file_name("new/copy");
    let source = Source::file(path.to_owned());
    let sources = Sources::of(Listing {
        sources: vec![source.clone()],
        ..Listing::default()
    });
    let options = TextOptions {
        facts: FactsOf::All,
        ..TextOptions::default()
    };
    let threads = Threads::new(NonZeroUsize::new(threads));
    let mut session = Session::new(options, threads, Arc::default()).in_pieces_of(piece);

    let all = sources.listing.sources.iter();
    let targets = Targets::new(&Host::new("/".into()), &target, all, false).unwrap();
    let (copy, other) = found(&mut session, rewrite, &sources, |source| {
        targets.copy(source)
    });
    assert_eq!(copy.problems, []);
    let staged = Vec::from_iter(copy.finish().unwrap());
    let written = targets.staging.put_new(staged).unwrap().written;

    let spool = Spool::new(in_memory);
    let make = |_: &Source| ChangeCollector::new(&spool);
    let (changes, read) = found(&mut session, rewrite, &sources, make);
    assert_eq!(changes.problems, []);
    let (facts, counts) = (read.facts, read.counts);
    assert_eq!((&facts, &counts), (&other.facts, &other.counts));
    let raw = std::fs::read(path).unwrap();
    assert_eq!(facts.hash, Some(blake3::hash(&raw)));
    assert_eq!(facts.bytes, raw.len() as u64);
    let changes = changes.finish().unwrap();
    assert_eq!(changes.len(), counts.changes);
    let file = PlannedFile::evaluated(source, facts, changes);
    let mut spliced = Vec::new();
    splice_into(&raw[..], &file, &mut spliced).unwrap();
    assert_eq!((written.changes, written.files), (counts.changes, 1));
    [std::fs::read(target).unwrap(), spliced]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 150, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_file_is_rewritten_the_same_in_any_pieces(
        text in text(), rewrite in rewrite(), marked in any::<bool>(),
        piece in 16..80usize, in_memory in prop::sample::select(vec![0, 100, usize::MAX]),
        threads in 1..4usize,
    ) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("log");
        let mark: &[u8] = if marked { b"\xEF\xBB\xBF" } else { b"" };
        std::fs::write(&path, [mark, text.as_bytes()].concat()).unwrap();
        let wanted = [mark, &rewrite_text(&rewrite, text.as_bytes()).text].concat();
        let [copied, spliced] = both_ways(&rewrite, &path, (piece, threads), in_memory);
        prop_assert_eq!(String::from_utf8_lossy(&copied), String::from_utf8_lossy(&wanted));
        prop_assert_eq!(spliced, wanted);
    }

    /// Every value reads back, in any order of writers and wherever it is kept.
    #[test]
    fn what_is_kept_reads_back(
        writes in prop::collection::vec((0..4usize, 0..200_000usize, any::<u8>()), 0..12),
        in_memory in prop::sample::select(vec![0, 150_000, usize::MAX]), at_once in 1..70_000usize,
    ) {
        let spool = Spool::new(in_memory);
        let mut writers: Vec<_> = (0..4).map(|_| SpoolWriter::new(&spool)).collect();
        let mut wanted = vec![Vec::new(); 4];
        for (writer, length, byte) in writes {
            let bytes = vec![byte; length];
            match byte % 2 {
                0 => writers[writer].write_all(&bytes).unwrap(),
                _ => {
                    let written = writers[writer].write_with(|out| out.extend_from_slice(&bytes));
                    prop_assert_eq!(written.unwrap(), length);
                }
            }
            wanted[writer].extend(bytes);
        }
        for (writer, wanted) in writers.iter_mut().zip(wanted) {
            let kept = writer.finish().unwrap();
            let mut reader = kept.reader();
            let mut read = vec![0; at_once.min(wanted.len())];
            reader.read_exact(&mut read).unwrap();
            while !reader.fill_buf().unwrap().is_empty() {
                let found = reader.fill_buf().unwrap().to_vec();
                reader.consume(found.len());
                read.extend(found);
            }
            prop_assert!(read == wanted);
        }
    }
}

/// Joins parts to what they were cut from.
#[derive(Default)]
struct Pieced {
    text: Vec<u8>,
    parts: usize,
    rests: usize,
}

impl Joiner<(PartStart, Vec<u8>)> for Pieced {
    fn join(&mut self, (start, text): (PartStart, Vec<u8>)) {
        assert_eq!(start, PartStart::of_text(0).behind(&self.text));
        self.text.extend_from_slice(&text);
        self.parts += 1;
    }
    fn tell(&self, _: &mut PartStart) -> bool {
        true
    }
    fn rest(&mut self, start: &PartStart, bytes: &[u8], _: bool) {
        if self.rests == 0 {
            assert_eq!(*start, PartStart::of_text(0).behind(&self.text));
        }
        self.text.extend_from_slice(bytes);
        self.rests += 1;
    }
}

/// Cuts behind each line.
fn by_lines() -> PartCut {
    let search = Rewrite::showing(Query::new(
        Pattern::new("quay", &MatchOptions::default()).unwrap(),
    ));
    let run = Run::new(&search, &RunOptions::default());
    run.part_cut("log").unwrap()
}

/// Parts come in order, whichever thread looked at them, and begin where they say.
#[test]
fn parts_are_joined_in_order() {
    let folder = tempfile::tempdir().unwrap();
    let source = Source::file(folder.path().join("log"));
    let lines = |n: usize| "berth 7\r\nquay\n\n".repeat(n);
    let long = "no end ".repeat(100);
    let texts = [
        (lines(40), 10, 0),
        (lines(40) + "and the last", 10, 0),
        (format!("{}{long}\n{}", lines(40), lines(40)), 10, 1),
        // Pieces that end within a line end, and hold no other.
        (format!("{:63}\r\n{:63}", "berth 7", "quay").repeat(8), 8, 0),
    ];
    for (text, parts, rests) in texts {
        std::fs::write(source.path(), &text).unwrap();
        for threads in [2, 5] {
            let many = || threads;
            let helpers = Helpers::new(&many);
            let mut reader = Reader::new(TextOptions::default()).in_pieces_of(64);
            let mut opened = reader.open(&source).unwrap().unwrap();
            assert!(opened.is_large());
            let called = helpers.call().unwrap();
            let busy = AtomicUsize::new(0);
            let work = |own: &mut usize, part: &Part| {
                *own += 1;
                // Those that are handed out later are done sooner.
                let turns = 5000 / (1 + busy.fetch_add(1, Ordering::Relaxed));
                std::hint::black_box((0..turns).fold(0, usize::wrapping_add));
                (part.start(), part.texts().concat())
            };
            let mut pieced = Pieced::default();
            let read = read_in_parts((&mut opened, by_lines()), &called, || 0, work, &mut pieced);
            read.unwrap();
            assert_eq!(String::from_utf8(pieced.text).unwrap(), text);
            assert!(pieced.parts >= parts, "{} parts", pieced.parts);
            assert_eq!(pieced.rests > 0, rests > 0);
        }
    }
}

#[test]
fn helpers_are_called_where_it_is_worth_while() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &[u8]| {
        let path = folder.path().join(name);
        std::fs::write(&path, text).unwrap();
        Source::file(path)
    };
    let small = write("small", &b"quay 7\n".repeat(20));
    let large = write("large", &b"quay 7\n".repeat(200));
    let wide = write(
        "wide",
        &[b"\xFF\xFE".to_vec(), b"q\0\n\0".repeat(400)].concat(),
    );
    let mut reader = Reader::new(TextOptions::default()).in_pieces_of(64);
    for (source, is_large) in [(&small, false), (&large, true), (&wide, false)] {
        let text = reader.open(source).unwrap().unwrap();
        assert_eq!(text.is_large(), is_large, "{source:?}");
    }
    let many = || 3;
    let helpers = Helpers::new(&many);
    let at_work = helpers.call();
    // They help with one text at a time.
    assert!(at_work.is_some() && helpers.call().is_none());
    drop(at_work);
    assert!(helpers.call().is_some());
    let one = || 1;
    assert!(Helpers::new(&one).call().is_none());
}

#[test]
fn a_helper_that_panics_is_not_silent() {
    let folder = tempfile::tempdir().unwrap();
    let source = Source::file(folder.path().join("log"));
    std::fs::write(source.path(), "quay 7\n".repeat(200)).unwrap();
    let done = std::panic::catch_unwind(|| {
        let many = || 2;
        let helpers = Helpers::new(&many);
        let mut reader = Reader::new(TextOptions::default()).in_pieces_of(64);
        let mut text = reader.open(&source).unwrap().unwrap();
        let called = helpers.call().unwrap();
        let work = |(): &mut (), part: &Part| match part.start().line {
            1..50 => (part.start(), part.texts().concat()),
            line => panic!("line {line} is one too many"),
        };
        read_in_parts(
            (&mut text, by_lines()),
            &called,
            || (),
            work,
            &mut Pieced::default(),
        )
    });
    assert!(done.is_err());
}

#[test]
fn reading_stops_when_it_is_told_to() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("log");
    std::fs::write(&path, "quay 7\n".repeat(1000)).unwrap();
    let watch = Arc::new(CancelToken::default());
    let mut reader = Reader::new(TextOptions::default())
        .in_pieces_of(100)
        .watched(Arc::clone(&watch));
    let source = Source::file(path);
    let mut pieces = 0;
    let mut text = reader.open(&source).unwrap().unwrap();
    let stopped = text.read(|_, _, _| {
        pieces += 1;
        if pieces == 3 {
            watch.stop();
        }
    });
    assert_eq!(stopped.unwrap_err().kind, FileErrorKind::Interrupted);
    assert_eq!((pieces, watch.bytes()), (3, 300));
    // Nothing else is begun either, by whatever reader it watches.
    let again = reader.another().open(&source).err();
    assert_eq!(
        again.map(|error| error.kind),
        Some(FileErrorKind::Interrupted)
    );
}
