//! Every option. Its help is written here and nowhere else.

use crate::theme::Theme;
use brisk_quill_core::step::reach::Reach;
use brisk_quill_core::step_spec::StepSpec;
use clap::{Args, Parser, ValueEnum, ValueHint};
use std::ffi::OsString;
use std::num::NonZeroUsize;
use std::path::PathBuf;
use std::str::FromStr;

/// Preview, review and safely apply regex substitutions in files and columns.
#[derive(Debug, Parser)]
#[command(
    name = "bquill",
    version,
    subcommand_required = true,
    arg_required_else_help = true,
    disable_help_subcommand = true,
    after_help = "\
Typical session:

  bquill find    'berth\\s+(\\d+)' -i notices/
  bquill preview 'berth\\s+(\\d+)' -i --with 'B-$1' notices/
  bquill review
  bquill apply

New here? `bquill demo` walks through it on sample files."
)]
pub struct Program {
    /// When to use colours: `auto`, `always` or `never`.
    #[arg(
        long,
        value_enum,
        default_value_t = When::Auto,
        global = true,
        value_name = "WHEN",
        hide_possible_values = true,
        help_heading = "Output"
    )]
    pub color: When,
    /// Colours for a `light` or a `dark` background; `auto` goes by the terminal.
    #[arg(
        long,
        value_enum,
        default_value_t = Theme::Auto,
        global = true,
        value_name = "THEME",
        hide_possible_values = true,
        help_heading = "Output"
    )]
    pub theme: Theme,
}

/// When to do something that depends on the terminal.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum When {
    /// On a terminal, unless NO_COLOR is set.
    #[default]
    Auto,
    /// Always.
    Always,
    /// Never.
    Never,
}

impl When {
    /// The name on the command line.
    pub fn name(self) -> &'static str {
        match self {
            Self::Auto => "auto",
            Self::Always => "always",
            Self::Never => "never",
        }
    }
}

/// A rewrite that is kept in a file.
#[derive(Args, Clone, Debug, Default)]
pub struct RewriteArg {
    /// Do what FILE says, instead of PATTERN and the options above.
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath, help_heading = "Do")]
    pub rewrite: Option<PathBuf>,
}

/// Which files are meant.
#[derive(Args, Clone, Debug, Default)]
pub struct FilesArgs {
    /// Only files whose name, or path, matches GLOB.
    #[arg(long, value_name = "GLOB", help_heading = "Files")]
    pub include: Vec<String>,
    /// No files or folders whose name, or path, matches GLOB.
    #[arg(long, value_name = "GLOB", help_heading = "Files")]
    pub exclude: Vec<String>,
    /// Include hidden files and folders.
    #[arg(long, help_heading = "Files")]
    pub hidden: bool,
    /// Include files that version control ignores.
    #[arg(long, help_heading = "Files")]
    pub ignored: bool,
    /// Only files that differ from the last commit of their repository, or are new in it.
    #[arg(long, help_heading = "Files")]
    pub changed: bool,
    /// Include files that look binary.
    #[arg(long, help_heading = "Files")]
    pub binary: bool,
    /// Read more PATHs from FILE, one a line; `-` is standard input.
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath, help_heading = "Files")]
    pub paths_from: Option<PathBuf>,
    /// The PATHs in that file end in a NUL instead of a line end.
    #[arg(long, requires = "paths_from", help_heading = "Files")]
    pub null: bool,
    /// The name of standard input: its ending gives the form, and `${@file}` and messages name it.
    #[arg(long, value_name = "PATH", value_hint = ValueHint::FilePath, help_heading = "Files")]
    pub stdin_name: Option<PathBuf>,
    /// The encoding of texts without a byte-order mark, such as `latin1` [default: UTF-8].
    #[arg(long, value_name = "LABEL", help_heading = "Files")]
    pub encoding: Option<String>,
    /// Do not print hints.
    #[arg(long, help_heading = "Output")]
    pub no_hints: bool,
    /// End with 0, and not with 1, where nothing matched: for pipelines.
    #[arg(long, help_heading = "Output")]
    pub exit_zero: bool,
    /// Use N threads [default: as many as there are processors].
    #[arg(long, value_name = "N", help_heading = "Files")]
    pub threads: Option<NonZeroUsize>,
    #[command(flatten)]
    pub table: TableArgs,
}

/// Options for reading files with columns.
#[derive(Args, Clone, Debug, Default, PartialEq, Eq)]
pub struct TableArgs {
    /// The form of files with columns [default: by extension: .csv .tsv .tab .jsonl .ndjson .json .xlsx].
    #[arg(
        long,
        value_name = "csv|tsv|spaced|jsonl|json|workbook|sqlite|parquet",
        help_heading = "Columns of files"
    )]
    pub format: Option<String>,
    /// The delimiter between two cells: one character, or `tab`.
    #[arg(
        long,
        value_name = "CHAR",
        allow_hyphen_values = true,
        help_heading = "Columns of files"
    )]
    pub delimiter: Option<String>,
    /// The quote around a cell: one character, or `none` [default: `"`].
    #[arg(
        long,
        value_name = "CHAR|none",
        allow_hyphen_values = true,
        help_heading = "Columns of files"
    )]
    pub quote: Option<String>,
    /// There is no header row: refer to columns by number.
    #[arg(long, help_heading = "Columns of files")]
    pub no_header: bool,
    /// Rows may be shorter or longer than the first one.
    #[arg(long, help_heading = "Columns of files")]
    pub ragged: bool,
}

