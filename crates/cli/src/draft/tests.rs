//! The state of a draft key by key, with the worker on the same thread, and its screen against a
//! buffer.

use crate::draft::action::{Action, Effect, Focus, Leave, ListView};
use crate::draft::keys;
use crate::draft::request::{FieldName, StepText, command_line};
use crate::draft::saved::Saved;
use crate::draft::screen::{Body, Facts, Screen};
use crate::draft::state::State;
use crate::draft::state::completion::OptionNames;
use crate::draft::worker::{Opened, RowWorker, Tell, Worker};
use crate::full_screen::field::Edit;
use crate::full_screen::palette::Palette;
use crate::theme::Background;
use brisk_quill_engine::schedule::Threads;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use proptest::prelude::*;
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use std::path::PathBuf;
use std::sync::{Arc, Mutex};

/// A draft over files in a folder of its own.
struct Bench {
    folder: tempfile::TempDir,
    state: State,
    worker: Worker,
    rows: RowWorker,
    news: Arc<Mutex<Vec<(u64, crate::draft::worker::News)>>>,
    left: Option<Leave>,
    colors: Option<Background>,
}

const NOTICE: &str = "# Notice 1\nberth 4 and berth 7\nBerth-8 is closed\nberth  9\n";
const TABLE: &str = "berth,status\nB-4,open\nB-7,closed\n";

impl Bench {
    fn new(steps: &[StepText]) -> Self {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("a.md"), NOTICE).unwrap();
        std::fs::write(folder.path().join("b.md"), "pilot at berth 7\n").unwrap();
        std::fs::write(folder.path().join("c.csv"), TABLE).unwrap();
        let news = Arc::<Mutex<Vec<_>>>::default();
        let heard = Arc::clone(&news);
        let tell: Tell = Arc::new(move |number, news| heard.lock().unwrap().push((number, news)));
        let opened = Opened {
            paths: vec![folder.path().to_owned()],
            stdin: None,
        };
        let worker = Worker::new(&opened, Threads::default(), &tell);
        let saved = Saved {
            steps: steps.to_vec(),
            ..Saved::default()
        };
        let names = Arc::new(OptionNames::of(&crate::args::definitions()));
        let mut bench = Self {
            state: State::new(saved, names),
            rows: worker.for_rows(),
            worker,
            news,
            folder,
            left: None,
            colors: None,
        };
        let begin = bench.state.begin();
        bench.perform(begin);
        bench
    }

    fn of(pattern: &str, template: &str, options: &str) -> Self {
        Self::new(&[step(pattern, template, options)])
    }

    /// Does what is to be done, until nothing is left.
    fn perform(&mut self, effects: Vec<Effect>) {
        let mut effects = effects;
        while let Some(effect) = effects.pop() {
            match effect {
                Effect::Evaluate(job) => self.worker.work(&job, &Arc::default()),
                Effect::Row(job) => self.rows.work(&job, &Arc::default()),
                Effect::Keep | Effect::Save(_) => {}
                Effect::Leave(leave) => self.left = Some(leave),
            }
            let news = std::mem::take(&mut *self.news.lock().unwrap());
            for (number, news) in news {
                effects.extend(self.state.hear(number, news));
            }
        }
    }

    fn act(&mut self, action: Action) {
        let effects = self.state.act(action);
        self.perform(effects);
    }

    fn settle(&mut self) {
        let effects = self.state.settle();
        self.perform(effects);
    }

    /// Presses keys: a word of several letters is the name of a key, `^` stands for Control.
    fn press(&mut self, keys: &str) {
        for name in keys.split(' ') {
            let code = match name {
                "Tab" => KeyCode::Tab,
                "BackTab" => KeyCode::BackTab,
                "Enter" => KeyCode::Enter,
                "Esc" => KeyCode::Esc,
                "Down" => KeyCode::Down,
                "Up" => KeyCode::Up,
                "Home" => KeyCode::Home,
                "End" => KeyCode::End,
                "Left" => KeyCode::Left,
                "Right" => KeyCode::Right,
                "PgDn" => KeyCode::PageDown,
                "Back" => KeyCode::Backspace,
                name => KeyCode::Char(name.chars().next_back().unwrap()),
            };
            let control = name.len() > 1 && name.starts_with('^');
            let modifiers = match control {
                true => KeyModifiers::CONTROL,
                false => KeyModifiers::NONE,
            };
            if let Some(action) = keys::action(&self.state, KeyEvent::new(code, modifiers)) {
                self.act(action);
            }
        }
    }

    fn typed(&mut self, text: &str) {
        for c in text.chars() {
            self.act(Action::Edit(Edit::Insert(c.to_string())));
        }
    }

    fn field(&self, name: FieldName) -> String {
        self.state.steps[self.state.step]
            .field(name)
            .text()
            .to_owned()
    }

    fn screen(&self, width: u16, height: u16) -> String {
        let mut terminal = Terminal::new(TestBackend::new(width, height)).unwrap();
        let facts = Facts {
            percent: None,
            paths: vec![PathBuf::from("notices")],
            sample: None,
        };
        let screen = Screen {
            palette: Palette::new(self.colors),
            facts: &facts,
            body: &Body::default(),
        };
        terminal
            .draw(|frame| screen.draw(frame, &self.state))
            .unwrap();
        let buffer = terminal.backend().buffer();
        let rows = (0..height).map(|y| {
            let cells = (0..width).map(|x| buffer[(x, y)].symbol());
            cells.collect::<String>().trim_end().to_owned() + "\n"
        });
        rows.collect()
    }

    #[track_caller]
    fn shows(&self, wanted: &[&str]) {
        self.shows_at(130, wanted);
    }

    #[track_caller]
    fn shows_at(&self, width: u16, wanted: &[&str]) {
        let screen = self.screen(width, 34);
        for part in wanted {
            assert!(screen.contains(part), "no {part:?} on\n{screen}");
        }
    }

    /// The old and new texts of the list.
    fn listed(&self) -> Vec<(u64, String, Option<String>)> {
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).trim_end().to_owned();
        let rows = self.state.list.rows.iter();
        rows.map(|row| {
            (
                row.line,
                text(&row.was.text),
                row.now.as_ref().map(|now| text(&now.text)),
            )
        })
        .collect()
    }
}

