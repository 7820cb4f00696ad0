//! The texts that are open in the editor.

use crate::positions::Lines;
use crate::protocol::{Encoding, TextChange};
use std::collections::BTreeMap;
use std::sync::Arc;

/// The longest text that is held, in bytes.
const TEXT_MOST: usize = 64 << 20;

/// An open text.
#[derive(Clone, Debug)]
pub struct Document {
    pub version: i64,
    /// `None` where it is too long to be held.
    pub text: Option<Arc<str>>,
}

/// All open texts by address.
#[derive(Clone, Debug, Default)]
pub struct Documents(BTreeMap<String, Document>);

impl Documents {
    pub fn open(&mut self, uri: String, version: i64, text: String) {
        let text = (text.len() <= TEXT_MOST).then(|| text.into());
        self.0.insert(uri, Document { version, text });
    }

    pub fn close(&mut self, uri: &str) {
        self.0.remove(uri);
    }

    /// Makes changes one after the other, each in the text that the one before left.
    pub fn change(&mut self, uri: &str, version: i64, changes: &[TextChange], encoding: Encoding) {
        let Some(document) = self.0.get_mut(uri) else {
            return;
        };
        document.version = version;
        for change in changes {
            let new = match (&document.text, change.range) {
                (_, None) => change.text.clone(),
                // A part of a text that is not held means nothing.
                (None, Some(_)) => continue,
                (Some(text), Some(range)) => {
                    let span = Lines::new(text, encoding).span(range);
                    [&text[..span.from], &change.text, &text[span.to..]].concat()
                }
            };
            document.text = (new.len() <= TEXT_MOST).then(|| new.into());
        }
    }

    pub fn get(&self, uri: &str) -> Option<&Document> {
        self.0.get(uri)
    }

    /// The text of an open document that is held.
    pub fn text(&self, uri: &str) -> Option<Arc<str>> {
        self.get(uri)?.text.clone()
    }

    /// Addresses of all.
    pub fn uris(&self) -> impl Iterator<Item = &str> {
        self.0.keys().map(String::as_str)
    }
}

#[cfg(test)]
mod tests {
    use super::Documents;
    use crate::positions::Lines;
    use crate::protocol::{Encoding, Range, TextChange};
    use brisk_quill_core::span::Span;
    use proptest::prelude::*;

    proptest! {
        /// Changes of parts lead to the text that changes of bytes lead to.
        #[test]
        fn parts_make_the_whole(
            text in "[aå😀\n]{0,20}", edits in prop::collection::vec((0..40usize, 0..40usize, "[bß🚢\n]{0,4}"), 0..6),
            wide in any::<bool>(),
        ) {
            let encoding = if wide { Encoding::Utf16 } else { Encoding::Utf8 };
            let mut all = Documents::default();
            all.open("a".into(), 1, text.clone());
            let mut wanted = text;
            for (version, (one, other, new)) in (2..).zip(edits) {
                let borders: Vec<usize> = wanted.char_indices().map(|(at, _)| at).chain([wanted.len()]).collect();
                let at = |n: usize| borders[n % borders.len()];
                let span = Span::new(at(one).min(at(other)), at(one).max(at(other)));
                let Range { start, end } = Lines::new(&wanted, encoding).range(span);
                let change = TextChange { range: Some(Range { start, end }), text: new.clone() };
                all.change("a", version, &[change], encoding);
                wanted.replace_range(span.range(), &new);
                prop_assert_eq!(&*all.text("a").unwrap(), &*wanted);
            }
        }
    }
}