/// The texts that are looked at.
#[derive(Args, Clone, Debug, Default)]
pub struct AfterArgs {
    /// Read files as a plan, or the last preview, would leave them: with what is accepted.
    #[arg(long, value_name = "PLAN|last", value_hint = ValueHint::FilePath, help_heading = "Files")]
    pub after: Option<PathBuf>,
}

/// The amount that is shown.
#[derive(Args, Clone, Debug, Default)]
pub struct ShowArgs {
    /// Show the first N, or `all` [default: 40].
    #[arg(long, value_name = "N|all", help_heading = "Output")]
    pub show: Option<String>,
    /// Show N lines of context, or the other columns of the row.
    #[arg(
        long,
        value_name = "N|row",
        default_value = "0",
        help_heading = "Output"
    )]
    pub context: Context,
}

/// The text shown around a match or a change.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Context {
    /// This number of lines on either side.
    Lines(usize),
    /// The other columns of its row.
    Row,
}

impl Default for Context {
    fn default() -> Self {
        Self::Lines(0)
    }
}

impl FromStr for Context {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text {
            "row" => Ok(Self::Row),
            _ => text
                .parse()
                .map(Self::Lines)
                .map_err(|_| "write a number of lines, or `row`".to_owned()),
        }
    }
}

impl Context {
    /// The lines on either side.
    pub fn lines(self) -> usize {
        match self {
            Self::Lines(lines) => lines,
            Self::Row => 0,
        }
    }
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill find PATTERN [PATH]… [OPTIONS]",
    after_help = "\
Examples:
  bquill find 'berth\\s+(\\d+)' -i notices/
  bquill find '0\\d{3}' --whole-word --lines 1..10 notices/01-dredging.md
  bquill find 'berth' -i --where 'closed' --unless '^>' notices/ --count
  bquill find '\\d{4}-\\d\\d-\\d\\d' --missing gauge.log
  bquill find 'Berth (\\d+)' --missing --why notices/
  bquill find berth -i --columns /-/lines/-/to --label name ships.json
  bquill find 'Berth \\d+' --positions notices/
  bquill find 'berth' -i --after last notices/
  tail -n 50 gauge.log | bquill find '\\.\\.'

Without a PATH, a pipe is read, else the files below this folder. Exit: 0 found, 1 nothing \
matched, 2 the request is wrong, 3 something could not be read."
)]
pub struct FindArgs {
    /// The pattern, then files and folders; `-` is standard input.
    #[arg(value_name = "PATTERN [PATH]", value_hint = ValueHint::AnyPath, hide = true)]
    pub words: Vec<OsString>,
    #[command(flatten)]
    pub step: StepSpec,
    #[command(flatten)]
    pub files: FilesArgs,
    #[command(flatten)]
    pub texts: AfterArgs,
    #[command(flatten)]
    pub show: ShowArgs,
    /// Show the lines in scope that hold no match instead.
    #[arg(long, conflicts_with_all = ["pick", "limit"], help_heading = "Output")]
    pub missing: bool,
    /// With --missing: say for each line what is missing, and count the reasons.
    #[arg(long, requires = "missing", help_heading = "Output")]
    pub why: bool,
    /// Print only counts: of each file, and in all.
    #[arg(long, group = "form", help_heading = "Output")]
    pub count: bool,
    /// With --count: the count of each line with a match too.
    #[arg(long, requires = "count", help_heading = "Output")]
    pub each: bool,
    /// Print only the lines, as they are.
    #[arg(long, group = "form", help_heading = "Output")]
    pub bare: bool,
    /// Print only the names of the files.
    #[arg(long, group = "form", help_heading = "Output")]
    pub paths: bool,
    /// Print a line for each match, for editors: `path:line:column: text`.
    #[arg(
        long,
        group = "form",
        conflicts_with = "missing",
        help_heading = "Output"
    )]
    pub positions: bool,
    /// Print one JSON record a line.
    #[arg(long, group = "form", help_heading = "Output")]
    pub json: bool,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill shapes [PATH]… [OPTIONS]",
    after_help = "\
Examples:
  bquill shapes --columns berth berths.csv
  bquill shapes --columns berth --pattern berths.csv
  bquill shapes --match '\\d[\\d.,]*' gauge.log
  bquill shapes --columns berth --coarse berths.csv
  bquill shapes --chars notices/

A letter of upper case is A, any other letter a, a digit 9; other signs stand for themselves, and \
`9{3}` is a run of three.
Exit: 0 there is something, 1 there is nothing, 2 the request is wrong, 3 something could not be \
read."
)]
pub struct ShapesArgs {
    /// Files and folders; `-` is standard input.
    #[arg(value_name = "PATH", value_hint = ValueHint::AnyPath, hide = true)]
    pub words: Vec<OsString>,
    /// The shapes of each match of PATTERN, and not of whole lines or cells.
    #[arg(
        long = "match",
        value_name = "PATTERN",
        allow_hyphen_values = true,
        help_heading = "Match"
    )]
    pub matches: Option<String>,
    #[command(flatten)]
    pub step: StepSpec,
    #[command(flatten)]
    pub files: FilesArgs,
    #[command(flatten)]
    pub texts: AfterArgs,
    /// Show each unusual character instead: all but printable ASCII.
    #[arg(long, help_heading = "Output", conflicts_with = "pattern")]
    pub chars: bool,
    /// Fold runs of any length: `9+` for digits, `a+` for letters.
    #[arg(long, help_heading = "Output", conflicts_with = "chars")]
    pub coarse: bool,
    /// Print a pattern for each shape, one that matches no other shape.
    #[arg(long, help_heading = "Output")]
    pub pattern: bool,
    /// Show N shapes, the most frequent and the rarest, or `all` [default: 40].
    #[arg(long, value_name = "N|all", help_heading = "Output")]
    pub show: Option<String>,
    /// Print one JSON record a line.
    #[arg(long, help_heading = "Output")]
    pub json: bool,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill tally PATTERN [PATH]… [OPTIONS]",
    after_help = "\
Examples:
  bquill tally '.+' --columns status berths.csv
  bquill tally '^(?:berth |B-)0*(\\d+)$' --group 1 --columns /berth moorings.jsonl --show 10
  bquill tally 'gauge (\\w+) level ([\\d.,]+)' --group 1 --sum 2 gauge.log
  bquill tally '(?i)closed|open' --by file notices/
  bquill tally crane --columns remark --by status berths.csv