fn step(pattern: &str, template: &str, options: &str) -> StepText {
    StepText {
        pattern: pattern.into(),
        template: template.into(),
        options: options.into(),
        ..StepText::default()
    }
}

/// Each key is answered, and a text that cannot be understood leaves what was shown.
#[test]
fn typing_is_answered() {
    let mut bench = Bench::new(&[StepText::default()]);
    bench.shows(&[
        "nothing is matched yet: all text is shown",
        "# Notice 1",
        "B-7,closed",
    ]);
    bench.typed("berth");
    bench.shows(&[
        "5 matches  3 files",
        "the text “berth”",
        "‹berth› 4 and ‹berth› 7",
    ]);
    bench.typed(" (\\d+)");
    bench.shows(&[
        "3 matches  2 files",
        "group 1: a digit, once or more",
        "$1     ‹4›",
    ]);
    bench.typed("(");
    bench.shows(&[
        "this parenthesis is never closed",
        "last valid request:",
        "3 matches",
    ]);
    bench.press("Back Tab");
    bench.typed("B-$1");
    bench.shows_at(80, &["F1 keys  Ctrl-C leave"]);
    // Where there is little room, the result of the template goes first.
    let small = bench.screen(80, 24);
    assert!(
        small.contains("${1} → ‹4›") && !small.contains("$1     ‹4›"),
        "{small}"
    );
    bench.shows(&[
        "3 matches  3 changes  2 files",
        "‹B-4› and ‹B-7›",
        "${1} → ‹4›",
        "2 kinds",
    ]);
    let changes = [
        (2, "berth 4 and berth 7", "B-4 and B-7"),
        (1, "pilot at berth 7", "pilot at B-7"),
    ];
    let changes = changes.map(|(line, was, now)| (line, was.to_owned(), Some(now.to_owned())));
    assert_eq!(bench.listed(), changes);
    bench.typed("$2");
    bench.shows(&["the pattern has no group 2", "‹B-4› and ‹B-7›"]);
    bench.press("Back Back Tab");
    bench.typed("--lines 2..x");
    bench.shows(&[
        "!options",
        "--lines 2..x",
        "2 changes",
        "`x` is not understood here",
    ]);
    bench.press("Back Back Back Back");
    bench.typed("1");
    bench.shows(&["1 match  1 change", "2 left out"]);
    // What was typed is undone, over all fields, and done again.
    bench.press("^z");
    assert_eq!(bench.field(FieldName::Options), "--lines ");
    (0..16).for_each(|_| bench.press("^z"));
    assert_eq!(
        (
            bench.field(FieldName::Options),
            bench.field(FieldName::Template)
        ),
        (String::new(), "B-$1".into())
    );
    (0..17).for_each(|_| bench.press("^y"));
    assert_eq!(bench.field(FieldName::Options), "--lines 1");
}

