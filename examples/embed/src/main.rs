//! The engine without the program `bquill`: a rewrite is previewed over a folder, one kind of its changes is
//! judged, what is accepted is written, and the run is reverted. Nothing of a command line takes part.
//!
//! `cargo run -p embed` shows it on notices of its own.

use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::tables::NoTables;
use brisk_quill_engine::decide::Decisions;
use brisk_quill_engine::guards::Guards;
use brisk_quill_engine::host::Host;
use brisk_quill_engine::keep::Keep;
use brisk_quill_engine::open_plan::OpenPlan;
use brisk_quill_engine::runs::revert;
use brisk_quill_engine::sources::Sources;
use brisk_quill_files::discover::Search;
use std::error::Error;
use std::fs;
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

fn main() -> Result<(), Box<dyn Error>> {
    let port = tempfile::tempdir()?;
    println!("{}", tour(port.path())?);
    Ok(())
}

/// The loop of previewing, judging, writing and reverting, in a folder of its own below `port`; gives what happened.
fn tour(port: &Path) -> Result<String, Box<dyn Error>> {
    // Whoever runs the engine says where it is, and where it may keep things.
    let host = Host::new(port.join("notices")).with_state(port.join("state"));
    let host = Arc::new(host);
    fs::create_dir_all(host.folder())?;
    let notice = host.path("01.md".as_ref());
    fs::write(
        &notice,
        "berth 4 is closed\nberth 7 is open\nberth 4 opens\n",
    )?;

    // The words of a step are those of the command line and of rewrite files.
    let text = RewriteText::from(vec![StepSpec {
        pattern: Some(r"berth (\d)".into()),
        with: Some("B-$1".into()),
        ..StepSpec::default()
    }]);
    let rewrite = text.build(&mut NoTables)?;
    let sources = Sources::find(&host, vec![".".into()], Search::default())?;
    let guards = Guards::default();
    let keep = Keep::new(&text, &rewrite, &sources, &guards);
    let kept = keep.run(&host, |_, _, _| ControlFlow::Continue(()))?;
    let mut told = format!("{} changes\n", kept.summary.counts.changes);

    // The most frequent kind is accepted, all else refused.
    let mut plan = OpenPlan::last(&host)?.ok_or("nothing was kept")?;
    for kind in plan.doc.kinds()?.kinds {
        let [before, after] =
            [kind.before, kind.after].map(|text| String::from_utf8_lossy(&text).into_owned());
        told += &format!("  {} of {before} to {after}\n", kind.count);
    }
    let mut decisions = Decisions::default();
    decisions.add("kind:1", Decision::Accepted)?;
    decisions.decide_rest(Decision::Refused);
    let lines = decisions.make(&mut plan.doc)?;
    plan.append(&lines)?;

    // What was shown is what is written, under the journal, all of it or none.
    let running = AtomicBool::new(false);
    let changes = plan.changes()?;
    let done = plan.write(&changes, &running)?;
    told += &format!("run {} wrote {}\n", done.run, done.changes);
    told += &fs::read_to_string(&notice)?;
    let undone = revert(&host, done.run, &running)?;
    told += &format!("run {} reverted it\n", undone.run);
    told += &fs::read_to_string(&notice)?;
    Ok(told)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Two hosts work in one process at the same time, each in its own folder.
    #[test]
    fn two_at_once() {
        let wanted = "3 changes\n  2 of berth 4 to B-4\n  1 of berth 7 to B-7\nrun 1 wrote 2\n\
                      B-4 is closed\nberth 7 is open\nB-4 opens\nrun 2 reverted it\n\
                      berth 4 is closed\nberth 7 is open\nberth 4 opens\n";
        std::thread::scope(|scope| {
            for _ in 0..2 {
                scope.spawn(|| {
                    let port = tempfile::tempdir().unwrap();
                    assert_eq!(tour(port.path()).unwrap(), wanted);
                });
            }
        });
    }
}
