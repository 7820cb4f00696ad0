//! The verbs. Only the options of the verb that is asked for are laid out: laying out those of all
//! takes longer than looking at a small file.

use super::definitions::*;
use crate::args::lent::borrow;
use crate::args::split::{Part, unmarked};
use clap::error::ErrorKind;
use clap::{ArgMatches, Args, Command, Error, FromArgMatches};

/// Makes [`Verb`] out of its variants, their names and what help says of them.
macro_rules! verbs {
    ($($verb:ident($args:ident), $name:literal, $about:literal;)+) => {
        /// The verbs.
        #[derive(Debug)]
        pub enum Verb {
            $(#[doc = $about] $verb($args),)+
        }

        impl Verb {
            /// Reads the words after a verb.
            pub(super) fn read(found: &ArgMatches) -> Result<Self, Error> {
                match found.subcommand() {
                    $(Some(($name, words)) => $args::from_arg_matches(words).map(Self::$verb),)+
                    _ => Err(Error::new(ErrorKind::MissingSubcommand)),
                }
            }

            /// True for the name of a verb.
            pub(super) fn is_name(word: &str) -> bool {
                [$($name),+].contains(&word)
            }

            /// Adds the verbs to the program: with their options those that `asked` is true of,
            /// of the others only what help says of them.
            pub(super) fn define(program: Command, asked: impl Fn(&str) -> bool) -> Command {
                program$(.subcommand({
                    let verb = Command::new($name);
                    let verb = match asked($name) {
                        true => borrow($args::augment_args(verb)),
                        false => verb,
                    };
                    verb.about($about)
                }))+
            }
        }
    };
}

verbs! {
    Find(FindArgs), "find", "Show every match of a pattern, with its groups";
    Shapes(ShapesArgs), "shapes", "Show what forms the values take, and how often";
    Tally(TallyArgs), "tally", "Count the values that a pattern, or a group, matches";
    Extract(ExtractArgs), "extract", "Put the groups of a pattern into columns";
    Check(CheckArgs), "check", "Check that every line or cell matches, or none does";
    Draft(DraftArgs), "draft", "Build a rewrite with a live preview; write nothing";
    Infer(InferArgs), "infer", "Propose rewrites from examples: texts before and after";
    Preview(PreviewArgs), "preview", "Show every change a rewrite would make; write nothing";
    Review(ReviewArgs), "review", "Judge the changes one by one or kind by kind, then apply them";
    Apply(ApplyArgs), "apply", "Make the changes: all of them, or none";
    History(HistoryArgs), "history", "Show the runs that have been made, or what one of them changed";
    Undo(UndoArgs), "undo", "Revert a run; an undo can itself be undone";
    Recover(RecoverArgs), "recover", "Complete interrupted runs, or roll them back";
    Explain(ExplainArgs), "explain", "Say in plain words what a pattern, a template, or a rewrite file does";
    Test(TestArgs), "test", "Run the examples in rewrite files";
    MergePlans(MergePlansArgs), "merge-plans", "Make one plan of the plans of several machines";
    SplitPlan(SplitPlanArgs), "split-plan", "Cut a plan into a part for each file";
    Demo(DemoArgs), "demo", "Unpack sample files and walk through the whole loop on them";
    Help(HelpArgs), "help", "Show the help of a verb, of a topic, or of the program";
    Serve(ServeArgs), "serve", "Serve an editor, by the Language Server Protocol";
    Completions(CompletionsArgs), "completions", "Print the completions for a shell";
    Man(ManArgs), "man", "Print the manual page";
}

impl Verb {
    /// The words and step options of a verb that has them.
    pub(super) fn into_part(self) -> Part {
        let (words, step, of_file, files) = match self {
            Self::Find(args) => (args.words, args.step, RewriteArg::default(), args.files),
            Self::Shapes(args) => (args.words, args.step, RewriteArg::default(), args.files),
            Self::Tally(args) => (args.words, args.step, RewriteArg::default(), args.files),
            Self::Extract(args) => (args.words, args.step, RewriteArg::default(), args.files),
            Self::Check(args) => (args.words, args.step, args.of_file, args.files),
            Self::Draft(args) => (args.words, args.step, args.of_file, args.files),
            Self::Infer(args) => (args.words, args.step, RewriteArg::default(), args.files),
            Self::Preview(args) => (args.words, args.step, args.of_file, args.files),
            Self::Review(args) => (args.words, args.step, args.of_file, args.files),
            Self::Apply(args) => (args.words, args.step, args.of_file, args.files),
            Self::History(_)
            | Self::Undo(_)
            | Self::Recover(_)
            | Self::Explain(_)
            | Self::Test(_)
            | Self::MergePlans(_)
            | Self::SplitPlan(_)
            | Self::Demo(_)
            | Self::Help(_)
            | Self::Serve(_)
            | Self::Completions(_)
            | Self::Man(_) => {
                return Part::default();
            }
        };
        Part {
            words: words.into_iter().map(unmarked).collect(),
            step,
            rewrite: of_file.rewrite,
            has_path_list: files.paths_from.is_some(),
        }
    }
}
