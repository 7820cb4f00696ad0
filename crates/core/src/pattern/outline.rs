//! Parts of a pattern, in the order in which they match.

use crate::chars::is_word;
use crate::pattern::Pattern;
use crate::span::Span;
use regex_syntax::ast::{self, Ast};

/// The parts of a pattern from left to right: groups are taken apart, repeats and choices are not.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_core::pattern::outline::{Leaf, Outline};
/// let pattern = Pattern::new(r"Berth (\d+)", &MatchOptions::default()).expect("a pattern");
/// let outline = Outline::new(&pattern).expect("a regular pattern");
/// let parts: Vec<_> = outline.parts.iter().map(|part| &pattern.source()[part.span.range()]).collect();
/// assert_eq!(parts, ["Berth", " ", r"\d+"]);
/// assert_eq!(outline.parts[0].leaf, Leaf::Text("Berth".into()));
/// ```
#[derive(Clone, Debug, Default)]
pub struct Outline {
    /// The parts.
    pub parts: Vec<OutlinePart>,
    /// The places of `[…]` in the pattern.
    pub classes: Vec<Span>,
    /// The number of capturing groups.
    pub groups: usize,
    /// The numbers of those that are neither repeated nor hold a choice.
    pub plain_groups: Vec<usize>,
    /// The groups that are repeated as a whole, in order of their numbers.
    pub repeated_groups: Vec<RepeatedGroup>,
}

/// A capturing group that is repeated, as in `(\d)+`: it keeps what it matched last.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RepeatedGroup {
    /// The number.
    pub number: usize,
    /// The place of the group in the pattern, its parentheses included, in bytes.
    pub group: Span,
    /// The place of the group with its repeat.
    pub repeat: Span,
}

/// A part of a pattern.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OutlinePart {
    /// The place in the pattern, in bytes.
    pub span: Span,
    /// The kind.
    pub leaf: Leaf,
}

/// The kind of a part.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Leaf {
    /// Neighbouring characters that stand for themselves: either letters, digits and `_`, or others.
    Text(String),
    /// `.`
    AnyChar,
    /// One character of a class.
    Class(ClassOf),
    /// `^`, `\A` or their like.
    Start,
    /// `$`, `\z` or their like.
    End,
    /// `\b` or its like.
    Boundary,
    /// A repeat.
    Repeat {
        /// The repeated content.
        of: RepeatOf,
        /// True if it takes as much as it can.
        greedy: bool,
        /// The least number of times.
        least: u32,
        /// The most; `None` has no limit.
        most: Option<u32>,
    },
    /// One of several.
    Choice,
}

/// The content of a repeat.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RepeatOf {
    /// `.`
    AnyChar,
    /// A class of characters.
    Class(ClassOf),
    /// A single character.
    Text,
    /// A group.
    Group,
}

/// The kind of a class.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ClassOf {
    /// `\d`, `[0-9]`
    Digits,
    /// `\s`
    Blanks,
    /// `\w`
    WordChars,
    /// Any other.
    Other,
}

impl Outline {
    /// The parts of a pattern; `None` where it holds look-around or a reference to one of its groups,
    /// and of the texts of a table.
    pub fn new(pattern: &Pattern) -> Option<Self> {
        if pattern.backtracks() || pattern.is_of_texts() {
            return None;
        }
        let mut outline = Self::default();
        if pattern.options().literal {
            outline.literal(pattern.source());
            return Some(outline);
        }
        let tree = ast::parse::ParserBuilder::new().build();
        let tree = { tree }.parse(pattern.source()).ok()?;
        outline.tree(&tree);
        outline.classes.sort_by_key(|span| span.from);
        Some(outline)
    }

    /// The text that the pattern stands for, where it is nothing but text.
    pub fn text(&self) -> Option<String> {
        let texts = self.parts.iter().map(|part| match &part.leaf {
            Leaf::Text(text) => Some(text.as_str()),
            _ => None,
        });
        let text: String = texts.collect::<Option<_>>()?;
        (!text.is_empty()).then_some(text)
    }

    /// The first and its last part that are not of length zero.
    pub fn ends(&self) -> Option<(&Leaf, &Leaf)> {
        let has_length =
            |part: &&OutlinePart| !matches!(part.leaf, Leaf::Start | Leaf::End | Leaf::Boundary);
        let first = self.parts.iter().find(has_length)?;
        let last = self.parts.iter().rev().find(has_length)?;
        Some((&first.leaf, &last.leaf))
    }

    fn literal(&mut self, source: &str) {
        for (at, c) in source.char_indices() {
            self.push_char(Span::new(at, at + c.len_utf8()), c);
        }
    }

    fn push(&mut self, span: &ast::Span, leaf: Leaf) {
        let span = offsets(span);
        self.parts.push(OutlinePart { span, leaf });
    }

    fn push_char(&mut self, span: Span, c: char) {
        if let Some(last) = self.parts.last_mut()
            && let Leaf::Text(text) = &mut last.leaf
            && last.span.to == span.from
            && text.chars().all(|old| is_of_word(old) == is_of_word(c))
        {
            text.push(c);
            last.span.to = span.to;
            return;
        }
        let leaf = Leaf::Text(c.to_string());
        self.parts.push(OutlinePart { span, leaf });
    }

