//! The meaning of a key, of a part of a pattern or of a template, in the words of `explain`.

use crate::rewrite_document::{Found, WrittenFile, step_keys};
use brisk_quill_core::explain::{explain_pattern, explain_template};
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::span::Span;
use brisk_quill_core::template::Template;

/// The words for what lies at an offset of a rewrite file, and the bytes that they are about.
pub fn hover(text: &str, offset: usize) -> Option<(String, Span)> {
    let found = WrittenFile::new(text).at(offset)?;
    let words = match &found.part {
        None => key_words(&found.key)?,
        Some((value, at)) => value_words(text, &found, value, *at)?,
    };
    Some((words, found.span))
}

fn key_words(key: &str) -> Option<String> {
    let (name, help) = step_keys().iter().find(|(name, _)| name == key)?;
    Some(format!("`{name}`: {help}"))
}

fn value_words(text: &str, found: &Found, value: &str, at: usize) -> Option<String> {
    let spec = RewriteText::parse(text)
        .ok()
        .and_then(|text| text.step.into_iter().nth(found.step));
    let query = spec.and_then(|spec| spec.query().ok());
    match &*found.key {
        "match" => {
            let alone = || Pattern::new(value, &MatchOptions::default()).ok();
            pattern_words(&query.map(|query| query.pattern).or_else(alone)?, at)
        }
        "where" | "unless" | "near" | "between" | "ensure" => {
            pattern_words(&Pattern::new(value, &MatchOptions::default()).ok()?, at)
        }
        "with" | "lead" | "trail" | "above" | "below" => {
            let template = Template::parse(value, query?.pattern.groups()).ok()?;
            let parts = explain_template(&template).into_iter();
            let lines = parts.map(|(part, words)| format!("* `{part}`: {words}"));
            Some(lines.collect::<Vec<_>>().join("\n"))
        }
        key => key_words(key),
    }
}

/// The smallest part of a pattern at an offset, and those around it.
fn pattern_words(pattern: &Pattern, at: usize) -> Option<String> {
    let mut around: Vec<_> = explain_pattern(pattern)
        .into_iter()
        .filter(|part| part.span.from <= at && at < part.span.to)
        .collect();
    around.sort_by_key(|part| part.span.to - part.span.from);
    let source = pattern.source();
    let lines = around
        .iter()
        .map(|part| format!("* `{}`: {}", &source[part.span.range()], part.words));
    let lines: Vec<String> = lines.collect();
    (!lines.is_empty()).then(|| lines.join("\n"))
}

#[cfg(test)]
mod tests {
    use super::hover;

    #[test]
    fn words_at_places() {
        let text =
            "[[step]]\nmatch = 'berth (\\d+)'\nwith = 'B-${1 | pad 2}'\nignore-case = true\n";
        for (part, wanted) in [
            ("\\d+", "a digit"),
            ("${1", "group 1"),
            ("ignore-case", "Letter case does not matter"),
            ("with", "`with`"),
        ] {
            let (words, _) = hover(text, text.find(part).unwrap()).expect(part);
            assert!(words.contains(wanted), "{part}: {words}");
        }
        assert!(hover(text, 0).is_none());
    }
}
