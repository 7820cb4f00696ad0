//! The loop of a draft: keys and news come in, the screen is drawn, and jobs go out.

use crate::draft::action::{Action, Effect, Leave};
use crate::draft::keys;
use crate::draft::request::{Known, ask};
use crate::draft::saved::{self, Saved};
use crate::draft::screen::{Body, Facts, Screen};
use crate::draft::state::State;
use crate::draft::worker::{Built, DraftText, Opened, Workers, tell_through};
use crate::full_screen::field::Edit;
use crate::full_screen::palette::Palette;
use crate::full_screen::terminal::{Came, WAIT, on_terminal};
use crate::host::host;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_engine::draft::kept_tries;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_files::temporary::Temporaries;
use crossterm::event::{Event, KeyEventKind, poll, read};
use std::io;
use std::path::Path;
use std::sync::mpsc::channel;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Nothing is typed for so long: what is there is a try.
const SETTLE: Duration = Duration::from_millis(700);
/// The time between two looks at what has been found.
const NEWS: Duration = Duration::from_millis(10);
/// The time between two looks at how much more of standard input has come.
const SAMPLE: Duration = Duration::from_millis(500);
/// Keys, and news, that are taken before the screen is drawn.
const TOGETHER: usize = 64;

/// A draft that was left.
pub struct Left {
    pub leave: Leave,
    pub saved: Saved,
    /// The request, where it was understood.
    pub built: Option<Arc<Built>>,
}

/// The means of a draft that do not change.
pub struct Means<'m> {
    pub opened: Opened,
    pub palette: Palette,
    pub threads: Threads,
    pub temporaries: Arc<Temporaries>,
    /// Writes a rewrite file; gives what to say of it.
    pub save: &'m dyn Fn(&Path, &State) -> Result<String, String>,
}

/// Runs a draft on the terminal; `None` where a signal ended it. What it was is kept then.
///
/// # Errors
///
/// When the terminal cannot be taken, read or written.
pub fn run(mut state: State, means: &Means<'_>) -> io::Result<Option<Left>> {
    let current = Arc::new(Mutex::new(state.saved()));
    let kept = Arc::clone(&current);
    let (paths, temporaries) = (means.opened.paths.clone(), Arc::clone(&means.temporaries));
    let left = on_terminal(
        |terminal, came| turns(&mut state, (means, &current), terminal, came),
        move || {
            let saved = kept.lock().unwrap_or_else(PoisonError::into_inner).clone();
            let _ = saved::keep(saved, &paths, &temporaries);
        },
    );
    let Ok(Some(leave)) = left else {
        keep(&state, means);
        return left.map(|_| None);
    };
    keep_tries(&state);
    match leave {
        Leave::Close => saved::forget(),
        Leave::AtOnce | Leave::Print | Leave::Review => keep(&state, means),
    }
    let is_current = !state.is_stale() && state.known.fault.is_none();
    Ok(Some(Left {
        leave,
        saved: state.saved(),
        built: state.known.built.clone().filter(|_| is_current),
    }))
}

/// Keeps what was tried, the last first, for fronts in which nothing is typed.
fn keep_tries(state: &State) {
    let mut known = Known::default();
    let tries = state.saved().tries.into_iter().rev();
    let tries = std::iter::once(state.text()).chain(tries);
    let rewrite = |text: DraftText| {
        let step = ask(&text.steps, &mut known).ok()?.specs;
        Some(RewriteText {
            step,
            ..RewriteText::default()
        })
    };
    // As with the draft itself.
    let _ = kept_tries::keep(&host(), tries.filter_map(rewrite).collect());
}

fn keep(state: &State, means: &Means<'_>) {
    // A draft that cannot be kept is not a reason to disturb its user.
    let _ = saved::keep(state.saved(), &means.opened.paths, &means.temporaries);
}

