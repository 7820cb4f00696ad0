//! The spans between and within the slots of a template, as they are in each of the examples.

use crate::templates::{Hypothesis, Part, Reading, Window};

/// A span of the old text, as it is in each of the examples.
#[derive(Clone, Debug)]
pub(super) struct Slot {
    /// The text in each example; `None` where it is absent.
    pub texts: Vec<Option<Vec<char>>>,
    /// The number of its group, from 0; `None` for text between groups.
    pub group: Option<usize>,
    /// True if it is part of what may be absent.
    pub optional: bool,
}

/// The text that examples have between their slots, as lists of spans: more than one where a part may be absent.
pub(super) fn layouts(
    hypothesis: &Hypothesis,
    befores: &[&[char]],
    windows: &[Window],
) -> Vec<Vec<Slot>> {
    let count = hypothesis.readings[0].len();
    let is_optional = |slot: usize| {
        hypothesis.parts.iter().any(
            |part| matches!(part, Part::Slot { slot: of, optional: Some(_), .. } if *of == slot),
        )
    };
    let mut layouts: Vec<Vec<Slot>> = vec![Vec::new()];
    let ends = |reading: &Reading, window: &Window, slot: usize| match slot {
        0 => window.before.0,
        slot => reading[slot - 1].map_or(window.before.0, |span| span.1),
    };
    let gap = |slot: usize| -> Vec<Option<Vec<char>>> {
        let each = hypothesis.readings.iter().zip(windows).zip(befores);
        each.map(|((reading, window), before)| {
            // Behind an absent span the text belongs to what was before it.
            if slot > 0 && reading[slot - 1].is_none() {
                return None;
            }
            let from = ends(reading, window, slot);
            let to = match slot == count {
                true => window.before.1,
                false => match reading[slot] {
                    Some(span) => span.0,
                    None => reading
                        .get(slot + 1)
                        .copied()
                        .flatten()
                        .map_or(window.before.1, |next| next.0),
                },
            };
            (from <= to).then(|| before[from..to].to_vec())
        })
        .collect()
    };
    let of_group = |slot: usize| -> Slot {
        let each = hypothesis.readings.iter().zip(befores);
        Slot {
            texts: each
                .map(|(reading, before)| reading[slot].map(|(a, b)| before[a..b].to_vec()))
                .collect(),
            group: Some(slot),
            optional: is_optional(slot),
        }
    };
    let mut slot = 0;
    while slot <= count {
        let texts = gap(slot);
        if slot < count && is_optional(slot) {
            let behind = gap(slot + 1);
            let mut next = Vec::new();
            for (outer_before, inner_before, inner_behind, outer_behind) in
                splits(&texts, &behind, &of_group(slot).texts)
            {
                for layout in &layouts {
                    let mut layout = layout.clone();
                    let gap = |texts, optional| Slot {
                        texts,
                        group: None,
                        optional,
                    };
                    layout.push(gap(outer_before.clone(), false));
                    layout.push(gap(inner_before.clone(), true));
                    layout.push(of_group(slot));
                    layout.push(gap(inner_behind.clone(), true));
                    layout.push(gap(outer_behind.clone(), false));
                    next.push(layout);
                }
            }
            layouts = next;
            slot += 1;
            if slot < count {
                layouts
                    .iter_mut()
                    .for_each(|layout| layout.push(of_group(slot)));
            }
            slot += 1;
            if slot > count {
                break;
            }
            continue;
        }
        for layout in &mut layouts {
            layout.push(Slot {
                texts: texts.clone(),
                group: None,
                optional: false,
            });
            if slot < count {
                layout.push(of_group(slot));
            }
        }
        slot += 1;
    }
    let is_there = |slot: &Slot| {
        slot.group.is_some() || slot.texts.iter().flatten().any(|text| !text.is_empty())
    };
    for layout in &mut layouts {
        layout.retain(is_there);
    }
    layouts
}

type Texts = Vec<Option<Vec<char>>>;

/// The ways to say which of the text around an absent span goes with it: the text before that is always there and
/// that which is not, then behind it likewise. In examples without the span all of their text is
/// in `before`.
fn splits(before: &Texts, behind: &Texts, span: &Texts) -> Vec<(Texts, Texts, Texts, Texts)> {
    let absent: Vec<&Vec<char>> = before
        .iter()
        .zip(span)
        .filter(|(_, span)| span.is_none())
        .filter_map(|(text, _)| text.as_ref())
        .collect();
    let Some(shortest) = absent.iter().map(|text| text.len()).min() else {
        return Vec::new();
    };
    let mut found = Vec::new();
    for kept in (0..=shortest).rev() {
        let mut split = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
        let fits = before
            .iter()
            .zip(behind)
            .zip(span)
            .all(|((before, behind), span)| {
                let Some(before) = before else {
                    return false;
                };
                if span.is_none() {
                    split.0.push(Some(before[..kept].to_vec()));
                    split.1.push(None);
                    split.2.push(None);
                    split.3.push(Some(before[kept..].to_vec()));
                    return true;
                }
                let Some(behind) = behind else {
                    return false;
                };
                let tail = shortest - kept;
                let starts = before.starts_with(&absent[0][..kept]);
                let ends = behind.ends_with(&absent[0][kept..shortest]);
                if !(starts && ends) {
                    return false;
                }
                split.0.push(Some(before[..kept].to_vec()));
                split.1.push(Some(before[kept..].to_vec()));
                split.2.push(Some(behind[..behind.len() - tail].to_vec()));
                split.3.push(Some(behind[behind.len() - tail..].to_vec()));
                true
            });
        if fits {
            found.push(split);
        }
    }
    found.truncate(4);
    found
}