Exit: 0 something was counted, 1 nothing matched, 2 the request is wrong, 3 something could not \
be read, or is not a number."
)]
pub struct TallyArgs {
    /// The pattern, then files and folders; `-` is standard input.
    #[arg(value_name = "PATTERN [PATH]", value_hint = ValueHint::AnyPath, hide = true)]
    pub words: Vec<OsString>,
    #[command(flatten)]
    pub step: StepSpec,
    #[command(flatten)]
    pub files: FilesArgs,
    #[command(flatten)]
    pub texts: AfterArgs,
    /// Count the values of this group, by number or name [default: the whole match].
    #[arg(long, value_name = "GROUP", help_heading = "Output")]
    pub group: Option<String>,
    /// Add up the numbers in this group, for each value.
    #[arg(long, value_name = "GROUP", help_heading = "Output")]
    pub sum: Option<String>,
    /// Count apart in each file, in each row (or line), or for each value of COLUMN.
    #[arg(long, value_name = "file|row|COLUMN", help_heading = "Output")]
    pub by: Option<String>,
    /// Show the N most frequent values, or `all` [default: 40].
    #[arg(long, value_name = "N|all", help_heading = "Output")]
    pub show: Option<String>,
    /// Print one JSON record a line.
    #[arg(long, help_heading = "Output")]
    pub json: bool,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill check PATTERN [PATH]… [OPTIONS]",
    after_help = "\
Examples:
  bquill check '^B-\\d\\d$' --columns berth berths.csv
  bquill check '^\\d{4}-\\d\\d-\\d\\d' gauge.log
  bquill check '\\t| $' --forbid notices/

Exit: 0 every line passes, 1 some do not, or there was nothing to check, 2 the request is wrong, \
3 something could not be read."
)]
pub struct CheckArgs {
    /// The pattern, then files and folders; `-` is standard input.
    #[arg(value_name = "PATTERN [PATH]", value_hint = ValueHint::AnyPath, hide = true)]
    pub words: Vec<OsString>,
    #[command(flatten)]
    pub step: StepSpec,
    #[command(flatten)]
    pub files: FilesArgs,
    #[command(flatten)]
    pub texts: AfterArgs,
    /// No line or cell in scope may match.
    #[arg(long, help_heading = "Match")]
    pub forbid: bool,
    /// Check that a rewrite has nothing left to change, instead of a pattern.
    #[command(flatten)]
    pub of_file: RewriteArg,
    /// Show the first N offenders, or `all` [default: 40].
    #[arg(long, value_name = "N|all", help_heading = "Output")]
    pub show: Option<String>,
    /// Print a line for each offender, for editors: `path:line:column: text`.
    #[arg(long, help_heading = "Output", conflicts_with_all = ["json", "show"])]
    pub positions: bool,
    /// Print the offenders for a system that runs checks: as commands of a workflow, or a SARIF 2.1.0 file.
    #[arg(
        long,
        value_enum,
        value_name = "workflow|sarif",
        help_heading = "Output"
    )]
    #[arg(hide_possible_values = true, conflicts_with_all = ["json", "show", "positions"])]
    pub annotate: Option<Annotations>,
    /// Print one JSON record a line.
    #[arg(long, help_heading = "Output")]
    pub json: bool,
}

/// The form of annotations for a system that runs checks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Annotations {
    /// `::error file=…,line=…,col=…::text`.
    Workflow,
    /// A file of the Static Analysis Results Interchange Format, 2.1.0.
    Sarif,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill extract PATTERN [PATH]… [OPTIONS]",
    after_help = "\
Examples:
  bquill extract '(?<quay>\\w+) Quay(?:, (?<end>\\w+) end)?' --columns name --beside berths.csv
  bquill extract '(\\d\\d)(\\d\\d) hours' --every notices/ --as csv
  bquill extract '' --select berth,status --as jsonl berths.csv
  bquill extract --split '; *' --columns remark --beside berths.csv
  bquill extract 'crane' --columns remark --yes-no --beside berths.csv
  bquill extract '[Cc]rane' --columns remark --counts --beside berths.csv

