//! Checks a 7z's headers before a library unpacks it, since that library trusts every count and size. Only the list
//! of contents is unpacked here, and no number from the file determines an allocation.

use std::collections::HashSet;
use std::io::{self, Read, Seek, SeekFrom};

use lzma_rust2::{Lzma2Reader, LzmaReader};

use super::outline::{Fault, GET_AGAIN, MOST_DIRECTORY, Outline, UNPACK_BY_HAND};
use crate::settings::Limits;

/// The start of every 7z: signature, version, and the position of the list of contents.
const START: u64 = 32;

/// More coders than any packer lines up: a filter with four inputs, and what unpacks them.
const MOST_CODERS: usize = 8;

/// The ids in a list of contents.
mod id {
    pub const END: u8 = 0x00;
    pub const HEADER: u8 = 0x01;
    pub const PROPERTIES: u8 = 0x02;
    pub const STREAMS: u8 = 0x04;
    pub const FILES: u8 = 0x05;
    pub const PACKED: u8 = 0x06;
    pub const UNPACKED: u8 = 0x07;
    pub const PARTS: u8 = 0x08;
    pub const SIZE: u8 = 0x09;
    pub const CHECKSUM: u8 = 0x0A;
    pub const BLOCK: u8 = 0x0B;
    pub const UNPACKED_SIZES: u8 = 0x0C;
    pub const PART_COUNTS: u8 = 0x0D;
    pub const EMPTY_STREAM: u8 = 0x0E;
    pub const EMPTY_FILE: u8 = 0x0F;
    pub const ANTI: u8 = 0x10;
    pub const NAME: u8 = 0x11;
    pub const CREATED: u8 = 0x12;
    pub const ACCESSED: u8 = 0x13;
    pub const MODIFIED: u8 = 0x14;
    pub const ATTRIBUTES: u8 = 0x15;
    pub const PACKED_HEADER: u8 = 0x17;
    pub const START_POSITION: u8 = 0x18;
}

/// The known compression methods.
mod method {
    pub const COPY: &[u8] = &[0x00];
    pub const DELTA: &[u8] = &[0x03];
    pub const LZMA: &[u8] = &[0x03, 0x01, 0x01];
    pub const LZMA2: &[u8] = &[0x21];
    pub const FOUR_INPUTS: &[u8] = &[0x03, 0x03, 0x01, 0x1B];
    pub const AES: &[u8] = &[0x06, 0xF1, 0x07, 0x01];
    /// Filters for the code of one kind of processor each.
    pub const OF_CODE: [&[u8]; 8] = [
        &[0x0A],
        &[0x0B],
        &[0x03, 0x03, 0x01, 0x03],
        &[0x03, 0x03, 0x02, 0x05],
        &[0x03, 0x03, 0x04, 0x01],
        &[0x03, 0x03, 0x05, 0x01],
        &[0x03, 0x03, 0x07, 0x01],
        &[0x03, 0x03, 0x08, 0x05],
    ];
    /// Those that are not supported, by name, for the message.
    pub const OTHERS: [(&[u8], &str); 5] = [
        (&[0x03, 0x04, 0x01], "PPMd"),
        (&[0x04, 0x01, 0x08], "Deflate"),
        (&[0x04, 0x01, 0x09], "Deflate64"),
        (&[0x04, 0x02, 0x02], "BZip2"),
        (&[0x04, 0xF7, 0x11, 0x01], "Zstandard"),
    ];
}

type Checked<T> = Result<T, Fault>;

fn damaged(what: &str) -> Fault {
    Fault { why: format!("the archive is damaged ({what})"), advice: GET_AGAIN }
}

fn unreadable(error: &io::Error) -> Fault {
    damaged(&error.to_string())
}

