//! Templates of actions, read with what they may refer to.

use crate::pattern::groups::Groups;
use crate::step_spec::values::{StepFault, fault};
use crate::template::Template;
use crate::template::tables::Tables;

/// Reads the templates of actions.
pub(crate) struct TemplateReader<'t> {
    /// True if they are plain text.
    pub literal: bool,
    /// The groups they may refer to.
    pub groups: &'t Groups,
    /// The tables they may look values up in.
    pub tables: &'t mut dyn Tables,
}

impl TemplateReader<'_> {
    /// The template `text`, the value of `key`.
    pub fn read(&mut self, key: &'static str, text: &str) -> Result<Template, StepFault> {
        match self.literal {
            true => Ok(Template::literal(text)),
            false => Template::parse_with(text, self.groups, self.tables).map_err(fault(key, text)),
        }
    }
}
