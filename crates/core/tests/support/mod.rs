//! Helpers that the tests share: short ways to build requests, and a slow, obvious evaluator.

use brisk_quill_core::address::Spec;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::note::Note;
use brisk_quill_core::query::prefilter::PrefilterUse;
use brisk_quill_core::query::scope::{Block, Near, Scope};
use brisk_quill_core::query::table_end::TableEnd;
use brisk_quill_core::query::{Per, Query};
use brisk_quill_core::rewrite::counts::Counts;
use brisk_quill_core::rewrite::hunk::Hunk;
use brisk_quill_core::rewrite::options::{RunOptions, RunTotals};
use brisk_quill_core::rewrite::part_start::PartStart;
use brisk_quill_core::rewrite::sink::{Sink, Unmet};
use brisk_quill_core::rewrite::{Rewrite, Run};
use brisk_quill_core::span::Span;
use brisk_quill_core::step::Step;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::template::{MatchContext, Template};
use brisk_quill_core::unit::{Line, UnitKind, lines};

pub fn pattern(source: &str) -> Pattern {
    Pattern::new(source, &MatchOptions::default()).unwrap()
}

/// A SPEC; an empty one is all.
pub fn spec(text: &str) -> Spec {
    if text.is_empty() {
        return Spec::all();
    }
    text.parse().unwrap()
}

/// A step written in few words.
#[derive(Clone, Debug, Default)]
pub struct Say {
    pub pattern: &'static str,
    /// The name of the action; empty is `with`.
    pub action: &'static str,
    /// The template of the action.
    pub with: &'static str,
    /// Empty is all.
    pub lines: &'static str,
    pub contains: Vec<&'static str>,
    pub lacks: Vec<&'static str>,
    /// Start, end, inner.
    pub between: Option<(&'static str, &'static str, bool)>,
    /// Blocks have an open end; their outside counts.
    pub block: (bool, bool),
    pub near: Option<(&'static str, u64)>,
    pub unit: UnitKind,
    /// Empty is all.
    pub pick: &'static str,
    pub per: Per,
    pub limit: Option<u64>,
}

impl Say {
    pub fn new(pattern: &'static str, with: &'static str) -> Self {
        Self {
            pattern,
            with,
            ..Self::default()
        }
    }