/// Checks an archive and says how much it holds.
pub(super) fn check<R: Read + Seek>(file: &mut R, limits: &Limits) -> Checked<Outline> {
    let len = file.seek(SeekFrom::End(0)).map_err(|error| unreadable(&error))?;
    let mut start = [0; START as usize];
    read_at(file, 0, &mut start)?;
    let mut fields = Fields(&start[12..]);
    if start[6] != 0 {
        let why = format!("it is of version {}.{} of its format", start[6], start[7]);
        return Err(Fault { why, advice: UNPACK_BY_HAND });
    }

    if crc32fast::hash(&start[12..]).to_le_bytes() != start[8..12] {
        return Err(damaged("the checksum of its beginning does not match"));
    }
    let (offset, size, checksum) = (fields.u64()?, fields.u64()?, fields.u32()?);
    let end = offset.checked_add(START).and_then(|at| at.checked_add(size));
    if end.is_none_or(|end| end > len) {
        return Err(damaged("its list of contents is beyond its end"));
    }
    if size == 0 {
        return Err(damaged("it has no list of contents"));
    }

    let listed = read_list(file, offset, size)?;
    if crc32fast::hash(&listed) != checksum {
        return Err(damaged("the checksum of its list of contents does not match"));
    }
    let mut fields = Fields(&listed);
    let unpacked;
    let mut kind = fields.byte()?;
    if kind == id::PACKED_HEADER {
        unpacked = unpack_list(file, &mut fields, len, limits)?;
        fields = Fields(&unpacked);
        kind = fields.byte()?;
    }

    if kind != id::HEADER {
        return Err(damaged("its list of contents cannot be read"));
    }
    list(&mut fields, len, limits)
}

fn read_at<R: Read + Seek>(file: &mut R, at: u64, into: &mut [u8]) -> Checked<()> {
    let read = file.seek(SeekFrom::Start(at)).and_then(|_| file.read_exact(into));
    read.map_err(|error| unreadable(&error))
}

fn long_list() -> Fault {
    let most = MOST_DIRECTORY >> 20;
    let why = format!("its list of contents is longer than {most} MB");
    Fault { why, advice: UNPACK_BY_HAND }
}

/// The list of contents as it is in the file, which is longer than that.
fn read_list<R: Read + Seek>(file: &mut R, offset: u64, size: u64) -> Checked<Vec<u8>> {
    if size > MOST_DIRECTORY {
        return Err(long_list());
    }
    let mut list = vec![0; size as usize];
    read_at(file, START + offset, &mut list)?;
    Ok(list)
}

/// Unpacks a list of contents that is packed itself, as most are.
fn unpack_list<R: Read + Seek>(
    file: &mut R,
    fields: &mut Fields<'_>,
    len: u64,
    limits: &Limits,
) -> Checked<Vec<u8>> {
    let streams = streams(fields, len, limits)?;
    let [block] = &streams.blocks[..] else {
        return Err(damaged("its list of contents is not in one piece"));
    };
    let size = block.unpacked;
    if size > MOST_DIRECTORY {
        return Err(long_list());
    }

    let [coder] = &block.coders[..] else {
        let why = "its list of contents is packed in several steps".to_owned();
        return Err(Fault { why, advice: UNPACK_BY_HAND });
    };
    let at = START + streams.position;
    file.seek(SeekFrom::Start(at)).map_err(|error| unreadable(&error))?;

    let packed = file.take(streams.packed.first().copied().unwrap_or_default());
    let mut list = Vec::new();
    let dictionary = coder.dictionary;
    let read = match coder.method {
        method::COPY => packed.take(size).read_to_end(&mut list),
        method::LZMA2 => {
            Lzma2Reader::new(packed, dictionary, None).take(size).read_to_end(&mut list)
        }
        method::LZMA => LzmaReader::new_with_props(packed, size, coder.first, dictionary, None)
            .and_then(|reader| reader.take(size).read_to_end(&mut list)),
        _ => Err(io::Error::other("its list of contents is packed by a filter")),
    };
    read.map_err(|error| unreadable(&error))?;
    if list.len() as u64 != size {
        return Err(damaged("its list of contents is cut off"));
    }
    if block.checksum.is_some_and(|checksum| checksum != crc32fast::hash(&list)) {
        return Err(damaged("the checksum of its list of contents does not match"));
    }
    Ok(list)
}