Named groups name their columns. An empty pattern matches in every row, so `extract ''` picks and \
converts columns.
Exit: 0 there is something, 1 nothing matched, 2 the request is wrong, 3 something could not be \
read, or not be written in that form."
)]
pub struct ExtractArgs {
    /// The pattern, then files and folders; `-` is standard input.
    #[arg(value_name = "PATTERN [PATH]", value_hint = ValueHint::AnyPath, hide = true)]
    pub words: Vec<OsString>,
    #[command(flatten)]
    pub step: StepSpec,
    #[command(flatten)]
    pub files: FilesArgs,
    #[command(flatten)]
    pub texts: AfterArgs,
    /// Split at the matches of PATTERN, and extract the parts between them.
    #[arg(
        long,
        value_name = "PATTERN",
        allow_hyphen_values = true,
        help_heading = "Match"
    )]
    pub split: Option<String>,
    /// Every match of a line or row, and not just the first: a row for each.
    #[arg(long, help_heading = "Columns")]
    pub every: bool,
    /// Every match in columns beside each other: one row for each line or row.
    #[arg(long, help_heading = "Columns", conflicts_with = "every")]
    pub wide: bool,
    /// The whole match too.
    #[arg(long, help_heading = "Columns")]
    pub whole_match: bool,
    /// Keep the columns there are, and the rows without a match.
    #[arg(long, help_heading = "Columns")]
    pub beside: bool,
    /// One column with the number of matches, and every line or row, those with none too.
    #[arg(long, help_heading = "Columns", conflicts_with_all = ["every", "wide", "whole_match", "split", "yes_no"])]
    pub counts: bool,
    /// One column that says whether there is a match, true or false.
    #[arg(long, help_heading = "Columns", conflicts_with_all = ["every", "wide", "whole_match", "split"])]
    pub yes_no: bool,
    /// The names of the columns that are made, joined by commas.
    #[arg(long, value_name = "NAME[,…]", help_heading = "Columns")]
    pub name: Option<String>,
    /// Only these columns, in this order: those there are, `file`, `record`, `match`, groups.
    #[arg(long = "select", value_name = "LIST", help_heading = "Columns")]
    pub chosen: Option<String>,
    /// Write csv, tsv, jsonl, or a table to read [default: a table on a terminal, else csv].
    #[arg(
        long = "as",
        value_enum,
        value_name = "csv|tsv|jsonl|table",
        help_heading = "Output"
    )]
    #[arg(hide_possible_values = true)]
    pub form: Option<SheetForm>,
    /// Write no row of names, in csv and tsv; so it is, too, where there is none in the files.
    #[arg(long, help_heading = "Output")]
    pub no_header_out: bool,
    /// With a table: show the first N rows, or `all` [default: 40].
    #[arg(long, value_name = "N|all", help_heading = "Output")]
    pub show: Option<String>,
}

/// In which form extracted columns come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum SheetForm {
    Csv,
    Tsv,
    Jsonl,
    Table,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill preview PATTERN --with TEMPLATE [PATH]… [OPTIONS] [--then PATTERN …]",
    after_help = "\
Examples:
  bquill preview 'berth\\s+(\\d+)' -i --with 'B-$1' notices/
  bquill preview '(\\d\\d)(\\d\\d) hours' --with '$1:$2 hours' notices/ --context 1
  bquill preview closed --with shut --columns status --label berth berths.csv
  bquill preview '^[Bb]erth (\\d+)$' --with 'B-$1' --columns berth berths.xlsx
  bquill preview 'metres?' --with 'm' gauge.log --then '  +' --with ' ' --steps
  bquill preview 'berth (\\d+)' --with 'B-${1 | pad 2}' notices/ --save-rewrite berths.toml
  bquill preview --rewrite berths.toml notices/
  bquill preview 'berth (\\d+)' -i --with 'B-$1' notices/ --kinds
  bquill preview 'berth *(\\d+)' -i --with 'B-$1' notices/ --against last
  bquill preview 'berth (\\d+)' -i --with 'B-$1' --whole notices/01-dredging.md
  bquill preview 'berth (\\d+)' -i --with 'B-$1' notices/ --report berths.html
  bquill preview '^> ' --remove --between '^> Notice' '^$' --pick 1 notices/

Write templates between single quotes: a shell swallows `$1` between double quotes.
Exit: 0 fine, 1 nothing matched or --expect not met, 2 the request is wrong, 3 something could \
not be read."
)]
pub struct PreviewArgs {
    /// The pattern, then files and folders; `-` is standard input.
    #[arg(value_name = "PATTERN [PATH]", value_hint = ValueHint::AnyPath, hide = true)]
    pub words: Vec<OsString>,
    #[command(flatten)]
    pub step: StepSpec,
    #[command(flatten)]
    pub of_file: RewriteArg,
    #[command(flatten)]
    pub guard: GuardArgs,
    #[command(flatten)]
    pub files: FilesArgs,
    #[command(flatten)]
    pub show: ShowArgs,
    /// Print one JSON record a line: the plan format.
    #[arg(long, help_heading = "Output")]
    pub json: bool,
    /// Print a unified diff.
    #[arg(long, help_heading = "Output", conflicts_with = "json")]
    pub diff: bool,
    /// Print a line for each change, for editors: `path:line:column: was → now`.
    #[arg(long, help_heading = "Output", conflicts_with_all = ["json", "diff", "whole", "kinds", "against", "context"])]
    pub positions: bool,
    /// Print the files that change as they would be, whole, with changed lines marked.
    #[arg(long, help_heading = "Output", conflicts_with_all = ["json", "diff", "kinds", "against", "context"])]
    pub whole: bool,
    /// Show each kind of change once: of the same text, or, where there are many, of the same shape.
    #[arg(long, value_name = "text|shape", num_args = 0..=1, require_equals = true)]
    #[arg(default_missing_value = "auto", help_heading = "Output")]
    #[arg(conflicts_with_all = ["json", "diff"])]
    pub kinds: Option<String>,
    /// Compare with an earlier plan, or the last preview: what only one of them changes.
    #[arg(long, value_name = "PLAN|last", value_hint = ValueHint::FilePath, help_heading = "Output")]
    #[arg(conflicts_with_all = ["json", "diff", "kinds"])]
    pub against: Option<PathBuf>,
    /// Save the plan in FILE, to be reviewed and applied.
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath, help_heading = "Output")]
    pub save_plan: Option<PathBuf>,
    /// Save the changes as a page for a browser: others read it there and decide.
    #[arg(long, value_name = "FILE.html", value_hint = ValueHint::FilePath, help_heading = "Output")]
    pub report: Option<PathBuf>,
    #[command(flatten)]
    pub letter: LetterArgs,
    /// Show the text between the steps too.
    #[arg(long, help_heading = "Output", conflicts_with_all = ["json", "diff"])]
    pub steps: bool,
    /// Stop after step N.
    #[arg(long, value_name = "N", help_heading = "Output")]
    pub through: Option<usize>,
    /// Save the rewrite in FILE, with changes as worked examples.
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath, help_heading = "Output")]
    pub save_rewrite: Option<PathBuf>,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill draft [PATTERN] [PATH]… [OPTIONS] [--then PATTERN …]",
    after_help = "\
Examples:
  bquill draft 'berth' -i notices/
  bquill draft 'berth (\\d+)' -i --with 'B-$1' notices/
  bquill draft '' --columns status berths.csv
  bquill draft --rewrite rewrites/iso-dates.toml notices/
  tail -n 200 gauge.log | bquill draft '\\.\\.+'
  bquill draft

