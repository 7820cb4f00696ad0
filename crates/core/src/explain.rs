//! Explanations of each part of a pattern, and of a template, in plain words.
//!
//! Note to the maintainer. The words come from the pattern's own syntax tree. A pattern that
//! needs backtracking is parsed with its special signs overwritten by regular ones of the same
//! length ([`neutralised`]), so every span is right; the original signs are looked up by place.

use crate::pattern::Pattern;
use crate::pattern::syntax::{Neutral, neutralised};
use crate::span::Span;
use crate::template::part::{Part, Subject};
use crate::template::{Template, filters};
use regex_syntax::ast::{self, Ast};

/// The meaning of one part of a pattern.
///
/// ```
/// use brisk_quill_core::explain::explain_pattern;
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// let pattern = Pattern::new(r"B-(\d+)", &MatchOptions::default()).expect("a pattern");
/// let parts = explain_pattern(&pattern);
/// assert!(parts.iter().any(|part| part.words.contains("group 1")));
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Explained {
    /// The place of the part in the pattern.
    pub span: Span,
    /// The depth in other parts; 0 is not in any.
    pub depth: usize,
    /// The action.
    pub words: String,
}

/// Explains a pattern, part by part, in the order of the pattern.
pub fn explain_pattern(pattern: &Pattern) -> Vec<Explained> {
    let source = pattern.source();
    if pattern.options().literal {
        return vec![Explained {
            span: Span::new(0, source.len()),
            depth: 0,
            words: text_words(source),
        }];
    }
    // It has been compiled, so it parses.
    let Some(neutral) = neutralised(source, pattern.options()) else {
        return Vec::new();
    };
    let Ok(tree) = ast::parse::Parser::new().parse(&neutral.text) else {
        return Vec::new();
    };
    let mut explainer = Explainer {
        source,
        neutral: &neutral,
        parts: Vec::new(),
        state: FlagState::default(),
    };
    explainer.part(&tree, 0);
    explainer.parts
}

/// Explains a template: each part as it is written in canonical form, and what it writes.
pub fn explain_template(template: &Template) -> Vec<(String, String)> {
    let explain = |part: &Part| match part {
        Part::Text(text) => (part_text(part), text_words(text)),
        Part::Reference { subject, calls } => {
            let mut words = subject_words(subject);
            for call in calls {
                words.push_str(&format!(", {}", call.words()));
            }
            (part_text(part), words)
        }
    };
    template.parts().iter().map(explain).collect()
}

fn part_text(part: &Part) -> String {
    Template::of_part(part).to_string()
}

fn subject_words(subject: &Subject) -> String {
    match subject {
        Subject::Group(0) => "the whole match".into(),
        Subject::Group(n) => format!("group {n}"),
        Subject::Text(text) => text_words(text),
        Subject::Line => "the number of the line".into(),
        Subject::File => "the path of the file".into(),
        Subject::Stem => "the name of the file, without folder and extension".into(),
        Subject::Number => "the number of the match: 1, 2, 3 …".into(),
        Subject::Row => "the number of the row".into(),
        Subject::Cell(column) => format!("the column {column} of the row"),
    }
}

fn text_words(text: &str) -> String {
    format!("the text “{}”", crate::escape::visible(text.as_bytes()))
}

struct Explainer<'p> {
    source: &'p str,
    neutral: &'p Neutral,
    parts: Vec<Explained>,
    state: FlagState,
}

/// The flags that change the words for a part, where it stands.
#[derive(Clone, Copy, Default)]
struct FlagState {
    dot_takes_all: bool,
    swaps_greed: bool,
}

impl FlagState {
    fn set(&mut self, flags: &ast::Flags) {
        let state = |flag| flags.flag_state(flag);
        self.dot_takes_all = state(ast::Flag::DotMatchesNewLine).unwrap_or(self.dot_takes_all);
        self.swaps_greed = state(ast::Flag::SwapGreed).unwrap_or(self.swaps_greed);
    }
}

fn span_of(tree: &Ast) -> Span {
    let span = tree.span();
    Span::new(span.start.offset, span.end.offset)
}

