//! Checks a zip's headers before a library unpacks it: the central directory, and the header before each file. Both
//! must agree, since programs differ in which they trust, and no two files may share bytes. No number from the file
//! determines an allocation.

use std::collections::HashSet;
use std::io::{self, Read, Seek, SeekFrom};

use super::outline::{DO_NOT_USE, Fault, GET_AGAIN, MOST_DIRECTORY, Outline, UNPACK_BY_HAND};
use crate::settings::Limits;

/// The end of a zip without its comment, and with the longest.
const END: usize = 22;
const LONGEST_END: u64 = END as u64 + u16::MAX as u64;

/// The position of the second form of the end record, with larger numbers.
const LOCATOR: u64 = 20;

/// The fixed parts of a local header and of a directory entry.
const LOCAL: usize = 30;
const LISTED: usize = 46;

const IS_ENCRYPTED: u16 = 1 << 0 | 1 << 6 | 1 << 13;
/// Sizes and checksum follow the file, and precede it only if they were known.
const STATED_BEHIND: u16 = 1 << 3;

const STORED: u16 = 0;
const DEFLATED: u16 = 8;

/// The placeholder for a number that does not fit.
const FULL: u64 = u32::MAX as u64;

/// The mark of the extra field with numbers that are too large for their places.
const LARGE: u16 = 1;

/// If an archive lists its files.
struct List {
    count: u64,
    len: u64,
    at: u64,
}

/// The stated properties of a file.
#[derive(PartialEq, Eq)]
struct Stated<'a> {
    name: &'a [u8],
    flags: u16,
    method: u16,
    checksum: u32,
    packed: u64,
    unpacked: u64,
}

fn damaged(what: &str) -> Fault {
    Fault { why: format!("the archive is damaged ({what})"), advice: GET_AGAIN }
}

fn cut_off() -> Fault {
    damaged("it is cut off")
}

fn of_entry(name: &[u8], what: &str, advice: &'static str) -> Fault {
    Fault { why: format!("its entry `{}` {what}", String::from_utf8_lossy(name)), advice }
}

/// Checks an archive and says how much it holds.
pub(super) fn check<R: Read + Seek>(file: &mut R, limits: &Limits) -> Result<Outline, Fault> {
    let list = find_list(file)?;
    if list.count > limits.entries as u64 {
        return Err(Fault::entries(limits));
    }
    if list.len > MOST_DIRECTORY {
        let most = MOST_DIRECTORY >> 20;
        let why = format!("its list of contents is longer than {most} MB");
        return Err(Fault { why, advice: UNPACK_BY_HAND });
    }

    let mut bytes = vec![0; list.len as usize];
    read_at(file, list.at, &mut bytes)?;

    let mut file = io::BufReader::with_capacity(512, file);
    let mut rest = &bytes[..];
    let mut names = HashSet::new();
    let mut taken = Vec::new();
    let mut extents = Vec::new();
    let mut unpacked = 0u64;

    for _ in 0..list.count {
        let (stated, at, behind) = listed(rest)?;
        rest = behind;
        if !names.insert(stated.name) {
            return Err(of_entry(stated.name, "is there twice", DO_NOT_USE));
        }
        let begin = check_before_file(&mut file, at, &stated)?;
        let end = begin.checked_add(stated.packed).filter(|end| *end <= list.at);
        let end = end.ok_or_else(|| of_entry(stated.name, "is beyond the end", GET_AGAIN))?;
        taken.push((at, end, stated.name));
        extents.push([at, stated.packed, stated.unpacked]);
        unpacked = unpacked.saturating_add(stated.unpacked);
    }

    if !rest.is_empty() {
        return Err(damaged("its list of contents is longer than its number of files"));
    }
    taken.sort_unstable();
    for pair in taken.windows(2) {
        if pair[1].0 < pair[0].1 {
            return Err(of_entry(pair[1].2, "shares its bytes with another", DO_NOT_USE));
        }
    }

    Ok(Outline { entries: extents.len(), unpacked, extents })
}

