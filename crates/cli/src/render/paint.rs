//! Labelled text as a terminal shows it, in colours or without.

use crate::render::labelled::{Labelled, Role};
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

impl Paint {
    pub fn new(on: bool) -> Self {
        Self { on }
    }

    pub fn is_on(self) -> bool {
        self.on
    }

    /// The text as a terminal shows it.
    pub fn draw(self, text: &Labelled) -> String {
        let mut out = String::new();
        for (role, piece) in text.pieces() {
            match role.filter(|_| self.on).map(look) {
                None => out.push_str(piece),
                Some(None) => {}
                Some(Some(style)) => {
                    // Writing to a String cannot fail.
                    let _ = write!(out, "{}{piece}{}", style.render(), style.render_reset());
                }
            }
        }
        out
    }
}

/// The look of a label where there are colours; none is not shown there.
fn look(role: Role) -> Option<Style> {
    let color = |n| Some(Ansi256Color(n).into());
    let plain = Style::new();
    Some(match role {
        Role::Path => plain.bold(),
        Role::Quiet | Role::Edge => plain.dimmed(),
        Role::Match => plain.bold().underline().fg_color(color(80)),
        Role::Guide => plain.fg_color(color(75)),
        Role::Problem => plain.bold().fg_color(color(203)),
        Role::Was => plain.underline().fg_color(color(214)),
        Role::Now => plain.bold().underline().fg_color(color(75)),
        Role::PlainEdge => return None,
    })
}
