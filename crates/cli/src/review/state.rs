//! A review without a screen: an action comes in, the state changes, and what has to be
//! written down goes out.
//!
//! Note to the maintainer: nothing here draws or reads keys. A new action needs an arm in
//! [`State::act`], a key in `keys.rs`, and a line in the list of keys there.

pub mod beside;
pub mod kind_list;
mod typing;

use crate::full_screen::field::Field;
use crate::review::action::{Action, Effect, Group, Leave, Texts, View};
use crate::review::state::beside::Beside;
use crate::review::state::kind_list::KindList;
use brisk_quill_core::numbers::number;
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::plan::decision::{Decision, DecisionCounts};
use brisk_quill_core::plan::modified::Modified;
use brisk_quill_files::plan_file::PlanKinds;

/// The decision about a change.
type Decided = (Decision, Option<Modified>);

/// A change of one decision, as it was and as it became.
#[derive(Clone, Debug)]
struct Turn {
    index: usize,
    was: Decided,
    now: Decided,
}

/// The decision that was offered about changes that are decided otherwise.
type Offered = Option<(Decision, Vec<usize>)>;

/// "7 stay refused": changes that keep their decision.
fn stays(decisions: impl Iterator<Item = Decision>) -> String {
    let mut counts = DecisionCounts::default();
    decisions.for_each(|decision| counts.add(decision));
    let all = [
        (counts.accepted, Decision::Accepted),
        (counts.refused, Decision::Refused),
        (counts.modified, Decision::Modified),
        (counts.open, Decision::Open),
    ];
    let some = all.into_iter().filter(|(n, _)| *n > 0);
    let some = some.map(|(n, decision)| {
        let stay = if n == 1 { "stays" } else { "stay" };
        format!("{} {stay} {}", number(n), decision.name())
    });
    some.collect::<Vec<_>>().join(", ")
}

/// A review.
pub struct State {
    pub plan: PlanIndex,
    pub kinds: PlanKinds,
    /// The changes of each kind that lie within a word.
    pub within_words: Vec<u64>,
    pub counts: DecisionCounts,
    pub view: View,
    /// The current change, as a place among those that are listed.
    pub cursor: usize,
    /// The changes that are listed, in order.
    pub listed: Vec<usize>,
    pub only_open: bool,
    pub only_kind: Option<u32>,
    pub needle: String,
    /// The list of kinds.
    pub kind_list: KindList,
    /// The current row of it.
    pub kind_cursor: usize,
    pub editor: Field,
    /// The text around the change that is being modified.
    pub beside: Beside,
    /// Rows that the file is moved from the current change.
    pub scroll: isize,
    /// The whole file shows the old text of what is accepted, too.
    pub shows_old: bool,
    /// The message about the last action.
    pub message: String,
    /// The decision that the last action did not make about these changes, which are decided
    /// otherwise: the same action again makes it.
    offered: Offered,
    done: Vec<Vec<Turn>>,
    undone: Vec<Vec<Turn>>,
}

impl State {
    /// A review that lists kinds by shape where they are `grouped`.
    pub fn new(plan: PlanIndex, kinds: PlanKinds, grouped: bool) -> Self {
        let counts = plan.counts();
        let message = match (plan.conflicts().len(), plan.hints.len()) {
            (1.., _) => {
                "reviewers decided differently about some changes: v lists what is open".to_owned()
            }
            // Hints stand under the headline.
            (0, _) => String::new(),
        };
        let open = plan
            .entries
            .iter()
            .position(|entry| entry.decision == Decision::Open);
        Self {
            listed: (0..plan.entries.len()).collect(),
            // A review goes on where it was left.
            cursor: open.unwrap_or(0),
            plan,
            kind_list: KindList::new(&kinds, grouped),
            within_words: vec![0; kinds.kinds.len()],
            kinds,
            counts,
            view: View::Changes,
            only_open: false,
            only_kind: None,
            needle: String::new(),
            kind_cursor: 0,
            editor: Field::default(),
            beside: Beside::default(),
            scroll: 0,
            shows_old: false,
            message,
            offered: None,
            done: Vec::new(),
            undone: Vec::new(),
        }
    }

    /// The current change; `None` where none is listed.
    pub fn current(&self) -> Option<usize> {
        self.listed.get(self.cursor).copied()
    }

    /// The kind of the current change.
    pub fn kind(&self) -> Option<u32> {
        let kind = self.kinds.of[self.current()?];
        (kind != u32::MAX).then_some(kind)
    }

    /// True if something was decided that a run would write, or everything is open.
    pub fn would_write(&self) -> u64 {
        match self.plan.is_undecided(&self.counts) {
            true => self.counts.total(),
            false => self.counts.written(),
        }
    }

