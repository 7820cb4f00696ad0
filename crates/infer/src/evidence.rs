//! Signs in the data that a program is not the one that is meant: what it nearly matches, where its matches end, and the words
//! of the examples that it does not ask for.

use crate::candidate::{Candidate, Made, Written};
use crate::case::Case;
use crate::filters::{Effects, Filters};
use crate::form::{Class, Matcher, Piece};
use crate::keywords::Keyword;
use crate::program::{Program, Text, plenty};
use crate::tokens::{
    Kind, exact_digits, in_all, is_inside_word, kind, shape, text_of, token_texts,
};
use std::collections::BTreeSet;

/// Texts of the data that are looked at.
const TEXTS_MOST: usize = 150;
/// Characters of them.
const CHARS_MOST: usize = 6000;
/// The cost of matches that end within words, where no example's do.
const JOINED: f64 = 2.0;
/// The cost of a class for a word that goes and is the same in all examples, for each further example, where the data has others.
const OTHER: f64 = 4.0;
/// The same for a word or a number that becomes another one: the same would come of different ones.
const REPLACED: f64 = 6.0;
/// The cost of groups of digits that are not three long, where those of all examples are.
const GROUPED: f64 = 12.0;
/// The cost of changing texts that hold only a part of the texts of a choice, where all examples hold all of them.
const PARTIAL: f64 = 3.0;
/// The cost of copies of one character of another kind than in all examples.
const OTHER_LETTER: f64 = 2.0;
/// The cost of matches that end in the middle of a line, where those of all examples go to its end.
const STOPS_EARLY: f64 = 1.0;
/// The cost of leaving out text of another form than in all examples.
const STRANGE: f64 = 1.0;
/// The cost of a word of all examples that is not asked for, for each further example.
const IGNORED: f64 = 0.12;
/// The cost of changing texts with another word where a few words distinguish texts, for each further example.
const KEYWORD: f64 = 0.8;
/// The cost of groups that begin or end within words, where no example's do.
const TORN: f64 = 3.0;

/// The cost of effects of a filter that no example shows, for each example.
const UNSHOWN: f64 = 1.5;

/// The cost of words that are partly copied and partly written, and are others than in all examples, for each example.
const JOINED_OTHER: f64 = 3.2;

/// The texts that signs are looked for in.
pub(super) struct Evidence<'e> {
    changed: Vec<&'e Case>,
    /// Different texts that are not examples, with their numbers in the data.
    texts: Vec<(usize, &'e [char])>,
    /// The tokens of all examples that change, of no one that stays, and of a part of the data.
    telling: Vec<String>,
    tokens: Vec<BTreeSet<String>>,
    /// The weight of each keyword of the examples, and the texts that have another word at its place.
    keywords: Vec<(f64, Vec<bool>)>,
    /// The extent to which there is enough data for what only much of it shows.
    plenty: f64,
    cell: bool,
}

fn tokens_of(text: &[char]) -> BTreeSet<String> {
    token_texts(text, |token| match token.kind {
        // One letter says little.
        Kind::Letters => token.to - token.from > 1,
        Kind::Sign => true,
        Kind::Digits | Kind::Blanks => false,
    })
}

impl<'e> Evidence<'e> {
    pub fn new(cases: &'e [Case], data: &'e [Text], cell: bool) -> Self {
        let examples: BTreeSet<&[char]> = cases.iter().map(|case| &case.before[..]).collect();
        let mut seen = BTreeSet::new();
        let mut room = CHARS_MOST;
        let texts: Vec<(usize, &[char])> = data
            .iter()
            .enumerate()
            .map(|(number, text)| (number, &text.text[..]))
            .filter(|(_, text)| !examples.contains(text) && seen.insert(*text))
            .take(TEXTS_MOST)
            .take_while(|(_, text)| {
                let fits = text.len() <= room;
                room = room.saturating_sub(text.len());
                fits
            })
            .collect();
        let tokens: Vec<BTreeSet<String>> = texts.iter().map(|(_, text)| tokens_of(text)).collect();
        let (untouched, changed): (Vec<&Case>, Vec<&Case>) =
            cases.iter().partition(|case| case.is_untouched());
        let mut shared = in_all(changed.iter().map(|case| tokens_of(&case.before)));
        for case in &untouched {
            for token in tokens_of(&case.before) {
                shared.remove(&token);
            }
        }
        let is_telling = |token: &String| tokens.iter().any(|own| !own.contains(token));
        let own = texts.iter().map(|(_, text)| *text);
        let own: Vec<&[char]> = own
            .chain(cases.iter().map(|case| &case.before[..]))
            .collect();
        let mut keywords = Keyword::all(&changed, &own);
        keywords.retain(|word| {
            untouched
                .iter()
                .all(|case| word.is_other(&case.before) != Some(false))
        });
        // The same for all programs.
        let others = |word: Keyword| {
            let each = texts
                .iter()
                .map(|(_, text)| word.is_other(text) == Some(true));
            (word.weight, each.collect())
        };
        Self {
            keywords: keywords.into_iter().map(others).collect(),
            plenty: plenty(data),
            telling: shared.into_iter().filter(is_telling).collect(),
            changed,
            texts,
            tokens,
            cell,
        }
    }

