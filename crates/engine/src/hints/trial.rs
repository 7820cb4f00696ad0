//! Remedies, run on the evidence before they are given.
//!
//! The step is run twice on the texts around its matches: as it is, and as the remedy would have it. A remedy is given
//! only if the matches that the hint is not about stay what they are, the hint is gone, no other one comes, and
//! something is still matched.

use crate::collector::Events;
use crate::hints::evidence::{Evidence, Form};
use crate::hints::hint::{Hint, Remedy};
use crate::hints::plan::StudyPlan;
use crate::hints::rule::Rule;
use crate::hints::study::StepStudy;
use crate::request::Work;
use crate::sources::Sources;
use crate::text_worker::TextWorker;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::scope::Scope;
use brisk_quill_core::query::{Per, Pick, Query};
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::counts::StepCounts;
use brisk_quill_core::rewrite::options::RunTotals;
use brisk_quill_core::rewrite::part_start::PartStart;
use brisk_quill_core::rewrite::seen::SeenUnit;
use brisk_quill_core::step::Step;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::template::Template;
use brisk_quill_core::unit::UnitKind;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::source::Source;
use brisk_quill_files::text_map::AsItIs;
use std::collections::HashSet;
use std::path::Path;

/// Texts that a remedy is tried on, and their bytes in all.
const TEXTS_MOST: usize = 300;
const BYTES_MOST: usize = 32 << 10;

/// A query and what is done with its matches.
#[derive(Clone)]
struct Tried {
    query: Query,
    action: Action,
}

/// A match in one of the texts.
struct TriedMatch {
    /// The number of the text, from 0.
    text: usize,
    form: Form,
}

/// Leaves each hint about a step the first of its remedies that stands the trial; one that cannot be tried stands.
pub(super) fn choose(study: &StepStudy<'_>, rules: &[&Rule], hints: Vec<(&Rule, &mut Hint)>) {
    let (texts, now) = (texts(study), Tried::of(study));
    let is_tried = |remedy: &Remedy| !texts.is_empty() && is_of_step(remedy);
    let remedies = |hint: &mut Hint| -> Vec<Remedy> {
        let others = std::mem::take(&mut hint.others);
        hint.remedy.take().into_iter().chain(others).collect()
    };
    let mut tried = Vec::new();
    for (rule, hint) in hints {
        let remedies = remedies(hint);
        match remedies.first().is_some_and(is_tried) {
            true => tried.push((rule, hint, remedies)),
            false => {
                let can_be = |remedy: &Remedy| !is_of_step(remedy) || now.with(remedy).is_some();
                hint.remedy = remedies.into_iter().find(can_be);
            }
        }
    }
    if tried.is_empty() {
        return;
    }
    let amended = Amended {
        now: &now,
        texts: &texts,
        of: study.of,
        rules,
    };
    now.run(&texts, study.of, |before, matches| {
        let spoken = speaking(before, rules);
        for (rule, hint, remedies) in tried {
            let mut is_named = (rule.named)(before);
            let (named, right): (Vec<_>, Vec<_>) =
                matches.iter().partition(|found| is_named(&found.form));
            let wanted = Wanted {
                rule,
                takes_nothing: named.iter().any(|found| found.form.before().is_empty()),
                right: right.into_iter().map(TriedMatch::key).collect(),
                spoken: &spoken,
            };
            hint.remedy = remedies
                .into_iter()
                .find(|remedy| !is_of_step(remedy) || amended.stands(remedy, &wanted));
        }
    });
}

/// True if a remedy changes the step, so that it can be tried.
fn is_of_step(remedy: &Remedy) -> bool {
    match remedy {
        Remedy::IgnoreCase
        | Remedy::WholeWord
        | Remedy::Pattern(_)
        | Remedy::Both(..)
        | Remedy::Template(_)
        | Remedy::PickAll
        | Remedy::NotLiteral => true,
        Remedy::WholeText
        | Remedy::OpenEnd
        | Remedy::Columns { .. }
        | Remedy::Ignored
        | Remedy::Hidden
        | Remedy::Binary
        | Remedy::Encoding(_)
        | Remedy::Pairs
        | Remedy::Delimiter(_)
        | Remedy::Words(_) => false,
    }
}

