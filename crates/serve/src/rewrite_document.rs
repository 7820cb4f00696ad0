//! Rewrite files in the editor: their faults, each at its place.

use crate::string_places::places;
use brisk_quill_core::fault::Fault;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::{self, RewriteFileError, RewriteText};
use brisk_quill_core::span::Span;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::step_spec::values::StepFault;
use brisk_quill_engine::rewrite_loading::{LoadError, build_rewrite};
use brisk_quill_engine::tables::FileTables;
use clap::Args;
use std::path::Path;
use std::sync::LazyLock;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// Keys of the whole file, of an example, and those of a step that are not options.
const OF_FILE: [&str; 3] = ["title", "step", "example"];
const OF_EXAMPLE: [&str; 4] = ["before", "after", "untouched", "format"];
const OF_STEP: [(&str, &str); 9] = [
    ("match", "The pattern."),
    ("example", "A worked example of this step."),
    ("format", "The form of files with columns."),
    ("delimiter", "The character between two cells."),
    ("quote", "The character around a cell."),
    ("no-header", "The first row holds values, and no names."),
    (
        "ragged",
        "Rows may be shorter or longer than the first one.",
    ),
    ("expect", "The number of changes that there must be."),
    (
        "ensure",
        "A pattern that each changed unit must match afterwards.",
    ),
];

/// Something that is wrong at a place of a rewrite file.
#[derive(Debug, PartialEq, Eq)]
pub struct FileFault {
    pub span: Span,
    pub message: String,
    /// True if it is an example that does not hold, and nothing that cannot be read.
    pub is_example: bool,
    /// The text that would correct it, in the place of the span.
    pub correction: Option<String>,
}

/// The contents of a rewrite file.
pub struct Analysis {
    pub faults: Vec<FileFault>,
    /// The rewrite, unless something is wrong with it.
    pub rewrite: Option<(RewriteText, Rewrite)>,
    /// The examples that hold, and how many there are.
    pub examples: (usize, usize),
}

/// True if the text at `path` is a rewrite file, or is about to be one.
pub fn is_rewrite_file(path: &Path, text: &str) -> bool {
    let is_toml = path
        .extension()
        .is_some_and(|extension| extension == "toml");
    is_toml && text.lines().any(|line| line.trim() == "[[step]]")
}

/// The keys of a step, each with what it does.
pub fn step_keys() -> &'static [(String, String)] {
    // They are asked for at every key that is typed.
    static KEYS: LazyLock<Vec<(String, String)>> = LazyLock::new(described_keys);
    &KEYS
}

fn described_keys() -> Vec<(String, String)> {
    let command = StepSpec::augment_args(clap::Command::new("step"));
    let does = |key: &str| {
        let own = OF_STEP.iter().find(|(name, _)| *name == key);
        let option = || {
            let mut options = command.get_arguments();
            options
                .find(|option| option.get_long() == Some(key))?
                .get_help()
        };
        match own {
            Some((_, help)) => (*help).to_owned(),
            None => option().map(ToString::to_string).unwrap_or_default(),
        }
    };
    let keys = rewrite_file::step_keys().into_iter();
    keys.map(|key| (key.clone(), does(&key))).collect()
}

fn span_of<T>(spanned: &Spanned<T>) -> Span {
    let range = spanned.span();
    Span::new(range.start, range.end)
}

/// A rewrite file as it is written.
pub struct WrittenFile<'t> {
    text: &'t str,
    root: DeTable<'t>,
    errors: Vec<toml::de::Error>,
}

impl<'t> WrittenFile<'t> {
    pub fn new(text: &'t str) -> Self {
        let (root, errors) = DeTable::parse_recoverable(text);
        Self {
            text,
            root: root.into_inner(),
            errors,
        }
    }

