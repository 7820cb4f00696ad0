//! One large file looked at in parts, on several threads.

use crate::commands::look::search::{Eye, Located, Watch};
use crate::commands::look::{Looked, Split};
use crate::output::{Output, Said};
use brisk_quill_core::query::searcher::Searcher;
use brisk_quill_core::rewrite::PartStart;
use brisk_quill_files::coding::Coding;
use brisk_quill_files::discover::Source;
use brisk_quill_files::error::FileError;
use brisk_quill_files::parts::{Called, Joiner, Part, read_in_parts};
use brisk_quill_files::read::OpenText;

/// What was seen in a part.
pub struct PartSeen<S> {
    seer: S,
    looked: Looked,
    page: Vec<Said>,
}

/// What is seen in all parts.
pub struct Whole<'w, 'q, S> {
    pub found: &'w mut Searcher<'q>,
    pub seer: &'w mut S,
    pub looked: &'w mut Looked,
    pub source: &'w Source,
    pub page: &'w mut Output,
    /// Where pages go as they are full.
    pub send: &'w mut dyn FnMut(Vec<Said>),
    /// What is not shared out has begun.
    pub in_turn: bool,
}

impl<'q, S: Split> Whole<'_, 'q, S> {
    /// Looks at a text with the help of those that were called. Each has a search of its own, and
    /// each part a seer, which `blank` makes.
    pub fn look<'s>(
        mut self,
        mut text: OpenText<'_>,
        helpers: &Called<'_>,
        search: impl Fn() -> Searcher<'s> + Sync,
        blank: &S,
    ) -> Result<(), FileError> {
        let (source, page) = (self.source, self.page.page());
        let file = text.file();
        let worker = || (search(), page.page());
        let work = |(found, page): &mut (Searcher<'_>, Output), part: &Part| {
            let mut seer = blank.for_part();
            let mut looked = Looked::default();
            seer.begin_file(source);
            let mut eye = Eye {
                seer: &mut seer,
                looked: &mut looked,
                source,
                output: page,
                send: None,
            };
            let located = &mut utf8(&mut eye);
            let [begun, piece] = part.texts();
            found.begin_part(file, part.start());
            found.push(begun, located);
            found.push_last(piece, located);
            found.finish(located);
            let page = page.turn();
            PartSeen { seer, looked, page }
        };
        read_in_parts(&mut text, helpers, worker, work, &mut self)?;
        if self.in_turn {
            self.rest_of(|found, located| {
                found.finish(located);
            });
        }
        Ok(())
    }

    /// Looks at what is not shared out.
    fn rest_of(&mut self, look: impl FnOnce(&mut Searcher<'q>, &mut Located<'_>)) {
        let mut eye = Eye {
            seer: self.seer,
            looked: self.looked,
            source: self.source,
            output: self.page,
            send: Some(self.send),
        };
        look(self.found, &mut utf8(&mut eye));
        eye.piece();
    }
}

/// Only what is UTF-8 is looked at in parts.
fn utf8<'l>(eye: &'l mut Eye<'_>) -> Located<'l> {
    let coding = &Coding::Utf8;
    Located { coding, watch: eye }
}

impl<S: Split> Joiner<PartSeen<S>> for Whole<'_, '_, S> {
    fn join(&mut self, seen: PartSeen<S>) {
        self.seer.join(seen.seer);
        self.looked.add(seen.looked);
        self.page.say(seen.page);
        if self.page.is_full() {
            (self.send)(self.page.turn());
        }
    }

    fn rest(&mut self, start: PartStart, bytes: &[u8], last: bool) {
        if !self.in_turn {
            self.in_turn = true;
            self.found.begin_part(self.source.path(), start);
        }
        self.rest_of(|found, located| match last {
            true => found.push_last(bytes, located),
            false => found.push(bytes, located),
        });
    }
}
