//! A draft without a screen: actions and news come in, the state changes, and what has to be done
//! goes out.
//!
//! Note to the maintainer: nothing here draws, reads keys or evaluates. A new action needs an arm in
//! [`State::act`], a key in `keys`, and a line in the list of keys there.

pub mod completion;
pub mod list;
mod moving;
pub mod sample;
mod texts;
pub mod tries;

use crate::diagnostic::Diagnostic;
use crate::draft::action::{Action, Effect, Focus, Leave, ListView, Window};
use crate::draft::request::{Fault, FieldName, StepText};
use crate::draft::saved::Saved;
use crate::draft::state::completion::OptionNames;
use crate::draft::state::list::List;
use crate::draft::state::sample::Sample;
use crate::draft::state::tries::Tries;
use crate::draft::worker::{Built, DraftText, Job, News, RowJob, RowWork};
use crate::full_screen::field::{Edit, Field};
use brisk_quill_core::example::Example;
use brisk_quill_core::rewrite_file::examples::ExampleOutcome;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_engine::draft::detail::MatchDetail;
use brisk_quill_engine::draft::evaluator::{Counted, DraftCounts};
use brisk_quill_engine::draft::places::PlaceCounts;
use brisk_quill_engine::draft::request::RowsView;
use brisk_quill_engine::draft::row::{RowKind, RowPlace};
use brisk_quill_engine::draft::worker::{DraftNews, WantedList};
use brisk_quill_engine::hints::hint::Remedy;
use brisk_quill_engine::worked_examples::WantedText;
use brisk_quill_infer::data::proposed::in_place;
use std::path::PathBuf;
use std::sync::Arc;

/// Rows asked for at a time: several times those of which the engine keeps one place.
pub const ROWS: usize = 1000;

/// The fields of a step.
#[derive(Clone, Debug, Default)]
pub struct StepFields {
    pattern: Field,
    template: Field,
    options: Field,
    expect: Vec<String>,
    ensure: Vec<String>,
    /// The worked examples.
    pub examples: Vec<Example>,
}

impl StepFields {
    pub fn new(text: &StepText, examples: Vec<Example>) -> Self {
        Self {
            pattern: Field::new(&text.pattern),
            template: Field::new(&text.template),
            options: Field::new(&text.options),
            expect: text.expect.clone(),
            ensure: text.ensure.clone(),
            examples,
        }
    }

    pub fn text(&self) -> StepText {
        StepText {
            pattern: self.pattern.text().to_owned(),
            template: self.template.text().to_owned(),
            options: self.options.text().to_owned(),
            expect: self.expect.clone(),
            ensure: self.ensure.clone(),
        }
    }

    pub fn field(&self, name: FieldName) -> &Field {
        match name {
            FieldName::Pattern => &self.pattern,
            FieldName::Template => &self.template,
            FieldName::Options => &self.options,
        }
    }

    fn field_mut(&mut self, name: FieldName) -> &mut Field {
        match name {
            FieldName::Pattern => &mut self.pattern,
            FieldName::Template => &mut self.template,
            FieldName::Options => &mut self.options,
        }
    }
}

/// Facts about the request, as far as they have come.
#[derive(Debug, Default)]
pub struct Known {
    /// The last request that could be understood.
    pub built: Option<Arc<Built>>,
    /// The fault of the current one.
    pub fault: Option<Box<Fault>>,
    pub failed: Option<Diagnostic>,
    /// The counts so far.
    pub counts: Option<DraftCounts>,
    pub counted: Option<Arc<Counted>>,
    /// The differences to the try it is compared with; the inner `None` cannot be reported.
    pub compared: Option<Option<PlaceCounts>>,
    pub outcomes: Vec<Vec<ExampleOutcome>>,
    /// All that was asked for has come.
    pub is_done: bool,
}