fn read_at<R: Read + Seek>(file: &mut R, at: u64, into: &mut [u8]) -> Result<(), Fault> {
    let read = file.seek(SeekFrom::Start(at)).and_then(|_| file.read_exact(into));
    read.map_err(|error| match error.kind() {
        io::ErrorKind::UnexpectedEof => cut_off(),
        _ => damaged(&error.to_string()),
    })
}

/// Finds the list by the end of the archive, which is the end of the file.
fn find_list<R: Read + Seek>(file: &mut R) -> Result<List, Fault> {
    let len = file.seek(SeekFrom::End(0)).map_err(|error| damaged(&error.to_string()))?;
    let from = len.saturating_sub(LONGEST_END);
    let mut tail = vec![0; (len - from) as usize];
    read_at(file, from, &mut tail)?;
    let is_end = |at: &usize| {
        let end = &tail[*at..];
        end.starts_with(b"PK\x05\x06") && END + usize::from(u16_at(end, 20)) == end.len()
    };
    let at = (0..(tail.len() + 1).saturating_sub(END)).rev().find(is_end);
    let at = at.ok_or_else(|| damaged("it does not end like a zip"))?;
    let (end, position) = (&tail[at..], from + at as u64);
    if u16_at(end, 4) != u16_at(end, 6) || u16_at(end, 8) != u16_at(end, 10) {
        let why = "it is one part of several".to_owned();
        return Err(Fault { why, advice: UNPACK_BY_HAND });
    }

    let mut list = List {
        count: u16_at(end, 10).into(),
        len: u32_at(end, 12).into(),
        at: u32_at(end, 16).into(),
    };
    let mut list_ends = position;
    let is_full = u16_at(end, 10) == u16::MAX || u32_at(end, 12).max(u32_at(end, 16)) == u32::MAX;
    if let (true, Some(at)) = (is_full, position.checked_sub(LOCATOR)) {
        let mut locator = [0; LOCATOR as usize];
        read_at(file, at, &mut locator)?;
        if locator.starts_with(b"PK\x06\x07") {
            list_ends = u64_at(&locator, 8);
            let mut end = [0; 56];
            read_at(file, list_ends, &mut end)?;
            let len = u64_at(&end, 4).checked_add(12).and_then(|len| len.checked_add(list_ends));
            if !end.starts_with(b"PK\x06\x06") || len != Some(at) {
                return Err(damaged("its second end record cannot be read"));
            }
            list = List { count: u64_at(&end, 32), len: u64_at(&end, 40), at: u64_at(&end, 48) };
        }
    }

    if list.at.checked_add(list.len) != Some(list_ends) {
        return Err(damaged("its list of contents is in the wrong place"));
    }
    Ok(list)
}

/// The first file of a directory: its properties, its offset, and the rest of the directory.
fn listed(list: &[u8]) -> Result<(Stated<'_>, u64, &[u8]), Fault> {
    let (fixed, rest) = list.split_at_checked(LISTED).ok_or_else(cut_off)?;
    if !fixed.starts_with(b"PK\x01\x02") {
        return Err(damaged("its list of contents cannot be read"));
    }
    let (name, rest) = rest.split_at_checked(u16_at(fixed, 28).into()).ok_or_else(cut_off)?;
    let (extra, rest) = rest.split_at_checked(u16_at(fixed, 30).into()).ok_or_else(cut_off)?;
    let (_, rest) = rest.split_at_checked(u16_at(fixed, 32).into()).ok_or_else(cut_off)?;
    let small = [u32_at(fixed, 24), u32_at(fixed, 20), u32_at(fixed, 42)];
    let [unpacked, packed, at] = large(small, extra, name)?;
    let stated = Stated {
        name,
        flags: u16_at(fixed, 8),
        method: u16_at(fixed, 10),
        checksum: u32_at(fixed, 16),
        packed,
        unpacked,
    };
    if stated.flags & IS_ENCRYPTED != 0 {
        return Err(of_entry(name, "is encrypted", Fault::encrypted().advice));
    }
    if ![STORED, DEFLATED].contains(&stated.method) {
        let what = format!("is packed by method {}, which is not supported", stated.method);
        return Err(of_entry(name, &what, UNPACK_BY_HAND));
    }
    Ok((stated, at, rest))
}

