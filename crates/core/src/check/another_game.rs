//! `another-game`: the release for a wind has too few paths in common with the game, or is at another level.

use std::path::Path;

use crate::finding::{Finding, Severity};
use crate::game::Game;
use crate::path::slashes;
use crate::remedy::{Action, Remedy};
use crate::wind::Level;

pub(crate) const CODE: &str = "another-game";

/// Said of one of the folders or archives that were given; `others_fit` says whether another one is of the game.
pub(crate) fn finding(
    game: &Game,
    given: &Path,
    level: &Level,
    others_fit: bool,
) -> Option<Finding> {
    let (title, shown) = (&game.title, slashes(given));
    let from = |folder: String| Action::WindFrom { folder: folder.into() };
    let (severity, sentence, remedy): (_, String, Remedy) = match level {
        Level::Fits => return None,
        Level::Inside(folder) if given.is_dir() => (
            Severity::Stop,
            format!(
                "{shown} is one level too high: the files of {title} begin in its folder {folder}."
            ),
            ("Give that folder", from(format!("{shown}/{folder}"))).into(),
        ),
        Level::Inside(folder) => (
            Severity::Stop,
            format!(
                "{shown} is one level too high: the files of {title} begin in its folder {folder}."
            ),
            format!("Unpack it, and give its folder {folder}.").into(),
        ),
        Level::Around(folder) => (
            Severity::Stop,
            format!("{shown} is one level too low: its files belong into a folder of {title}."),
            ("Give the folder around it", from(slashes(folder))).into(),
        ),
        Level::Below(folder) => (
            Severity::Stop,
            format!(
                "{shown} is one level too low: its files belong into the folder {folder} of {title}."
            ),
            format!("Put them into a folder {folder}, and give the folder around that.").into(),
        ),
        Level::Foreign => {
            let severity = if others_fit { Severity::Warn } else { Severity::Stop };
            (
                severity,
                format!(
                    "{shown} has hardly a path in common with {title}: it may be of another game."
                ),
                "Look into it, and give the folder that holds this game's own files.".into(),
            )
        }
    };
    Some(Finding::new(CODE, severity, sentence, remedy))
}
