//! The filters that one inference considers, each under a number.
//!
//! Which of several filters made a text is rarely seen in one example: `14` is `14` filled to two characters,
//! or as it is. So copies carry sets of filters, which further examples narrow.

use crate::case::Case;
use crate::tokens::{Kind, text_of, tokens};
use brisk_quill_core::pattern::groups::Groups;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::span::Span;
use brisk_quill_core::template::{MatchContext, Template};
use std::collections::HashMap;

/// A set of filters, one bit each; bit 0 is the text as it is.
pub(super) type FilterSet = u128;

/// The text as it is.
pub(super) const AS_IT_IS: FilterSet = 1;

/// The most filters of one inference.
const MOST: usize = 128;

/// Forms that dates and times are read in.
const DATE_FORMS: &[&str] = &[
    "%d.%m.%Y",
    "%d.%m.%y",
    "%d/%m/%Y",
    "%m/%d/%Y",
    "%d/%m/%y",
    "%m/%d/%y",
    "%d-%m-%Y",
    "%F",
    "%Y/%m/%d",
    "%Y.%m.%d",
    "%Y%m%d",
    "%d %B %Y",
    "%d %b %Y",
    "%d. %B %Y",
    "%b %d, %Y",
    "%B %d, %Y",
    "%b %d %Y",
    "%d-%b-%Y",
    "%B %Y",
    "%b %Y",
    "%d %B",
    "%d %b",
    "%H:%M",
    "%H.%M",
    "%H%M",
    "%H:%M:%S",
    "%I:%M %p",
    "%I.%M %p",
    "%I:%M%p",
    "%I %p",
    "%I%p",
    "%F %H:%M",
    "%FT%H:%M",
    "%FT%H:%M:%S",
    "%F %H:%M:%S",
    "%d.%m.%Y %H:%M",
    "%d/%m/%Y %H:%M",
    "%A %d %B %Y",
    "%A, %d %B %Y",
];

/// Forms that they are written in besides: without zeros in front, and parts alone.
const MORE_DATE_FORMS: &[&str] = &[
    "%-d.%-m.%Y",
    "%-d.%-m.%y",
    "%-d/%-m/%Y",
    "%-m/%-d/%Y",
    "%-d %B %Y",
    "%-d %b %Y",
    "%-d. %B %Y",
    "%b %-d, %Y",
    "%B %-d, %Y",
    "%-d-%b-%Y",
    "%-d %B",
    "%-d %b",
    "%-I:%M %p",
    "%-H:%M",
    "%-I %p",
    "%-H.%M",
    "%Y-%m",
    "%m/%Y",
    "%B",
    "%b",
    "%A",
    "%a",
    "%-d.%-m.%Y %H:%M",
];

/// The characters that a text must hold for a filter to be tried.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Gate {
    Nothing,
    Letters,
    SeveralWords,
    NonAscii,
    Digits,
    Number,
    Date,
    Sign(char),
}

#[derive(Debug)]
struct Known {
    words: String,
    template: Template,
    gate: Gate,
    cost: f64,
    /// The sign that a swap writes for another, and for which it writes that one.
    swapped: Option<char>,
    /// Days, or hours of twelve, are written, with zeros in front or without. Elsewhere the form leaves no choice, as in
    /// `2031-05-01`.
    has_days: bool,
}

/// Effects of a filter on one text that its effects on others need not have.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Effects {
    /// A number gets zeros in front.
    fills: bool,
    /// A number loses zeros in front.
    strips: bool,
    /// The sign that a swap writes is there already, and becomes the other.
    swaps_back: bool,
}

impl Effects {
    pub fn and(self, other: Self) -> Self {
        Self {
            fills: self.fills || other.fills,
            strips: self.strips || other.strips,
            swaps_back: self.swaps_back || other.swaps_back,
        }
    }
}

/// The filters of one inference.
#[derive(Debug)]
pub(super) struct Filters {
    known: Vec<Known>,
    numbers: HashMap<String, usize>,
    groups: Groups,
}