    /// Does what the user wants.
    pub fn act(&mut self, action: Action, texts: &dyn Texts) -> Effect {
        self.message.clear();
        let offered = self.offered.take();
        match action {
            Action::Step(by) => self.step(by),
            Action::First => self.step(isize::MIN),
            Action::Last => self.step(isize::MAX),
            Action::NextFile => self.go_to_file(1),
            Action::PreviousFile => self.go_to_file(-1),
            Action::NextOfKind => self.go_to_kind(1),
            Action::PreviousOfKind => self.go_to_kind(-1),
            Action::Decide(decision) => return self.decide(decision),
            Action::Every(group, decision) => return self.every(group, decision, offered),
            Action::Undo => return self.turn_back(true),
            Action::Redo => return self.turn_back(false),
            Action::Modify => self.begin_modifying(texts),
            Action::Edit(edit) => self.edit(edit),
            Action::Enter => return self.enter(texts),
            Action::OnlyOpen => {
                self.only_open = !self.only_open;
                self.list(texts);
            }
            Action::OnlyKind => {
                self.only_kind = match self.only_kind {
                    Some(_) => None,
                    None => self.kind(),
                };
                self.list(texts);
            }
            Action::Find => {
                self.editor = Field::new(&self.needle);
                self.view = View::Find;
            }
            Action::Show(view) => self.show(view),
            Action::Scroll(by) => self.scroll = self.scroll.saturating_add(by),
            Action::ShowOld => self.shows_old = !self.shows_old,
            Action::Back => self.view = View::Changes,
            Action::OfKindRow(decision) => return self.decide_kinds(decision, offered),
            Action::Leave(Leave::AcceptRest) => {
                let effect = self.every(Group::Rest, Decision::Accepted, None);
                // The rest is what is open.
                self.offered = None;
                self.ask();
                return effect;
            }
            Action::Leave(Leave::Apply) if self.view != View::Ask => self.ask(),
            Action::Leave(Leave::Drop) if self.view != View::AskDrop && !self.done.is_empty() => {
                self.view = View::AskDrop;
            }
            Action::Leave(leave) => return self.leave(leave),
        }
        Effect::None
    }

    /// Asks before anything is written.
    fn ask(&mut self) {
        if self.would_write() == 0 {
            self.view = View::Changes;
            self.message = "nothing is accepted, so there is nothing to write".into();
        } else {
            self.view = View::Ask;
        }
    }

    /// The changes that were decided about in this review.
    pub fn made_here(&self) -> Vec<usize> {
        self.done.iter().flatten().map(|turn| turn.index).collect()
    }

    /// The number of decisions that were made in this review and can be dropped.
    pub fn made(&self) -> usize {
        self.done.iter().map(Vec::len).sum()
    }

    /// Decides about the changes of the row at the cursor of the list of kinds.
    fn decide_kinds(&mut self, decision: Decision, offered: Offered) -> Effect {
        let Some(row) = self.kind_list.rows.get(self.kind_cursor).copied() else {
            return Effect::None;
        };
        let kinds = self.kind_list.kinds_of(row);
        let is_of = |index: &usize| {
            let kind = self.kinds.of[*index];
            kind != u32::MAX && kinds.contains(&(kind as usize))
        };
        let members = (0..self.plan.entries.len()).filter(is_of).collect();
        let effect = self.decide_open(members, decision, offered);
        if self.offered.is_none() {
            self.kind_cursor = (self.kind_cursor + 1).min(self.kind_list.rows.len() - 1);
        }
        effect
    }

    /// Decides about those of these changes that are open, and says how many stay decided
    /// otherwise; asked a second time, it decides about these too.
    fn decide_open(&mut self, members: Vec<usize>, decision: Decision, offered: Offered) -> Effect {
        let state = |index: &usize| self.plan.entries[*index].decision;
        let others = members.into_iter().filter(|index| state(index) != decision);
        let (open, others): (Vec<usize>, Vec<usize>) =
            others.partition(|index| state(index) == Decision::Open);
        let overrules = offered.is_some_and(|offered| offered == (decision, others.clone()));
        let stay = stays(others.iter().map(state));
        let mut meant = open;
        if overrules {
            meant.extend(&others);
        }
        let many = meant.len() as u64;
        let effect = self.make(
            meant
                .into_iter()
                .map(|index| (index, (decision, None)))
                .collect(),
        );
        self.message = match (many, others.is_empty() || overrules) {
            (0, true) => format!("all of these are {} already", decision.name()),
            (_, true) => format!("{} {}; u undoes that", number(many), decision.name()),
            (0, false) => format!("nothing is open here; {stay}: the same key overrules that"),
            (_, false) => format!(
                "{} {}; {stay}: the same key overrules that",
                number(many),
                decision.name()
            ),
        };
        if !others.is_empty() && !overrules {
            self.offered = Some((decision, others));
        }
        effect
    }