/// A draft.
pub struct State {
    title: Option<String>,
    /// Worked examples of all steps together.
    whole: Vec<Example>,
    pub steps: Vec<StepFields>,
    /// The step that is looked at, from 0.
    pub step: usize,
    pub focus: Focus,
    pub view: ListView,
    pub window: Option<Window>,
    /// Rows that the box over the rest is moved.
    pub window_scroll: usize,
    /// The text that is typed in such a box.
    pub input: Field,
    pub list: List,
    /// The row at the cursor of the lists of examples and of tries.
    pub other_cursor: usize,
    pub known: Known,
    /// The matches of the row at the cursor.
    pub detail: Option<Vec<MatchDetail>>,
    pub tries: Tries,
    /// Columns that long lines are moved to the left.
    pub sideways: usize,
    /// Long lines are wrapped.
    pub wraps: bool,
    /// Nothing matches, and all text is shown in the place of nothing.
    shows_text: bool,
    /// The text that is looked at in the place of the files.
    pub sample: Sample,
    /// The message about the last action.
    pub message: String,
    pub names: Arc<OptionNames>,
    /// The number of the last job, and of the last job about a row.
    job: u64,
    row_job: u64,
    /// The last inference: the examples, the steps, and the number of the one in the fields, from 0.
    inferred: Option<(Vec<Example>, Vec<StepSpec>, usize)>,
    /// True if it is left for the review as soon as its words are understood.
    leaves: bool,
    /// The request of the last job, and the sample that it was about.
    asked: Option<(DraftText, Option<Arc<str>>)>,
    /// A job about a row is under way.
    is_looking: bool,
    /// Grows whenever something else is to be drawn below the fields.
    pub drawing: u64,
    /// The fields that were typed in, and those whose typing was undone.
    typed: Vec<(usize, FieldName)>,
    untyped: Vec<(usize, FieldName)>,
}

impl State {
    pub fn new(saved: Saved, names: Arc<OptionNames>) -> Self {
        let Saved {
            title,
            whole,
            steps,
            examples,
            step,
            focus,
            view,
            tries,
            sample,
        } = saved;
        let mut examples = examples.into_iter();
        let mut fields: Vec<StepFields> = steps
            .iter()
            .map(|text| StepFields::new(text, examples.next().unwrap_or_default()))
            .collect();
        if fields.is_empty() {
            fields.push(StepFields::default());
        }
        Self {
            title,
            whole,
            step: step.min(fields.len() - 1),
            steps: fields,
            focus: match focus {
                Focus::Sample if !sample.is_on => Focus::List,
                focus => focus,
            },
            view,
            window: None,
            window_scroll: 0,
            input: Field::default(),
            list: List::default(),
            other_cursor: 0,
            known: Known::default(),
            detail: None,
            tries: Tries::of(tries),
            sideways: 0,
            wraps: true,
            shows_text: false,
            sample: Sample::of(&sample),
            message: String::new(),
            names,
            job: 0,
            row_job: 0,
            inferred: None,
            leaves: false,
            asked: None,
            is_looking: false,
            drawing: 0,
            typed: Vec::new(),
            untyped: Vec::new(),
        }
    }

    /// All that a draft which is opened again goes on with.
    pub fn saved(&self) -> Saved {
        Saved {
            title: self.title.clone(),
            whole: self.whole.clone(),
            steps: self.steps.iter().map(StepFields::text).collect(),
            examples: self
                .steps
                .iter()
                .map(|step| step.examples.clone())
                .collect(),
            step: self.step,
            focus: self.focus,
            view: self.view,
            tries: self.tries.texts(),
            sample: self.sample.saved(),
        }
    }

    /// The request in words.
    pub fn text(&self) -> DraftText {
        DraftText {
            steps: self.steps.iter().map(StepFields::text).collect(),
            step: self.step,
        }
    }

    /// True if something becomes of what is matched.
    pub fn has_action(&self) -> bool {
        let built = self.known.built.as_ref();
        let step = built.and_then(|built| built.step());
        step.is_some_and(|step| !step.only_shows())
    }

    /// True if the rows of the list are those that are counted, and not text in the place of nothing.
    pub fn are_rows_counted(&self) -> bool {
        self.view == ListView::Changes && !self.shows_text
    }

