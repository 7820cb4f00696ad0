//! Writing a plan: refused as a whole when anything differs from what was planned.

use brisk_quill_files::change::Change;
use brisk_quill_files::error::{FileError, FileErrorKind};
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::plan::{Plan, PlannedFile};
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::run::make_run;
use brisk_quill_files::run::request::{RunDone, RunRequest};
use brisk_quill_files::source::Source;
use brisk_quill_files::staging::destination::Destination;
use brisk_quill_files::staging::{Staging, stage_all};
use brisk_quill_files::temporary::Temporaries;
use std::path::Path;
use std::sync::atomic::AtomicBool;

/// A plan that makes `quay` of the first four bytes of each file.
fn plan(folder: &Path, names: &[&str]) -> Plan {
    let files = names.iter().map(|name| {
        let path = folder.join(name);
        let bytes = std::fs::read(&path).unwrap();
        let change = Change {
            line: 1,
            from: 0,
            to: 4,
            before: bytes[..4].to_vec(),
            after: b"quay".to_vec(),
        };
        let facts = Facts::of_bytes(blake3::hash(&bytes), bytes.len() as u64);
        PlannedFile::evaluated(Source::file(path), facts, vec![change].into())
    });
    Plan {
        files: files.collect(),
    }
}

/// Makes a run with a journal of its own.
fn write_in_place(plan: &Plan) -> Result<RunDone, FileError> {
    let state = tempfile::tempdir().unwrap();
    let journal = Journal::new(&RealFs, state.path().join("journal"));
    let mut lock = journal.lock()?;
    let request = RunRequest {
        plan,
        rewrite: serde_json::Value::Null,
        undoes: None,
        at: 0,
        folder: state.path(),
        interrupted: &AtomicBool::new(false),
    };
    make_run(&RealFs, &journal, &mut lock, &request).map_err(|failed| failed.error)
}

fn names(folder: &Path) -> Vec<String> {
    let entries = std::fs::read_dir(folder).unwrap();
    let mut names: Vec<_> = entries
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    names.sort();
    names
}

#[test]
fn a_file_that_changed_since_refuses_the_whole_run() {
    type Meddle = fn(&Path);
    let cases: &[(&str, Meddle, FileErrorKind)] = &[
        (
            "a byte within the change",
            |p| std::fs::write(p, "bert 8\n").unwrap(),
            FileErrorKind::Changed,
        ),
        (
            "a byte elsewhere",
            |p| std::fs::write(p, "pier 9\n").unwrap(),
            FileErrorKind::Changed,
        ),
        (
            "longer",
            |p| std::fs::write(p, "pier 8\n\n").unwrap(),
            FileErrorKind::Changed,
        ),
        (
            "shorter",
            |p| std::fs::write(p, "pi").unwrap(),
            FileErrorKind::Changed,
        ),
        (
            "gone",
            |p| std::fs::remove_file(p).unwrap(),
            FileErrorKind::Missing,
        ),
    ];
    for (name, meddle, trouble) in cases {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("a"), "pier 7\n").unwrap();
        std::fs::write(folder.path().join("b"), "pier 8\n").unwrap();
        let plan = plan(folder.path(), &["a", "b"]);
        meddle(&folder.path().join("b"));
        let left = names(folder.path());
        let error = write_in_place(&plan).unwrap_err();
        assert_eq!(error.kind, *trouble, "{name}");
        assert!(error.path.ends_with("b"), "{name}");
        assert_eq!(
            std::fs::read(folder.path().join("a")).unwrap(),
            b"pier 7\n",
            "{name}"
        );
        assert_eq!(names(folder.path()), left, "{name}: no copy stays behind");
        let out = folder.path().join("out");
        let elsewhere =
            |source: &Source| Destination::New(out.join(source.path().file_name().unwrap()));
        let staging = Staging::new(Temporaries::new(None));
        let error = stage_all(&staging, &plan, &elsewhere).unwrap_err();
        drop(staging);
        assert_eq!(error.kind, *trouble, "{name}");
        assert!(
            !out.exists(),
            "{name}: what was made for copies is taken away again"
        );
    }
}

#[test]
fn many_files_need_few_handles() {
    let folder = tempfile::tempdir().unwrap();
    let all: Vec<String> = (0..2000).map(|n| format!("f{n}")).collect();
    for name in &all {
        std::fs::write(folder.path().join(name), "pier\n").unwrap();
    }
    let all: Vec<&str> = all.iter().map(String::as_str).collect();
    let limit = rustix::process::Rlimit {
        current: Some(200),
        maximum: Some(200),
    };
    let plan = plan(folder.path(), &all);
    rustix::process::setrlimit(rustix::process::Resource::Nofile, limit).unwrap();
    assert_eq!(write_in_place(&plan).unwrap().files, 2000);
    assert_eq!(
        std::fs::read(folder.path().join("f1999")).unwrap(),
        b"quay\n"
    );
}
