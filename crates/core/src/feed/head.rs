//! The head of a feed, which is signed. It names everything else by digest.
//!
//! The one file of a feed that ever changes is the signature: its trusted comment names the head, so that a client
//! that has that head is done, and one that has not knows how much to read.

use std::fmt;
use std::str::FromStr;

use jiff::Timestamp;
use minisign::SignatureBox;
use serde::{Deserialize, Serialize};

use super::key::{Key, Successor, leads_to};
use crate::content::{Content, Digest};

/// The version of the format that this program writes and reads.
pub const SCHEMA: u32 = 1;

/// The signature, in the feed's folder.
pub(crate) const SIGNATURE: &str = "feed.minisig";

/// The most bytes that are read of each.
pub(crate) const LONGEST_SIGNATURE: u64 = 4 << 10;
pub(super) const LONGEST_HEAD: u64 = 128 << 10;
const LONGEST_PIECE: u64 = 2 << 20;
const LONGEST_UNPACKED: u64 = 8 << 20;
/// All of a feed is unpacked to this much at most: 300,000 builds have room in it.
const MOST_UNPACKED: u64 = 256 << 20;

/// A feed has so many shards at most.
pub(super) const MOST_SHARDS: usize = 256;
const MOST_MIRRORS: usize = 16;
const MOST_SUCCESSORS: usize = 16;
const MOST_KEYS: usize = 64;
const LONGEST_TITLE: usize = 120;

/// The path of a content in a feed's folder.
pub(crate) fn content_name(digest: &Digest) -> String {
    let hex = digest.to_string();
    format!("content/{}/{hex}", &hex[..2])
}

/// The head of a feed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Head {
    /// The version of the format.
    pub schema: u32,
    /// Its number, which never falls.
    pub serial: u64,
    /// What its publisher calls it.
    pub title: String,
    /// When it was made.
    pub made: Timestamp,
    /// Until when it can be taken for the newest.
    pub fresh_until: Timestamp,
    /// The key that signs it.
    pub key: Key,
    /// How earlier keys lead to that.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub successors: Vec<Successor>,
    /// Other places that have the feed's contents.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub mirrors: Vec<String>,
    /// Keys of the registry, below the user's own, in which settings of its families are.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub registry: Vec<String>,
    /// How many families it lists.
    pub family_count: u32,
    /// How many builds.
    pub build_count: u32,
    /// How its families are recognised.
    pub families: Piece,
    /// The data of its families, distributed over pieces by name.
    pub shards: Vec<Piece>,
}

/// A compressed part of a feed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Piece {
    /// Its digest.
    pub blake3: Digest,
    /// Its length.
    pub size: u64,
    /// How long it is when it is unpacked.
    pub unpacked: u64,
}

impl Piece {
    /// The content of its file.
    pub(crate) fn content(&self) -> Content {
        Content { blake3: self.blake3, size: self.size }
    }
}

/// The trusted comment of a signature.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Comment {
    pub serial: u64,
    pub head: Content,
}

impl fmt::Display for Comment {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { serial, head } = self;
        write!(f, "feed {SCHEMA} serial {serial} head {} bytes {}", head.blake3, head.size)
    }
}

impl FromStr for Comment {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = || "its signature does not name a head".to_owned();
        let words: Vec<&str> = text.split_whitespace().collect();
        let ["feed", schema, "serial", serial, "head", head, "bytes", bytes] = words[..] else {
            return Err(wrong());
        };
        if schema.parse() != Ok(SCHEMA) {
            return Err(format!("it has format {schema}, and this version knows {SCHEMA}"));
        }
        let size = bytes.parse().map_err(|_| wrong())?;
        if size > LONGEST_HEAD {
            return Err(format!(
                "its head is declared with {size} bytes, more than {LONGEST_HEAD}"
            ));
        }
        let head = Content { blake3: head.parse().map_err(|_| wrong())?, size };
        Ok(Self { serial: serial.parse().map_err(|_| wrong())?, head })
    }
}

