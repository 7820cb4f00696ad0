//! Plans in files: what must hold for every plan and every set of decisions.

use brisk_quill_core::edits::StepSet;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::plan::modified::{Modified, Wider};
use brisk_quill_core::plan::parse;
use brisk_quill_core::records::field::Optional;
use brisk_quill_core::records::plan::{AnyRecord, ChangeId, decision_line};
use brisk_quill_files::plan_file::PlanDoc;
use brisk_quill_files::short_plan::{
    DiskText, EntryKind, MAGIC, Records, ShortChange, push_names, push_plain,
};
use brisk_quill_files::source::Source;
use brisk_quill_files::splice::splice_into;
use proptest::prelude::*;
use std::fmt::Write as _;
use std::path::Path;

/// A text with sorted, disjoint changes: where, and the new text.
fn changes() -> impl Strategy<Value = (String, Vec<(usize, usize, String)>)> {
    let parts = prop::collection::vec(("[a-cé\n]{0,4}", "[a-cé]{0,3}", "[x-z\"\\\\\n]{0,3}"), 0..8);
    parts.prop_map(|parts| {
        let (mut text, mut changes) = (String::new(), Vec::new());
        for (gap, old, new) in parts {
            text.push_str(&gap);
            let from = text.len();
            text.push_str(&old);
            if old != new {
                changes.push((from, text.len(), new));
            }
        }
        (text, changes)
    })
}

/// The plan of one file.
fn plan_of(text: &str, changes: &[(usize, usize, String)]) -> String {
    let mut plan = String::from("{\"record\":\"plan\",\"format\":1,\"rewrite\":{\"step\":[]}}\n");
    let hash = blake3::hash(text.as_bytes()).to_hex().to_string();
    let file = serde_json::json!({
        "record": "file", "path": "a.txt", "bytes": text.len(), "hash": hash,
        "encoding": "UTF-8", "newline": "lf",
    });
    writeln!(plan, "{file}").unwrap();
    for (number, (from, to, new)) in (1..).zip(changes) {
        let change = serde_json::json!({
            "record": "change", "id": format!("1.{number}"), "path": "a.txt", "line": 1,
            "cell": null, "from": from, "to": to, "before": &text[*from..*to], "after": new,
            "steps": [1], "groups": [], "decision": "open",
        });
        writeln!(plan, "{change}").unwrap();
    }
    plan + "{\"record\":\"totals\"}\n"
}

/// The same plan in short form.
fn short_of(plan: &str) -> Vec<u8> {
    let mut out = MAGIC.to_vec();
    for line in plan.split_inclusive('\n') {
        match parse(line.trim_end().as_bytes()).unwrap() {
            AnyRecord::Change(change) => {
                let [before, after] = [&change.before, &change.after].map(|text| DiskText {
                    text: text.as_bytes(),
                    disk: None,
                });
                let short = ShortChange {
                    line: change.line.0,
                    cell: None,
                    label: None,
                    from: change.from,
                    to: change.to,
                    before,
                    after,
                    steps: StepSet::one(0),
                };
                short.put(&mut out, std::iter::empty());
            }
            AnyRecord::File(_) => push_plain(&mut out, EntryKind::File, line.as_bytes()),
            _ => push_plain(&mut out, EntryKind::Line, line.as_bytes()),
        }
    }
    let hash = blake3::hash(&out);
    push_plain(&mut out, EntryKind::End, hash.as_bytes());
    out
}

fn open(plan: &[u8]) -> Result<(PlanDoc, tempfile::TempDir), String> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("p.plan");
    std::fs::write(&path, plan).unwrap();
    let doc = PlanDoc::open(&path).map_err(|error| error.to_string())?;
    Ok((doc, folder))
}