impl Filters {
    /// The filters that need no example, and those that the pairs suggest.
    pub fn of(cases: &[&Case]) -> Self {
        let groups = Groups::new([None]);
        let mut filters = Self {
            known: Vec::new(),
            numbers: HashMap::new(),
            groups,
        };
        filters.add("", Gate::Nothing, 0.0);
        for words in ["lower", "upper", "title"] {
            filters.add(words, Gate::Letters, 0.5);
        }
        filters.add("capital", Gate::Letters, 0.6);
        for words in ["snake", "kebab", "camel", "pascal", "constant"] {
            filters.add(words, Gate::SeveralWords, 1.0);
        }
        filters.add("plain", Gate::NonAscii, 0.8);
        for case in cases {
            filters.pads(&case.before, &case.after);
        }
        for case in cases {
            filters.arithmetic(&case.before, &case.after);
        }
        for case in cases {
            filters.dates(&case.before, &case.after);
        }
        for case in cases {
            filters.swaps(&case.before, &case.after);
        }
        filters
    }

    /// Adds a filter; gives it where it is new and there is room.
    fn add(&mut self, words: &str, gate: Gate, cost: f64) -> Option<&mut Known> {
        if self.known.len() >= MOST || self.numbers.contains_key(words) {
            return None;
        }
        let written = match words {
            "" => "$0".to_owned(),
            words => format!("${{0 | {words}}}"),
        };
        let template = Template::parse(&written, &self.groups).ok()?;
        self.numbers.insert(words.to_owned(), self.known.len());
        self.known.push(Known {
            words: words.to_owned(),
            template,
            gate,
            cost,
            swapped: None,
            has_days: false,
        });
        self.known.last_mut()
    }

    /// Zeros in front of digits of the new text.
    fn pads(&mut self, _: &[char], after: &[char]) {
        for token in tokens(after) {
            let text = token.of(after);
            if token.kind == Kind::Digits && (2..=10).contains(&text.len()) && text[0] == '0' {
                self.add(&format!("pad {}", text.len()), Gate::Digits, 0.5);
            }
        }
    }

    /// Numbers of the new text that are one of the old times, or plus, a plain number.
    fn arithmetic(&mut self, before: &[char], after: &[char]) {
        let old = numbers_in(before);
        for new in numbers_in(after) {
            if old.iter().any(|old| old.text == new.text) {
                continue;
            }
            for old in &old {
                if let Some(factor) = factor(old, &new) {
                    self.add(&format!("multiply {factor}"), Gate::Number, 2.2);
                    let rounded = format!("multiply {factor} | round {}", new.digits);
                    self.add(&rounded, Gate::Number, 2.4);
                }
                let difference = new.value - old.value;
                let whole = old.digits == 0 && new.digits == 0;
                if whole && difference.abs() <= 1000.0 && difference != 0.0 {
                    self.add(&format!("add {difference}"), Gate::Number, 2.6);
                }
                if new.digits < old.digits {
                    self.add(&format!("round {}", new.digits), Gate::Number, 1.6);
                }
            }
        }
    }

    /// Dates and times of the old text that are in another form in the new.
    fn dates(&mut self, before: &[char], after: &[char]) {
        let after = text_of(after);
        let mut seen = Vec::new();
        for (from, to) in date_spans(before) {
            let text = text_of(&before[from..to]);
            if seen.contains(&text) {
                continue;
            }
            for form in DATE_FORMS {
                let reads = self.date_template(form, form);
                if reads.is_none_or(|template| expand(&template, &text).is_none()) {
                    continue;
                }
                for wanted in DATE_FORMS.iter().chain(MORE_DATE_FORMS) {
                    if wanted == form {
                        continue;
                    }
                    let template = self.date_template(form, wanted);
                    let made = template.and_then(|template| expand(&template, &text));
                    if made
                        .is_some_and(|made| made.len() > 2 && made != text && after.contains(&made))
                    {
                        let words = format!("date {} {}", word(form), word(wanted));
                        if let Some(known) = self.add(&words, Gate::Date, 1.2) {
                            let plain = wanted.replace("%-", "%");
                            let is_twin = |form: &&str| {
                                form.contains(['d', 'I']) && form.replace("%-", "%") == plain
                            };
                            known.has_days = MORE_DATE_FORMS.iter().any(is_twin);
                        }
                    }
                }
            }
            seen.push(text);
        }
    }

    fn date_template(&self, from: &str, to: &str) -> Option<Template> {
        let text = format!("${{0 | date {} {}}}", word(from), word(to));
        Template::parse(&text, &self.groups).ok()
    }