    /// True if the list says that nothing matches, and shows the text.
    pub fn is_text_instead(&self) -> bool {
        self.shows_text && matches!(self.view, ListView::Changes | ListView::Matches)
    }

    /// True if news about a row are to come.
    pub fn is_looking(&self) -> bool {
        self.is_looking
    }

    /// True if what is shown is not of the current words.
    pub fn is_stale(&self) -> bool {
        let built = self.known.built.as_ref();
        let sample = self.sample.looked_at();
        built.is_none_or(|built| built.text != self.text() || built.sample.as_ref() != sample)
    }

    /// Asks for all that the current words mean.
    pub fn begin(&mut self) -> Vec<Effect> {
        vec![self.evaluate(false)]
    }

    fn evaluate(&mut self, anew: bool) -> Effect {
        self.job += 1;
        self.known.is_done = false;
        let text = self.text();
        let sample = self.sample.looked_at().cloned();
        let asked = (text.clone(), sample.clone());
        let is_new = self.asked.as_ref() != Some(&asked);
        self.asked = Some(asked);
        self.shows_text &= !is_new && !anew;
        let list = match self.view {
            ListView::Changes | ListView::Matches if self.shows_text => {
                WantedList::Of(RowsView::Units)
            }
            ListView::Changes | ListView::Examples | ListView::Tries => {
                WantedList::Of(RowsView::Changes)
            }
            ListView::Matches => WantedList::Of(RowsView::Matches),
            ListView::Misses => WantedList::Of(RowsView::Misses),
            ListView::Units => WantedList::Of(RowsView::Units),
            ListView::Result => WantedList::Of(RowsView::Result),
            ListView::Differences => WantedList::Differences,
        };
        Effect::Evaluate(Box::new(Job {
            number: self.job,
            against: self.tries.base(&text).cloned(),
            is_new,
            text,
            sample,
            list,
            from: self.list.from,
            rows: ROWS,
            examples: self
                .steps
                .iter()
                .map(|step| step.examples.clone())
                .collect(),
            anew,
        }))
    }

    /// Does what the user wants.
    pub fn act(&mut self, action: Action) -> Vec<Effect> {
        self.message.clear();
        self.leaves = false;
        // What is typed changes the fields alone, until something has come of it.
        self.drawing += u64::from(!matches!(action, Action::Edit(_)));
        match action {
            Action::Edit(edit) => self.edit(edit),
            Action::Complete => self.complete(),
            Action::Focus(by) => self.move_focus(by),
            Action::FocusOn(focus) => {
                self.focus = focus;
                Vec::new()
            }
            Action::Move(by) => self.move_by(by),
            Action::Mark(by) => self.move_by_mark(by),
            Action::First => self.go_to_end(true),
            Action::Last => self.go_to_end(false),
            Action::File(by) => self.go_to_file(by > 0),
            Action::Wrap => {
                self.wraps = !self.wraps;
                self.sideways = 0;
                Vec::new()
            }
            Action::Sideways(by) => {
                self.sideways = self.sideways.saturating_add_signed(by * 8);
                Vec::new()
            }
            Action::View(view) => self.show(view),
            Action::Step(by) => self.go_to_step(by),
            Action::AddStep => self.add_step(),
            Action::RemoveStep => self.remove_step(),
            Action::Try(by) => self.go_to_try(by),
            Action::Against => self.against(),
            Action::Undo => self.undo(true),
            Action::Redo => self.undo(false),
            Action::Example(wanted) => self.make_example(wanted),
            Action::DropExample => self.drop_example(),
            Action::Infer => self.infer(),
            Action::Open(window) => self.open(window),
            Action::Remedy(number) => self.apply_remedy(number),
            Action::Enter => self.enter(),
            Action::Back => {
                self.window = None;
                Vec::new()
            }
            Action::Sample => self.go_to_sample(),
            Action::Files => self.change_texts(),
            Action::Paste(text) => self.paste_sample(&text),
            Action::ReadAgain => {
                self.message = "the files are looked for again, and read anew".into();
                vec![self.evaluate(true)]
            }
            Action::Leave(leave) => self.leave(leave),
        }
    }