    /// The decisions about the changes of each kind.
    pub fn decided_by_kind(&self) -> Vec<DecisionCounts> {
        let mut counts = vec![DecisionCounts::default(); self.kinds.kinds.len()];
        for (entry, kind) in self.plan.entries.iter().zip(&self.kinds.of) {
            if let Some(counts) = counts.get_mut(*kind as usize) {
                counts.add(entry.decision);
            }
        }
        counts
    }

    /// Changes that show what the current row of the list of kinds holds: the first of its kinds.
    pub fn samples(&self, most: usize) -> Vec<usize> {
        let Some(row) = self.kind_list.rows.get(self.kind_cursor) else {
            return Vec::new();
        };
        let kinds = self.kind_list.kinds_of(*row);
        if let [kind] = kinds[..] {
            let is_of = |index: &usize| self.kinds.of[*index] as usize == kind;
            return (0..self.plan.entries.len())
                .filter(is_of)
                .take(most)
                .collect();
        }
        let first = kinds.iter().take(most);
        first.map(|kind| self.kinds.kinds[*kind].first).collect()
    }

    fn show(&mut self, view: View) {
        self.view = view;
        self.scroll = 0;
        if view == View::Kinds {
            // Kinds are at most 100,000.
            self.kind_cursor = self.kind_list.row_of(self.kind().unwrap_or(0) as usize);
        }
    }

    fn go(&mut self, place: usize) {
        self.cursor = place.min(self.listed.len().saturating_sub(1));
        self.scroll = 0;
    }

    fn step(&mut self, by: isize) {
        if self.view == View::Kinds {
            let last = self.kind_list.rows.len().saturating_sub(1);
            self.kind_cursor = self.kind_cursor.saturating_add_signed(by).min(last);
            return;
        }
        self.go(self.cursor.saturating_add_signed(by));
    }

    /// The first listed change of the next file, or of this one or the one before it.
    fn go_to_file(&mut self, by: isize) {
        let Some(here) = self.current().map(|index| self.plan.file_of(index)) else {
            return;
        };
        let file_at = |place: usize| self.plan.file_of(self.listed[place]);
        let place = match by {
            1 => (self.cursor..self.listed.len()).find(|place| file_at(*place) != here),
            _ => {
                let before = self.cursor.checked_sub(1);
                before.map(|before| {
                    let file = file_at(before);
                    let end = self.plan.files[file].first;
                    self.listed.partition_point(|index| *index < end)
                })
            }
        };
        match place {
            Some(place) => self.go(place),
            None => self.message = "there is no other file that way".into(),
        }
    }

    fn go_to_kind(&mut self, by: isize) {
        let Some(kind) = self.kind() else { return };
        let same = |place: &usize| self.kinds.of[self.listed[*place]] == kind;
        let place = match by {
            1 => (self.cursor + 1..self.listed.len()).find(same),
            _ => (0..self.cursor).rev().find(same),
        };
        match place {
            Some(place) => self.go(place),
            None => self.message = "there is no other of this kind that way".into(),
        }
    }

    fn decided(&self, index: usize) -> Decided {
        let decision = self.plan.entries[index].decision;
        (decision, self.plan.modified.get(&index).cloned())
    }

    fn decide(&mut self, decision: Decision) -> Effect {
        let Some(index) = self.current() else {
            return Effect::None;
        };
        let effect = self.make(vec![(index, (decision, None))]);
        if decision != Decision::Open {
            self.go_on();
        }
        effect
    }

    /// To the next change that is open.
    fn go_on(&mut self) {
        let open =
            |place: &usize| self.plan.entries[self.listed[*place]].decision == Decision::Open;
        let ahead = (self.cursor + 1..self.listed.len()).find(open);
        match ahead.or_else(|| (0..self.cursor).find(open)) {
            Some(place) => self.go(place),
            None => self.message = "nothing is open any more: q leaves".into(),
        }
    }

    fn every(&mut self, group: Group, decision: Decision, offered: Offered) -> Effect {
        let Some(current) = self.current() else {
            return Effect::None;
        };
        let effect = self.decide_open(self.members(group, current), decision, offered);
        // Where there is something to overrule, the same key must mean the same.
        if self.offered.is_none() {
            self.view = View::Changes;
            let message = std::mem::take(&mut self.message);
            self.go_on();
            if self.message.is_empty() {
                self.message = message;
            } else {
                self.message = format!("{message}; {}", self.message);
            }
        }
        effect
    }

