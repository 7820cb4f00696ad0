//! The names of options, with their help.

/// The options that may be typed.
#[derive(Debug, Default)]
pub struct OptionNames(Vec<OptionName>);

/// An option.
#[derive(Debug)]
pub struct OptionName {
    /// `--lines`
    pub long: String,
    /// `-i`
    pub short: Option<String>,
    /// The names of its values: `SPEC`.
    pub values: String,
    pub help: String,
}

impl OptionNames {
    /// The options of `draft`, but for those that say all that is to be done.
    pub fn of(definitions: &clap::Command) -> Self {
        let verb = definitions.find_subcommand("draft");
        let args = verb.into_iter().flat_map(clap::Command::get_arguments);
        let mut all: Vec<OptionName> = args
            .filter(|arg| !arg.is_hide_set())
            .filter_map(|arg| {
                let long = arg
                    .get_long()
                    .filter(|long| *long != "rewrite" && *long != "help")?;
                let values = match arg.get_action().takes_values() {
                    true => arg.get_value_names().unwrap_or_default().join(" "),
                    false => String::new(),
                };
                Some(OptionName {
                    long: format!("--{long}"),
                    short: arg.get_short().map(|short| format!("-{short}")),
                    values,
                    help: arg.get_help().map(ToString::to_string).unwrap_or_default(),
                })
            })
            .collect();
        all.sort_by(|a, b| a.long.cmp(&b.long));
        Self(all)
    }

    /// The options whose name begins as the last word of some text does, where that is one.
    pub fn candidates(&self, before: &str) -> Vec<&OptionName> {
        let word = before
            .rsplit(char::is_whitespace)
            .next()
            .unwrap_or_default();
        if !word.starts_with('-') {
            return Vec::new();
        }
        let fits = |option: &&OptionName| {
            option.long.starts_with(word) || option.short.as_deref() == Some(word)
        };
        self.0.iter().filter(fits).collect()
    }

    /// The rest of the name at the end of some text, as far as it is sure; `None` where nothing
    /// can be added.
    pub fn complete(&self, before: &str) -> Option<String> {
        let word = before
            .rsplit(char::is_whitespace)
            .next()
            .unwrap_or_default();
        let candidates = self.candidates(before);
        let names = candidates.iter().map(|option| option.long.as_str());
        let names = names.filter(|name| name.starts_with(word));
        let common = names.reduce(|common, name| {
            let same = common.chars().zip(name.chars()).take_while(|(a, b)| a == b);
            &common[..same.map(|(c, _)| c.len_utf8()).sum()]
        })?;
        let rest = &common[word.len()..];
        let rest = match &candidates[..] {
            [_] => format!("{rest} "),
            _ => rest.to_owned(),
        };
        (!rest.is_empty()).then_some(rest)
    }

    /// The option that a word names.
    pub fn named(&self, word: &str) -> Option<&OptionName> {
        let name = word.split('=').next().unwrap_or_default();
        let is_it =
            |option: &&OptionName| option.long == name || option.short.as_deref() == Some(name);
        self.0.iter().find(is_it)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_completed() {
        let names = OptionNames::of(&crate::args::definitions());
        let cases = [
            ("--whole", Some("-word ")),
            ("-i --wher", Some("e")),
            ("-i --where-i", Some("n ")),
            ("--un", None),
            ("--lines", Some(" ")),
            ("--lines 3", None),
            ("", None),
            ("--rewr", None),
        ];
        for (before, rest) in cases {
            assert_eq!(names.complete(before).as_deref(), rest, "{before}");
        }
        assert!(
            names
                .named("-i")
                .is_some_and(|option| option.help.contains("case"))
        );
        assert_eq!(names.candidates("--un").len(), 4);
    }
}