/// The lists: matches, misses with their reasons, all text, and the difference to another try.
#[test]
fn the_lists_show_what_they_say() {
    let mut bench = Bench::of("berth (\\d+)", "B-$1", "");
    bench.settle();
    bench.press("Enter 3");
    bench.shows(&["expected ` `, found `  `", "berth  9", "Berth-8 is closed"]);
    // The near miss stands first.
    assert_eq!(bench.listed()[0].1, "berth  9");
    bench.press("4");
    assert_eq!(bench.listed().len(), 8);
    bench.press("2 Home");
    assert_eq!(bench.listed().len(), 2);
    bench.shows(&["$1     ‹4›"]);
    bench.press("4");
    bench.shows(&["$1     ‹4›"]);
    bench.press("5");
    bench.shows(&["there is no earlier try to compare with"]);
    bench.press("Enter End");
    (0..6).for_each(|_| bench.press("Back"));
    bench.typed(" *(\\d)");
    bench.settle();
    bench.shows(&[
        "1 new, 0 gone, 0 differ from the last try",
        "+     4  ‹berth  9›",
        "this  ‹B-9›",
    ]);
    bench.press("Enter [");
    assert_eq!(bench.field(FieldName::Pattern), "berth (\\d+)");
    bench.shows(&[
        "0 new, 1 gone, 0 differ from the last try",
        "−     4  ‹berth  9›",
        "last  ‹B-9›",
    ]);
    bench.press("]");
    assert_eq!(bench.field(FieldName::Pattern), "berth *(\\d)");
    bench.press("7 Up =");
    bench.shows(
        &[
            "compared with try 1",
            "1 new, 0 gone, 0 differ from try 1",
            "berth (\\d+)",
            "--with B-$1",
        ]
        .map(|part| part.trim_start_matches("--with ")),
    );
    bench.press("Enter");
    assert_eq!(bench.field(FieldName::Pattern), "berth (\\d+)");
}