/// Steps as remedies would have them, run on the same texts.
struct Amended<'t> {
    now: &'t Tried,
    texts: &'t [&'t [u8]],
    of: usize,
    rules: &'t [&'t Rule],
}

/// The demands of a hint on its remedy.
struct Wanted<'t> {
    rule: &'t Rule,
    /// True if some of its matches are empty: then none need be left.
    takes_nothing: bool,
    /// The matches that it is not about.
    right: Vec<Key>,
    /// The hints that speak without the remedy.
    spoken: &'t HashSet<&'static str>,
}

impl Amended<'_> {
    fn stands(&self, remedy: &Remedy, wanted: &Wanted<'_>) -> bool {
        let Some(amended) = self.now.with(remedy) else {
            return false;
        };
        amended.run(self.texts, self.of, |study, matches| {
            let kept: HashSet<Key> = matches.iter().map(TriedMatch::key).collect();
            let spoken = speaking(study, self.rules);
            let is_cured = !spoken.contains(wanted.rule.name);
            // What the hint hides speaks afterwards, as it would have before.
            let is_quiet = spoken
                .difference(wanted.spoken)
                .all(|name| wanted.rule.hides.contains(name));
            let keeps = wanted.right.iter().all(|one| kept.contains(one));
            is_cured && is_quiet && keeps && (wanted.takes_nothing || !matches.is_empty())
        })
    }
}

/// The number of a text, the place of a match in it, and its new text.
type Key = (usize, usize, usize, Option<Vec<u8>>);

impl TriedMatch {
    fn key(&self) -> Key {
        let (span, after) = (self.form.spot.span, self.form.after.as_deref());
        (self.text, span.from, span.to, after.map(<[u8]>::to_vec))
    }
}

