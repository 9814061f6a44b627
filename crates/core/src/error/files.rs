//! What to do if an operation on files failed.

use std::borrow::Cow;
use std::io;

use crate::remedy::{Action, Remedy};

use upright_spanner_change::{Error as Files, is_in_use};

pub(super) fn code_of_files(error: &Files) -> &'static str {
    match error {
        Files::Io { .. } => "io",
        Files::Journal { .. } => "damaged-file",
        Files::NotPlain { .. } => "not-plain",
        Files::NotAsExpected { .. } => "not-as-expected",
        Files::AnotherFolder { .. } => "another-folder",
        Files::NotGranted { .. } => "not-granted",
        Files::NoRegistry { .. } => "no-registry",
        Files::Settings { .. } => "settings",
        Files::Path(_) => "path",
        Files::DamagedContent { .. } => "damaged-content",
        Files::Busy { .. } => "busy",
        Files::Stopped => "stopped",
    }
}

pub(super) fn on_files(error: &Files) -> Option<Remedy> {
    let remedy = match error {
        Files::Io { source, .. } => return on_io(source).map(Remedy::text),
        Files::NotPlain { .. } => {
            "Put the plain file or folder there, or give the folder that the link leads to as the game."
                .into()
        }
        Files::NotAsExpected { .. } => (
            "Something else changed it meanwhile, perhaps an update. Look at what is there, then run the \
             command again.",
            Action::LookOver { game: Cow::Borrowed("GAME") },
        )
            .into(),
        Files::AnotherFolder { .. } => "Run the command again: it uses the present files.".into(),
        Files::NotGranted { .. } => {
            let action = Action::NameBay { game: "GAME".into(), bay: "NAME".into() };
            ("Name that folder as a bay.", action).into()
        }
        Files::NoRegistry { .. } => {
            let action = Action::NamePrefix { game: "GAME".into() };
            ("Name the folder of the environment in which the game runs.", action).into()
        }
        Files::Settings { .. } => "Correct that file in an editor.".into(),
        Files::Path(_) => "Rename that file or folder.".into(),
        Files::DamagedContent { .. } => {
            ("Add the build to the rack again from its file.", Action::AddToRack).into()
        }
        Files::Busy { .. } => "Wait until the other one has finished, then try again.".into(),
        Files::Journal { .. } => ("List the possible repairs.", Action::Mend).into(),
        Files::Stopped => return None,
    };
    Some(remedy)
}

fn on_io(error: &io::Error) -> Option<&'static str> {
    if is_in_use(error) {
        return Some("The file is in use. Close the game and its launcher, then try again.");
    }
    match error.kind() {
        io::ErrorKind::NotFound => Some("Check the spelling of the path."),
        io::ErrorKind::PermissionDenied => {
            Some("Check that you may write there and that the game is not running.")
        }
        io::ErrorKind::StorageFull => Some("Free some space on that disk, then try again."),
        _ => None,
    }
}

/// Names in a row.
pub(super) fn list(names: &[String]) -> String {
    names.join(", ")
}
