//! Labelled text as a terminal shows it, in colours or without.

use crate::render::labelled::{Labelled, Role};
use crate::theme::{Background, Tone};
use anstyle::{Ansi256Color, Style};
use std::fmt::Write as _;

/// The colours, or none.
///
/// Old and new text are orange and blue, which readers with any kind of colour vision can distinguish;
/// underlines, words and edges say the same without colour.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Paint(Option<Background>);

impl Paint {
    /// Colours for this background, or none.
    pub fn new(background: Option<Background>) -> Self {
        Self(background)
    }

    /// The background that there are colours for.
    pub fn background(self) -> Option<Background> {
        self.0
    }

    /// The text as a terminal shows it.
    pub fn draw(self, text: &Labelled) -> String {
        let mut out = String::new();
        for (role, piece) in text.pieces() {
            match role.zip(self.0).map(|(role, on)| look(role, on)) {
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
fn look(role: Role, background: Background) -> Option<Style> {
    let color = |tone: Tone| Some(Ansi256Color(tone.color(background)).into());
    let plain = Style::new();
    Some(match role {
        Role::Path => plain.bold(),
        Role::Quiet | Role::Edge => plain.dimmed(),
        Role::Match => plain.bold().underline().fg_color(color(Tone::Match)),
        Role::Guide => plain.fg_color(color(Tone::Guide)),
        Role::Hint => plain.bold().fg_color(color(Tone::Hint)),
        Role::Problem => plain.bold().fg_color(color(Tone::Problem)),
        Role::Was => plain.underline().fg_color(color(Tone::Was)),
        Role::Now => plain.bold().underline().fg_color(color(Tone::Now)),
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
        let plain = Paint::new(None).draw(&text);
        // Without colours nothing is left out, and nothing added.
        assert_eq!(plain, format!("line 4  {}", "quay ".repeat(ALL.len())));
        assert_eq!(plain, pieces);
        // With colours each label has its look, but for the edge that colours make needless.
        let painted = Paint::new(Some(Background::Dark)).draw(&text);
        assert_eq!(painted.matches("quay").count(), ALL.len() - 1);
        assert_eq!(painted.matches("\u{1b}[0m").count(), ALL.len() - 1);
        assert!(painted.starts_with("line 4  \u{1b}["));
        assert!(painted.ends_with("\u{1b}[0m  "), "{painted:?}");
    }
}
