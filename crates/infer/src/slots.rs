//! The patterns that a span may have, from its text in each of the examples.

use crate::form::{Class, Piece, joined};
use crate::tokens::{Kind, Token, is_inside_word, kind, text_of, tokens};

/// The most patterns of one span.
const MOST: usize = 26;

/// The number of times that a span is split.
const DEPTH_MOST: u8 = 3;

/// A pattern of a span, and its cost.
#[derive(Clone, Debug)]
pub(super) struct Choice {
    pub pieces: Vec<Piece>,
    pub cost: f64,
}

impl Choice {
    /// This and then another, at a further cost.
    fn then(&self, next: &Self, more: f64) -> Self {
        Self {
            pieces: [&self.pieces[..], &next.pieces].concat(),
            cost: self.cost + next.cost + more,
        }
    }
}

/// Facts about the place of a span that bear on its patterns.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) struct Setting {
    /// The unit is a cell: a loose class ends where the cell does.
    pub cell: bool,
    /// The span is copied.
    pub group: bool,
    /// The sign that begins the text behind it, in all examples.
    pub next: Option<char>,
    /// The sign that ends the text before it, in all examples.
    pub previous: Option<char>,
    /// True if it is all that there is in the unit.
    pub alone: bool,
    /// True if it begins or ends within a word.
    pub cut: (bool, bool),
    /// The number of times that the span around it was split.
    pub depth: u8,
}

/// The patterns that a span may have, the cheapest first.
pub(super) fn choices(texts: &[&[char]], setting: Setting) -> Vec<Choice> {
    let inner = Setting {
        depth: setting.depth + 1,
        ..setting
    };
    let whole = setting.depth < DEPTH_MOST;
    let mut all = Vec::new();
    let mut add = |pieces: Vec<Piece>, cost: f64| {
        let pieces = joined(pieces);
        match all
            .iter_mut()
            .find(|choice: &&mut Choice| choice.pieces == pieces)
        {
            Some(known) => known.cost = cost.min(known.cost),
            None => all.push(Choice { pieces, cost }),
        }
    };
    let mut distinct: Vec<&[char]> = texts.to_vec();
    distinct.sort_unstable();
    distinct.dedup();
    let full: Vec<&[char]> = texts
        .iter()
        .copied()
        .filter(|text| !text.is_empty())
        .collect();
    let some_empty = full.len() < texts.len();
    if full.is_empty() {
        return vec![Choice {
            pieces: Vec::new(),
            cost: 0.0,
        }];
    }
    let copied = if setting.group { 0.8 } else { 0.0 };
    if let [only] = distinct[..] {
        let words = tokens(only).iter().any(|token| token.is_word());
        let extra = if words { copied } else { 0.0 };
        let cut = fragment_cost(only, texts.len(), setting);
        let cost = literal_cost(only, texts.len()) + extra + cut;
        add(vec![Piece::Text(text_of(only))], cost);
        if words && !setting.group {
            add(loosely_spaced(only), cost + 0.25);
        }
    }
    if some_empty {
        for choice in choices(&full, inner).into_iter().take(12) {
            // A class that may be empty needs no bracket.
            let once = |piece: &Piece| matches!(piece, Piece::Run { least: 0, .. });
            if !choice.pieces.iter().all(once) {
                add(vec![Piece::Maybe(choice.pieces)], choice.cost + 0.3);
            }
        }
    } else {
        for choice in of_tokens(texts, setting) {
            add(choice.pieces, choice.cost);
        }
        if whole {
            for choice in optional_head(texts, inner) {
                add(choice.pieces, choice.cost);
            }
            for choice in headed(texts, setting) {
                add(choice.pieces, choice.cost);
            }
        }
    }
    separators(texts, &distinct, &mut add);
    alternatives(&distinct, setting, &mut add);
    zeros(texts, &mut add);
    if whole {
        for choice in framed(texts, inner) {
            add(choice.pieces, choice.cost);
        }
    }
    loose(&full, some_empty, setting, &mut add);
    if distinct.len() == 1 && texts.len() > 1 && !setting.group {
        // What is the same in all examples is meant as it is.
        let word = distinct[0].iter().any(|c| c.is_alphanumeric());
        let more = if word {
            0.3 * texts.len().min(3) as f64
        } else {
            0.1
        };
        for choice in &mut all {
            let literal = matches!(choice.pieces[..], [Piece::Text(_)]);
            choice.cost += if literal { 0.0 } else { more };
        }
    }
    all.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    all.truncate(MOST);
    all
}

