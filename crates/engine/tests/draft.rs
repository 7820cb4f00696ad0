//! Drafts: rows, counts and differences, against what other ways to them give.

use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::step::Step;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::stop::Stop;
use brisk_quill_core::template::tables::NoTables;
use brisk_quill_engine::draft::evaluator::{Answer, Counted, Evaluator, RowList};
use brisk_quill_engine::draft::request::{Draft, DraftStep, RowsView, Wanted};
use brisk_quill_engine::draft::row::{Row, RowKind, RowPlace};
use brisk_quill_engine::host::Host;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::sources::Sources;
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::discover::Search;
use brisk_quill_files::read::TextOptions;
use proptest::prelude::*;
use std::num::NonZeroUsize;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

fn spec(pattern: &str, with: Option<&str>) -> StepSpec {
    StepSpec {
        pattern: Some(pattern.into()),
        with: with.map(str::to_owned),
        ..StepSpec::default()
    }
}

fn step(spec: &StepSpec) -> DraftStep {
    DraftStep::new(match spec.has_action() {
        true => spec.build(&mut NoTables).unwrap(),
        false => Step::new(spec.query().unwrap(), Action::Show),
    })
}

/// Files in a folder, and what evaluates drafts over them.
struct Files {
    _folder: tempfile::TempDir,
    sources: Sources,
    evaluator: Evaluator,
    next: u64,
}

impl Files {
    fn new(texts: &[String], threads: usize) -> Self {
        let folder = tempfile::tempdir().unwrap();
        for (number, text) in texts.iter().enumerate() {
            std::fs::write(folder.path().join(format!("{number:03}.md")), text).unwrap();
        }
        let sources = Sources::find(
            &Host::new(folder.path().to_owned()),
            vec![folder.path().to_owned()],
            Search::default(),
        )
        .unwrap();
        let threads = Threads::new(NonZeroUsize::new(threads));
        Self {
            _folder: folder,
            sources,
            evaluator: Evaluator::new(TextOptions::default(), threads),
            next: 0,
        }
    }

    /// All that is reported of a draft, under a new number or that of the one before.
    fn evaluate(
        &mut self,
        step: &DraftStep,
        wanted: Wanted,
        is_new: bool,
    ) -> (RowList, Arc<Counted>) {
        self.next += u64::from(is_new);
        let draft = Draft {
            id: self.next,
            step,
            before: None,
            sources: &self.sources,
            stdin: None,
            hints: false,
        };
        let mut rows = RowList::default();
        let told = self
            .evaluator
            .evaluate(&draft, wanted, &Arc::default(), &mut |answer| {
                if let Answer::Rows(list) = answer {
                    rows = list;
                }
            });
        (rows, told.unwrap().unwrap())
    }
}

fn wanted(view: RowsView, from: RowPlace, rows: usize) -> Wanted {
    Wanted { view, from, rows }
}

fn texts() -> impl Strategy<Value = Vec<String>> {
    let line = prop_oneof![
        Just("berth 1 and 2\n"),
        Just("quay\n"),
        Just("\n"),
        Just("berth\r\n"),
        Just("a 3 b 4 c 5\n")
    ];
    let text = prop::collection::vec(line, 0..40).prop_map(|lines| lines.concat());
    prop::collection::vec(text, 1..6)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// The rows from any place on are those of the whole list from there on, however they are
    /// asked for, and the index knows their numbers.
    #[test]
    fn a_part_of_a_list_is_a_part_of_it(
        texts in texts(), at in 0..60usize, many in 1..30usize, threads in 1..4usize,
        with in prop::option::of(Just("<$0>")), unit in prop::option::of(Just("text".to_owned())),
    ) {
        let mut files = Files::new(&texts, threads);
        let spec = StepSpec { unit, ..spec(r"\d", with) };
        let step = step(&spec);
        for view in [RowsView::Changes, RowsView::Matches, RowsView::Units] {
            let all = files.evaluate(&step, wanted(view, RowPlace::default(), 10_000), true);
            let (whole, counted) = all;
            prop_assert!(whole.is_end);
            let from = whole.rows.get(at).map_or(RowPlace { file: 3, at: 5 }, |row| row.place);
            let part: Vec<Row> = whole.rows.iter().filter(|row| row.place >= from).take(many).cloned().collect();
            for is_new in [true, false] {
                let (found, again) = files.evaluate(&step, wanted(view, from, many), is_new);
                prop_assert_eq!(&found.rows, &part);
                prop_assert_eq!(again.counts, counted.counts);
                if let (Some(first), Some(row)) = (found.first, found.rows.first()) {
                    prop_assert_eq!(whole.rows.iter().position(|other| other.place == row.place), Some(first as usize));
                }
            }
            let is_counted = view == RowsView::Changes || view == RowsView::Matches && with.is_none();
            if is_counted {
                prop_assert_eq!(counted.index.len(), whole.rows.len() as u64);
                let places = whole.rows.iter().filter(|row| row.kind != RowKind::NoMatch);
                prop_assert!(places.zip(0..).all(|(row, number)| counted.index.before(number).1 <= row.place));
            }
        }
    }

    /// The differences of two drafts are counted as a set of places would count them, and the rows that
    /// differ are those with such places.
    #[test]
    fn differences_are_those_of_the_places(texts in texts(), last in "[123b]", this in "[123b]") {
        let mut files = Files::new(&texts, 2);
        let (last, this) = (step(&spec(&last, Some("x"))), step(&spec(&this, Some("x"))));
        let start = wanted(RowsView::Changes, RowPlace::default(), 0);
        let (_, of_last) = files.evaluate(&last, start, true);
        let (_, of_this) = files.evaluate(&this, start, true);
        let same = of_last.counts == of_this.counts && of_last.places.compared_with(&of_this.places).unwrap().same == of_this.counts.changes;
        let compared = of_last.places.compared_with(&of_this.places).unwrap();
        prop_assert_eq!(compared.same + compared.only_this + compared.different, of_this.counts.changes);
        prop_assert_eq!(compared.same + compared.only_last + compared.different, of_last.counts.changes);
        let draft = Draft { id: files.next, step: &this, before: None, sources: &files.sources, stdin: None, hints: false };
        let both = (&*of_this.places, &*of_last.places);
        let rows = files.evaluator.differences(&draft, both, &last, &Arc::default()).unwrap().unwrap();
        prop_assert_eq!(rows.rows.is_empty(), same);
        let mut places: Vec<RowPlace> = rows.rows.iter().map(|row| row.place).collect();
        let found = places.len();
        places.sort();
        places.dedup();
        prop_assert_eq!(places.len(), found);
    }
}