fn written(doc: &PlanDoc, text: &str) -> Vec<u8> {
    let plan = doc.to_plan(None).unwrap();
    let mut out = Vec::new();
    for file in &plan.files {
        assert_eq!(file.source, Source::file("a.txt"));
        splice_into(text.as_bytes(), file, &mut out).unwrap();
    }
    out
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    /// Any decisions, then apply, is what splicing the accepted by hand gives; also when they
    /// are read again, and when they are made twice.
    #[test]
    fn what_is_accepted_is_written(
        (text, changes) in changes(), decided in prop::collection::vec((0..8usize, 0..4usize, "[m-o\n]{0,2}", 0..3usize, 0..3usize), 0..12),
        is_short in any::<bool>(),
    ) {
        let plan = plan_of(&text, &changes);
        let kept = if is_short { short_of(&plan) } else { plan.clone().into_bytes() };
        let (mut doc, folder) = open(&kept).unwrap();
        prop_assert_eq!(doc.hash(), blake3::hash(plan.as_bytes()).to_hex().to_string());
        prop_assert!(doc.is_whole());
        let mut state = vec![(Decision::Open, String::new(), 0, 0); changes.len()];
        for (index, decision, new, left, right) in decided {
            let Some(at) = state.get_mut(index) else { continue };
            // A modified change takes in at most half of the text to its neighbours.
            let (from, to, _) = changes[index];
            let before = index.checked_sub(1).map_or(0, |before| changes[before].1);
            let after = changes.get(index + 1).map_or(text.len(), |after| after.0);
            let (left, right) = (left.min((from - before) / 2), right.min((after - to) / 2));
            let wider = (left + right > 0).then(|| Wider {
                left: left as u64,
                before: text.as_bytes()[from - left..to + right].to_vec(),
            });
            let decision = [Decision::Open, Decision::Accepted, Decision::Refused, Decision::Modified][decision];
            let modified = Modified { text: new.as_bytes().to_vec(), wider };
            let after = (decision == Decision::Modified).then_some(modified);
            doc.append(&decision_line(&doc.index.id(index), decision, after.as_ref())).unwrap();
            doc.index.set(index, decision, after);
            *at = (decision, new, left, right);
        }
        let none = state.iter().all(|(decision, ..)| *decision == Decision::Open);
        // A wider range may begin or end within a character: bytes are what is written.
        let (bytes, mut wanted, mut at) = (text.as_bytes(), Vec::new(), 0);
        for ((from, to, new), (decision, modified, left, right)) in changes.iter().zip(&state) {
            let (from, to) = match decision {
                Decision::Modified => (&(from - left), &(to + right)),
                _ => (from, to),
            };
            wanted.extend_from_slice(&bytes[at..*from]);
            wanted.extend_from_slice(match decision {
                Decision::Open if none => new.as_bytes(),
                Decision::Accepted => new.as_bytes(),
                Decision::Modified => modified.as_bytes(),
                Decision::Open | Decision::Refused => &bytes[*from..*to],
            });
            at = *to;
        }
        wanted.extend_from_slice(&bytes[at..]);
        prop_assert_eq!(written(&doc, &text), wanted.clone());
        let again = PlanDoc::open(&folder.path().join("p.plan")).unwrap();
        prop_assert_eq!(&again.index.entries, &doc.index.entries);
        prop_assert_eq!(&again.index.modified, &doc.index.modified);
        prop_assert_eq!(written(&again, &text), wanted);
    }

    /// The kinds are the changes by their texts, each counted once, and numbered by frequency.
    #[test]
    fn kinds_are_the_changes((text, changes) in changes()) {
        let (doc, _folder) = open(plan_of(&text, &changes).as_bytes()).unwrap();
        let kinds = doc.kinds().unwrap();
        prop_assert_eq!(kinds.kinds.iter().map(|kind| kind.count).sum::<u64>(), changes.len() as u64);
        prop_assert!(kinds.kinds.windows(2).all(|pair| pair[0].count >= pair[1].count));
        for ((from, to, new), kind) in changes.iter().zip(&kinds.of) {
            let kind = &kinds.kinds[*kind as usize];
            prop_assert_eq!((&kind.before[..], &kind.after[..]), (&text.as_bytes()[*from..*to], new.as_bytes()));
        }
    }

    /// A plan in short form gives the records that a change has, whatever is in it.
    #[test]
    fn short_changes_give_their_records(
        (line, from, length) in (1..u64::MAX, 0..u64::MAX / 2, 0..u64::MAX / 2),
        (cell, label, name) in any::<(Option<String>, Option<String>, Option<String>)>(),
        texts in any::<[Vec<u8>; 2]>(), disk in any::<[Option<Vec<u8>>; 2]>(),
        steps in prop::collection::vec(0..StepSet::MOST, 0..4), groups in any::<Vec<Option<Vec<u8>>>>(),
    ) {
        let [before, after] = [0, 1].map(|at| DiskText { text: &texts[at], disk: disk[at].as_deref() });
        let (cell, label) = (cell.as_deref(), label.as_deref());
        let steps = steps.iter().fold(StepSet::default(), |all, step| all.union(StepSet::one(*step)));
        let change = ShortChange { line, cell, label, from, to: from + length, before, after, steps };
        let texts = || groups.iter().map(Option::as_deref);
        let mut names = vec![vec![]; steps.iter().next().unwrap_or(0)];
        names.push(vec![None, name.as_deref()]);
        let (mut records, mut made) = (Records::default(), Vec::new());
        let mut take = |entry: &[u8], kind| records.take(kind, &entry[9..], &mut made).expect("an entry");
        let mut entry = Vec::new();
        push_names(&mut entry, names.iter().map(|names| names.iter().copied()));
        take(&entry, EntryKind::Names);
        let file = b"{\"record\":\"file\",\"path\":\"a\",\"bytes\":0,\"encoding\":\"UTF-8\"}\n";
        take(&[&[0; 9], &file[..]].concat(), EntryKind::File);
        entry.clear();
        change.put(&mut entry, texts());
        take(&entry, EntryKind::Change);
        let mut wanted = file.to_vec();
        let of = |number| if number == 1 && steps != StepSet::default() { name.as_deref() } else { None };
        let id = ChangeId::Known("1.1".to_owned());
        change.push_record(&mut wanted, id, ("a".into(), Optional(None)), of, texts());
        prop_assert_eq!(String::from_utf8(made), String::from_utf8(wanted));
    }

    /// One byte less or another one, and a plan in short form is refused.
    #[test]
    fn damaged_short_plans_are_refused((text, changes) in changes(), at in any::<prop::sample::Index>(), byte in 1..=255u8, cuts in any::<bool>()) {
        let mut plan = short_of(&plan_of(&text, &changes));
        let at = at.index(plan.len());
        match cuts {
            true => plan.truncate(at),
            false => plan[at] ^= byte,
        }
        prop_assert!(open(&plan).is_err());
    }

    /// However a plan is damaged, it is refused or read; nothing panics.
    #[test]
    fn damaged_plans_are_only_refused(
        (text, changes) in changes(),
        damage in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>(), 0..4usize), 1..6),
    ) {
        let mut plan = plan_of(&text, &changes).into_bytes();
        for (at, byte, how) in damage {
            if plan.is_empty() { break }
            let at = at.index(plan.len());
            match how {
                0 => plan[at] = byte,
                1 => plan.truncate(at),
                2 => { plan.remove(at); }
                _ => plan.insert(at, b"0\",:{}\n"[usize::from(byte) % 7]),
            }
        }
        if let Ok((doc, _folder)) = open(&plan) {
            let _ = doc.kinds();
            if let Ok(plan) = doc.to_plan(Some(Path::new("."))) {
                for file in &plan.files {
                    let _ = splice_into(text.as_bytes(), file, &mut Vec::new());
                }
            }
        }
    }
}
