//! A folder with files, previews of rewrites of them, and decisions about their changes.

use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::template::tables::NoTables;
use brisk_quill_engine::decide::Decisions;
use brisk_quill_engine::guards::Guards;
use brisk_quill_engine::host::Host;
use brisk_quill_engine::keep::Keep;
use brisk_quill_engine::open_plan::OpenPlan;
use brisk_quill_engine::sources::Sources;
use brisk_quill_files::discover::Search;
use proptest::prelude::*;
use std::fs;
use std::ops::ControlFlow;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

pub static NOT_STOPPED: AtomicBool = AtomicBool::new(false);

/// A folder with files, and the last preview of a rewrite of them.
pub struct Port {
    pub folder: tempfile::TempDir,
    pub host: Arc<Host>,
    text: RewriteText,
    pub rewrite: Rewrite,
    ending: &'static str,
}

impl Port {
    /// Text files with lines or rows.
    pub fn of(files: &[String], text: RewriteText) -> Self {
        Self::new(files, "md", text)
    }

    /// Files whose names end in `ending`.
    pub fn new(files: &[impl AsRef<[u8]>], ending: &'static str, text: RewriteText) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let host = Host::new(folder.path().join("notices")).with_state(folder.path().join("state"));
        fs::create_dir(host.folder()).unwrap();
        let port = Self {
            rewrite: text.build(&mut NoTables).unwrap(),
            host: Arc::new(host),
            folder,
            text,
            ending,
        };
        for (number, file) in files.iter().enumerate() {
            port.write(number, file.as_ref());
        }
        port
    }

    fn path(&self, number: usize) -> PathBuf {
        let name = format!("{number}.{}", self.ending);
        self.host.path(name.as_ref())
    }

    pub fn write(&self, number: usize, bytes: &[u8]) {
        fs::write(self.path(number), bytes).unwrap();
    }

    pub fn read(&self, number: usize) -> Vec<u8> {
        fs::read(self.path(number)).unwrap()
    }

    pub fn text(&self, number: usize) -> String {
        String::from_utf8(self.read(number)).unwrap()
    }

    /// The plan of the rewrite; `None` where nothing changes.
    pub fn plan(&self) -> Option<OpenPlan> {
        let sources = Sources::find(&self.host, vec![".".into()], Search::default()).unwrap();
        let guards = Guards::default();
        let keep = Keep::new(&self.text, &self.rewrite, &sources, &guards);
        let kept = keep.run(&self.host, |_, _, _| ControlFlow::Continue(()));
        assert_eq!(kept.unwrap().summary.counts.problems, 0);
        OpenPlan::last(&self.host).unwrap()
    }
}

/// Decides about the changes of a plan, one after the other as `decisions` say, over and over.
pub fn decide(plan: &mut OpenPlan, decisions: &[Decision]) {
    let mut all = Decisions::default();
    let many = plan.doc.index.entries.len();
    for (index, decision) in (0..many).zip(decisions.iter().cycle()) {
        if *decision != Decision::Open {
            all.add(&plan.doc.index.id(index), *decision).unwrap();
        }
    }
    let lines = all.make(&mut plan.doc).unwrap();
    plan.append(&lines).unwrap();
}

/// Each change with the number of its file and its decision.
pub fn changes(plan: &OpenPlan) -> Vec<(usize, Decision, ChangeRecord<'static>)> {
    let mut all = Vec::new();
    let index = &plan.doc.index;
    let mut add = |number: usize, change: ChangeRecord<'static>| {
        all.push((
            index.file_of(number),
            index.entries[number].decision,
            change,
        ));
        Ok(())
    };
    plan.doc.each(&mut add).unwrap();
    all
}

/// The number of cases of a law, which has this many as a rule.
pub fn cases(usual: u32) -> u32 {
    let asked = std::env::var("LAW_CASES").ok();
    asked.and_then(|n| n.parse().ok()).unwrap_or(usual)
}

pub fn decision() -> impl Strategy<Value = Decision> {
    prop::sample::select(vec![Decision::Open, Decision::Accepted, Decision::Refused])
}
