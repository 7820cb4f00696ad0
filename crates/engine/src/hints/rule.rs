//! The form that every rule of a hint has.

use crate::hints::hint::Hint;
use crate::hints::study::StepStudy;

/// A rule that may give a hint about a step.
///
/// A rule looks at the pattern, the template and the evidence, and says at most one sentence.
pub struct Rule {
    /// The name of its hint.
    pub name: &'static str,
    /// When it speaks, as a clause: "a dot matched something other than a dot".
    pub speaks: &'static str,
    /// A request for which it speaks.
    pub example: Example,
    /// Other hints that say no more than this one where both speak.
    pub hides: &'static [&'static str],
    /// Gives the hint.
    pub judge: fn(&StepStudy<'_>) -> Option<Hint>,
}

/// A request, in the words of a command line, with the text it is about.
pub struct Example {
    /// The pattern and the options.
    pub words: &'static [&'static str],
    /// The name of the file; `notice.txt` where that does not matter.
    pub file: &'static str,
    /// Its text.
    pub text: &'static str,
}