    pub fn step(&self) -> Step {
        let options = MatchOptions {
            multi_line: self.unit != UnitKind::Line,
            ..MatchOptions::default()
        };
        let main = Pattern::new(self.pattern, &options).unwrap();
        let template = Template::parse(self.with, main.groups()).unwrap();
        let action = match self.action {
            "" => Action::Replace(template),
            "remove" => Action::Remove,
            "drop-lines" => Action::DropLines,
            "keep-lines" => Action::DropOtherLines,
            "above" => Action::Above(template),
            "below" => Action::Below(template),
            "lead" => Action::Lead(template),
            "trail" => Action::Trail(template),
            other => panic!("no action {other}"),
        };
        let mut query = Query::new(main);
        query.unit = self.unit;
        query.scope = Scope {
            lines: spec(self.lines),
            contains: self.contains.iter().map(|p| pattern(p)).collect(),
            lacks: self.lacks.iter().map(|p| pattern(p)).collect(),
            blocks: Vec::from_iter(self.between.map(|(start, end, inner)| Block {
                start: pattern(start),
                end: pattern(end),
                inner,
                open_end: self.block.0,
                outside: self.block.1,
            })),
            near: Vec::from_iter(self.near.map(|(near, distance)| Near {
                pattern: pattern(near),
                distance,
            })),
            cells: Vec::new(),
        };
        query.pick.spec = spec(self.pick);
        query.pick.per = self.per;
        query.limit = self.limit;
        Step::new(query, action)
    }
}

/// The texts of the groups of each change, the whole match first.
pub fn groups_of(rewrite: &Rewrite, text: &str) -> Vec<Vec<Option<String>>> {
    #[derive(Default)]
    struct Groups(Vec<Vec<Option<String>>>);
    impl Sink for Groups {
        fn hunk(&mut self, hunk: &Hunk<'_>) {
            assert_eq!(hunk.edits().count(), hunk.changes());
            let text = |text: Option<&[u8]>| Some(String::from_utf8(text?.to_vec()).unwrap());
            let groups = hunk.edits().filter_map(|edit| edit.groups);
            self.0
                .extend(groups.map(|groups| groups.iter().map(text).collect::<Vec<_>>()));
        }
        fn problem(&mut self, problem: Problem) {
            panic!("{problem:?}");
        }
    }
    let options = RunOptions {
        groups: true,
        ..RunOptions::default()
    };
    let (mut run, mut seen) = (Run::new(rewrite, &options), Groups::default());
    let mut evaluation = run.text("-", 0);
    evaluation.push_last(text.as_bytes(), &mut seen);
    evaluation.finish(&mut seen);
    seen.0
}

pub fn rewrite(steps: &[Say]) -> Rewrite {
    Rewrite::new(steps.iter().map(Say::step).collect())
}

/// The places of the matches of a pattern, as pairs.
pub fn spans(pattern: &Pattern, unit: &[u8]) -> Vec<Span> {
    let mut matches = Matches::default();
    pattern.finder().collect(unit, false, &mut matches).unwrap();
    (0..matches.len()).map(|i| matches.span(i)).collect()
}

fn has(pattern: &Pattern, unit: &[u8]) -> bool {
    !spans(pattern, unit).is_empty()
}

/// Which lines belong to a block, one flag a line.
fn in_block(block: &Block, lines: &[&[u8]]) -> Vec<bool> {
    let mut open = false;
    let mut flags = Vec::new();
    for line in lines {
        if block.open_end {
            open &= !has(&block.end, line);
            let begins = !open && has(&block.start, line);
            open |= begins;
            flags.push((open && !(block.inner && begins)) != block.outside);
            continue;
        }
        let (mut inside, mut border, mut at) = (open, false, 0);
        loop {
            let wanted = if open { &block.end } else { &block.start };
            let next = spans(wanted, line).into_iter().find(|span| span.from >= at);
            let Some(span) = next else { break };
            at = span.to + usize::from(span.is_empty());
            open = !open;
            (inside, border) = (true, true);
        }
        flags.push((inside && !(block.inner && border)) != block.outside);
    }
    flags
}

/// Which lines hold all conditions on lines.
fn good_lines(scope: &Scope, lines: &[&[u8]]) -> Vec<bool> {
    let chosen = scope.lines.resolve(Some(lines.len() as u64));
    let mut good: Vec<bool> = (1..=lines.len() as u64)
        .map(|n| chosen.contains(n))
        .collect();
    for block in &scope.blocks {
        let flags = in_block(block, lines);
        good.iter_mut()
            .zip(flags)
            .for_each(|(good, here)| *good &= here);
    }
    for near in &scope.near {
        for (i, good) in good.iter_mut().enumerate() {
            let close = |j: usize| i.abs_diff(j) as u64 <= near.distance;
            *good &= (0..lines.len()).any(|j| close(j) && has(&near.pattern, lines[j]));
        }
    }
    good
}

/// The units of a text as spans.
fn units(kind: UnitKind, text: &[u8]) -> Vec<Span> {
    let all: Vec<Line> = lines(text).collect();
    match kind {
        UnitKind::Text if text.is_empty() => Vec::new(),
        UnitKind::Text => vec![Span::new(0, text.len())],
        UnitKind::Line => all.iter().map(|line| line.content).collect(),
        UnitKind::Cell => unreachable!("cells have tests of their own"),
        UnitKind::Paragraph => {
            let blank = |l: &Line| text[l.content.range()].iter().all(|b| b" \t".contains(b));
            let runs = all.split(|line| blank(line)).filter(|run| !run.is_empty());
            runs.map(|run| Span::new(run[0].content.from, run[run.len() - 1].content.to))
                .collect()
        }
    }
}

/// A unit with the groups of its matches in place, and the numbers of those that were taken.
struct Taken {
    unit: Span,
    in_scope: bool,
    matches: Vec<Vec<Option<Span>>>,
    taken: Vec<usize>,
}

/// Which matches a query takes, unit by unit.
fn taken(query: &Query, text: &[u8]) -> Vec<Taken> {
    let all: Vec<Line> = lines(text).collect();
    let contents: Vec<&[u8]> = all.iter().map(|line| &text[line.content.range()]).collect();
    let good = good_lines(&query.scope, &contents);
    let line_of = |at: usize| {
        all.iter()
            .rposition(|line| line.content.from <= at)
            .unwrap()
    };
    let mut found: Vec<Taken> = Vec::new();
    for unit in units(query.unit, text) {
        let content = &text[unit.range()];
        let holds = query.scope.contains.iter().all(|p| has(p, content))
            && !query.scope.lacks.iter().any(|p| has(p, content));
        let mut matches = Matches::default();
        query
            .pattern
            .finder()
            .collect(content, true, &mut matches)
            .unwrap();
        let fits = |i: &usize| {
            let span = matches.span(*i).shifted(unit.from);
            let last = if span.is_empty() {
                span.from
            } else {
                span.to - 1
            };
            holds && (line_of(span.from)..=line_of(last)).all(|line| good[line])
        };
        found.push(Taken {
            unit,
            in_scope: holds && good[line_of(unit.from)],
            matches: (0..matches.len())
                .filter(fits)
                .map(|i| matches.groups(i).iter().collect())
                .collect(),
            taken: Vec::new(),
        });
    }
    let in_text = found.iter().map(|unit| unit.matches.len() as u64).sum();
    let mut left = query.limit.unwrap_or(u64::MAX);
    let mut number = 0;
    for unit in &mut found {
        for i in 0..unit.matches.len() {
            number += 1;
            let (number, total) = match query.pick.per {
                Per::Unit => (i as u64 + 1, unit.matches.len() as u64),
                Per::Row | Per::File | Per::Run => (number, in_text),
            };
            if left > 0 && query.pick.spec.resolve(Some(total)).contains(number) {
                left -= 1;
                unit.taken.push(i);
            }
        }
    }
    found
}

/// One step on one text, written for reading and not for speed.
pub fn reference_step(step: &Step, text: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut at = 0;
    let mut count = 0;
    for unit in taken(&step.query, text) {
        let content = &text[unit.unit.range()];
        let write = |template: &Template, groups: &[Option<Span>], count| {
            let mut new = Vec::new();
            let matches = Matches::of_one(groups);
            let context = MatchContext {
                unit: content,
                groups: matches.groups(0),
                line: 0,
                file: "-".as_ref(),
                count,
                row: None,
            };
            template.expand(&context, &mut new).ok().map(|_| new)
        };
        // A unit whose one text cannot be made stays as it is.
        let written = |template: &Option<&Template>, groups: &Option<&Vec<Option<Span>>>, count| {
            template
                .zip(*groups)
                .and_then(|(template, groups)| write(template, groups, count))
        };
        let first = unit.taken.first().map(|i| &unit.matches[*i]);
        let ends = lines(text).find(|line| line.content.to >= unit.unit.to);
        let end = ends.map_or(text.len(), |line| line.next);
        let ending = || {
            let own = &text[unit.unit.to..end];
            let before = text[..unit.unit.from].ends_with(b"\r\n");
            match own {
                b"" if before => b"\r\n".to_vec(),
                b"" => b"\n".to_vec(),
                own => own.to_vec(),
            }
        };
        out.extend_from_slice(&text[at..unit.unit.from]);
        at = unit.unit.to;
        let first_count = count + 1;
        count += unit.taken.len() as u64;
        let replaces = matches!(step.action, Action::Replace(_));
        let template = step.action.template().filter(|_| !replaces);
        let new = written(&template, &first, first_count);
        match (&step.action, first, new) {
            (Action::DropLines, Some(_), _) => at = end,
            (Action::DropOtherLines, None, _) if unit.in_scope => at = end,
            (Action::Above(_), _, Some(new)) => {
                out.extend(with_endings(&new, &ending()));
                out.extend(ending());
                out.extend_from_slice(content);
            }
            (Action::Below(_), _, Some(new)) => {
                out.extend_from_slice(content);
                out.extend(ending());
                out.extend(with_endings(&new, &ending()));
            }
            (Action::Lead(_), _, Some(new)) => {
                out.extend(new);
                out.extend_from_slice(content);
            }
            (Action::Trail(_), _, Some(new)) => {
                out.extend_from_slice(content);
                out.extend(new);
            }
            (action, ..) => {
                let mut done = 0;
                for (number, groups) in unit.taken.iter().map(|i| &unit.matches[*i]).enumerate() {
                    let span = groups[0].unwrap();
                    match action {
                        Action::Replace(template) => {
                            let count = first_count + number as u64;
                            let Some(new) = write(template, groups, count) else {
                                continue;
                            };
                            out.extend_from_slice(&content[done..span.from]);
                            out.extend(new);
                        }
                        Action::Remove => out.extend_from_slice(&content[done..span.from]),
                        _ => continue,
                    }
                    done = span.to;
                }
                out.extend_from_slice(&content[done..]);
            }
        }
    }
    out.extend_from_slice(&text[at..]);
    out
}

fn with_endings(text: &[u8], ending: &[u8]) -> Vec<u8> {
    let text = String::from_utf8_lossy(text).replace("\r\n", "\n");
    text.replace('\n', std::str::from_utf8(ending).unwrap())
        .into_bytes()
}

/// All steps, one after another on whole texts.
pub fn reference(rewrite: &Rewrite, text: &[u8]) -> Vec<u8> {
    let steps = rewrite.steps().iter();
    steps.fold(text.to_vec(), |text, step| reference_step(step, &text))
}

/// One change: range, first line, old and new bytes, steps from 1.
pub type Seen = (u64, u64, u64, Vec<u8>, Vec<u8>, Vec<usize>);

/// Everything an evaluation hands on.
#[derive(Debug, Default, PartialEq)]
pub struct Recorder {
    pub changes: Vec<Seen>,
    /// First line, offset, was and now of each hunk.
    pub hunks: Vec<(u64, u64, Vec<u8>, Vec<u8>)>,
    pub problems: Vec<Problem>,
    pub unmet: Vec<(u64, Vec<u8>)>,
    pub notes: Vec<(usize, Note)>,
    pub counts: Counts,
    /// The end of the rows of all parts so far.
    ends: Vec<TableEnd>,
}

impl Sink for Recorder {
    fn hunk(&mut self, hunk: &Hunk<'_>) {
        let (was, now) = (hunk.was.to_vec(), hunk.now());
        self.hunks.push((hunk.line, hunk.from, was, now));
        for edit in hunk.edits() {
            let steps = edit.steps.iter().map(|step| step + 1).collect();
            let (before, after) = (edit.before.to_vec(), edit.after.to_vec());
            self.changes
                .push((edit.from, edit.to, edit.line, before, after, steps));
        }
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.unmet.push((unmet.line, unmet.text));
    }

