//! Texts in the encodings that people's programs write: found out, read, and written back.

use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE, WINDOWS_1252};

/// An encoding, with the mark at the start of a file that says so.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TextEncoding {
    encoding: &'static Encoding,
    has_mark: bool,
}

/// A file as a text.
#[derive(Debug, Clone)]
pub struct Decoded {
    /// How it is written.
    pub encoding: TextEncoding,
    /// The text.
    pub text: String,
    /// Whether the same bytes come from the text again.
    pub is_exact: bool,
}

impl TextEncoding {
    /// Whether the encoding can express every character. For an unknown code page only ASCII is certain.
    pub fn is_unicode(self) -> bool {
        self.encoding != WINDOWS_1252
    }

    /// Whether a text in ASCII could as well be one of a code page.
    pub(crate) fn is_plain(self) -> bool {
        self.encoding == UTF_8 && !self.has_mark
    }

    /// Finds out how a file is written: by its mark; as UTF-8, if it is that; as UTF-16, where every second byte is
    /// zero as in no other text; else in some code page.
    fn of(bytes: &[u8]) -> Self {
        if let Some((encoding, _)) = Encoding::for_bom(bytes) {
            return Self { encoding, has_mark: true };
        }
        let zeros = |first: usize| {
            let units = bytes.len() / 2;
            let zeros = bytes.iter().skip(first).step_by(2).filter(|&&byte| byte == 0).count();
            units > 0 && zeros * 10 >= units * 9
        };
        let encoding = match () {
            () if zeros(1) && !zeros(0) => UTF_16LE,
            () if zeros(0) && !zeros(1) => UTF_16BE,
            () if std::str::from_utf8(bytes).is_ok() => UTF_8,
            () => WINDOWS_1252,
        };
        Self { encoding, has_mark: false }
    }

    /// The mark at the start of a file.
    fn mark(self) -> &'static [u8] {
        match () {
            () if !self.has_mark => &[],
            () if self.encoding == UTF_16LE => &[0xFF, 0xFE],
            () if self.encoding == UTF_16BE => &[0xFE, 0xFF],
            () => &[0xEF, 0xBB, 0xBF],
        }
    }

    /// A text as the bytes of a file. Characters that a code page lacks become `?`.
    pub fn encode(self, text: &str) -> Vec<u8> {
        let mut bytes = self.mark().to_vec();
        if self.encoding == UTF_16LE {
            bytes.extend(text.encode_utf16().flat_map(u16::to_le_bytes));
        } else if self.encoding == UTF_16BE {
            bytes.extend(text.encode_utf16().flat_map(u16::to_be_bytes));
        } else if self.encoding == UTF_8 {
            bytes.extend(text.as_bytes());
        } else {
            // The other half of a code page is kept byte by byte: each is one character here.
            bytes.extend(text.chars().map(|c| u8::try_from(u32::from(c)).unwrap_or(b'?')));
        }

        bytes
    }
}

/// Reads a file as a text that can be written back.
pub fn decode(bytes: &[u8]) -> Decoded {
    let encoding = TextEncoding::of(bytes);
    let content = &bytes[encoding.mark().len()..];
    let text = if encoding.is_unicode() {
        encoding.encoding.decode_without_bom_handling(content).0.into_owned()
    } else {
        encoding_rs::mem::decode_latin1(content).into_owned()
    };
    let is_exact = encoding.encode(&text) == bytes;
    Decoded { encoding, text, is_exact }
}

/// The encoding of a text, by its first bytes. Text that is neither Unicode nor marked counts as Windows' western
/// code page.
pub fn encoding_of(start: &[u8]) -> &'static Encoding {
    // A character may be cut at the end.
    let whole = std::str::from_utf8(start).map_or_else(
        |error| if error.error_len().is_none() { error.valid_up_to() } else { start.len() },
        str::len,
    );
    TextEncoding::of(&start[..whole]).encoding
}

/// Decodes a file as a text for people. Text that is neither Unicode nor marked counts as Windows' western code page,
/// which most old texts use.
pub fn decoded(bytes: &[u8]) -> String {
    let encoding = TextEncoding::of(bytes);
    encoding.encoding.decode(bytes).0.into_owned()
}