    /// The cost of all signs against a program, given what it makes of each text of the data.
    pub fn cost(&self, program: &Program, made: &[Made], filters: &Filters) -> f64 {
        let is_changed = |number: usize| matches!(made[number], Made::Text(_));
        let changed: Vec<bool> = self.texts.iter().map(|(n, _)| is_changed(*n)).collect();
        let ignored = self.ignored(&changed) + self.plenty * self.other_keywords(&changed);
        let [step] = &program.steps[..] else {
            return ignored;
        };
        let joined = match self.cell {
            true => 0.0,
            false => self.joined(step, &changed),
        };
        ignored
            + joined
            + self.near(step, &changed)
            + self.other_constants(step, &changed)
            + self.strange(step, &changed)
            + self.unshown(step, &changed, filters)
            + self.grouped(made)
            + self.partial(step, &changed)
            + self.other_letters(step, &changed)
            + self.stops_early(step, &changed)
            + self.plenty * (self.torn(step, &changed) + self.joined_to_others(step, &changed))
    }

    /// Texts change that have another word than all examples, where few words distinguish texts.
    fn other_keywords(&self, changed: &[bool]) -> f64 {
        let further = self.changed.len().saturating_sub(1).min(3) as f64;
        let cost = |(weight, others): &(f64, Vec<bool>)| {
            let each = others.iter().zip(changed);
            let with = each.filter(|(is_other, is)| **is_other && **is).count();
            let all = changed.iter().filter(|is| **is).count();
            weight * of_share(with as f64 / all.max(1) as f64)
        };
        KEYWORD * (1.0 + further) * self.keywords.iter().map(cost).fold(0.0, f64::max)
    }

    /// In all examples, written text makes one and the same word with the old text beside it, or none; in the data it makes others:
    /// `tonnes` of `t`, and then `kgonnes`.
    fn joined_to_others(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let further = self.changed.len().saturating_sub(1).min(2) as f64;
        let mut examples = self
            .changed
            .iter()
            .map(|case| joined_words(step, &case.before));
        let Some(first) = examples.next().filter(|first| first.len() < 2) else {
            return 0.0;
        };
        if examples.any(|other| other != first) {
            return 0.0;
        }
        let others = self.share(changed, |text| !joined_words(step, text).is_subset(&first));
        JOINED_OTHER * (1.5 + further) * of_share(others)
    }

