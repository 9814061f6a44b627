//! Where settings are: places with placeholders made into files, and the registry of a game.

use std::path::{Path, PathBuf};

use crate::change::{State, Target};
use crate::path::{TreePath, canonical, slashes};
use crate::situation::Situation;
use crate::survey::Library;
use upright_spanner_change::{Place, Registry, RegistryValue};
use upright_spanner_settings::registry::ValueName;

/// The file of a prefix with the user's part of its registry.
const REGISTRY_FILE: &str = "user.reg";

/// The folder of the home with what games are started with.
const STARTS: &str = "start";

/// The registry key with the locations of the user's folders.
const FOLDERS: &str = r"Software\Microsoft\Windows\CurrentVersion\Explorer\Shell Folders";

/// The user's folders: their placeholders, and their names in the registry.
const USER_FOLDERS: [(&str, &str); 3] =
    [("{documents}", "Personal"), ("{local}", "Local AppData"), ("{roaming}", "AppData")];

/// The registry that a game sees: that of its prefix, else that of this Windows.
pub(crate) fn registry(situation: &Situation<'_>) -> Option<Registry> {
    match situation.game().prefix() {
        Some(prefix) => {
            let path = TreePath::new(REGISTRY_FILE).ok()?;
            Place::new(&situation.game().root, &prefix, path).ok().map(Registry::Prefix)
        }
        None => cfg!(windows).then_some(Registry::Windows),
    }
}

/// The file of the home with a game's start settings.
pub(crate) fn start_file(situation: &Situation<'_>) -> Result<Place, String> {
    let game = situation.game();
    let path = TreePath::new(&format!("{STARTS}/{}.toml", game.id)).map_err(|e| e.to_string())?;
    Place::new(&game.root, &situation.window.home(), path).map_err(|error| error.to_string())
}

/// The location of a path with placeholders; a path without one is relative to the component. The error has the
/// reason why there is none.
pub(crate) fn resolve(
    situation: &Situation<'_>,
    beside: Option<&Library>,
    template: &str,
) -> Result<Place, String> {
    let executable = situation.view.executable().map(|executable| &executable.path);
    let mut template = template.to_owned();
    if template.contains("{exe-name}") {
        let name = executable.ok_or("the game has no program that counts")?.file_name();
        template = template.replace("{exe-name}", crate::path::stem(name));
    }
    let game = situation.game();
    let (base, rest) = if let Some(rest) = template.strip_prefix("{root}") {
        (game.root.clone(), rest)
    } else if let Some(rest) = template.strip_prefix("{exe-dir}") {
        let path = executable.ok_or("the game has no program that counts")?;
        (folder_of(&game.root, path), rest)
    } else if let Some((name, rest)) = user_folder(&template) {
        (documents(situation, name)?, rest)
    } else {
        let library =
            beside.ok_or("the game does not have the component beside which it would be")?;
        (folder_of(&game.root, &library.path), &*template)
    };
    let path = TreePath::new(rest.trim_start_matches('/')).map_err(|error| error.to_string())?;
    let place = Place::new(&game.root, &base, path).map_err(|error| error.to_string())?;
    Ok(situation.window.spelled(place))
}

/// A folder as it is written in a catalog: by the placeholder that says most of it; nothing if it is below none.
pub(crate) fn with_placeholder(situation: &Situation<'_>, folder: &Path) -> Option<String> {
    let marks = ["{exe-dir}", "{root}"].into_iter().chain(USER_FOLDERS.map(|(mark, _)| mark));
    marks.into_iter().find_map(|mark| {
        let place = resolve(situation, None, &format!("{mark}/log")).ok()?;
        let base = place.on(&situation.game().root);
        let base = canonical(base.parent()?).ok()?;
        let rest = folder.strip_prefix(&base).ok()?;
        let rest = slashes(rest);
        Some(if rest.is_empty() { mark.to_owned() } else { format!("{mark}/{rest}") })
    })
}

fn folder_of(root: &Path, path: &TreePath) -> PathBuf {
    path.parent().map_or_else(|| root.to_owned(), |folder| folder.on(root))
}

/// The registry's name of the user's folder at the start of a path.
fn user_folder(template: &str) -> Option<(&'static str, &str)> {
    USER_FOLDERS.iter().find_map(|(mark, name)| Some((*name, template.strip_prefix(mark)?)))
}

/// One of the user's folders: in the prefix, if the game has one.
fn documents(situation: &Situation<'_>, name: &'static str) -> Result<PathBuf, String> {
    let Some(prefix) = situation.game().prefix() else { return own_folder(name) };
    let registry = registry(situation).ok_or("the game has no registry")?;
    let value = ValueName::new(FOLDERS, name)?;
    let found = situation.window.now(&Target::Value(RegistryValue { registry, value }));
    let found = found.map_err(|error| error.to_string())?;
    let text = match &found.state {
        State::Value(value) => value.as_text(),
        _ => None,
    };
    let text = text
        .ok_or_else(|| format!("the registry of the prefix does not name its folder `{name}`"))?;
    let (drive, path) = text.split_once(r":\").ok_or_else(|| format!("`{text}` is not a path"))?;
    // On Windows the name of such a link means a drive of its own.
    let link = prefix.join("dosdevices").join(format!("{}:", drive.to_lowercase()));
    let is_link = cfg!(not(windows)) && link.exists();
    let drive = if is_link { link } else { prefix.join("drive_c") };
    let folder = path.split('\\').fold(drive, |folder, part| folder.join(part));
    canonical(&folder).map_err(|_| format!("{} is not there", slashes(&folder)))
}

/// One of the folders of the user of this machine.
fn own_folder(name: &str) -> Result<PathBuf, String> {
    if !cfg!(windows) {
        return Err("the game has no prefix, so that folder cannot be found".to_owned());
    }
    let base = directories::BaseDirs::new();
    let user = directories::UserDirs::new();
    let folder = match name {
        "Personal" => user.as_ref().and_then(|user| user.document_dir()),
        "Local AppData" => base.as_ref().map(directories::BaseDirs::data_local_dir),
        _ => base.as_ref().map(directories::BaseDirs::data_dir),
    };
    folder.map(Path::to_owned).ok_or_else(|| "the system does not have that folder".to_owned())
}
