//! `--with`: each match becomes what a template writes.

use crate::describe::{QueryWords, quoted};
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::edit_maker::EditMaker;
use crate::step::template_reader::TemplateReader;
use crate::step_spec::values::StepFault;
use crate::template::Template;

pub(crate) fn build(text: &str, templates: &mut TemplateReader<'_>) -> Result<Template, StepFault> {
    templates.read("with", text)
}

/// "every match of `x` becomes `y`, in every line"
pub(crate) fn describe(words: &QueryWords, template: &Template) -> String {
    let (matches, place) = (&words.matches, &words.place);
    match template.source() {
        "" => format!("{matches} becomes nothing, {place}"),
        source => format!("{matches} becomes {}, {place}", quoted(source)),
    }
}

pub(crate) fn eval(
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
    template: &Template,
) -> Result<(), ProblemKind> {
    maker.edit_matches(unit, found, &|maker, unit, finding, text| {
        maker.expand(template, unit, finding, text)
    })
}
