//! The actions, one file each: what builds, describes and evaluates it lies beside each other.

pub(crate) mod above;
pub(crate) mod below;
pub(crate) mod cells;
pub(crate) mod drop_lines;
pub(crate) mod drop_other_lines;
pub(crate) mod lead;
pub(crate) mod remove;
pub(crate) mod replace;
pub(crate) mod swap_chars;
pub(crate) mod trail;

use crate::pattern::groups::Groups;
use crate::step_spec::values::{StepFault, fault};
use crate::template::Template;
use crate::template::tables::Tables;

/// Reads the templates of actions.
pub(crate) struct TemplateReader<'t> {
    /// They are plain text.
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
