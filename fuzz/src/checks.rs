//! Laws that must hold for every input, however it is made.

#[path = "../../crates/files/tests/model/mod.rs"]
#[allow(dead_code, reason = "each check uses its own part")]
mod model;

use brisk_quill_core::address::Spec;
use brisk_quill_core::plan::TakenIn;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::findings::Findings;
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::rewrite::hunk::Hunk;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::rewrite::sink::Sink;
use brisk_quill_core::rewrite::{Rewrite, Run, rewrite_text};
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::tables::NoTables;
use brisk_quill_files::change::Change;
use brisk_quill_files::error::FileError;
use brisk_quill_files::fs::Confinement;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::plan::{Plan, PlannedFile};
use brisk_quill_files::plan_file::PlanDoc;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::recover::abandon::abandon;
use brisk_quill_files::recover::recover;
use brisk_quill_files::recover::standing::Direction;
use brisk_quill_files::run::make_run;
use brisk_quill_files::run::request::{RunDone, RunRequest};
use brisk_quill_files::source::Source;
use brisk_quill_files::splice::splice_into;
use brisk_quill_files::undo::undo_plan;
use model::{ModelFs, Survives, copy_name};
use serde_json::{Value, json};
use std::cell::RefCell;
use std::collections::HashMap;
use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicBool;

/// Bytes taken from the front of an input, 0 once it has ended.
struct Input<'d>(&'d [u8]);

impl<'d> Input<'d> {
    fn byte(&mut self) -> u8 {
        let Some((first, rest)) = self.0.split_first() else {
            return 0;
        };
        self.0 = rest;
        *first
    }

    fn below(&mut self, n: usize) -> usize {
        let (high, low) = (usize::from(self.byte()), usize::from(self.byte()));
        (high * 256 + low) % n.max(1)
    }

    /// The bytes before the next NUL.
    fn part(&mut self) -> &'d [u8] {
        let end = self.0.iter().position(|b| *b == 0).unwrap_or(self.0.len());
        let (part, rest) = self.0.split_at(end);
        self.0 = rest.get(1..).unwrap_or_default();
        part
    }

    fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

const FILE: &str = "/port/a.csv";

/// A pattern, a template and a text: what is previewed is what a text in memory becomes, in
/// whatever pieces it comes; it is what a run writes, and undoing that gives the text back.
pub fn rewrites(data: &[u8]) {
    let mut input = Input(data);
    let (flags, more, size) = (input.byte(), input.byte(), usize::from(input.byte()) + 1);
    let (pattern, template, text) = (input.part(), input.part(), input.0);
    let (Ok(pattern), Ok(template)) = (std::str::from_utf8(pattern), std::str::from_utf8(template))
    else {
        return;
    };
    // Long patterns take long to compile, and say no more.
    if pattern.len() > 48 || template.len() > 64 || text.len() > 4096 {
        return;
    }
    let has = |bits: u8, bit: u8| bits & (1 << bit) != 0;
    let step = StepSpec {
        pattern: Some(pattern.into()),
        ignore_case: has(flags, 0),
        whole_word: has(flags, 1),
        literal: has(flags, 2),
        entire: has(flags, 3),
        with: (flags >> 4 == 0 || flags >> 4 > 6).then(|| template.into()),
        remove: flags >> 4 == 1,
        drop_lines: flags >> 4 == 2,
        keep_lines: flags >> 4 == 3,
        above: (flags >> 4 == 4).then(|| template.into()),
        below: (flags >> 4 == 5).then(|| template.into()),
        lead: (flags >> 4 == 6).then(|| template.into()),
        unit: match more & 3 {
            0 => None,
            1 => Some("paragraph".into()),
            2 => Some("text".into()),
            _ => Some("cell".into()),
        },
        columns: (more & 3 == 3).then(|| "1..".into()),
        format: (more & 3 == 3).then(|| if has(more, 2) { "jsonl" } else { "csv" }.into()),
        ragged: has(more, 3),
        no_header: has(more, 4),
        pick: [None, Some("first"), Some("last"), Some("2..")][usize::from(more >> 5 & 3)]
            .map(Into::into),
        ..StepSpec::default()
    };
    let mut steps = vec![step];
    if has(more, 7) {
        steps.push(StepSpec {
            pattern: Some("[a-c]".into()),
            with: Some("$0b".into()),
            ..StepSpec::default()
        });
    }
    let words = RewriteText {
        step: steps,
        ..RewriteText::default()
    };
    let Ok(rewrite) = words.build(&mut NoTables) else {
        return;
    };
    let whole = rewrite_text(&rewrite, text);
    let changes = evaluated(&rewrite, text, size, None);
    // Lines may come in parts, which changes nothing.
    let split = evaluated(&rewrite, text, size, Some(1 + size % 3));
    assert_eq!(split, changes, "{words:?}");
    let file = planned(FILE, text, changes);
    assert_eq!(spliced(text, &file), whole.text, "{words:?}");
    if file.changes.is_empty() {
        return;
    }
    let fs = ModelFs::default();
    fs.put(FILE, text);
    fs.make_known("/port");
    let plan = Plan { files: vec![file] };
    run(&fs, &plan).unwrap();
    assert_eq!(fs.bytes(FILE), whole.text);
    let journal = Journal::new(&fs, "/state".into());
    let record = journal.load(1).unwrap();
    let back = undo_plan(&fs, &journal, &record, &|_| true)
        .unwrap()
        .unwrap();
    run(&fs, &back).unwrap();
    assert_eq!(fs.bytes(FILE), text);
}