/// Numbers of which those that are too large for their places are in an extra field, one after the other.
fn large<const N: usize>(small: [u32; N], extra: &[u8], name: &[u8]) -> Result<[u64; N], Fault> {
    let mut numbers = small.map(u64::from);
    if !small.contains(&u32::MAX) {
        return Ok(numbers);
    }
    let mut rest = extra;
    while rest.len() >= 4 {
        let (mark, len) = (u16_at(rest, 0), usize::from(u16_at(rest, 2)));
        let (field, behind) =
            rest[4..].split_at_checked(len).ok_or_else(|| damaged("an extra field is cut off"))?;
        if mark == LARGE {
            let mut field = field.chunks_exact(8);
            for number in numbers.iter_mut().filter(|number| **number == FULL) {
                let missing = || of_entry(name, "has no size", GET_AGAIN);
                *number = u64_at(field.next().ok_or_else(missing)?, 0);
            }
            return Ok(numbers);
        }
        rest = behind;
    }

    Ok(numbers)
}

/// Compares a local header with the directory; returns the start of the file's content.
fn check_before_file<R: Read + Seek>(
    file: &mut R,
    at: u64,
    listed: &Stated<'_>,
) -> Result<u64, Fault> {
    let differs = |what| {
        let what = format!("has one {what} in the list and another before the file");
        of_entry(listed.name, &what, DO_NOT_USE)
    };
    let mut fixed = [0; LOCAL];
    read_at(file, at, &mut fixed)?;
    if !fixed.starts_with(b"PK\x03\x04") {
        return Err(of_entry(listed.name, "is in the wrong place", GET_AGAIN));
    }

    let (flags, name_len) = (u16_at(&fixed, 6), usize::from(u16_at(&fixed, 26)));
    let mut rest = vec![0; name_len + usize::from(u16_at(&fixed, 28))];
    file.read_exact(&mut rest).map_err(|_| cut_off())?;
    let (name, extra) = rest.split_at(name_len);
    let [unpacked, packed] = large([u32_at(&fixed, 22), u32_at(&fixed, 18)], extra, name)?;
    if name != listed.name {
        return Err(differs("name"));
    }
    if u16_at(&fixed, 8) != listed.method {
        return Err(differs("method"));
    }
    if flags & IS_ENCRYPTED != 0 {
        return Err(differs("encryption"));
    }

    let is_behind = flags & STATED_BEHIND != 0;
    let fits = |here: u64, there: u64| here == there || is_behind && here == 0;
    // If the size was not known yet, some say that there is a larger one instead of none.
    let is_open = |size: u64| is_behind && size == FULL;
    if !(fits(packed, listed.packed) || is_open(packed))
        || !(fits(unpacked, listed.unpacked) || is_open(unpacked))
    {
        return Err(differs("size"));
    }
    if !fits(u32_at(&fixed, 14).into(), listed.checksum.into()) {
        return Err(differs("checksum"));
    }
    at.checked_add((LOCAL + rest.len()) as u64).ok_or_else(cut_off)
}

fn u16_at(bytes: &[u8], at: usize) -> u16 {
    u16::from_le_bytes([bytes[at], bytes[at + 1]])
}

fn u32_at(bytes: &[u8], at: usize) -> u32 {
    u32::from(u16_at(bytes, at)) | u32::from(u16_at(bytes, at + 2)) << 16
}

fn u64_at(bytes: &[u8], at: usize) -> u64 {
    u64::from(u32_at(bytes, at)) | u64::from(u32_at(bytes, at + 4)) << 32
}
