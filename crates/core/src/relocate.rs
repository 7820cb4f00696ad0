//! Finding places of a text again after the text was edited.

use memchr::memmem;
use std::collections::HashMap;
use std::ops::Range;

/// The bytes of text around a place that are compared, on either side.
pub const AROUND: usize = 32;
/// The bytes of a place with its surroundings that it is looked up by.
const KEY: usize = 48;
/// The bytes that must be as they were on the other side, where one side alone is met.
const SOME: usize = 8;
/// The widest part of the text in which one side alone is looked for, in bytes.
const WINDOW_MOST: usize = 1 << 16;
/// The most different places that are compared at one offset.
const TRIED_MOST: usize = 64;

/// A place that is sought: a text, and up to [`AROUND`] bytes on either side, fewer only at an end of
/// the text it was in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sought {
    /// The first byte in the text as it was, from 0.
    pub at: usize,
    /// The bytes before it.
    pub left: Vec<u8>,
    /// The bytes of the place itself.
    pub text: Vec<u8>,
    /// The bytes behind it.
    pub right: Vec<u8>,
}

impl Sought {
    fn whole(&self) -> Vec<u8> {
        [&self.left[..], &self.text, &self.right].concat()
    }

    /// Which of its parts are met at an offset of a text: what is before it, itself, what is behind.
    fn matches(&self, now: &[u8], at: usize) -> [bool; 3] {
        let end = at + self.text.len();
        let before = now.get(..at).unwrap_or_default();
        let after = now.get(end..).unwrap_or_default();
        [
            before.ends_with(&self.left) && (self.left.len() == AROUND || at == self.left.len()),
            now.get(at..end) == Some(&self.text[..]),
            after.starts_with(&self.right)
                && (self.right.len() == AROUND || after.len() == self.right.len()),
        ]
    }
}

/// The offset of each place in the text as it is now; `None` where the place was edited, or cannot be
/// distinguished from others. The places are given in order, and are disjoint.
///
/// A place is found by the text around it, where as many places are like it now as there were;
/// otherwise by its distance from the nearest one that was found, or from an end of the text,
/// if at least that side of it is as it was; otherwise by one side alone, if that is met only once
/// between its neighbours.
///
/// ```
/// use brisk_quill_core::relocate::{Sought, relocate};
/// let place = Sought { at: 6, left: b"berth ".into(), text: b"7".into(), right: b" east".into() };
/// let found = relocate(&[place], 12, b"The berth 7 east");
/// // What is before it is no longer all that was there; what is behind it is.
/// assert_eq!(found, [Some(10)]);
/// ```
pub fn relocate(sought: &[Sought], was_length: usize, now: &[u8]) -> Vec<Option<usize>> {
    let mut found = by_surroundings(sought, now);
    keep_in_order(sought, &mut found);
    by_distance(sought, &mut found, was_length, now);
    by_one_side(sought, &mut found, now);
    found
}

/// Finds those that are as many as they were.
fn by_surroundings(sought: &[Sought], now: &[u8]) -> Vec<Option<usize>> {
    let mut groups: HashMap<Vec<u8>, Vec<usize>> = HashMap::new();
    for (index, place) in sought.iter().enumerate() {
        if place.left.len() == AROUND
            && place.left.len() + place.text.len() + place.right.len() >= KEY
        {
            groups.entry(place.whole()).or_default().push(index);
        }
    }
    let mut by_key: HashMap<&[u8], Vec<&[u8]>> = HashMap::new();
    let mut begins = vec![false; 1 << 16];
    for whole in groups.keys() {
        begins[pair(whole)] = true;
        let all = by_key.entry(&whole[..KEY]).or_default();
        if all.len() < TRIED_MOST {
            all.push(whole);
        }
    }
    let mut met: HashMap<&[u8], Vec<usize>> = HashMap::new();
    for (at, window) in now.windows(KEY).enumerate() {
        if !begins[pair(window)] {
            continue;
        }
        for whole in by_key.get(window).into_iter().flatten() {
            if now[at..].starts_with(whole) {
                met.entry(whole).or_default().push(at);
            }
        }
    }
    let mut found = vec![None; sought.len()];
    for (whole, at) in met {
        let group = &groups[whole];
        if at.len() == group.len() {
            for (index, at) in group.iter().zip(at) {
                let at = at + AROUND;
                let is_there = sought[*index].matches(now, at) == [true; 3];
                found[*index] = is_there.then_some(at);
            }
        }
    }
    found
}

/// The first two bytes, as a number.
fn pair(bytes: &[u8]) -> usize {
    usize::from(bytes[0]) << 8 | usize::from(bytes[1])
}

