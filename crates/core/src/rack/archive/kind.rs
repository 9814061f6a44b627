//! What kind of archive a file is, told by its content and never by its name.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::path::Path;

use flate2::read::MultiGzDecoder;
use liblzma::read::XzDecoder;
use liblzma::stream::{CONCATENATED, Stream};
use zstd::Decoder as ZstdDecoder;

/// The memory limit of a decoder: archives of everyday tools need 64 MB, the strongest settings more.
const MOST_MEMORY: u64 = 128 << 20;
const MOST_WINDOW_LOG: u32 = 27;

/// A kind of archive that is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    Zip,
    SevenZip,
    /// A row of files, packed as a whole or not at all.
    Tar(Packing),
}

/// How a whole file is packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Packing {
    Plain,
    Gzip,
    Xz,
    Zstd,
}

/// The kind of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Content {
    Archive(Kind),
    /// A kind of archive that is not read, in words.
    Foreign(&'static str),
    /// Compressed, but not an archive: it contains one file.
    Packed(Packing),
    /// No archive.
    Other,
}

impl Packing {
    pub fn name(self) -> &'static str {
        match self {
            Self::Plain => "plain",
            Self::Gzip => "gzip",
            Self::Xz => "xz",
            Self::Zstd => "zstd",
        }
    }

    /// The bytes of a packed file, unpacked as they are read.
    pub fn reader<'a>(self, file: impl Read + 'a) -> io::Result<Box<dyn Read + 'a>> {
        Ok(match self {
            Self::Plain => Box::new(file),
            Self::Gzip => Box::new(MultiGzDecoder::new(file)),
            Self::Xz => {
                let stream = Stream::new_stream_decoder(MOST_MEMORY, CONCATENATED)?;
                Box::new(XzDecoder::new_stream(file, stream))
            }
            Self::Zstd => {
                let mut decoder = ZstdDecoder::new(file)?;
                decoder.window_log_max(MOST_WINDOW_LOG)?;
                Box::new(decoder)
            }
        })
    }
}

impl Content {
    /// Determines the kind of a file.
    pub fn of(path: &Path) -> io::Result<Self> {
        let mut file = File::open(path)?;
        let start = start_of(&mut file)?;
        if let Some(kind) = by_start(&start) {
            return Ok(kind);
        }
        if is_tar(&start) {
            return Ok(Self::Archive(Kind::Tar(Packing::Plain)));
        }
        let Some(packing) = packing(&start) else {
            return Ok(if is_disc(&mut file)? {
                Self::Foreign("a disc image")
            } else {
                Self::Other
            });
        };
        file.rewind()?;
        // What cannot be unpacked is damaged, and said to be so if it is unpacked.
        let inside = packing.reader(file).and_then(|mut reader| start_of(&mut reader));
        Ok(match inside {
            Ok(inside) if !is_tar(&inside) => Self::Packed(packing),
            _ => Self::Archive(Kind::Tar(packing)),
        })
    }
}

/// The first bytes, as many as a tar's first heading has.
fn start_of(reader: &mut impl Read) -> io::Result<Vec<u8>> {
    let mut start = Vec::new();
    reader.take(512).read_to_end(&mut start)?;
    Ok(start)
}

fn by_start(start: &[u8]) -> Option<Content> {
    Some(match start {
        [b'P', b'K', 3 | 5 | 7, 4 | 6 | 8, ..] => Content::Archive(Kind::Zip),
        [b'7', b'z', 0xBC, 0xAF, 0x27, 0x1C, ..] => Content::Archive(Kind::SevenZip),
        [b'R', b'a', b'r', b'!', 0x1A, 7, ..] => Content::Foreign("a RAR archive"),
        [b'M', b'S', b'C', b'F', 0, 0, ..] => Content::Foreign("a cabinet file"),
        [b'B', b'Z', b'h', b'1'..=b'9', ..] => Content::Foreign("packed with bzip2"),
        [b'L', b'Z', b'I', b'P', ..] => Content::Foreign("packed with lzip"),
        [0x04, 0x22, 0x4D, 0x18, ..] => Content::Foreign("packed with LZ4"),
        [0x1F, 0x9D | 0xA0, ..] => Content::Foreign("packed with compress"),
        [0xD0, 0xCF, 0x11, 0xE0, 0xA1, 0xB1, 0x1A, 0xE1, ..] => {
            Content::Foreign("an installer package")
        }
        _ => return None,
    })
}

fn packing(start: &[u8]) -> Option<Packing> {
    Some(match start {
        [0x1F, 0x8B, ..] => Packing::Gzip,
        [0xFD, b'7', b'z', b'X', b'Z', 0, ..] => Packing::Xz,
        [0x28, 0xB5, 0x2F, 0xFD, ..] => Packing::Zstd,
        _ => return None,
    })
}

/// Whether bytes begin with the header of a file in a tar, which contains its own checksum.
fn is_tar(start: &[u8]) -> bool {
    let Ok(bytes) = <&[u8; 512]>::try_from(start) else { return false };
    let header = tar::Header::from_byte_slice(bytes);
    // The checksum treats its own eight bytes as blanks.
    let sum = |range: &[u8]| range.iter().map(|&byte| u32::from(byte)).sum::<u32>();
    let real = sum(&bytes[..148]) + 8 * u32::from(b' ') + sum(&bytes[156..]);
    bytes[0] != 0 && header.cksum().is_ok_and(|stated| stated == real)
}

/// Whether a file is the image of a disc, which says so behind its first 16 sectors.
fn is_disc(file: &mut File) -> io::Result<bool> {
    const MARK_AT: u64 = 16 * 2048 + 1;
    let mut mark = Vec::new();
    file.seek(SeekFrom::Start(MARK_AT))?;
    file.take(5).read_to_end(&mut mark)?;
    Ok(mark == b"CD001")
}
