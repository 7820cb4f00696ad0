//! Places in files, with a little of the text around them.

use super::beside::is_word_byte;
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::span::Span;
use brisk_quill_core::unit::line_ends;
use brisk_quill_files::source::Source;
use std::sync::Arc;

/// Units that are longer are cut around the place.
const WHOLE: usize = 240;
/// Bytes kept on either side of a place in a longer unit.
const AROUND: usize = 100;
/// Longer texts are not kept.
pub const TEXT_MOST: usize = 1024;

/// A place in a unit, with the unit or what stands around the place in it.
#[derive(Clone, Debug)]
pub struct Spot {
    /// The file.
    pub source: Arc<Source>,
    /// The line, from 1.
    pub line: u64,
    /// The text of the unit, or a part of it.
    pub window: Box<[u8]>,
    /// The place in the window.
    pub span: Span,
    /// True for the value of a cell.
    pub in_cell: bool,
}

impl Spot {
    /// The place `span` of what was searched in `unit`.
    pub fn new(source: &Arc<Source>, unit: &UnitView<'_>, span: Span) -> Self {
        Self::counting(source, unit, span, &mut LineCount::default())
    }

    /// The same for one place after another of the same unit.
    pub fn counting(
        source: &Arc<Source>,
        unit: &UnitView<'_>,
        span: Span,
        lines: &mut LineCount,
    ) -> Self {
        let bytes = unit.bytes();
        let (from, to) = match bytes.len() <= WHOLE {
            true => (0, bytes.len()),
            false => (
                char_start(bytes, span.from.saturating_sub(AROUND)),
                char_start(bytes, (span.to + AROUND).min(bytes.len())),
            ),
        };
        let before = match unit.cell {
            Some(_) => 0,
            None => lines.before(bytes, span.from),
        };
        Self {
            source: Arc::clone(source),
            line: unit.line + before,
            window: bytes[from..to].into(),
            span: Span::new(span.from - from, span.to - from),
            in_cell: unit.cell.is_some(),
        }
    }

    /// The text at the place.
    pub fn text(&self) -> &[u8] {
        &self.window[self.span.range()]
    }

    /// The word at the place, as far as letters, digits and `_` go on beyond its ends.
    pub fn word(&self) -> &[u8] {
        let before = &self.window[..self.span.from];
        let after = &self.window[self.span.to..];
        let head = before
            .iter()
            .rev()
            .take_while(|b| is_word_byte(**b))
            .count();
        let tail = after.iter().take_while(|b| is_word_byte(**b)).count();
        &self.window[self.span.from - head..self.span.to + tail]
    }
}

/// The line ends of a unit, counted once however many places are asked for in order.
#[derive(Clone, Copy, Debug, Default)]
pub struct LineCount {
    at: usize,
    ends: u64,
}

impl LineCount {
    fn before(&mut self, bytes: &[u8], at: usize) -> u64 {
        if at < self.at {
            *self = Self::default();
        }
        self.ends += line_ends(&bytes[self.at..at]);
        self.at = at;
        self.ends
    }
}

/// The start of the character in which offset `at` lies.
fn char_start(text: &[u8], at: usize) -> usize {
    let back = (0..4.min(at + 1)).find(|back| text.get(at - back).is_none_or(|b| b & 0xC0 != 0x80));
    at - back.unwrap_or(0)
}
