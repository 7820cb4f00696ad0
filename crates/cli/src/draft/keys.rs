//! From keys to actions. Every key is listed here with what it does, and nowhere else.

use crate::draft::action::{Action, Focus, Leave, ListView, Window};
use crate::draft::request::FieldName;
use crate::draft::state::State;
use crate::full_screen::field::Edit;
use brisk_quill_engine::worked_examples::WantedText;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// The list of keys: keys, and words; a heading has no keys.
pub const KEYS: &[(&str, &str)] = &[
    ("", "everywhere"),
    (
        "Tab",
        "the next field, or the list; Shift-Tab the one before it",
    ),
    ("↓ ↑", "the next, the previous row (also PgDn, PgUp)"),
    ("Ctrl-Z", "undo what was typed; Ctrl-Y does it again"),
    ("Ctrl-C", "leave at once; `bquill draft` opens where it was"),
    ("", "in a field"),
    ("Enter", "go to the list; Esc too"),
    ("Tab", "in options: completes the name of an option"),
    (
        "Ctrl-W",
        "delete the word before the cursor; Ctrl-U all before it",
    ),
    ("Ctrl-J", "a line end"),
    ("", "in the sample"),
    ("Enter", "a new line; Esc goes to the list"),
    ("", "in the list"),
    (
        "1 … 8",
        "changes, matches, misses, all text, difference, examples, tries, result",
    ),
    ("j k", "the next, the previous row (also Space, Home, End)"),
    (
        ". ,",
        "the next, the previous match or change, within a line, too",
    ),
    ("f F", "the next, the previous file"),
    (
        "w",
        "wrap long lines, or show a part of each, which ← → move",
    ),
    (
        "h",
        "the hints and problems; a number applies the remedy of that hint",
    ),
    ("b", "an example: this text becomes what it now becomes"),
    ("l", "an example: this text is left alone"),
    ("m", "an example: type the text that is wanted"),
    ("d", "drop the example at the cursor"),
    (
        "i",
        "infer: fill the fields from the examples; again: the next proposal",
    ),
    ("[ ]", "the try before, the try after"),
    (
        "=",
        "compare with the try at the cursor; again: with the last one",
    ),
    ("n N", "the next, the previous step"),
    ("+ -", "add a step after this one; remove this one"),
    ("u U", "undo, redo what was typed"),
    (
        "s",
        "a sample: type a text, or paste one, which is looked at in the place of the files",
    ),
    ("S", "the files again, or the sample again"),
    ("g", "rescan the files"),
    ("q", "leave: review, save, print the command line, or close"),
    ("?", "this list"),
];

/// The keys that are always in sight: in a field, and in the list.
pub const IN_FIELD: &str =
    "Tab next  ↓↑ rows  Enter list  Ctrl-Z undo  Ctrl-Y redo  F1 keys  Ctrl-C leave";
pub const IN_SAMPLE: &str =
    "Enter a new line  Tab next  Esc list (there `S`: the files again)  Ctrl-Z undo  Ctrl-C leave";
pub const IN_LIST: &str = "1-8 views  ↓↑ rows  . match  f file  b l m example  i infer  [ ] tries  n step  h hints  s sample  u undo  q leave  ? keys";
pub const IN_LIST_NARROW: &str =
    "1-8 views  f file  b l m example  i infer  [ ] tries  h hints  q leave  ? keys";

/// The action of a key in the current state.
pub fn action(state: &State, key: KeyEvent) -> Option<Action> {
    if key.modifiers.contains(KeyModifiers::CONTROL) && key.code == KeyCode::Char('c') {
        return Some(Action::Leave(Leave::AtOnce));
    }
    match (state.window, state.focus) {
        (Some(Window::Save | Window::WantedText), _) => in_input(key),
        (Some(Window::Leave), _) => in_leave(key.code),
        (Some(Window::Hints), _) => in_hints(key.code),
        (Some(Window::Keys), _) => match key.code {
            KeyCode::Down | KeyCode::Char(' ') | KeyCode::PageDown => Some(Action::Move(5)),
            KeyCode::Up | KeyCode::PageUp => Some(Action::Move(-5)),
            _ => Some(Action::Back),
        },
        (None, Focus::Field(field)) => in_field(field, key),
        (None, Focus::Sample) => in_sample(key),
        (None, Focus::List) => in_list(key),
    }
}

/// True if keys are text.
pub fn is_typing(state: &State) -> bool {
    match state.window {
        Some(Window::Save | Window::WantedText) => true,
        Some(Window::Keys | Window::Hints | Window::Leave) => false,
        None => matches!(state.focus, Focus::Field(_) | Focus::Sample),
    }
}

fn in_field(field: FieldName, key: KeyEvent) -> Option<Action> {
    Some(match key.code {
        KeyCode::Tab if field == FieldName::Options => Action::Complete,
        KeyCode::Tab => Action::Focus(1),
        KeyCode::BackTab => Action::Focus(-1),
        KeyCode::Enter | KeyCode::Esc => Action::FocusOn(Focus::List),
        KeyCode::Down => Action::Move(1),
        KeyCode::Up => Action::Move(-1),
        KeyCode::PageDown => Action::Move(10),
        KeyCode::PageUp => Action::Move(-10),
        KeyCode::F(1) => Action::Open(Window::Keys),
        _ => return typing(key),
    })
}

fn in_sample(key: KeyEvent) -> Option<Action> {
    Some(match key.code {
        KeyCode::Tab => Action::Focus(1),
        KeyCode::BackTab => Action::Focus(-1),
        KeyCode::Esc => Action::FocusOn(Focus::List),
        KeyCode::Enter => Action::Edit(Edit::Insert("\n".to_owned())),
        KeyCode::Down => Action::Edit(Edit::LineDown),
        KeyCode::Up => Action::Edit(Edit::LineUp),
        KeyCode::Home => Action::Edit(Edit::LineStart),
        KeyCode::End => Action::Edit(Edit::LineEnd),
        KeyCode::F(1) => Action::Open(Window::Keys),
        _ => return typing(key),
    })
}

