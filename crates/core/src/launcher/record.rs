//! The records that launchers keep of games, read as a description says. They are untrusted: their texts are shown as
//! they are, and lead to no file except the record itself and existing folders of games.

use std::path::{Path, PathBuf};

use globset::{Glob, GlobMatcher};

use super::description::Launcher;
use crate::path::{TreePath, canonical};
use upright_spanner_image::file::bytes_of;
use upright_spanner_settings::encoded::decoded;

/// The longest record: most have some hundred bytes.
const LONGEST: u64 = 1 << 20;

/// So many records are read of one launcher.
const MOST_RECORDS: usize = 5_000;

/// The longest text that is taken out of a record.
const LONGEST_TEXT: usize = 400;

/// A launcher's record of a game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Record {
    /// The launcher's name.
    pub launcher: String,
    /// The file that contains it.
    pub file: PathBuf,
    /// The game's title.
    pub title: Option<String>,
    /// The game's folder, as the system spells it.
    pub folder: PathBuf,
    /// Which build of the game is there, in the launcher's words.
    pub build: Option<String>,
    /// Which build would come next.
    pub next: Option<String>,
    /// Whether an update is waiting.
    pub waiting: bool,
    /// How the launcher starts the game: an address or a command.
    pub start: Option<String>,
}

/// The library roots in a launcher's records, in the user's folders or in known roots.
pub(crate) fn libraries(launcher: &Launcher, known: &[PathBuf]) -> Vec<PathBuf> {
    let Some((files, pattern)) = &launcher.libraries else { return Vec::new() };
    let mut found = Vec::new();
    for file in files.iter().flat_map(|place| files_at(place, known)) {
        let Some(text) = text_of(&file) else { continue };
        let named = pattern.captures_iter(&text).filter_map(|found| found.name("library"));
        // A record may spell a path with doubled backslashes.
        let folders = named.map(|name| PathBuf::from(name.as_str().trim().replace("\\\\", "\\")));
        found.extend(folders.filter_map(|folder| canonical(&folder).ok()).filter(|f| f.is_dir()));
    }
    found.sort();
    found.dedup();
    found
}

/// What launchers have written down of games; `libraries` are folders that may be library roots.
pub fn records(launchers: &[Launcher], libraries: &[PathBuf]) -> Vec<Record> {
    let mut found = Vec::new();
    for launcher in launchers {
        let own = self::libraries(launcher, libraries);
        let mut roots: Vec<&PathBuf> = own.iter().chain(libraries).collect();
        roots.sort();
        roots.dedup();
        let mut files: Vec<(PathBuf, Option<&PathBuf>)> = Vec::new();
        for place in &launcher.records {
            if place.starts_with(LIBRARY) {
                let in_root = |root: &&PathBuf| files_at(place, std::slice::from_ref(*root));
                files.extend(roots.iter().flat_map(|root| {
                    in_root(root).into_iter().map(move |file| (file, Some(*root)))
                }));
            } else {
                files.extend(files_at(place, &[]).into_iter().map(|file| (file, None)));
            }
        }
        files.sort();
        files.dedup_by(|a, b| a.0 == b.0);
        files.truncate(MOST_RECORDS);
        found.extend(files.iter().filter_map(|(file, library)| read(launcher, file, *library)));
    }
    found
}

/// The placeholder for a library root.
const LIBRARY: &str = "{library}";

/// The user's folders, by their placeholders.
fn user_folder(mark: &str) -> Option<PathBuf> {
    let base = || directories::BaseDirs::new();
    match mark {
        "{documents}" => {
            let user = directories::UserDirs::new()?;
            user.document_dir()
                .map_or_else(|| Some(user.home_dir().to_owned()), |dir| Some(dir.to_owned()))
        }
        "{local}" => Some(base()?.data_local_dir().to_owned()),
        "{roaming}" => Some(base()?.config_dir().to_owned()),
        _ => None,
    }
}

