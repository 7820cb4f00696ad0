//! Names of columns beside values.

use crate::render::highlight::shortened;
use brisk_quill_core::escape::visible;
use unicode_width::UnicodeWidthStr;

/// Columns of the screen that the name of a column may take.
const NAME_MOST: usize = 24;

/// Columns of the screen that the name of a row may take, which may be several values.
const LABEL_MOST: usize = 32;

/// Names beside values, all equally wide.
pub struct Columns {
    width: usize,
    most: usize,
}

impl Columns {
    /// For values of these columns; `None` is a line.
    pub fn of<'n>(names: impl Iterator<Item = Option<&'n str>>) -> Self {
        Self::within(NAME_MOST, names)
    }

    /// For values of rows with these names; `None` is one without.
    pub fn of_labels<'n>(names: impl Iterator<Item = Option<&'n str>>) -> Self {
        Self::within(LABEL_MOST, names)
    }

    fn within<'n>(most: usize, names: impl Iterator<Item = Option<&'n str>>) -> Self {
        let width = names.flatten().map(|name| cut(name, most).width()).max();
        Self {
            width: width.map_or(0, |width| width + 2),
            most,
        }
    }

    /// A name as it is shown, with the blanks behind it.
    pub fn shown(&self, name: Option<&str>) -> String {
        let name = name.map(|name| cut(name, self.most)).unwrap_or_default();
        let blanks = self.width.saturating_sub(name.width());
        name + &" ".repeat(blanks)
    }
}

fn cut(name: &str, most: usize) -> String {
    shortened(&visible(name.as_bytes()), most, 0)
}