/// A text with any number of blanks behind each stop and comma: `no. 7` is also written `no.7`.
fn loosely_spaced(text: &[char]) -> Vec<Piece> {
    let mut pieces = Vec::new();
    let mut behind_sign = false;
    let blanks = || Piece::run(Class::Set(vec![' ']), 0, None);
    for token in tokens(text) {
        let own = token.of(text);
        let loose = behind_sign && own.iter().all(|c| *c == ' ');
        if behind_sign && (loose || token.is_word()) {
            pieces.push(blanks());
        }
        if !loose {
            pieces.push(Piece::Text(text_of(own)));
        }
        behind_sign = matches!(own, ['.' | ',' | ':' | ';']);
    }
    if behind_sign {
        pieces.push(blanks());
    }
    pieces
}

/// The cost of a text that is in a pattern as it is, in this many examples.
fn literal_cost(text: &[char], examples: usize) -> f64 {
    let several = examples > 1;
    let of = |token: &Token| match token.kind {
        Kind::Letters if several => 0.15,
        Kind::Letters => 0.3,
        Kind::Digits if several => 0.4,
        Kind::Digits => 0.8,
        Kind::Blanks if token.to - token.from > 1 => 0.35,
        Kind::Blanks | Kind::Sign => 0.05,
    };
    tokens(text).iter().map(of).sum()
}

/// Patterns token by token, for texts that have the same kinds of tokens.
fn of_tokens(texts: &[&[char]], setting: Setting) -> Vec<Choice> {
    let cut: Vec<Vec<Token>> = texts.iter().map(|text| tokens(text)).collect();
    let kinds = |tokens: &[Token]| -> Vec<Kind> { tokens.iter().map(|token| token.kind).collect() };
    let first = kinds(&cut[0]);
    if first.len() > 7 || cut.iter().any(|other| kinds(other) != first) {
        return Vec::new();
    }
    let mut sequences = vec![Choice {
        pieces: Vec::new(),
        cost: 0.0,
    }];
    for at in 0..first.len() {
        let parts: Vec<&[char]> = cut
            .iter()
            .zip(texts)
            .map(|(cut, text)| cut[at].of(text))
            .collect();
        let single = first.len() == 1;
        let choices = of_token(&parts, first[at], single, setting);
        let longer = sequences
            .iter()
            .flat_map(|first| choices.iter().map(|next| first.then(next, 0.0)));
        let mut longer: Vec<Choice> = longer.collect();
        longer.sort_by(|a, b| a.cost.total_cmp(&b.cost));
        longer.truncate(12);
        sequences = longer;
    }
    sequences
}