/// The list of contents: the positions of the packed bytes, and the files.
fn list(fields: &mut Fields<'_>, len: u64, limits: &Limits) -> Checked<Outline> {
    let mut kind = fields.byte()?;
    if kind == id::PROPERTIES {
        while fields.byte()? != id::END {
            let size = fields.number()?;
            fields.take(size)?;
        }
        kind = fields.byte()?;
    }

    let mut all = Streams::default();
    if kind == id::STREAMS {
        all = streams(fields, len, limits)?;
        kind = fields.byte()?;
    }

    let mut outline = Outline { entries: 0, unpacked: 0, extents: Vec::new() };
    for block in &all.blocks {
        let sum = outline.unpacked.checked_add(block.unpacked);
        outline.unpacked = sum.ok_or_else(|| damaged("its sizes are too large"))?;
    }

    let parts = all.blocks.iter().map(|block| block.parts).sum::<usize>();
    if kind == id::FILES {
        outline.entries = files(fields, parts, limits)?;
        kind = fields.byte()?;
    } else if !all.blocks.is_empty() {
        return Err(damaged("it names no files"));
    }

    if kind == id::END { Ok(outline) } else { Err(unexpected(kind)) }
}

fn unexpected(kind: u8) -> Fault {
    damaged(&format!("a part of kind {kind} is in the wrong place"))
}

/// Where packed bytes are and how they are unpacked.
#[derive(Default)]
struct Streams<'a> {
    /// If they begin, behind the start.
    position: u64,
    /// The length of each.
    packed: Vec<u64>,
    blocks: Vec<Block<'a>>,
}

/// A block of files that is unpacked as one.
struct Block<'a> {
    coders: Vec<Coder<'a>>,
    /// How many packed streams it takes.
    inputs: usize,
    /// The place among the coders of the one that the result comes out of.
    last: usize,
    unpacked: u64,
    checksum: Option<u32>,
    /// How many files are in it.
    parts: usize,
}

struct Coder<'a> {
    method: &'a [u8],
    inputs: usize,
    /// The first of its properties.
    first: u8,
    /// The size of its dictionary.
    dictionary: u32,
}

fn streams<'a>(fields: &mut Fields<'a>, len: u64, limits: &Limits) -> Checked<Streams<'a>> {
    let mut streams = Streams::default();
    let mut kind = fields.byte()?;
    if kind == id::PACKED {
        packed(fields, len, &mut streams)?;
        kind = fields.byte()?;
    }

    if kind == id::UNPACKED {
        streams.blocks = blocks(fields, limits)?;
        kind = fields.byte()?;
    }
    let inputs = streams.blocks.iter().map(|block| block.inputs).sum::<usize>();
    if inputs != streams.packed.len() {
        return Err(damaged("the number of its packed streams is wrong"));
    }
    if kind == id::PARTS {
        parts(fields, &mut streams.blocks, limits)?;
        kind = fields.byte()?;
    }
    if kind == id::END { Ok(streams) } else { Err(unexpected(kind)) }
}

fn packed(fields: &mut Fields<'_>, len: u64, streams: &mut Streams<'_>) -> Checked<()> {
    streams.position = fields.number()?;
    let count = fields.count()?;
    let mut kind = fields.byte()?;
    let mut end = streams.position.checked_add(START);

    if kind == id::SIZE {
        for _ in 0..count {
            let size = fields.number()?;
            streams.packed.push(size);
            end = end.and_then(|end| end.checked_add(size));
        }
        kind = fields.byte()?;
    }

    if end.is_none_or(|end| end > len) {
        return Err(damaged("packed bytes are beyond its end"));
    }
    if kind == id::CHECKSUM {
        fields.checksums(count)?;
        kind = fields.byte()?;
    }
    if kind == id::END && streams.packed.len() == count { Ok(()) } else { Err(unexpected(kind)) }
}

fn blocks<'a>(fields: &mut Fields<'a>, limits: &Limits) -> Checked<Vec<Block<'a>>> {
    fields.expect(id::BLOCK)?;
    let count = fields.count()?;
    fields.expect_inside()?;
    let mut blocks = Vec::new();
    for _ in 0..count {
        blocks.push(block(fields, limits)?);
    }
    fields.expect(id::UNPACKED_SIZES)?;
    for block in &mut blocks {
        for place in 0..block.coders.len() {
            let size = fields.number()?;
            if size > limits.unpacked {
                return Err(too_much());
            }
            if place == block.last {
                block.unpacked = size;
            }
        }
    }

    let mut kind = fields.byte()?;
    if kind == id::CHECKSUM {
        let checksums = fields.checksums(count)?;
        for (block, checksum) in blocks.iter_mut().zip(checksums) {
            block.checksum = checksum;
        }
        kind = fields.byte()?;
    }

    if kind == id::END { Ok(blocks) } else { Err(unexpected(kind)) }
}

