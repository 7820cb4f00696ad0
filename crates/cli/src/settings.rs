//! Settings for looks: `settings.toml` in the configuration folder. They never change what a command means.

use crate::args::definitions::Context;
use crate::host::config_folder;
use crate::theme::Theme;
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::nearest::alike;
use brisk_quill_engine::hints::kinds;
use brisk_quill_files::fs::open::read_all;
use clap::ValueEnum as _;
use std::fmt::Write as _;
use std::num::NonZeroUsize;
use std::path::PathBuf;
use std::sync::OnceLock;
use toml::Value;

/// The largest file of settings that is read, in bytes.
const MOST: u64 = 64 << 10;

/// A setting.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Name {
    Theme,
    Show,
    Context,
    Threads,
    HintsOff,
}

impl Name {
    const ALL: [Self; 5] = [
        Self::Theme,
        Self::Show,
        Self::Context,
        Self::Threads,
        Self::HintsOff,
    ];

    /// The key in the file; but for the last, it is the name of an option.
    fn key(self) -> &'static str {
        match self {
            Self::Theme => "theme",
            Self::Show => "show",
            Self::Context => "context",
            Self::Threads => "threads",
            Self::HintsOff => "hints-off",
        }
    }

    /// The value without a setting, in words.
    fn default(self) -> &'static str {
        match self {
            Self::Theme => "auto",
            Self::Show => "40",
            Self::Context => "0",
            Self::Threads => "as many as there are processors",
            Self::HintsOff => "none",
        }
    }

    /// The values that there may be, in words, where this one is none of them.
    fn fault(self, text: &str) -> Option<&'static str> {
        let (is_sound, must) = match self {
            Self::Theme => (
                Theme::from_str(text, false).is_ok(),
                "`auto`, `light` or `dark`",
            ),
            Self::Show => (
                text == "all" || text.parse::<usize>().is_ok(),
                "a number, or `all`",
            ),
            Self::Context => (text.parse::<Context>().is_ok(), "a number, or `row`"),
            Self::Threads => (text.parse::<NonZeroUsize>().is_ok(), "a number, at least 1"),
            Self::HintsOff => (
                kinds().any(|kind| kind.name == text),
                "a list of kinds of hints, as docs/hints.md names them",
            ),
        };
        (!is_sound).then_some(must)
    }
}

/// The settings of this user.
#[derive(Default)]
pub struct Settings {
    /// The place of the file, where it is known.
    place: Option<PathBuf>,
    /// True if there is a file, and all of it can be used.
    is_used: bool,
    /// Sound values, in the order of the file.
    values: Vec<(Name, String)>,
    /// Why the file is not used.
    pub fault: Option<String>,
}

/// The settings of this process, read once.
pub fn settings() -> &'static Settings {
    static SETTINGS: OnceLock<Settings> = OnceLock::new();
    SETTINGS
        .get_or_init(|| Settings::read(config_folder().map(|folder| folder.join("settings.toml"))))
}

impl Settings {
    fn read(place: Option<PathBuf>) -> Self {
        let mut settings = Self {
            place,
            ..Self::default()
        };
        let Some(place) = settings.place.clone().filter(|place| place.exists()) else {
            return settings;
        };
        let text = read_all(&place, MOST).map_err(|error| error.to_string());
        let text = text
            .and_then(|bytes| String::from_utf8(bytes).map_err(|_| "it is not UTF-8".to_owned()));
        match text.and_then(|text| parsed(&text)) {
            Ok(values) => {
                settings.is_used = true;
                settings.values = values;
            }
            Err(fault) => {
                let place = visible_path(&place);
                settings.fault = Some(format!("{place} is not used: {fault}"));
            }
        }
        settings
    }

    /// The values of a setting: one, or those of its list.
    fn of(&self, name: Name) -> impl Iterator<Item = &str> {
        let own = self.values.iter().filter(move |(own, _)| *own == name);
        own.map(|(_, value)| &**value)
    }

    /// The options that have another default, with that.
    pub fn defaults(&self) -> impl Iterator<Item = (&'static str, &str)> {
        let of_options = self
            .values
            .iter()
            .filter(|(name, _)| *name != Name::HintsOff);
        of_options.map(|(name, value)| (name.key(), &**value))
    }

    /// Kinds of hints that are not given.
    pub fn hints_off(&self) -> Vec<String> {
        self.of(Name::HintsOff).map(str::to_owned).collect()
    }

    /// The values that hold, each with its origin.
    pub fn page(&self) -> String {
        let mut out = String::from("\nWhat holds now:\n\n");
        for name in Name::ALL {
            let own = self.of(name).collect::<Vec<_>>().join(", ");
            let (value, from) = match own.is_empty() {
                false => (&*own, "settings.toml"),
                true => (name.default(), "default"),
            };
            let _ = writeln!(out, "  {:<10} {value} ({from})", name.key());
        }
        let place = self.place.as_ref().map(|place| visible_path(place));
        let file = match (place, &self.fault) {
            (_, Some(fault)) => fault.clone(),
            (Some(place), None) if self.is_used => format!("Read from {place}."),
            (Some(place), None) => format!("There is no file {place}."),
            (None, None) => {
                "No configuration folder is known: set HOME or XDG_CONFIG_HOME.".to_owned()
            }
        };
        let _ = writeln!(out, "\n{file}");
        out
    }
}

/// The values of a file, or what is wrong with it.
fn parsed(text: &str) -> Result<Vec<(Name, String)>, String> {
    let line_of = |at: usize| 1 + text[..at.min(text.len())].matches('\n').count();
    let table: toml::Table = toml::from_str(text).map_err(|error| {
        let line = error.span().map_or(1, |span| line_of(span.start));
        format!("line {line}: {}", visible(error.message().as_bytes()))
    })?;
    let mut values = Vec::new();
    for (key, value) in table {
        let line = text
            .lines()
            .position(|line| line.trim_start().starts_with(&key));
        let line = line.map_or(1, |line| line + 1);
        let Some(name) = Name::ALL.into_iter().find(|name| name.key() == key) else {
            let meant = alike(&key, Name::ALL.iter().map(|name| name.key()));
            let meant =
                meant.map_or_else(String::new, |meant| format!(": did you mean `{meant}`?"));
            let key = visible(key.as_bytes());
            return Err(format!("line {line}: there is no setting `{key}`{meant}"));
        };
        let texts = match value {
            Value::Array(all) if name == Name::HintsOff => all,
            other => vec![other],
        };
        for value in texts {
            let text = match value {
                Value::String(text) => text,
                other => other.to_string(),
            };
            if let Some(must) = name.fault(&text) {
                return Err(format!("line {line}: `{key}` must be {must}"));
            }
            values.push((name, text));
        }
    }
    Ok(values)
}
