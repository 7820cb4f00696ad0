//! Paths of files and the addresses that editors have for them (RFC 8089).

use brisk_quill_core::escape::uri_path;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

/// The path that a `file:` address means; `None` for any other address, as of a text without a name.
pub fn path_of(uri: &str) -> Option<PathBuf> {
    let rest = uri.strip_prefix("file://")?;
    // A host may stand before the path: this one, or none.
    let rest = rest.strip_prefix("localhost").unwrap_or(rest);
    if !rest.starts_with('/') {
        return None;
    }
    let (mut bytes, mut rest) = (Vec::new(), rest.as_bytes());
    while let Some((&first, after)) = rest.split_first() {
        let coded = (first == b'%').then(|| after.get(..2)).flatten();
        let coded =
            coded.and_then(|two| u8::from_str_radix(std::str::from_utf8(two).ok()?, 16).ok());
        bytes.push(coded.unwrap_or(first));
        rest = if coded.is_some() { &after[2..] } else { after };
    }
    Some(PathBuf::from(std::ffi::OsStr::from_bytes(&bytes)))
}

/// The address of an absolute path.
pub fn uri_of(path: &Path) -> String {
    format!("file://{}", uri_path(path.as_os_str().as_bytes()))
}

#[cfg(test)]
mod tests {
    use super::{path_of, uri_of};
    use proptest::prelude::*;
    use std::ffi::OsStr;
    use std::os::unix::ffi::OsStrExt;
    use std::path::Path;

    proptest! {
        #[test]
        fn a_path_and_its_address_lead_to_each_other(bytes in prop::collection::vec(1..=255u8, 0..12)) {
            let name = [b"/", &bytes[..]].concat();
            let path = Path::new(OsStr::from_bytes(&name));
            prop_assert_eq!(path_of(&uri_of(path)).unwrap(), path);
        }
    }

    #[test]
    fn addresses_of_other_things() {
        for (uri, wanted) in [
            ("file:///port/a%20b.txt", Some("/port/a b.txt")),
            ("file://localhost/port/%zz%", Some("/port/%zz%")),
            ("untitled:Untitled-1", None),
            ("file://elsewhere", None),
        ] {
            assert_eq!(path_of(uri).as_deref(), wanted.map(Path::new), "{uri}");
        }
    }
}