    /// The tables of the steps.
    fn steps(&self) -> impl Iterator<Item = &DeTable<'t>> {
        tables_in(&self.root, "step")
    }

    /// Everything that is wrong with the file at `path`.
    pub fn analysis(&self, path: &Path) -> Analysis {
        let mut faults = self.syntax_faults();
        let (mut rewrite, mut examples) = (None, (0, 0));
        if faults.is_empty() {
            // What else is wrong is said too, as if the keys that are none were not there.
            let text = self.without_unknown_keys(&mut faults);
            match build_rewrite(text.clone(), path, |_| ()) {
                Ok(built) => {
                    let is_whole = faults.is_empty();
                    examples = self.work_examples((&built.0, &built.1), &mut faults);
                    rewrite = Some(built).filter(|_| is_whole);
                }
                Err(error) => self.faults_of(&error, (path, &text), &mut faults),
            }
        }
        faults.sort_by_key(|fault| fault.span.from);
        Analysis {
            faults,
            rewrite,
            examples,
        }
    }

    fn syntax_faults(&self) -> Vec<FileFault> {
        let faults = self.errors.iter().map(|error| {
            let error = RewriteFileError::from(error.clone());
            self.fault(error.span, &error.message, error.remedy)
        });
        faults.collect()
    }

    /// A fault at a place; without one, at the first line.
    fn fault(&self, span: Option<Span>, message: &str, remedy: Option<String>) -> FileFault {
        let first_line = self.text.find('\n').unwrap_or(self.text.len());
        let mut span = span.unwrap_or(Span::new(0, first_line));
        // An editor shows nothing of a place without a character.
        if span.from == span.to {
            let next = self.text[span.from..].chars().next();
            span.to += next.filter(|c| *c != '\n').map_or(0, char::len_utf8);
        }
        FileFault {
            span,
            message: match remedy {
                Some(remedy) => format!("{message}: {remedy}"),
                None => message.to_owned(),
            },
            is_example: false,
            correction: None,
        }
    }

    /// The text with blanks for every key that is none, and its value; all of them are faults.
    fn without_unknown_keys(&self, faults: &mut Vec<FileFault>) -> String {
        let of_step = step_keys();
        let names: Vec<&str> = of_step.iter().map(|(name, _)| &**name).collect();
        let mut unknown = Vec::new();
        let mut check = |table: &DeTable<'_>, known: &[&str]| {
            for (key, value) in table
                .iter()
                .filter(|(key, _)| !known.contains(&&**key.get_ref()))
            {
                // The reader of the file has the words for it, and the key that was meant.
                let line = format!("[[step]]\n{} = 1\n", toml::Value::from(&**key.get_ref()));
                let told = RewriteText::parse(&line).err();
                let remedy = told
                    .and_then(|error| error.remedy)
                    .filter(|_| known == names);
                let message = format!("there is no key `{}`", key.get_ref());
                faults.push(self.fault(Some(span_of(key)), &message, remedy));
                unknown.push(Span::new(span_of(key).from, span_of(value).to));
            }
        };
        check(&self.root, &OF_FILE);
        for step in self.steps() {
            check(step, &names);
            tables_in(step, "example").for_each(|example| check(example, &OF_EXAMPLE));
        }
        tables_in(&self.root, "example").for_each(|example| check(example, &OF_EXAMPLE));
        let mut bytes = self.text.as_bytes().to_vec();
        for byte in unknown.into_iter().flat_map(Span::range) {
            if bytes[byte] != b'\n' {
                bytes[byte] = b' ';
            }
        }
        // Keys and values begin and end between characters.
        String::from_utf8(bytes).unwrap_or_else(|_| self.text.to_owned())
    }

    fn faults_of(
        &self,
        error: &LoadError,
        (path, text): (&Path, &str),
        faults: &mut Vec<FileFault>,
    ) {
        match error {
            LoadError::Parse { source, .. } => {
                faults.push(self.fault(source.span, &source.message, source.remedy.clone()));
            }
            LoadError::Step(_) => self.step_faults((path, text), faults),
            LoadError::Read(_) | LoadError::Pattern(_) => {
                let keys = self.steps().find_map(|step| key_of(step, "pattern-file"));
                faults.push(self.fault(keys, &error.to_string(), None));
            }
        }
    }

    /// The faults of every step, not only of the first that has one.
    fn step_faults(&self, (path, text): (&Path, &str), faults: &mut Vec<FileFault>) {
        let Ok(text) = RewriteText::parse(text) else {
            return;
        };
        let base = path.parent().unwrap_or(Path::new(""));
        let mut tables = FileTables::new(base);
        for (spec, table) in text.step.iter().zip(self.steps()) {
            // The pattern of a file is not read here.
            let Err(fault) = spec.build(&mut tables) else {
                continue;
            };
            let first = table.keys().map(span_of).min();
            // What is missing may be what an unknown key was meant to say.
            let is_unknown = |key| faults.iter().any(|fault| fault.span == span_of(key));
            if matches!(fault, StepFault::Senseless { .. }) && table.keys().any(is_unknown) {
                continue;
            }
            faults.push(match &fault {
                StepFault::Value { key, text, error } => {
                    let place = self.place_in(table, key, text, error.span());
                    self.fault(place.or(first), &error.to_string(), error.remedy())
                }
                StepFault::Senseless { message, remedy } => {
                    self.fault(first, message, Some((*remedy).to_owned()))
                }
                other => self.fault(first, &other.to_string(), None),
            });
        }
    }

    /// The place of a part of the value `text` of a key, or of all of it.
    fn place_in(
        &self,
        table: &DeTable<'_>,
        key: &str,
        text: &str,
        part: Option<Span>,
    ) -> Option<Span> {
        let value = table.get(key)?;
        let string = strings_in(value)
            .into_iter()
            .find(|(_, value)| value == text);
        let Some((span, _)) = string else {
            return Some(span_of(value));
        };
        let Some(part) = part else {
            return Some(span);
        };
        let places = places(&self.text[span.range()]);
        let at = |offset: usize| span.from + places[offset.min(places.len() - 1)];
        Some(Span::new(at(part.from), at(part.to)))
    }

    /// Works the examples: those that do not hold are faults. Gives how many hold, and how many there are.
    fn work_examples(
        &self,
        (text, rewrite): (&RewriteText, &Rewrite),
        faults: &mut Vec<FileFault>,
    ) -> (usize, usize) {
        let table_of = |step: Option<usize>, number: usize| match step {
            Some(step) => tables_in(self.steps().nth(step - 1)?, "example").nth(number - 1),
            None => tables_in(&self.root, "example").nth(number - 1),
        };
        let outcomes = match text.work_examples(rewrite) {
            Ok(outcomes) => outcomes,
            Err(troubles) => {
                for (step, number) in troubles {
                    let place = table_of(step, number).and_then(|t| t.keys().map(span_of).min());
                    let remedy = "give `before` and `after`, or `untouched` alone".to_owned();
                    faults.push(self.fault(place, "this is not an example", Some(remedy)));
                }
                return (0, 0);
            }
        };
        for outcome in outcomes.iter().filter(|outcome| !outcome.holds()) {
            let table = table_of(outcome.step, outcome.number);
            let value = table.and_then(|t| t.get("after").or_else(|| t.get("untouched")));
            let got = String::from_utf8_lossy(&outcome.got).into_owned();
            let message = match outcome.problems.first() {
                Some(problem) => format!("this example cannot be computed: {}", problem.kind),
                None => format!("this example does not hold: it gives `{got}`"),
            };
            let correction = outcome
                .problems
                .is_empty()
                .then(|| toml::Value::from(got).to_string());
            faults.push(FileFault {
                is_example: true,
                correction,
                ..self.fault(value.map(span_of), &message, None)
            });
        }
        let held = outcomes.iter().filter(|outcome| outcome.holds()).count();
        (held, outcomes.len())
    }

    /// The step, from 0, and key whose name or value lies at an offset; with the value and the offset in it where that
    /// is a string.
    pub fn at(&self, offset: usize) -> Option<Found> {
        let holds = |span: Span| span.from <= offset && offset <= span.to;
        for (number, step) in self.steps().enumerate() {
            for (key, value) in step.iter() {
                let found = |part: Option<(String, usize)>, span: Span| Found {
                    step: number,
                    key: key.get_ref().to_string(),
                    part,
                    span,
                };
                if holds(span_of(key)) {
                    return Some(found(None, span_of(key)));
                }
                let at = strings_in(value).into_iter().find(|(span, _)| holds(*span));
                if let Some((span, text)) = at {
                    let places = places(&self.text[span.range()]);
                    let inner = places.partition_point(|place| span.from + place <= offset);
                    return Some(found(Some((text, inner.saturating_sub(1))), span));
                }
            }
        }
        None
    }

    /// The place of the head of the first step.
    pub fn first_step(&self) -> usize {
        self.text.find("[[step]]").unwrap_or_default()
    }
}