/// Drops what was found before or within one that preceded it.
fn keep_in_order(sought: &[Sought], found: &mut [Option<usize>]) {
    let mut least = 0;
    for (place, at) in sought.iter().zip(found) {
        match *at {
            Some(offset) if offset < least => *at = None,
            Some(offset) => least = offset + place.text.len(),
            None => {}
        }
    }
}

/// Finds others by their distance from what was found on either side.
fn by_distance(sought: &[Sought], found: &mut [Option<usize>], was_length: usize, now: &[u8]) {
    let moved = |at: usize, from: usize, to: usize| (at + to).checked_sub(from);
    // From the next one that was found, for each.
    let mut ahead = vec![None; sought.len()];
    let (mut from, mut to) = (was_length, now.len());
    for (index, place) in sought.iter().enumerate().rev() {
        if let Some(at) = found[index] {
            (from, to) = (place.at, at);
        }
        ahead[index] = moved(place.at, from, to).map(|at| (at, to));
    }
    let (mut from, mut to, mut least) = (0, 0, 0);
    for (index, place) in sought.iter().enumerate() {
        if found[index].is_none() {
            let fits = |at: usize, sides: [bool; 2]| {
                let [left, own, right] = place.matches(now, at);
                // A text of no length is known by nothing but both sides.
                let is_known = left && right
                    || !place.text.is_empty() && (sides[0] && left || sides[1] && right);
                own && is_known && at >= least
            };
            let before = moved(place.at, from, to).filter(|at| fits(*at, [true, false]));
            let after = ahead[index]
                .filter(|(at, next)| at + place.text.len() <= *next && fits(*at, [false, true]))
                .map(|(at, _)| at);
            found[index] = match (before, after) {
                (Some(one), Some(other)) if one != other => None,
                (one, other) => one.or(other),
            };
        }
        if let Some(at) = found[index] {
            (from, to, least) = (place.at, at, at + place.text.len());
        }
    }
    keep_in_order(sought, found);
}

/// Finds others by the text on one side of them, if that is met once between their neighbours and some of
/// the other side is as it was.
fn by_one_side(sought: &[Sought], found: &mut [Option<usize>], now: &[u8]) {
    let mut highs = vec![now.len(); sought.len()];
    let mut high = now.len();
    for index in (0..sought.len()).rev() {
        highs[index] = high;
        high = found[index].unwrap_or(high);
    }
    let (mut low, mut budget) = (0, 16 * now.len() + WINDOW_MOST);
    for (index, place) in sought.iter().enumerate() {
        let window = low..highs[index];
        if found[index].is_none() && window.len() <= budget.min(WINDOW_MOST) {
            budget -= window.len();
            found[index] = one_side(place, now, window);
        }
        if let Some(at) = found[index] {
            low = at + place.text.len();
        }
    }
    keep_in_order(sought, found);
}

/// The place in a part of the text at which one side of it is met, if that is only one.
fn one_side(place: &Sought, now: &[u8], window: Range<usize>) -> Option<usize> {
    if place.text.is_empty() {
        return None;
    }
    // What is met begins with the text or ends with it, and may reach beyond the window.
    let behind = [&place.text[..], &place.right].concat();
    let before = [&place.left[..], &place.text].concat();
    let fits = |at: usize| {
        let end = at + place.text.len();
        let [left, own, right] = place.matches(now, at);
        let same_before = same_ends(&place.left, &now[..at], false);
        let same_behind = same_ends(&place.right, now.get(end..).unwrap_or_default(), true);
        let is_known = left && same_behind >= SOME || right && same_before >= SOME;
        own && is_known && window.start <= at && end <= window.end
    };
    let most = window.end.saturating_add(AROUND).min(now.len());
    let least = window.start.saturating_sub(AROUND);
    let behind = memmem::find_iter(&now[window.start..most], &behind).map(|at| window.start + at);
    let before = memmem::find_iter(&now[least..window.end], &before);
    let before = before.map(|at| least + at + place.left.len());
    let mut all: Vec<usize> = behind
        .chain(before)
        .filter(|at| fits(*at))
        .take(2 * 2)
        .collect();
    all.sort_unstable();
    all.dedup();
    match all[..] {
        [at] => Some(at),
        _ => None,
    }
}

/// The number of bytes that are the same from the beginnings on, or from the ends.
fn same_ends(one: &[u8], other: &[u8], from_start: bool) -> usize {
    let same = |(a, b): &(&u8, &u8)| a == b;
    match from_start {
        true => one.iter().zip(other).take_while(same).count(),
        false => one
            .iter()
            .rev()
            .zip(other.iter().rev())
            .take_while(same)
            .count(),
    }
}
