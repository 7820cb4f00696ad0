//! The state of a review key by key, and its screen against a buffer.

use crate::full_screen::field::{Edit, Field};
use crate::full_screen::palette::Palette;
use crate::review::action::{Effect, Leave, View};
use crate::review::loaded::Loaded;
use crate::review::screen::Screen;
use crate::review::state::State;
use crate::review::{PlanTexts, keys};
use crate::theme::Background;
use brisk_quill_core::plan::decision::{Decision, DecisionCounts};
use brisk_quill_engine::cell_values::CellValues;
use brisk_quill_files::plan_file::PlanDoc;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use proptest::prelude::*;
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use std::fmt::Write as _;

/// A plan of three files in a folder of its own.
struct Desk {
    folder: tempfile::TempDir,
    doc: PlanDoc,
    state: State,
}

/// Files with their changes: the old text, which stands once in its file, and the new one.
type Files<'f> = &'f [(&'f str, &'f str, &'f [(&'f str, &'f str)])];

const HARBOUR: Files<'_> = &[
    (
        "a.md",
        "berth 7\nberth 8 and pier 8\n\u{1b}[31m quay\n",
        &[("berth 7", "B-7"), ("berth 8", "B-8"), ("pier 8", "P-8")],
    ),
    (
        "b.md",
        "berth 7\nmoor\n",
        &[("berth 7", "B-7"), ("moor\n", "")],
    ),
    (
        "c.csv",
        "x,y\n1,\"berth, 7\"\n",
        &[("\"berth, 7\"", "\"B, 7\"")],
    ),
];

impl Desk {
    fn new(files: Files<'_>) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let mut plan = String::from(
            "{\"record\":\"plan\",\"format\":1,\"rewrite\":{\"step\":[{\"match\":\"x\",\"remove\":true,\"columns\":\"y\"}]}}\n",
        );
        for (file, (name, text, changes)) in (1..).zip(files) {
            let path = folder.path().join(name);
            std::fs::write(&path, text).unwrap();
            let record = serde_json::json!({
                "record": "file", "path": path, "bytes": text.len(), "encoding": "UTF-8",
                "hash": blake3::hash(text.as_bytes()).to_hex().to_string(), "newline": "lf",
            });
            writeln!(plan, "{record}").unwrap();
            for (number, (before, after)) in (1..).zip(*changes) {
                let from = text.find(before).unwrap();
                let line = text[..from].matches('\n').count() + 1;
                let cell = name.ends_with("csv").then_some("y");
                let record = serde_json::json!({
                    "record": "change", "id": format!("{file}.{number}"), "path": path,
                    "line": line, "cell": cell, "from": from, "to": from + before.len(),
                    "before": before, "after": after, "steps": [1, 2], "decision": "open",
                    "groups": [{"number": 1, "name": "no", "text": "7"}, {"number": 2, "name": null, "text": null}],
                });
                writeln!(plan, "{record}").unwrap();
            }
        }
        plan.push_str("{\"record\":\"hint\",\"name\":\"glued\",\"message\":\"new text touches a word\",\"remedy\":\"add a blank\"}\n");
        plan.push_str("{\"record\":\"totals\"}\n");
        let path = folder.path().join("p.plan");
        std::fs::write(&path, plan).unwrap();
        let doc = PlanDoc::open(&path).unwrap();
        let state = State::new(doc.index.clone(), doc.kinds().unwrap(), false);
        Self { folder, doc, state }
    }

    /// Presses keys: letters as they are, others between angle brackets.
    fn press(&mut self, keys: &str) -> Effect {
        let mut rest = keys;
        let mut last = Effect::None;
        while let Some(first) = rest.chars().next() {
            let (code, length) = match rest.strip_prefix('<').and_then(|r| r.split_once('>')) {
                Some((name, _)) => (special(name), name.len() + 2),
                None => (KeyCode::Char(first), first.len_utf8()),
            };
            rest = &rest[length..];
            let key = KeyEvent::new(code, KeyModifiers::NONE);
            let Some(action) = keys::action(&self.state, key) else {
                continue;
            };
            let values = CellValues::of(&self.state.plan);
            let texts = PlanTexts {
                doc: &self.doc,
                values: &values,
            };
            last = self.state.act(action, &texts);
        }
        last
    }

    /// The decisions as signs, and the id of the current change.
    fn seen(&self) -> String {
        let sign = |decision| match decision {
            Decision::Open => '.',
            Decision::Accepted => '+',
            Decision::Refused => '-',
            Decision::Modified => '~',
        };
        let entries = self.state.plan.entries.iter();
        let signs: String = entries.map(|entry| sign(entry.decision)).collect();
        let at = self.state.current().map(|index| self.state.plan.id(index));
        format!("{signs} {}", at.unwrap_or_default())
    }

    fn draw(&self, width: u16, height: u16, color: bool) -> Vec<String> {
        let mut terminal = Terminal::new(TestBackend::new(width, height)).unwrap();
        let values = CellValues::of(&self.state.plan);
        let loaded = &Loaded::new(&self.doc, &values, &self.state, usize::from(height));
        let screen = Screen {
            loaded,
            title: "In 3 files: every match of `berth`.",
            palette: Palette::new(color.then_some(Background::Dark)),
        };
        terminal
            .draw(|frame| screen.draw(frame, &self.state))
            .unwrap();
        let buffer = terminal.backend().buffer();
        let row = |y| {
            (0..width)
                .map(|x| buffer[(x, y)].symbol())
                .collect::<String>()
        };
        (0..height).map(row).collect()
    }
}

