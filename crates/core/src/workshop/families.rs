//! The user's catalog of families.

use std::path::Path;

use super::Workshop;
use crate::catalog::{Catalog, Family, Lesson, parse};
use crate::error::{Error, Result};
use crate::image::Facts;

/// The file of the catalog folder that learned families go to.
const LEARNED: &str = "learned.toml";

impl Workshop {
    /// The families that the catalog files of the home folder describe.
    pub fn catalog(&self) -> Catalog {
        Catalog::read_folder(&self.home.join("catalog"))
    }

    /// Describes a sample file in the catalog, and gives the new family.
    pub fn learn_family(&self, file: &Path, lesson: Lesson) -> Result<Family> {
        let facts = Facts::read(file).map_err(Error::image(file))?;
        let name = file.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
        let catalog = self.catalog();
        if let Some(error) = catalog.errors.first() {
            return Err(Error::Catalog(error.clone()));
        }
        if let Some(known) = catalog.find(&facts, &name) {
            return Err(Error::Taken {
                what: "a family that describes this file:",
                name: known.id.clone(),
            });
        }
        let path = self.home.join("catalog").join(LEARNED);
        let id = Catalog::learn(&path, &facts, &name, lesson)?;
        let text = std::fs::read_to_string(&path).map_err(Error::io("read", &path))?;
        let families = parse(&path, &text).map_err(Error::Catalog)?;
        let learned = families.into_iter().rfind(|family| family.id == id);
        learned.ok_or_else(|| Error::Id { id: id.clone(), like: id })
    }
}
