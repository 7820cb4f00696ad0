//! Bytes beside a match that are not UTF-8.
//!
//! Note to the maintainer. A stray byte is not a word character. The engine has no such rule: `\B`
//! and the half boundaries of a whole word never hold beside one, and a continuation byte behind
//! a letter counts as that letter. So a unit with stray bytes is searched with each of them
//! overwritten by a sign that the unit does not hold, and with a pattern that cannot match that
//! sign. Nothing moves, and nothing else changes.

use crate::pattern::exact::{ExactFinder, compiled};
use crate::pattern::within::Within;
use crate::pattern::without::without;
use regex_syntax::hir::{Capture, Hir};
use std::sync::Arc;

/// Signs that are not word characters and end no line, the least likely to be met first.
const SIGNS: &[u8] = b"\x01\x02\x03\x04\x05\x06\x07\x08\x0E\x0F\x10\x11\x12\x13\x14\x15\x16\x17\
    \x18\x19\x1A\x1B\x1C\x1D\x1E\x1F\x7F\x00\x0B\x0C^`~|\\@#$%&*+=<>?!;:'\"()[]{},./- \t";

/// Searches units with stray bytes; one thread's scratch memory.
#[derive(Debug)]
pub(super) struct StrayBytes {
    hir: Arc<Hir>,
    within: Within,
    /// By the sign that stands for a stray byte.
    finders: Vec<(u8, ExactFinder)>,
    text: Vec<u8>,
}

impl StrayBytes {
    /// `None` for a pattern that looks at no word character beside a match.
    pub(super) fn new(hir: &Arc<Hir>, within: Within) -> Option<Self> {
        hir.properties().look_set().contains_word().then(|| Self {
            hir: Arc::clone(hir),
            within,
            finders: Vec::new(),
            text: Vec::new(),
        })
    }

    /// The finder and the text for a unit; `None` where it has no stray byte.
    pub(super) fn ready(&mut self, unit: &[u8]) -> Option<(&mut ExactFinder, &[u8])> {
        let first = std::str::from_utf8(unit).err()?.valid_up_to();
        let mut there = [false; 256];
        unit.iter().for_each(|b| there[usize::from(*b)] = true);
        // A text that holds all of them is searched as it is.
        let sign = *SIGNS.iter().find(|sign| !there[usize::from(**sign)])?;
        self.text.clear();
        self.text.extend_from_slice(&unit[..first]);
        for chunk in unit[first..].utf8_chunks() {
            self.text.extend_from_slice(chunk.valid().as_bytes());
            let stray = std::iter::repeat_n(sign, chunk.invalid().len());
            self.text.extend(stray);
        }
        let place = match self.finders.iter().position(|(known, _)| *known == sign) {
            Some(place) => place,
            None => {
                // It is at most as large as the pattern itself, which could be compiled.
                let regex = compiled(&without(&self.hir, sign, Hir::look, grouped)).ok()?;
                self.finders
                    .push((sign, ExactFinder::new(&regex, self.within)));
                self.finders.len() - 1
            }
        };
        Some((&mut self.finders[place].1, &self.text))
    }
}

fn grouped(group: &Capture, inner: Hir) -> Hir {
    Hir::capture(Capture {
        sub: Box::new(inner),
        ..group.clone()
    })
}
