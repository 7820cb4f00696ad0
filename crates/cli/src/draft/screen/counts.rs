//! The counts of a draft, and how it differs from the try it is compared with.

use crate::draft::screen::Screen;
use crate::draft::state::State;
use crate::full_screen::palette::Role;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_engine::draft::places::PlaceCounts;
use ratatui::text::Line;
use unicode_width::UnicodeWidthStr;

/// Pieces of the line of counts.
#[derive(Default)]
struct Pieces(Vec<(Role, String)>);

impl Pieces {
    fn push(&mut self, role: Role, text: impl Into<String>) {
        self.0.push((role, text.into()));
    }

    /// A number of things, quiet where there is none.
    fn count(&mut self, role: Role, n: u64, thing: &str) {
        let role = if n == 0 { Role::Quiet } else { role };
        self.push(role, counted(n, thing));
    }
}

impl Screen<'_> {
    pub(super) fn counts(&self, state: &State, width: u16) -> Line<'static> {
        let mut pieces = Pieces::default();
        let known = &state.known;
        if let Some(failed) = &known.failed {
            pieces.push(Role::Problem, failed.message.clone());
        }
        if state.is_stale() && (known.fault.is_some() || known.failed.is_some()) {
            pieces.push(Role::Problem, "last valid request:");
        }
        if let Some(percent) = self.facts.percent {
            pieces.push(Role::Match, format!("counting {percent} %"));
        }
        let built = known.built.as_ref();
        match (built.and_then(|built| built.step()), known.counts) {
            (None, _) => pieces.push(Role::Quiet, "nothing is matched yet: all text is shown"),
            (Some(_), None) if known.failed.is_some() => {}
            (Some(_), None) => pieces.push(Role::Quiet, "counting"),
            (Some(_), Some(_)) => numbers(&mut pieces, state),
        }
        let mut left = usize::from(width);
        let fits = pieces.0.into_iter().map_while(|(role, text)| {
            let columns = text.width();
            let fits = columns <= left;
            left = left.saturating_sub(columns + 2);
            fits.then(|| [self.span(role, text), self.span(Role::Plain, "  ")])
        });
        Line::from(fits.flatten().collect::<Vec<_>>())
    }
}

fn numbers(pieces: &mut Pieces, state: &State) {
    let known = &state.known;
    let counts = known.counts.unwrap_or_default();
    pieces.count(Role::Strong, counts.matches, "match");
    if state.has_action() {
        pieces.count(Role::Strong, counts.changes, "change");
    }
    pieces.count(Role::Strong, counts.files, "file");
    if let Some(Some(compared)) = known.compared {
        let (role, words) = compared_words(compared, state.tries.chosen());
        pieces.push(role, words);
    }
    if counts.problems > 0 {
        pieces.count(Role::Problem, counts.problems, "problem");
    }
    if let Some(counted_of) = &known.counted {
        let hints = counted_of.hints.count();
        pieces.count(Role::Hint, hints, "hint");
        if counted_of.files.unreadable > 0 {
            let files = counted(counted_of.files.unreadable, "file");
            pieces.push(Role::Problem, format!("{files} cannot be read"));
        }
        if counted_of.unmet > 0 {
            let unmet = number(counted_of.unmet);
            pieces.push(Role::Problem, format!("{unmet} not as ensured"));
        }
        if let Some(expected) = unexpected(state) {
            pieces.push(Role::Problem, format!("`{expected}` changes were expected"));
        }
    }
    if counts.changes > 0 {
        pieces.count(Role::Plain, counts.kinds, "kind");
    }
    let left_out = counts.left_out.total();
    if left_out > 0 {
        pieces.push(Role::Plain, format!("{} left out", number(left_out)));
    }
    if counts.problems == 0 {
        pieces.push(Role::Quiet, "0 problems");
    }
    let binary = known
        .counted
        .as_ref()
        .map_or(0, |counted| counted.files.binary);
    if binary > 0 {
        pieces.push(Role::Quiet, format!("{} binary left out", number(binary)));
    }
}

/// "12 new, 3 gone, 4 differ", and what that is compared with.
fn compared_words(compared: PlaceCounts, chosen: Option<usize>) -> (Role, String) {
    let base = match chosen {
        Some(number) => format!("try {}", number + 1),
        None => "the last try".to_owned(),
    };
    let PlaceCounts {
        same: _,
        only_last,
        only_this,
        different,
    } = compared;
    match only_last + only_this + different {
        0 => (Role::Quiet, format!("same places as {base}")),
        _ => {
            let (this, last) = (number(only_this), number(only_last));
            let different = number(different);
            (
                Role::Strong,
                format!("{this} new, {last} gone, {different} differ from {base}"),
            )
        }
    }
}

/// The expected number of changes that does not hold, of a draft of one step.
fn unexpected(state: &State) -> Option<String> {
    let known = &state.known;
    let built = known
        .built
        .as_ref()
        .filter(|built| built.draft.specs.len() == 1)?;
    let expected = (built.draft.specs[0].expect.iter()).chain(&built.guard.expect);
    let changes = known.counts?.changes;
    let holds = |text: &&String| {
        let count = text.parse::<brisk_quill_core::address::Count>();
        count.is_ok_and(|count| !count.holds(changes))
    };
    expected.into_iter().find(holds).cloned()
}