fn special(name: &str) -> KeyCode {
    match name {
        "down" => KeyCode::Down,
        "up" => KeyCode::Up,
        "left" => KeyCode::Left,
        "right" => KeyCode::Right,
        "home" => KeyCode::Home,
        "end" => KeyCode::End,
        "pgdn" => KeyCode::PageDown,
        "pgup" => KeyCode::PageUp,
        "enter" => KeyCode::Enter,
        "esc" => KeyCode::Esc,
        "back" => KeyCode::Backspace,
        "del" => KeyCode::Delete,
        "tab" => KeyCode::Tab,
        other => panic!("no key {other}"),
    }
}

/// Keys, and what they come to.
#[test]
fn keys_do_what_they_say() {
    let mut wrong = Vec::new();
    for (keys, seen) in [
        ("", "...... 1.1"),
        ("a", "+..... 1.2"),
        ("ar", "+-.... 1.3"),
        ("aaaaaa", "++++++ 3.1"),
        // Deciding goes on to what is open, around the end too.
        ("<down>aaaaa", ".+++++ 1.1"),
        ("ao", "+..... 1.2"),
        ("a<up>o", "...... 1.1"),
        ("<end>", "...... 3.1"),
        ("<end><home>", "...... 1.1"),
        ("<pgdn>", "...... 3.1"),
        ("<end><pgup>", "...... 1.1"),
        ("  <up>", "...... 1.2"),
        ("f", "...... 2.1"),
        ("ff", "...... 3.1"),
        ("fff", "...... 3.1"),
        ("<end>F", "...... 2.1"),
        (" F", "...... 1.1"),
        ("s", "...... 2.1"),
        ("sS", "...... 1.1"),
        (" s", "...... 1.2"),
        ("jjk", "...... 1.2"),
        // Undo and redo go as far as there is something.
        ("aru", "+..... 1.2"),
        ("aruu", "...... 1.1"),
        ("aruuu", "...... 1.1"),
        ("aruuU", "+..... 1.1"),
        ("aruuUUU", "+-.... 1.2"),
        ("aruU", "+-.... 1.2"),
        // What was undone is forgotten once something else is decided.
        ("auaU", "+..... 1.2"),
        ("arurU", "+-.... 1.3"),
        // Every: only what is open, and one turn.
        ("e1", "+..+.. 1.2"),
        ("e2u", "...... 1.1"),
        ("re1", "-+.... 1.3"),
        ("e3", "+++... 2.1"),
        ("e4", "---... 2.1"),
        ("re5", "-+++++ 1.2"),
        ("ae6u", "+..... 1.2"),
        ("ex", "...... 1.1"),
        // Modified: another text, the same, the old one; Esc takes none.
        ("m<back>9<enter>", "~..... 1.1"),
        ("m<enter>", "+..... 1.1"),
        ("m<home><del><del>berth <enter>", "-..... 1.1"),
        ("m<back>9<esc>", "...... 1.1"),
        ("m9<enter>m<enter>", "~..... 1.1"),
        ("m9<enter>a", "+..... 1.2"),
        ("m9<enter>u", "...... 1.1"),
        ("m9<enter>uU", "~..... 1.1"),
        // Filters keep the current change where they can.
        ("av", "+..... 1.2"),
        ("av<up>", "+..... 1.2"),
        ("avv<up>", "+..... 1.1"),
        ("/pier 8<enter>", "...... 1.3"),
        ("/PIER<enter>/<back><back><back><back><enter>", "...... 1.3"),
        ("/nowhere<enter>", "...... "),
        ("/nowhere<enter>ame5uf", "...... "),
        ("/b.md<enter>", "...... 2.1"),
        ("/pier 8<esc>", "...... 1.1"),
        ("x", "...... 1.1"),
        ("x<down>", "...... 2.1"),
        ("x<down>x<down>", "...... 2.2"),
        ("t<down><enter>", "...... 1.2"),
        ("t<end><enter>a", ".....+ 3.1"),
        ("t<end><home><esc>", "...... 1.1"),
        // Views lead back.
        ("?a", "...... 1.1"),
        // The whole file moves by change, and the same keys decide there.
        ("w<down><pgdn>x", "...... 3.1"),
        ("waw<down>", "+..... 1.3"),
        ("wrdu<esc>", "...... 1.1"),
        // What is decided otherwise stays, until the same key comes again.
        ("re3", "-++... 1.2"),
        ("re33", "+++... 2.1"),
        ("re3<esc>e3", "-++... 1.2"),
        ("re3<esc>e33", "+++... 2.1"),
        ("re34", "-++... 1.2"),
        ("re344", "---... 2.1"),
        ("m9<enter>e3", "~++... 1.1"),
        ("r<up>tA", "-..+.. 1.1"),
        ("r<up>tAA", "+..+.. 1.1"),
        ("r<up>tAAuu", "-..... 2.1"),
        ("r<up>tA<down><up>A", "-..+.. 1.1"),
        // A row of the list of kinds is decided about as a whole.
        ("tA", "+..+.. 1.1"),
        ("t<down>RA", ".-+... 1.1"),
        ("tRu<esc>", "...... 1.1"),
        ("q<esc>", "...... 1.1"),
        ("<right><right><left>", "...... 1.1"),
    ] {
        let mut desk = Desk::new(HARBOUR);
        desk.press(keys);
        assert_eq!(desk.state.counts, desk.state.plan.counts(), "{keys}");
        if desk.seen() != seen {
            wrong.push((keys, seen, desk.seen()));
        }
    }
    assert_eq!(wrong, []);
}

