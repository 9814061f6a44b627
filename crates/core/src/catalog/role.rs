//! The role of a component in a game, and the words in its description that show it.

use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The role of a component in a game.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, JsonSchema, Deserialize,
)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// Draws fewer pixels and fills in the rest.
    Upscaler,
    /// Makes frames between frames.
    FrameGeneration,
    /// Cleans up traced light.
    Denoiser,
    /// Shortens the time from input to picture.
    Latency,
    /// Gives scripts and plugins more to call.
    Extender,
    /// Gets other libraries into the game.
    Loader,
    /// Draws over the game or alters its picture.
    Overlay,
    /// A library that the game is built on.
    Runtime,
    /// Anything else that came along.
    Support,
}

impl Role {
    /// Every role, in the order in which they are listed.
    pub const ALL: [Self; 9] = [
        Self::Upscaler,
        Self::FrameGeneration,
        Self::Denoiser,
        Self::Latency,
        Self::Extender,
        Self::Loader,
        Self::Overlay,
        Self::Runtime,
        Self::Support,
    ];

    /// The name used in output, on the command line and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Upscaler => "upscaler",
            Self::FrameGeneration => "frame-generation",
            Self::Denoiser => "denoiser",
            Self::Latency => "latency",
            Self::Extender => "extender",
            Self::Loader => "loader",
            Self::Overlay => "overlay",
            Self::Runtime => "runtime",
            Self::Support => "support",
        }
    }
}

impl fmt::Display for Role {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.name())
    }
}

/// Words in a description, in lower case. The first match in this order decides, so the narrower roles are before the
/// wider ones.
const WORDS: [(&str, Role); 18] = [
    ("frame gen", Role::FrameGeneration),
    ("framegen", Role::FrameGeneration),
    ("frame interpolation", Role::FrameGeneration),
    ("denois", Role::Denoiser),
    ("upscal", Role::Upscaler),
    ("super resolution", Role::Upscaler),
    ("super sampling", Role::Upscaler),
    ("supersampling", Role::Upscaler),
    ("latency", Role::Latency),
    ("script extender", Role::Extender),
    ("extender", Role::Extender),
    ("plugin loader", Role::Loader),
    ("mod loader", Role::Loader),
    ("dll loader", Role::Loader),
    ("overlay", Role::Overlay),
    ("post-process", Role::Overlay),
    ("redistributable", Role::Runtime),
    ("runtime", Role::Runtime),
];

/// The role that some descriptions state.
pub(super) fn from_words<'a>(texts: impl IntoIterator<Item = Option<&'a str>>) -> Option<Role> {
    let text: Vec<String> = texts.into_iter().flatten().map(str::to_lowercase).collect();
    let text = text.join("\n");
    WORDS.iter().find(|(word, _)| text.contains(word)).map(|(_, role)| *role)
}
