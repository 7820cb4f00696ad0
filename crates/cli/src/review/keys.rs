//! From keys to actions. Every key is listed here with what it does, and nowhere else.

use crate::full_screen::field::Edit;
use crate::review::action::{Action, Group, Leave, View};
use crate::review::state::State;
use brisk_quill_core::plan::decision::Decision;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// The list of keys: keys, and words.
pub const KEYS: &[(&str, &str)] = &[
    (
        "a",
        "accept this change, and go on to the next that is open",
    ),
    ("r", "refuse it, and go on"),
    (
        "m",
        "modify it: type other new text; ← → beyond its ends widen it; Enter takes it",
    ),
    ("o", "leave it open again"),
    (
        "e",
        "every…: accept or refuse all of this kind, of this file, or the rest",
    ),
    ("u  U", "undo, redo: as many decisions as you like"),
    (
        "↓ ↑",
        "next, previous change (also `j` `k`, Space; PgDn, PgUp, Home, End)",
    ),
    ("f  F", "next, previous file"),
    ("s  S", "next, previous change of the same kind"),
    ("← →", "move the file up and down beside the change"),
    ("v", "only open changes, or all"),
    (
        "/",
        "only changes whose line holds a text; an empty one shows all; Ctrl-U empties it",
    ),
    (
        "t",
        "the list of kinds: `A` and `R` decide about a whole row, Enter goes down into it",
    ),
    ("x", "only this kind, or all kinds"),
    (
        "w",
        "the whole file, with what is accepted: the same keys decide there, `d` shows old text",
    ),
    (
        "q",
        "leave: apply, accept the rest and apply, go on later, or drop these decisions",
    ),
    ("h", "the hints about these changes"),
    ("?", "this list"),
];

/// The keys that are always in sight.
pub const HINTS: &str = "a accept  r refuse  m modify  e every…  u undo  ↓↑ move  f file  s same kind  t kinds  / find  q leave  ? keys";

/// The same for a narrow screen.
pub const HINTS_NARROW: &str =
    "a accept  r refuse  m modify  q leave  e every…  u undo  t kinds  / find  ? keys";

/// The action of a key in the current state.
pub fn action(state: &State, key: KeyEvent) -> Option<Action> {
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        return match key.code {
            // The decisions are written down already.
            KeyCode::Char('c') => Some(Action::Leave(Leave::Later)),
            KeyCode::Char('j') if typing(state.view) => Some(insert('\n')),
            KeyCode::Char('u') if typing(state.view) => Some(Action::Edit(Edit::DeleteToStart)),
            KeyCode::Char('w') if typing(state.view) => Some(Action::Edit(Edit::DeleteWord)),
            _ => None,
        };
    }
    match state.view {
        View::Modify | View::Find => in_input(key.code),
        View::Every => in_every(key.code),
        View::Leave => in_leave(key.code),
        View::Ask => match key.code {
            KeyCode::Char('y') => Some(Action::Leave(Leave::Apply)),
            _ => Some(Action::Back),
        },
        View::AskDrop => match key.code {
            KeyCode::Char('y') => Some(Action::Leave(Leave::Drop)),
            _ => Some(Action::Back),
        },
        View::Keys | View::Hints => Some(Action::Back),
        View::File => match key.code {
            KeyCode::Esc | KeyCode::Char('w' | 'q') => Some(Action::Back),
            KeyCode::Char('d') => Some(Action::ShowOld),
            KeyCode::Char('a') => Some(Action::Decide(Decision::Accepted)),
            KeyCode::Char('r') => Some(Action::Decide(Decision::Refused)),
            KeyCode::Char('o') => Some(Action::Decide(Decision::Open)),
            KeyCode::Char('u') => Some(Action::Undo),
            KeyCode::Char('U') => Some(Action::Redo),
            KeyCode::Char('f') => Some(Action::NextFile),
            KeyCode::Char('F') => Some(Action::PreviousFile),
            code => moving(code),
        },
        View::Kinds => match key.code {
            KeyCode::Enter => Some(Action::Enter),
            KeyCode::Esc | KeyCode::Char('t' | 'q') => Some(Action::Back),
            KeyCode::Char('A') => Some(Action::OfKindRow(Decision::Accepted)),
            KeyCode::Char('R') => Some(Action::OfKindRow(Decision::Refused)),
            KeyCode::Char('u') => Some(Action::Undo),
            KeyCode::Char('U') => Some(Action::Redo),
            code => moving(code),
        },
        View::Changes => in_changes(key.code).or_else(|| moving(key.code)),
    }
}

