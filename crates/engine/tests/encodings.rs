//! Every encoding: what is changed is changed in its place, and nothing else.

use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::step::Step;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::template::Template;
use brisk_quill_engine::collector::{Events, FileHunk};
use brisk_quill_engine::request::Work;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::session::Session;
use brisk_quill_engine::sources::Sources;
use brisk_quill_engine::summary::{Ended, FileEnd};
use brisk_quill_files::change::Change;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::encoding::TextEncoding;
use brisk_quill_files::plan::PlannedFile;
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::source::Source;
use brisk_quill_files::splice::splice_into;
use proptest::prelude::*;
use std::ops::ControlFlow;
use std::sync::Arc;

const LABELS: &[&str] = &[
    "utf-8",
    "ibm866",
    "iso-8859-2",
    "iso-8859-3",
    "iso-8859-4",
    "iso-8859-5",
    "iso-8859-6",
    "iso-8859-7",
    "iso-8859-8",
    "iso-8859-8-i",
    "iso-8859-10",
    "iso-8859-13",
    "iso-8859-14",
    "iso-8859-15",
    "iso-8859-16",
    "koi8-r",
    "koi8-u",
    "macintosh",
    "windows-874",
    "windows-1250",
    "windows-1251",
    "windows-1252",
    "windows-1253",
    "windows-1254",
    "windows-1255",
    "windows-1256",
    "windows-1257",
    "windows-1258",
    "x-mac-cyrillic",
    "gbk",
    "gb18030",
    "big5",
    "euc-jp",
    "shift_jis",
    "euc-kr",
    "utf-16be",
    "utf-16le",
    "x-user-defined",
];

#[derive(Default)]
struct Changes(Vec<Change>, Vec<Problem>);

impl Events for Changes {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        self.0.extend(hunk.edits.iter().map(Change::from));
    }
    fn problem(&mut self, problem: Problem) {
        self.1.push(problem);
    }
}

/// `raw` with every match of `pattern` replaced, in the encoding called `label`.
fn rewritten(label: &str, raw: &[u8], pattern: &str, with: &str) -> Vec<u8> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("text");
    std::fs::write(&path, raw).unwrap();
    let pattern = Pattern::new(pattern, &MatchOptions::default()).unwrap();
    let template = Template::parse(with, pattern.groups()).unwrap();
    let step = Step::new(Query::new(pattern), Action::Replace(template));
    let rewrite = Rewrite::new(vec![step]);
    let texts = TextOptions {
        binary: true,
        facts: FactsOf::All,
        encoding: Some(TextEncoding::of_label(label).unwrap()),
    };
    let source = Source::file(path);
    let sources = Sources::of(Listing {
        sources: vec![source.clone()],
        ..Listing::default()
    });
    let work = Work::new(&rewrite);
    let mut session = Session::new(texts, Threads::default(), Arc::default());
    let (mut changes, mut read) = (Changes::default(), None);
    let ended = session.run_in_turn(&work, &sources, &mut changes, |_, _, end| {
        if let FileEnd::Read(end) = end {
            read = Some((end.facts.clone(), end.counts.clone()));
        }
        ControlFlow::Continue(())
    });
    assert!(matches!(ended, Ok(Ended::Complete(_))));
    let (facts, counts) = read.expect("not skipped");
    assert_eq!(
        (counts.changes as usize, changes.1.len()),
        (changes.0.len(), 0),
        "{label}"
    );
    let file = PlannedFile::evaluated(source, facts, changes.0.into());
    let mut out = Vec::new();
    splice_into(raw, &file, &mut out).unwrap();
    out
}

