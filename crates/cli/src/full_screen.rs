//! Parts that the full-screen views share.
//!
//! * [`terminal`] takes the terminal, and gives it back however a view ends.
//! * [`palette`] is the look of what a piece of text stands for.
//! * [`field`] is text being typed, [`marked`] text with marked parts, [`boxes`] a box over a view,
//!   and [`fit`] cuts a text to the room there is.

pub mod boxes;
pub mod field;
pub mod fit;
pub mod marked;
pub mod palette;
pub mod terminal;