impl Explainer<'_> {
    fn push(&mut self, span: Span, depth: usize, words: impl Into<String>) {
        let words = words.into();
        self.parts.push(Explained { span, depth, words });
    }

    fn part(&mut self, tree: &Ast, depth: usize) {
        let span = span_of(tree);
        match tree {
            Ast::Concat(concat) => self.sequence(&concat.asts, depth),
            Ast::Alternation(alternation) => {
                self.push(
                    span,
                    depth,
                    format!("one of these {}:", alternation.asts.len()),
                );
                for (index, branch) in alternation.asts.iter().enumerate() {
                    if span_of(branch).is_empty() {
                        let nothing = if index > 0 { "or nothing" } else { "nothing" };
                        self.push(span_of(branch), depth + 1, nothing);
                    } else if index > 0 {
                        let first = self.parts.len();
                        self.part(branch, depth + 1);
                        if let Some(part) = self.parts.get_mut(first) {
                            part.words = format!("or {}", part.words);
                        }
                    } else {
                        self.part(branch, depth + 1);
                    }
                }
            }
            Ast::Group(group) => self.group(group, "", depth),
            Ast::Repetition(repetition) => {
                let is_greedy = repetition.greedy != self.state.swaps_greed;
                let times = times(&repetition.op.kind, is_greedy);
                match &*repetition.ast {
                    Ast::Group(group) => self.group_at(span, group, &times, depth),
                    atom => {
                        let words = format!("{}, {times}", self.atom(atom));
                        self.push(span, depth, words);
                    }
                }
            }
            Ast::Empty(_) => {}
            atom => {
                let words = self.atom(atom);
                self.push(span, depth, words);
                if let Ast::Flags(flags) = atom {
                    self.state.set(&flags.flags);
                }
            }
        }
    }

    /// Neighbouring letters are one text.
    fn sequence(&mut self, trees: &[Ast], depth: usize) {
        let mut index = 0;
        while index < trees.len() {
            let from = span_of(&trees[index]).from;
            let atom = matches!(trees[index], Ast::ClassPerl(_) | Ast::Repetition(_));
            if let Some((special, _)) = self.neutral.special_at(from).filter(|_| atom) {
                self.part(&trees[index], depth);
                // The letters that fill its length mean nothing.
                let within = |tree: &Ast| span_of(tree).from < special.to;
                index += trees[index..]
                    .iter()
                    .take_while(|tree| within(tree))
                    .count()
                    .max(1);
                continue;
            }
            let letters = trees[index..].iter().map_while(|tree| match tree {
                Ast::Literal(literal) => Some(literal.c),
                _ => None,
            });
            let text: String = letters.collect();
            let count = text.chars().count();
            if count == 0 {
                self.part(&trees[index], depth);
                index += 1;
                continue;
            }
            let to = span_of(&trees[index + count - 1]).to;
            self.push(Span::new(from, to), depth, text_words(&text));
            index += count;
        }
    }

    fn group(&mut self, group: &ast::Group, times: &str, depth: usize) {
        let span = Span::new(group.span.start.offset, group.span.end.offset);
        self.group_at(span, group, times, depth);
    }

    fn group_at(&mut self, span: Span, group: &ast::Group, times: &str, depth: usize) {
        let special = self.neutral.special_at(group.span.start.offset);
        let mut words = match (&group.kind, special) {
            (_, Some((sign, _))) => look_around(&self.source[sign.range()]).to_owned(),
            (ast::GroupKind::CaptureIndex(index), None) => format!("group {index}"),
            (ast::GroupKind::CaptureName { name, .. }, None) => {
                format!("group {}, called {}", name.index, name.name)
            }
            (ast::GroupKind::NonCapturing(flags), None) if !flags.items.is_empty() => {
                format!("a non-capturing group, where {}", flag_words(flags))
            }
            (ast::GroupKind::NonCapturing(_), None) => "a non-capturing group".to_owned(),
        };
        if !times.is_empty() {
            words.push_str(&format!(", {times}"));
        }
        words.push(':');
        self.push(span, depth, words);
        // Flags within a group end with it.
        let around = self.state;
        if let (ast::GroupKind::NonCapturing(flags), None) = (&group.kind, special) {
            self.state.set(flags);
        }
        self.part(&group.ast, depth + 1);
        self.state = around;
    }

    /// A part that holds no others.
    fn atom(&self, tree: &Ast) -> String {
        let special = self.neutral.special_at(span_of(tree).from);
        match tree {
            _ if special.is_some_and(|(_, group)| group.is_some()) => {
                let group = special.and_then(|(_, group)| group.as_deref());
                format!(
                    "what group {} matched, once more",
                    group.unwrap_or_default()
                )
            }
            Ast::Literal(literal) => text_words(&literal.c.to_string()),
            Ast::Dot(_) if self.state.dot_takes_all => "any character, a line end too".into(),
            Ast::Dot(_) => "any character but a line end".into(),
            Ast::Assertion(assertion) => assertion_words(&assertion.kind).into(),
            Ast::ClassPerl(class) => short_class_words(class),
            Ast::ClassUnicode(class) => {
                let not = if class.is_negated() { " not" } else { "" };
                format!(
                    "a character{not} of the Unicode class {}",
                    self.text(span_of(tree))
                )
            }
            Ast::ClassBracketed(class) => {
                let which = if class.negated {
                    "any character but"
                } else {
                    "one of"
                };
                let mut items = Vec::new();
                self.set(&class.kind, &mut items);
                format!("{which} {}", items.join(", "))
            }
            Ast::Flags(flags) => format!("from here on, {}", flag_words(&flags.flags)),
            _ => self.text(span_of(tree)).to_owned(),
        }
    }

    fn text(&self, span: Span) -> &str {
        &self.source[span.range()]
    }

    fn set(&self, set: &ast::ClassSet, items: &mut Vec<String>) {
        match set {
            ast::ClassSet::Item(item) => self.set_item(item, items),
            ast::ClassSet::BinaryOp(op) => {
                let words = |side: &ast::ClassSet| {
                    let mut items = Vec::new();
                    self.set(side, &mut items);
                    items.join(" or ")
                };
                let (one, other) = (words(&op.lhs), words(&op.rhs));
                items.push(match op.kind {
                    ast::ClassSetBinaryOpKind::Intersection => {
                        format!("what is {one}, and {other} as well")
                    }
                    ast::ClassSetBinaryOpKind::Difference => format!("{one}, but not {other}"),
                    ast::ClassSetBinaryOpKind::SymmetricDifference => {
                        format!("either {one}, or {other}")
                    }
                });
            }
        }
    }

    fn set_item(&self, item: &ast::ClassSetItem, items: &mut Vec<String>) {
        use ast::ClassSetItem as I;
        let shown = |c: char| format!("“{}”", crate::escape::visible(c.to_string().as_bytes()));
        let span = item.span();
        let text = self.text(Span::new(span.start.offset, span.end.offset));
        items.push(match item {
            I::Literal(literal) => shown(literal.c),
            I::Range(range) => format!("{} to {}", shown(range.start.c), shown(range.end.c)),
            I::Perl(class) => short_class_words(class),
            I::Union(union) => {
                union
                    .items
                    .iter()
                    .for_each(|item| self.set_item(item, items));
                return;
            }
            I::Empty(_) => return,
            I::Ascii(_) | I::Unicode(_) | I::Bracketed(_) => format!("the class {text}"),
        });
    }
}