/// A signature file, read but not verified.
pub(crate) struct Signed {
    signature: SignatureBox,
    pub comment: Comment,
}

impl Signed {
    /// Reads the text of a signature file.
    pub fn read(bytes: &[u8]) -> Result<Self, String> {
        let text = std::str::from_utf8(bytes).map_err(|_| "its signature is not text")?;
        let wrong = |_| "its signature is not valid";
        let signature = SignatureBox::from_string(text).map_err(wrong)?;
        let comment = signature.trusted_comment().map_err(wrong)?.parse()?;
        Ok(Self { signature, comment })
    }

    /// The head that it signs, if all is as it should be: the head is the one that is named, its own key has signed
    /// it, and that key is the one that is expected or one that this leads to.
    pub fn head(&self, bytes: &[u8], expected: Option<&Key>) -> Result<Head, String> {
        if Content::of_bytes(bytes) != self.comment.head {
            return Err("its head is not the one that the signature names".to_owned());
        }
        // Before the signature is verified nothing of it is believed but which key to verify it with.
        let head: Head = serde_json::from_slice(bytes)
            .map_err(|error| format!("its head is damaged: {error}"))?;
        if !head.key.verifies(bytes, &self.signature) {
            return Err("its signature is not by the key that it names".to_owned());
        }
        if let Some(expected) = expected.filter(|key| !leads_to(key, &head.key, &head.successors)) {
            return Err(format!(
                "it is signed by the key {}, and the one that was confirmed is {expected}",
                head.key
            ));
        }
        if head.serial != self.comment.serial {
            return Err("its head and its signature have different serial numbers".to_owned());
        }
        head.check()?;
        Ok(head)
    }
}

impl Head {
    /// Says what of it is out of bounds.
    fn check(&self) -> Result<(), String> {
        if self.schema != SCHEMA {
            return Err(format!("it has format {}, and this version knows {SCHEMA}", self.schema));
        }
        let counts = [
            ("shards", self.shards.len(), MOST_SHARDS),
            ("mirrors", self.mirrors.len(), MOST_MIRRORS),
            ("keys", self.successors.len(), MOST_SUCCESSORS),
            ("keys of the registry", self.registry.len(), MOST_KEYS),
            ("characters in its title", self.title.chars().count(), LONGEST_TITLE),
        ];
        if let Some((what, has, most)) = counts.into_iter().find(|(_, has, most)| has > most) {
            return Err(format!("it has {has} {what}, more than {most}"));
        }
        if !self.shards.len().is_power_of_two() {
            return Err(format!(
                "it has {} shards, which is not a power of two",
                self.shards.len()
            ));
        }
        let pieces = || self.shards.iter().chain([&self.families]);
        if pieces().map(|piece| piece.unpacked).fold(0, u64::saturating_add) > MOST_UNPACKED {
            return Err(format!("its parts have more than {MOST_UNPACKED} bytes unpacked"));
        }
        for piece in pieces() {
            if piece.size > LONGEST_PIECE || piece.unpacked > LONGEST_UNPACKED {
                return Err(format!(
                    "a part of it has {} bytes, more than {LONGEST_PIECE}, or {LONGEST_UNPACKED} unpacked",
                    piece.size.max(piece.unpacked)
                ));
            }
        }
        Ok(())
    }

    /// The index of the shard with a family.
    pub(crate) fn shard_of(&self, family: &str) -> usize {
        shard_of(family, self.shards.len())
    }

    /// Whether it is past the day until which it can be taken for the newest.
    pub fn is_stale(&self, now: Timestamp) -> bool {
        now > self.fresh_until
    }
}

/// The place of a family among so many shards, which are a power of two.
pub(super) fn shard_of(family: &str, shards: usize) -> usize {
    let digest = blake3::hash(crate::path::fold(family).as_bytes());
    usize::from(digest.as_bytes()[0]) & (shards - 1)
}