    /// Signs of the old text for which the new one has others.
    fn swaps(&mut self, before: &[char], after: &[char]) {
        let signs = |text: &[char]| {
            let is_sign = |c: &&char| !c.is_alphanumeric() && !c.is_control();
            let mut signs: Vec<char> = text.iter().filter(is_sign).copied().collect();
            signs.sort_unstable();
            signs.dedup();
            signs
        };
        let count = |text: &[char], sign: char| text.iter().filter(|&&c| c == sign).count();
        let wanted = signs(after);
        for old in signs(before) {
            if count(after, old) >= count(before, old) {
                continue;
            }
            let more = |new: &&char| count(after, **new) > count(before, **new);
            let new = wanted.iter().filter(more).map(char::to_string);
            for new in new.chain([String::new()]) {
                let swap = format!("swap {} {}", quoted(&old.to_string()), quoted(&new));
                let cost = if new.is_empty() { 1.5 } else { 1.3 };
                let in_case = |case| (format!("{case} | {swap}"), cost + 0.5);
                let in_cases = ["lower", "upper", "title"].map(in_case);
                for (words, cost) in [(swap, cost)].into_iter().chain(in_cases) {
                    if let Some(known) = self.add(&words, Gate::Sign(old), cost) {
                        known.swapped = new.chars().next();
                    }
                }
            }
        }
    }

    /// The filters, numbered from 0, that may be tried on a text.
    pub fn for_text(&self, text: &[char]) -> impl Iterator<Item = usize> {
        let letters = text.iter().any(|c| c.is_alphabetic());
        let humps = text
            .windows(2)
            .filter(|two| two[0].is_lowercase() && two[1].is_uppercase());
        let words = tokens(text)
            .iter()
            .filter(|token| token.kind == Kind::Letters)
            .count();
        let several = letters && words + humps.count() > 1;
        let ascii = text.iter().all(char::is_ascii);
        let digits = text.iter().all(char::is_ascii_digit);
        let is_number = text.first().is_some_and(char::is_ascii_digit)
            && text.last().is_some_and(char::is_ascii_digit)
            && text
                .iter()
                .all(|c| c.is_ascii_digit() || matches!(c, '.' | ','));
        let is_date = text.len() <= 40 && text.iter().any(char::is_ascii_digit);
        self.known
            .iter()
            .enumerate()
            .filter_map(move |(number, known)| {
                let fits = match known.gate {
                    Gate::Nothing => true,
                    Gate::Letters => letters,
                    Gate::SeveralWords => several,
                    Gate::NonAscii => !ascii,
                    Gate::Digits => digits,
                    Gate::Number => is_number,
                    Gate::Date => is_date,
                    Gate::Sign(sign) => text.contains(&sign),
                };
                fits.then_some(number)
            })
    }

    /// A text passed through a filter; `None` where the filter cannot work on it.
    pub fn apply(&self, filter: usize, text: &str) -> Option<String> {
        match filter {
            0 => Some(text.to_owned()),
            filter => expand(&self.known[filter].template, text),
        }
    }

    /// The effects of a filter on a text that becomes another one.
    pub fn effects(&self, filter: usize, before: &str, after: &str) -> Effects {
        let old: Vec<&str> = numbers(before).collect();
        let filled = |new: &str, old: &str| new.len() > old.len() && unfilled(new) == unfilled(old);
        let new = || numbers(after).filter(|new| !old.contains(new));
        let known = &self.known[filter];
        Effects {
            fills: known.has_days && new().any(|new| old.iter().any(|old| filled(new, old))),
            strips: known.has_days && new().any(|new| old.iter().any(|old| filled(old, new))),
            swaps_back: known.swapped.is_some_and(|sign| before.contains(sign)),
        }
    }

    /// A word in the letter case of another.
    pub fn in_case_of(&self, word: &str, other: &str) -> Option<String> {
        let template = format!("${{{word:?} | case-of $0}}");
        expand(&Template::parse(&template, &self.groups).ok()?, other)
    }

    /// The words of a filter, as they follow a reference; empty for the text as it is.
    pub fn words(&self, filter: usize) -> &str {
        &self.known[filter].words
    }

    /// True if a filter only changes the letter case.
    pub fn is_of_case(&self, filter: usize) -> bool {
        matches!(self.words(filter), "lower" | "upper" | "title" | "capital")
    }

    /// The cost of a filter.
    pub fn cost(&self, filter: usize) -> f64 {
        self.known[filter].cost
    }

    /// The lowest cost in a set.
    pub fn least_cost(&self, set: FilterSet) -> f64 {
        members(set)
            .map(|f| self.cost(f))
            .fold(f64::INFINITY, f64::min)
    }
}