/// A text that is typed or pasted is looked at in the place of the files, and stays with the draft.
#[test]
fn a_sample_is_typed() {
    let mut bench = Bench::of("berth (\\d+)", "B-$1", "");
    bench.press("Enter s");
    bench.shows(&[
        "the sample: type a text, or paste one",
        "a sample, 0 lines",
        "nothing matches",
    ]);
    bench.typed("berth 12");
    bench.press("Enter");
    bench.typed("quay");
    bench.press("Up Home");
    bench.typed("the ");
    bench.shows(&[
        "   1  the berth 12",
        "   2  quay",
        "a sample, 2 lines",
        "1 match  1 change",
        "‹B-12›",
    ]);
    let changed = |was: &str, now: &str| vec![(1, was.to_owned(), Some(now.to_owned()))];
    assert_eq!(bench.listed(), changed("the berth 12", "the B-12"));
    bench.press("^z ^z");
    assert_eq!(bench.listed(), changed("thberth 12", "thB-12"));
    bench.press("^y Esc 8");
    bench.shows(&["+     1  the‹berth 12›", "│ the‹B-12›", "the sample"]);
    bench.press("1 b");
    bench.shows(&["6 examples 1/1"]);
    assert_eq!(
        bench.state.steps[0].examples[0].before.as_deref(),
        Some("theberth 12")
    );
    // Each part of the screen is reached from each other.
    bench.press("Tab");
    assert_eq!(bench.state.focus, Focus::Sample);
    bench.press("BackTab BackTab BackTab BackTab");
    assert_eq!(bench.state.focus, Focus::Field(FieldName::Pattern));
    bench.press("BackTab Esc S");
    assert_eq!(bench.listed().len(), 2);
    bench.shows(&["notices, 3 files", "the files; `S` goes back to the sample"]);
    bench.press("Tab Tab Tab Tab");
    assert_eq!(bench.state.focus, Focus::List);
    bench.press("S");
    assert_eq!(bench.listed(), changed("theberth 12", "theB-12"));
    let again = State::new(bench.state.saved(), Arc::default());
    assert_eq!(
        again.sample.looked_at().map(|text| &**text),
        Some("theberth 12\nquay")
    );
    bench.act(Action::Paste("id;berth\n1;berth 7\n".into()));
    bench.press("Tab Tab Tab Tab Tab BackTab");
    bench.typed("--columns berth --format csv --delimiter ';'");
    bench.shows(&["a sample, 2 lines", "‹B-7›", "1 change"]);
}

/// The result is all of the text: changed, dropped and other lines.
#[test]
fn the_result_is_all_of_the_text() {
    let mut bench = Bench::of("berth (\\d+)", "B-$1", "");
    bench.settle();
    bench.press("Enter 8");
    let before = bench.listed().len();
    let rows = [
        "       1  # Notice 1",
        "+     2  ‹B-4› and ‹B-7›",
        "       3  Berth-8 is closed",
    ];
    bench.shows_at(100, &rows);
    let mut bench = Bench::of("closed", "", "--drop-lines");
    bench.settle();
    bench.press("Enter 8");
    assert_eq!(bench.listed().len(), before);
    bench.shows_at(100, &["−     3  (the line goes)", "berth 4 and berth 7"]);
    // Nothing matches: the text is there all the same.
    let mut bench = Bench::of("nowhere", "x", "");
    bench.settle();
    bench.press("Enter 8");
    assert_eq!(bench.listed().len(), before);
}

/// Long lines wrap between words, and do not where that is turned off.
#[test]
fn long_lines_wrap() {
    let long = format!("B-$1, {}the end", "round the outer mole ".repeat(5));
    let mut bench = Bench::of("berth (\\d+)", &long, "--lines 2 --pick first");
    bench.settle();
    bench.press("Enter");
    bench.shows(&[
        "     now  ‹B-4, round the outer mole",
        "          round the outer mole round the outer mole the end› and berth 7",
    ]);
    let wrapped = bench.screen(130, 34).matches("the end").count();
    bench.press("w");
    assert!(bench.screen(130, 34).matches("the end").count() < wrapped);
}

/// Examples are made at a row, and say which hold.
#[test]
fn examples_are_worked() {
    let mut bench = Bench::of("berth (\\d+)", "B-$1", "");
    bench.press("Enter b 3 l m");
    let text = bench.state.input.text().to_owned();
    assert_eq!(text, "berth  9");
    bench.press("^u");
    bench.typed("B-9");
    bench.press("Enter 6");
    // The one text has one example: the wanted text takes the place of the one left alone.
    bench.shows(&[
        "6 examples 1/2",
        "fails  berth  9 → B-9",
        "becomes  berth  9",
        "holds  berth 4 and berth 7 → B-4 and B-7",
    ]);
    bench.press("Enter End Left Left Left Left Left");
    bench.typed("+");
    assert_eq!(bench.field(FieldName::Pattern), "berth +(\\d+)");
    bench.shows(&["6 examples 2/2"]);
    bench.press("Enter d");
    bench.shows(&["6 examples 1/1"]);
    assert_eq!(bench.state.saved().examples[0].len(), 1);
}