fn of_token(parts: &[&[char]], kind: Kind, single: bool, setting: Setting) -> Vec<Choice> {
    let mut choices = Vec::new();
    let mut add = |pieces: Vec<Piece>, cost: f64| choices.push(Choice { pieces, cost });
    let same = parts.iter().all(|part| part == &parts[0]);
    let length = parts[0].len() as u32;
    let same_length = parts.iter().all(|part| part.len() == parts[0].len());
    if same && !(single && setting.group) {
        let weight = if setting.group { 3.0 } else { 1.0 };
        let cost = weight * literal_cost(parts[0], parts.len())
            + fragment_cost(parts[0], parts.len(), setting);
        add(vec![Piece::Text(text_of(parts[0]))], cost);
    }
    match kind {
        Kind::Digits => {
            let is_year = |part: &&[char]| {
                part.len() == 4 && (part.starts_with(&['1', '9']) || part.starts_with(&['2', '0']))
            };
            add(vec![Piece::run(Class::Digit, 1, None)], 0.4);
            if same_length {
                // That one digit is alike one digit says little.
                let more = match (length, parts.len()) {
                    _ if parts.iter().all(is_year) => -0.1,
                    (1, 1) => 0.35,
                    (1, 2) => 0.25,
                    (1, 3) => 0.15,
                    (1, _) => 0.05,
                    (_, 1) => 0.25,
                    (_, 2) => 0.0,
                    (_, 3) => -0.15,
                    (_, _) => -0.25,
                };
                add(
                    vec![Piece::run(Class::Digit, length, Some(length))],
                    0.4 + more,
                );
            } else {
                let lengths = parts.iter().map(|part| part.len() as u32);
                let (least, most) = (
                    lengths.clone().min().unwrap_or(1),
                    lengths.max().unwrap_or(1),
                );
                add(vec![Piece::run(Class::Digit, least, Some(most))], 0.65);
            }
        }
        Kind::Letters => {
            let upper = parts
                .iter()
                .all(|part| part.iter().all(|c| c.is_uppercase()));
            let lower = parts
                .iter()
                .all(|part| part.iter().all(|c| c.is_lowercase()));
            let capital = parts.iter().all(|part| {
                part.len() > 1
                    && part[0].is_uppercase()
                    && part[1..].iter().all(|c| c.is_lowercase())
            });
            let fixed = match parts.len() {
                _ if length == 1 && (setting.cut.0 || setting.cut.1) => -0.15,
                1 if length == 1 => 0.1,
                1 => 0.3,
                2 if length == 1 => -0.05,
                2 => 0.2,
                3 => 0.05,
                _ => -0.1,
            };
            let mut of_class = |class: Class, cost: f64| {
                add(vec![Piece::run(class.clone(), 1, None)], cost);
                if same_length {
                    add(vec![Piece::run(class, length, Some(length))], cost + fixed);
                }
            };
            if upper {
                of_class(Class::Upper, 0.5);
            }
            if lower {
                of_class(Class::Lower, if setting.cell { 0.58 } else { 0.68 });
            }
            of_class(Class::Letter, if setting.cell { 0.62 } else { 0.72 });
            of_class(Class::Word, 0.57);
            add(name(), 0.72);
            let hump = |part: &&[char]| {
                let at = part.iter().position(|c| c.is_uppercase());
                at.is_some_and(|at| at > 0)
            };
            if parts.iter().all(hump) {
                let pieces = vec![
                    Piece::run(Class::Lower, 1, None),
                    Piece::run(Class::Upper, 1, Some(1)),
                    Piece::run(Class::Word, 0, None),
                ];
                add(pieces, 0.75);
            }
            if capital {
                let pieces = vec![
                    Piece::run(Class::Upper, 1, Some(1)),
                    Piece::run(Class::Lower, 1, None),
                ];
                add(pieces, 0.75);
            }
        }
        Kind::Blanks => {
            let class = blank_class(parts);
            let cost = if same { 0.35 } else { 0.2 };
            add(vec![Piece::run(class, 1, None)], cost);
        }
        Kind::Sign if !same => {
            add(
                vec![Piece::run(Class::Set(chars_of(parts)), 1, Some(1))],
                0.3,
            );
        }
        Kind::Sign => {}
    }
    choices
}

/// A letter, and letters and digits behind it.
fn name() -> Vec<Piece> {
    vec![
        Piece::run(Class::Letter, 1, Some(1)),
        Piece::run(Class::Word, 0, None),
    ]
}

/// The class of some texts of white space.
fn blank_class(texts: &[&[char]]) -> Class {
    match texts.iter().all(|text| text.iter().all(|c| *c == ' ')) {
        true => Class::Set(vec![' ']),
        false => Class::Blank,
    }
}

/// The characters of some texts, sorted.
fn chars_of(texts: &[&[char]]) -> Vec<char> {
    let mut chars: Vec<char> = texts.iter().flat_map(|text| text.iter().copied()).collect();
    chars.sort_unstable();
    chars.dedup();
    chars
}