With nothing named it goes on with the draft that was not closed in this folder, else with the last \
preview. Nothing is written to the files: `q` leaves for the review, a rewrite file, or the command \
line that says the same.
Exit: 0 fine, 2 the request is wrong, 3 something could not be read."
)]
pub struct DraftArgs {
    /// The pattern, then files and folders; `-` is standard input.
    #[arg(value_name = "PATTERN [PATH]", value_hint = ValueHint::AnyPath, hide = true)]
    pub words: Vec<OsString>,
    #[command(flatten)]
    pub step: StepSpec,
    #[command(flatten)]
    pub of_file: RewriteArg,
    #[command(flatten)]
    pub guard: GuardArgs,
    #[command(flatten)]
    pub files: FilesArgs,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill infer (--example BEFORE AFTER)… [PATH]… [OPTIONS]\n       bquill infer --edited FILE PATH\n       bquill infer --values [PATH]…",
    after_help = "\
Examples:
  bquill infer --example 'berth 7' B-07 --example 'Berth 12' B-12 notices/
  bquill infer --example 'Larkin, Ebbe' 'Ebbe Larkin' --columns pilot berths.csv
  bquill infer --edited gauge-edited.log gauge.log --ask
  bquill infer --examples rewrites/iso-dates.toml notices/
  bquill infer --values --columns berth berths.csv

An example is a whole line or cell, or a part of a line that stands in the data, before and after. \
Two or three that differ in kind say most; a text that must stay, `--untouched`, says as much as one \
that changes. Every proposal reproduces the examples; choose by where they differ. The first one is the last preview then: `review` and `apply` go on from it.
Exit: 0 something is proposed, 1 nothing is, 2 the request is wrong, 3 something could not be read."
)]
pub struct InferArgs {
    /// Files and folders; `-` is standard input.
    #[arg(value_name = "PATH", value_hint = ValueHint::AnyPath, hide = true)]
    pub words: Vec<OsString>,
    /// A text BEFORE that must become AFTER; may be repeated.
    #[arg(long, num_args = 2, value_names = ["BEFORE", "AFTER"])]
    #[arg(allow_hyphen_values = true, help_heading = "Examples")]
    pub example: Vec<String>,
    /// A text that must stay as it is; may be repeated.
    #[arg(
        long,
        value_name = "TEXT",
        allow_hyphen_values = true,
        help_heading = "Examples"
    )]
    pub untouched: Vec<String>,
    /// Examples in FILE: a table of two columns, `before` and `after`, or a rewrite file with its worked examples.
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath, help_heading = "Examples")]
    pub examples: Option<PathBuf>,
    /// A copy of PATH in which some lines or cells were changed by hand: those are the examples.
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath, help_heading = "Examples")]
    pub edited: Option<PathBuf>,
    /// Ask about the texts that proposals disagree about, one at a time.
    #[arg(long, help_heading = "Examples", conflicts_with = "json")]
    pub ask: bool,
    /// Propose a pattern for the values themselves, and list those that do not fit.
    #[arg(long, help_heading = "Examples", conflicts_with_all = ["example", "untouched", "examples", "edited", "ask"])]
    pub values: bool,
    #[command(flatten)]
    pub step: StepSpec,
    #[command(flatten)]
    pub files: FilesArgs,
    /// Show at most N changes of each proposal and N texts in dispute, or `all` [default: 8].
    #[arg(long, value_name = "N|all", help_heading = "Output")]
    pub show: Option<String>,
    /// Save the first proposal in FILE, with the examples.
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath, help_heading = "Output")]
    #[arg(conflicts_with = "values")]
    pub save_rewrite: Option<PathBuf>,
    /// Print one JSON record a line.
    #[arg(long, help_heading = "Output")]
    pub json: bool,
}