/// The changes of a text that comes in pieces.
fn evaluated(
    rewrite: &Rewrite,
    text: &[u8],
    size: usize,
    split_from: Option<usize>,
) -> Vec<Change> {
    #[derive(Default)]
    struct Changes(Vec<Change>);
    impl Sink for Changes {
        fn hunk(&mut self, hunk: &Hunk<'_>) {
            self.0.extend(hunk.edits().map(|edit| Change {
                line: edit.line,
                from: edit.from,
                to: edit.to,
                before: edit.before.to_vec(),
                after: edit.after.to_vec(),
            }));
        }
        fn problem(&mut self, _: Problem) {}
    }
    let mut options = RunOptions {
        split_from,
        ..RunOptions::default()
    };
    while let Some(step) = rewrite.step_to_count(&options.totals) {
        let mut run = Run::counting(rewrite, step, &options.totals);
        let mut evaluation = run.text("-", 0);
        evaluation.push(text, &mut Changes::default());
        evaluation.finish(&mut Changes::default());
        options.totals.set(step, run.counted());
    }
    let mut run = Run::new(rewrite, &options);
    let mut found = Changes::default();
    let mut evaluation = run.text("-", 0);
    for part in text.chunks(size) {
        evaluation.push(part, &mut found);
    }
    evaluation.finish(&mut found);
    found.0
}

fn planned(path: &str, text: &[u8], changes: Vec<Change>) -> PlannedFile {
    PlannedFile {
        source: Source::file(path),
        confinement: Confinement::AsEvaluated(None),
        facts: Facts::of_bytes(blake3::hash(text), text.len() as u64),
        changes: changes.into(),
        stands_for: None,
    }
}

fn spliced(text: &[u8], file: &PlannedFile) -> Vec<u8> {
    let mut out = Vec::new();
    splice_into(text, file, &mut out).unwrap();
    out
}

fn run(fs: &ModelFs, plan: &Plan) -> Result<RunDone, FileError> {
    let request = RunRequest {
        plan,
        rewrite: Value::Null,
        undoes: None,
        at: 0,
        folder: Path::new("/port"),
        interrupted: &AtomicBool::new(false),
    };
    let journal = Journal::new(fs, "/state".into());
    make_run(fs, &journal, &mut Journal::no_lock(), &request).map_err(|failed| failed.error)
}

