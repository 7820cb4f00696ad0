//! The form that every rule of a hint has.

use crate::hints::evidence::Form;
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
    /// Tells of a form whether the hint is about it; matches of all others must stay what they are.
    pub named: Named,
}

/// Tells the forms that a hint is about.
pub type Named = for<'s> fn(&'s StepStudy<'_>) -> Box<dyn FnMut(&Form) -> bool + 's>;

/// The hint is about every match.
pub fn all_forms<'s>(_: &'s StepStudy<'_>) -> Box<dyn FnMut(&Form) -> bool + 's> {
    Box::new(|_| true)
}

/// The hint is about no match: those that there are stay.
pub fn no_form<'s>(_: &'s StepStudy<'_>) -> Box<dyn FnMut(&Form) -> bool + 's> {
    Box::new(|_| false)
}

/// A request, in the words of a command line, with the text it is about.
pub struct Example {
    /// The pattern and the options.
    pub words: &'static [&'static str],
    /// The name of the file; `notice.txt` where that does not matter.
    pub file: &'static str,
    /// The text; of one kind of hints, in another encoding than UTF-8.
    pub text: &'static [u8],
}
