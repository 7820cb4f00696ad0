//! Texts cut to the room there is.

use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// As much of the start of a text as fits.
pub fn head(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let mut used = 1;
    let fits = text.graphemes(true).take_while(|grapheme| {
        used += grapheme.width();
        used <= width
    });
    fits.collect::<String>() + "…"
}

/// As much of its end.
pub fn tail(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let mut used = 1;
    let fits: Vec<&str> = text
        .graphemes(true)
        .rev()
        .take_while(|grapheme| {
            used += grapheme.width();
            used <= width
        })
        .collect();
    let end: String = fits.into_iter().rev().collect();
    format!("…{end}")
}