/// The runs of digits in a text.
fn numbers(text: &str) -> impl Iterator<Item = &str> {
    let runs = text.split(|c: char| !c.is_ascii_digit());
    runs.filter(|run| !run.is_empty())
}

/// A number without zeros in front.
fn unfilled(number: &str) -> &str {
    number.trim_start_matches('0')
}

/// The filters in a set.
pub(super) fn members(set: FilterSet) -> impl Iterator<Item = usize> {
    (0..MOST).filter(move |bit| set & (1 << bit) != 0)
}

fn expand(template: &Template, text: &str) -> Option<String> {
    let matches = Matches::of_one(&[Some(Span::new(0, text.len()))]);
    let context = MatchContext {
        unit: text.as_bytes(),
        groups: matches.groups(0),
        line: 1,
        file: "-".as_ref(),
        count: 1,
        row: None,
    };
    let mut out = Vec::new();
    template.expand(&context, &mut out).ok()?;
    String::from_utf8(out).ok()
}

/// A form of dates as an argument.
fn word(form: &str) -> String {
    match form.contains([' ', ',']) {
        true => format!("\"{form}\""),
        false => form.to_owned(),
    }
}

/// A sign as an argument.
fn quoted(text: &str) -> String {
    let plain = |c: char| !c.is_whitespace() && !matches!(c, '"' | '\'' | '|' | '}' | '\\' | '$');
    match !text.is_empty() && text.chars().all(plain) {
        true => text.to_owned(),
        false => format!("{text:?}"),
    }
}

/// The spans of a text that may be a date or a time: a few tokens, of which one is of digits.
fn date_spans(text: &[char]) -> Vec<(usize, usize)> {
    let all = tokens(text);
    let mut spans = Vec::new();
    for (first, from) in all.iter().enumerate().filter(|(_, token)| token.is_word()) {
        for to in all[first..].iter().take(9).filter(|token| token.is_word()) {
            let span = &text[from.from..to.to];
            let digits = span.iter().filter(|c| c.is_ascii_digit()).count();
            if (1..=14).contains(&digits) && span.len() >= 3 && span.len() <= 40 {
                spans.push((from.from, to.to));
            }
        }
        if spans.len() > 200 {
            break;
        }
    }
    spans
}

struct Number {
    text: String,
    value: f64,
    /// Digits behind the point.
    digits: usize,
}

fn numbers_in(text: &[char]) -> Vec<Number> {
    let mut numbers = Vec::new();
    let mut at = 0;
    while at < text.len() && numbers.len() < 12 {
        if !text[at].is_ascii_digit() {
            at += 1;
            continue;
        }
        let digits = |from: usize| {
            text[from..]
                .iter()
                .take_while(|c| c.is_ascii_digit())
                .count()
        };
        let mut to = at + digits(at);
        let mut behind = 0;
        if matches!(text.get(to), Some('.' | ',')) && digits(to + 1) > 0 {
            behind = digits(to + 1);
            to += 1 + behind;
        }
        let written = text_of(&text[at..to]);
        if let Ok(value) = written.replace(',', ".").parse() {
            numbers.push(Number {
                text: written,
                value,
                digits: behind,
            });
        }
        at = to;
    }
    numbers
}

/// The plain number by which one number becomes another, as rounded as that is written.
fn factor(old: &Number, new: &Number) -> Option<String> {
    if old.value == 0.0 || new.value == 0.0 {
        return None;
    }
    let exact = new.value / old.value;
    let half = 0.5 * 10_f64.powi(-(new.digits as i32));
    // Factors that people use, before any that only fits this one example.
    const USUAL: [f64; 16] = [
        0.001, 0.01, 0.1, 10.0, 100.0, 1000.0, 60.0, 3600.0, 1.852, 1852.0, 0.3048, 2.54, 0.514444,
        1.609344, 0.45359237, 24.0,
    ];
    let usual = USUAL
        .iter()
        .find(|usual| (old.value * *usual - new.value).abs() <= half * 1.0001);
    if let Some(usual) = usual {
        return Some(usual.to_string());
    }
    (1..=3).find_map(|digits: i32| {
        let scale = 10_f64.powi(digits - 1 - exact.abs().log10().floor() as i32);
        let rounded = (exact * scale).round() / scale;
        let fits = (rounded - exact).abs() < 1e-9 * exact.abs();
        fits.then(|| rounded.to_string())
    })
}
