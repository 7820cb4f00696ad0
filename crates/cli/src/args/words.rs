//! The words of the command line that say what a step, and the options of a command, say.

use crate::args::definitions::{FilesArgs, GuardArgs, TableArgs};
use brisk_quill_core::escape::is_hidden;
use brisk_quill_core::step_spec::StepSpec;
use std::path::Path;

/// Collects options with their values.
#[derive(Default)]
struct Words(Vec<String>);

impl Words {
    fn flag(&mut self, name: &str, is_on: bool) {
        if is_on {
            self.0.push(name.to_owned());
        }
    }

    fn value(&mut self, name: &str, value: Option<&str>) {
        if let Some(value) = value {
            // A value may look like an option.
            match value.starts_with('-') {
                true => self.0.push(format!("{name}={value}")),
                false => self.0.extend([name.to_owned(), value.to_owned()]),
            }
        }
    }

    fn values(&mut self, name: &str, values: &[String]) {
        for value in values {
            self.value(name, Some(value));
        }
    }

    /// An option that takes two values, as often as there are pairs.
    fn pairs(&mut self, name: &str, flat: &[String]) {
        for pair in flat.chunks(2) {
            self.0.push(name.to_owned());
            self.0.extend(pair.iter().cloned());
        }
    }

    fn path(&mut self, name: &str, path: Option<&Path>) {
        self.value(name, path.map(Path::to_string_lossy).as_deref());
    }
}

/// The options that say what a step says, but for its pattern and its template `with`. What it
/// expects and ensures, and its examples, no option of a step says.
pub fn of_step(step: &StepSpec) -> Vec<String> {
    // Every field stands here, so that a new one must be given its words.
    let StepSpec {
        pattern: _,
        ignore_case,
        whole_word,
        literal,
        entire,
        pattern_file,
        unit,
        columns,
        where_in,
        unless_in,
        where_listed,
        unless_listed,
        table,
        trimmed,
        lines,
        contains,
        unless,
        between,
        outside,
        inner,
        open_end,
        near,
        pick,
        per,
        limit,
        with: _,
        remove,
        drop_lines,
        keep_lines,
        above,
        below,
        lead,
        trail,
        swap_chars,
        remove_chars,
        pairs,
        set,
        add_column,
        into,
        into_empty,
        label,
        format,
        delimiter,
        quote,
        no_header,
        ragged,
        expect: _,
        ensure: _,
        example: _,
    } = step;
    let mut words = Words::default();
    words.flag("-i", *ignore_case);
    words.flag("--whole-word", *whole_word);
    words.flag("--literal", *literal);
    words.flag("--entire", *entire);
    words.path("--pattern-file", pattern_file.as_deref());
    words.value("--unit", unit.as_deref());
    words.value("--columns", columns.as_deref());
    words.pairs("--where-in", where_in);
    words.pairs("--unless-in", unless_in);
    words.pairs("--where-listed", where_listed);
    words.pairs("--unless-listed", unless_listed);
    words.value("--table", table.as_deref());
    words.flag("--trimmed", *trimmed);
    words.value("--lines", lines.as_deref());
    words.values("--where", contains);
    words.values("--unless", unless);
    words.pairs("--between", between);
    words.pairs("--outside", outside);
    words.flag("--inner", *inner);
    words.flag("--open-end", *open_end);
    words.pairs("--near", near);
    words.value("--pick", pick.as_deref());
    words.value("--per", per.as_deref());
    words.value("--limit", limit.map(|limit| limit.to_string()).as_deref());
    words.flag("--remove", *remove);
    words.flag("--drop-lines", *drop_lines);
    words.flag("--keep-lines", *keep_lines);
    words.value("--above", above.as_deref());
    words.value("--below", below.as_deref());
    words.value("--lead", lead.as_deref());
    words.value("--trail", trail.as_deref());
    words.pairs("--swap-chars", swap_chars);
    words.value("--remove-chars", remove_chars.as_deref());
    words.value("--pairs", pairs.as_deref());
    words.pairs("--set", set);
    words.pairs("--add-column", add_column);
    words.value("--into", into.as_deref());
    words.flag("--into-empty", *into_empty);
    words.value("--label", label.as_deref());
    words.0.extend(of_table(&TableArgs {
        format: format.clone(),
        delimiter: delimiter.clone(),
        quote: quote.clone(),
        no_header: *no_header,
        ragged: *ragged,
    }));
    words.0
}

fn of_table(table: &TableArgs) -> Vec<String> {
    let TableArgs {
        format,
        delimiter,
        quote,
        no_header,
        ragged,
    } = table;
    let mut words = Words::default();
    words.value("--format", format.as_deref());
    words.value("--delimiter", delimiter.as_deref());
    words.value("--quote", quote.as_deref());
    words.flag("--no-header", *no_header);
    words.flag("--ragged", *ragged);
    words.0
}

/// The options that say which files are meant, and how they are read, but for how tables are.
pub fn of_files(files: &FilesArgs) -> Vec<String> {
    let FilesArgs {
        include,
        exclude,
        hidden,
        ignored,
        changed,
        binary,
        paths_from,
        null,
        stdin_name,
        encoding,
        no_hints,
        exit_zero,
        threads,
        table: _,
    } = files;
    let mut words = Words::default();
    words.values("--include", include);
    words.values("--exclude", exclude);
    words.flag("--hidden", *hidden);
    words.flag("--ignored", *ignored);
    words.flag("--changed", *changed);
    words.flag("--binary", *binary);
    words.path("--paths-from", paths_from.as_deref());
    words.flag("--null", *null);
    words.path("--stdin-name", stdin_name.as_deref());
    words.value("--encoding", encoding.as_deref());
    words.flag("--no-hints", *no_hints);
    words.flag("--exit-zero", *exit_zero);
    words.value("--threads", threads.map(|n| n.to_string()).as_deref());
    words.0
}

