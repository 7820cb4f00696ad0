//! Names, and the files they are in.

use brisk_quill_core::nearest::distance;
use brisk_quill_files::source::Source;

/// True for files that hold program text, by their names.
pub fn is_code(source: &Source) -> bool {
    const CODE: &[&str] = &[
        "c", "cc", "cpp", "cs", "go", "h", "hpp", "java", "js", "jsx", "json", "kt", "lua", "php",
        "pl", "py", "rb", "rs", "sh", "sql", "swift", "toml", "ts", "tsx", "yaml", "yml", "zig",
    ];
    let ending = source.path().extension();
    ending.is_some_and(|ending| CODE.iter().any(|code| ending == *code))
}

/// True if two words are spellings of one, as `harbour` and `harbor` are.
pub fn is_spelling(old: &str, new: &str) -> bool {
    let (old, new) = (old.to_lowercase(), new.to_lowercase());
    let letters = |text: &str| text.chars().all(char::is_alphabetic);
    old != new
        && letters(&old)
        && letters(&new)
        && old.chars().count() > 3
        && distance(&old, &new) <= 1
}

/// True for a name, as of a ship or in a program, and not for a word of everyday language.
pub fn is_name(text: &str) -> bool {
    text.contains(|c: char| c.is_uppercase() || c.is_numeric() || c == '_')
}