/// A key at a place in the file.
pub struct Found {
    /// The step, from 0.
    pub step: usize,
    pub key: String,
    /// A string among its values, and the offset in that, in bytes.
    pub part: Option<(String, usize)>,
    pub span: Span,
}

/// The tables of an array of tables.
fn tables_in<'a, 't>(table: &'a DeTable<'t>, key: &str) -> impl Iterator<Item = &'a DeTable<'t>> {
    let all = table.get(key).and_then(|value| value.get_ref().as_array());
    let all = all.into_iter().flat_map(|all| all.iter());
    all.filter_map(|value| value.get_ref().as_table())
}

fn key_of(table: &DeTable<'_>, key: &str) -> Option<Span> {
    table.get_key_value(key).map(|(key, _)| span_of(key))
}

/// The strings that a value is, or holds, each with its place.
fn strings_in(value: &Spanned<DeValue<'_>>) -> Vec<(Span, String)> {
    match value.get_ref() {
        DeValue::String(text) => vec![(span_of(value), text.to_string())],
        DeValue::Array(all) => all.iter().flat_map(strings_in).collect(),
        _ => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::WrittenFile;
    use std::path::Path;

    /// The place and the message of each fault.
    fn faults(text: &str) -> Vec<(String, String)> {
        let analysis = WrittenFile::new(text).analysis(Path::new("/port/berths.toml"));
        let fault = |fault: super::FileFault| (text[fault.span.range()].to_owned(), fault.message);
        analysis.faults.into_iter().map(fault).collect()
    }

    #[test]
    fn faults_at_their_characters() {
        let cases: &[(&str, &[(&str, &str)])] = &[
            ("[[step]]\nmatch = 'berth'\nremove = true\n", &[]),
            // A pattern, in every form of a string.
            (
                "[[step]]\nmatch = 'berth (\\d'\nremove = true\n",
                &[("(", "")],
            ),
            (
                "[[step]]\nmatch = \"\\u00e5\\\\d(\"\nremove = true\n",
                &[("(", "")],
            ),
            (
                "[[step]]\nmatch = '''\nå(\\d'''\nremove = true\n",
                &[("(", "")],
            ),
            (
                "[[step]]\nmatch = 'a'\nwhere = ['b', 'c[']\nremove = true\n",
                &[("[", "")],
            ),
            (
                "[[step]]\nmatch = '(a)'\nwith = '$1-$2'\n",
                &[("$2", "group")],
            ),
            (
                "[[step]]\nmatch = 'a'\nwith = '${0 | uper}'\n",
                &[("uper", "upper")],
            ),
            // Two keys that are none, and the ones that were meant.
            (
                "[[step]]\nmach = 'a'\nwith = 'b'\nignorecase = true\n",
                &[("mach", "`match`"), ("ignorecase", "`ignore-case`")],
            ),
            // One that is none hides no other fault.
            (
                "[[step]]\nmatch = 'a('\nignorecase = true\nwith = 'b'\n",
                &[("(", ""), ("ignorecase", "`ignore-case`")],
            ),
            // A fault in each of two steps.
            (
                "[[step]]\nmatch = 'a('\nremove = true\n[[step]]\nmatch = 'b)'\nremove = true\n",
                &[("(", ""), (")", "")],
            ),
            ("[[step]]\nmatch = 'a'\n", &[("match", "")]),
            ("[[step]]\nmatch = 'a\nwith = 'b\n", &[("", ""), ("", "")]),
            (
                "[[step]]\nmatch = 'a'\nwith = 'b'\n[[step.example]]\nbefore = 'a'\nafter = 'c'\n",
                &[("'c'", "it gives `b`")],
            ),
            (
                "[[step]]\nmatch = 'a'\nwith = 'b'\n[[example]]\nbefore = 'a'\n",
                &[("before", "not an example")],
            ),
        ];
        for (text, wanted) in cases {
            let found = faults(text);
            assert_eq!(found.len(), wanted.len(), "{text}: {found:?}");
            for ((place, message), (wanted_place, words)) in found.iter().zip(*wanted) {
                let is_there = wanted_place.is_empty() || place == wanted_place;
                assert!(is_there && message.contains(words), "{text}: {found:?}");
            }
        }
    }

    /// Each key is known with what it does.
    #[test]
    fn keys_have_words() {
        let keys = super::step_keys();
        assert!(keys.len() > 40, "{keys:?}");
        let silent: Vec<_> = keys.iter().filter(|(_, does)| does.is_empty()).collect();
        assert!(silent.is_empty(), "{silent:?}");
    }

    #[test]
    fn keys_and_values_at_places() {
        let text = "[[step]]\nmatch = \"\\u00e5(\\\\d)\"\nwith = '$1'\n";
        let file = WrittenFile::new(text);
        let at = |part: &str| file.at(text.find(part).unwrap()).unwrap();
        assert_eq!((at("match").key, at("match").part), ("match".into(), None));
        assert_eq!(at("(").part, Some(("å(\\d)".into(), 2)));
        assert_eq!(at("$1").part, Some(("$1".into(), 0)));
        assert!(file.at(0).is_none());
    }
}
