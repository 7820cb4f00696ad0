//! Kinds of changes grouped by the shapes of their texts, and long shapes cut so that they still differ.

use crate::shapes::{Shape, Shapes};
use std::cmp::Reverse;
use std::collections::HashMap;

/// Kinds of changes with the same shapes before and after.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ShapeGroup {
    /// The shape of the old texts.
    pub before: Shape,
    /// The shape of the new texts.
    pub after: Shape,
    /// The number of changes.
    pub count: u64,
    /// The indexes of its kinds, from 0, in their order.
    pub kinds: Vec<usize>,
}

/// Groups kinds, each an old text, a new text and its number of changes; the group with the most changes
/// first, those with as many in the order in which they are met.
///
/// ```
/// use brisk_quill_core::kind_shapes::by_shape;
/// let kinds = [(&b"berth 4"[..], &b"B-4"[..], 3), (b"pier", b"quay", 9), (b"berth 7", b"B-7", 8)];
/// let groups = by_shape(kinds);
/// assert_eq!((groups[0].before.to_string(), groups[0].after.to_string()), ("a{5} 9".into(), "A-9".into()));
/// assert_eq!((groups[0].count, &groups[0].kinds[..]), (11, &[0, 2][..]));
/// ```
pub fn by_shape<'k>(kinds: impl IntoIterator<Item = (&'k [u8], &'k [u8], u64)>) -> Vec<ShapeGroup> {
    let shapes = Shapes::new();
    let mut places: HashMap<(Shape, Shape), usize> = HashMap::new();
    let mut groups: Vec<ShapeGroup> = Vec::new();
    for (index, (before, after, count)) in kinds.into_iter().enumerate() {
        let (before, after) = (shapes.of(before), shapes.of(after));
        let place = *places
            .entry((before.clone(), after.clone()))
            .or_insert(groups.len());
        if place == groups.len() {
            groups.push(ShapeGroup {
                before,
                after,
                count: 0,
                kinds: Vec::new(),
            });
        }
        groups[place].count += count;
        groups[place].kinds.push(index);
    }
    groups.sort_by_key(|group| Reverse(group.count));
    groups
}

/// Characters in front of an elided part, and before the place at which a text differs.
const HEAD: usize = 8;

/// Texts of at most `width` characters, at least 24: of a longer one, what it has in common with the text
/// most like it is left out, and never the place at which it differs from that.
///
/// ```
/// use brisk_quill_core::kind_shapes::elided;
/// let texts = [format!("{}9{{2}}", "Aa{4} ".repeat(9)), format!("{}9{{3}}", "Aa{4} ".repeat(9))];
/// assert_eq!(elided(&texts, 24), ["Aa{4} Aa…Aa{4} 9{2}", "Aa{4} Aa…Aa{4} 9{3}"]);
/// ```
pub fn elided(texts: &[String], width: usize) -> Vec<String> {
    let texts: Vec<Vec<char>> = texts.iter().map(|text| text.chars().collect()).collect();
    let mut order: Vec<usize> = (0..texts.len()).collect();
    order.sort_by(|a, b| texts[*a].cmp(&texts[*b]));
    order.dedup_by(|a, b| texts[*a] == texts[*b]);
    let common = |a: &[char], b: &[char]| a.iter().zip(b).take_while(|(a, b)| a == b).count();
    // Of all texts, a neighbour in order has the longest beginning in common.
    let differs_at = |text: &Vec<char>| {
        let place = order.partition_point(|other| texts[*other] < *text);
        let beside = [place.checked_sub(1), Some(place + 1)];
        let beside = beside
            .into_iter()
            .flatten()
            .filter_map(|place| order.get(place));
        beside
            .map(|other| common(text, &texts[*other]))
            .max()
            .unwrap_or(0)
    };
    let cut = |text: &Vec<char>| match text.len() <= width.max(3 * HEAD) {
        true => text.iter().collect(),
        false => shortened(text, differs_at(text), width.max(3 * HEAD)),
    };
    texts.iter().map(cut).collect()
}

/// A text of at most `width` characters that shows its beginning and the place `at`.
fn shortened(text: &[char], at: usize, width: usize) -> String {
    let from = at.saturating_sub(HEAD);
    let (head, from) = match from > HEAD + 1 {
        true => (HEAD, from),
        false => (0, 0),
    };
    let mut out: String = text[..head].iter().collect();
    if head > 0 {
        out.push('…');
    }
    let left = width - out.chars().count();
    let rest = &text[from..];
    match rest.len() <= left {
        true => out.extend(rest),
        false => {
            out.extend(&rest[..left - 1]);
            out.push('…');
        }
    }
    out
}