/// Examples become a rewrite in the fields; again, the next one.
#[test]
fn examples_are_inferred_from() {
    let mut bench = Bench::of("berth", "", "");
    bench.press("Enter i");
    bench.shows(&["make examples first"]);
    bench.press("4 m ^u");
    bench.typed("B-4 and B-7");
    bench.press("Enter i");
    assert!(bench.field(FieldName::Pattern).contains("berth"));
    assert!(
        bench.field(FieldName::Template).starts_with("B-"),
        "{}",
        bench.field(FieldName::Template)
    );
    bench.shows(&["of "]);
    let first = (
        bench.field(FieldName::Pattern).to_owned(),
        bench.field(FieldName::Template).to_owned(),
    );
    bench.press("i");
    let second = (
        bench.field(FieldName::Pattern).to_owned(),
        bench.field(FieldName::Template).to_owned(),
    );
    assert_ne!(first, second);
    bench.press("6");
    bench.shows(&["holds"]);
    bench.press("u");
    assert_eq!(bench.field(FieldName::Pattern), first.0);
}

/// Each step sees the text that the one before it left.
#[test]
fn steps_follow_each_other() {
    let mut bench = Bench::of("berth +(\\d+)", "B-$1", "");
    bench.press("Enter +");
    assert_eq!(bench.state.step, 1);
    bench.shows(&["step 2 of 2", "B-4 and B-7"]);
    bench.typed("B-(\\d)");
    bench.shows(&["6 matches"]);
    bench.press("Tab");
    bench.typed("quay $1");
    bench.shows(&["‹quay 4› and ‹quay 7›", "6 changes"]);
    bench.press("Enter N");
    bench.shows(&["step 1 of 2", "‹B-4› and ‹B-7›"]);
    let line = command_line("preview", &bench.state.text().steps, &["notices".into()]);
    assert_eq!(
        line,
        "bquill preview 'berth +(\\d+)' --with 'B-$1' notices --then 'B-(\\d)' --with 'quay $1'"
    );
    bench.press("n -");
    bench.shows(&["the step is removed"]);
    assert_eq!(bench.state.steps.len(), 1);
}

/// Columns, other actions, hints and their remedies, and options with values.
#[test]
fn options_are_those_of_the_command_line() {
    let mut bench = Bench::of("closed", "shut", "--columns status --include '*.csv'");
    bench.shows(&["1 change", "status  ‹closed›", "‹shut›"]);
    bench.press("Enter b 6");
    bench.shows(&["holds", "berth,status↵B-7,closed"]);
    let mut bench = Bench::of("berth \\d", "", "--drop-lines");
    bench.shows(&["2 changes", "(nothing is left)"]);
    bench.press("Enter 1 h");
    let mut bench = Bench::of("berth (\\d)", "B-$1", "");
    bench.press("Enter h");
    bench.shows(&["near-miss", "write the pattern `berth +(\\d)`"]);
    let hints = bench
        .state
        .known
        .counted
        .as_ref()
        .unwrap()
        .hints
        .shown
        .clone();
    let case = hints
        .iter()
        .position(|hint| hint.name == "near-miss")
        .unwrap();
    bench.act(Action::Remedy(case));
    assert_eq!(bench.field(FieldName::Pattern), "berth +(\\d)");
    bench.shows(&["4 changes"]);
    bench.press("u");
    assert_eq!(bench.field(FieldName::Pattern), "berth (\\d)");
    // Names are completed.
    bench.act(Action::FocusOn(Focus::Field(FieldName::Options)));
    bench.typed("--who");
    bench.press("Tab");
    assert_eq!(bench.field(FieldName::Options), "--whole-word ");
    bench.shows(&["No letter, digit or underscore may touch a match"]);
    bench.press("Tab");
    assert_eq!(bench.state.focus, Focus::List);
    for (options, fault) in [
        ("--lines 2..x", "x"),
        ("'", "cannot be cut into words"),
        ("notices", "`notices` is not an option"),
        ("--rewrite x.toml", "cannot be combined"),
        ("--then", "another step"),
        ("--help", "ask for help"),
        ("--no-such", "there is no option"),
        ("--remove", "with"),
        ("--encoding klingon", "encoding"),
        ("--include '['", "glob"),
    ] {
        let bench = Bench::of("berth", "B", options);
        let known = &bench.state.known;
        let fault_of = known.fault.as_ref().map(|fault| &fault.diagnostic);
        let diagnostic = fault_of.or(known.failed.as_ref());
        let Some(diagnostic) = diagnostic else {
            panic!("{options} is wrong")
        };
        let said = format!("{} {:?}", diagnostic.message, diagnostic.quote);
        assert!(said.contains(fault), "{options}: {said}");
    }
}