    /// Takes in what a job has found; news of an older one are dropped.
    pub fn hear(&mut self, number: u64, news: News) -> Vec<Effect> {
        self.drawing += 1;
        match news {
            News::Detail(detail) => {
                if number == self.row_job {
                    self.detail = Some(detail);
                    self.is_looking = false;
                }
                return Vec::new();
            }
            News::Example(made) => {
                self.is_looking = false;
                return self.take_example(made);
            }
            News::Inferred(found) => {
                self.is_looking = false;
                return self.take_inferred(found);
            }
            _ if number != self.job => return Vec::new(),
            News::Wrong(fault) => {
                self.known.fault = Some(fault);
                self.known.failed = None;
                self.known.is_done = true;
            }
            News::Failed(diagnostic) => {
                self.known.failed = Some(diagnostic);
                self.known.fault = None;
                self.known.is_done = true;
            }
            News::Built(built) => {
                let known = self.known.built.as_ref();
                if known.is_none_or(|known| known.draft.id != built.draft.id) {
                    // What follows is of another request.
                    self.known.counts = None;
                    self.known.counted = None;
                    self.known.compared = None;
                    self.list.index_is_of = None;
                }
                self.known.built = Some(built);
                self.known.fault = None;
                self.known.failed = None;
                if self.leaves {
                    return vec![Effect::Leave(Leave::Review)];
                }
            }
            News::Of(DraftNews::Rows(rows)) => {
                self.list.take(rows);
                self.number_rows();
                return self.look_at_row();
            }
            News::Of(DraftNews::Counting(counts)) => self.known.counts = Some(counts),
            News::Of(DraftNews::Counted(counted)) => {
                self.known.counts = Some(counted.counts);
                self.known.counted = Some(counted);
                self.number_rows();
            }
            News::Of(DraftNews::Compared(compared)) => self.known.compared = Some(compared),
            News::Examples(outcomes) => self.known.outcomes = outcomes,
            News::Done => {
                self.known.is_done = true;
                // From the place that was looked at on, there is none; before it there may be.
                if self.list.rows.is_empty() && self.list.from != RowPlace::default() {
                    self.list.from = RowPlace::default();
                    return vec![self.evaluate(false)];
                }
                let finds = matches!(self.view, ListView::Changes | ListView::Matches);
                let nothing = self.known.counts.is_some_and(|counts| counts.matches == 0);
                if self.list.rows.is_empty() && finds && nothing && !self.shows_text {
                    self.shows_text = true;
                    return vec![self.evaluate(false)];
                }
            }
        }
        Vec::new()
    }

    /// Nothing was typed for a while: what is there is a try.
    pub fn settle(&mut self) -> Vec<Effect> {
        let (true, Some(counts)) = (self.may_settle(), self.known.counts) else {
            return Vec::new();
        };
        self.tries.settle(&self.text(), counts);
        self.drawing += 1;
        vec![Effect::Keep]
    }

    /// True if what is there becomes a try, once nothing is typed for a while.
    pub fn may_settle(&self) -> bool {
        let known = &self.known;
        let has_step = known
            .built
            .as_ref()
            .is_some_and(|built| built.step().is_some());
        let is_known = known.is_done && known.fault.is_none() && known.counts.is_some();
        is_known && has_step && !self.is_stale() && !self.tries.is_at(&self.text())
    }

    fn edit(&mut self, edit: Edit) -> Vec<Effect> {
        if self.window.is_some() {
            self.input.edit(edit);
            return Vec::new();
        }
        let name = match self.focus {
            Focus::Field(name) => name,
            Focus::Sample => return self.type_sample(edit),
            Focus::List => return Vec::new(),
        };
        let step = self.step;
        let field = self.steps[step].field_mut(name);
        let before = field.text().to_owned();
        field.edit(edit);
        match field.text() == before {
            true => Vec::new(),
            false => self.has_typed(step, name),
        }
    }