/// A later step sees the text that the earlier ones leave, in every list and in detail.
#[test]
fn later_steps_see_what_earlier_ones_leave() {
    let mut files = Files::new(&["berth 1\nquay 2\n".to_owned()], 1);
    let earlier = Rewrite::new(vec![
        spec("quay", Some("berth")).build(&mut NoTables).unwrap(),
    ]);
    let step = step(&spec(r"berth (?<n>\d)", Some("B-${n | pad 2}")));
    let draft = Draft {
        id: 1,
        step: &step,
        before: Some((1, &earlier)),
        sources: &files.sources,
        stdin: None,
        hints: false,
    };
    let token = Arc::default();
    let mut rows = Vec::new();
    let view = wanted(RowsView::Changes, RowPlace::default(), 10);
    let counted = files
        .evaluator
        .evaluate(&draft, view, &token, &mut |answer| {
            if let Answer::Rows(list) = answer {
                rows = list.rows;
            }
        });
    assert_eq!(counted.unwrap().unwrap().counts.changes, 2);
    assert_eq!(rows[1].was.text, b"berth 2\n");
    let detail = files
        .evaluator
        .detail(&draft, rows[1].place, (2, 2), &token);
    let detail = detail.unwrap().unwrap();
    assert_eq!(detail[0].groups[0].text.as_deref(), Some(&b"2"[..]));
    assert_eq!(
        detail[0].written,
        [("${1 | pad 2}".to_owned(), Ok(b"02".to_vec()))]
    );
}

/// A stopped draft says nothing of what it has not seen to its end, and a search ends within a
/// unit.
#[test]
fn a_stop_ends_all() {
    let mut files = Files::new(&["berth 1\n".repeat(10)], 1);
    let token = Arc::new(CancelToken::default());
    token.stop();
    let step = step(&spec("berth", None));
    let draft = Draft {
        id: 1,
        step: &step,
        before: None,
        sources: &files.sources,
        stdin: None,
        hints: true,
    };
    let view = wanted(RowsView::Changes, RowPlace::default(), 10);
    let told = files
        .evaluator
        .evaluate(&draft, view, &token, &mut |answer| {
            assert!(!matches!(answer, Answer::Counted(_)));
        });
    assert!(told.unwrap().is_none());
    for pattern in [r"(a+)+\1b", "a"] {
        let query = spec(pattern, None).query().unwrap();
        let stop = Stop::by(Arc::new(AtomicBool::new(true)));
        let mut finder = query.stopped_by(&stop).pattern.finder();
        let unit = "a".repeat(100_000);
        let found = finder.collect(unit.as_bytes(), false, &mut Default::default());
        assert!(found.is_err(), "{pattern}");
    }
}

/// A file that changes is read anew, whatever was kept of it.
#[test]
fn files_are_read_as_they_are() {
    let mut files = Files::new(&["berth 1\n".to_owned(), "berth 2\n".to_owned()], 2);
    let step = step(&spec(r"berth \d", None));
    let view = wanted(RowsView::Changes, RowPlace::default(), 10);
    assert_eq!(files.evaluate(&step, view, true).1.counts.matches, 2);
    let path: &Path = files.sources.listing.sources[0].path();
    std::fs::write(path, "quay\nberth 1\nberth 3\n").unwrap();
    let (rows, counted) = files.evaluate(&step, view, true);
    assert_eq!((counted.counts.matches, rows.rows[0].line), (3, 2));
    std::fs::remove_file(files.sources.listing.sources[0].path()).unwrap();
    assert_eq!(files.evaluate(&step, view, true).1.files.unreadable, 1);
}
