//! Reads ranges of a file through a small cache of blocks, so that a few parts of a large image
//! cost a few reads, and nothing is ever allocated that the file could not fill.

use std::collections::HashMap;
use std::io::{self, Read, Seek, SeekFrom};

use object::pod::{self, Pod};

use crate::budget::{LONGEST_NAME, MOST_BLOCKS, MOST_READ, MOST_TEXT};
use crate::error::ImageError;

/// So much is read at a time: the headers and one table are mostly in one block, and few bytes are read in vain.
const BLOCK: u64 = 16 * 1024;

pub(super) struct Source<R> {
    reader: R,
    len: u64,
    blocks: HashMap<u64, Box<[u8]>>,
    /// Bytes of text that may still be handed out: a table may name one long text a million times.
    text_left: u64,
    /// Bytes that may still be read: a table may point all over the file.
    read_left: u64,
}

impl<R: Read + Seek> Source<R> {
    pub fn new(mut reader: R) -> io::Result<Self> {
        let len = reader.seek(SeekFrom::End(0))?;
        let (text_left, read_left) = (MOST_TEXT, MOST_READ);
        Ok(Self { reader, len, blocks: HashMap::new(), text_left, read_left })
    }

    pub fn len(&self) -> u64 {
        self.len
    }

    /// Exactly `len` bytes from `offset`; `what` names them in the error.
    pub fn bytes(
        &mut self,
        offset: u64,
        len: u64,
        what: &'static str,
    ) -> Result<Vec<u8>, ImageError> {
        let end = offset.checked_add(len).filter(|&end| end <= self.len);
        let Some(end) = end else {
            let needed = offset.saturating_add(len);
            return Err(ImageError::Truncated { what, needed, present: self.len });
        };
        let mut out = Vec::with_capacity(len as usize);
        let mut at = offset;
        while at < end {
            let index = at / BLOCK;
            let within = (at % BLOCK) as usize;
            let block = self.block(index, what)?;
            let take = (block.len() - within).min((end - at) as usize);
            out.extend_from_slice(&block[within..within + take]);
            at += take as u64;
        }

        Ok(out)
    }

    /// Hands out the bytes between two offsets in pieces that are not kept.
    pub fn each_chunk(
        &mut self,
        start: u64,
        end: u64,
        mut take: impl FnMut(&[u8]),
    ) -> Result<(), ImageError> {
        let mut left = end.min(self.len).saturating_sub(start);
        let mut buffer = vec![0; left.min(128 * 1024) as usize];
        self.reader.seek(SeekFrom::Start(start))?;
        while left > 0 {
            let piece = left.min(buffer.len() as u64) as usize;
            self.reader.read_exact(&mut buffer[..piece])?;
            take(&buffer[..piece]);
            left -= piece as u64;
        }
        Ok(())
    }

    /// One structure of the format.
    pub fn pod<T: Pod>(&mut self, offset: u64, what: &'static str) -> Result<T, ImageError> {
        let bytes = self.bytes(offset, size_of::<T>() as u64, what)?;
        let (value, _) = pod::from_bytes::<T>(&bytes).map_err(|()| ImageError::malformed(what))?;
        Ok(*value)
    }

    /// `count` structures of the format, one behind the other.
    pub fn pods<T: Pod>(
        &mut self,
        offset: u64,
        count: usize,
        what: &'static str,
    ) -> Result<Vec<T>, ImageError> {
        let len = (count as u64).saturating_mul(size_of::<T>() as u64);
        let bytes = self.bytes(offset, len, what)?;
        let (values, _) =
            pod::slice_from_bytes::<T>(&bytes, count).map_err(|()| ImageError::malformed(what))?;
        Ok(values.to_vec())
    }

    /// A text that ends with a zero byte. Bytes that are not UTF-8 become replacement characters.
    pub fn text(&mut self, offset: u64, what: &'static str) -> Result<String, ImageError> {
        let mut out = Vec::new();
        let mut at = offset;
        loop {
            if at >= self.len || out.len() > LONGEST_NAME {
                return Err(ImageError::malformed(what));
            }
            let within = (at % BLOCK) as usize;
            let block = self.block(at / BLOCK, what)?;
            let rest = &block[within..];
            let end = rest.iter().position(|&byte| byte == 0);
            out.extend_from_slice(&rest[..end.unwrap_or(rest.len())]);
            if end.is_some() {
                break;
            }
            at += rest.len() as u64;
        }

        let text = String::from_utf8_lossy(&out).into_owned();
        self.keep_text(text.len(), what)?;
        Ok(text)
    }

    /// Hands a text that ends with a zero byte out, as its bytes, that are not kept.
    pub fn with_text<T>(
        &mut self,
        offset: u64,
        what: &'static str,
        take: impl FnOnce(&[u8]) -> T,
    ) -> Result<T, ImageError> {
        if offset >= self.len {
            return Err(ImageError::malformed(what));
        }
        let within = (offset % BLOCK) as usize;
        let rest = &self.block(offset / BLOCK, what)?[within..];
        if let Some(end) = rest.iter().take(LONGEST_NAME).position(|&byte| byte == 0) {
            return Ok(take(&rest[..end]));
        }
        // It continues in the next block.
        Ok(take(self.text(offset, what)?.as_bytes()))
    }

    /// Counts text that is kept.
    pub fn keep_text(&mut self, len: usize, what: &'static str) -> Result<(), ImageError> {
        let left = self.text_left.checked_sub(len as u64);
        self.text_left = left.ok_or(ImageError::excessive(what))?;
        Ok(())
    }

    fn block(&mut self, index: u64, what: &'static str) -> Result<&[u8], ImageError> {
        use std::collections::hash_map::Entry;
        if self.blocks.len() >= MOST_BLOCKS && !self.blocks.contains_key(&index) {
            self.blocks.clear();
        }
        match self.blocks.entry(index) {
            Entry::Occupied(entry) => Ok(entry.into_mut()),
            Entry::Vacant(entry) => {
                let left = self.read_left.checked_sub(BLOCK);
                self.read_left = left.ok_or(ImageError::excessive(what))?;
                let start = index * BLOCK;
                let mut block = vec![0; BLOCK.min(self.len - start) as usize].into_boxed_slice();
                self.reader.seek(SeekFrom::Start(start))?;
                self.reader.read_exact(&mut block)?;
                Ok(entry.insert(block))
            }
        }
    }
}
