//! Conditions on the cells of a row.

use crate::columns::list::Column;
use crate::pattern::Pattern;

/// Only rows in which a cell holds, or does not hold, a match.
#[derive(Clone, Debug)]
pub struct CellCondition {
    /// The cell.
    pub column: Column,
    /// The pattern it is searched for.
    pub pattern: Pattern,
    /// It must hold none.
    pub lacks: bool,
}