fn too_much() -> Fault {
    Fault { why: "it unpacks to more than is allowed".to_owned(), advice: UNPACK_BY_HAND }
}

/// The decoder of one block: coders that feed one another, without a cycle.
fn block<'a>(fields: &mut Fields<'a>, limits: &Limits) -> Checked<Block<'a>> {
    let tangled = || damaged("its coders do not fit together");
    let count = fields.count()?;
    if count == 0 || count > MOST_CODERS {
        return Err(tangled());
    }

    let mut coders = Vec::new();
    for _ in 0..count {
        coders.push(coder(fields)?);
    }
    let dictionaries = coders.iter().map(|coder| u64::from(coder.dictionary)).sum::<u64>();
    if dictionaries > limits.dictionary {
        let (wanted, most) = (dictionaries.div_ceil(1 << 20), limits.dictionary >> 20);
        let why = format!("unpacking it needs {wanted} MB of memory, and {most} MB are allowed");
        return Err(Fault {
            why,
            advice: "Unpack it by hand and add the folder, or write a larger `dictionary-mb` below \
                     `[limits]` into the file settings.toml of the home.",
        });
    }

    // Which coder each input comes from: one, or a packed stream.
    let inputs = coders.iter().map(|coder| coder.inputs).sum::<usize>();
    let mut from = vec![None; inputs];
    let mut gives = vec![false; count];

    for _ in 1..count {
        let (input, coder) = (fields.number()?, fields.number()?);
        let input = usize::try_from(input).ok().and_then(|input| from.get_mut(input));
        let coder = usize::try_from(coder).ok().filter(|coder| *coder < count);
        let (Some(input), Some(coder)) = (input, coder) else { return Err(tangled()) };
        if input.is_some() || gives[coder] {
            return Err(tangled());
        }
        (*input, gives[coder]) = (Some(coder), true);
    }

    let packed = from.iter().filter(|from| from.is_none()).count();
    if packed != 1 {
        let mut seen = HashSet::new();
        for _ in 0..packed {
            let input = usize::try_from(fields.number()?).unwrap_or(usize::MAX);
            if from.get(input) != Some(&None) || !seen.insert(input) {
                return Err(tangled());
            }
        }
    }

    let last = gives.iter().position(|gives| !gives).ok_or_else(tangled)?;
    let is_simple = |coder: &Coder<'_>| coder.inputs == 1;
    let others_are_simple =
        coders.iter().enumerate().all(|(place, coder)| place == last || is_simple(coder));
    if !others_are_simple || !is_whole(last, &coders, &from) {
        return Err(tangled());
    }
    Ok(Block { coders, inputs: packed, last, unpacked: 0, checksum: None, parts: 1 })
}

/// Whether every coder gives to another or to the last one, in the end.
fn is_whole(last: usize, coders: &[Coder<'_>], from: &[Option<usize>]) -> bool {
    let mut reached = vec![last];
    let mut at = 0;
    while let Some(&coder) = reached.get(at) {
        let begin = coders[..coder].iter().map(|coder| coder.inputs).sum::<usize>();
        reached.extend(from[begin..begin + coders[coder].inputs].iter().flatten());
        at += 1;
    }
    // No coder gives twice, so that none is reached twice.
    reached.len() == coders.len()
}

fn coder<'a>(fields: &mut Fields<'a>) -> Checked<Coder<'a>> {
    let bits = fields.byte()?;
    if bits & 0xC0 != 0 {
        return Err(damaged("it has a coder of an unknown form"));
    }
    let method = fields.take(u64::from(bits & 0x0F))?;
    let (mut inputs, mut outputs) = (1, 1);
    if bits & 0x10 != 0 {
        (inputs, outputs) = (fields.number()?, fields.number()?);
    }

    let mut properties: &[u8] = &[];
    if bits & 0x20 != 0 {
        let size = fields.number()?;
        properties = fields.take(size)?;
    }

    let inputs_wanted = if method == method::FOUR_INPUTS { 4 } else { 1 };
    let is_known = known(method)?;
    if !is_known || inputs != inputs_wanted || outputs != 1 {
        return Err(damaged("it has a coder of an unknown form"));
    }

    let dictionary = dictionary(method, properties)?;
    let first = properties.first().copied().unwrap_or_default();
    Ok(Coder { method, inputs: inputs_wanted as usize, first, dictionary })
}