/// The end of a review: keys, the way it ends, and what is still to be written down.
#[test]
fn ways_out() {
    for (keys, effect) in [
        ("q3", Some((Leave::Later, vec![]))),
        ("arq4y", Some((Leave::Drop, vec![0, 1]))),
        ("arq4n", None),
        ("q4", Some((Leave::Drop, vec![]))),
        ("q1y", Some((Leave::Apply, vec![]))),
        ("aq1y", Some((Leave::Apply, vec![]))),
        // What is open is accepted first, and that is written down before.
        ("arq2y", Some((Leave::Apply, vec![]))),
        ("q1n", None),
        // Everything refused is nothing to write.
        ("e6q1y", None),
    ] {
        let mut desk = Desk::new(HARBOUR);
        let wanted = effect.map(|(leave, indexes)| Effect::End(leave, indexes));
        let got = Some(desk.press(keys)).filter(|effect| matches!(effect, Effect::End(..)));
        assert_eq!(got, wanted, "{keys}");
        if keys.ends_with("q4y") {
            assert!(
                desk.state
                    .plan
                    .entries
                    .iter()
                    .all(|e| e.decision == Decision::Open)
            );
        }
    }
}

/// A modified cell is its value on the screen, and is written as its file needs it.
#[test]
fn a_modified_cell_keeps_its_quotes() {
    let mut desk = Desk::new(HARBOUR);
    desk.press("<end>m");
    assert_eq!(
        (desk.state.view, desk.state.editor.text()),
        (View::Modify, "B, 7")
    );
    desk.press("\"<enter>");
    assert_eq!(desk.state.plan.modified[&5].text, b"\"B, 7\"\"\"");
    desk.press("<end>m");
    assert_eq!(desk.state.editor.text(), "B, 7\"");
}

#[test]
fn typing() {
    let insert = |text: &str| Edit::Insert(text.into());
    for (text, edits, before, under, after) in [
        ("", vec![], "", "", ""),
        ("quay", vec![Edit::Left], "qua", "y", ""),
        ("quay", vec![Edit::Home, insert("é")], "é", "q", "uay"),
        (
            "quay",
            vec![Edit::Home, Edit::Right, Edit::Delete],
            "q",
            "a",
            "y",
        ),
        (
            "e\u{301}x",
            vec![Edit::Backspace, Edit::Backspace],
            "",
            "",
            "",
        ),
        (
            "日本",
            vec![Edit::Left, Edit::Left, Edit::Left],
            "",
            "日",
            "本",
        ),
        (
            "ab",
            vec![
                Edit::Home,
                Edit::Backspace,
                Edit::End,
                Edit::Delete,
                Edit::Right,
            ],
            "ab",
            "",
            "",
        ),
        ("a", vec![insert("b\nc"), Edit::Left], "ab\n", "c", ""),
    ] {
        let mut editor = Field::new(text);
        edits.into_iter().for_each(|edit| editor.edit(edit));
        assert_eq!(editor.parts(), (before, under, after), "{text}");
    }
}