/// Rows far down are fetched as the cursor moves, and the cursor stays where it is while others
/// come.
#[test]
fn long_lists_are_walked() {
    let mut bench = Bench::of("", "", "");
    let lines: Vec<String> = (1..=5000).map(|n| format!("berth {n}\n")).collect();
    std::fs::write(bench.folder.path().join("a.md"), lines.concat()).unwrap();
    bench.press("Enter g");
    bench.act(Action::FocusOn(Focus::Field(FieldName::Pattern)));
    bench.typed("berth");
    bench.press("Tab");
    bench.typed("B");
    let place = |bench: &Bench| {
        bench
            .state
            .list
            .current()
            .map(|row| (row.place.file, row.line))
    };
    bench.press("Enter");
    (0..250).for_each(|_| bench.press("PgDn"));
    assert_eq!(place(&bench), Some((0, 2501)));
    bench.shows(&["row 2,501 of 5,002", "‹berth› 2501", "‹B› 2501"]);
    bench.act(Action::FocusOn(Focus::Field(FieldName::Template)));
    bench.typed("x");
    assert_eq!(place(&bench), Some((0, 2501)));
    bench.press("Enter End");
    assert_eq!(place(&bench), Some((2, 1)));
    bench.press("F");
    assert_eq!(place(&bench), Some((1, 1)));
    bench.press("F");
    assert_eq!(place(&bench).unwrap().0, 0);
    bench.press("Home");
    assert_eq!(place(&bench), Some((0, 1)));
    bench.press("f f");
    assert_eq!(place(&bench), Some((2, 1)));
    (0..700).for_each(|_| bench.act(Action::Move(-10)));
    assert_eq!(place(&bench), Some((0, 1)));
    // The same in a list that is not counted.
    bench.press("4");
    (0..300).for_each(|_| bench.press("PgDn"));
    assert_eq!(place(&bench), Some((0, 3001)));
    (0..300).for_each(|_| bench.act(Action::Move(-10)));
    assert_eq!(place(&bench), Some((0, 1)));
}

/// No screen is too small or too large, no text drives the terminal, and nothing is cut in a wrong
/// place.
#[test]
fn screens_of_any_size() {
    let mut bench = Bench::of(
        "berth (?<number>\\d+)",
        "${number | pad 2}\u{1b}[2J",
        "--where 'b.*'",
    );
    for colors in [None, Some(Background::Dark), Some(Background::Light)] {
        bench.colors = colors;
        for (width, height) in [
            (20, 5),
            (40, 10),
            (80, 24),
            (109, 17),
            (110, 30),
            (200, 60),
            (1, 1),
        ] {
            for view in ListView::ALL {
                bench.act(Action::View(view));
                let screen = bench.screen(width, height);
                assert!(!screen.contains('\u{1b}'));
            }
        }
    }
    assert!(bench.screen(20, 5).contains("too small: 20x5"));
    bench.act(Action::View(ListView::Changes));
    bench.shows(&["‹ESC›[2J", "$1 number ‹7›"]);
}