/// True if keys are text.
pub fn typing(view: View) -> bool {
    matches!(view, View::Modify | View::Find)
}

fn insert(c: char) -> Action {
    Action::Edit(Edit::Insert(c.to_string()))
}

fn moving(code: KeyCode) -> Option<Action> {
    Some(match code {
        KeyCode::Down | KeyCode::Char(' ' | 'j') => Action::Step(1),
        KeyCode::Up | KeyCode::Char('k') => Action::Step(-1),
        KeyCode::PageDown => Action::Step(20),
        KeyCode::PageUp => Action::Step(-20),
        KeyCode::Home => Action::First,
        KeyCode::End => Action::Last,
        KeyCode::Left => Action::Scroll(-5),
        KeyCode::Right => Action::Scroll(5),
        _ => return None,
    })
}

fn in_changes(code: KeyCode) -> Option<Action> {
    Some(match code {
        KeyCode::Char('a') => Action::Decide(Decision::Accepted),
        KeyCode::Char('r') => Action::Decide(Decision::Refused),
        KeyCode::Char('o') => Action::Decide(Decision::Open),
        KeyCode::Char('m') => Action::Modify,
        KeyCode::Char('e') => Action::Show(View::Every),
        KeyCode::Char('u') => Action::Undo,
        KeyCode::Char('U') => Action::Redo,
        KeyCode::Char('f') => Action::NextFile,
        KeyCode::Char('F') => Action::PreviousFile,
        KeyCode::Char('s') => Action::NextOfKind,
        KeyCode::Char('S') => Action::PreviousOfKind,
        KeyCode::Char('v') => Action::OnlyOpen,
        KeyCode::Char('/') => Action::Find,
        KeyCode::Char('t') => Action::Show(View::Kinds),
        KeyCode::Char('x') => Action::OnlyKind,
        KeyCode::Char('w') => Action::Show(View::File),
        KeyCode::Char('q') => Action::Show(View::Leave),
        KeyCode::Char('h') => Action::Show(View::Hints),
        KeyCode::Char('?') => Action::Show(View::Keys),
        _ => return None,
    })
}

fn in_input(code: KeyCode) -> Option<Action> {
    Some(match code {
        KeyCode::Enter => Action::Enter,
        KeyCode::Esc => Action::Back,
        KeyCode::Char(c) => insert(c),
        KeyCode::Tab => insert('\t'),
        KeyCode::Backspace => Action::Edit(Edit::Backspace),
        KeyCode::Delete => Action::Edit(Edit::Delete),
        KeyCode::Left => Action::Edit(Edit::Left),
        KeyCode::Right => Action::Edit(Edit::Right),
        KeyCode::Home => Action::Edit(Edit::Home),
        KeyCode::End => Action::Edit(Edit::End),
        _ => return None,
    })
}

fn in_every(code: KeyCode) -> Option<Action> {
    let (group, decision) = match code {
        KeyCode::Char('1') => (Group::Kind, Decision::Accepted),
        KeyCode::Char('2') => (Group::Kind, Decision::Refused),
        KeyCode::Char('3') => (Group::File, Decision::Accepted),
        KeyCode::Char('4') => (Group::File, Decision::Refused),
        KeyCode::Char('5') => (Group::Rest, Decision::Accepted),
        KeyCode::Char('6') => (Group::Rest, Decision::Refused),
        _ => return Some(Action::Back),
    };
    Some(Action::Every(group, decision))
}

fn in_leave(code: KeyCode) -> Option<Action> {
    // Numbers decide nothing on the screen, so no letter means another thing here.
    Some(match code {
        KeyCode::Char('1') => Action::Leave(Leave::Apply),
        KeyCode::Char('2') => Action::Leave(Leave::AcceptRest),
        KeyCode::Char('3') => Action::Leave(Leave::Later),
        KeyCode::Char('4') => Action::Leave(Leave::Drop),
        _ => Action::Back,
    })
}
