//! The full-screen review of a plan.
//!
//! ```text
//! key → action → state → effect
//! keys           state   here: decisions are appended, the run is made
//!                state → screen
//! ```
//!
//! Decisions are appended to the plan as they are made, so they survive whatever ends the
//! program.

pub mod action;
pub mod keys;
pub mod loaded;
pub mod screen;
pub mod state;
#[cfg(test)]
mod tests;

use crate::commands::plans::Meant;
use crate::diagnostic::Diagnostic;
use crate::full_screen::field::Edit;
use crate::full_screen::palette::Palette;
use crate::full_screen::terminal::{Came, WAIT, on_terminal};
use crate::options::KindsBy;
use crate::output::Output;
use crate::render::decisions::what_is_written;
use crate::review::action::{Action, Effect, Leave, Texts};
use crate::review::loaded::Loaded;
use crate::review::screen::Screen;
use crate::review::state::State;
use crate::status::Status;
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::records::plan::{ChangeRecord, decision_line};
use brisk_quill_engine::cell_values::CellValues;
use brisk_quill_engine::context::beside;
use brisk_quill_engine::context::within::within_words;
use brisk_quill_files::plan_file::{AppendError, PlanDoc};
use crossterm::event::{Event, KeyEventKind, poll, read};
use std::io;

/// Reviews a plan on the terminal, and writes it if that is wanted.
pub fn run(mut meant: Meant, by: KindsBy, output: &mut Output) -> Result<Status, Diagnostic> {
    let fail = |error: io::Error| Diagnostic::trouble(format!("the review cannot go on: {error}"));
    let kinds = meant.plan.doc.kinds().map_err(fail)?;
    let sentence = meant.sentence();
    let title = sentence.lines().nth(1).unwrap_or(&sentence).to_owned();
    let grouped = by.groups(kinds.kinds.len());
    let within_words = within_words(&meant.plan.doc, &kinds).map_err(fail)?;
    let mut state = State::new(meant.plan.doc.index.clone(), kinds, grouped);
    state.within_words = within_words;
    output.show();
    let palette = Palette::of(output);
    let mut refused = None;
    let view = |terminal: &mut _, came: &_| {
        let mut session = Session {
            doc: &mut meant.plan.doc,
            refused: &mut refused,
        };
        turns(&mut session, &mut state, (&title, palette), terminal, came)
    };
    // Decisions are written down as they are made.
    let ended = on_terminal(view, || {});
    if let Some(error) = refused {
        let lines = decided_here(&state);
        let kept = meant.plan.not_appended(error, &lines);
        return Err(meant.not_appended(&kept));
    }
    // Every decision has been written down.
    let leave = ended.map_err(fail)?.unwrap_or(Leave::Later);
    meant.plan.doc.index = state.plan;
    meant.plan.doc.sync().map_err(fail)?;
    let sentence = format!("{}\n", what_is_written(&meant.plan.doc.index));
    output.say(&sentence);
    match leave {
        Leave::Apply | Leave::AcceptRest => {
            let plan = meant.to_plan()?;
            meant.write(&plan, output)?;
        }
        Leave::Later | Leave::Drop => {
            let text = format!("Nothing has been written. `{}` goes on.\n", meant.again);
            output.say(&text);
        }
    }
    Ok(Status::Fine)
}

/// The plan that is reviewed.
struct Session<'s> {
    doc: &'s mut PlanDoc,
    /// Why it took no more decisions, which ends the review.
    refused: &'s mut Option<AppendError>,
}

/// The records of all that was decided in this review.
fn decided_here(state: &State) -> Vec<u8> {
    let mut all = state.made_here();
    all.sort_unstable();
    all.dedup();
    decision_lines(state, &all)
}

fn turns(
    session: &mut Session<'_>,
    state: &mut State,
    (title, palette): (&str, Palette),
    terminal: &mut ratatui::DefaultTerminal,
    came: &Came,
) -> io::Result<Leave> {
    let values = CellValues::of(&state.plan);
    loop {
        let rows = usize::from(terminal.size()?.height);
        let loaded = &Loaded::new(session.doc, &values, state, rows);
        let screen = Screen {
            loaded,
            title,
            palette,
        };
        terminal.draw(|frame| screen.draw(frame, state))?;
        while !poll(WAIT)? {
            if came.is_set() {
                return Ok(Leave::Later);
            }
        }
        let action = match read()? {
            Event::Key(key) if key.kind != KeyEventKind::Release => keys::action(state, key),
            Event::Paste(text) if keys::typing(state.view) => Some(Action::Edit(Edit::Insert(
                text.replace("\r\n", "\n").replace('\r', "\n"),
            ))),
            _ => None,
        };
        let Some(action) = action else { continue };
        let texts = PlanTexts {
            doc: session.doc,
            values: &values,
        };
        match state.act(action, &texts) {
            Effect::None => {}
            Effect::Write(indexes) => {
                if !session.write_down(state, &indexes) {
                    return Ok(Leave::Later);
                }
            }
            Effect::End(leave, indexes) => {
                session.write_down(state, &indexes);
                return Ok(leave);
            }
        }
    }
}

impl Session<'_> {
    /// Appends the decisions about these changes; false where the plan takes none any more.
    fn write_down(&mut self, state: &State, indexes: &[usize]) -> bool {
        let lines = decision_lines(state, indexes);
        if lines.is_empty() {
            return true;
        }
        match self.doc.append(&lines) {
            Ok(()) => true,
            Err(error) => {
                *self.refused = Some(error);
                false
            }
        }
    }
}

/// The records of the decisions about these changes.
fn decision_lines(state: &State, indexes: &[usize]) -> Vec<u8> {
    let mut lines = Vec::new();
    for &index in indexes {
        let decision = state.plan.entries[index].decision;
        let text = state.plan.modified.get(&index);
        lines.extend(decision_line(&state.plan.id(index), decision, text));
    }
    lines
}

/// The texts of changes, from the plan in its file.
struct PlanTexts<'t> {
    doc: &'t PlanDoc,
    values: &'t CellValues,
}

impl Texts for PlanTexts<'_> {
    fn change(&self, index: usize) -> Option<ChangeRecord<'static>> {
        self.doc.change(index).ok()
    }

    fn written(&self, index: usize, change: &ChangeRecord<'_>, value: &str) -> Option<Vec<u8>> {
        let file = self.doc.index.file_of(index);
        self.values.written(file, change, value)
    }

    fn beside(
        &self,
        plan: &PlanIndex,
        index: usize,
        change: &ChangeRecord<'_>,
    ) -> (String, String) {
        beside(self.doc, plan, (index, change)).unwrap_or_default()
    }

    fn value(&self, index: usize, change: &ChangeRecord<'_>, bytes: &[u8]) -> String {
        let file = self.doc.index.file_of(index);
        self.values.value(file, change, bytes)
    }
}
