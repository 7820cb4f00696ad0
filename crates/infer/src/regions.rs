//! The parts of lines that changed, and the ways to widen them to what a rule goes by.

use crate::budget::Budget;
use crate::case::Case;
use crate::templates::Window;
use crate::tokens::{Kind, Token, kind, text_of, tokens};
use brisk_quill_core::common_ends::common_ends;
use std::collections::HashSet;

/// A way to cut the changed lines into windows: those of each line, and the cost of the way.
#[derive(Clone, Debug)]
pub(super) struct Plan {
    pub windows: Vec<Vec<Window>>,
    pub cost: f64,
}

/// Tokens of a line that are compared, at most; what goes beyond is one region.
const TOKENS_MOST: usize = 400;

/// A way to widen a window on one side.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Widen {
    /// By this many tokens.
    Tokens(usize),
    /// To the next letters or digits, them included.
    Word,
    /// To the next white space.
    Blank,
    /// To the end of the line.
    All,
}

const WIDENINGS: [(Widen, f64); 7] = [
    (Widen::Tokens(0), 0.0),
    (Widen::Tokens(1), 0.1),
    (Widen::Word, 0.2),
    (Widen::Tokens(2), 0.25),
    (Widen::Blank, 0.3),
    (Widen::Tokens(3), 0.4),
    (Widen::All, 0.4),
];

/// The ways to cut some changed lines, the cheapest first, as far as the budget goes.
pub(super) fn plans(cases: &[&Case], budget: &mut Budget) -> Vec<Plan> {
    let mut plans: Vec<Plan> = Vec::new();
    let all: Vec<Vec<Token>> = cases.iter().map(|case| tokens(&case.before)).collect();
    for (level, cost) in [
        (Level::Tokens, 0.0),
        (Level::Words, 0.1),
        (Level::Merged, 0.15),
        (Level::Paired, 0.1),
        (Level::Whole, 0.3),
    ] {
        let length = |case: &&Case| {
            let (old, new) = (case.before.len() / 4, case.after.len() / 4);
            // Long texts are not compared token by token.
            old + new + old.min(TOKENS_MOST) * new.min(TOKENS_MOST) / 8
        };
        budget.spend(cases.iter().map(length).sum());
        let basic: Vec<Vec<Window>> = cases.iter().map(|case| regions(case, level)).collect();
        for slide in [Slide::No, Slide::Left, Slide::Right] {
            let slid: Vec<Vec<Window>> = cases
                .iter()
                .zip(&basic)
                .map(|(case, windows)| {
                    windows
                        .iter()
                        .map(|window| slid(case, *window, slide))
                        .collect()
                })
                .collect();
            if slide != Slide::No && slid == basic {
                continue;
            }
            let many: usize = slid.iter().map(Vec::len).sum();
            for (left, of_left) in WIDENINGS {
                for (right, of_right) in WIDENINGS {
                    if budget.is_spent() {
                        break;
                    }
                    budget.spend(5 + many);
                    let windows = (cases.iter().zip(&all).zip(&slid))
                        .map(|((case, all), windows)| widened((case, all), windows, left, right))
                        .collect();
                    let slide_cost = if slide == Slide::No { 0.0 } else { 0.05 };
                    plans.push(Plan {
                        windows,
                        cost: cost + slide_cost + of_left + of_right,
                    });
                }
            }
        }
    }
    plans.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    let mut seen = HashSet::new();
    plans.retain(|plan| seen.insert(plan.windows.clone()));
    plans
}