    /// The changes that are decided about together, open or not.
    pub fn members(&self, group: Group, current: usize) -> Vec<usize> {
        match group {
            Group::Kind => {
                let kind = self.kinds.of[current];
                let same = |index: &usize| match kind {
                    u32::MAX => *index == current,
                    kind => self.kinds.of[*index] == kind,
                };
                (0..self.plan.entries.len()).filter(same).collect()
            }
            Group::File => {
                let file = &self.plan.files[self.plan.file_of(current)];
                (file.first..file.end).collect()
            }
            Group::Rest => {
                let open = |index: &usize| self.plan.entries[*index].decision == Decision::Open;
                (0..self.plan.entries.len()).filter(open).collect()
            }
        }
    }

    /// The number of changes of a group that are open.
    pub fn open_in(&self, group: Group) -> usize {
        let Some(current) = self.current() else {
            return 0;
        };
        let open = |index: &usize| self.plan.entries[*index].decision == Decision::Open;
        self.members(group, current)
            .iter()
            .filter(|index| open(index))
            .count()
    }

    /// Makes decisions, as one turn that can be undone.
    fn make(&mut self, decisions: Vec<(usize, Decided)>) -> Effect {
        let turns: Vec<Turn> = decisions
            .into_iter()
            .map(|(index, now)| Turn {
                index,
                was: self.decided(index),
                now,
            })
            .filter(|turn| turn.was != turn.now)
            .collect();
        if turns.is_empty() {
            return Effect::None;
        }
        for turn in &turns {
            self.set(turn.index, turn.now.clone());
        }
        let written = turns.iter().map(|turn| turn.index).collect();
        self.done.push(turns);
        self.undone.clear();
        Effect::Write(written)
    }

    fn set(&mut self, index: usize, (decision, text): Decided) {
        let was = self.plan.entries[index].decision;
        self.counts.change(was, decision);
        self.plan.set(index, decision, text);
    }

    /// Takes the last turn back, or makes it again.
    fn turn_back(&mut self, undo: bool) -> Effect {
        let (from, word) = match undo {
            true => (&mut self.done, "undo"),
            false => (&mut self.undone, "do again"),
        };
        let Some(turns) = from.pop() else {
            self.message = format!("there is nothing to {word}");
            return Effect::None;
        };
        for turn in &turns {
            let to = if undo { &turn.was } else { &turn.now };
            self.set(turn.index, to.clone());
        }
        let first = turns[0].index;
        if let Ok(place) = self.listed.binary_search(&first) {
            self.go(place);
        }
        let written = turns.iter().map(|turn| turn.index).collect();
        match undo {
            true => self.undone.push(turns),
            false => self.done.push(turns),
        }
        Effect::Write(written)
    }

    /// Lists the changes that are asked for, and stays near the current one.
    fn list(&mut self, texts: &dyn Texts) {
        let current = self.current();
        let needle = self.needle.to_lowercase();
        let wanted = |index: &usize| {
            let entry = &self.plan.entries[*index];
            let of_kind = self
                .only_kind
                .is_none_or(|kind| self.kinds.of[*index] == kind);
            let open = !self.only_open || entry.decision == Decision::Open;
            of_kind && open && (needle.is_empty() || self.holds(*index, &needle, texts))
        };
        let listed: Vec<usize> = (0..self.plan.entries.len()).filter(wanted).collect();
        self.listed = listed;
        let place = current.map_or(0, |index| self.listed.partition_point(|at| *at < index));
        self.go(place);
        if self.listed.is_empty() {
            self.message = "no change is like that; / and v widen it again".into();
        }
    }

    fn holds(&self, index: usize, needle: &str, texts: &dyn Texts) -> bool {
        let path = &self.plan.files[self.plan.file_of(index)].path;
        if String::from_utf8_lossy(path)
            .to_lowercase()
            .contains(needle)
        {
            return true;
        }
        texts.change(index).is_some_and(|change| {
            let holds = |text: &str| text.to_lowercase().contains(needle);
            let label = change.label.0.as_deref().unwrap_or_default();
            if holds(&change.before) || holds(&change.after) || holds(label) {
                return true;
            }
            // The text of its line, as it is and as it becomes.
            let (head, tail) = texts.beside(&self.plan, index, &change);
            let whole = |text: &str| holds(&format!("{head}{text}{tail}"));
            change.cell.is_none() && (whole(&change.before) || whole(&change.after))
        })
    }

    fn leave(&mut self, leave: Leave) -> Effect {
        let mut all = Vec::new();
        if leave == Leave::Drop {
            // What was decided before this review stays.
            while let Effect::Write(indexes) = self.turn_back(true) {
                all.extend(indexes);
            }
            all.sort_unstable();
            all.dedup();
        }
        Effect::End(leave, all)
    }
}