/// The contents of the screen: keys, and parts of it.
#[test]
fn screens() {
    for (keys, wanted) in [
        (
            "",
            vec![
                "In 3 files: every match",
                "· 6 open   ✓ 0 accepted",
                "change 1.1, line 1, steps 1, 2   · open",
                "kind 1, 2 changes",
                "1 was ‹berth·7›",
                "now ‹B-7›",
                "$1 no    ‹7›",
                "$2       took no part",
                "a accept  r refuse",
            ],
        ),
        (
            "a ",
            vec![
                "· 5 open   ✓ 1 accepted",
                "✓     1  berth 7 → B-7",
                "change 1.3",
                "2 was ‹berth·8› and ‹pier·8›",
            ],
        ),
        // What is accepted beside it is in its line.
        (" a", vec!["now ‹B-8› and ‹P-8›", "‹ESC›[31m quay"]),
        (
            "f<down>",
            vec![
                "2 was ‹moor↵›",
                "moor↵ → (nothing)",
                "(nothing: the line goes, or is empty)",
            ],
        ),
        ("m7", vec!["now ‹B-77 ›", "Enter takes it, Esc does not"]),
        // What is looked for holds a blank, for the name of a temporary folder may hold any letters.
        ("/pier 8", vec!["changes that hold: pier 8"]),
        (
            "/pier 8<enter>",
            vec!["change 1 of 1   only with `pier 8` (/)"],
        ),
        (
            "vx",
            vec!["change 1 of 2   only open ones (v), only kind 1 (x)"],
        ),
        (
            "t",
            vec![
                "kind    count  was → now",
                "    1        2  berth 7 → B-7",
                "moor↵ → (nothing)",
            ],
        ),
        (
            "aw",
            vec!["✓    1     ‹B-7›", "·    2 ▸   ‹berth·8› and ‹pier·8›"],
        ),
        ("awd", vec!["✓    1     ‹berth·7›→‹B-7›"]),
        (
            "?",
            vec![
                "accept this change, and go on",
                "leave: apply, accept the rest",
            ],
        ),
        (
            "e",
            vec![
                "all of this kind: 2 open changes",
                "all of this file: 3 open changes",
                "all that is open: 6 open changes",
            ],
        ),
        (
            "q",
            vec![
                "1  apply all 6 changes: nothing is decided",
                "drop the 0 decisions",
            ],
        ),
        (
            "arq",
            vec![
                "1  apply the 1 accepted change",
                "2  accept the 4 open ones too",
                "4  drop the 2 decisions of this review",
            ],
        ),
        ("arq4", vec!["Drop the 2 decisions of this review?"]),
        (
            "q1",
            vec![
                "Write 6 changes in 3 files?",
                "No change has been reviewed: all 6 will be written.",
            ],
        ),
        (
            "arq1",
            vec![
                "Write 1 change in 1 file?",
                "1 accepted; 1 refused and 4 open stay as they are.",
            ],
        ),
        ("/no quay<enter>", vec!["(none)", "no change is like that"]),
        ("u", vec!["there is nothing to undo"]),
    ] {
        let mut desk = Desk::new(HARBOUR);
        desk.press(keys);
        let lines = desk.draw(120, 34, false).join("\n");
        for part in wanted {
            assert!(lines.contains(part), "{keys}: no {part:?} in\n{lines}");
        }
    }
    let mut desk = Desk::new(HARBOUR);
    std::fs::write(desk.folder.path().join("a.md"), "berth 9\n").unwrap();
    let lines = desk.draw(120, 34, true).join("\n");
    assert!(
        lines.contains("its surroundings cannot be shown"),
        "{lines}"
    );
    desk.press("w");
    assert!(
        desk.draw(120, 34, true)
            .join("\n")
            .contains("has changed since")
    );
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    /// Whatever is typed, the counts are those of the decisions, what is listed is in order, the
    /// screen is drawn in any size, and undoing all leads back to the start.
    #[test]
    fn any_keys_at_any_size(
        keys in prop::collection::vec(prop::sample::select(vec![
            "a", "r", "o", "m", "x9", "<enter>", "<esc>", "e1", "e4", "e5", "u", "U", "f", "F", "s", "S", "j", "k", "v", "/7", "t", "x", "w",
            "?", "<down>", "<up>", "<home>", "<end>", "<back>", "<left>", "<right>", "q<esc>",
        ]), 0..40),
        width in 1..150u16, height in 1..50u16, color in any::<bool>(),
    ) {
        let mut desk = Desk::new(HARBOUR);
        for key in &keys {
            desk.press(key);
            prop_assert_eq!(desk.state.counts, desk.state.plan.counts());
            prop_assert!(desk.state.listed.is_sorted());
            prop_assert!(desk.state.cursor < desk.state.listed.len().max(1));
        }
        for line in desk.draw(width, height, color) {
            prop_assert!(!line.chars().any(char::is_control), "{:?}", line);
        }
        desk.press("<esc><esc>");
        for _ in &keys {
            desk.press("u");
        }
        let open = DecisionCounts { open: 6, ..DecisionCounts::default() };
        prop_assert_eq!(desk.state.counts, open);
        prop_assert!(desk.state.plan.modified.is_empty());
    }
}