    fn tree(&mut self, tree: &Ast) {
        match tree {
            Ast::Empty(_) | Ast::Flags(_) => {}
            Ast::Literal(literal) => self.push_char(offsets(&literal.span), literal.c),
            Ast::Dot(span) => self.push(span, Leaf::AnyChar),
            Ast::Assertion(assertion) => self.push(&assertion.span, assertion_leaf(assertion)),
            Ast::ClassPerl(_) | Ast::ClassUnicode(_) | Ast::ClassBracketed(_) => {
                self.note(tree);
                self.push(tree.span(), Leaf::Class(class_of(tree)));
            }
            Ast::Repetition(repetition) => {
                self.note(tree);
                let (least, most) = times(&repetition.op.kind);
                let leaf = Leaf::Repeat {
                    of: repeat_of(&repetition.ast),
                    greedy: repetition.greedy,
                    least,
                    most,
                };
                self.push(&repetition.span, leaf);
            }
            Ast::Group(group) => {
                if !matches!(group.kind, ast::GroupKind::NonCapturing(_)) {
                    self.groups += 1;
                    if !matches!(*group.ast, Ast::Alternation(_)) {
                        self.plain_groups.push(self.groups);
                    }
                }
                self.tree(&group.ast);
            }
            Ast::Alternation(alternation) => {
                alternation.asts.iter().for_each(|one| self.note(one));
                self.push(&alternation.span, Leaf::Choice);
            }
            Ast::Concat(concat) => concat.asts.iter().for_each(|one| self.tree(one)),
        }
    }

    /// Counts the groups and the classes in what is not taken apart.
    fn note(&mut self, tree: &Ast) {
        match tree {
            Ast::ClassBracketed(class) => self.classes.push(offsets(&class.span)),
            Ast::Repetition(repetition) => {
                let (_, most) = times(&repetition.op.kind);
                if let Ast::Group(group) = &*repetition.ast
                    && most != Some(1)
                    && !matches!(group.kind, ast::GroupKind::NonCapturing(_))
                {
                    self.repeated_groups.push(RepeatedGroup {
                        number: self.groups + 1,
                        group: offsets(&group.span),
                        repeat: offsets(&repetition.span),
                    });
                }
                self.note(&repetition.ast);
            }
            Ast::Group(group) => {
                if !matches!(group.kind, ast::GroupKind::NonCapturing(_)) {
                    self.groups += 1;
                }
                self.note(&group.ast);
            }
            Ast::Alternation(alternation) => {
                alternation.asts.iter().for_each(|one| self.note(one));
            }
            Ast::Concat(concat) => concat.asts.iter().for_each(|one| self.note(one)),
            _ => {}
        }
    }
}

fn assertion_leaf(assertion: &ast::Assertion) -> Leaf {
    use ast::AssertionKind as K;
    match assertion.kind {
        K::StartLine | K::StartText => Leaf::Start,
        K::EndLine | K::EndText => Leaf::End,
        _ => Leaf::Boundary,
    }
}

fn class_of(tree: &Ast) -> ClassOf {
    let negated = match tree {
        Ast::ClassPerl(class) => class.negated,
        Ast::ClassBracketed(class) => class.negated,
        _ => false,
    };
    match tree {
        _ if negated => ClassOf::Other,
        Ast::ClassPerl(class) => match class.kind {
            ast::ClassPerlKind::Digit => ClassOf::Digits,
            ast::ClassPerlKind::Space => ClassOf::Blanks,
            ast::ClassPerlKind::Word => ClassOf::WordChars,
        },
        Ast::ClassBracketed(class) => match &class.kind {
            ast::ClassSet::Item(ast::ClassSetItem::Range(range))
                if (range.start.c, range.end.c) == ('0', '9') =>
            {
                ClassOf::Digits
            }
            _ => ClassOf::Other,
        },
        _ => ClassOf::Other,
    }
}

fn repeat_of(tree: &Ast) -> RepeatOf {
    match tree {
        Ast::Dot(_) => RepeatOf::AnyChar,
        Ast::Literal(_) => RepeatOf::Text,
        Ast::ClassPerl(_) | Ast::ClassUnicode(_) | Ast::ClassBracketed(_) => {
            RepeatOf::Class(class_of(tree))
        }
        _ => RepeatOf::Group,
    }
}

fn times(kind: &ast::RepetitionKind) -> (u32, Option<u32>) {
    use ast::{RepetitionKind as K, RepetitionRange as R};
    match kind {
        K::ZeroOrOne => (0, Some(1)),
        K::ZeroOrMore => (0, None),
        K::OneOrMore => (1, None),
        K::Range(R::Exactly(n)) => (*n, Some(*n)),
        K::Range(R::AtLeast(n)) => (*n, None),
        K::Range(R::Bounded(least, most)) => (*least, Some(*most)),
    }
}

fn offsets(span: &ast::Span) -> Span {
    Span::new(span.start.offset, span.end.offset)
}

/// True for letters and digits; `_` joins words, as other signs do.
fn is_of_word(c: char) -> bool {
    is_word(c) && c != '_'
}
