//! What is wrong with a rewrite file, and what may be: shown where it is.

use super::{STEP, Server};
use crate::hints::{PlacedHint, hints};
use crate::positions::Lines;
use crate::rewrite_document::{FileFault, WrittenFile};
use brisk_quill_core::span::Span;
use serde_json::{Value, json};

impl Server<'_> {
    /// Shows the faults of an open rewrite file, and the hints about it.
    pub(super) fn diagnose(&self, uri: &str) {
        let Some((path, text)) = self.rewrite_file(uri) else {
            return;
        };
        let version = self
            .shared()
            .documents
            .get(uri)
            .map(|document| document.version);
        let lines = Lines::new(&text, self.client.encoding);
        let diagnostic = |fault: &FileFault| {
            json!({
                "range": lines.range(fault.span),
                "severity": if fault.is_example { 2 } else { 1 },
                "source": "bquill",
                "message": fault.message,
            })
        };
        let written = WrittenFile::new(&text);
        let mut all: Vec<Value> = (written.analysis(&path).faults.iter())
            .map(diagnostic)
            .collect();
        let at = written.first_step();
        let step = json!(lines.range(Span::new(at, at + STEP.len())));
        let hints = self.shared().hints.get(uri).cloned().unwrap_or_default();
        all.extend(hints.iter().map(|hint| hint_at(&step, &hint.message)));
        let params = json!({"uri": uri, "version": version, "diagnostics": all});
        self.notify("textDocument/publishDiagnostics", params);
    }

    /// Shows the hints about a rewrite file at its first step, and at the places that they are about.
    pub(super) fn look_for_hints(&self, uri: &str) {
        let Ok((path, _, rewrite)) = self.built_file(uri) else {
            return;
        };
        let found = hints(
            &rewrite,
            &self.host.in_folder(self.folder_for(&path)),
            &path,
        );
        self.forget_hints(uri);
        self.shared().hints.insert(uri.to_owned(), found.clone());
        self.diagnose(uri);
        self.show_places(found.iter().filter_map(|hint| hint.place.as_ref()));
    }

    /// A rewrite file has changed: what was said about it is no longer true.
    pub(super) fn forget_hints(&self, uri: &str) {
        let gone = self.shared().hints.remove(uri).unwrap_or_default();
        self.show_places(gone.iter().filter_map(|hint| hint.place.as_ref()));
    }

    /// Shows in some texts the hints whose places lie in them.
    fn show_places<'p>(&self, places: impl Iterator<Item = &'p (String, u32)>) {
        let mut texts: Vec<&str> = places.map(|(uri, _)| &**uri).collect();
        texts.sort_unstable();
        texts.dedup();
        for uri in texts
            .into_iter()
            .filter(|uri| self.rewrite_file(uri).is_none())
        {
            let all: Vec<PlacedHint> = self.shared().hints.values().flatten().cloned().collect();
            let here = all.iter().filter_map(|hint| match &hint.place {
                Some((place, line)) if place == uri => Some((hint, *line)),
                _ => None,
            });
            let line = |line: u32| json!({"start": {"line": line, "character": 0}, "end": {"line": line + 1, "character": 0}});
            let shown: Vec<Value> = here
                .map(|(hint, at)| hint_at(&line(at), &hint.message))
                .collect();
            let params = json!({"uri": uri, "diagnostics": shown});
            self.notify("textDocument/publishDiagnostics", params);
        }
    }
}

/// A hint as a diagnostic: information, not a fault.
fn hint_at(range: &Value, message: &str) -> Value {
    json!({"range": range, "severity": 3, "source": "bquill", "message": message})
}
