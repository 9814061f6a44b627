//! The game's own version, and its source.

use std::fmt;
use std::path::Path;

use schemars::JsonSchema;
use serde::Serialize;

use super::executable::Executable;
use super::game::Game;
use super::settings::VersionFile;
use crate::content::{Digest, content_of};
use upright_spanner_image::Version;
use upright_spanner_image::file::start_of;

/// A game's version.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct GameVersion {
    /// The version; `None` where releases differ in the executable's content alone.
    #[schemars(with = "Option<String>")]
    pub version: Option<Version>,
    /// The source of the version.
    pub origin: Origin,
}

/// The source of a game's version.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Origin {
    /// The executable's file version.
    FileVersion,
    /// The executable's product version, since its file version says nothing.
    ProductVersion,
    /// A text file that the user named.
    TextFile(String),
    /// Nothing states one: the executable's content.
    Content(#[schemars(with = "String")] Digest),
}

impl fmt::Display for Origin {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::FileVersion => f.write_str("the executable's file version"),
            Self::ProductVersion => f.write_str("the executable's product version"),
            Self::TextFile(path) => write!(f, "{path}"),
            Self::Content(digest) => {
                write!(f, "no version stated; the executable's content is {}", digest.short())
            }
        }
    }
}

/// How much of a text file is searched for a version: change logs name the newest at their start.
const LONGEST_TEXT: u64 = 1 << 20;

/// The version of a game as far as it is stated, in the order: the user's text file, the executable's file version,
/// its product version. A version such as 1.0.0.0, which many executables have whatever their release, says nothing.
pub(crate) fn stated(game: &Game, executable: &Executable) -> Option<GameVersion> {
    let file = || Some((executable.facts.version().filter(telling)?, Origin::FileVersion));
    let product =
        || Some((executable.facts.product_version().filter(telling)?, Origin::ProductVersion));
    let (version, origin) = in_text_file(game).or_else(file).or_else(product)?;
    Some(GameVersion { version: Some(version), origin })
}

/// Whether a version tells releases apart.
pub(crate) fn telling(version: &Version) -> bool {
    version.numbers().iter().sum::<u64>() > 1
}

/// The version in the text file that the user named.
fn in_text_file(game: &Game) -> Option<(Version, Origin)> {
    let file = game.settings.version_file.as_ref()?;
    let version = version_in(file, &file.path.on(&game.root))?;
    Some((version, Origin::TextFile(file.path.to_string())))
}

/// The version in such a text file.
pub(crate) fn version_in(named: &VersionFile, file: &Path) -> Option<Version> {
    let text = start_of(file, LONGEST_TEXT).ok()?;
    named.find_in(&String::from_utf8_lossy(&text))?.parse().ok()
}

/// The version of a game, or failing that the content of its executable, which is read for it.
pub(crate) fn told(game: &Game, executable: &Executable) -> Option<GameVersion> {
    stated(game, executable).or_else(|| {
        let content = content_of(&executable.path.on(&game.root)).ok()?;
        Some(GameVersion { version: None, origin: Origin::Content(content.blake3) })
    })
}