/// Conditions that must hold before anything is written.
#[derive(Args, Clone, Debug, Default)]
pub struct GuardArgs {
    /// The number of changes must be COUNT: `42`, `1..`, `0`, `10..20`; may be repeated.
    #[arg(
        long,
        value_name = "COUNT",
        allow_hyphen_values = true,
        help_heading = "Guard"
    )]
    pub expect: Vec<String>,
    /// Every line (or larger unit) in scope must match PATTERN afterwards; may be repeated.
    #[arg(
        long,
        value_name = "PATTERN",
        allow_hyphen_values = true,
        help_heading = "Guard"
    )]
    pub ensure: Vec<String>,
    /// Leave alone what could not be computed, and go on.
    #[arg(long, help_heading = "Guard")]
    pub skip_problems: bool,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill apply [PATTERN --with TEMPLATE [PATH]… | --plan FILE] [OPTIONS] [--then PATTERN …]",
    after_help = "\
Examples:
  bquill apply 'berth\\s+(\\d+)' -i --with 'B-$1' notices/
  bquill apply 'berth\\s+(\\d+)' -i --with 'B-$1' notices/ --expect 60..70 --yes
  bquill apply 'metres?' --with 'm' gauge.log --to gauge-short.log
  bquill apply
  bquill apply --plan berths.plan --yes
  printf 'quay 7\\n' | bquill apply 'quay (\\d+)' --with 'Q$1'

With nothing named it applies the last preview of this folder. A reviewed plan is written as it was \
decided: what is open or refused is not. \
On a terminal it shows the counts and asks; elsewhere it needs --yes. Standard input is written \
to standard output, and nothing is asked.
Exit: 0 fine, 1 nothing matched or --expect not met, 2 the request is wrong, 3 something could \
not be read or safely written."
)]
pub struct ApplyArgs {
    /// The pattern, then files and folders; `-` is standard input.
    #[arg(value_name = "PATTERN [PATH]", value_hint = ValueHint::AnyPath, hide = true)]
    pub words: Vec<OsString>,
    #[command(flatten)]
    pub step: StepSpec,
    #[command(flatten)]
    pub of_file: RewriteArg,
    #[command(flatten)]
    pub guard: GuardArgs,
    #[command(flatten)]
    pub files: FilesArgs,
    #[command(flatten)]
    pub plan: PlanArgs,
    /// Do not ask.
    #[arg(short, long, help_heading = "Output")]
    pub yes: bool,
    /// Write to this file, or below this folder, and leave the source alone; `-` is standard
    /// output.
    #[arg(long, value_name = "FILE|DIR", value_hint = ValueHint::AnyPath, help_heading = "Output")]
    pub to: Option<PathBuf>,
    /// Overwrite files that are there already; `undo` brings them back.
    #[arg(long, requires = "to", help_heading = "Output")]
    pub overwrite: bool,
    /// Print one JSON record of what was written, and no text; takes `--yes`.
    #[arg(long, requires = "yes", conflicts_with = "to", help_heading = "Output")]
    pub json: bool,
    /// Write the totals, one JSON record as `preview --json` has it, to FILE: for sums over many texts.
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath, conflicts_with_all = ["plan", "json"], help_heading = "Output")]
    pub totals: Option<PathBuf>,
    /// Let triggers and cascades of a database change more than was shown.
    #[arg(long, conflicts_with = "to", help_heading = "Guard")]
    pub triggers: bool,
    /// Refuse a rewrite that must see more than single lines, or than single files: for texts that are cut.
    #[arg(long, value_name = "line|file", help_heading = "Guard")]
    pub reach: Option<Reach>,
}

/// The words of the sender of a page.
#[derive(Args, Clone, Debug, Default)]
pub struct LetterArgs {
    /// The title of the page.
    #[arg(
        long,
        value_name = "TEXT",
        requires = "report",
        help_heading = "Output"
    )]
    pub title: Option<String>,
    /// A note to the person who decides: who sends it, and what for.
    #[arg(
        long,
        value_name = "TEXT",
        requires = "report",
        help_heading = "Output"
    )]
    pub note: Option<String>,
}

/// Which plan is meant.
#[derive(Args, Clone, Debug, Default)]
pub struct PlanArgs {
    /// The plan in FILE; `last` is the last preview of this folder.
    #[arg(long, value_name = "FILE|last", value_hint = ValueHint::FilePath, help_heading = "Plan")]
    pub plan: Option<PathBuf>,
    /// Evaluate the plan's rewrite again, and carry over the decisions that still fit.
    #[arg(long, help_heading = "Plan")]
    pub renew: bool,
    /// Accept a truncated plan.
    #[arg(long, help_heading = "Plan")]
    pub partial: bool,
    /// The paths of the plan lie below DIR [default: the current folder].
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath, requires = "plan", help_heading = "Plan")]
    pub root: Option<PathBuf>,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill review [PATTERN --with TEMPLATE [PATH]… | --plan FILE] [OPTIONS]",
    after_help = "\
Examples:
  bquill review 'berth\\s+(\\d+)' -i --with 'B-$1' notices/
  bquill review
  bquill review --plan berths.plan --refuse 'file:notices/0*.md&line:1..5' --accept rest
  bquill review --plan berths.plan --report berths.html
  bquill review --plan berths.plan --decisions signe.jsonl renee.jsonl

