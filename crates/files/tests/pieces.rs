//! What is read, kept and copied does not depend on the pieces it comes in.

use brisk_quill_core::pattern::{MatchOptions, Pattern};
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::query::scanner::Note;
use brisk_quill_core::rewrite::{PartStart, Rewrite, Run, RunOptions, Unmet, rewrite_text};
use brisk_quill_core::step::{Action, Step};
use brisk_quill_core::template::Template;
use brisk_quill_core::unit::UnitKind;
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::changes::Spooler;
use brisk_quill_files::discover::Source;
use brisk_quill_files::error::FileErrorKind;
use brisk_quill_files::evaluate::{Evaluated, FileHunk, FileSink, evaluate};
use brisk_quill_files::evaluate::in_parts::{PartSink, Sharing, evaluate_in_parts};
use brisk_quill_files::parts::{Helpers, Joiner, Part, read_in_parts};
use brisk_quill_files::plan::PlannedFile;
use brisk_quill_files::read::{FactsOf, Reader, TextOptions};
use brisk_quill_files::splice::splice_into;
use brisk_quill_files::spool::{Spool, SpoolWriter};
use brisk_quill_files::staging::{Copying, Destination, Staging};
use brisk_quill_files::temporary::Temporaries;
use proptest::prelude::*;
use std::io::{BufRead, Read, Write};
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

/// Copies a file.
struct Copier<'s>(Copying<'s>);

impl FileSink for Copier<'_> {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        hunk.edits.iter().for_each(|edit| self.0.change(edit));
    }
    fn problem(&mut self, problem: Problem) {
        panic!("{problem:?}");
    }
    fn unmet(&mut self, _: Unmet) {}
    fn note(&mut self, _: usize, _: Note) {}
    fn wants_bytes(&self) -> bool {
        true
    }
    fn bytes(&mut self, raw: &[u8]) {
        self.0.bytes(raw);
    }
}

/// Keeps the changes of a file, or of a part of one.
struct Changes(Spooler);

impl FileSink for Changes {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        for edit in &hunk.edits {
            self.0.push_edit(edit).unwrap();
        }
    }
    fn problem(&mut self, problem: Problem) {
        panic!("{problem:?}");
    }
    fn unmet(&mut self, _: Unmet) {}
    fn note(&mut self, _: usize, _: Note) {}
}

impl PartSink for Changes {
    fn join(&mut self, part: Self) {
        self.0.join(part.0).unwrap();
    }
}

/// The rewritten file as a copy, and as its changes spliced in.
fn both_ways(
    rewrite: &Rewrite,
    path: &Path,
    (piece, threads): (usize, usize),
    in_memory: usize,
) -> [Vec<u8>; 2] {
    let staging = Staging::new(Temporaries::new(None));
    let target = path.with_file_name("new/copy");
    let source = Source::File(path.to_owned());
    let options = TextOptions {
        facts: FactsOf::All,
        ..TextOptions::default()
    };
    let mut reader = Reader::new(options).in_pieces_of(piece);
    let options = RunOptions::default();
    let new_run = || Run::new(rewrite, &options);

    let mut copier = Copier(Copying::new(
        &staging,
        path,
        Destination::New(target.clone()),
    ));
    let opened = reader.open(&source).unwrap();
    let copied = evaluate(&mut new_run(), opened, &mut copier).unwrap();
    let staged = copier.0.end().unwrap();
    let written = staging.put_new(Vec::from_iter(staged)).unwrap().written;

    let spool = Spool::new(in_memory);
    let new_sink = || Changes(Spooler::sharing(&spool));
    let mut sink = new_sink();
    let threads = || threads;
    let sharing = Sharing {
        helpers: &Helpers::new(&threads),
        run: &new_run,
        sink: &new_sink,
    };
    let opened = reader.open(&source).unwrap();
    let evaluated = evaluate_in_parts(&mut new_run(), opened, &mut sink, &sharing).unwrap();
    let [(facts, counts), (other_facts, other_counts)] =
        [evaluated, copied].map(|done| match done {
            Evaluated::Read { facts, counts, .. } => (facts, counts),
            Evaluated::Skipped(why) => panic!("{why:?}"),
        });
    assert_eq!((&facts, &counts), (&other_facts, &other_counts));
    let raw = std::fs::read(path).unwrap();
    assert_eq!(facts.hash, Some(blake3::hash(&raw)));
    assert_eq!(facts.bytes, raw.len() as u64);
    let changes = sink.0.end_file().unwrap();
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

    /// Whoever writes what, and wherever it is kept, it reads back.
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
    fn rest(&mut self, start: PartStart, bytes: &[u8], _: bool) {
        if self.rests == 0 {
            assert_eq!(start, PartStart::of_text(0).behind(&self.text));
        }
        self.text.extend_from_slice(bytes);
        self.rests += 1;
    }
}

/// Parts come in order, whoever looked at them, and begin where they say.
#[test]
fn parts_are_joined_in_order() {
    let folder = tempfile::tempdir().unwrap();
    let source = Source::File(folder.path().join("log"));
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
            let called = helpers.call(&opened).unwrap();
            let busy = AtomicUsize::new(0);
            let work = |own: &mut usize, part: &Part| {
                *own += 1;
                // Those that are handed out later are done sooner.
                let turns = 5000 / (1 + busy.fetch_add(1, Ordering::Relaxed));
                std::hint::black_box((0..turns).fold(0, usize::wrapping_add));
                (part.start(), part.texts().concat())
            };
            let mut pieced = Pieced::default();
            let read = read_in_parts(&mut opened, &called, || 0, work, &mut pieced);
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
        Source::File(path)
    };
    let small = write("small", &b"quay 7\n".repeat(20));
    let large = write("large", &b"quay 7\n".repeat(200));
    let wide = write(
        "wide",
        &[b"\xFF\xFE".to_vec(), b"q\0\n\0".repeat(400)].concat(),
    );
    let mut reader = Reader::new(TextOptions::default()).in_pieces_of(64);
    let mut other = reader.another().in_pieces_of(64);
    let many = || 3;
    let helpers = Helpers::new(&many);
    for (source, called) in [
        (&small, false),
        (&large, true),
        (&wide, false),
        (&large, true),
    ] {
        let text = reader.open(source).unwrap().unwrap();
        assert_eq!(helpers.call(&text).is_some(), called, "{source:?}");
    }
    let text = reader.open(&large).unwrap().unwrap();
    let at_work = helpers.call(&text);
    // They help with one text at a time.
    let second = other.open(&large).unwrap().unwrap();
    assert!(helpers.call(&second).is_none());
    drop(at_work);
    assert!(helpers.call(&second).is_some());
    let one = || 1;
    assert!(Helpers::new(&one).call(&second).is_none());
}

#[test]
fn a_helper_that_panics_is_not_silent() {
    let folder = tempfile::tempdir().unwrap();
    let source = Source::File(folder.path().join("log"));
    std::fs::write(source.path(), "quay 7\n".repeat(200)).unwrap();
    let done = std::panic::catch_unwind(|| {
        let many = || 2;
        let helpers = Helpers::new(&many);
        let mut reader = Reader::new(TextOptions::default()).in_pieces_of(64);
        let mut text = reader.open(&source).unwrap().unwrap();
        let called = helpers.call(&text).unwrap();
        let work = |(): &mut (), part: &Part| match part.start().line {
            1..50 => (part.start(), part.texts().concat()),
            line => panic!("line {line} is one too many"),
        };
        read_in_parts(&mut text, &called, || (), work, &mut Pieced::default())
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
    let source = Source::File(path);
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
