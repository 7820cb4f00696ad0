//! Help that fits on a screen: a page for each verb, and one for each topic.
//!
//! Note to the maintainer: the pages are texts in `help`. A test runs every example on them, and sees that each option on
//! them is there.

/// The page of the whole program.
pub const PROGRAM: &str = include_str!("../../help/bquill.txt");

/// The pages of verbs; one that has none shows all of its help.
pub const VERBS: &[(&str, &str)] = &[
    ("apply", include_str!("../../help/verbs/apply.txt")),
    ("check", include_str!("../../help/verbs/check.txt")),
    ("draft", include_str!("../../help/verbs/draft.txt")),
    ("extract", include_str!("../../help/verbs/extract.txt")),
    ("find", include_str!("../../help/verbs/find.txt")),
    ("infer", include_str!("../../help/verbs/infer.txt")),
    ("preview", include_str!("../../help/verbs/preview.txt")),
    ("review", include_str!("../../help/verbs/review.txt")),
    ("shapes", include_str!("../../help/verbs/shapes.txt")),
    ("tally", include_str!("../../help/verbs/tally.txt")),
    ("undo", include_str!("../../help/verbs/undo.txt")),
];

/// The pages of topics.
pub const TOPICS: &[(&str, &str)] = &[
    ("columns", include_str!("../../help/topics/columns.txt")),
    ("places", include_str!("../../help/topics/places.txt")),
    ("templates", include_str!("../../help/topics/templates.txt")),
    ("dialect", include_str!("../../help/topics/dialect.txt")),
    (
        "multi-line",
        include_str!("../../help/topics/multi-line.txt"),
    ),
    ("undo", include_str!("../../help/topics/undo.txt")),
    ("limits", include_str!("../../help/topics/limits.txt")),
    ("settings", include_str!("../../help/topics/settings.txt")),
];

/// The page with this name.
pub fn named(pages: &[(&str, &'static str)], name: &str) -> Option<&'static str> {
    let found = pages.iter().find(|(own, _)| *own == name);
    found.map(|(_, page)| *page)
}
