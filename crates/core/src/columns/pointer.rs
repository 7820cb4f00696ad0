//! Segments of JSON pointers: RFC 6901, section 4.

use std::borrow::Cow;

/// A segment of a pointer as the key it stands for.
pub(crate) fn unescaped(segment: &str) -> Cow<'_, str> {
    match segment.contains('~') {
        true => segment.replace("~1", "/").replace("~0", "~").into(),
        false => segment.into(),
    }
}

/// A key as a segment of a pointer.
pub(crate) fn escaped(key: &str) -> Cow<'_, str> {
    match key.contains(['~', '/']) {
        true => key.replace('~', "~0").replace('/', "~1").into(),
        false => key.into(),
    }
}