const OLD: [(&str, &str); 2] = [
    ("/port/a.txt", "quay 1\nquay 2\n"),
    ("/port/b.txt", "the quay"),
];
const NEW: [&str; 2] = ["Q 1\nQ 2\n", "the Q"];
const FOREIGN: [(&str, &str); 2] = [
    ("/port/c.txt", "precious"),
    ("/port/.bquill-1-0", "precious, too"),
];

fn port() -> ModelFs {
    let fs = ModelFs::with(&OLD);
    for (path, text) in FOREIGN {
        fs.foreign(path, text);
    }
    fs
}

fn foreign_stays(fs: &ModelFs) {
    for (path, text) in FOREIGN {
        assert_eq!(fs.text(path), text, "{path}");
    }
}

/// The plan that makes `Q` of every `quay` of the port, as it is written down.
fn plan_lines() -> Vec<Value> {
    let mut lines = vec![json!({
        "record": "plan", "format": 1, "rewrite": { "step": [{ "match": "quay", "with": "Q" }] },
    })];
    for (number, (path, text)) in (1..).zip(OLD) {
        let hash = blake3::hash(text.as_bytes()).to_hex().to_string();
        lines.push(json!({
            "record": "file", "path": path, "bytes": text.len(), "hash": hash, "encoding": "UTF-8",
            "newline": "lf",
        }));
        for (change, (from, _)) in (1..).zip(text.match_indices("quay")) {
            lines.push(json!({
                "record": "change", "id": format!("{number}.{change}"), "path": path, "line": 1,
                "cell": null, "from": from, "to": from + 4, "before": "quay", "after": "Q",
                "steps": [1], "groups": [], "decision": "open",
            }));
        }
    }
    lines.push(json!({ "record": "totals", "problems": 0 }));
    lines
}

/// Values that a record may be doctored with.
fn doctored(input: &mut Input<'_>) -> Value {
    match input.byte() % 14 {
        0 => Value::Null,
        1 => json!(u64::MAX),
        2 => json!(-1),
        3 => json!(input.byte()),
        4 => json!("/port/c.txt"),
        5 => json!("/port/./a.txt"),
        6 => json!("../c.txt"),
        7 => json!(""),
        8 => json!("quay"),
        9 => json!("1.1"),
        10 => json!("accepted"),
        11 => json!("refused"),
        12 => json!([0, u64::MAX]),
        _ => json!(copy_name(u128::from(input.byte() % 4))),
    }
}

/// Changes some of the records: leaves out, repeats, exchanges, or puts other values in.
fn doctor(lines: &mut Vec<Value>, input: &mut Input<'_>) {
    for _ in 0..8 {
        if input.is_empty() || lines.is_empty() {
            return;
        }
        let at = input.below(lines.len());
        match input.byte() % 6 {
            0 => drop(lines.remove(at)),
            1 => lines.insert(at, lines[at].clone()),
            2 => {
                let other = input.below(lines.len());
                lines.swap(at, other);
            }
            3 => lines.insert(
                at,
                json!({ "record": "decision", "id": "1.1", "decision": "accepted" }),
            ),
            _ => {
                // Into nested records, too.
                let mut place = &mut lines[at];
                for _ in 0..3 {
                    let next = match place {
                        Value::Object(object) if !object.is_empty() => input.below(object.len()),
                        Value::Array(array) if !array.is_empty() => input.below(array.len()),
                        _ => break,
                    };
                    place = match place {
                        Value::Object(object) => object.values_mut().nth(next).unwrap(),
                        Value::Array(array) => &mut array[next],
                        _ => break,
                    };
                }
                *place = doctored(input);
            }
        }
    }
}

