//! `saves-kept`: what becomes of a game's saves when another release of it is put onto its folder.

use std::path::PathBuf;

use crate::finding::{Finding, Severity};
use crate::path::slashes;
use crate::remedy::Action;

/// The bay with a game's saves.
pub(crate) const BAY: &str = "saves";

pub(crate) fn finding(game: &str, folders: &[PathBuf], files: usize) -> Finding {
    let game = || game.to_owned().into();
    if folders.is_empty() {
        let sentence =
            "The game's saves were not found: an older release may damage saves of a newer one.";
        let action = Action::NameBay { game: game(), bay: BAY.into() };
        let remedy = ("Give their folder, to store them with the change", action);
        return Finding::new("saves-unknown", Severity::Warn, sentence, remedy);
    }
    let shown: Vec<String> = folders.iter().map(|folder| slashes(folder)).collect();
    let sentence = match files {
        0 => format!("No saves yet in {}.", shown.join(" and ")),
        1 => format!("1 file of saves in {} is kept with the change.", shown.join(" and ")),
        files => {
            format!("{files} files of saves in {} are kept with the change.", shown.join(" and "))
        }
    };
    let remedy = "A rollback of the saves to that change restores them as they are now.";
    Finding::new("saves-kept", Severity::Note, sentence, remedy)
}

/// Said if a change is undone with which saves were kept, and they have changed since.
pub(crate) fn changed(game: &str, change: i64, files: usize) -> Finding {
    let files = if files == 1 { "1 file".to_owned() } else { format!("{files} files") };
    let sentence =
        format!("{files} of your saves changed since change {change}, and stay as they are.");
    let action = Action::RollBackSaves { game: game.to_owned().into(), change };
    let remedy = ("To have the saves of then, go back to them", action);
    Finding::new("saves-kept", Severity::Note, sentence, remedy)
}
