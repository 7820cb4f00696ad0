use anstyle::{Ansi256Color, Style};
use std::fmt::Write as _;

/// The colours, or none.
///
/// Old and new text are orange and blue, which readers of every kind of colour sight tell apart;
/// underlines, words and edges say the same without colour.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Paint {
    on: bool,
}

/// The label of a piece of output.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    /// The name of a file.
    Path,
    /// Line numbers and labels.
    Quiet,
    /// A match.
    Match,
    /// A line that leads the eye.
    Guide,
    /// The fault, and its place.
    Problem,
    /// Text that goes.
    Was,
    /// Text that comes.
    Now,
}

impl Paint {
    pub fn new(on: bool) -> Self {
        Self { on }
    }

    pub fn is_on(self) -> bool {
        self.on
    }

    /// Appends `text` in the look of `role`.
    pub fn push(self, out: &mut String, role: Role, text: &str) {
        if !self.on || text.is_empty() {
            out.push_str(text);
            return;
        }
        let style = style(role);
        // Writing to a String cannot fail.
        let _ = write!(out, "{}{text}{}", style.render(), style.render_reset());
    }
}

fn style(role: Role) -> Style {
    let color = |n| Some(Ansi256Color(n).into());
    let plain = Style::new();
    match role {
        Role::Path => plain.bold(),
        Role::Quiet => plain.dimmed(),
        Role::Match => plain.bold().underline().fg_color(color(80)),
        Role::Guide => plain.fg_color(color(75)),
        Role::Problem => plain.bold().fg_color(color(203)),
        Role::Was => plain.underline().fg_color(color(214)),
        Role::Now => plain.bold().underline().fg_color(color(75)),
    }
}
