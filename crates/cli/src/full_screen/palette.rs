//! The look of the pieces of a full-screen view.

use ratatui::style::{Color, Modifier, Style};
use ratatui::text::Span;

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
}

/// The background of the terminal.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Background {
    Dark,
    Light,
}

impl Background {
    /// As the environment says it; dark where it does not.
    pub fn of_environment() -> Self {
        let said = std::env::var("COLORFGBG").unwrap_or_default();
        Self::said_by(&said)
    }

    /// As the value of COLORFGBG says it: the number of a colour stands last, `15;0`.
    fn said_by(value: &str) -> Self {
        let number = value.rsplit(';').next().and_then(|last| last.parse().ok());
        match number {
            Some(7 | 9..=15) => Self::Light,
            Some(0u8..=u8::MAX) | None => Self::Dark,
        }
    }
}

/// The look of each label.
#[derive(Clone, Copy, Debug)]
pub struct Palette {
    /// `None` without colours.
    background: Option<Background>,
}

impl Palette {
    /// Colours for this background, or none.
    pub fn new(background: Option<Background>) -> Self {
        Self { background }
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
            Role::Strong | Role::Hint | Role::Problem | Role::Good => {
                plain.add_modifier(Modifier::BOLD)
            }
            Role::Was => plain.add_modifier(Modifier::UNDERLINED),
            Role::Now | Role::Match => plain.add_modifier(Modifier::BOLD | Modifier::UNDERLINED),
            Role::Chosen => plain.add_modifier(Modifier::REVERSED),
        };
        match self
            .background
            .and_then(|background| color(role, background))
        {
            Some(color) => style.fg(Color::Indexed(color)),
            None => style,
        }
    }

    pub fn span(self, role: Role, text: impl Into<String>) -> Span<'static> {
        Span::styled(text.into(), self.style(role))
    }
}

/// The colour of a label, among the 256 of a terminal. Old and new text are orange and blue, which
/// readers of every kind of colour sight tell apart.
fn color(role: Role, background: Background) -> Option<u8> {
    let (dark, light) = match role {
        Role::Plain | Role::Quiet | Role::Strong | Role::Chosen => return None,
        Role::Match => (80, 30),
        Role::Was => (214, 130),
        Role::Now => (75, 25),
        Role::Hint => (214, 130),
        Role::Problem => (203, 124),
        Role::Good => (114, 28),
    };
    Some(match background {
        Background::Dark => dark,
        Background::Light => light,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_background_is_read() {
        for (value, wanted) in [
            ("15;0", Background::Dark),
            ("0;15", Background::Light),
            ("0;default;7", Background::Light),
            ("12;8", Background::Dark),
            ("", Background::Dark),
            ("red", Background::Dark),
        ] {
            assert_eq!(Background::said_by(value), wanted, "{value}");
        }
    }
}
