//! The given release: folders and archives, where later ones override earlier ones.

use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use ignore::WalkBuilder;
use rayon::prelude::*;

use crate::change::Side;
use crate::content::{FileState, Stamp, state_of};
use crate::error::{ChangeError, Error, Files, Result};
use crate::path::{TreePath, canonical, extension, fold};
use crate::rack::Package;
use crate::settings::Limits;
use upright_spanner_change::{Moment, Progress};
use upright_spanner_image::Facts;

/// A release of a game as it was given.
#[derive(Debug)]
pub(crate) struct Release {
    /// The given paths, in order.
    pub given: Vec<PathBuf>,
    /// The same from the drive on, as the system spells it.
    pub whole: Vec<PathBuf>,
    /// Its files by their paths as games compare them: of each the last that was given.
    pub files: Vec<ReleaseFile>,
    /// Names that files have while something fetches them.
    pub unfinished: Vec<PathBuf>,
    /// Kept so that the unpacked files stay.
    _packages: Vec<Package>,
}

/// A file of a release.
#[derive(Debug)]
pub(crate) struct ReleaseFile {
    /// Its path in the game.
    pub path: TreePath,
    /// Its path.
    pub file: PathBuf,
    /// Its state in the game after the wind.
    pub side: Side,
    /// An image's facts, or the reason why it is not one.
    pub facts: Option<Result<Facts, String>>,
    /// The index of the given path that it comes from.
    pub of: usize,
    /// Whether someone wrote into it in the meantime.
    pub grows: bool,
    /// Its length and date when it was read.
    seen: (u64, Moment),
}

/// The location of a file before it is read.
struct Source {
    path: TreePath,
    file: PathBuf,
    of: usize,
    modified: Option<Moment>,
}

impl Release {
    /// Reads the given paths; archives are unpacked into a folder in `scratch`.
    pub fn read(
        given: &[PathBuf],
        limits: &Limits,
        scratch: &Path,
        progress: &dyn Progress,
    ) -> Result<Self> {
        let mut sources: BTreeMap<String, Source> = BTreeMap::new();
        let mut packages = Vec::new();
        let mut unfinished = Vec::new();
        for (of, place) in given.iter().enumerate() {
            let listed = if place.is_dir() {
                list(place, of)?
            } else {
                let package = Package::unpack(place, limits, scratch, progress)?;
                let listed = packed(&package, of);
                packages.push(package);
                listed?
            };
            let mut names = HashSet::new();
            for source in listed {
                if is_remainder(source.path.file_name()) {
                    unfinished.push(source.file);
                    continue;
                }
                let name = fold(source.path.as_str());
                if !names.insert(name.clone()) {
                    let why = format!(
                        "it and another file differ only in case ({}), and to a game they are the same",
                        source.path
                    );
                    return Err(unfit(&source.file, why));
                }
                sources.insert(name, source);
            }
        }

        progress.begin("reading the release", Some(sources.len() as u64));
        let sources: Vec<Source> = sources.into_values().collect();
        let files: Result<Vec<ReleaseFile>> = sources
            .into_par_iter()
            .map(|source| {
                if progress.is_stopped() {
                    return Err(Error::Files(Files::Stopped));
                }
                let file = read(source)?;
                progress.advance(1);
                Ok(file)
            })
            .collect();
        progress.end();
        let mut files = files?;
        look_again(&mut files);
        let whole = |path: &PathBuf| canonical(path).unwrap_or_else(|_| path.clone());
        let whole = given.iter().map(whole).collect();
        Ok(Self { given: given.to_vec(), whole, files, unfinished, _packages: packages })
    }
}

/// Files dated within so long may be written into still; so long it is waited to see it.
const YOUNG: Duration = Duration::from_secs(5);
const A_WHILE: Duration = Duration::from_secs(1);

/// Looks once more at files that were read, to see whether something still writes into them.
fn look_again(files: &mut [ReleaseFile]) {
    let age = |file: &ReleaseFile| {
        let modified = file.file.metadata().and_then(|metadata| metadata.modified()).ok()?;
        SystemTime::now().duration_since(modified).ok()
    };
    if files.iter().filter_map(age).any(|age| age < YOUNG) {
        std::thread::sleep(A_WHILE);
    }
    for file in files {
        let seen = file.file.symlink_metadata();
        let now = seen.ok().map(|metadata| (metadata.len(), Stamp::of(&metadata).modified));
        file.grows |= now != Some(file.seen);
    }
}

/// Whether a name is that of an unfinished download.
fn is_remainder(name: &str) -> bool {
    const ENDINGS: [&str; 2] = ["incomplete", "unfinished"];
    crate::path::is_unfinished_download(name) || ENDINGS.contains(&extension(name).as_str())
}

fn unfit(path: &Path, why: String) -> Error {
    Error::Change(ChangeError::NotWindable { path: path.to_owned(), why })
}

/// Every file below a folder; a link is refused, since its target may be anywhere.
fn list(folder: &Path, of: usize) -> Result<Vec<Source>> {
    let mut sources = Vec::new();
    for entry in WalkBuilder::new(folder).standard_filters(false).follow_links(false).build() {
        let entry = entry.map_err(|error| unfit(folder, error.to_string()))?;
        let Some(kind) = entry.file_type().filter(|kind| !kind.is_dir()) else { continue };
        let file = entry.into_path();
        if !kind.is_file() {
            return Err(unfit(&file, "it is a link or a device".to_owned()));
        }
        let path = TreePath::below(folder, &file).map_err(|e| unfit(&file, e.why.to_owned()))?;
        sources.push(Source { path, file, of, modified: None });
    }
    Ok(sources)
}

/// The files of an archive that was unpacked.
fn packed(package: &Package, of: usize) -> Result<Vec<Source>> {
    let source = |entry: &crate::rack::PackedFile| {
        let (path, modified) = (entry.path.clone(), Some(entry.modified));
        Ok(Source { path, file: entry.file()?, of, modified })
    };
    package.entries.iter().map(source).collect()
}

/// Reads a file: its content, its facts if it is an image, and whether it is still growing.
fn read(source: Source) -> Result<ReleaseFile> {
    let Source { path, file, of, modified } = source;
    let gone = || Error::io("read", &file)(std::io::ErrorKind::NotFound.into());
    let state = state_of(&file)?.ok_or_else(gone)?;
    let seen = (state.content.size, state.stamp.modified);

    let stamp = Stamp::fresh(modified.unwrap_or(state.stamp.modified));
    let mode = state.stamp.mode.filter(|_| modified.is_none()).map(may_be_written);
    let stamp = Stamp { mode: mode.or(stamp.mode), ..stamp };
    let is_image = ["dll", "exe", "asi"].contains(&extension(path.file_name()).as_str());
    let facts = is_image.then(|| Facts::read(&file).map_err(|error| error.to_string()));
    let label = facts.as_ref().and_then(|facts| facts.as_ref().ok()?.version());
    let side = Side::file(FileState { stamp, ..state }, label.map(|version| version.to_string()));
    Ok(ReleaseFile { path, file, side, facts, of, grows: false, seen })
}

/// Permission bits with which the game's owner can read and write a file: a copy kept on a disk that nothing may be
/// written to is not a reason for a game that its launcher cannot update.
fn may_be_written(mode: u32) -> u32 {
    const ALL: u32 = 0o777;
    const OWNER: u32 = 0o600;
    mode & ALL | OWNER
}