    fn part_end(&mut self, end: TableEnd) {
        self.ends.push(end);
    }

    fn note(&mut self, step: usize, note: Note) {
        self.notes.push((step, note));
    }
}

/// The number of cases of each law.
pub fn cases() -> u32 {
    let asked = std::env::var("LAW_CASES").ok();
    asked.and_then(|n| n.parse().ok()).unwrap_or(2000)
}

/// Evaluates a rewrite over a text fed in pieces of `size` bytes.
pub fn record(rewrite: &Rewrite, text: &[u8], size: usize) -> Recorder {
    record_prefiltered(rewrite, text, size, PrefilterUse::Never)
}

/// The same, with lines split that have more changes than `most`.
pub fn record_split(rewrite: &Rewrite, text: &[u8], size: usize, most: usize) -> Recorder {
    let options = RunOptions {
        totals: totals(rewrite, text, size),
        split_from: Some(most),
        ..RunOptions::default()
    };
    feed(&mut Run::new(rewrite, &options), text, size, false)
}

fn totals(rewrite: &Rewrite, text: &[u8], size: usize) -> RunTotals {
    let mut totals = RunTotals::default();
    while let Some(step) = rewrite.step_to_count(&totals) {
        let mut run = Run::counting(rewrite, step, &totals);
        feed(&mut run, text, size, false);
        totals.set(step, run.counted());
    }
    totals
}

/// The same, lines without a match passed over in one way or another.
pub fn record_prefiltered(
    rewrite: &Rewrite,
    text: &[u8],
    size: usize,
    prefilter: PrefilterUse,
) -> Recorder {
    let options = RunOptions {
        totals: totals(rewrite, text, size),
        prefilter,
        ..RunOptions::default()
    };
    let says_end = prefilter == PrefilterUse::Always;
    feed(&mut Run::new(rewrite, &options), text, size, says_end)
}

/// With `says_end`, the end is announced with the last piece.
fn feed(run: &mut Run<'_>, text: &[u8], size: usize, says_end: bool) -> Recorder {
    let mut recorder = Recorder::default();
    let mut evaluation = run.text("-", 0);
    let mut pieces = text.chunks(size.max(1)).peekable();
    while let Some(piece) = pieces.next() {
        match pieces.peek() {
            None if says_end => evaluation.push_last(piece, &mut recorder),
            _ => evaluation.push(piece, &mut recorder),
        }
    }
    recorder.counts = evaluation.finish(&mut recorder);
    recorder
}

/// The same in parts of whole lines or rows, each at least `size` bytes long and evaluated by one of two
/// runs; none where the text must not be cut.
pub fn record_parts(rewrite: &Rewrite, text: &[u8], size: usize) -> Option<Recorder> {
    let options = RunOptions::default();
    let mut runs = [Run::new(rewrite, &options), Run::new(rewrite, &options)];
    let mut recorder = Recorder::default();
    let mut start = PartStart::of_text(0);
    let mut cut = runs[0].part_cut("-")?;
    let is_end = |at: &usize| cut.ends(&text[at - 1..*at]).is_some();
    let mut ends: Vec<usize> = (1..=text.len()).filter(is_end).collect();
    ends.push(text.len());
    let (mut from, mut table_ends) = (0, Vec::<TableEnd>::new());
    for end in ends {
        if end < text.len() && end - from < size {
            continue;
        }
        let part = &text[from..end];
        from = end;
        let mut evaluation = runs[0].part("-", start.clone());
        evaluation.push_last(part, &mut recorder);
        let counts = evaluation.finish(&mut recorder);
        recorder.counts.add(&counts);
        runs.swap(0, 1);
        let of_part = std::mem::take(&mut recorder.ends);
        start = start.behind(part);
        start.go_by(&of_part);
        match table_ends.is_empty() {
            true => table_ends = of_part,
            false => (table_ends.iter_mut().zip(of_part)).for_each(|(all, end)| all.add(end)),
        }
    }
    for (step, end) in table_ends.into_iter().enumerate() {
        let (notes, problem) = end.finish();
        let notes = notes.into_iter().map(|note| (step, Note::Column(note)));
        recorder.notes.extend(notes);
        recorder.counts.problems += problem.iter().len() as u64;
        recorder.problems.extend(problem);
    }
    Some(recorder)
}

/// The number of lines of a text.
pub fn lines_in(text: &str) -> u64 {
    lines(text.as_bytes()).count() as u64
}

/// The text with the recorded changes made.
pub fn splice(text: &[u8], changes: &[Seen]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut at = 0;
    for (from, to, _, before, after, _) in changes {
        let (from, to) = (*from as usize, *to as usize);
        assert_eq!(&text[from..to], before, "a change must quote the text");
        out.extend_from_slice(&text[at..from]);
        out.extend_from_slice(after);
        at = to;
    }
    out.extend_from_slice(&text[at..]);
    out
}
