//! Hints about a rewrite, at the places that they are about.

use crate::below::sources_below;
use crate::paths::uri_of;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_engine::collector::NullCollector;
use brisk_quill_engine::hints::hint::Hint;
use brisk_quill_engine::host::Host;
use brisk_quill_engine::request::Work;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::session::Session;
use brisk_quill_engine::summary::Ended;
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::source::Source;
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;

/// A hint in words, and its place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlacedHint {
    /// The sentence, with the remedy.
    pub message: String,
    /// The address of a text and the line in it, from 0; `None` where it is about the rewrite alone.
    pub place: Option<(String, u32)>,
}

/// The hints about a rewrite over all files below a folder but one, as they are on disk.
pub fn hints(rewrite: &Rewrite, host: &Host, except: &Path) -> Vec<PlacedHint> {
    let Ok(mut sources) = sources_below(host) else {
        return Vec::new();
    };
    let is_meant = |source: &Source| match source {
        Source::File(file) => file.place() != except,
        Source::Stdin(_) => false,
    };
    sources.listing.sources.retain(is_meant);
    let token = Arc::clone(host.token());
    let mut session = Session::new(TextOptions::default(), Threads::default(), token).with_hints();
    let work = Work {
        rewrite,
        options: RunOptions::default(),
    };
    let go_on = |_| ControlFlow::Continue(());
    match session.run(&work, &sources, |_| NullCollector, go_on) {
        Ok(Ended::Complete(summary)) => summary.hints.shown.iter().map(placed).collect(),
        Ok(Ended::Stopped(..)) | Err(_) => Vec::new(),
    }
}

fn placed(hint: &Hint) -> PlacedHint {
    let mut message = format!("{}: {}", hint.name, hint.message);
    if let Some(remedy) = &hint.remedy {
        message.push_str(&format!("; {remedy}"));
    }
    let place = hint.place.as_ref().and_then(|place| match &place.source {
        Source::File(file) => {
            let line = u32::try_from(place.line.saturating_sub(1)).ok()?;
            Some((uri_of(&file.place()), line))
        }
        Source::Stdin(_) => None,
    });
    PlacedHint { message, place }
}