/// A wide screen has the text as it is on the left and as it becomes on the right, line by line.
#[test]
fn a_result_beside_its_text() {
    let mut bench = Bench::of(r"(?i)berth[- ]+(\d)", "B$1", "");
    bench.press("Enter 8");
    let screen = bench.screen(130, 34);
    let line = |part: &str| screen.lines().find(|line| line.contains(part)).unwrap();
    for (was, now) in [
        ("a.md", "as it becomes"),
        ("1  # Notice 1", "# Notice 1"),
        ("2  ‹berth 4› and ‹berth 7›", "‹B4› and ‹B7›"),
        ("4  ‹berth  9›", "‹B9›"),
    ] {
        let (left, right) = line(was).split_once(" │ ").unwrap();
        assert!(left.contains(was), "{screen}");
        assert_eq!(right.trim(), now, "{screen}");
    }
    assert!(!bench.screen(100, 34).contains("as it becomes"));
    // Where the names of the views find no room, their numbers do.
    let small = bench.screen(60, 20);
    assert!(small.contains("1  2  3  4  5  6  7  8 result"), "{small}");
    // Of a row, the matches of all cells are reported.
    let mut bench = Bench::of("B-(\\d)", "B$1", "--columns berth");
    std::fs::write(
        bench.folder.path().join("c.csv"),
        "berth,status\nB-4,open\n",
    )
    .unwrap();
    bench.act(Action::ReadAgain);
    bench.press("Enter 8");
    bench.shows(&["match 1  ‹B-4›   in berth", "${1} → ‹4›"]);
    let mut bench = Bench::of("berth", "", "--drop-lines");
    bench.press("Enter 8");
    bench.shows(&[
        "2  ‹berth 4 and berth 7›",
        "│ (the line goes)",
        "│ # Notice 1",
    ]);
}

/// Of records, the cells are what is inferred from; the place stays.
#[test]
fn inference_for_cells() {
    let table = "berth,status\nB-4,open\nB-7,closed\nBerth 12,open\nBerth 3,open\n";
    let mut bench = Bench::of(r"Berth (\d+)", "B-$1", "--columns berth --lines 2..");
    std::fs::write(bench.folder.path().join("c.csv"), table).unwrap();
    bench.act(Action::ReadAgain);
    bench.press("Enter b");
    assert_eq!(
        bench.state.steps[0].examples.len(),
        1,
        "{}",
        bench.state.message
    );
    bench.act(Action::FocusOn(Focus::Field(FieldName::Pattern)));
    bench.act(Action::Edit(Edit::DeleteToStart));
    bench.typed(".+");
    bench.press("Enter Down i");
    assert!(
        bench.state.message.contains("proposal 1 of"),
        "{}",
        bench.state.message
    );
    let options = bench.field(FieldName::Options);
    assert!(
        options.contains("--columns berth") && options.contains("--lines 2.."),
        "{options}"
    );
    let becomes: Vec<_> = bench
        .listed()
        .into_iter()
        .filter_map(|(.., now)| now)
        .collect();
    assert_eq!(becomes, ["B-12", "B-3"]);
}

/// `.` and `,` go from match to match: within a line, and over lines without any.
#[test]
fn from_match_to_match() {
    let mut bench = Bench::of(r"(?i)berth[- ]+(\d)", "B$1", "");
    bench.press("Enter");
    for (view, first) in [("1", 2), ("8", 2)] {
        bench.press(&format!("{view} Home"));
        if bench.state.list.current().unwrap().was.marks.is_empty() {
            bench.press(".");
        }
        let mut met = Vec::new();
        for _ in 0..4 {
            let list = &bench.state.list;
            met.push((list.current().unwrap().line, list.mark));
            bench.press(".");
        }
        assert_eq!(met, [(first, 0), (first, 1), (3, 0), (4, 0)], "view {view}");
        bench.press(", , ,");
        let list = &bench.state.list;
        assert_eq!(
            (list.current().unwrap().line, list.mark),
            (2, 1),
            "view {view}"
        );
    }
}