fn times(kind: &ast::RepetitionKind, greedy: bool) -> String {
    use ast::{RepetitionKind as K, RepetitionRange as R};
    let (words, fixed) = match kind {
        K::ZeroOrOne => ("once or not at all".to_owned(), false),
        K::ZeroOrMore => ("any number of times".to_owned(), false),
        K::OneOrMore => ("once or more".to_owned(), false),
        K::Range(R::Exactly(n)) => (format!("{n} times"), true),
        K::Range(R::AtLeast(n)) => (format!("{n} times or more"), false),
        K::Range(R::Bounded(least, most)) => (format!("{least} to {most} times"), false),
    };
    match (fixed, greedy) {
        (true, _) => words,
        (false, true) => format!("{words}, as many as possible"),
        (false, false) => format!("{words}, as few as possible"),
    }
}

fn look_around(sign: &str) -> &'static str {
    match sign {
        "(?=" => "only where this follows",
        "(?!" => "only where this does not follow",
        "(?<=" => "only where this stands before",
        _ => "only where this does not stand before",
    }
}

fn assertion_words(kind: &ast::AssertionKind) -> &'static str {
    use ast::AssertionKind as K;
    match kind {
        K::StartLine => "the start of the line",
        K::EndLine => "the end of the line",
        K::StartText => "the start of the unit",
        K::EndText => "the end of the unit",
        K::WordBoundary => "a word boundary",
        K::NotWordBoundary => "no word boundary",
        K::WordBoundaryStart | K::WordBoundaryStartAngle => "the start of a word",
        K::WordBoundaryEnd | K::WordBoundaryEndAngle => "the end of a word",
        K::WordBoundaryStartHalf => "no word character before",
        K::WordBoundaryEndHalf => "no word character behind",
    }
}

fn short_class_words(class: &ast::ClassPerl) -> String {
    let name = match class.kind {
        ast::ClassPerlKind::Digit => "a digit",
        ast::ClassPerlKind::Space => "a white-space character",
        ast::ClassPerlKind::Word => "a word character",
    };
    match class.negated {
        true => format!("a character that is not {name}"),
        false => name.to_owned(),
    }
}