/// Whether a method is one that can be unpacked; fails with words for those that cannot.
fn known(method: &[u8]) -> Checked<bool> {
    if method == method::AES {
        return Err(Fault::encrypted());
    }
    if let Some((_, name)) = method::OTHERS.iter().find(|(other, _)| *other == method) {
        let why = format!("it is packed by {name}, which is not supported");
        return Err(Fault { why, advice: UNPACK_BY_HAND });
    }
    let plain = [method::COPY, method::DELTA, method::LZMA, method::LZMA2, method::FOUR_INPUTS];
    Ok(plain.contains(&method) || method::OF_CODE.contains(&method))
}

/// How much a coder has to remember, from its properties.
fn dictionary(method: &[u8], properties: &[u8]) -> Checked<u32> {
    let wrong = || damaged("the properties of a coder are wrong");
    match (method, properties) {
        (method::LZMA, [0..=224, a, b, c, d, ..]) => Ok(u32::from_le_bytes([*a, *b, *c, *d])),
        (method::LZMA2, [40, ..]) => Ok(u32::MAX),
        (method::LZMA2, [bits @ 0..40, ..]) => {
            Ok((2 | u32::from(bits & 1)) << (u32::from(bits / 2) + 11))
        }
        (method::LZMA | method::LZMA2, _) => Err(wrong()),
        _ => Ok(0),
    }
}

/// How many files each block holds, and the size and checksum of each.
fn parts(fields: &mut Fields<'_>, blocks: &mut [Block<'_>], limits: &Limits) -> Checked<()> {
    let mut kind = fields.byte()?;
    if kind == id::PART_COUNTS {
        let mut all = 0usize;
        for block in &mut *blocks {
            let count = fields.number()?;
            block.parts = usize::try_from(count).unwrap_or(usize::MAX);
            all = all.saturating_add(block.parts);
            if all > limits.entries {
                return Err(Fault::entries(limits));
            }
        }
        kind = fields.byte()?;
    }

    if kind != id::SIZE && blocks.iter().any(|block| block.parts > 1) {
        return Err(unexpected(kind));
    }
    for block in &*blocks {
        let mut left = block.unpacked;
        // A single part has the size of the block; of several parts the last has the rest.
        let stated = if kind == id::SIZE { block.parts.saturating_sub(1) } else { 0 };
        for _ in 0..stated {
            let rest = left.checked_sub(fields.number()?);
            left = rest.ok_or_else(|| damaged("its files are larger than what holds them"))?;
        }
    }

    if kind == id::SIZE {
        kind = fields.byte()?;
    }
    if kind == id::CHECKSUM {
        let unknown = |block: &&Block<'_>| block.parts != 1 || block.checksum.is_none();
        fields.checksums(blocks.iter().filter(unknown).map(|block| block.parts).sum())?;
        kind = fields.byte()?;
    }

    if kind == id::END { Ok(()) } else { Err(unexpected(kind)) }
}

/// Reads the properties of the files; returns their number.
fn files(fields: &mut Fields<'_>, parts: usize, limits: &Limits) -> Checked<usize> {
    let count = usize::try_from(fields.number()?).unwrap_or(usize::MAX);
    if count > limits.entries {
        return Err(Fault::entries(limits));
    }
    let mut empty = None;
    let mut named = count == 0;
    loop {
        let kind = fields.byte()?;
        if kind == id::END {
            break;
        }
        let size = fields.number()?;
        let mut part = Fields(fields.take(size)?);
        match kind {
            id::EMPTY_STREAM => empty = Some(part.bits(count)?.into_iter().filter(|b| *b).count()),
            id::EMPTY_FILE | id::ANTI => {
                let empty = empty.ok_or_else(|| unexpected(kind))?;
                part.bits(empty)?;
            }
            id::NAME => {
                part.expect_inside()?;
                named = is_names(part.0, count);
                part = Fields(&[]);
            }
            id::CREATED | id::ACCESSED | id::MODIFIED => part.each(count, 8)?,
            id::ATTRIBUTES => part.each(count, 4)?,
            id::START_POSITION => return Err(unexpected(kind)),
            // Padding, and what later versions say: no one reads it.
            _ => part = Fields(&[]),
        }
        if !part.0.is_empty() {
            return Err(damaged("a part of its list of contents is longer than stated"));
        }
    }

    if !named {
        return Err(damaged("the number of its names is not that of its files"));
    }
    if count - empty.unwrap_or_default() != parts {
        return Err(damaged("the number of its files is not that of its contents"));
    }
    Ok(count)
}

