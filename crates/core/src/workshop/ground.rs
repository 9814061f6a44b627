//! The disk and the store, as planners look at them.

use std::fs;
use std::path::Path;

use crate::content::{Content, FileState};
use crate::error::{Error, Result};
use crate::image::Facts;
use crate::path::{GamePath, same_name};
use crate::plan::{Ground, Held, Place};
use crate::rack::Parcel;
use crate::state::Blobs;

/// A game's folder with the store, and the package that a build may have to be taken from.
pub(super) struct OnDisk<'a> {
    pub root: &'a Path,
    pub blobs: &'a Blobs,
    pub parcel: Option<&'a Parcel>,
}

impl Ground for OnDisk<'_> {
    fn now(&self, place: &Place) -> Result<Option<Held>> {
        let path = place.on(self.root);
        let state = FileState::observe(&path)?;
        let version = || Facts::read(&path).ok().and_then(|facts| facts.version());
        Ok(state.map(|state| Held { state, version: version() }))
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
        let unpacked = self.parcel.and_then(|parcel| parcel.file_of(content));
        let path = match unpacked {
            Some(path) => path.to_owned(),
            None => self.blobs.file(content)?,
        };
        fs::read(&path).map_err(Error::io("read", &path))
    }
}