/// A doctored plan is refused, or does to the files it names exactly what it says.
pub fn plans(data: &[u8]) {
    let mut input = Input(data);
    let mut lines = plan_lines();
    doctor(&mut lines, &mut input);
    let mut text: Vec<u8> = lines
        .iter()
        .flat_map(|line| format!("{line}\n").into_bytes())
        .collect();
    for _ in 0..input.byte() % 4 {
        let at = input.below(text.len());
        if let Some(byte) = text.get_mut(at) {
            *byte = input.byte();
        }
    }
    let place = std::env::temp_dir().join(format!(
        "brisk-quill-plan-{}-{:?}",
        std::process::id(),
        std::thread::current().id()
    ));
    std::fs::write(&place, &text).unwrap();
    let doc = PlanDoc::open(&place);
    let _ = std::fs::remove_file(&place);
    let Ok(doc) = doc else { return };
    // What a root confines never leads out of it.
    if let Ok(places) = doc.places(Some(Path::new("/port"))) {
        assert!(
            places
                .iter()
                .all(|path| Path::new("/port").join(path).starts_with("/port"))
        );
    }
    let Ok(plan) = doc.to_plan(None) else { return };
    let fs = port();
    let wanted: Vec<(String, String)> = OLD
        .iter()
        .map(|(path, old)| {
            let planned = plan
                .files
                .iter()
                .find(|file| file.source.path() == Path::new(path));
            let new = planned.and_then(|file| {
                let mut out = Vec::new();
                splice_into(old.as_bytes(), file, &mut out).ok()?;
                String::from_utf8(out).ok()
            });
            ((*path).to_owned(), new.unwrap_or((*old).to_owned()))
        })
        .collect();
    let made = run(&fs, &plan);
    for ((path, wanted), (_, old)) in wanted.iter().zip(OLD) {
        let found = fs.text(path);
        assert_eq!(found, if made.is_ok() { wanted } else { old }, "{made:?}");
    }
    for (path, text) in FOREIGN {
        let is_named = plan
            .files
            .iter()
            .any(|file| file.source.path() == Path::new(path));
        assert!(is_named || fs.text(path) == text);
    }
    assert!(
        fs.names()
            .iter()
            .filter(|name| name.contains(".bquill-"))
            .count()
            == 1
    );
}