    /// Groups begin or end within words, where no example's do: a copy takes the rest of a longer word along.
    fn torn(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let tears = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let mut groups = matches.iter().flat_map(|spans| spans[1..].iter().flatten());
            groups.any(|(from, to)| is_inside_word(text, *from) || is_inside_word(text, *to))
        };
        if self.changed.iter().any(|case| tears(&case.before)) {
            return 0.0;
        }
        TORN * of_share(self.share(changed, tears))
    }

    /// A filter does to texts of the data what it does to no example: a day of one digit is filled, though all examples have
    /// two; a comma becomes a point where only points became commas.
    fn unshown(&self, step: &Candidate, changed: &[bool], filters: &Filters) -> f64 {
        let filtered = step.template.iter().filter_map(|part| match part {
            Written::Group { group, filter, .. } if *filter != 0 => Some((*group, *filter)),
            Written::Group { .. }
            | Written::Text(_)
            | Written::CaseOf(_)
            | Written::Line(_)
            | Written::Number(_) => None,
        });
        let filtered: Vec<(usize, usize)> = filtered.collect();
        if filtered.is_empty() {
            return 0.0;
        }
        let effects = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let mut all = Effects::default();
            for spans in &matches {
                for (group, filter) in &filtered {
                    let span = spans.get(*group).copied().flatten();
                    let before = span.map(|(from, to)| text_of(&text[from..to]));
                    let after =
                        (before.as_deref()).and_then(|before| filters.apply(*filter, before));
                    if let (Some(before), Some(after)) = (before, after) {
                        all = all.and(filters.effects(*filter, &before, &after));
                    }
                }
            }
            all
        };
        let examples = self.changed.iter().map(|case| effects(&case.before));
        let shown = examples.fold(Effects::default(), Effects::and);
        let others = self.share(changed, |text| shown.and(effects(text)) != shown);
        UNSHOWN * (self.changed.len().min(3) as f64) * of_share(others)
    }

    /// One pattern takes several texts, such as `get_` and `()`, which all examples hold together; in the data it takes one where
    /// another is not.
    fn partial(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let [choice] = &(step.pieces.iter())
            .filter_map(|piece| match piece {
                Piece::OneOf(texts, false) if texts.len() > 1 => Some(texts),
                Piece::OneOf(..)
                | Piece::Text(_)
                | Piece::Run { .. }
                | Piece::Group(_)
                | Piece::Maybe(_)
                | Piece::Start
                | Piece::End
                | Piece::Edge => None,
            })
            .collect::<Vec<_>>()[..]
        else {
            return 0.0;
        };
        // Spellings of one thing are no parts of another.
        let is_within = |one: &String| {
            let others = choice.iter().filter(|other| *other != one);
            others.into_iter().any(|other| other.contains(one.as_str()))
        };
        if choice.iter().any(is_within) {
            return 0.0;
        }
        let holds_all = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let whole = matches.iter().filter_map(|spans| spans[0]);
            let taken: Vec<String> = whole.map(|(from, to)| text_of(&text[from..to])).collect();
            let is_taken = |one: &String| taken.iter().any(|taken| taken.contains(one.as_str()));
            choice.iter().all(is_taken)
        };
        match self.changed.iter().all(|case| holds_all(&case.before)) {
            true => PARTIAL * of_share(self.share(changed, |text| !holds_all(text))),
            false => 0.0,
        }
    }

    /// A group takes one character, of the same kind in all examples, and of others in the data: an initial that is no capital.
    fn other_letters(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let kinds = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let groups = matches
                .iter()
                .flat_map(|spans| spans[1..].iter().enumerate());
            let single = groups.filter_map(|(group, span)| {
                span.filter(|(from, to)| to - from == 1)
                    .map(|(from, to)| (group, shape(&text[from..to])))
            });
            single.collect::<BTreeSet<_>>()
        };
        let mut examples = self.changed.iter().map(|case| kinds(&case.before));
        let first = examples.next().unwrap_or_default();
        match !first.is_empty() && examples.all(|other| other == first) {
            true => {
                let is_other = |text: &[char]| {
                    let own = kinds(text);
                    own.len() == first.len() && own != first
                };
                OTHER_LETTER * of_share(self.share(changed, is_other))
            }
            false => 0.0,
        }
    }

    /// Text is written behind a value that goes to the end of the line in all examples, and is only a part of it in the data.
    fn stops_early(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let is_value = matches!(
            step.pieces
                .iter()
                .rfind(|piece| !matches!(piece, Piece::Edge)),
            Some(Piece::Group(_) | Piece::Run { .. })
        );
        let writes_behind = matches!(step.template.last(), Some(Written::Text(_)));
        if self.cell || !is_value || !writes_behind {
            return 0.0;
        }
        let stops = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let last = matches.last().and_then(|spans| spans[0]);
            last.is_some_and(|(_, to)| to < text.len())
        };
        match self.changed.iter().any(|case| stops(&case.before)) {
            true => 0.0,
            false => STOPS_EARLY * of_share(self.share(changed, stops)),
        }
    }

    /// A sign comes between digits, before groups of three in all examples, and before others in the data.
    fn grouped(&self, made: &[Made]) -> f64 {
        let new_groups = |before: &[char], after: &[char]| -> Vec<usize> {
            let old = groups_of_digits(before);
            let mut groups = groups_of_digits(after);
            groups.retain(|group| !old.contains(group));
            groups.into_iter().map(|(_, digits)| digits).collect()
        };
        let mut examples = self.changed.iter();
        let is_of_three = |case: &&Case| {
            let groups = new_groups(&case.before, &case.after);
            !groups.is_empty() && groups.iter().all(|digits| *digits == 3)
        };
        if !examples.all(|case| is_of_three(&case)) {
            return 0.0;
        }
        let (mut all, mut others) = (0, 0);
        for (number, text) in &self.texts {
            if let Made::Text(made) = &made[*number] {
                all += 1;
                let is_other = new_groups(text, made).iter().any(|digits| *digits != 3);
                others += usize::from(is_other);
            }
        }
        GROUPED * of_share(others as f64 / f64::from(all.max(1)))
    }

    /// The text left out between copies has one form in all examples, and other forms in the data: a pattern
    /// that goes on to the last word drops more of a longer text.
    fn strange(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let keeps = |part: &Written| matches!(part, Written::Group { .. });
        if self.changed.len() < 2 || !step.template.iter().any(keeps) {
            return 0.0;
        }
        let left_out_of = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let each = matches.iter().map(|spans| left_out(step, text, spans));
            each.collect::<BTreeSet<String>>()
        };
        let mut examples = self.changed.iter().map(|case| left_out_of(&case.before));
        let first = examples.next().unwrap_or_default();
        match first.len() == 1 && examples.all(|other| other == first) {
            true => {
                STRANGE
                    * self
                        .share(changed, |text| left_out_of(text) != first)
                        .sqrt()
            }
            false => 0.0,
        }
    }

    /// The text removed is the same in all examples, and the pattern takes others there: texts with another word or number change
    /// too, or lose one where the examples lose none.
    fn other_constants(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let further = self.changed.len().saturating_sub(1).min(2) as f64;
        let (pieces, caught) = with_runs_caught(&step.pieces);
        if caught.is_empty() || further == 0.0 {
            return 0.0;
        }
        let matcher = Matcher::new(&pieces);
        let values = |text: &'e [char], group: usize| -> Vec<&'e [char]> {
            let matches = matcher.all(text).unwrap_or_default();
            let spans = matches
                .iter()
                .filter_map(|spans| spans.get(group).copied().flatten());
            spans.map(|(from, to)| &text[from..to]).collect()
        };
        let writes = |wanted: fn(&char) -> bool| {
            step.template.iter().any(|part| match part {
                Written::Text(text) => text.iter().any(wanted),
                Written::Group { .. }
                | Written::CaseOf(_)
                | Written::Line(_)
                | Written::Number(_) => false,
            })
        };
        let writes_word = writes(|c| c.is_alphabetic());
        let writes_number = writes(char::is_ascii_digit);
        let mut cost = 0.0;
        for group in caught {
            let mut own = self
                .changed
                .iter()
                .flat_map(|case| values(&case.before, group));
            let Some(first) = own.next() else {
                continue;
            };
            if own.any(|other| other != first) {
                continue;
            }
            let constant = Constant::of(first);
            let others = self.share(changed, |text| {
                let mut values = values(text, group).into_iter();
                values.any(|value| value != first && constant.is_passed_by(first, value))
            });
            let weight = match constant {
                Constant::Number if writes_number => REPLACED * (further + 0.5),
                Constant::Word if writes_word => REPLACED * (further + 0.5),
                constant => constant.weight() * further,
            };
            cost += weight * of_share(others);
        }
        cost
    }

    /// A word or sign that all examples have, and only a part of what is changed.
    fn ignored(&self, changed: &[bool]) -> f64 {
        let all = changed.iter().filter(|is| **is).count();
        let with = |token: &String| {
            let own = self.tokens.iter().zip(changed);
            own.filter(|(own, is)| **is && own.contains(token)).count()
        };
        let each = self.telling.iter().map(|token| {
            let with = with(token).max(1) as f64;
            (all.max(1) as f64 / with).ln().max(0.0)
        });
        let most = each.fold(0.0, f64::max);
        IGNORED * (self.changed.len().saturating_sub(1)) as f64 * most
    }

    /// Matches that begin or end within a word, where no example's do.
    fn joined(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let tears = |text: &[char]| {
            let matches = step.matcher.all(text).unwrap_or_default();
            let mut whole = matches.iter().filter_map(|spans| spans[0]);
            whole.any(|(from, to)| is_inside_word(text, from) || is_inside_word(text, to))
        };
        if self.changed.iter().any(|case| tears(&case.before)) {
            return 0.0;
        }
        JOINED * self.share(changed, tears)
    }

    /// The share of the texts that change for which something holds; 0 where none does.
    fn share(&self, changed: &[bool], holds: impl Fn(&'e [char]) -> bool) -> f64 {
        let texts = self.texts.iter().zip(changed).filter(|(_, is)| **is);
        let (mut all, mut with) = (0u32, 0u32);
        for ((_, text), _) in texts {
            all += 1;
            with += u32::from(holds(text));
        }
        f64::from(with) / f64::from(all.max(1))
    }

    /// The forms of what comes of the matches in the examples.
    fn results(&self, step: &Candidate) -> BTreeSet<String> {
        let mut forms = BTreeSet::new();
        for case in &self.changed {
            let matches = step.matcher.all(&case.before).unwrap_or_default();
            let first = matches.first().and_then(|spans| spans[0]);
            let last = matches.last().and_then(|spans| spans[0]);
            if let (Some((from, _)), Some((_, to))) = (first, last) {
                let tail = case.before.len() - to;
                let new = case.after.get(from..case.after.len().saturating_sub(tail));
                forms.extend(new.map(exact_digits));
            }
        }
        forms
    }

    /// Texts that stay, and would change if the runs of the pattern were of any length, or of any characters.
    fn near(&self, step: &Candidate, changed: &[bool]) -> f64 {
        let all = changed.iter().filter(|is| **is).count() as f64;
        let results = self.results(step);
        // What holds the form of a result is done.
        let is_done = |text: &[char]| {
            let form = exact_digits(text);
            results.iter().any(|result| form.contains(result))
        };
        let staying = self.texts.iter().zip(changed).filter(|(_, is)| !**is);
        let open: Vec<&[char]> = (staying.map(|((_, text), _)| *text))
            .filter(|text| !is_done(text))
            .collect();
        let levels = [false, true].map(|any_class| (any_class, loosened(&step.pieces, any_class)));
        let cost = levels.into_iter().map(|(any_class, pieces)| {
            if pieces == step.pieces {
                return 0.0;
            }
            let matcher = Matcher::new(&pieces);
            let hits = |text: &[char]| matcher.all(text).is_some_and(|found| !found.is_empty());
            let near = open.iter().filter(|text| hits(text)).count() as f64;
            // One text may be a slip.
            let further = (near - 1.0).max(0.0);
            match any_class {
                // A length that the examples share is chance, however few texts of another one there are.
                false => 0.8 * (further / 3.0).min(1.0),
                true => further / (near + all).max(1.0),
            }
        });
        cost.sum()
    }
}

