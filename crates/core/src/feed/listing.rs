//! A feed's listing of a family: its description, its builds, and the advice against some.

use std::io::Read;

use jiff::civil::Date;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::head::{Piece, SCHEMA};
use crate::catalog::slug;
use crate::content::{Content, Digest};
use crate::fetch::Address;
use crate::path::{TreePath, same_name};
use crate::rack::BuildSpec;
use upright_spanner_image::{Machine, Requirement, Version};

/// The longest texts that are taken.
const LONGEST_CATALOG: usize = 64 << 10;
const LONGEST_LAYOUT: usize = 64 << 10;
const LONGEST_WHY: usize = 1000;
/// The longest notes, and the longest download.
pub(crate) const LONGEST_NOTES: u64 = 1 << 20;
const LONGEST_FILE: u64 = 1 << 40;
/// The most variants of one download.
const MOST_VARIANTS: usize = 64;
/// A window for unpacking takes so much memory at most: eight megabytes.
const MOST_WINDOW: u32 = 23;

/// The content of a shard.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct Shard {
    pub schema: u32,
    pub family: Vec<Listing>,
}

/// A feed's listing of one family.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Listing {
    /// The family.
    pub id: String,
    /// A catalog of it alone, as a catalog file is written.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub catalog: Option<String>,
    /// If files of its builds go, as a layout file is written.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub layout: Option<String>,
    /// Its builds.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub build: Vec<Entry>,
    /// The advice against builds.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub advice: Vec<Advice>,
}

/// A download of one version of a family.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Entry {
    /// The version, as it is in the build's name.
    pub version: String,
    /// The file or archive.
    pub file: Packed,
    /// The page on which it can be had by hand. The feed does not have the file itself then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub page: Option<String>,
    /// The variants in it.
    pub variant: Vec<Variant>,
    /// The versions of the game that it supports.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub supports: Option<Requirement>,
    /// The publisher's notes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub notes: Option<Packed>,
    /// The day from which it is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub date: Option<Date>,
}

/// A file with its name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Packed {
    /// Its name.
    pub name: String,
    /// Its digest.
    pub blake3: Digest,
    /// Its length.
    pub size: u64,
}

/// A variant of a download.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Variant {
    /// Its name, if it has one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// The digest of its library.
    pub library: Digest,
    /// The machine that it is for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub machine: Option<Machine>,
    /// The store edition of the game that it is for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub edition: Option<String>,
    /// The version of the game that its library's name is keyed to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub key: Option<Version>,
    /// Who made its library.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub company: Option<String>,
}

/// What its publisher advises.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Advice {
    /// Which versions it is about.
    pub builds: Requirement,
    /// Which variant; all, if it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub variant: Option<String>,
    /// What of them.
    pub what: Counsel,
    /// With which versions of the game; with any, if it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub game: Option<Requirement>,
    /// The executable of the game that it is about; that of any, if it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub program: Option<String>,
    /// The reason.
    pub why: String,
}

/// The kind of advice.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Counsel {
    /// Its publisher has taken it back.
    Withdrawn,
    /// It fails.
    Fails,
}

impl Advice {
    /// Whether it is about a game: of which the version and the name of the executable may not be known.
    pub fn is_about(&self, game: Option<&Version>, program: Option<&str>) -> bool {
        let has_version =
            self.game.as_ref().is_none_or(|set| game.is_some_and(|it| set.includes(it)));
        let meant = self.program.as_deref();
        has_version && meant.is_none_or(|meant| program.is_some_and(|it| same_name(it, meant)))
    }

    /// Which game it is about, if it is not any: `version 4.6.* of pier.exe`.
    pub fn about(&self) -> Option<String> {
        match (&self.game, &self.program) {
            (None, None) => None,
            (Some(versions), None) => Some(format!("version {versions} of the game")),
            (Some(versions), Some(program)) => Some(format!("version {versions} of {program}")),
            (None, Some(program)) => Some(program.clone()),
        }
    }

    /// Says what of it cannot be used.
    fn check(&self) -> Result<(), String> {
        if self.why.len() > LONGEST_WHY {
            return Err(format!("a reason is longer than {LONGEST_WHY} bytes"));
        }
        self.program.as_deref().map_or(Ok(()), check_name)
    }
}

impl Entry {
    /// The version that its name states; those of builds whose files state none are not versions.
    pub fn number(&self) -> Option<Version> {
        self.version.parse().ok()
    }

