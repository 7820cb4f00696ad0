//! Names of columns beside values.

use crate::render::highlight::shortened;
use brisk_quill_core::escape::visible;
use unicode_width::UnicodeWidthStr;

/// Columns of the screen that the name of a column may take.
const NAME_MOST: usize = 24;

/// The names of columns beside values, all equally wide.
pub struct Columns {
    width: usize,
}

impl Columns {
    /// For values of these columns; `None` is a line.
    pub fn of<'n>(names: impl Iterator<Item = Option<&'n str>>) -> Self {
        let width = names.flatten().map(|name| cut(name).width()).max();
        Self {
            width: width.map_or(0, |width| width + 2),
        }
    }

    /// A name as it is shown, with the blanks behind it.
    pub fn shown(&self, name: Option<&str>) -> String {
        let name = name.map(cut).unwrap_or_default();
        let blanks = self.width.saturating_sub(name.width());
        name + &" ".repeat(blanks)
    }
}

fn cut(name: &str) -> String {
    shortened(&visible(name.as_bytes()), NAME_MOST, 0)
}
