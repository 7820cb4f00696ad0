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
        Role::Hint => plain.bold().fg_color(color(214)),
        Role::Problem => plain.bold().fg_color(color(203)),
        Role::Was => plain.underline().fg_color(color(214)),
        Role::Now => plain.bold().underline().fg_color(color(75)),
        Role::PlainEdge => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    const ALL: [Role; 9] = [
        Role::Path,
        Role::Quiet,
        Role::Match,
        Role::Guide,
        Role::Problem,
        Role::Was,
        Role::Now,
        Role::Edge,
        Role::PlainEdge,
    ];

    #[test]
    fn labels_are_painted_and_texts_are_kept() {
        let mut text = Labelled::from("line 4  ");
        for role in ALL {
            let mut piece = Labelled::default();
            piece.put(role, "quay");
            piece.put(role, "");
            piece.push(' ');
            text.append(&piece);
        }
        let pieces: String = text.pieces().map(|(_, piece)| piece).collect();
        let plain = Paint::new(false).draw(&text);
        // Without colours nothing is left out, and nothing added.
        assert_eq!(plain, format!("line 4  {}", "quay ".repeat(ALL.len())));
        assert_eq!(plain, pieces);
        // With colours each label has its look, but for the edge that colours make needless.
        let painted = Paint::new(true).draw(&text);
        assert_eq!(painted.matches("quay").count(), ALL.len() - 1);
        assert_eq!(painted.matches("\u{1b}[0m").count(), ALL.len() - 1);
        assert!(painted.starts_with("line 4  \u{1b}["));
        assert!(painted.ends_with("\u{1b}[0m  "), "{painted:?}");
    }
}
