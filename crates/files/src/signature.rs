//! Structured formats known by the first bytes of a file: what is not text, and would be destroyed if it were
//! written as text.

use memchr::memmem;

/// The most bytes at the beginning of a file that are looked at.
pub const LOOKED_AT: usize = 8 << 10;

/// A format that begins with fixed bytes.
struct Format {
    /// The offset of the bytes.
    at: usize,
    bytes: &'static [u8],
    name: &'static str,
}

const fn begins(bytes: &'static [u8], name: &'static str) -> Format {
    holds(0, bytes, name)
}

const fn holds(at: usize, bytes: &'static [u8], name: &'static str) -> Format {
    Format { at, bytes, name }
}

/// The name of an archive that may be more than one.
const ZIP: &str = "a zip archive";

/// Read by a build with the feature `parquet`.
const PARQUET: &str = "a Parquet file";

/// The formats, each with the bytes that its registered description gives.
const FORMATS: &[Format] = &[
    begins(
        b"{\"record\":\"plan\",\"format\":",
        "a plan of this program",
    ),
    begins(b"SQLite format 3\0", "an SQLite database"),
    begins(b"PAR1", PARQUET),
    begins(b"PARE", "an encrypted Parquet file"),
    begins(b"ARROW1\0\0", "an Arrow file"),
    begins(b"Obj\x01", "an Avro file"),
    begins(b"ORC", "an ORC file"),
    begins(b"\x89HDF\r\n\x1a\n", "an HDF5 file"),
    begins(b"%PDF-", "a PDF document"),
    begins(
        b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1",
        "a compound document, such as an old workbook",
    ),
    begins(b"PK\x03\x04", ZIP),
    begins(b"PK\x05\x06", ZIP),
    begins(b"PK\x07\x08", ZIP),
    begins(b"\xfd7zXZ\0", "an xz archive"),
    begins(b"BZh", "a bzip2 archive"),
    begins(b"\x04\x22\x4d\x18", "an LZ4 archive"),
    begins(b"7z\xbc\xaf\x27\x1c", "a 7z archive"),
    begins(b"Rar!\x1a\x07", "a RAR archive"),
    holds(257, b"ustar", "a tar archive"),
    begins(b"\x89PNG\r\n\x1a\n", "a PNG image"),
    begins(b"\xff\xd8\xff", "a JPEG image"),
    begins(b"GIF87a", "a GIF image"),
    begins(b"GIF89a", "a GIF image"),
    begins(b"II*\0", "a TIFF image"),
    begins(b"MM\0*", "a TIFF image"),
    begins(b"BM", "a bitmap image"),
    holds(8, b"WEBP", "a WebP image"),
    holds(8, b"WAVE", "a sound file"),
    holds(4, b"ftyp", "a film or an image"),
    begins(b"\x1a\x45\xdf\xa3", "a film"),
    begins(b"OggS", "a sound file"),
    begins(b"fLaC", "a sound file"),
    begins(b"ID3", "a sound file"),
    begins(b"\x7fELF", "a program or a library"),
    begins(b"MZ", "a program or a library"),
    begins(b"\xcf\xfa\xed\xfe", "a program or a library"),
    begins(b"\xca\xfe\xba\xbe", "a program or a library"),
    begins(b"\0asm", "a program or a library"),
    begins(b"wOFF", "a font"),
    begins(b"wOF2", "a font"),
    begins(b"OTTO", "a font"),
];

/// Names inside a zip archive near its beginning, and what the archive is then.
const INSIDE: &[(&[u8], &str)] = &[
    (
        b"application/vnd.oasis.opendocument.spreadsheet",
        "an OpenDocument spreadsheet",
    ),
    (
        b"application/vnd.oasis.opendocument",
        "an OpenDocument file",
    ),
    (b"application/epub+zip", "an EPUB book"),
    (b"xl/", "a workbook"),
    (b"word/", "a word-processor document"),
    (b"ppt/", "a presentation"),
    (b"META-INF/MANIFEST.MF", "a Java archive"),
];

/// The structured format that a file with this beginning is in, with its article; `None` for what may be
/// text.
///
/// ```
/// use brisk_quill_files::signature::structured;
/// assert_eq!(structured(b"%PDF-1.7\n"), Some("a PDF document"));
/// assert_eq!(structured(b"BM is short for berth master\n"), None);
/// ```
pub fn structured(head: &[u8]) -> Option<&'static str> {
    let head = &head[..head.len().min(LOOKED_AT)];
    let format = FORMATS.iter().find(|format| {
        let there = head.get(format.at..).unwrap_or_default();
        there.starts_with(format.bytes) && (is_telling(format) || is_no_text(head))
    })?;
    if format.name != ZIP {
        return Some(format.name);
    }
    let inside = INSIDE
        .iter()
        .find(|(name, _)| memmem::find(head, name).is_some());
    Some(inside.map_or(ZIP, |(_, name)| name))
}

/// The feature of this program, left out of this build, that reads files of a structured format.
///
/// ```
/// use brisk_quill_files::signature::feature_left_out;
/// assert_eq!(feature_left_out("a PDF document"), None);
/// ```
pub fn feature_left_out(format: &str) -> Option<&'static str> {
    (format == PARQUET && !cfg!(feature = "parquet")).then_some("parquet")
}

/// True if text hardly ever begins like that.
fn is_telling(format: &Format) -> bool {
    let names_itself = format.bytes.starts_with(b"{\"record\"") || format.bytes == b"%PDF-";
    names_itself
        || format
            .bytes
            .iter()
            .any(|byte| !(b' '..=b'~').contains(byte))
}

fn is_no_text(head: &[u8]) -> bool {
    let is_cut_character = |error: std::str::Utf8Error| error.error_len().is_none();
    let is_utf8 = std::str::from_utf8(head).map_or_else(is_cut_character, |_| true);
    !is_utf8 || head.contains(&0)
}