/// `current` holds the draft as it is, for another thread to keep.
fn turns(
    state: &mut State,
    (means, current): (&Means<'_>, &Mutex<Saved>),
    terminal: &mut ratatui::DefaultTerminal,
    came: &Came,
) -> io::Result<Leave> {
    let (sender, news) = channel();
    let workers = Workers::start(&means.opened, means.threads, &tell_through(sender));
    let body = Body::default();
    let mut turn = Turn {
        means,
        workers: &workers,
        has_input: true,
        typed: Instant::now(),
        sampled: (Instant::now(), 0),
    };
    let begin = state.begin();
    if let Some(leave) = turn.perform(begin, state) {
        return Ok(leave);
    }
    let mut drawn = None;
    loop {
        let facts = turn.facts(state);
        let screen = Screen {
            palette: means.palette,
            facts: &facts,
            body: &body,
        };
        if drawn.as_ref() != Some(&facts) || turn.has_input {
            *current.lock().unwrap_or_else(PoisonError::into_inner) = state.saved();
            terminal.draw(|frame| screen.draw(frame, state))?;
            turn.has_input = false;
        }
        drawn = Some(facts.clone());
        let mut leave = None;
        let mut wait = turn.wait(state);
        for _ in 0..TOGETHER {
            // What was typed goes first, whatever has been found.
            match poll(wait) {
                Ok(true) => leave = leave.or(turn.key(read(), state)),
                Ok(false) => break,
                Err(_) => leave = Some(Leave::AtOnce),
            }
            wait = Duration::ZERO;
        }
        for (number, news) in news.try_iter().take(TOGETHER) {
            turn.has_input = true;
            let effects = state.hear(number, news);
            leave = leave.or(turn.perform(effects, state));
        }
        if came.is_set() {
            return Ok(Leave::AtOnce);
        }
        if workers.have_panicked() {
            return Err(io::Error::other("a thread of it has panicked"));
        }
        leave = leave.or(turn.look_round(state));
        if let Some(leave) = leave {
            return Ok(leave);
        }
    }
}

/// Pasted text with the line ends that are typed.
fn one_line_end(text: &str) -> String {
    text.replace("\r\n", "\n").replace('\r', "\n")
}

/// The work between two drawings.
struct Turn<'t> {
    means: &'t Means<'t>,
    workers: &'t Workers,
    /// Something has come that may change the screen.
    has_input: bool,
    /// The time of the last key.
    typed: Instant,
    /// The time of the last look at standard input, and its bytes then.
    sampled: (Instant, u64),
}

impl Turn<'_> {
    fn facts(&self, state: &State) -> Facts {
        let built = state.known.built.as_ref();
        let all = built.map_or(0, |built| built.draft.bytes());
        let percent = match (state.known.is_done, all) {
            (true, _) | (false, 0) => None,
            // A percentage fits.
            (false, all) => Some((self.workers.bytes().saturating_mul(100) / all).min(99) as u8),
        };
        let sample = self.means.opened.stdin.as_ref();
        Facts {
            percent,
            paths: self.means.opened.paths.clone(),
            sample: sample.map(|sample| (sample.bytes(), sample.is_over())),
        }
    }

    /// The time to wait for a key.
    fn wait(&self, state: &State) -> Duration {
        match (
            state.known.is_done && !state.is_looking(),
            state.may_settle(),
        ) {
            (false, _) => NEWS,
            (true, true) => SETTLE.saturating_sub(self.typed.elapsed()),
            (true, false) => WAIT,
        }
    }

    fn key(&mut self, event: io::Result<Event>, state: &mut State) -> Option<Leave> {
        let action = match event {
            Ok(Event::Key(key)) if key.kind != KeyEventKind::Release => keys::action(state, key),
            Ok(Event::Paste(text)) if keys::is_typing(state) => {
                Some(Action::Edit(Edit::Insert(one_line_end(&text))))
            }
            Ok(Event::Paste(text)) if state.window.is_none() => {
                Some(Action::Paste(one_line_end(&text)))
            }
            Ok(_) => None,
            // The terminal has gone.
            Err(_) => return Some(Leave::AtOnce),
        };
        self.typed = Instant::now();
        self.has_input = true;
        let effects = action.map(|action| state.act(action)).unwrap_or_default();
        self.perform(effects, state)
    }

    fn perform(&self, effects: Vec<Effect>, state: &mut State) -> Option<Leave> {
        for effect in effects {
            match effect {
                Effect::Evaluate(job) => self.workers.give(*job),
                Effect::Row(job) => self.workers.give_row(*job),
                Effect::Keep => keep(state, self.means),
                Effect::Save(file) => {
                    let said = (self.means.save)(&file, state);
                    state.message = said.unwrap_or_else(|error| error);
                }
                Effect::Leave(leave) => return Some(leave),
            }
        }
        None
    }

    /// Does what is due without a key.
    fn look_round(&mut self, state: &mut State) -> Option<Leave> {
        let mut effects = Vec::new();
        if state.may_settle() && self.typed.elapsed() >= SETTLE {
            effects.extend(state.settle());
            self.has_input = true;
        }
        if let Some(sample) = &self.means.opened.stdin
            && self.sampled.0.elapsed() > SAMPLE
        {
            let bytes = sample.bytes();
            // What is being evaluated is not of what has come since.
            let of_built = state
                .known
                .built
                .as_ref()
                .map_or(0, |built| built.draft.sample_bytes());
            let is_read = !state.sample.is_on() && state.known.is_done;
            if bytes > of_built && bytes != self.sampled.1 && is_read {
                effects.extend(state.begin());
            }
            self.sampled = (Instant::now(), bytes);
        }
        self.perform(effects, state)
    }
}