/// A text that goes, and is the same in all examples.
enum Constant {
    /// A text with letters.
    Word,
    /// A text with digits and no letter.
    Number,
    /// A text of neither.
    Signs,
}

impl Constant {
    fn of(text: &[char]) -> Self {
        match text {
            _ if text.iter().any(|c| c.is_alphabetic()) => Self::Word,
            _ if text.iter().any(|c| c.is_numeric()) => Self::Number,
            _ => Self::Signs,
        }
    }

    /// True if another text in the place of `own` is one that the examples do not speak for: any but other signs, or one sign
    /// where they have several.
    fn is_passed_by(&self, own: &[char], other: &[char]) -> bool {
        !matches!(self, Self::Signs)
            || other.iter().any(|c| c.is_alphanumeric())
            || (own.len() > 1 && other.len() == 1)
    }

    /// The cost for each further example. A few numbers are the same by chance more often than a few words.
    fn weight(&self) -> f64 {
        match self {
            Self::Word | Self::Signs => OTHER,
            Self::Number => OTHER / 2.0,
        }
    }
}

/// The part of a cost for a share of the texts: half of it for any at all.
fn of_share(share: f64) -> f64 {
    match share > 0.0 {
        true => 0.5 + 0.5 * share,
        false => 0.0,
    }
}