    /// Something was typed in a field.
    fn has_typed(&mut self, step: usize, name: FieldName) -> Vec<Effect> {
        self.typed.push((step, name));
        self.untyped.clear();
        self.tries.leave();
        vec![self.evaluate(false)]
    }

    /// Puts another text into a field, as if it were typed.
    fn put(&mut self, name: FieldName, text: &str) {
        let field = self.steps[self.step].field_mut(name);
        if field.text() != text {
            field.set(text);
            self.typed.push((self.step, name));
            self.untyped.clear();
        }
    }

    fn undo(&mut self, undo: bool) -> Vec<Effect> {
        if self.focus == Focus::Sample {
            return self.type_sample(if undo { Edit::Undo } else { Edit::Redo });
        }
        let (from, to, word, edit) = match undo {
            true => (&mut self.typed, &mut self.untyped, "undo", Edit::Undo),
            false => (&mut self.untyped, &mut self.typed, "redo", Edit::Redo),
        };
        let Some((step, name)) = from.pop() else {
            self.message = format!("there is nothing to {word}");
            return Vec::new();
        };
        to.push((step, name));
        // Steps that were removed took their typing with them.
        let Some(fields) = self.steps.get_mut(step) else {
            return Vec::new();
        };
        fields.field_mut(name).edit(edit);
        self.step = step;
        if self.focus != Focus::List {
            self.focus = Focus::Field(name);
        }
        self.tries.leave();
        vec![self.evaluate(false)]
    }

    fn complete(&mut self) -> Vec<Effect> {
        let field = self.steps[self.step].field(FieldName::Options);
        let (before, under, _) = field.parts();
        match self
            .names
            .complete(before)
            .filter(|_| under.trim().is_empty())
        {
            Some(rest) => self.edit(Edit::Insert(rest)),
            None => self.move_focus(1),
        }
    }

    fn move_focus(&mut self, by: isize) -> Vec<Effect> {
        let all = match self.sample.is_on() {
            true => &Focus::ALL[..],
            false => &Focus::ALL[..Focus::ALL.len() - 1],
        };
        let at = all.iter().position(|focus| *focus == self.focus);
        let next = (at.unwrap_or(0) as isize + by).rem_euclid(all.len() as isize);
        // It is not negative.
        self.focus = all[next as usize];
        Vec::new()
    }

    fn show(&mut self, view: ListView) -> Vec<Effect> {
        if self.view == view {
            return Vec::new();
        }
        self.view = view;
        self.sideways = 0;
        match view {
            ListView::Examples => {
                self.other_cursor = 0;
                Vec::new()
            }
            ListView::Tries => {
                self.other_cursor = self.tries.at();
                Vec::new()
            }
            ListView::Changes
            | ListView::Matches
            | ListView::Misses
            | ListView::Units
            | ListView::Result
            | ListView::Differences => {
                self.list.begin_at_cursor();
                self.forget_detail();
                vec![self.evaluate(false)]
            }
        }
    }

    fn go_to_step(&mut self, by: isize) -> Vec<Effect> {
        let next = self.step.saturating_add_signed(by);
        if next >= self.steps.len() || next == self.step {
            self.message = match self.steps.len() {
                1 => "there is one step: `+` adds another".into(),
                _ => "there is no other step that way".into(),
            };
            return Vec::new();
        }
        self.look_at_step(next)
    }

    fn look_at_step(&mut self, step: usize) -> Vec<Effect> {
        self.step = step;
        self.forget_detail();
        self.list.begin_at_cursor();
        vec![self.evaluate(false)]
    }

    fn add_step(&mut self) -> Vec<Effect> {
        self.steps.insert(self.step + 1, StepFields::default());
        self.forget_typing();
        self.focus = Focus::Field(FieldName::Pattern);
        self.look_at_step(self.step + 1)
    }

    fn remove_step(&mut self) -> Vec<Effect> {
        if self.steps.len() == 1 {
            self.message = "a draft has at least one step".into();
            return Vec::new();
        }
        self.steps.remove(self.step);
        self.forget_typing();
        self.message = "the step is removed; `[` brings back the last try".into();
        self.look_at_step(self.step.min(self.steps.len() - 1))
    }