With nothing named it goes on with the last preview of this folder. Changes are named by id (`2.7`), \
`kind:3..5` (as `preview --kinds` numbers them), `file:GLOB`, `line:SPEC`; `&` joins conditions, `,` \
begins another.
Exit: 0 fine, 1 there is nothing to review or reviewers decided differently, 2 the request is wrong, 3 something could not be \
read or safely written."
)]
pub struct ReviewArgs {
    /// The pattern, then files and folders.
    #[arg(value_name = "PATTERN [PATH]", value_hint = ValueHint::AnyPath, hide = true)]
    pub words: Vec<OsString>,
    #[command(flatten)]
    pub step: StepSpec,
    #[command(flatten)]
    pub of_file: RewriteArg,
    #[command(flatten)]
    pub guard: GuardArgs,
    #[command(flatten)]
    pub files: FilesArgs,
    #[command(flatten)]
    pub plan: PlanArgs,
    /// List kinds of changes by their texts, or by their shapes [default: by shape where there are many].
    #[arg(long, value_name = "text|shape", num_args = 0..=1, require_equals = true)]
    #[arg(default_missing_value = "auto", help_heading = "Output")]
    pub kinds: Option<String>,
    /// Accept these changes, or the `rest`: all that are open then; without a screen; may be repeated.
    #[arg(long, value_name = "WHICH", help_heading = "Decisions")]
    pub accept: Vec<String>,
    /// Refuse these changes, or the `rest`; without a screen; may be repeated.
    #[arg(long, value_name = "WHICH", help_heading = "Decisions")]
    pub refuse: Vec<String>,
    /// Import decisions that reviewers saved on a page, without a screen.
    #[arg(long, value_name = "FILE", num_args = 1.., value_hint = ValueHint::FilePath, help_heading = "Decisions")]
    pub decisions: Vec<PathBuf>,
    /// Save the plan as a page for a browser, and end: others read it there and decide.
    #[arg(long, value_name = "FILE.html", value_hint = ValueHint::FilePath, help_heading = "Output")]
    pub report: Option<PathBuf>,
    #[command(flatten)]
    pub letter: LetterArgs,
    /// Print the counts as a JSON record.
    #[arg(long, help_heading = "Output")]
    pub json: bool,
}

#[derive(Args, Debug)]
#[command(after_help = "\
Examples:
  bquill history
  bquill history 7
  bquill history --forget --older-than 30

Runs are forgotten once you agree; those of other folders only if they are named, or with --all.
Exit: 0 fine, 1 there is no such run, or nothing to forget, 2 the request is wrong, 3 something \
could not be read.")]
pub struct HistoryArgs {
    /// Show what this run changed.
    pub run: Option<u64>,
    /// Forget runs, to free space: they can no longer be undone.
    #[arg(long, value_name = "RUN", num_args = 0.., conflicts_with = "run")]
    pub forget: Option<Vec<u64>>,
    /// With --forget: the runs made more than DAYS days ago below the current folder.
    #[arg(long, value_name = "DAYS", requires = "forget")]
    pub older_than: Option<u64>,
    /// With --older-than: the runs of all folders.
    #[arg(long, requires = "older_than")]
    pub all: bool,
    /// Do not ask.
    #[arg(short, long, requires = "forget")]
    pub yes: bool,
    /// Show the first N changes of a run, or `all` [default: 40].
    #[arg(long, value_name = "N|all")]
    pub show: Option<String>,
    /// Print one JSON record a line.
    #[arg(long)]
    pub json: bool,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill undo [RUN] [OPTIONS]",
    after_help = "\
Examples:
  bquill undo
  bquill undo 7 --only notices/01-dredging.md
  bquill undo 7 --review

Without RUN, the newest run made in this folder that is still in effect: again and again, it goes \
further back. Reverting an undo brings its run back. Where a file has been changed since, it is named \
and nothing is touched; --review then makes a plan of all changes whose place is found again by the \
text around it, for `review` and `apply`.
Exit: 0 fine, 1 there is nothing to undo, 3 something could not be read or safely written."
)]
pub struct UndoArgs {
    /// Which run.
    pub run: Option<u64>,
    /// Only this file, or what lies below this folder; may be repeated.
    #[arg(long, value_name = "PATH", value_hint = ValueHint::AnyPath)]
    pub only: Vec<PathBuf>,
    /// Make a plan of what can be reverted, the last preview then, and write nothing.
    #[arg(long, conflicts_with = "yes")]
    pub review: bool,
    /// Do not ask.
    #[arg(short, long)]
    pub yes: bool,
    /// Print one JSON record of what was written, and no text; takes `--yes`.
    #[arg(long, requires = "yes")]
    pub json: bool,
}

#[derive(Args, Debug)]
#[command(after_help = "\
Examples:
  bquill recover
  bquill recover --back
  bquill recover --abandon 7

Every interrupted run is completed if it had been decided, and else rolled back; where both are \
open, you may say which. A file that another program changed, moved or removed meanwhile is left as \
it is and named, and all others are rolled back. What a complete run has left over is removed. \
--abandon closes a run even where a file of it cannot be reached: what can be rolled back is, you are \
told what each file holds, and the old and new bytes that are found are kept.
Exit: 0 fine, 1 there is no such run, 3 a run cannot be finished.")]
pub struct RecoverArgs {
    /// Give every file its old bytes.
    #[arg(long, conflicts_with = "forward")]
    pub back: bool,
    /// Give every file its new bytes.
    #[arg(long)]
    pub forward: bool,
    /// Roll back what can be, close RUN, and keep the old and new bytes that are found.
    #[arg(long, value_name = "RUN", conflicts_with_all = ["forward", "back"])]
    pub abandon: Option<u64>,
}

