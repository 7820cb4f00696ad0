//! What the tests share: short ways to build requests, and a slow, obvious evaluator.
#![allow(dead_code, reason = "each test file uses its own part")]

use brisk_quill_core::address::Spec;
use brisk_quill_core::{
    Action, MatchOptions, Passage, Pattern, Problem, Query, Rewrite, Run, Sink, Step, Template,
    lines,
};

pub fn pattern(source: &str) -> Pattern {
    Pattern::new(source, &MatchOptions::default()).unwrap()
}

pub fn spec(text: &str) -> Spec {
    text.parse().unwrap()
}

/// A step written in few words.
#[derive(Clone, Debug)]
pub struct Say {
    pub pattern: &'static str,
    /// `None` removes.
    pub with: Option<&'static str>,
    pub lines: &'static str,
    pub pick: &'static str,
    pub limit: Option<u64>,
}

impl Say {
    pub fn new(pattern: &'static str, with: &'static str) -> Self {
        Self {
            pattern,
            with: Some(with),
            lines: "all",
            pick: "all",
            limit: None,
        }
    }

    pub fn step(&self) -> Step {
        let pattern = pattern(self.pattern);
        let action = match self.with {
            Some(text) => Action::Replace(Template::parse(text, pattern.groups()).unwrap()),
            None => Action::Remove,
        };
        let mut query = Query::new(pattern);
        query.scope.lines = spec(self.lines);
        query.pick.spec = spec(self.pick);
        query.limit = self.limit;
        Step::new(query, action)
    }
}

pub fn rewrite(steps: &[Say]) -> Rewrite {
    Rewrite::new(steps.iter().map(Say::step).collect())
}

/// One step on one text, written for reading and not for speed.
pub fn reference_step(step: &Step, text: &[u8], limit: &mut u64) -> Vec<u8> {
    let query = &step.query;
    let all: Vec<_> = lines(text).collect();
    let chosen_lines = query.scope.lines.resolve(Some(all.len() as u64));
    let mut out = Vec::new();
    for (index, line) in all.iter().enumerate() {
        let content = &text[line.content.range()];
        let mut matches = Default::default();
        query.pattern.finder().collect(content, true, &mut matches);
        let chosen = query.pick.spec.resolve(Some(matches.len() as u64));
        let mut at = 0;
        for number in 0..matches.len() {
            let span = matches.span(number);
            let here =
                chosen_lines.contains(index as u64 + 1) && chosen.contains(number as u64 + 1);
            if !here || *limit == 0 {
                continue;
            }
            *limit -= 1;
            out.extend_from_slice(&content[at..span.from]);
            if let Action::Replace(template) = &step.action {
                template.expand(content, matches.groups(number), &mut out);
            }
            at = span.to;
        }
        out.extend_from_slice(&content[at..]);
        out.extend_from_slice(&text[line.ending().range()]);
    }
    out
}

/// All steps, one after another on whole texts.
pub fn reference(rewrite: &Rewrite, text: &[u8]) -> Vec<u8> {
    let mut text = text.to_vec();
    for step in rewrite.steps() {
        let mut limit = step.query.limit.unwrap_or(u64::MAX);
        text = reference_step(step, &text, &mut limit);
    }
    text
}

/// One change: range, first line, old and new bytes, steps from 1.
pub type Seen = (u64, u64, u64, Vec<u8>, Vec<u8>, Vec<usize>);

/// Everything an evaluation hands on.
#[derive(Debug, Default, PartialEq)]
pub struct Recorder {
    pub changes: Vec<Seen>,
    /// First line, offset, was and now of each passage.
    pub passages: Vec<(u64, u64, Vec<u8>, Vec<u8>)>,
    pub problems: Vec<Problem>,
}

impl Sink for Recorder {
    fn passage(&mut self, passage: &Passage<'_>) {
        let (was, now) = (passage.was.to_vec(), passage.now());
        self.passages.push((passage.line, passage.from, was, now));
        for edit in passage.edits() {
            let steps = edit.steps.iter().map(|step| step + 1).collect();
            let (before, after) = (edit.before.to_vec(), edit.after.to_vec());
            self.changes
                .push((edit.from, edit.to, edit.line, before, after, steps));
        }
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }
}

/// Evaluates a rewrite over a text fed in pieces of `size` bytes.
pub fn record(rewrite: &Rewrite, text: &[u8], size: usize) -> Recorder {
    let mut recorder = Recorder::default();
    let mut run = Run::new(rewrite);
    let mut evaluation = run.text();
    for piece in text.chunks(size.max(1)) {
        evaluation.push(piece, &mut recorder);
    }
    evaluation.finish(&mut recorder);
    recorder
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