/// The port on the disk, where a plan finds the text beside its changes: its files, and the plan of them.
struct OnDisk {
    files: Vec<(String, &'static str)>,
    plan: Vec<u8>,
    place: PathBuf,
}

impl OnDisk {
    fn new() -> Self {
        let own = format!(
            "brisk-quill-decisions-{}-{:?}",
            std::process::id(),
            std::thread::current().id()
        );
        let folder = std::env::temp_dir().join(own);
        std::fs::create_dir_all(&folder).unwrap();
        let mut lines = plan_lines();
        let mut files = Vec::new();
        for (path, text) in OLD {
            let here = folder.join(Path::new(path).file_name().unwrap());
            std::fs::write(&here, text).unwrap();
            let here = here.to_str().unwrap().to_owned();
            let of_it = lines.iter_mut().filter(|line| line["path"] == path);
            of_it.for_each(|line| line["path"] = json!(here));
            files.push((here, text));
        }
        Self {
            files,
            plan: lines
                .iter()
                .flat_map(|line| format!("{line}\n").into_bytes())
                .collect(),
            place: folder.join("berths.plan"),
        }
    }
}

impl Drop for OnDisk {
    fn drop(&mut self) {
        let folder = self.place.parent().unwrap();
        let _ = std::fs::remove_dir_all(folder);
    }
}

/// A decision as a page saves it, right or nearly so.
fn decision(input: &mut Input<'_>, plan: &str) -> Value {
    let (id, text, from) = [
        ("1.1", OLD[0].1, 0),
        ("1.2", OLD[0].1, 7),
        ("2.1", OLD[1].1, 4),
    ][input.below(3)];
    let name = ["accepted", "refused", "open", "modified"][input.below(4)];
    let mut record = json!({ "record": "decision", "id": id, "decision": name, "plan": plan });
    if let Some(by) = [None, Some("signe"), Some("renee")][input.below(3)] {
        record["by"] = json!(by);
    }
    if name == "modified" {
        record["after"] = json!(["Q", "pier\n", "", "quay"][input.below(4)]);
        let (left, right) = (input.below(6), input.below(6));
        if left + right > 0 {
            let range = from - left.min(from)..(from + 4 + right).min(text.len());
            record["before"] = json!(text[range]);
            record["left"] = json!(left);
        }
    }
    record
}

/// Decisions that reviewers sent, doctored: they are refused, or the plan with them says the same when
/// it is read again, and writes what is accepted and modified, and nothing else.
pub fn decisions(data: &[u8]) {
    thread_local! {
        static PORT: OnDisk = OnDisk::new();
    }
    PORT.with(|port| decided(port, &mut Input(data)));
}

fn decided(port: &OnDisk, input: &mut Input<'_>) {
    std::fs::write(&port.place, &port.plan).unwrap();
    let mut doc = PlanDoc::open(&port.place).unwrap();
    let hash = doc.hash();
    let mut sent: Vec<Value> = (0..input.below(6))
        .map(|_| decision(input, &hash))
        .collect();
    doctor(&mut sent, input);
    let mut sent: Vec<u8> = sent
        .iter()
        .flat_map(|line| format!("{line}\n").into_bytes())
        .collect();
    for _ in 0..input.byte() % 4 {
        let at = input.below(sent.len());
        if let Some(byte) = sent.get_mut(at) {
            *byte = input.byte();
        }
    }
    let mut new = Vec::new();
    for line in sent
        .split(|byte| *byte == b'\n')
        .filter(|line| !line.is_empty())
    {
        match doc.index.take_in(line, (&hash, "b")) {
            Ok(TakenIn::New(line)) => new.extend(line),
            Ok(TakenIn::Known | TakenIn::Foreign) => {}
            Err(_) => return,
        }
    }
    if doc.check_decisions(None).is_err() {
        return;
    }
    let plan = doc.to_plan(None).unwrap();
    doc.append(&new).unwrap();
    let again = PlanDoc::open(&port.place).unwrap();
    again.check_decisions(None).unwrap();
    let written = again.to_plan(None).unwrap();
    let counts = doc.index.counts();
    assert_eq!(again.index.counts(), counts);
    assert_eq!(again.index.conflicts(), doc.index.conflicts());
    let all = doc.index.is_undecided(&counts);
    let mut number = 0;
    for (path, old) in &port.files {
        let planned = |plan: &Plan| {
            let file = plan
                .files
                .iter()
                .find(|file| file.source.path() == Path::new(path))?;
            let changes = file.changes.iter().map(Result::unwrap);
            Some((spliced(old.as_bytes(), file), changes.collect::<Vec<_>>()))
        };
        let (now, changes) = planned(&plan).unwrap_or((old.as_bytes().to_vec(), Vec::new()));
        assert_eq!(
            planned(&written).map_or(old.as_bytes().to_vec(), |(now, _)| now),
            now
        );
        let mut at = 0;
        for change in &changes {
            let (from, to) = (change.from as usize, change.to as usize);
            assert!(at <= from && from <= to, "{changes:?}");
            assert_eq!(&old.as_bytes()[from..to], &change.before[..], "{changes:?}");
            at = to;
        }
        for (from, _) in old.match_indices("quay") {
            let decision = doc.index.entries[number].decision;
            let is_written = all || matches!(decision, Decision::Accepted | Decision::Modified);
            let is_met = changes
                .iter()
                .any(|change| (change.from as usize) < from + 4 && from < change.to as usize);
            // A text that is modified into itself changes nothing.
            assert!(
                is_met == is_written || (decision == Decision::Modified && !is_met),
                "{number}: {changes:?}"
            );
            number += 1;
        }
    }
}

/// A line of the journal with its checksum.
fn sealed(record: &Value) -> Vec<u8> {
    let json = record.to_string();
    format!("{} {json}\n", &blake3::hash(json.as_bytes()).to_hex()[..16]).into_bytes()
}

/// The port after a run that was stopped at this operation; each is made once.
fn stopped_at(stop: u64) -> ModelFs {
    thread_local! {
        static MADE: RefCell<HashMap<u64, ModelFs>> = RefCell::default();
    }
    let make = || {
        let fs = port();
        fs.stop_at(stop);
        let changes = |text: &str| {
            text.match_indices("quay")
                .map(|(at, old)| Change {
                    line: 1,
                    from: at as u64,
                    to: (at + old.len()) as u64,
                    before: old.into(),
                    after: b"Q".to_vec(),
                })
                .collect()
        };
        let files = OLD
            .iter()
            .map(|(path, text)| planned(path, text.as_bytes(), changes(text)));
        let _ = run(
            &fs,
            &Plan {
                files: files.collect(),
            },
        );
        fs.reboot(Survives::Everything);
        fs
    };
    MADE.with_borrow_mut(|made| made.entry(stop).or_insert_with(make).fork())
}

/// A doctored log of a run that was stopped somewhere: whatever a recovery makes of it, no file of
/// another program is touched, and every file holds its old or its new bytes.
pub fn journals(data: &[u8]) {
    let mut input = Input(data);
    let fs = stopped_at(1 + u64::from(input.byte()) % 120);
    let log = "/state/runs/1/log";
    let whole = fs.text(log);
    let mut lines: Vec<Value> = (whole.lines())
        .filter_map(|line| serde_json::from_str(line.get(17..)?).ok())
        .collect();
    doctor(&mut lines, &mut input);
    let mut bytes: Vec<u8> = lines.iter().flat_map(sealed).collect();
    if input.byte() % 4 == 0 {
        let cut = input.below(bytes.len());
        bytes.truncate(bytes.len() - cut.min(bytes.len()));
    }
    fs.edit_bytes(log, &bytes);
    let journal = Journal::new(&fs, "/state".into());
    let way =
        [None, Some(Direction::Back), Some(Direction::Forward)][usize::from(input.byte() % 3)];
    for run in journal.marked().unwrap() {
        let Ok(record) = journal.load(run) else {
            continue;
        };
        if recover(&fs, &journal, &record, way).is_err() && !record.state.is_finished() {
            let _ = abandon(&fs, &journal, &record);
        }
    }
    foreign_stays(&fs);
    for ((path, old), new) in OLD.iter().zip(NEW) {
        let found = fs.text(path);
        assert!(found == *old || found == new, "{path}: {found:?}");
    }
}

/// A table is read as another reader reads it, in whatever pieces it comes.
pub fn tables(data: &[u8]) {
    let mut input = Input(data);
    let (flags, size) = (input.byte(), usize::from(input.byte()) + 1);
    let text = input.0;
    if text.len() > 4096 {
        return;
    }
    let quote = if flags & 1 == 0 { '"' } else { '\'' };
    let delimiter = [",", ";", "\t", "|"][usize::from(flags >> 1 & 3)];
    let is_json = flags & 8 != 0;
    let words = StepSpec {
        pattern: Some("$^".into()),
        columns: Some("1..".into()),
        format: Some(if is_json { "jsonl" } else { "csv" }.into()),
        delimiter: (!is_json).then(|| delimiter.into()),
        quote: (!is_json).then(|| quote.into()),
        no_header: !is_json,
        ragged: !is_json,
        remove: true,
        ..StepSpec::default()
    };
    let whole = cells(&words, text, usize::MAX);
    assert_eq!(cells(&words, text, size), whole);
    if !whole.1.is_empty() {
        return;
    }
    let ours: Vec<&[u8]> = whole.0.iter().map(|(_, value)| &**value).collect();
    let theirs: Vec<Vec<u8>> = match is_json {
        true => match json_texts(text) {
            Some(texts) => texts,
            None => return,
        },
        // The other reader splits at lone carriage returns, and skips a mark at the start.
        false if has_lone_return(text) || text.starts_with(b"\xEF\xBB\xBF") => return,
        false => other_cells(text, delimiter.as_bytes()[0], quote as u8),
    };
    let theirs: Vec<&[u8]> = theirs.iter().map(Vec::as_slice).collect();
    assert_eq!(ours, theirs);
}

fn has_lone_return(text: &[u8]) -> bool {
    let next = |at: usize| text.get(at + 1);
    text.iter()
        .enumerate()
        .any(|(at, b)| *b == b'\r' && next(at) != Some(&b'\n'))
}

type Cells = (Vec<(u64, Vec<u8>)>, Vec<Problem>);

/// Every cell of a text that comes in pieces: its line and its value; and what was wrong.
fn cells(words: &StepSpec, text: &[u8], size: usize) -> Cells {
    #[derive(Default)]
    struct Seen(Cells);
    impl Sink for Seen {
        fn unit(&mut self, unit: &UnitView<'_>, _: &Findings<'_>, _: u64) {
            self.0.0.push((unit.line, unit.bytes().to_vec()));
        }
        fn problem(&mut self, problem: Problem) {
            self.0.1.push(problem);
        }
    }
    let search = Rewrite::showing(words.query().unwrap());
    let options = RunOptions {
        missing: brisk_quill_core::query::unit_view::Unmatched::Shown,
        ..RunOptions::default()
    };
    let mut run = Run::new(&search, &options);
    let mut seen = Seen::default();
    let mut found = run.text("-", 0);
    for part in text.chunks(size) {
        found.push(part, &mut seen);
    }
    found.finish(&mut seen);
    seen.0
}

/// The strings that are members of the objects in JSON Lines; `None` where there are numbers,
/// which may be written in several ways, or what the other reader does not take.
fn json_texts(text: &[u8]) -> Option<Vec<Vec<u8>>> {
    let mut texts = Vec::new();
    let lines = text.split(|b| *b == b'\n');
    for line in lines.filter(|line| !line.trim_ascii().is_empty()) {
        let object: serde_json::Map<String, Value> = serde_json::from_slice(line).ok()?;
        for (_, value) in object {
            match value {
                Value::String(text) => texts.push(text.into_bytes()),
                Value::Number(_) => return None,
                _ => {}
            }
        }
    }
    Some(texts)
}

fn other_cells(text: &[u8], delimiter: u8, quote: u8) -> Vec<Vec<u8>> {
    use csv_core::ReadRecordResult;
    let mut reader = csv_core::ReaderBuilder::new()
        .delimiter(delimiter)
        .quote(quote)
        .build();
    let (mut fields, mut ends) = (vec![0; text.len() + 1], vec![0; text.len() + 2]);
    let (mut cells, mut rest) = (Vec::new(), text);
    let (mut filled, mut ended) = (0, 0);
    loop {
        let (result, read, wrote, done) =
            reader.read_record(rest, &mut fields[filled..], &mut ends[ended..]);
        rest = &rest[read..];
        filled += wrote;
        ended += done;
        match result {
            ReadRecordResult::Record => {
                let starts = std::iter::once(0).chain(ends[..ended].iter().copied());
                cells.extend(
                    starts
                        .zip(&ends[..ended])
                        .map(|(from, to)| fields[from..*to].to_vec()),
                );
                (filled, ended) = (0, 0);
            }
            ReadRecordResult::InputEmpty => {}
            ReadRecordResult::End => return cells,
            other => panic!("{other:?}"),
        }
    }
}

/// Specs, rewrite files and arguments: what is understood means the same when it is written down
/// and read again; what is not is refused in words.
pub fn words(data: &[u8]) {
    let mut input = Input(data);
    let kind = input.byte() % 3;
    if kind == 2 {
        let mut argv = vec![OsString::from("bquill")];
        while !input.is_empty() && argv.len() < 24 {
            argv.push(OsString::from_vec(input.part().to_vec()));
        }
        brisk_quill::understands(&argv);
        return;
    }
    let Ok(text) = std::str::from_utf8(input.0) else {
        return;
    };
    if kind == 0 {
        if let Ok(spec) = text.parse::<Spec>() {
            let again: Spec = spec.to_string().parse().unwrap();
            assert_eq!(again.to_string(), spec.to_string());
            let (one, other) = (spec.resolve(Some(40)), again.resolve(Some(40)));
            assert!((0..50).all(|n| one.contains(n) == other.contains(n)));
        }
    } else if let Ok(words) = RewriteText::parse(text) {
        assert_eq!(RewriteText::parse(&words.to_toml()).unwrap(), words);
        let _ = words.build(&mut NoTables);
    }
}