/// The files at a place with a placeholder and `*`.
fn files_at(place: &str, libraries: &[PathBuf]) -> Vec<PathBuf> {
    let Some((mark, rest)) = place.split_once('/') else { return Vec::new() };
    let mut folders = match mark {
        LIBRARY => libraries.to_vec(),
        mark => user_folder(mark).into_iter().collect(),
    };
    let parts: Vec<&str> = rest.split('/').filter(|part| !part.is_empty()).collect();
    for part in parts {
        folders = folders.iter().flat_map(|folder| below(folder, part)).collect();
        folders.truncate(MOST_RECORDS);
    }
    folders.retain(|file| file.symlink_metadata().is_ok_and(|found| found.is_file()));
    folders
}

/// The entries of a folder with a name, which may contain `*`.
fn below(folder: &Path, name: &str) -> Vec<PathBuf> {
    if !name.contains(['*', '?', '[']) {
        return vec![folder.join(name)];
    }
    let Ok(glob) = Glob::new(name) else { return Vec::new() };
    let matcher: GlobMatcher = glob.compile_matcher();
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut found: Vec<PathBuf> =
        entries.filter(|entry| matcher.is_match(entry.file_name())).map(|e| e.path()).collect();
    found.sort();
    found
}

fn text_of(file: &Path) -> Option<String> {
    Some(decoded(&bytes_of(file, LONGEST).ok()?))
}

/// The texts of a record, as they are.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Stated {
    /// The game's title.
    pub title: Option<String>,
    /// The game's folder.
    pub folder: Option<String>,
    /// Which build is there.
    pub build: Option<String>,
    /// Which build would come next.
    pub next: Option<String>,
    /// The launcher's id of the game.
    pub id: Option<String>,
    /// Whether an update is waiting.
    pub waiting: bool,
}

impl Launcher {
    /// Extracts the texts that the patterns match: without control characters, and limited to readable lengths.
    pub fn read(&self, text: &str) -> Stated {
        let group = |name: &str| {
            let found = self.patterns.iter().find_map(|pattern| pattern.captures(text)?.name(name));
            let plain = |text: &str| {
                let shown: String = text.chars().filter(|c| !c.is_control()).collect();
                shown.trim().chars().take(LONGEST_TEXT).collect::<String>()
            };
            found.map(|part| plain(part.as_str())).filter(|text| !text.is_empty())
        };
        let (build, next) = (group("build"), group("next"));
        Stated {
            title: group("title"),
            folder: group("folder"),
            waiting: group("waiting").is_some() || next.is_some() && next != build,
            build,
            next,
            id: group("id"),
        }
    }

    /// How the launcher starts the game. A text of a record is used in an address or a command only if it can be
    /// nothing but a name there.
    pub fn start_of(&self, stated: &Stated) -> Option<String> {
        let is_name =
            |text: &&String| text.chars().all(|c| c.is_ascii_alphanumeric() || "._-".contains(c));
        let parts = [("{id}", &stated.id), ("{build}", &stated.build)];
        parts.into_iter().try_fold(self.start.clone()?, |text, (mark, part)| {
            if !text.contains(mark) {
                return Some(text);
            }
            Some(text.replace(mark, part.as_ref().filter(is_name)?))
        })
    }
}

/// Reads a record; nothing if it names no folder of a game that is there.
fn read(launcher: &Launcher, file: &Path, library: Option<&PathBuf>) -> Option<Record> {
    let stated = launcher.read(&text_of(file)?);
    let folder = stated.folder.as_ref()?;
    let plain = || TreePath::new(&folder.replace('\\', "/")).ok();
    let folder = if let Some(games) = &launcher.games {
        let place = games.replace("{folder}", plain()?.as_str());
        let (mark, rest) = place.split_once('/')?;
        let base = if mark == LIBRARY { library.cloned()? } else { user_folder(mark)? };
        TreePath::new(rest).ok()?.on(&base)
    } else {
        // A record may spell a path with doubled backslashes.
        let whole = PathBuf::from(folder.replace("\\\\", "\\"));
        if whole.is_absolute() { whole } else { plain()?.on(library?) }
    };
    let folder = canonical(&folder).ok().filter(|folder| folder.is_dir())?;
    Some(Record {
        launcher: launcher.name.clone(),
        file: canonical(file).unwrap_or_else(|_| file.to_owned()),
        start: launcher.start_of(&stated),
        title: stated.title,
        folder,
        build: stated.build,
        next: stated.next,
        waiting: stated.waiting,
    })
}
