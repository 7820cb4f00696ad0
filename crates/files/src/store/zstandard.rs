//! Texts compressed with Zstandard (RFC 8878).

use crate::store::{Pack, Store};
use std::fs::File;
use std::io::{self, BufRead, BufWriter, Read, Seek, Write};
use zstd::stream::read::Decoder;
use zstd::stream::write::Encoder;

/// The flags of a frame that has no window of its own, of one with a checksum, and of the size of its text.
const ONE_SEGMENT: u8 = 1 << 5;
const CHECKSUM: u8 = 1 << 2;
const SIZE: u8 = 3 << 6;
/// The last bytes of a file with a table of its frames.
const TABLE_END: &[u8] = &[0xB1, 0xEA, 0x92, 0x8F];
/// Copied at a time, in bytes.
const CHUNK: usize = 1 << 18;

/// Texts compressed with Zstandard. Of several frames, all are read; what is written is one.
pub struct Zstandard;

/// The choices that a frame's header shows.
struct Manner {
    checksum: bool,
    size: bool,
    level: i32,
    /// The logarithm of the window, where it is larger than that of any level.
    window: Option<u32>,
}

impl Manner {
    /// The frame header of a file which begins with `head`.
    fn of(head: &[u8]) -> io::Result<Self> {
        let cut_off = || io::Error::from(io::ErrorKind::UnexpectedEof);
        let flags = *head.get(4).ok_or_else(cut_off)?;
        let one_segment = flags & ONE_SEGMENT != 0;
        let window = match one_segment {
            // As large as the text, which says nothing.
            true => None,
            false => Some(10 + u32::from(*head.get(5).ok_or_else(cut_off)? >> 3)),
        };
        // The levels of the library have these windows for long texts.
        let level = match window {
            None | Some(21) => 3,
            Some(..=19) => 1,
            Some(20) => 2,
            Some(23) => 19,
            Some(22 | 24..) => 9,
        };
        Ok(Self {
            checksum: flags & CHECKSUM != 0,
            size: one_segment || flags & SIZE != 0,
            level,
            window: window.filter(|window| *window > 23),
        })
    }
}

impl Store for Zstandard {
    fn name(&self) -> &'static str {
        "zstd"
    }

    fn magic(&self) -> &'static [u8] {
        b"\x28\xb5\x2f\xfd"
    }

    fn ending(&self) -> Option<&'static str> {
        Some("zst")
    }

    fn unpack<'d>(&self, disk: Box<dyn BufRead + 'd>) -> io::Result<Box<dyn Read + 'd>> {
        Ok(Box::new(Decoder::with_buffer(disk)?))
    }

    fn pack<'o>(
        &self,
        head: &[u8],
        out: Box<dyn Write + Send + 'o>,
    ) -> io::Result<Box<dyn Pack + 'o>> {
        let manner = Manner::of(head)?;
        // The size stands in the header, so the text is kept until it is known.
        Ok(match manner.size {
            true => Box::new(Sized {
                text: BufWriter::with_capacity(CHUNK, tempfile::tempfile()?),
                manner,
                out,
            }),
            false => Box::new(encoder(&manner, None, out)?),
        })
    }

    fn lossy_at_end(&self, tail: &[u8]) -> Option<&'static str> {
        tail.ends_with(TABLE_END)
            .then_some("ends with a table of its parts, which would be lost")
    }
}

fn encoder<'o>(
    manner: &Manner,
    size: Option<u64>,
    out: Box<dyn Write + Send + 'o>,
) -> io::Result<Encoder<'static, Box<dyn Write + Send + 'o>>> {
    let mut encoder = Encoder::new(out, manner.level)?;
    encoder.include_checksum(manner.checksum)?;
    encoder.include_contentsize(size.is_some())?;
    encoder.set_pledged_src_size(size)?;
    if let Some(window) = manner.window {
        encoder.window_log(window)?;
    }
    Ok(encoder)
}

impl<W: Write + Send> Pack for Encoder<'_, W> {
    fn end(self: Box<Self>) -> io::Result<()> {
        self.finish()?.flush()
    }
}

/// A text whose size is written before it.
struct Sized<'o> {
    text: BufWriter<File>,
    manner: Manner,
    out: Box<dyn Write + Send + 'o>,
}

impl Write for Sized<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.text.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.text.flush()
    }
}

impl Pack for Sized<'_> {
    fn end(self: Box<Self>) -> io::Result<()> {
        let mut text = self
            .text
            .into_inner()
            .map_err(io::IntoInnerError::into_error)?;
        let size = text.stream_position()?;
        text.rewind()?;
        let mut encoder = encoder(&self.manner, Some(size), self.out)?;
        io::copy(&mut text, &mut encoder)?;
        encoder.finish()?.flush()
    }
}