/// The options that guard a rewrite.
pub fn of_guard(guard: &GuardArgs) -> Vec<String> {
    let GuardArgs {
        expect,
        ensure,
        skip_problems,
    } = guard;
    let mut words = Words::default();
    words.values("--expect", expect);
    words.values("--ensure", ensure);
    words.flag("--skip-problems", *skip_problems);
    words.0
}

/// Words as they are typed in a shell: between single quotes where one is needed, for patterns read
/// best so.
pub fn quoted<'w>(words: impl IntoIterator<Item = &'w str>) -> String {
    let is_plain = |c: char| c.is_ascii_alphanumeric() || "-_./,:=@%+".contains(c);
    let each = words.into_iter().map(
        |word| match !word.is_empty() && word.chars().all(is_plain) {
            true => word.to_owned(),
            false => format!("'{}'", word.replace('\'', r"'\''")),
        },
    );
    each.collect::<Vec<_>>().join(" ")
}

/// The same for a line that is printed: controls, and signs that show as nothing, are written so that a
/// shell reads them back (`$'…'`, POSIX.1-2024, shell command language, section 2.2.4).
pub fn for_shell<'w>(words: impl IntoIterator<Item = &'w str>) -> String {
    let is_unsafe = |c: char| c.is_control() || is_hidden(c);
    let each = words
        .into_iter()
        .map(|word| match word.chars().any(is_unsafe) {
            false => quoted([word]),
            true => {
                let mut out = String::from("$'");
                for c in word.chars() {
                    match c {
                        '\'' | '\\' => out.extend(['\\', c]),
                        '\n' => out.push_str("\\n"),
                        '\t' => out.push_str("\\t"),
                        c if is_unsafe(c) => {
                            let mut bytes = [0; 4];
                            for byte in c.encode_utf8(&mut bytes).bytes() {
                                out.push_str(&format!("\\{byte:03o}"));
                            }
                        }
                        c => out.push(c),
                    }
                }
                out + "'"
            }
        });
    each.collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::args::parse;
    use std::ffi::OsString;

    /// Words read back as what they were made from.
    #[test]
    fn words_read_back() {
        let lines = [
            "-i --whole-word --literal --entire --lines -3.. --pick first --per file --limit 7",
            "--unit paragraph --where a --where b --unless=-c --between s e --outside o e --inner --open-end --near p 2",
            "--columns berth,3 --where-in name q --unless-in 2 r --set status s --add-column n t",
            "--swap-chars a-z A-Z --format csv --delimiter ; --quote none --no-header --ragged",
            "--where-listed berth a.txt --unless-listed 2 b.csv --trimmed --into code --into-empty",
            "--drop-lines",
            "--keep-lines",
            "--remove",
            "--above a",
            "--below b",
            "--lead c",
            "--trail=--d",
            "--pairs t.csv",
            "--remove-chars=-z",
        ];
        let read = |words: &[String]| {
            let program = ["bquill", "draft"].map(OsString::from);
            let argv: Vec<OsString> = (program.into_iter())
                .chain(words.iter().map(OsString::from))
                .collect();
            let Ok(parsed) = parse(&argv) else {
                panic!("{words:?} are right")
            };
            let crate::args::verbs::Verb::Draft(args) = parsed.verb else {
                panic!("it is a draft")
            };
            (parsed.parts[0].step.clone(), args)
        };
        for line in lines {
            let words: Vec<String> = line.split(' ').map(str::to_owned).collect();
            let (step, args) = read(&words);
            let mut said = of_step(&step);
            said.extend(of_table(&args.files.table));
            let (again, args_again) = read(&said);
            assert_eq!(again, step, "{line}");
            assert_eq!(
                of_table(&args_again.files.table),
                of_table(&args.files.table),
                "{line}"
            );
        }
        let files = "--include *.md --exclude old --hidden --ignored --changed --binary --paths-from list \
                     --null --encoding latin1 --no-hints --threads 2 --expect 4.. --ensure x \
                     --skip-problems";
        let words: Vec<String> = files.split_whitespace().map(str::to_owned).collect();
        let (_, args) = read(&words);
        let said = [of_files(&args.files), of_guard(&args.guard)].concat();
        assert_eq!(said, words);
    }

    #[test]
    fn controls_are_read_back_by_a_shell() {
        let words = [
            "a\u{1b}]0;x\u{7}b",
            "it's\n\u{3164}\\",
            "plain",
            "\u{9b}2J é",
        ];
        let line = for_shell(words);
        assert!(
            !line.chars().any(|c| c.is_control() || is_hidden(c)),
            "{line}"
        );
        // Where there is a shell that knows this form of quotes.
        let script = format!("for word in {line}; do printf '%s\\0' \"$word\"; done");
        if let Ok(read) = std::process::Command::new("bash")
            .args(["-c", &script])
            .output()
        {
            let read = String::from_utf8(read.stdout).unwrap();
            assert_eq!(read.split_terminator('\0').collect::<Vec<_>>(), words);
        }
    }

    #[test]
    fn a_shell_reads_what_is_quoted() {
        let words = ["find", "berth\\s+(\\d+)", "B-$1", "it's", "", "-i", "a b"];
        let line = quoted(words);
        let read = shlex::split(&line).expect("it can be read");
        assert_eq!(read, words);
        assert!(line.starts_with("find 'berth"), "{line}");
    }
}
