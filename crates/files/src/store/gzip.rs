//! Texts compressed with gzip (RFC 1952).

use crate::store::{Pack, Store};
use flate2::bufread::MultiGzDecoder;
use flate2::write::GzEncoder;
use flate2::{Compression, GzBuilder};
use std::io::{self, BufRead, Read, Write};

/// The fixed part of a header, in bytes.
const HEADER: usize = 10;
/// Offsets in it: flags, the time of the text, the effort of compressing, and the system.
const FLAGS: usize = 3;
const TIME: std::ops::Range<usize> = 4..8;
const EFFORT: usize = 8;
const SYSTEM: usize = 9;
/// Flags: a field for other programs, the name of the text, a comment.
const HAS_EXTRA: u8 = 1 << 2;
const HAS_NAME: u8 = 1 << 3;
const HAS_COMMENT: u8 = 1 << 4;

/// Texts compressed with gzip. Of several members, all are read; what is written is one.
pub struct Gzip;

impl Store for Gzip {
    fn name(&self) -> &'static str {
        "gzip"
    }

    fn magic(&self) -> &'static [u8] {
        // The third byte is the only way of compressing that there is.
        b"\x1f\x8b\x08"
    }

    fn ending(&self) -> Option<&'static str> {
        Some("gz")
    }

    fn unpack<'d>(&self, disk: Box<dyn BufRead + 'd>) -> io::Result<Box<dyn Read + 'd>> {
        Ok(Box::new(MultiGzDecoder::new(disk)))
    }

    fn pack<'o>(
        &self,
        head: &[u8],
        out: Box<dyn Write + Send + 'o>,
    ) -> io::Result<Box<dyn Pack + 'o>> {
        let cut_off = || io::Error::from(io::ErrorKind::UnexpectedEof);
        let fixed = head.get(..HEADER).ok_or_else(cut_off)?;
        let mut rest = &head[HEADER..];
        let mut text = |flag: u8| match fixed[FLAGS] & flag {
            0 => Ok(None),
            _ => {
                let end = memchr::memchr(0, rest).ok_or_else(cut_off)?;
                let text = &rest[..end];
                rest = &rest[end + 1..];
                Ok::<_, io::Error>(Some(text))
            }
        };
        let (name, comment) = (text(HAS_NAME)?, text(HAS_COMMENT)?);
        let mut time = [0; 4];
        time.copy_from_slice(&fixed[TIME]);
        let mut builder = GzBuilder::new()
            .mtime(u32::from_le_bytes(time))
            .operating_system(fixed[SYSTEM]);
        if let Some(name) = name {
            builder = builder.filename(name);
        }
        if let Some(comment) = comment {
            builder = builder.comment(comment);
        }
        let effort = match fixed[EFFORT] {
            2 => Compression::best(),
            4 => Compression::fast(),
            _ => Compression::default(),
        };
        Ok(Box::new(builder.write(out, effort)))
    }

    fn lossy(&self, head: &[u8]) -> Option<&'static str> {
        let flags = head.get(FLAGS).copied().unwrap_or_default();
        (flags & HAS_EXTRA != 0)
            .then_some("holds data for another program in its header, which would be lost")
    }
}

impl<W: Write + Send> Pack for GzEncoder<W> {
    fn end(self: Box<Self>) -> io::Result<()> {
        self.finish()?.flush()
    }
}