/// Single signs and blanks that separate, and may be absent.
fn separators(texts: &[&[char]], distinct: &[&[char]], add: &mut impl FnMut(Vec<Piece>, f64)) {
    let is_sign = |c: char| !matches!(kind(c), Kind::Letters | Kind::Digits);
    let short = texts
        .iter()
        .all(|text| text.len() <= 1 && text.iter().all(|c| is_sign(*c)));
    let some_empty = texts.iter().any(|text| text.is_empty());
    let least = u32::from(!some_empty);
    if short && distinct.len() > 1 {
        let seen = chars_of(texts);
        let usual = [' ', '-', '.', '/', '_'];
        add(
            vec![Piece::run(Class::Set(seen.clone()), least, Some(1))],
            0.35,
        );
        if seen.iter().all(|c| usual.contains(c)) && (seen.len() > 1 || some_empty) {
            add(
                vec![Piece::run(Class::Set(usual.to_vec()), 0, Some(1))],
                0.5,
            );
        }
    }
    let blanks = texts
        .iter()
        .all(|text| text.iter().all(|c| c.is_whitespace()));
    if blanks {
        let class = blank_class(texts);
        let plain = class != Class::Blank;
        let cost = if distinct.len() > 1 { 0.3 } else { 0.5 };
        add(vec![Piece::run(class.clone(), least, None)], cost);
        if plain {
            add(vec![Piece::run(Class::Blank, least, None)], cost + 0.1);
        }
        if !some_empty {
            add(vec![Piece::run(class, 0, None)], cost + 0.2);
        }
    }
    let signs = texts.iter().all(|text| text.iter().all(|c| is_sign(*c)));
    if signs && !short && !blanks {
        add(
            vec![Piece::run(Class::Set(chars_of(texts)), least, None)],
            0.6,
        );
    }
}

/// One of the texts seen.
fn alternatives(distinct: &[&[char]], setting: Setting, add: &mut impl FnMut(Vec<Piece>, f64)) {
    let full: Vec<&[char]> = distinct
        .iter()
        .copied()
        .filter(|text| !text.is_empty())
        .collect();
    let some_empty = full.len() < distinct.len();
    let letters = full
        .iter()
        .any(|text| text.iter().any(|c| c.is_alphabetic()));
    if !letters || full.len() > 5 || (full.len() == 1 && setting.group) {
        return;
    }
    let lower = |text: &[char]| text_of(text).to_lowercase();
    let mut folded: Vec<String> = full.iter().map(|text| lower(text)).collect();
    longest_first(&mut folded);
    folded.dedup();
    let several = full.len() > 1;
    let cut: f64 = full
        .iter()
        .map(|text| fragment_cost(text, 1, setting))
        .sum();
    let copied = cut + if setting.group { 1.0 } else { 0.0 };
    if several && !some_empty {
        let mut texts: Vec<String> = full.iter().map(|text| text_of(text)).collect();
        longest_first(&mut texts);
        let cost: f64 = full.iter().map(|text| remembered_cost(text)).sum();
        add(vec![Piece::OneOf(texts, false)], cost + copied - 0.2);
        if folded.len() < full.len() {
            let chars = folded
                .iter()
                .map(|text| text.chars().collect::<Vec<char>>());
            let cost: f64 = chars.map(|text| remembered_cost(&text)).sum();
            add(vec![Piece::OneOf(folded, true)], cost + copied);
        }
    } else if !some_empty {
        add(vec![Piece::OneOf(folded, true)], 0.9 + copied);
    }
}

/// Sorts texts so that none hides a longer one behind it.
fn longest_first(texts: &mut [String]) {
    texts.sort_by(|a, b| b.len().cmp(&a.len()).then(a.cmp(b)));
}

/// The cost of a part of a word that is in a pattern as it is: it is remembered letter by letter.
fn fragment_cost(text: &[char], examples: usize, setting: Setting) -> f64 {
    let letters = text.iter().filter(|c| c.is_alphabetic()).count() as f64;
    match setting.cut.0 || setting.cut.1 {
        true if examples == 1 => 0.4 * letters,
        true => 0.12 * letters,
        false => 0.0,
    }
}

/// The cost of one of several texts that are in a pattern only because an example has them.
fn remembered_cost(text: &[char]) -> f64 {
    let of = |(at, token): (usize, &Token)| {
        let more = if at > 0 && token.is_word() { 2.0 } else { 1.0 };
        more * match token.kind {
            Kind::Letters => 0.35,
            Kind::Digits => 0.7,
            Kind::Blanks => 0.2,
            Kind::Sign => 0.1,
        }
    };
    tokens(text).iter().enumerate().map(of).sum()
}

/// Zeros in front of a number.
fn zeros(texts: &[&[char]], add: &mut impl FnMut(Vec<Piece>, f64)) {
    let all = texts.iter().all(|text| text.iter().all(|c| *c == '0'));
    if all && texts.iter().any(|text| !text.is_empty()) {
        add(vec![Piece::run(Class::Set(vec!['0']), 0, None)], 0.3);
    }
}