/// The groups of digits behind a sign that stands between digits: the sign, and how many digits follow it.
fn groups_of_digits(text: &[char]) -> Vec<(char, usize)> {
    let is_digit = |at: usize| text.get(at).is_some_and(char::is_ascii_digit);
    let signs = (1..text.len()).filter(|at| !is_digit(*at) && is_digit(at - 1) && is_digit(at + 1));
    let groups = signs.map(|at| (text[at], (at + 1..).take_while(|at| is_digit(*at)).count()));
    groups.collect()
}

/// The form of what a match holds beside the groups that are copied.
fn left_out(step: &Candidate, text: &[char], spans: &[Option<(usize, usize)>]) -> String {
    let Some((from, to)) = spans[0] else {
        return String::new();
    };
    let copied = step.template.iter().filter_map(|part| match part {
        Written::Group { group, .. } => spans.get(*group).copied().flatten(),
        Written::Text(_) | Written::CaseOf(_) | Written::Line(_) | Written::Number(_) => None,
    });
    let mut copied: Vec<(usize, usize)> = copied.collect();
    copied.sort_unstable();
    copied.push((to, to));
    let (mut forms, mut at) = (String::new(), from);
    for (begin, end) in copied {
        if begin > at {
            forms.push_str(&shape(&text[at..begin]));
            forms.push('\n');
        }
        at = at.max(end);
    }
    forms
}

