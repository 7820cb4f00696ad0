//! Segments of JSON pointers: RFC 6901, section 4.

/// A segment of a pointer as the key it stands for.
pub(crate) fn unescaped(segment: &str) -> String {
    segment.replace("~1", "/").replace("~0", "~")
}

/// A key as a segment of a pointer.
pub(crate) fn escaped(key: &str) -> String {
    key.replace('~', "~0").replace('/', "~1")
}