/// Kinds of one shape are one row, which Enter unfolds; below it Enter goes down into a kind.
#[test]
fn kinds_by_shape_unfold() {
    let mut desk = Desk::new(HARBOUR);
    let kinds = desk.doc.kinds().unwrap();
    desk.state = State::new(desk.doc.index.clone(), kinds, true);
    desk.press("t");
    let rows = desk.draw(80, 12, false);
    assert!(rows[3].contains("Enter unfolds"), "{rows:#?}");
    assert!(
        rows[4].starts_with("▸    2        3  a{5} 9 → A-9   as berth 7 → B-7"),
        "{rows:#?}"
    );
    desk.press("<enter>");
    let rows = desk.draw(80, 12, false);
    assert!(rows[4].starts_with('▾'), "{rows:#?}");
    assert!(
        rows[5].starts_with("     1        2      berth 7 → B-7"),
        "{rows:#?}"
    );
    assert!(
        rows[6].starts_with("     2        1      berth 8 → B-8"),
        "{rows:#?}"
    );
    desk.press("<down><down><enter>");
    assert_eq!(
        (desk.state.view, desk.state.listed.len()),
        (View::Changes, 1)
    );
    assert_eq!(desk.seen(), "...... 1.2");
    // The list opens at the kind of the current change, and folds again.
    desk.press("t<up><up><enter>");
    assert_eq!(desk.draw(80, 12, false)[5].chars().next(), Some('▸'));
}

#[test]
fn hints_are_shown() {
    let mut desk = Desk::new(HARBOUR);
    let second = &desk.draw(60, 12, false)[1];
    assert_eq!(
        second.trim_end(),
        "1 hint, h: glued: new text touches a word; add a blank"
    );
    desk.press("h");
    let screen = desk.draw(80, 12, false).join("\n");
    assert!(
        screen.contains("glued: new text touches a word; add a blank"),
        "{screen}"
    );
    desk.press("x");
    assert_eq!(desk.state.view, View::Changes);
}

/// Beyond its ends the cursor widens a change, up to the line's ends and the next change; only what
/// is changed there is written.
#[test]
fn a_change_is_widened() {
    for (keys, text, wider) in [
        // `berth 8 and pier 8`: the first of the two.
        (
            "<down>m<right><right><right><right>!<enter>",
            "B-8 and!",
            Some((0, "berth 8 and")),
        ),
        ("<down>m<home><left><left>!<enter>", "!B-8", None),
        // What lies between the changes ends at the other one.
        (
            "<down>m<right><right><right><right><right><right><right>!<enter>",
            "B-8 and !",
            Some((0, "berth 8 and ")),
        ),
        (
            "<down><down>m<home><left><del><enter>",
            "P-8",
            Some((1, " pier 8")),
        ),
        (
            "<down><down>m<home><left><left><left><left><left><left>x<enter>",
            "x and P-8",
            Some((5, " and pier 8")),
        ),
        // It is widened further, and narrowed by what is typed again as it was.
        (
            "<down><down>m<home><left><del><enter>m<home> <enter>",
            "",
            None,
        ),
    ] {
        let mut desk = Desk::new(HARBOUR);
        desk.press(keys);
        let modified = desk.state.plan.modified.values().next();
        let got = modified.map(|modified| {
            let wider = modified.wider.as_ref();
            let wider =
                wider.map(|wider| (wider.left, String::from_utf8(wider.before.clone()).unwrap()));
            (String::from_utf8(modified.text.clone()).unwrap(), wider)
        });
        let wanted = (!text.is_empty()).then(|| {
            (
                text.to_owned(),
                wider.map(|(left, old): (u64, &str)| (left, old.to_owned())),
            )
        });
        assert_eq!(got, wanted, "{keys}");
    }
}