    /// Says what of it cannot be used.
    fn check(&self, family: &str) -> Result<(), String> {
        let typed = BuildSpec::parse(&format!("{family}@{}", self.version));
        let is_name = typed.version.as_deref() == Some(&*self.version) && typed.variant.is_none();
        let is_plain = |text: &str| {
            text.len() <= 100 && !text.contains(|c: char| c.is_control() || c.is_whitespace())
        };
        if !is_name || !is_plain(&self.version) {
            return Err(format!("`{}` is not a version", self.version));
        }
        self.file.check(LONGEST_FILE)?;
        if let Some(notes) = &self.notes {
            notes.check(LONGEST_NOTES)?;
        }
        if let Some(page) = &self.page {
            Address::page(page).map_err(|error| error.to_string())?;
        }
        if self.variant.is_empty() || self.variant.len() > MOST_VARIANTS {
            return Err(format!("it has {} variants", self.variant.len()));
        }
        let names = self.variant.iter().filter_map(|variant| variant.name.as_deref());
        let mut wrong = names.filter(|name| !is_plain(name) || name.contains(['@', '+']));
        wrong.next().map_or(Ok(()), |name| Err(format!("`{name}` is not a variant")))
    }
}

impl Packed {
    /// A content under a name.
    pub(crate) fn new(name: String, content: Content) -> Self {
        Self { name, blake3: content.blake3, size: content.size }
    }

    /// Its content.
    pub fn content(&self) -> Content {
        Content { blake3: self.blake3, size: self.size }
    }

    /// Why its name cannot be the name of a file, or it is too long.
    fn check(&self, most: u64) -> Result<(), String> {
        check_name(&self.name)?;
        if self.size > most {
            return Err(format!("{} has {} bytes, more than {most}", self.name, self.size));
        }
        Ok(())
    }
}

/// Why a text cannot be the name of a file.
fn check_name(name: &str) -> Result<(), String> {
    let path = TreePath::new(name).map_err(|error| error.to_string())?;
    if path.file_name() != name || name.len() > 200 {
        return Err(format!("`{name}` is not the name of a file"));
    }
    Ok(())
}

impl Listing {
    /// Says what of it cannot be used.
    fn check(&self) -> Result<(), String> {
        if self.id.is_empty() || slug(&self.id) != self.id || self.id.len() > 100 {
            return Err(format!("`{}` is not the id of a family", self.id));
        }
        let texts = [(&self.catalog, LONGEST_CATALOG), (&self.layout, LONGEST_LAYOUT)];
        for (text, most) in texts {
            if text.as_ref().is_some_and(|text| text.len() > most) {
                return Err(format!("a text of {} is longer than {most} bytes", self.id));
            }
        }
        let wrong = |why: String| format!("{}: {why}", self.id);
        self.advice.iter().try_for_each(|advice| advice.check().map_err(wrong))?;
        self.build.iter().try_for_each(|entry| entry.check(&self.id).map_err(wrong))
    }
}

impl Shard {
    /// Reads a shard, and refuses one of which anything cannot be used.
    pub fn read(bytes: &[u8], piece: &Piece) -> Result<Self, String> {
        let shard: Self = serde_json::from_slice(&unpack(bytes, piece)?)
            .map_err(|error| format!("a part of it is damaged: {error}"))?;
        if shard.schema != SCHEMA {
            return Err(format!("a part of it has format {}", shard.schema));
        }
        shard.family.iter().try_for_each(Listing::check)?;
        Ok(shard)
    }
}

/// Unpacks a piece, to its stated length.
pub(super) fn unpack(bytes: &[u8], piece: &Piece) -> Result<Vec<u8>, String> {
    let damaged = |error: std::io::Error| format!("a part of it cannot be unpacked: {error}");
    let mut decoder = zstd::stream::read::Decoder::new(bytes).map_err(damaged)?;
    decoder.window_log_max(MOST_WINDOW).map_err(damaged)?;
    let mut out = Vec::new();
    decoder.take(piece.unpacked + 1).read_to_end(&mut out).map_err(damaged)?;
    if out.len() as u64 != piece.unpacked {
        return Err("a part of it differs from its declared length".to_owned());
    }
    Ok(out)
}

/// Packs the text of a piece; gives its bytes.
pub(super) fn pack(text: &[u8]) -> std::io::Result<(Vec<u8>, Piece)> {
    const LEVEL: i32 = 19;
    let bytes = zstd::stream::encode_all(text, LEVEL)?;
    let Content { blake3, size } = Content::of_bytes(&bytes);
    let unpacked = text.len() as u64;
    Ok((bytes, Piece { blake3, size, unpacked }))
}
