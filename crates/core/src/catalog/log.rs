//! The logs of a family, as a catalog describes them: the location, the line with the version, and the lines that
//! report errors.

use encoding_rs::Encoding;
use regex::{Regex, RegexBuilder};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::pattern::{Pattern, escape};
use super::setting::admits;
use upright_spanner_image::{Requirement, Version};

/// The memory limit of a compiled pattern: those of real logs take a few kilobytes.
const MOST_MEMORY: usize = 1 << 20;

/// Patterns of errors of one log: more would make reading one slow.
const MOST_PATTERNS: usize = 64;

/// In the name of a log, the name of the game's executable.
const EXE_NAME: &str = "{exe-name}";

/// A log of a family.
#[derive(Debug, Clone)]
pub struct Log {
    /// For which versions of the family it is; all, if it is left out.
    pub builds: Option<Requirement>,
    /// The folder with placeholders, without a final slash; one without is relative to the component's.
    pub folder: String,
    /// The name of the file, with wildcards.
    name: String,
    /// How it is written, if it does not show that itself.
    pub encoding: Option<&'static Encoding>,
    version: Option<String>,
    errors: Vec<String>,
    unknown_game: Option<String>,
}

/// The compiled patterns of a log.
#[derive(Debug, Clone, Default)]
pub struct LogPatterns {
    /// Finds the version, if a line states it.
    pub version: Option<Regex>,
    /// Finds lines that say that something is wrong.
    pub errors: Vec<Regex>,
    /// Finds lines that say that the game's executable is not known.
    pub unknown_game: Option<Regex>,
}

/// A log as it is written in a catalog.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
#[schemars(rename = "Log")]
pub(super) struct LogEntry {
    /// For which versions of the family it is; all, if it is left out.
    #[schemars(with = "Option<String>")]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub builds: Option<Requirement>,
    /// The file, with placeholders; without one the path is relative to the component. `*` and `?` match the part of
    /// the name that changes with each start.
    pub file: String,
    /// A regular expression; its first group, or all of it, is the version that the component states.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub version: Option<String>,
    /// Regular expressions of lines that say that something is wrong; the first group, or the line, is quoted.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub errors: Vec<String>,
    /// A regular expression of lines that say that the component does not know the game's executable.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unknown_game: Option<String>,
    /// The encoding, as in `utf-16le` or `windows-1251`, if the file does not show it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub encoding: Option<String>,
}

impl Log {
    /// Whether it is that of a version.
    pub fn is_of(&self, version: Option<&Version>) -> bool {
        admits(self.builds.as_ref(), version)
    }

    /// Whether it is in the game's own folder.
    pub(super) fn is_in_game(&self) -> bool {
        !["{documents}", "{local}", "{roaming}"].iter().any(|mark| self.folder.starts_with(mark))
    }

    /// What its file may be called in a game whose executable has this name without its ending.
    ///
    /// # Errors
    /// If the executable's name makes no pattern.
    pub fn name_in(&self, exe_name: &str) -> Result<Pattern, String> {
        Pattern::new(&self.name.replace(EXE_NAME, &escape(exe_name)))
    }

    /// The patterns to search for. A pattern over the memory limit matches nothing.
    pub fn patterns(&self) -> LogPatterns {
        LogPatterns {
            version: self.version.as_deref().and_then(expression),
            errors: self.errors.iter().filter_map(|text| expression(text)).collect(),
            unknown_game: self.unknown_game.as_deref().and_then(expression),
        }
    }
}

impl LogEntry {
    /// The log that is described.
    ///
    /// # Errors
    /// The reason why the description is invalid.
    pub fn into_log(self) -> Result<Log, String> {
        let file = self.file.replace('\\', "/");
        let of = |what: String| format!("log `{file}`: {what}");
        let (folder, name) = file.rsplit_once('/').unwrap_or(("", &file));
        if name.is_empty() || folder.contains(['*', '?']) {
            return Err(of("the name of a file is expected, and wildcards in it alone".to_owned()));
        }
        if self.errors.len() > MOST_PATTERNS {
            return Err(of(format!("more than {MOST_PATTERNS} patterns of errors")));
        }
        let all = self.errors.iter().chain(&self.version).chain(&self.unknown_game);
        for text in all {
            // To make them ready takes a thousand times as long, and most are never needed.
            regex_syntax::parse(text)
                .map_err(|error| of(format!("`{text}` is not a regular expression: {error}")))?;
        }
        Pattern::new(&name.replace(EXE_NAME, "game")).map_err(&of)?;
        let encoding = match &self.encoding {
            None => None,
            Some(label) => {
                let known = Encoding::for_label(label.as_bytes());
                Some(known.ok_or_else(|| of(format!("`{label}` is not an encoding")))?)
            }
        };
        Ok(Log {
            folder: folder.to_owned(),
            name: name.to_owned(),
            encoding,
            builds: self.builds,
            version: self.version,
            errors: self.errors,
            unknown_game: self.unknown_game,
        })
    }
}

fn expression(text: &str) -> Option<Regex> {
    RegexBuilder::new(text).size_limit(MOST_MEMORY).build().ok()
}