/// Texts that begin or end alike, with something between.
fn framed(texts: &[&[char]], setting: Setting) -> Vec<Choice> {
    let shortest = texts.iter().map(|text| text.len()).min().unwrap_or(0);
    let first = texts[0];
    let differ = texts.iter().any(|text| *text != first);
    if !differ {
        return Vec::new();
    }
    let alike = |at: usize| texts.iter().all(|text| text[at] == first[at]);
    let mut head = (0..shortest).take_while(|&at| alike(at)).count();
    let alike_behind = |back: usize| {
        texts
            .iter()
            .all(|text| text[text.len() - 1 - back] == first[first.len() - 1 - back])
    };
    let mut tail = (0..shortest - head)
        .take_while(|&back| alike_behind(back))
        .count();
    // A common start within a word or a run of blanks is chance.
    let within = |text: &&[char], at: usize| {
        let blanks = |at: usize| text.get(at).is_some_and(|c| c.is_whitespace());
        is_inside_word(text, at) || at > 0 && blanks(at - 1) && blanks(at)
    };
    while head > 0 && texts.iter().any(|text| within(text, head)) {
        head -= 1;
    }
    while tail > 0 && texts.iter().any(|text| within(text, text.len() - tail)) {
        tail -= 1;
    }
    if head == 0 {
        let fold = |c: char| c.to_lowercase().next();
        let alike = |at: usize| {
            let is_letter = first[at].is_alphabetic();
            texts.iter().all(|text| fold(text[at]) == fold(first[at])) && is_letter
        };
        let folded = (0..shortest - tail).take_while(|&at| alike(at)).count();
        if folded > 0 && !texts.iter().any(|text| within(text, folded)) {
            let rests: Vec<&[char]> = texts.iter().map(|text| &text[folded..]).collect();
            let word = text_of(&first[..folded]).to_lowercase();
            let frame = |mut choice: Choice| {
                choice
                    .pieces
                    .insert(0, Piece::OneOf(vec![word.clone()], true));
                choice.cost += 0.3 + if setting.group { 0.5 } else { 0.0 };
                choice
            };
            return choices(&rests, setting)
                .into_iter()
                .take(10)
                .map(frame)
                .collect();
        }
    }
    if head + tail == 0 {
        return Vec::new();
    }
    let middles: Vec<&[char]> = texts
        .iter()
        .map(|text| &text[head..text.len() - tail])
        .collect();
    let setting = Setting {
        next: if tail > 0 {
            Some(first[first.len() - tail]).filter(|c| !c.is_alphanumeric())
        } else {
            setting.next
        },
        previous: if head > 0 {
            Some(first[head - 1]).filter(|c| !c.is_alphanumeric())
        } else {
            setting.previous
        },
        ..setting
    };
    // What is copied as it is, whatever it is, need not be known.
    let weight = if setting.group { 3.0 } else { 1.0 };
    let frame = |mut choice: Choice| {
        choice.cost += weight * literal_cost(&first[..head], texts.len());
        choice.cost += weight * literal_cost(&first[first.len() - tail..], texts.len());
        if head > 0 {
            choice
                .pieces
                .insert(0, Piece::Text(text_of(&first[..head])));
        }
        if tail > 0 {
            choice
                .pieces
                .push(Piece::Text(text_of(&first[first.len() - tail..])));
        }
        choice
    };
    choices(&middles, setting)
        .into_iter()
        .take(10)
        .map(frame)
        .collect()
}

/// Texts of which some begin with a sign or white space that the others lack.
fn optional_head(texts: &[&[char]], setting: Setting) -> Vec<Choice> {
    let cut: Vec<Vec<Token>> = texts.iter().map(|text| tokens(text)).collect();
    let separates = |n: &usize| cut[*n].len() > 1 && !cut[*n][0].is_word();
    let with: Vec<usize> = (0..texts.len()).filter(separates).collect();
    let begin_alike = cut.iter().all(|tokens| !tokens.is_empty());
    if with.is_empty() || with.len() == texts.len() || !begin_alike {
        return Vec::new();
    }
    let at = |n: usize| if with.contains(&n) { cut[n][0].to } else { 0 };
    let heads: Vec<&[char]> = (0..texts.len()).map(|n| &texts[n][..at(n)]).collect();
    let rests: Vec<&[char]> = (0..texts.len()).map(|n| &texts[n][at(n)..]).collect();
    let (heads, rests) = (choices(&heads, setting), choices(&rests, setting));
    let each = |head: &Choice| {
        let head = head.clone();
        rests.iter().take(8).map(move |rest| head.then(rest, 0.05))
    };
    heads.iter().take(3).flat_map(each).collect()
}

