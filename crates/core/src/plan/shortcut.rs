//! Plans to put a shortcut to a game somewhere.

use std::path::Path;

use super::{Place, Plan};
use crate::change::{Owner, Purpose, Side, Step, Target};
use crate::content::Content;
use crate::error::{Error, Result};
use crate::path::{TreePath, extension, slashes};
use crate::remedy::Action;
use crate::shortcut::{ENDINGS, PICTURE, ShortcutTarget, file_name, shortcut};
use crate::situation::Situation;
use upright_spanner_change::{FileState, Stamp};

/// The folder of the home with icons that were taken out of programs.
const ICONS: &str = "icons";

/// The permissions of a shortcut: Linux desktops start only executable files.
const MAY_BE_RUN: u32 = 0o755;

/// Plans to put a shortcut to a game into a folder; `picture` is its icon, where desktops take it as one.
///
/// # Errors
/// If the folder does not exist, another file has the name there, or a shortcut cannot express the start.
pub(crate) fn plan_shortcut(
    situation: &Situation<'_>,
    target: &ShortcutTarget,
    folder: &Path,
    picture: Option<Vec<u8>>,
) -> Result<Plan> {
    let game = situation.game();
    let executable = situation.view.executable().map(|exe| exe.path.on(&game.root));
    let mut planner = Planner {
        situation,
        plan: Plan::new(situation.view, Purpose::Shortcut, format!("shortcut {}", game.id)),
    };

    let icon = if cfg!(windows) {
        executable
    } else {
        picture.map(|picture| planner.icon(picture)).transpose()?
    };
    let made = shortcut(&game.title, target, icon.as_ref()).map_err(|what| Error::Invalid {
        what: format!("a shortcut cannot start {} so: {what}", game.title),
        remedy: ("Make one that starts it through this program", Action::ThroughThis).into(),
    })?;
    let name = file_name(&game.title, made.ending).ok_or_else(|| Error::Invalid {
        what: format!("no file can be called `{}`", game.title),
        remedy: "Give the game another title.".into(),
    })?;
    planner.put(folder, name, made.bytes)?;
    planner.plan.arrange(situation)?;
    Ok(planner.plan)
}

/// Whether a file only leads to the game, as a shortcut does, or is the icon that was made for it: it is not a part
/// of the game.
pub(super) fn is_outside(situation: &Situation<'_>, place: &Place) -> bool {
    let ending = extension(place.path().file_name());
    let is_shortcut = ENDINGS.contains(&&*ending);
    let is_icon = |bay: &Path| ending == PICTURE && *bay == situation.window.home();
    place.bay().is_some_and(|bay| is_shortcut || is_icon(bay))
}

struct Planner<'a> {
    situation: &'a Situation<'a>,
    plan: Plan,
}

impl Planner<'_> {
    /// Puts the icon's picture into the home; returns its path.
    fn icon(&mut self, picture: Vec<u8>) -> Result<std::path::PathBuf> {
        let game = self.situation.game();
        let home = self.situation.window.home();
        let path = TreePath::new(&format!("{ICONS}/{}.{PICTURE}", game.id))?;
        let icon = home.join(path.as_str());
        self.put(&home, path, picture)?;
        Ok(icon)
    }

    fn put(&mut self, folder: &Path, path: TreePath, bytes: Vec<u8>) -> Result<()> {
        let game = self.situation.game();
        let place = Place::new(&game.root, folder, path)?;
        let before = self.situation.window.file(&place)?;
        let content = Content::of_bytes(&bytes);
        if before.state.content() == Some(content) {
            return Ok(());
        }
        let entry = self.situation.ledger.at(&Target::File(place.clone()));
        let is_ours = entry.is_some_and(|entry| entry.last.same_as(&before));
        if !before.state.is_absent() && !is_ours {
            return Err(Error::Invalid {
                what: format!("there is a file {} already", slashes(&place.on(&game.root))),
                remedy: ("Rename it, or give another folder", Action::IntoFolder).into(),
            });
        }
        let mut stamp = Stamp::fresh((jiff::Timestamp::now().as_second(), 0));
        stamp.mode = cfg!(unix).then_some(MAY_BE_RUN);
        let after = Side::file(FileState { content, stamp }, None);
        self.plan.steps.push(Step::replace(place, before, after, &Owner::Shortcut));
        self.plan.made.push(bytes);
        Ok(())
    }
}
