//! The folders that a change may alter, each opened once: the root, the bays beside it, and what else
//! was granted. Planners look through them, and carriers alter through them.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{ErrorKind, Read};
use std::path::{Path, PathBuf};

use crate::content::{Content, FileState, Stamp};
use crate::error::{Error, Result};
use crate::folder::{Folder, Found, Identity, metadata_of};
use crate::path::{Place, TreePath};
use crate::step::State;

/// The scope of a change.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Scope {
    /// The folder of the game.
    pub root: PathBuf,
    /// Further folders that belong to it.
    pub bays: Vec<PathBuf>,
    /// Folders that belong to nothing of this, and may be altered all the same.
    pub grants: Vec<Grant>,
    /// The program, with its first arguments, through which values of a prefix's registry are set: only if programs
    /// of the prefix run, and hold the registry in their memory.
    pub run_with: Option<Vec<String>>,
}

/// Leave to alter a folder that is neither the root nor a bay.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Grant {
    /// The folder.
    pub folder: PathBuf,
    /// What gives the leave, in words.
    pub why: String,
}

/// The folders of a scope, held open.
#[derive(Debug)]
pub struct Territory {
    root: Folder,
    others: BTreeMap<PathBuf, Option<Folder>>,
    run_with: Option<Vec<String>>,
    /// Whether names are made durable folder by folder. Else someone does so with all of the volumes.
    is_durable: bool,
}

impl Territory {
    /// Opens the folders of a scope. A bay that is not there is missed when something is to go there.
    ///
    /// # Errors
    /// If the root is not there.
    pub fn open(scope: &Scope) -> Result<Self> {
        let root = Folder::open(&scope.root)?;
        let granted = scope.grants.iter().map(|grant| &grant.folder);
        let open = |folder: &PathBuf| (folder.clone(), Folder::open(folder).ok());
        let others = scope.bays.iter().chain(granted).map(open).collect();
        Ok(Self { root, others, run_with: scope.run_with.clone(), is_durable: true })
    }

    /// The same for many files at a time: nothing is durable until [`Self::sync`] has made all so.
    pub(crate) fn for_many(self) -> Self {
        Self { is_durable: false, ..self }
    }

    /// Makes all durable that was written to its volumes.
    ///
    /// # Errors
    /// If a disk fails.
    pub(crate) fn sync(&self) -> Result<()> {
        let mut folders = self.others.values().flatten().chain([&self.root]);
        folders.try_for_each(Folder::sync_volume)
    }

    /// The program through which values of a prefix's registry are set, if that is needed.
    pub(crate) fn run_with(&self) -> Option<&[String]> {
        self.run_with.as_deref()
    }

    /// The folder of the game.
    pub fn root(&self) -> &Path {
        self.root.path()
    }

    /// What makes the game's folder the one that it is.
    ///
    /// # Errors
    /// If the system does not say it.
    pub fn identity(&self) -> Result<Identity> {
        self.root.identity()
    }

    /// The path on disk, for messages.
    pub fn path(&self, place: &Place) -> PathBuf {
        place.on(self.root.path())
    }

    /// The folder that a place is below.
    ///
    /// # Errors
    /// [`Error::NotGranted`] if the place is outside the scope.
    pub(crate) fn base(&self, place: &Place) -> Result<&Folder> {
        let Some(bay) = place.bay() else { return Ok(&self.root) };
        match self.others.get(bay) {
            None => Err(Error::NotGranted { place: place.clone() }),
            Some(None) => Err(Error::io("open", bay)(ErrorKind::NotFound.into())),
            Some(Some(folder)) => Ok(folder),
        }
    }

    /// The folder around a place; nothing if it is not there.
    pub(crate) fn around(&self, place: &Place) -> Result<Option<Folder>> {
        self.base(place)?.around(place.path())
    }