#[derive(Args, Debug)]
#[command(
    override_usage = "bquill explain [PATTERN] [--with TEMPLATE] [--on TEXT] [--rewrite FILE]",
    after_help = "\
Examples:
  bquill explain
  bquill explain 'Berth (\\d+)' --on 'at Berth-8 until noon'
  bquill explain '(?<berth>[Bb]erth)\\s+(\\d+)' --with '${berth | upper}-${2 | pad 2}'
  bquill explain --rewrite berths.toml
  bquill explain --rewrite berths.toml --reach"
)]
pub struct ExplainArgs {
    /// The pattern; without it, a syntax summary is printed.
    #[arg(value_name = "PATTERN")]
    pub pattern: Option<String>,
    /// A template that goes with it.
    #[arg(
        long,
        value_name = "TEMPLATE",
        allow_hyphen_values = true,
        requires = "pattern"
    )]
    pub with: Option<String>,
    /// Show what each part of the pattern takes in TEXT, or where it stops.
    #[arg(
        long,
        value_name = "TEXT",
        allow_hyphen_values = true,
        requires = "pattern"
    )]
    pub on: Option<String>,
    /// Letter case does not matter.
    #[arg(short, long, requires = "pattern")]
    pub ignore_case: bool,
    /// No letter, digit or underscore may touch a match.
    #[arg(long, requires = "pattern")]
    pub whole_word: bool,
    /// Take the pattern as plain text.
    #[arg(long, requires = "pattern")]
    pub literal: bool,
    /// A match must span the whole text.
    #[arg(long, requires = "pattern")]
    pub entire: bool,
    /// A rewrite file, step by step.
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath, conflicts_with = "pattern")]
    pub rewrite: Option<PathBuf>,
    /// Say how much of the data each step must see as a whole: a line, a file, or all of the run.
    #[arg(long, requires = "rewrite")]
    pub reach: bool,
    /// Paths of a recalled command, which are not read.
    #[arg(value_name = "PATH", hide = true)]
    pub paths: Vec<OsString>,
}

#[derive(Args, Debug)]
#[command(after_help = "\
Examples:
  bquill test rewrites/*.toml

Exit: 0 all examples hold, 1 some do not, 2 a file is not a rewrite file, 3 a file cannot be read.")]
pub struct TestArgs {
    /// Rewrite files.
    #[arg(required = true, value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub files: Vec<PathBuf>,
    /// Print one JSON record a line.
    #[arg(long)]
    pub json: bool,
}

#[derive(Args, Debug)]
#[command(after_help = "\
Examples:
  bquill merge-plans one.plan two.plan --save-plan all.plan

The plans must come of one rewrite, and no file may be in two of them. Decisions come along.
Exit: 0 fine, 2 the request is wrong, 3 a plan cannot be read, or they do not fit.")]
pub struct MergePlansArgs {
    /// Plans, each with other files.
    #[arg(required = true, value_name = "PLAN", value_hint = ValueHint::FilePath)]
    pub plans: Vec<PathBuf>,
    /// Save the plan in FILE, which must not exist yet.
    #[arg(long, required = true, value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub save_plan: PathBuf,
}

#[derive(Args, Debug)]
#[command(after_help = "\
Examples:
  bquill split-plan berths.plan --to parts

Each part is a plan of one file, and is applied by itself. Of a plan that was decided about, what is open is not written \
by any part.
Exit: 0 fine, 2 the request is wrong, 3 the plan cannot be read, or a part not be written.")]
pub struct SplitPlanArgs {
    /// The plan.
    #[arg(value_name = "PLAN", value_hint = ValueHint::FilePath)]
    pub plan: PathBuf,
    /// Save the parts in DIR, which must not exist yet.
    #[arg(long, required = true, value_name = "DIR", value_hint = ValueHint::DirPath)]
    pub to: PathBuf,
}

#[derive(Args, Debug)]
#[command(after_help = "\
Examples:
  bquill help
  bquill help preview")]
pub struct HelpArgs {
    /// The verb, or a topic: `columns`, `places`, `templates`, `dialect`, `multi-line`, `undo`, `limits`, `settings`.
    #[arg(value_name = "VERB|TOPIC")]
    pub verb: Option<String>,
}

#[derive(Args, Debug)]
#[command(after_help = "\
Examples:
  bquill demo
  bquill demo --all
  bquill demo --to larkmoor

At a terminal each step waits for Enter; q ends the walk. The files stay where it says.")]
pub struct DemoArgs {
    /// Run through all steps, and do not wait for Enter at a terminal.
    #[arg(long, conflicts_with = "to")]
    pub all: bool,
    /// Only unpack the sample files, into DIR, which must not exist yet.
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    pub to: Option<PathBuf>,
}

/// None.
#[derive(Args, Debug)]
#[command(after_help = "\
Example:
  bquill serve

An editor starts it, and speaks with it on standard input and output: faults in
rewrite files, what a key or a pattern means, and open texts rewritten under the
editor's own preview. See docs/editors.md.
Exit: 0 the editor ended it, 3 it broke the protocol, or went away.")]
pub struct ServeArgs {
    /// Standard input and output; there is no other way.
    #[arg(long, hide = true)]
    pub stdio: bool,
}

#[derive(Args, Debug)]
#[command(after_help = "\
Example:
  bquill completions bash > ~/.local/share/bash-completion/completions/bquill")]
pub struct CompletionsArgs {
    /// Which shell.
    pub shell: clap_complete::Shell,
}

/// None.
#[derive(Args, Debug)]
pub struct ManArgs {}
