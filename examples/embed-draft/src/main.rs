//! The engine without the program `bquill`: a step that is evaluated while it is being written, as an editor would.
//! Each key is a job; a new one stops the one before it, so no key waits.
//!
//! `cargo run -p embed-draft` shows it on notices of its own.

use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_engine::draft::newest_first::NewestFirst;
use brisk_quill_engine::draft::request::RowsView;
use brisk_quill_engine::draft::row::RowPlace;
use brisk_quill_engine::draft::worker::{
    DraftNews, DraftTexts, DraftWorker, WantedList, WantedRows, bytes_of,
};
use brisk_quill_engine::host::Host;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::sources::Sources;
use brisk_quill_files::discover::Search;
use brisk_quill_files::read::TextOptions;
use std::error::Error;
use std::fs;
use std::path::Path;
use std::sync::Arc;
use std::sync::mpsc::channel;

/// A key has been pressed: the words of the step as they are now.
struct Key {
    pattern: &'static str,
    template: Option<&'static str>,
}

fn main() -> Result<(), Box<dyn Error>> {
    let port = tempfile::tempdir()?;
    print!("{}", tour(port.path())?);
    Ok(())
}

/// Types a pattern, then a template; gives what would be on the screen after each key.
fn tour(port: &Path) -> Result<String, Box<dyn Error>> {
    fs::write(port.join("01.md"), "berth 4 is closed\nberth 7 is open\n")?;
    let host = Host::new(port.to_owned());
    let sources = Sources::find(&host, vec![".".into()], Search::default())?;
    let texts = DraftTexts {
        bytes: bytes_of(&sources),
        sources: Arc::new(sources),
        listing: 1,
        options: TextOptions::default(),
        threads: Threads::default(),
        stdin: None,
        hints: true,
    };

    // One thread works on the newest job; what it finds comes through a channel.
    let (tell, news) = channel();
    let mut worker = DraftWorker::new();
    let thread = NewestFirst::start(move |key: Key, token| {
        let spec = StepSpec {
            pattern: Some(key.pattern.into()),
            with: key.template.map(str::to_owned),
            ..StepSpec::default()
        };
        let specs = vec![spec];
        let draft = match worker.compile(&specs) {
            Ok(steps) => worker.prepare((specs, steps), 0, &texts),
            Err(wrong) => return drop(tell.send(Screen::Wrong(wrong.to_string()))),
        };
        let wanted = WantedRows {
            list: WantedList::Of(RowsView::Changes),
            from: RowPlace::default(),
            rows: 20,
        };
        let told = worker.evaluate(&draft, wanted, None, token, &mut |news| {
            let _ = tell.send(Screen::News(news));
        });
        if let Err(error) = told {
            let _ = tell.send(Screen::Wrong(error.to_string()));
        }
    });

    let mut shown = String::new();
    let keys = [("ber(", None), ("ber", None), (r"berth (\d)", Some("B-$1"))];
    for (pattern, template) in keys {
        thread.give(Key { pattern, template });
        // A front would draw what it has, and look for the next key meanwhile.
        loop {
            match news.recv()? {
                Screen::Wrong(words) => shown += &format!("{pattern}: {words}\n"),
                Screen::News(DraftNews::Counted(all)) => {
                    let counts = all.counts;
                    let (matches, changes) = (counts.matches, counts.changes);
                    shown += &format!("{pattern}: {matches} matches, {changes} changes\n");
                }
                Screen::News(_) => continue,
            }
            break;
        }
    }
    Ok(shown)
}

/// Something to be shown.
enum Screen {
    Wrong(String),
    News(DraftNews),
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn typed() {
        let port = tempfile::tempdir().unwrap();
        let shown = tour(port.path()).unwrap();
        let lines: Vec<&str> = shown.lines().collect();
        assert!(lines[0].starts_with("ber(: step 1: "), "{shown}");
        let wanted = [
            "ber: 2 matches, 0 changes",
            r"berth (\d): 2 matches, 2 changes",
        ];
        assert_eq!(lines[1..], wanted, "{shown}");
    }
}
