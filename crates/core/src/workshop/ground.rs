//! The disk and the store, as planners look at them.

use std::cell::RefCell;
use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use rayon::prelude::*;

use crate::check::Images;
use crate::content::{Content, FileState};
use crate::error::{Error, Result};
use crate::image::{Facts, Image};
use crate::path::{GamePath, same_name};
use crate::plan::{self, Ground, Held, Place};
use crate::rack::{Build, Parcel};
use crate::state::Blobs;
use crate::survey::GameView;

/// A game's folder with the store, and the package that a build may have to be taken from.
/// What was read once is kept: nothing changes while a plan is made.
pub(super) struct OnDisk<'a> {
    root: &'a Path,
    blobs: &'a Blobs,
    parcel: Option<&'a Parcel>,
    held: RefCell<HashMap<Place, Option<Held>>>,
    images: RefCell<HashMap<PathBuf, Option<Arc<Image>>>>,
}

impl<'a> OnDisk<'a> {
    pub fn new(root: &'a Path, blobs: &'a Blobs, parcel: Option<&'a Parcel>) -> Self {
        let (held, images) = (RefCell::default(), RefCell::default());
        Self { root, blobs, parcel, held, images }
    }

    /// The file of a build: in the package that it is not yet stored from, else in the store.
    fn file(&self, content: &Content) -> Result<PathBuf> {
        let unpacked = self.parcel.and_then(|parcel| parcel.file_of(content));
        unpacked.map_or_else(|| self.blobs.file(content), |path| Ok(path.to_owned()))
    }

    /// Reads the files in a build's slots side by side: where the system proves that a file was not
    /// altered since, it is not read again.
    pub fn read_ahead(&self, view: &GameView, build: &Build) {
        if !cfg!(unix) {
            return;
        }
        let slots = plan::slots(view, build).into_iter();
        let files: Vec<PathBuf> = slots.map(|library| library.path.on(self.root)).collect();
        files.par_iter().for_each(|file| {
            // One that cannot be read is told of when it is asked for.
            let _ = Content::of_file(file);
        });
    }

    fn image(&self, path: PathBuf) -> Option<Arc<Image>> {
        let mut images = self.images.borrow_mut();
        let read = |path: &PathBuf| Image::read(path).ok().map(Arc::new);
        images.entry(path).or_insert_with_key(read).clone()
    }
}

impl Images for OnDisk<'_> {
    fn at(&self, path: &GamePath) -> Option<Arc<Image>> {
        self.image(path.on(self.root))
    }

    fn stored(&self, content: &Content) -> Option<Arc<Image>> {
        self.image(self.file(content).ok()?)
    }
}

impl Ground for OnDisk<'_> {
    fn now(&self, place: &Place) -> Result<Option<Held>> {
        if let Some(known) = self.held.borrow().get(place) {
            return Ok(known.clone());
        }
        let path = place.on(self.root);
        let state = FileState::observe(&path)?;
        let version = || Facts::read(&path).ok().and_then(|facts| facts.version());
        let held = state.map(|state| Held { state, version: version() });
        self.held.borrow_mut().insert(place.clone(), held.clone());
        Ok(held)
    }

    fn bytes(&self, place: &Place) -> Result<Vec<u8>> {
        let path = place.on(self.root);
        fs::read(&path).map_err(Error::io("read", &path))
    }

    fn spelled(&self, place: Place) -> Place {
        if place.on(self.root).exists() && !cfg!(windows) {
            return place;
        }
        let mut folder = place.base(self.root).to_owned();
        let mut parts = Vec::new();
        for part in place.path.as_str().split('/') {
            let names = fs::read_dir(&folder).into_iter().flatten().flatten();
            let mut names = names.filter_map(|entry| entry.file_name().into_string().ok());
            let spelled = names.find(|name| same_name(name, part));
            let part = spelled.unwrap_or_else(|| part.to_owned());
            folder.push(&part);
            parts.push(part);
        }
        match GamePath::new(&parts.join("/")) {
            Ok(path) => Place { path, ..place },
            Err(_) => place,
        }
    }

    fn missing_folders(&self, place: &Place) -> usize {
        let path = place.on(self.root);
        path.ancestors().skip(1).take_while(|folder| !folder.exists()).count()
    }

    fn stored(&self, content: &Content) -> Result<Vec<u8>> {
        let path = self.file(content)?;
        fs::read(&path).map_err(Error::io("read", &path))
    }
}
