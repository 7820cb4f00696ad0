//! The places of the characters of a string in its TOML form (TOML 1.1, "String").

/// For each byte of the value of a string, and for its end, the offset in `raw`, which is the string as it is written,
/// with its quotes.
pub fn places(raw: &str) -> Vec<usize> {
    let quote = ["\"\"\"", "'''", "\"", "'"]
        .into_iter()
        .find(|quote| raw.starts_with(quote));
    let Some(quote) = quote.filter(|quote| raw.len() >= 2 * quote.len()) else {
        return (0..=raw.len()).collect();
    };
    let (mut at, end) = (quote.len(), raw.len() - quote.len());
    // A line end right behind the quotes does not belong to it.
    if quote.len() == 3 {
        let rest = &raw[at..end];
        at += usize::from(rest.starts_with('\n')) + 2 * usize::from(rest.starts_with("\r\n"));
    }
    let mut places = Vec::new();
    while at < end {
        let rest = &raw[at..end];
        if quote.starts_with('"') && rest.starts_with('\\') {
            let (bytes, length) = escape(rest);
            places.extend(std::iter::repeat_n(at, bytes));
            at += length;
        } else {
            let length = rest.chars().next().map_or(1, char::len_utf8);
            places.extend(at..at + length);
            at += length;
        }
    }
    places.push(end);
    places
}

/// Bytes of the value that an escape stands for, and its length.
fn escape(rest: &str) -> (usize, usize) {
    let digits = |count: usize| {
        let code = rest
            .get(2..2 + count)
            .and_then(|digits| u32::from_str_radix(digits, 16).ok());
        (
            code.and_then(char::from_u32).map_or(1, char::len_utf8),
            2 + count,
        )
    };
    match rest.as_bytes().get(1) {
        Some(b'x') => digits(2),
        Some(b'u') => digits(4),
        Some(b'U') => digits(8),
        Some(b' ' | b'\t' | b'\r' | b'\n') => {
            let blanks = rest[1..].len() - rest[1..].trim_start().len();
            (0, 1 + blanks)
        }
        _ => (1, 2.min(rest.len())),
    }
}

#[cfg(test)]
mod tests {
    use super::places;

    #[test]
    fn every_form_of_a_string() {
        for raw in [
            r#""a\tb\u00e5c\\d""#,
            r"'a\tb'",
            "'''\na\\b\n'c'''",
            "\"\"\"\r\nfirst \\\n   second \\x41\\U0001F6A2!\"\"\"",
            "\"\"",
        ] {
            let value: toml::Table = toml::from_str(&format!("k = {raw}")).unwrap();
            let value = value["k"].as_str().unwrap();
            let places = places(raw);
            assert_eq!(places.len(), value.len() + 1, "{raw}");
            for (at, character) in value.char_indices() {
                let there = &raw[places[at]..];
                assert!(
                    there.starts_with(character) || there.starts_with('\\'),
                    "{raw} at {at}: {there}"
                );
            }
        }
    }
}