fn flag_words(flags: &ast::Flags) -> String {
    let mut on = true;
    let mut words = Vec::new();
    for item in &flags.items {
        let ast::FlagsItemKind::Flag(flag) = &item.kind else {
            on = false;
            continue;
        };
        words.push(match (flag, on) {
            (ast::Flag::CaseInsensitive, true) => "letter case does not matter",
            (ast::Flag::CaseInsensitive, false) => "letter case matters",
            (ast::Flag::MultiLine, true) => "`^` and `$` stand at every line",
            (ast::Flag::MultiLine, false) => "`^` and `$` stand at the ends of the unit",
            (ast::Flag::DotMatchesNewLine, true) => "`.` matches a line end too",
            (ast::Flag::DotMatchesNewLine, false) => "`.` matches no line end",
            (ast::Flag::SwapGreed, true) => "repeats are as few as possible, and `?` turns that",
            (ast::Flag::SwapGreed, false) => "repeats are as many as possible",
            (ast::Flag::Unicode, true) => "classes are those of Unicode",
            (ast::Flag::Unicode, false) => "classes are those of ASCII",
            (ast::Flag::CRLF, true) => "`\\r\\n` is a line end too",
            (ast::Flag::CRLF, false) => "only `\\n` is a line end",
            (ast::Flag::IgnoreWhitespace, true) => "blanks and `#` comments in it are ignored",
            (ast::Flag::IgnoreWhitespace, false) => "blanks count",
        });
    }
    words.join(", and ")
}

/// The signs of patterns and templates: how they are written, and what they mean.
pub fn signs() -> Vec<(&'static str, Vec<(String, String)>)> {
    let own = |rows: &[(&str, &str)]| {
        let row = |(sign, words): &(&str, &str)| ((*sign).to_owned(), (*words).to_owned());
        rows.iter().map(row).collect::<Vec<_>>()
    };
    let filters = filters::all().map(|filter| {
        let call = format!("{} {}", filter.name, filter.arguments);
        (call.trim_end().to_owned(), filter.does.to_owned())
    });
    vec![
        ("In a pattern", own(PATTERN_SIGNS)),
        ("In a template", own(TEMPLATE_SIGNS)),
        ("Filters, as in ${1 | upper}", filters.collect()),
    ]
}

const PATTERN_SIGNS: &[(&str, &str)] = &[
    (".", "any character but a line end"),
    (
        r"\d \s \w",
        "a digit, a white space, a word character; \\D \\S \\W anything else",
    ),
    ("[a-z_] [^a-z]", "one of these characters; any but these"),
    (r"\p{L}", "a character of a Unicode class"),
    ("a|b", "a or b"),
    ("a* a+ a?", "any number of a; one or more; one or none"),
    ("a{2} a{2,} a{2,4}", "2 of a; 2 or more; 2 to 4"),
    ("a*? a+?", "the same, as few as possible"),
    (
        "(a) (?<name>a) (?:a)",
        "a group; a group with a name; a non-capturing group",
    ),
    ("^ $", "the start and the end of the line"),
    (r"\A \z", "the start and the end of the unit"),
    (r"\b \B", "a word boundary; none"),
    (
        "(?=a) (?!a)",
        "where a follows; where it does not (backtracking)",
    ),
    (
        "(?<=a) (?<!a)",
        "where a stands before; where it does not (backtracking)",
    ),
    (
        r"\1 \k<name>",
        "what that group matched, once more (backtracking)",
    ),
    (
        "(?i) (?s) (?x)",
        "letter case does not matter; . matches line ends; blanks are ignored",
    ),
    (r"\. \* \(", "the sign itself"),
    (
        r"\t \n \u{2013}",
        "a tab, a line end, a character by its code",
    ),
];

const TEMPLATE_SIGNS: &[(&str, &str)] = &[
    ("$1 ${1} \\1", "group 1"),
    ("$name ${name}", "the group of that name"),
    ("$0", "the whole match"),
    ("$$", "a dollar sign"),
    (
        r"\n \t \\ \u{2013}",
        "a line end, a tab, a backslash, a character by its code",
    ),
    (
        "${@line} ${@number}",
        "the number of the line; of the match",
    ),
    ("${@file} ${@stem}", "the path of the file; its bare name"),
    ("${'text' | case-of $0}", "a text, passed through filters"),
    (
        "${1 | pad 2}",
        "a group, passed through filters from left to right",
    ),
];