/// Whether bytes are so many names, each ended by a zero, none empty.
fn is_names(bytes: &[u8], count: usize) -> bool {
    let (units, rest) = (bytes.chunks_exact(2), bytes.len() % 2);
    let (mut names, mut len) = (0, 0);
    for unit in units {
        len += 1;
        if unit == [0, 0] {
            if len == 1 {
                return false;
            }
            (names, len) = (names + 1, 0);
        }
    }

    names == count && len == 0 && rest == 0
}

/// Bytes that are read from their beginning.
struct Fields<'a>(&'a [u8]);

impl<'a> Fields<'a> {
    fn take(&mut self, len: u64) -> Checked<&'a [u8]> {
        let len = usize::try_from(len).ok().filter(|len| *len <= self.0.len());
        let (taken, rest) =
            self.0.split_at(len.ok_or_else(|| damaged("its list of contents is cut off"))?);
        self.0 = rest;
        Ok(taken)
    }

    fn byte(&mut self) -> Checked<u8> {
        Ok(self.take(1)?[0])
    }

    fn u32(&mut self) -> Checked<u32> {
        Ok(self.take(4)?.iter().rev().fold(0, |sum, byte| sum << 8 | u32::from(*byte)))
    }

    fn u64(&mut self) -> Checked<u64> {
        Ok(self.take(8)?.iter().rev().fold(0, |sum, byte| sum << 8 | u64::from(*byte)))
    }

    /// A number of one to nine bytes: the first says, bit by bit, how many follow, and has the highest.
    fn number(&mut self) -> Checked<u64> {
        let first = self.byte()?;
        let more = first.leading_ones();
        let mut number = 0;
        for place in 0..more {
            number |= u64::from(self.byte()?) << (8 * place);
        }
        let highest = if more < 7 { u64::from(first & (0x7F >> more)) } else { 0 };
        Ok(if highest == 0 { number } else { number | highest << (8 * more) })
    }

    /// How many things follow, of at least a byte each.
    fn count(&mut self) -> Checked<usize> {
        let count = usize::try_from(self.number()?).unwrap_or(usize::MAX);
        if count > self.0.len() {
            return Err(damaged("it states more than it holds"));
        }
        Ok(count)
    }

    fn expect(&mut self, wanted: u8) -> Checked<()> {
        let kind = self.byte()?;
        if kind == wanted { Ok(()) } else { Err(unexpected(kind)) }
    }

    /// The following data is inline, not in another stream.
    fn expect_inside(&mut self) -> Checked<()> {
        self.expect(0)
    }

    /// One bit for each of so many things.
    fn bits(&mut self, count: usize) -> Checked<Vec<bool>> {
        let bytes = self.take(count.div_ceil(8) as u64)?;
        Ok((0..count).map(|at| bytes[at / 8] & 0x80 >> (at % 8) != 0).collect())
    }

    /// For which of so many things something is stated.
    fn stated(&mut self, count: usize) -> Checked<Vec<bool>> {
        if self.byte()? == 0 {
            return self.bits(count);
        }
        // Each takes at least one more byte.
        if count > self.0.len() {
            Err(damaged("it states more than it holds"))
        } else {
            Ok(vec![true; count])
        }
    }

    fn checksums(&mut self, count: usize) -> Checked<Vec<Option<u32>>> {
        let stated = self.stated(count)?;
        stated.into_iter().map(|stated| stated.then(|| self.u32()).transpose()).collect()
    }

    /// Values of so many bytes for some of so many things.
    fn each(&mut self, count: usize, len: u64) -> Checked<()> {
        let stated = self.stated(count)?.into_iter().filter(|stated| *stated).count();
        self.expect_inside()?;
        self.take(stated as u64 * len).map(drop)
    }
}