/// Texts that begin with the same kinds of tokens, with anything behind.
fn headed(texts: &[&[char]], setting: Setting) -> Vec<Choice> {
    let mut all = Vec::new();
    let cut: Vec<Vec<Token>> = texts.iter().map(|text| tokens(text)).collect();
    for count in 1..=3 {
        if cut.iter().any(|tokens| tokens.len() <= count) {
            break;
        }
        let at = |n: usize| cut[n][count].from;
        let heads: Vec<&[char]> = (0..texts.len()).map(|n| &texts[n][..at(n)]).collect();
        let rests: Vec<&[char]> = (0..texts.len()).map(|n| &texts[n][at(n)..]).collect();
        let mut of_rest = Vec::new();
        loose(&rests, false, setting, &mut |pieces, cost| {
            of_rest.push(Choice { pieces, cost });
        });
        for head in of_tokens(&heads, setting).iter().take(3) {
            all.extend(of_rest.iter().map(|rest| head.then(rest, 0.05)));
        }
    }
    all
}

/// Classes that hold all characters of the texts.
fn loose(
    full: &[&[char]],
    some_empty: bool,
    setting: Setting,
    add: &mut impl FnMut(Vec<Piece>, f64),
) {
    let least = u32::from(!some_empty);
    let chars = chars_of(full);
    // A number is one of digits, where nothing says otherwise.
    let number = chars.iter().all(char::is_ascii_digit);
    let words = chars.iter().all(|c| Class::Word.holds(*c));
    if words && !some_empty && full.iter().all(|text| text[0].is_alphabetic()) {
        add(name(), 0.75);
    }
    let length = full[0].len() as u32;
    let is_cut = setting.cut.0 || setting.cut.1;
    let same_length = full.len() > 1 && full.iter().all(|text| text.len() as u32 == length);
    if words && is_cut && same_length && length > 1 && !number && !some_empty {
        // Nothing else says where a word of letters and digits is cut.
        add(vec![Piece::run(Class::Word, length, Some(length))], 0.6);
    }
    let mut push = |class: Class, cost: f64| {
        let more = if some_empty { 0.1 } else { 0.0 } + if number { 0.3 } else { 0.0 };
        add(vec![Piece::run(class, least, None)], cost + more);
    };
    let dense = !chars.iter().any(|c| c.is_whitespace());
    let signs: Vec<char> = chars
        .iter()
        .copied()
        .filter(|c| !Class::Word.holds(*c))
        .collect();
    if signs.is_empty() {
        let letters = chars.iter().any(|c| c.is_alphabetic());
        push(Class::Word, if letters { 0.6 } else { 0.7 });
    }
    if !signs.is_empty() && signs.len() <= 3 {
        if chars
            .iter()
            .all(|c| c.is_ascii_digit() || signs.contains(c))
        {
            push(Class::DigitAnd(signs.clone()), 0.75);
        }
        let blank = if dense { 0.0 } else { 0.2 };
        push(
            Class::WordAnd(signs.clone()),
            0.85 + 0.05 * signs.len() as f64 + blank,
        );
    }
    let next = setting.next.filter(|c| !chars.contains(c));
    let previous = setting.previous.filter(|c| !chars.contains(c));
    if let Some(next) = next {
        push(Class::Not(vec![next]), 0.75);
        if let Some(previous) = previous.filter(|previous| *previous != next) {
            let mut both = vec![next, previous];
            both.sort_unstable();
            push(Class::Not(both), 0.85);
        }
    } else if let Some(previous) = previous {
        push(Class::Not(vec![previous]), 0.85);
    }
    if dense {
        push(Class::Dense, 0.8);
    }
    let any = match () {
        () if setting.alone => 0.55,
        () if setting.cell => 0.9,
        () => 1.3,
    };
    push(Class::Any, any);
    let lazy = |least| Piece::Run {
        class: Class::Any,
        least,
        most: None,
        lazy: true,
    };
    let mixed = chars.iter().any(|c| c.is_whitespace());
    add(vec![lazy(least)], any + if mixed { 0.15 } else { 0.3 });
}