    /// Forgets the order of typing: steps have other numbers now.
    fn forget_typing(&mut self) {
        self.typed.clear();
        self.untyped.clear();
    }

    fn go_to_try(&mut self, by: isize) -> Vec<Effect> {
        match self.tries.beside(&self.text(), by).cloned() {
            Some(text) => self.load(&text),
            None => {
                self.message = "there is no other try that way".into();
                Vec::new()
            }
        }
    }

    /// Goes back to a try.
    fn load(&mut self, text: &DraftText) -> Vec<Effect> {
        let same_steps = text.steps.len() == self.steps.len();
        if !same_steps {
            let mut examples = self.steps.iter().map(|step| step.examples.clone());
            let fields = text.steps.iter();
            self.steps = fields
                .map(|step| StepFields::new(step, examples.next().unwrap_or_default()))
                .collect();
            self.forget_typing();
        }
        for (number, step) in text.steps.iter().enumerate() {
            self.step = number;
            self.put(FieldName::Pattern, &step.pattern);
            self.put(FieldName::Template, &step.template);
            self.put(FieldName::Options, &step.options);
        }
        self.step = text.step.min(self.steps.len() - 1);
        self.tries.go_to(text);
        self.forget_detail();
        vec![self.evaluate(false)]
    }

    fn against(&mut self) -> Vec<Effect> {
        let chosen = match self.view {
            ListView::Tries => self.tries.text_of(self.other_cursor).cloned(),
            _ => None,
        };
        self.message = match self.tries.compare_with(chosen) {
            Some(number) => format!("compared with try {}", number + 1),
            None => "compared with the last try".to_owned(),
        };
        vec![self.evaluate(false)]
    }

    fn make_example(&mut self, wanted: WantedText) -> Vec<Effect> {
        let (Some(row), Some(built)) = (self.list.current(), self.known.built.clone()) else {
            self.message = "there is no text to make an example of".into();
            return Vec::new();
        };
        if self.is_stale() {
            self.message = "what is shown is not of these words: wait for it".into();
            return Vec::new();
        }
        self.row_job += 1;
        self.is_looking = true;
        vec![Effect::Row(Box::new(RowJob {
            number: self.row_job,
            built,
            row: row.clone(),
            what: RowWork::Example(wanted),
        }))]
    }

    fn take_example(&mut self, made: Result<Example, String>) -> Vec<Effect> {
        match made {
            Err(why) => {
                self.message = format!("no example: {why}");
                Vec::new()
            }
            Ok(example) => {
                let examples = &mut self.steps[self.step].examples;
                // One text has one example.
                let text = |example: &Example| {
                    example.before.clone().or_else(|| example.untouched.clone())
                };
                let own = text(&example);
                examples.retain(|known| text(known) != own);
                examples.push(example);
                let many = examples.len();
                self.message = format!("example {many}; view 6 lists them");
                vec![self.evaluate(false), Effect::Keep]
            }
        }
    }

    /// Infers a rewrite from the examples of the step; with the same examples again, goes on to the next proposal.
    fn infer(&mut self) -> Vec<Effect> {
        let examples = self.steps[self.step].examples.clone();
        let (Some(row), Some(built)) = (self.list.current().cloned(), self.known.built.clone())
        else {
            self.message = "there is no text yet to infer from".into();
            return Vec::new();
        };
        if examples.is_empty() {
            self.message = "make examples first, with `b`, `l` and `m`".into();
            return Vec::new();
        }
        if let Some((known, steps, at)) = &mut self.inferred
            && *known == examples
        {
            *at = (*at + 1) % steps.len();
            return self.fill_inferred();
        }
        let shown = self.list.rows.iter().map(|row| &row.was);
        let whole = shown.filter(|text| !text.cut_before && !text.cut_after);
        let texts = whole.map(|text| {
            let text = String::from_utf8_lossy(&text.text);
            text.trim_end_matches(['\r', '\n']).to_owned()
        });
        self.row_job += 1;
        self.is_looking = true;
        self.message = "inferring…".into();
        vec![Effect::Row(Box::new(RowJob {
            number: self.row_job,
            built,
            row,
            what: RowWork::Infer(examples, texts.collect()),
        }))]
    }

