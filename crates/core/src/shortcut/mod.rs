//! Shortcuts: small files that start a game from the desktop. Their content is made here; a change puts them in
//! place.
//!
//! - `lnk`: Windows' own kind, `.lnk`; `desktop`: that of the desktops of Linux, `.desktop`;
//! - `icon`: the game's icon as a picture, for desktops that cannot take it out of a program.

mod desktop;
mod icon;
mod lnk;
mod target;

use std::path::PathBuf;

use crate::path::TreePath;
pub(crate) use icon::picture_of;
pub(crate) use target::ShortcutTarget;

/// The endings of shortcuts.
pub(crate) const ENDINGS: [&str; 3] = ["lnk", "desktop", "url"];

/// The ending of an icon's picture.
pub(crate) const PICTURE: &str = "png";

/// A shortcut: the ending and the content of its file.
pub(crate) struct ShortcutFile {
    pub ending: &'static str,
    pub bytes: Vec<u8>,
}

/// Makes a shortcut as this system has them; `icon` is the program whose icon it shows, or on Linux the picture.
///
/// # Errors
/// Says what cannot be written into one.
pub(crate) fn shortcut(
    title: &str,
    target: &ShortcutTarget,
    icon: Option<&PathBuf>,
) -> Result<ShortcutFile, String> {
    if !cfg!(windows) {
        return Ok(ShortcutFile {
            ending: "desktop",
            bytes: desktop::entry(title, target, icon)?.into_bytes(),
        });
    }
    if target.is_address {
        let bytes = lnk::address(target.words.first().map_or("", String::as_str), icon);
        return Ok(ShortcutFile { ending: "url", bytes });
    }
    if !target.environment.is_empty() {
        return Err("a shortcut of Windows cannot set variables of the environment".to_owned());
    }
    Ok(ShortcutFile { ending: "lnk", bytes: lnk::link(title, target, icon)? })
}

/// The name of a shortcut's file: the game's title without characters that a file name cannot have.
pub(crate) fn file_name(title: &str, ending: &str) -> Option<TreePath> {
    let is_allowed = |c: &char| !c.is_control() && !"<>:\"|?*/\\".contains(*c);
    let name: String = title.chars().filter(is_allowed).collect();
    let name = name.trim().trim_end_matches('.');
    TreePath::new(&format!("{name}.{ending}")).ok().filter(|_| !name.is_empty())
}