/// The words of the result that are partly text of the template, and partly old text.
fn joined_words(step: &Candidate, text: &[char]) -> BTreeSet<String> {
    // Each character, and whether the template has written it.
    let mut made: Vec<(char, bool)> = Vec::with_capacity(text.len() + 16);
    let old = |chars: &[char]| chars.iter().map(|c| (*c, false)).collect::<Vec<_>>();
    let mut done = 0;
    for spans in step.matcher.all(text).unwrap_or_default() {
        let (from, to) = spans[0].unwrap_or((done, done));
        made.extend(old(&text[done..from]));
        for part in &step.template {
            match part {
                Written::Text(text) => made.extend(text.iter().map(|c| (*c, true))),
                Written::Group {
                    group,
                    filter: 0,
                    optional: None,
                } => {
                    let span = spans.get(*group).copied().flatten();
                    made.extend(
                        span.map(|(from, to)| old(&text[from..to]))
                            .unwrap_or_default(),
                    );
                }
                // What else is written belongs to no word.
                Written::Group { .. }
                | Written::CaseOf(_)
                | Written::Line(_)
                | Written::Number(_) => made.push(('\0', true)),
            }
        }
        done = to;
    }
    made.extend(old(&text[done..]));
    let is_of_word = |c: char| matches!(kind(c), Kind::Letters | Kind::Digits);
    let words = made.chunk_by(|(a, _), (b, _)| is_of_word(*a) && is_of_word(*b));
    let is_joined = |word: &&[(char, bool)]| {
        word.iter().any(|(_, new)| *new) && word.iter().any(|(_, new)| !*new)
    };
    words
        .filter(is_joined)
        .map(|word| word.iter().map(|(c, _)| *c).collect())
        .collect()
}

/// The pieces with a group around each run that is in none, and the numbers of those groups.
fn with_runs_caught(pieces: &[Piece]) -> (Vec<Piece>, Vec<usize>) {
    let mut caught = Vec::new();
    let mut groups = 0;
    let each = pieces.iter().map(|piece| match piece {
        Piece::Run { .. } => {
            groups += 1;
            caught.push(groups);
            Piece::Group(vec![piece.clone()])
        }
        Piece::Group(_) | Piece::Maybe(_) => {
            groups += inner_groups(std::slice::from_ref(piece));
            piece.clone()
        }
        Piece::Text(_) | Piece::OneOf(..) | Piece::Start | Piece::End | Piece::Edge => {
            piece.clone()
        }
    });
    (each.collect(), caught)
}

fn inner_groups(pieces: &[Piece]) -> usize {
    let each = pieces.iter().map(|piece| match piece {
        Piece::Group(inner) => 1 + inner_groups(inner),
        Piece::Maybe(inner) => inner_groups(inner),
        Piece::Text(_)
        | Piece::Run { .. }
        | Piece::OneOf(..)
        | Piece::Start
        | Piece::End
        | Piece::Edge => 0,
    });
    each.sum()
}

/// The pieces with runs of any length, and, if `any_class`, of any characters up to the next text; what is not copied must stay
/// what it is, so the texts are kept.
fn loosened(pieces: &[Piece], any_class: bool) -> Vec<Piece> {
    let next_char = |at: usize| {
        pieces[at + 1..].iter().find_map(|piece| match piece {
            Piece::Text(text) => text.chars().next(),
            _ => None,
        })
    };
    let each = pieces.iter().enumerate().map(|(at, piece)| match piece {
        Piece::Run { class, lazy, .. } => {
            let class = match (any_class, next_char(at)) {
                (false, _) => class.clone(),
                (true, Some(c)) => Class::Not(vec![c]),
                (true, None) => Class::Any,
            };
            Piece::Run {
                class,
                least: 1,
                most: None,
                lazy: *lazy,
            }
        }
        Piece::Group(inner) => Piece::Group(loosened(inner, any_class)),
        other => other.clone(),
    });
    each.collect()
}