    fn take_inferred(&mut self, found: Result<Vec<StepSpec>, String>) -> Vec<Effect> {
        match found {
            Err(why) => {
                self.message = format!("nothing is inferred: {why}");
                Vec::new()
            }
            Ok(steps) => {
                let examples = self.steps[self.step].examples.clone();
                self.inferred = Some((examples, steps, 0));
                self.fill_inferred()
            }
        }
    }

    /// Puts the inferred step into the fields; what the options say of the place and of files stays.
    fn fill_inferred(&mut self) -> Vec<Effect> {
        let (Some((_, steps, at)), Some(built)) = (&self.inferred, self.known.built.clone()) else {
            return Vec::new();
        };
        let (found, number, all) = (steps[*at].clone(), at + 1, steps.len());
        self.fill(&in_place(&found, &built.spec().place()), &built);
        self.message = match all {
            1 => "one rewrite makes all examples".into(),
            all => format!("proposal {number} of {all}; `i` goes on to the next"),
        };
        self.tries.leave();
        vec![self.evaluate(false)]
    }

    /// Puts a step into the fields, with the options about files that there are.
    fn fill(&mut self, spec: &StepSpec, built: &Built) {
        let text = StepText::of(spec);
        self.put(FieldName::Pattern, &text.pattern);
        self.put(FieldName::Template, &text.template);
        let mut options = text.options;
        for word in crate::args::words::of_files(&built.files) {
            options = format!("{options} {}", crate::args::words::quoted([&*word]));
        }
        self.put(FieldName::Options, options.trim());
    }

    fn drop_example(&mut self) -> Vec<Effect> {
        let order = self.example_order();
        let examples = &mut self.steps[self.step].examples;
        let at = order.get(self.other_cursor).copied();
        let (ListView::Examples, Some(at)) = (self.view, at.filter(|at| *at < examples.len()))
        else {
            self.message = "`d` drops an example in view 6".into();
            return Vec::new();
        };
        examples.remove(at);
        self.other_cursor = self.other_cursor.min(examples.len().saturating_sub(1));
        vec![self.evaluate(false), Effect::Keep]
    }

    /// The examples of the step by their numbers, from 0, those that do not hold first.
    pub fn example_order(&self) -> Vec<usize> {
        let outcomes = self.known.outcomes.get(self.step);
        let holds = |number: &usize| {
            let outcome = outcomes.and_then(|all| all.get(*number));
            outcome.is_some_and(ExampleOutcome::holds)
        };
        let mut order: Vec<usize> = (0..self.steps[self.step].examples.len()).collect();
        order.sort_by_key(holds);
        order
    }

    fn open(&mut self, window: Window) -> Vec<Effect> {
        match window {
            Window::WantedText => {
                let Some(row) = self.list.current() else {
                    self.message = "there is no text to make an example of".into();
                    return Vec::new();
                };
                let now = row.now.as_ref().filter(|_| row.cell.is_none());
                let text = match (&row.record, now) {
                    (Some(record), _) => record,
                    (None, Some(now)) => &now.text,
                    (None, None) => &row.was.text,
                };
                let text = String::from_utf8_lossy(text);
                self.input = Field::new(text.trim_end_matches(['\r', '\n']));
            }
            Window::Save => self.input = Field::new("rewrites/draft.toml"),
            Window::Keys | Window::Hints | Window::Leave => {}
        }
        self.window = Some(window);
        self.window_scroll = 0;
        Vec::new()
    }

