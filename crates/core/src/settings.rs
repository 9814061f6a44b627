//! The user's settings in `settings.toml` of the home folder. The file and everything in it are optional.

use std::path::Path;

use serde::Deserialize;

use crate::error::{CatalogError, Error, Result};
use upright_spanner_image::file::text_of;

/// The settings of a home folder.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Settings {
    /// How much of an archive is taken.
    pub limits: Limits,
}

/// How much of an archive is taken before it is refused.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// Entries, archives inside counted in.
    pub entries: usize,
    /// Bytes that all entries unpack to.
    pub unpacked: u64,
    /// Bytes of memory that a 7z may ask for to unpack it.
    pub dictionary: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Self { entries: 50_000, unpacked: 16 << 30, dictionary: 256 << 20 }
    }
}

/// The file as it is written.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[serde(default)]
    limits: LimitsTable,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct LimitsTable {
    /// Entries of an archive.
    entries: Option<usize>,
    /// Megabytes that an archive unpacks to.
    unpacked_mb: Option<u64>,
    /// Megabytes of memory that a 7z may ask for.
    dictionary_mb: Option<u64>,
}

/// The longest file of settings: they have a few lines.
const LONGEST: u64 = 1 << 20;

impl Settings {
    /// Reads the settings of a home folder.
    ///
    /// # Errors
    /// If the file cannot be read, or a setting cannot be.
    pub fn read(home: &Path) -> Result<Self> {
        let path = home.join("settings.toml");
        let text = match text_of(&path, LONGEST) {
            Ok(text) => text,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
                return Ok(Self::default());
            }
            Err(error) => return Err(Error::io("read", &path)(error)),
        };
        let file: File = toml::from_str(&text)
            .map_err(|error| Error::Catalog(CatalogError::of_toml(&path, &text, &error)))?;

        let usual = Limits::default();
        let entries = file.limits.entries.unwrap_or(usual.entries);
        let megabytes = |mb: Option<u64>, usual| mb.map_or(usual, |mb| mb.saturating_mul(1 << 20));
        let unpacked = megabytes(file.limits.unpacked_mb, usual.unpacked);
        let dictionary = megabytes(file.limits.dictionary_mb, usual.dictionary);
        Ok(Self { limits: Limits { entries, unpacked, dictionary } })
    }
}