/// A list without a match shows the text, and says that nothing matches.
#[test]
fn text_in_the_place_of_nothing() {
    let mut bench = Bench::of("pontoon", "x", "");
    bench.shows(&["nothing matches: view 3", "berth 4 and berth 7"]);
    assert!(!bench.screen(130, 34).contains(" of 0"));
    bench.press("Enter End 2");
    bench.shows(&["nothing matches: view 3"]);
    bench.press("4");
    assert!(!bench.screen(130, 34).contains("nothing matches"));
    bench.press("1 Tab");
    bench.act(Action::FocusOn(Focus::Field(FieldName::Pattern)));
    bench.act(Action::Edit(Edit::DeleteToStart));
    bench.typed("pilot");
    bench.shows(&["‹pilot› at berth 7"]);
    let screen = bench.screen(130, 34);
    assert!(
        !screen.contains("nothing matches") && !screen.contains("Notice 1"),
        "{screen}"
    );
}

fn actions() -> impl Strategy<Value = Action> {
    let text = prop_oneof![
        Just("berth"),
        Just("(\\d)"),
        Just("$1"),
        Just("-"),
        Just("--lines 2"),
        Just("("),
        Just(" "),
        Just("\n"),
        Just("é"),
        Just("x*"),
        Just("'"),
        Just("\u{0}"),
    ];
    prop_oneof![
        6 => text.prop_map(|text| Action::Edit(Edit::Insert(text.to_owned()))),
        1 => Just(Action::Edit(Edit::Backspace)),
        1 => Just(Action::Edit(Edit::DeleteWord)),
        1 => Just(Action::Edit(Edit::Home)),
        1 => Just(Action::Complete),
        2 => (-1isize..2).prop_map(Action::Focus),
        2 => (-20isize..20).prop_map(Action::Move),
        1 => Just(Action::First),
        1 => Just(Action::Last),
        1 => (-1isize..2).prop_map(Action::File),
        3 => (0..ListView::ALL.len()).prop_map(|view| Action::View(ListView::ALL[view])),
        2 => (-1isize..2).prop_map(Action::Mark),
        1 => Just(Action::Wrap),
        1 => (-1isize..2).prop_map(Action::Sideways),
        1 => (-1isize..2).prop_map(Action::Step),
        1 => Just(Action::AddStep),
        1 => Just(Action::RemoveStep),
        1 => (-1isize..2).prop_map(Action::Try),
        1 => Just(Action::Against),
        1 => Just(Action::Undo),
        1 => Just(Action::Redo),
        1 => Just(Action::Example(brisk_quill_engine::worked_examples::WantedText::AsItBecomes)),
        1 => Just(Action::Example(brisk_quill_engine::worked_examples::WantedText::Untouched)),
        1 => Just(Action::DropExample),
        1 => (0..3usize).prop_map(Action::Remedy),
        1 => Just(Action::Enter),
        1 => Just(Action::Back),
        1 => Just(Action::Open(crate::draft::action::Window::Hints)),
        1 => Just(Action::Open(crate::draft::action::Window::WantedText)),
        1 => Just(Action::ReadAgain),
        1 => Just(Action::Sample),
        1 => Just(Action::Files),
        1 => Just(Action::Paste("berth 7\nquay".to_owned())),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Whatever is done, the state holds together, its screen can be drawn, and what is kept of it
    /// opens again with the same words.
    #[test]
    fn anything_may_be_done(actions in prop::collection::vec(actions(), 1..60)) {
        let mut bench = Bench::of("berth", "", "");
        for (number, action) in actions.into_iter().enumerate() {
            bench.act(action);
            if number % 7 == 0 {
                bench.settle();
            }
            if number % 5 == 0 {
                bench.screen(80, 24);
            }
            let rows = bench.state.list.rows.len();
            prop_assert!(bench.state.list.cursor < rows.max(1));
            prop_assert!(bench.state.list.mark < bench.state.list.marks().max(1));
            prop_assert!(bench.state.step < bench.state.steps.len());
        }
        let saved = bench.state.saved();
        let again = State::new(saved, Arc::default());
        prop_assert_eq!(again.text(), bench.state.text());
    }
}