/// Keys of text being typed.
fn typing(key: KeyEvent) -> Option<Action> {
    let control = key.modifiers.contains(KeyModifiers::CONTROL);
    let alt = key.modifiers.contains(KeyModifiers::ALT);
    let edit = match key.code {
        KeyCode::Char('z') if control => return Some(Action::Undo),
        KeyCode::Char('y') if control => return Some(Action::Redo),
        KeyCode::Char('w') if control => Edit::DeleteWord,
        KeyCode::Char('u') if control => Edit::DeleteToStart,
        KeyCode::Char('a') if control => Edit::Home,
        KeyCode::Char('e') if control => Edit::End,
        KeyCode::Char('j') if control => Edit::Insert("\n".to_owned()),
        KeyCode::Char(_) if control || alt => return None,
        KeyCode::Char(c) => Edit::Insert(c.to_string()),
        KeyCode::Backspace if alt => Edit::DeleteWord,
        KeyCode::Backspace => Edit::Backspace,
        KeyCode::Delete => Edit::Delete,
        KeyCode::Left if control || alt => Edit::WordLeft,
        KeyCode::Right if control || alt => Edit::WordRight,
        KeyCode::Left => Edit::Left,
        KeyCode::Right => Edit::Right,
        KeyCode::Home => Edit::Home,
        KeyCode::End => Edit::End,
        _ => return None,
    };
    Some(Action::Edit(edit))
}

fn in_input(key: KeyEvent) -> Option<Action> {
    match key.code {
        KeyCode::Enter => Some(Action::Enter),
        KeyCode::Esc => Some(Action::Back),
        _ => typing(key),
    }
}

fn in_list(key: KeyEvent) -> Option<Action> {
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        return match key.code {
            KeyCode::Char('z') => Some(Action::Undo),
            KeyCode::Char('y') => Some(Action::Redo),
            _ => None,
        };
    }
    Some(match key.code {
        KeyCode::Tab => Action::Focus(1),
        KeyCode::BackTab => Action::Focus(-1),
        KeyCode::Enter => Action::Enter,
        KeyCode::Esc | KeyCode::Char('q') => Action::Open(Window::Leave),
        KeyCode::Down | KeyCode::Char(' ' | 'j') => Action::Move(1),
        KeyCode::Up | KeyCode::Char('k') => Action::Move(-1),
        KeyCode::PageDown => Action::Move(10),
        KeyCode::PageUp => Action::Move(-10),
        KeyCode::Home => Action::First,
        KeyCode::End => Action::Last,
        KeyCode::Left => Action::Sideways(-1),
        KeyCode::Right => Action::Sideways(1),
        KeyCode::Char('w') => Action::Wrap,
        KeyCode::Char('.') => Action::Mark(1),
        KeyCode::Char(',') => Action::Mark(-1),
        KeyCode::Char('f') => Action::File(1),
        KeyCode::Char('F') => Action::File(-1),
        KeyCode::Char('1') => Action::View(ListView::Changes),
        KeyCode::Char('2') => Action::View(ListView::Matches),
        KeyCode::Char('3') => Action::View(ListView::Misses),
        KeyCode::Char('4') => Action::View(ListView::Units),
        KeyCode::Char('5') => Action::View(ListView::Differences),
        KeyCode::Char('6') => Action::View(ListView::Examples),
        KeyCode::Char('7') => Action::View(ListView::Tries),
        KeyCode::Char('8') => Action::View(ListView::Result),
        KeyCode::Char('n') => Action::Step(1),
        KeyCode::Char('N') => Action::Step(-1),
        KeyCode::Char('+') => Action::AddStep,
        KeyCode::Char('-') => Action::RemoveStep,
        KeyCode::Char('[') => Action::Try(-1),
        KeyCode::Char(']') => Action::Try(1),
        KeyCode::Char('=') => Action::Against,
        KeyCode::Char('u') => Action::Undo,
        KeyCode::Char('U') => Action::Redo,
        KeyCode::Char('b') => Action::Example(WantedText::AsItBecomes),
        KeyCode::Char('l') => Action::Example(WantedText::Untouched),
        KeyCode::Char('m') => Action::Open(Window::WantedText),
        KeyCode::Char('d') => Action::DropExample,
        KeyCode::Char('i') => Action::Infer,
        KeyCode::Char('h') => Action::Open(Window::Hints),
        KeyCode::Char('s') => Action::Sample,
        KeyCode::Char('S') => Action::Files,
        KeyCode::Char('g') => Action::ReadAgain,
        KeyCode::Char('?') | KeyCode::F(1) => Action::Open(Window::Keys),
        _ => return None,
    })
}

fn in_hints(code: KeyCode) -> Option<Action> {
    Some(match code {
        KeyCode::Char(c @ '1'..='9') => Action::Remedy(c as usize - '1' as usize),
        KeyCode::Down | KeyCode::PageDown => Action::Move(5),
        KeyCode::Up | KeyCode::PageUp => Action::Move(-5),
        _ => Action::Back,
    })
}

fn in_leave(code: KeyCode) -> Option<Action> {
    Some(match code {
        KeyCode::Char('r') => Action::Leave(Leave::Review),
        KeyCode::Char('s') => Action::Open(Window::Save),
        KeyCode::Char('p') => Action::Leave(Leave::Print),
        KeyCode::Char('c') => Action::Leave(Leave::Close),
        _ => Action::Back,
    })
}