    fn enter(&mut self) -> Vec<Effect> {
        match self.window {
            Some(Window::WantedText) => {
                self.window = None;
                let text = self.input.text().to_owned();
                self.make_example(WantedText::Text(text))
            }
            Some(Window::Save) => {
                self.window = None;
                let name = self.input.text().trim().to_owned();
                match name.is_empty() {
                    true => Vec::new(),
                    false => vec![Effect::Save(PathBuf::from(name))],
                }
            }
            Some(Window::Keys | Window::Hints | Window::Leave) => {
                self.window = None;
                Vec::new()
            }
            None => match (self.focus, self.view) {
                (Focus::List, ListView::Tries) => {
                    match self.tries.text_of(self.other_cursor).cloned() {
                        Some(text) => self.load(&text),
                        None => Vec::new(),
                    }
                }
                (Focus::List, _) => {
                    self.focus = Focus::Field(FieldName::Pattern);
                    Vec::new()
                }
                (Focus::Field(_) | Focus::Sample, _) => Vec::new(),
            },
        }
    }

    fn apply_remedy(&mut self, number: usize) -> Vec<Effect> {
        let hints = self
            .known
            .counted
            .as_ref()
            .map(|counted| &counted.hints.shown);
        let remedy = hints.and_then(|hints| hints.get(number)?.remedy.clone());
        let Some(remedy) = remedy else {
            return Vec::new();
        };
        let Some(built) = self.known.built.clone() else {
            return Vec::new();
        };
        self.window = None;
        let mut spec = built.spec().clone();
        if remedy.apply(&mut spec) {
            self.fill(&spec, &built);
        } else if let Some(option) = option_of(&remedy) {
            let options = self.steps[self.step].field(FieldName::Options).text();
            let options = format!("{} {option}", options.trim());
            self.put(FieldName::Options, options.trim());
        } else {
            self.message = format!("this is for you to do: {remedy}");
            return Vec::new();
        }
        self.message = format!("done: {remedy}");
        self.tries.leave();
        vec![self.evaluate(false)]
    }

    fn leave(&mut self, leave: Leave) -> Vec<Effect> {
        if leave != Leave::Review || !self.is_stale() && self.known.fault.is_none() {
            return vec![Effect::Leave(leave)];
        }
        self.window = None;
        match self.known.is_done {
            true => {
                self.message = "the words are not understood, so there is nothing to review".into();
            }
            // It is left as soon as they are.
            false => self.leaves = true,
        }
        Vec::new()
    }

    /// The matches of the row at the cursor are asked for again, once there are rows.
    fn forget_detail(&mut self) {
        self.detail = None;
        self.list.looked_at = None;
    }

    /// Asks for the matches of the row at the cursor.
    pub(super) fn look_at_row(&mut self) -> Vec<Effect> {
        let (Some(row), Some(built)) = (self.list.current().cloned(), self.known.built.clone())
        else {
            self.detail = None;
            return Vec::new();
        };
        if self.list.looked_at.as_ref() == Some(&(built.draft.id, row.place, row.cell.clone())) {
            return Vec::new();
        }
        let has_matches = !matches!(
            row.kind,
            RowKind::NoMatch | RowKind::Miss(_) | RowKind::Kept
        );
        self.list.looked_at = Some((built.draft.id, row.place, row.cell.clone()));
        if !has_matches || built.step().is_none() {
            self.detail = None;
            return Vec::new();
        }
        self.row_job += 1;
        self.is_looking = true;
        vec![Effect::Row(Box::new(RowJob {
            number: self.row_job,
            built,
            row,
            what: RowWork::Detail,
        }))]
    }
}

/// The option that a remedy adds, where it is not a matter of one step.
fn option_of(remedy: &Remedy) -> Option<String> {
    match remedy {
        Remedy::Ignored => Some("--ignored".to_owned()),
        Remedy::Hidden => Some("--hidden".to_owned()),
        Remedy::Binary => Some("--binary".to_owned()),
        Remedy::Encoding(label) => Some(format!("--encoding {label}")),
        Remedy::IgnoreCase
        | Remedy::WholeWord
        | Remedy::PickAll
        | Remedy::WholeText
        | Remedy::NotLiteral
        | Remedy::OpenEnd
        | Remedy::Columns { .. }
        | Remedy::Pattern(_)
        | Remedy::Template(_)
        | Remedy::Both(..)
        | Remedy::Pairs
        | Remedy::Delimiter(_)
        | Remedy::Words(_) => None,
    }
}
