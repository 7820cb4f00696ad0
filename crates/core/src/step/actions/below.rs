//! `--below`: a line is inserted below each line with a match.

use crate::describe::{QueryWords, quoted};
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::edit_maker::{EditMaker, UnitEnd};
use crate::step::template_reader::TemplateReader;
use crate::step_spec::values::StepFault;
use crate::template::Template;

pub(crate) fn build(text: &str, templates: &mut TemplateReader<'_>) -> Result<Template, StepFault> {
    templates.read("below", text)
}

/// "the line `y` is inserted below each line with a match of `x`, in every line"
pub(crate) fn describe(words: &QueryWords, template: &Template) -> String {
    let (a_match, place) = (&words.a_match, &words.place);
    let text = quoted(template.source());
    format!("the line {text} is inserted below each line with {a_match}, {place}")
}

pub(crate) fn eval(
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
    template: &Template,
) -> Result<(), ProblemKind> {
    maker.insert_line(unit, found, (template, UnitEnd::End))
}
