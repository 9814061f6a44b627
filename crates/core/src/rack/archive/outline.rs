//! What an archive says that it holds, and why one is refused.

use crate::settings::Limits;

pub const DO_NOT_USE: &str = "Do not use this archive: it was made to do harm, or carelessly.";
pub const GET_AGAIN: &str = "Get the archive again from its source.";
pub const UNPACK_ELSEWHERE: &str =
    "Unpack it with a program for such files, and give the folder that comes out.";
pub const UNPACK_BY_HAND: &str =
    "If you trust the archive, unpack it by hand and add the folder with the files you need.";

/// A longer list of contents no archive needs: a hundred thousand names have room in it.
pub const MOST_DIRECTORY: u64 = 32 << 20;

/// Why an archive is not unpacked, and what to do.
#[derive(Debug)]
pub struct Fault {
    pub why: String,
    pub advice: &'static str,
}

impl Fault {
    pub fn encrypted() -> Self {
        let advice = "Unpack it with its password and add the folder.";
        Self { why: "it is encrypted".to_owned(), advice }
    }

    pub fn entries(limits: &Limits) -> Self {
        let why = format!("it holds more than {} entries", limits.entries);
        Self { why, advice: "Unpack it by hand and add the files you need." }
    }
}

/// What an archive says that it holds.
#[derive(Debug)]
pub struct Outline {
    pub entries: usize,
    pub unpacked: u64,
    /// For each file of a zip its offset, and its compressed and uncompressed length.
    pub extents: Vec<[u64; 3]>,
}
