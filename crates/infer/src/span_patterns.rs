//! The patterns of a span at its place in a template.

use crate::examples::Examples;
use crate::filters::{Filters, members};
use crate::form::{Class, Piece};
use crate::layouts::Slot;
use crate::slots::{Choice, Setting, choices};
use crate::templates::{Hypothesis, Part};
use crate::tokens::{Kind, kind, tokens};
use std::rc::Rc;

/// The patterns of one slot of a layout.
pub(super) fn of_slot(
    layout: &[Slot],
    at: usize,
    open: bool,
    hypothesis: &Hypothesis,
    examples: &Examples<'_>,
) -> Vec<Choice> {
    let slot = &layout[at];
    let texts: Vec<&[char]> = slot.texts.iter().flatten().map(|text| &text[..]).collect();
    let sign = |text: Option<&Option<Vec<char>>>, last: bool| -> Option<char> {
        let text = text?.as_ref()?;
        let c = if last { text.last() } else { text.first() };
        c.copied().filter(|c| !c.is_alphanumeric())
    };
    let shared = |other: Option<&Slot>, last: bool| -> Option<char> {
        let other = other?;
        let mut each = (0..other.texts.len()).filter(|&n| other.texts[n].is_some());
        let first = sign(other.texts.get(each.next()?), last)?;
        each.all(|n| sign(other.texts.get(n), last) == Some(first))
            .then_some(first)
    };
    let setting = Setting {
        cell: examples.cell || open,
        group: slot.group.is_some(),
        next: shared(layout.get(at + 1), false),
        previous: at
            .checked_sub(1)
            .and_then(|before| shared(layout.get(before), true)),
        alone: examples.cell
            && layout
                .iter()
                .filter(|slot| {
                    slot.texts
                        .iter()
                        .flatten()
                        .any(|text| text.iter().any(|c| !c.is_whitespace()))
                })
                .count()
                == 1,
        cut: (
            at.checked_sub(1)
                .is_some_and(|before| is_cut(layout, before)),
            is_cut(layout, at),
        ),
        depth: 0,
    };
    let key = (
        texts.iter().map(|text| text.to_vec()).collect::<Vec<_>>(),
        setting,
    );
    let known = examples.known.borrow().get(&key).cloned();
    let found = known.unwrap_or_else(|| {
        let found = Rc::new(choices(&texts, setting));
        examples.known.borrow_mut().insert(key, Rc::clone(&found));
        found
    });
    let mut list = (*found).clone();
    let date = slot
        .group
        .is_some_and(|group| reads_date(hypothesis, group, examples.filters));
    for choice in &mut list {
        if slot.group.is_none() {
            choice.cost += dropped_cost(&choice.pieces, &texts, setting.cut.0);
        }
        if date && choice.pieces.iter().any(is_loose) {
            choice.cost += if examples.cell { 0.2 } else { 0.9 };
        }
    }
    list.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    list
}

fn reads_date(hypothesis: &Hypothesis, group: usize, filters: &Filters) -> bool {
    hypothesis.parts.iter().any(|part| match part {
        Part::Slot {
            slot, filters: set, ..
        } => {
            *slot == group && members(*set).all(|filter| filters.words(filter).starts_with("date "))
        }
        _ => false,
    })
}

fn is_loose(piece: &Piece) -> bool {
    matches!(
        piece,
        Piece::Run {
            class: Class::Any
                | Class::Not(_)
                | Class::Dense
                | Class::DigitAnd(_)
                | Class::WordAnd(_),
            ..
        }
    )
}

/// The cost of text that a class takes away without its being seen in the pattern.
fn dropped_cost(pieces: &[Piece], texts: &[&[char]], cut: bool) -> f64 {
    let general = |piece: &&Piece| {
        match piece {
        Piece::Run { class, .. } => !matches!(class, Class::Set(_) | Class::Blank),
        Piece::Maybe(inner) => inner.iter().any(|piece| matches!(piece, Piece::Run { class, .. } if !matches!(class, Class::Set(_) | Class::Blank))),
        _ => false,
    }
    };
    if !pieces.iter().any(|piece| general(&piece)) {
        return 0.0;
    }
    let words = |text: &&[char]| tokens(text).iter().filter(|token| token.is_word()).count();
    let most = texts.iter().map(words).max().unwrap_or(0);
    // The rest of a word that is shortened is dropped as a matter of course.
    0.3 * (most.min(3) as f64 - if cut { 0.7 } else { 0.0 })
}

/// True if a word goes on from one slot into the next.
fn is_cut(layout: &[Slot], at: usize) -> bool {
    let (Some(slot), Some(next)) = (layout.get(at), layout.get(at + 1)) else {
        return false;
    };
    slot.texts.iter().zip(&next.texts).any(|two| match two {
        (Some(a), Some(b)) => {
            let kinds = (a.last().map(|c| kind(*c)), b.first().map(|c| kind(*c)));
            kinds.0 == kinds.1 && matches!(kinds.0, Some(Kind::Letters | Kind::Digits))
        }
        _ => false,
    })
}