    /// The folder around a place, which must be there, and the name in it.
    pub(crate) fn at<'a>(&self, place: &'a Place) -> Result<(Folder, &'a str)> {
        let missing =
            || Error::io("open the folder of", &self.path(place))(ErrorKind::NotFound.into());
        Ok((self.around(place)?.ok_or_else(missing)?, place.path().file_name()))
    }

    /// Opens the plain file at a place to read; `None` if it does not exist.
    pub(crate) fn read(&self, place: &Place) -> Result<Option<File>> {
        let folder = self.around(place)?;
        Ok(folder.map(|folder| folder.read(place.path().file_name())).transpose()?.flatten())
    }

    /// Removes the plain file at a place, if it is there.
    ///
    /// # Errors
    /// If something else is there, or the system refuses it.
    pub fn remove_file(&self, place: &Place) -> Result<()> {
        let folder = self.around(place)?;
        folder.map_or(Ok(()), |folder| folder.remove_file(place.path().file_name()))
    }

    /// Ends what an interruption left of a swap, so that what left is at the spare place.
    pub(crate) fn end_swap(&self, spare: &Place) -> Result<()> {
        let folder = self.around(spare)?;
        folder.map_or(Ok(()), |folder| folder.end_swap(spare.path().file_name()))
    }

    /// Waits until the entries of the folder around a place are on disk.
    pub(crate) fn sync_around(&self, place: &Place) -> Result<()> {
        if !self.is_durable {
            return Ok(());
        }
        self.around(place)?.map_or(Ok(()), |folder| folder.sync())
    }

    /// The kind of thing at a place, without reading it.
    ///
    /// # Errors
    /// If a part of the way is a link, or the system refuses it.
    pub fn find(&self, place: &Place) -> Result<Found> {
        match self.around(place)? {
            Some(folder) => folder.find(place.path().file_name()),
            None => Ok(Found::Nothing),
        }
    }

    /// Reads the file at a place: its content and its marks.
    ///
    /// # Errors
    /// If something else is there, or it cannot be read.
    pub fn file(&self, place: &Place) -> Result<State> {
        let path = self.path(place);
        let Some(file) = self.read(place)? else { return Ok(State::Absent) };
        let stamp = Stamp::of(&metadata_of(&file, &path)?);
        let content = Content::of_open(&file).map_err(Error::io("read", &path))?;
        Ok(State::File(FileState { content, stamp }))
    }

    /// The bytes of the file at a place, at most so many.
    ///
    /// # Errors
    /// If it is not a plain file, cannot be read, or is longer.
    pub fn bytes(&self, place: &Place, most: u64) -> Result<Vec<u8>> {
        let path = self.path(place);
        let missing = || Error::io("read", &path)(ErrorKind::NotFound.into());
        let file = self.read(place)?.ok_or_else(missing)?;
        if metadata_of(&file, &path)?.len() > most {
            return Err(Error::io("read", &path)(ErrorKind::FileTooLarge.into()));
        }
        let mut bytes = Vec::new();
        file.take(most).read_to_end(&mut bytes).map_err(Error::io("read", &path))?;
        Ok(bytes)
    }

    /// A place in the tree's own spelling, as far as the tree has it.
    ///
    /// # Errors
    /// If a part of the way is a link, or the system refuses it.
    pub fn spelled(&self, place: &Place) -> Result<Place> {
        let mut folder = self.base(place)?.below("")?;
        let mut spelled = Vec::new();
        for part in place.path().parts() {
            let name = match &folder {
                Some(folder) => folder.spelled(part)?.unwrap_or_else(|| part.to_owned()),
                None => part.to_owned(),
            };
            let is_last = spelled.len() == place.path().depth();
            folder = match folder {
                Some(folder) if !is_last => folder.below(&name)?,
                other => other,
            };
            spelled.push(name);
        }

        Ok(place.with_path(TreePath::new(&spelled.join("/"))?))
    }

    /// The folders around a place that are not there yet, the outermost first.
    ///
    /// # Errors
    /// If a part of the way is a link, or the system refuses it.
    pub fn missing_folders(&self, place: &Place) -> Result<Vec<Place>> {
        let mut missing = Vec::new();
        for folder in place.folders() {
            if matches!(self.find(&folder)?, Found::Nothing) {
                missing.push(folder);
            } else {
                break;
            }
        }
        missing.reverse();
        Ok(missing)
    }

    /// The entries of the folder at a place, by full path; none if the folder does not exist. Names that are not valid paths
    /// are counted, not listed.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn entries(&self, place: &Place) -> Result<(Vec<Place>, usize)> {
        let Some(folder) = self.base(place)?.below(place.path().as_str())? else {
            return Ok((Vec::new(), 0));
        };
        let (mut named, mut others) = (Vec::new(), 0);
        for name in folder.names()? {
            let path = name
                .to_str()
                .and_then(|name| TreePath::new(&format!("{}/{name}", place.path())).ok());
            match path {
                Some(path) => named.push(place.with_path(path)),
                None => others += 1,
            }
        }

        Ok((named, others))
    }
}