/// `text` in an encoding, without what it cannot hold.
fn encoded(label: &str, text: &str) -> Vec<u8> {
    let encoding = encoding_rs::Encoding::for_label(label.as_bytes()).unwrap();
    let units = |units: std::str::EncodeUtf16<'_>, bytes: fn(u16) -> [u8; 2]| {
        units.flat_map(bytes).collect()
    };
    match encoding.name() {
        "UTF-16LE" => units(text.encode_utf16(), u16::to_le_bytes),
        "UTF-16BE" => units(text.encode_utf16(), u16::to_be_bytes),
        _ => {
            let one = |c: char| {
                let text = c.to_string();
                let (bytes, _, lost) = encoding.encode(&text);
                if lost { Vec::new() } else { bytes.into_owned() }
            };
            text.chars().flat_map(one).collect()
        }
    }
}

#[test]
fn a_change_stays_in_its_place() {
    let text = "é quay 港 ж 7\r\nquay ü ψ ש ع ก 항\nż~\\ quay";
    for label in LABELS {
        let raw = encoded(label, text);
        let wanted = encoded(label, &text.replace("quay", "Q"));
        assert_eq!(rewritten(label, &raw, "quay", "Q"), wanted, "{label}");
        // A character that the encoding holds can be matched, and written back.
        let twice = rewritten(label, &raw, "[^ -~\\r\\n]", "$0$0");
        let doubled: String = text
            .chars()
            .flat_map(|c| {
                let count = if c.is_ascii() { 1 } else { 2 };
                std::iter::repeat_n(c, count)
            })
            .collect();
        assert_eq!(twice, encoded(label, &doubled), "{label}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    /// Whatever bytes are in a line, they stay, and the line behind them is found.
    #[test]
    fn hostile_bytes_stay(
        // An even number, so that UTF-16 is not thrown out of step.
        noise in prop::collection::vec(any::<[u8; 2]>(), 0..20), label in prop::sample::select(LABELS),
    ) {
        let noise: Vec<u8> = noise.concat();
        prop_assume!(!noise.windows(2).any(|pair| pair == b"qu"));
        // A mark at the start would tell another encoding.
        let raw = [encoded(label, "x\n"), noise.clone(), encoded(label, "\nquay\n")].concat();
        let wanted = [encoded(label, "x\n"), noise, encoded(label, "\nQ\n")].concat();
        prop_assert_eq!(rewritten(label, &raw, "^quay$", "Q"), wanted);
    }
}

/// Every code of a character in an encoding with codes of several bytes.
fn codes(label: &str) -> Vec<Vec<u8>> {
    let encoding = encoding_rs::Encoding::for_label(label.as_bytes()).unwrap();
    let two = (0x81..=0xFE).flat_map(|a| (0x40..=0xFE).map(move |b| vec![a, b]));
    let three = (0xA1..=0xFE).flat_map(|a| (0xA1..=0xFE).map(move |b| vec![0x8F, a, b]));
    let is_one = |code: &Vec<u8>| {
        let text = encoding.decode_without_bom_handling_and_without_replacement(code);
        text.is_some_and(|text| text.chars().count() == 1 && !text.is_ascii())
    };
    two.chain(three).filter(is_one).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

    /// Text that is copied keeps its code, also where the encoding would write another, or none.
    #[test]
    fn what_is_copied_keeps_its_code(
        label in prop::sample::select(vec!["euc-jp", "shift_jis", "big5", "gbk", "euc-kr"]),
        picks in prop::collection::vec(any::<prop::sample::Index>(), 2..9), literal in any::<bool>(),
    ) {
        let all = codes(label);
        let chosen: Vec<&Vec<u8>> = picks.iter().map(|pick| pick.get(&all)).collect();
        let raw = chosen.iter().flat_map(|code| code.iter().copied()).collect::<Vec<u8>>();
        let (with, between) = if literal { ("$2, $1", ", ") } else { ("$2$1", "") };
        let wanted = chosen.chunks(2).map(|pair| match pair {
            [first, second] => [second, between.as_bytes(), first].concat(),
            rest => rest[0].clone(),
        });
        let wanted = wanted.collect::<Vec<_>>().concat();
        let now = rewritten(label, &raw, "(.)(.)", with);
        prop_assert_eq!(now.escape_ascii().to_string(), wanted.escape_ascii().to_string());
    }
}
