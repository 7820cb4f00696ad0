//! The look of the pieces of a full-screen view.

use crate::full_screen::terminal;
use crate::host::variable;
use crate::output::Output;
use crate::theme::{Background, Theme, Tone};
use brisk_quill_core::plan::decision::Decision;
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::Span;
use std::ffi::OsString;

/// The label of a piece of a view; colour is never the only sign.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    Plain,
    Quiet,
    Strong,
    Match,
    Was,
    Now,
    Chosen,
    Hint,
    Problem,
    Good,
    Open,
    Accepted,
    Refused,
    Modified,
}

/// The look of each label.
#[derive(Clone, Copy, Debug)]
pub struct Palette {
    /// `None` without colours.
    background: Option<Background>,
    /// The terminal shows more than ASCII.
    has_signs: bool,
}

impl Palette {
    /// Colours for this background, or none, on a terminal with all signs.
    pub fn new(background: Option<Background>) -> Self {
        Self {
            background,
            has_signs: true,
        }
    }

    /// The colours of `output`, for the background that the terminal says it has.
    pub fn of(output: &Output) -> Self {
        let background = output.background().map(|known| match output.theme() {
            Theme::Auto if Background::of_environment().is_none() => {
                terminal::background().unwrap_or(known)
            }
            Theme::Auto | Theme::Light | Theme::Dark => known,
        });
        Self {
            has_signs: is_unicode(),
            ..Self::new(background)
        }
    }

    /// The sign for a decision.
    pub fn sign(self, decision: Decision) -> char {
        match self.has_signs {
            true => decision.sign(),
            false => decision.letter(),
        }
    }

    /// True if there are colours.
    pub fn has_colors(self) -> bool {
        self.background.is_some()
    }

    pub fn style(self, role: Role) -> Style {
        let plain = Style::new();
        let style = match role {
            Role::Plain => plain,
            Role::Quiet => plain.add_modifier(Modifier::DIM),
            Role::Strong
            | Role::Hint
            | Role::Problem
            | Role::Good
            | Role::Accepted
            | Role::Refused
            | Role::Modified => plain.add_modifier(Modifier::BOLD),
            Role::Was | Role::Open => plain.add_modifier(Modifier::UNDERLINED),
            Role::Now | Role::Match => plain.add_modifier(Modifier::BOLD | Modifier::UNDERLINED),
            Role::Chosen => plain.add_modifier(Modifier::REVERSED),
        };
        match (self.background, tone(role)) {
            (Some(background), Some(tone)) => style.fg(Color::Indexed(tone.color(background))),
            _ => style,
        }
    }

    pub fn span(self, role: Role, text: impl Into<String>) -> Span<'static> {
        Span::styled(text.into(), self.style(role))
    }
}

/// True unless the locale says that characters are single bytes.
fn is_unicode() -> bool {
    names_unicode(
        ["LC_ALL", "LC_CTYPE", "LANG"]
            .into_iter()
            .filter_map(variable),
    )
}

/// The same by the values of its variables that are set, of which the first that is not empty counts.
fn names_unicode(mut locale: impl Iterator<Item = OsString>) -> bool {
    locale.find(|value| !value.is_empty()).is_none_or(|value| {
        let value = value.to_string_lossy().to_lowercase();
        value.contains("utf-8") || value.contains("utf8")
    })
}

/// The meaning of a label that has a colour.
fn tone(role: Role) -> Option<Tone> {
    Some(match role {
        Role::Plain | Role::Quiet | Role::Strong | Role::Chosen | Role::Open => return None,
        Role::Match => Tone::Match,
        Role::Was => Tone::Was,
        Role::Now => Tone::Now,
        Role::Hint => Tone::Hint,
        Role::Problem => Tone::Problem,
        Role::Good => Tone::Good,
        Role::Accepted => Tone::Accepted,
        Role::Refused => Tone::Refused,
        Role::Modified => Tone::Modified,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn signs_go_by_the_locale() {
        for (values, is_unicode) in [
            (&[][..], true),
            (&[""], true),
            (&["nb_NO.UTF-8"], true),
            (&["", "C.utf8"], true),
            (&["C", "nb_NO.UTF-8"], false),
            (&["POSIX"], false),
        ] {
            let found = names_unicode(values.iter().map(OsString::from));
            assert_eq!(found, is_unicode, "{values:?}");
        }
        let letters = Palette {
            has_signs: false,
            ..Palette::new(None)
        };
        let signs = |palette: Palette| Decision::ALL.map(|decision| palette.sign(decision));
        assert_eq!(
            signs(letters).iter().collect::<String>(),
            Decision::ALL
                .map(Decision::letter)
                .iter()
                .collect::<String>()
        );
        assert!(signs(Palette::new(None)).contains(&'✓') && signs(letters).contains(&'A'));
    }
}