/// The tokens of one text that changed, before and after.
pub(super) fn token_changes(case: &Case) -> Vec<(String, String)> {
    let text = |text: &[char], (from, to): (usize, usize)| text_of(&text[from..to]);
    let changes = regions(case, Level::Tokens).into_iter();
    changes
        .map(|window| {
            (
                text(&case.before, window.before),
                text(&case.after, window.after),
            )
        })
        .collect()
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Level {
    Tokens,
    Words,
    /// Changes that are close together are one.
    Merged,
    /// Two changes are one, as around a bracketed text.
    Paired,
    Whole,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Slide {
    No,
    Left,
    Right,
}

/// The changed parts of one line, whole words of both texts.
fn regions(case: &Case, level: Level) -> Vec<Window> {
    let all = tokens(&case.before);
    let mut whole: Vec<Window> = Vec::new();
    for mut window in changed_parts(case, level) {
        // What is the same on both sides may still be a part of a word that is new.
        while torn(&case.after, window.after.0) && window.before.0 > 0 {
            let from = to_left(&all, window.before.0, Widen::Tokens(1));
            window.after.0 = window.after.0.saturating_sub(window.before.0 - from);
            window.before.0 = from;
        }
        while torn(&case.after, window.after.1) && window.before.1 < case.before.len() {
            let to = to_right(&all, window.before.1, Widen::Tokens(1), case.before.len());
            window.after.1 = (window.after.1 + to - window.before.1).min(case.after.len());
            window.before.1 = to;
        }
        match whole.last_mut() {
            Some(last) if window.before.0 < last.before.1 => {
                last.before.1 = window.before.1.max(last.before.1);
                last.after.1 = window.after.1.max(last.after.1);
            }
            _ => whole.push(window),
        }
    }
    whole
}

/// True if letters, or digits, stand on both sides of `at`.
fn torn(text: &[char], at: usize) -> bool {
    let kind = |at: usize| text.get(at).map(|c| kind(*c));
    let word = matches!(kind(at), Some(Kind::Letters | Kind::Digits));
    at > 0 && word && kind(at - 1) == kind(at)
}

/// The changed parts of one line, cut where tokens of the old text end.
fn changed_parts(case: &Case, level: Level) -> Vec<Window> {
    let (before, after) = (&case.before[..], &case.after[..]);
    if level == Level::Whole {
        return vec![trimmed(before, after)];
    }
    let words = level == Level::Words;
    let cut = |text: &[char]| -> Vec<(usize, usize)> {
        let all = tokens(text);
        match words {
            true => joined_words(&all),
            false => all.iter().map(|token| (token.from, token.to)).collect(),
        }
    };
    let (old, new) = (cut(before), cut(after));
    if old.len() > TOKENS_MOST || new.len() > TOKENS_MOST {
        return vec![trimmed(before, after)];
    }
    let mut windows = Vec::new();
    let (mut i, mut j) = (0, 0);
    let pairs = common(before, after, &old, &new);
    let start =
        |cut: &[(usize, usize)], at: usize, end: usize| cut.get(at).map_or(end, |token| token.0);
    for (a, b) in pairs.into_iter().chain([(old.len(), new.len())]) {
        if a > i || b > j {
            windows.push(Window {
                before: (start(&old, i, before.len()), start(&old, a, before.len())),
                after: (start(&new, j, after.len()), start(&new, b, after.len())),
            });
        }
        (i, j) = (a + 1, b + 1);
    }
    if level == Level::Paired {
        let join = |pair: &[Window]| match pair {
            [a, b] => Window {
                before: (a.before.0, b.before.1),
                after: (a.after.0, b.after.1),
            },
            _ => pair[0],
        };
        return windows.chunks(2).map(join).collect();
    }
    if level == Level::Merged {
        let mut merged: Vec<Window> = Vec::new();
        for window in windows {
            match merged.last_mut() {
                Some(last) if window.before.0 - last.before.1 <= 3 => {
                    last.before.1 = window.before.1;
                    last.after.1 = window.after.1;
                }
                _ => merged.push(window),
            }
        }
        return merged;
    }
    windows
}

/// Words and the white space between them.
fn joined_words(all: &[Token]) -> Vec<(usize, usize)> {
    let mut words: Vec<(usize, usize, bool)> = Vec::new();
    for token in all {
        let blank = token.kind == Kind::Blanks;
        match words.last_mut() {
            Some(last) if last.2 == blank => last.1 = token.to,
            _ => words.push((token.from, token.to, blank)),
        }
    }
    words.into_iter().map(|(from, to, _)| (from, to)).collect()
}

/// The whole text but for its common start and end.
fn trimmed(before: &[char], after: &[char]) -> Window {
    let (head, tail) = common_ends(before, after);
    // Whole tokens only.
    let old = tokens(before);
    let mut left = old.iter().rev();
    let from = left
        .find(|token| token.from <= head)
        .map_or(0, |token| token.from);
    let end = before.len() - tail;
    let to = old
        .iter()
        .find(|token| token.to >= end)
        .map_or(before.len(), |token| token.to);
    Window {
        before: (from, to),
        after: (from, after.len() - (before.len() - to)),
    }
}

/// The longest common sequence of tokens: their numbers on both sides.
fn common(
    before: &[char],
    after: &[char],
    old: &[(usize, usize)],
    new: &[(usize, usize)],
) -> Vec<(usize, usize)> {
    let same = |a: usize, b: usize| before[old[a].0..old[a].1] == after[new[b].0..new[b].1];
    let width = new.len() + 1;
    let mut length = vec![0_u32; (old.len() + 1) * width];
    for a in (0..old.len()).rev() {
        for b in (0..new.len()).rev() {
            let best = length[(a + 1) * width + b].max(length[a * width + b + 1]);
            let with = match same(a, b) {
                // Words weigh more than signs, so that those do not tear a change apart.
                true => {
                    let word = before[old[a].0].is_alphanumeric();
                    length[(a + 1) * width + b + 1] + if word { 4 } else { 1 }
                }
                false => 0,
            };
            length[a * width + b] = best.max(with);
        }
    }
    let (mut a, mut b) = (0, 0);
    let mut pairs = Vec::new();
    while a < old.len() && b < new.len() {
        let here = length[a * width + b];
        let word = before[old[a].0].is_alphanumeric();
        let with = length[(a + 1) * width + b + 1] + if word { 4 } else { 1 };
        if same(a, b) && here == with {
            pairs.push((a, b));
            (a, b) = (a + 1, b + 1);
        } else if here == length[(a + 1) * width + b] {
            a += 1;
        } else {
            b += 1;
        }
    }
    pairs
}

/// A pure insertion or deletion moved as far as the text allows.
fn slid(case: &Case, window: Window, slide: Slide) -> Window {
    let mut window = window;
    let inserted = window.before.0 == window.before.1;
    let deleted = window.after.0 == window.after.1;
    if inserted == deleted || slide == Slide::No {
        return window;
    }
    let (text, span) = match inserted {
        true => (&case.after, window.after),
        false => (&case.before, window.before),
    };
    let (mut from, mut to) = span;
    match slide {
        Slide::Left => {
            while from > 0
                && window.before.0 > 0
                && window.after.0 > 0
                && text[from - 1] == text[to - 1]
            {
                (from, to) = (from - 1, to - 1);
                for side in [&mut window.before, &mut window.after] {
                    *side = (side.0 - 1, side.1 - 1);
                }
            }
        }
        _ => {
            while to < text.len() && text[from] == text[to] {
                (from, to) = (from + 1, to + 1);
                for side in [&mut window.before, &mut window.after] {
                    *side = (side.0 + 1, side.1 + 1);
                }
            }
        }
    }
    window
}

/// Windows widened on both sides; those that then overlap become one.
fn widened(
    (case, all): (&Case, &[Token]),
    windows: &[Window],
    left: Widen,
    right: Widen,
) -> Vec<Window> {
    let from = |window: &Window| to_left(all, window.before.0, left);
    let to = |window: &Window| to_right(all, window.before.1, right, case.before.len());
    let mut joined: Vec<Window> = Vec::new();
    for window in windows {
        match joined.last_mut() {
            Some(last) if to(last) > from(window) => {
                last.before.1 = window.before.1;
                last.after.1 = window.after.1;
            }
            _ => joined.push(*window),
        }
    }
    let wide = |window: &Window| {
        let (from, to) = (from(window), to(window));
        Window {
            before: (from, to),
            // What is between changes is as long before as after.
            after: (
                window.after.0 - (window.before.0 - from),
                window.after.1 + (to - window.before.1),
            ),
        }
    };
    joined.iter().map(wide).collect()
}

fn to_left(all: &[Token], at: usize, widen: Widen) -> usize {
    // Tokens that begin left of here, the nearest first.
    let mut left = all[..all.partition_point(|token| token.from < at)]
        .iter()
        .rev();
    match widen {
        Widen::Tokens(0) => at,
        Widen::Tokens(count) => left.take(count).next_back().map_or(at, |token| token.from),
        Widen::Word => left
            .find(|token| token.is_word())
            .map_or(at, |token| token.from),
        Widen::Blank => {
            let solid = left.take_while(|token| token.kind != Kind::Blanks);
            solid.last().map_or(at, |token| token.from)
        }
        Widen::All => 0,
    }
}

fn to_right(all: &[Token], at: usize, widen: Widen, end: usize) -> usize {
    let mut right = all[all.partition_point(|token| token.to <= at)..].iter();
    match widen {
        Widen::Tokens(0) => at,
        Widen::Tokens(count) => right.take(count).next_back().map_or(at, |token| token.to),
        Widen::Word => right
            .find(|token| token.is_word())
            .map_or(at, |token| token.to),
        Widen::Blank => {
            let solid = right.take_while(|token| token.kind != Kind::Blanks);
            solid.last().map_or(at, |token| token.to)
        }
        Widen::All => end,
    }
}
