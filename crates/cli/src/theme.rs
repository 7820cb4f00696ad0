//! The colours of all that is printed or drawn, for dark and for light backgrounds.

use crate::host::variable;
use clap::ValueEnum;

/// The colours that are wanted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Theme {
    /// The colours for the background of the terminal; where it is not known, those that can be read on both.
    #[default]
    Auto,
    /// The colours for a light background.
    Light,
    /// The colours for a dark background.
    Dark,
}

/// The background of a terminal.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Background {
    Dark,
    Light,
    /// Either of them.
    Unknown,
}

/// A meaning that has a colour.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tone {
    /// A match.
    Match,
    /// A line that leads the eye.
    Guide,
    /// Text that goes.
    Was,
    /// Text that comes.
    Now,
    Hint,
    Problem,
    /// An example that holds.
    Good,
    Accepted,
    Refused,
    Modified,
}

impl Tone {
    /// The number of its colour among the 256 of a terminal. Old and new text are orange and blue, which readers of
    /// any kind of colour vision can distinguish; decisions have hues of their own, and a sign each.
    pub fn color(self, background: Background) -> u8 {
        let (dark, light, either) = match self {
            Self::Match => (80, 23, 30),
            Self::Guide | Self::Now => (75, 25, 63),
            Self::Was | Self::Hint => (214, 94, 130),
            Self::Accepted | Self::Good => (114, 22, 28),
            Self::Refused => (211, 125, 162),
            Self::Problem => (203, 124, 196),
            Self::Modified => (177, 91, 129),
        };
        match background {
            Background::Dark => dark,
            Background::Light => light,
            Background::Unknown => either,
        }
    }

    /// The same as a page names it: `#d787ff`.
    pub fn hex(self, background: Background) -> String {
        let [red, green, blue] = of_cube(self.color(background));
        format!("#{red:02x}{green:02x}{blue:02x}")
    }
}

impl Theme {
    /// The background that is drawn on, without asking the terminal.
    pub fn background(self) -> Background {
        match self {
            Self::Auto => Background::of_environment().unwrap_or(Background::Unknown),
            Self::Light => Background::Light,
            Self::Dark => Background::Dark,
        }
    }
}

impl Background {
    /// As the environment says it.
    pub fn of_environment() -> Option<Self> {
        Self::of_colors(variable("COLORFGBG")?.to_str()?)
    }

    /// As the value of COLORFGBG says it: the number of a colour stands last, `15;0`.
    fn of_colors(value: &str) -> Option<Self> {
        match value.rsplit(';').next()?.parse().ok()? {
            7 | 9..=15 => Some(Self::Light),
            0u8..=u8::MAX => Some(Self::Dark),
        }
    }

    /// As a terminal answers to a question for its background: `rgb:ffff/ffff/ffff`.
    pub fn of_answer(answer: &str) -> Option<Self> {
        let channels = answer.split_once("rgb:")?.1;
        let channel = |text: &str| {
            let digits: String = text.chars().take_while(char::is_ascii_hexdigit).collect();
            // Some write two digits, most four.
            let most = 16f64.powi(i32::try_from(digits.len()).ok()?) - 1.0;
            Some(f64::from(u32::from_str_radix(&digits, 16).ok()?) / most)
        };
        let rgb: Vec<f64> = channels.splitn(3, '/').filter_map(channel).collect();
        let [red, green, blue] = rgb[..] else {
            return None;
        };
        match luminance([red, green, blue]) > 0.18 {
            true => Some(Self::Light),
            false => Some(Self::Dark),
        }
    }
}

/// The colour of this number in the cube of 6 by 6 by 6 that follows the first 16, each part from 0
/// to 255.
fn of_cube(number: u8) -> [u8; 3] {
    let number = number - 16;
    let part = |n: u8| if n == 0 { 0 } else { 55 + 40 * n };
    [number / 36, number / 6 % 6, number % 6].map(part)
}

/// The relative luminance of a colour, as the Web Content Accessibility Guidelines define it.
fn luminance(rgb: [f64; 3]) -> f64 {
    let [red, green, blue] = rgb.map(|part| match part <= 0.04045 {
        true => part / 12.92,
        false => ((part + 0.055) / 1.055).powf(2.4),
    });
    0.2126 * red + 0.7152 * green + 0.0722 * blue
}

#[cfg(test)]
mod tests {
    use super::*;

    const ALL: [Tone; 10] = [
        Tone::Match,
        Tone::Guide,
        Tone::Was,
        Tone::Now,
        Tone::Hint,
        Tone::Problem,
        Tone::Good,
        Tone::Accepted,
        Tone::Refused,
        Tone::Modified,
    ];

    /// Every colour can be read on the backgrounds it is for: its contrast is at least 4.5, and where black or white is
    /// all that is known, 3.9 on each.
    #[test]
    fn colours_can_be_read() {
        let grey = |n: f64| [n / 255.0; 3];
        let (dark, light) = (
            [grey(0.0), grey(40.0), [0.06, 0.08, 0.11]],
            [grey(255.0), grey(240.0), [0.99, 0.96, 0.89]],
        );
        for (background, grounds, least) in [
            (Background::Dark, dark, 4.5),
            (Background::Light, light, 4.5),
            (
                Background::Unknown,
                [grey(0.0), grey(255.0), grey(255.0)],
                3.9,
            ),
        ] {
            for tone in ALL {
                for ground in grounds {
                    let (a, b) = (
                        luminance(
                            of_cube(tone.color(background)).map(|part| f64::from(part) / 255.0),
                        ),
                        luminance(ground),
                    );
                    let contrast = (a.max(b) + 0.05) / (a.min(b) + 0.05);
                    assert!(
                        contrast >= least,
                        "{tone:?} {background:?} {ground:?}: {contrast:.2}"
                    );
                }
            }
        }
    }

    #[test]
    fn backgrounds_are_read() {
        let (dark, light) = (Some(Background::Dark), Some(Background::Light));
        for (value, wanted) in [
            ("15;0", dark),
            ("0;15", light),
            ("0;default;7", light),
            ("12;8", dark),
            ("", None),
            ("red", None),
        ] {
            assert_eq!(Background::of_colors(value), wanted, "{value}");
        }
        for (answer, wanted) in [
            ("\u{1b}]11;rgb:ffff/ffff/ffff\u{1b}\\", light),
            ("\u{1b}]11;rgb:1010/1515/1c1c\u{7}", dark),
            ("rgb:fd/f6/e3", light),
            ("rgb:00/00", None),
            ("\u{1b}[?62c", None),
        ] {
            assert_eq!(Background::of_answer(answer), wanted, "{answer:?}");
        }
    }
}