/// The rules that speak.
fn speaking(study: &StepStudy<'_>, rules: &[&Rule]) -> HashSet<&'static str> {
    let speaks = |rule: &&&Rule| (rule.judge)(study).is_some();
    rules.iter().filter(speaks).map(|rule| rule.name).collect()
}

/// The query where it stands alone: without its place in a file, or in a row.
fn apart(query: &Query) -> Query {
    let unit = match query.unit {
        UnitKind::Cell => UnitKind::Line,
        unit => unit,
    };
    let pick = match query.pick.per {
        Per::Unit => query.pick.clone(),
        Per::Row | Per::File | Per::Run => Pick::default(),
    };
    Query {
        unit,
        columns: None,
        scope: Scope::default(),
        pick,
        limit: None,
        ..query.clone()
    }
}

/// The texts around matches, and around what only wider patterns match, each once.
fn texts<'s>(study: &'s StepStudy<'_>) -> Vec<&'s [u8]> {
    let by_lines = matches!(study.plan.query.unit, UnitKind::Line | UnitKind::Cell);
    let mut known = HashSet::new();
    let mut bytes = 0;
    let windows = study.forms.iter().map(|(_, form)| &*form.spot.window);
    let wider = study.wider.iter().map(|(_, text)| &*text.spot.window);
    let mut texts = Vec::new();
    for window in windows.chain(wider) {
        bytes += window.len();
        if bytes > BYTES_MOST || texts.len() == TEXTS_MOST {
            break;
        }
        let fits = !by_lines || !window.contains(&b'\n');
        if fits && known.insert(window) {
            texts.push(window);
        }
    }
    texts
}

impl Tried {
    fn of(study: &StepStudy<'_>) -> Self {
        Self {
            query: apart(study.plan.query),
            action: study.plan.action.clone(),
        }
    }

    /// The same as a remedy would have it; `None` where it cannot be, or its template would mean something else.
    fn with(&self, remedy: &Remedy) -> Option<Self> {
        let (mut tried, pattern) = (self.clone(), &self.query.pattern);
        let options = *pattern.options();
        let mut matching = |source: &str, options: MatchOptions| {
            tried.query.pattern = Pattern::new(source, &options).ok()?;
            Some(())
        };
        let (ignore_case, whole_word) = (true, true);
        let done = match remedy {
            Remedy::IgnoreCase => {
                let options = MatchOptions {
                    ignore_case,
                    ..options
                };
                matching(pattern.source(), options)
            }
            Remedy::WholeWord => {
                let options = MatchOptions {
                    whole_word,
                    ..options
                };
                matching(pattern.source(), options)
            }
            Remedy::Pattern(source) => matching(source, options),
            Remedy::Both(source, template) => {
                matching(source, options).and_then(|()| tried.write(template))
            }
            Remedy::Template(template) => tried.write(template),
            Remedy::PickAll => {
                tried.query.pick = Pick::default();
                Some(())
            }
            Remedy::NotLiteral => {
                let options = MatchOptions {
                    literal: false,
                    ..options
                };
                matching(pattern.source(), options)
            }
            // That is not of the step.
            _ => None,
        };
        done.filter(|()| tried.refers_as(self)).map(|()| tried)
    }

    /// Puts another template in the place of its own.
    fn write(&mut self, template: &str) -> Option<()> {
        let template = Template::parse(template, self.query.pattern.groups()).ok()?;
        self.action = match self.action {
            Action::Replace(_) | Action::Remove => Action::Replace(template),
            Action::Above(_) => Action::Above(template),
            Action::Below(_) => Action::Below(template),
            Action::Lead(_) => Action::Lead(template),
            Action::Trail(_) => Action::Trail(template),
            _ => return None,
        };
        Some(())
    }

    /// True unless the groups that its template refers to are others than before.
    fn refers_as(&self, before: &Self) -> bool {
        let is_same = self.query.pattern.groups() == before.query.pattern.groups();
        is_same || !before.action.templates().any(Template::refers)
    }

    /// Runs it on each text, and looks at what is found in all of them; `of` is the number of steps of the rewrite.
    fn run<T>(
        &self,
        texts: &[&[u8]],
        of: usize,
        look: impl FnOnce(&StepStudy<'_>, &[TriedMatch]) -> T,
    ) -> T {
        let step = Step::new(self.query.clone(), self.action.clone());
        let rewrite = Rewrite::new(vec![step]);
        let work = Work::new(&rewrite);
        let (plan, sources) = (StudyPlan::new(&work), Sources::of(Listing::default()));
        let mut events = TrialEvents {
            evidence: Evidence::new(&plan, &Source::STDIN, &sources),
            text: 0,
            matches: Vec::new(),
        };
        let mut worker = TextWorker::new(&work, &RunTotals::default(), Some(&plan.watch()));
        let mut counts = StepCounts::default();
        for (number, text) in texts.iter().enumerate() {
            events.text = number;
            let mut run = worker.begin_part(Path::new("-"), PartStart::of_text(0), &events);
            run.push(text, (&AsItIs, true), &mut events);
            let found = run.finish(&AsItIs, &mut events);
            if let Some(of_step) = found.counts.steps.first() {
                counts.add(of_step);
            }
        }
        let TrialEvents {
            evidence, matches, ..
        } = events;
        let mut steps = plan.steps.iter().zip(evidence.into_steps());
        let (step, found) = steps.next().expect("there is one step");
        look(&StepStudy::new(step, (0, of), counts, found), &matches)
    }
}

/// Gathers evidence in the texts, and each match.
struct TrialEvents<'p> {
    evidence: Evidence<'p>,
    text: usize,
    matches: Vec<TriedMatch>,
}

impl Events for TrialEvents<'_> {
    fn problem(&mut self, _: Problem) {}

    fn seen(&mut self, step: usize, seen: &SeenUnit<'_>) {
        let text = self.text;
        self.evidence.seen(step, seen);
        let forms = self.evidence.forms_of(step, seen);
        let forms = forms.into_iter().map(|form| TriedMatch { text, form });
        self.matches.extend(forms);
    }

    fn wants_others(&self) -> bool {
        true
    }
}
