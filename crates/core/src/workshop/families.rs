//! The user's catalog of families.

use std::path::Path;

use super::Workshop;
use crate::catalog::{Family, LONGEST_CATALOG, Lesson, learn, parse};
use crate::error::{Error, GameError, Result};
use crate::path::same_name;
use crate::rack::Parcel;
use crate::remedy::Action;
use upright_spanner_image::Facts;
use upright_spanner_image::file::text_of;

/// The file of the catalog folder that learned families go to.
const LEARNED: &str = "learned.toml";

impl Workshop {
    /// Describes the libraries of a package as a family that the user named, unless the catalog
    /// knows them.
    pub(super) fn learn_family_of(&self, parcel: &Parcel, family: &str) -> Result<()> {
        let Some(build) = parcel.builds.first() else { return Ok(()) };
        if let Some(other) =
            parcel.builds.iter().find(|b| !same_name(&b.file.name, &build.file.name))
        {
            return Err(Error::Invalid {
                what: format!(
                    "{} and {} are different families, so they cannot share one name",
                    build.file.name, other.file.name
                ),
                remedy: ("Add them one by one, or describe each.", Action::LearnFamily).into(),
            });
        }

        let catalog = self.catalog();
        let Some(facts) = &build.file.facts else { return Ok(()) };
        let known = catalog.find(facts, &build.file.name);
        if known.is_some_and(|known| known.id == family) {
            return Ok(());
        }
        let lesson = Lesson { id: Some(family.to_owned()), ..Lesson::default() };
        self.learn(&build.file.name, facts, lesson).map(drop)
    }

    /// Describes a sample file in the catalog, and gives the new family.
    ///
    /// # Errors
    /// Where the file is not an image, the catalog knows it, or the entry cannot be written.
    pub fn learn_family(&self, file: &Path, lesson: Lesson) -> Result<Family> {
        // The user's own link stands for what it leads to.
        let linked = crate::path::canonical(file).unwrap_or_else(|_| file.to_owned());
        let facts = Facts::read(&linked).map_err(Error::image(file))?;
        let name = file.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
        self.learn(&name, &facts, lesson)
    }

    fn learn(&self, name: &str, facts: &Facts, lesson: Lesson) -> Result<Family> {
        let catalog = self.catalog();
        if let Some(error) = catalog.errors.first() {
            return Err(Error::Catalog(error.clone()));
        }
        if let Some(known) = catalog.find(facts, name) {
            return Err(Error::Game(GameError::Taken {
                what: "a family that describes this file:",
                name: known.id.clone(),
            }));
        }

        let path = self.home.join("catalog").join(LEARNED);
        let id = learn(&path, facts, name, lesson)?;
        let text = text_of(&path, LONGEST_CATALOG).map_err(Error::io("read", &path))?;
        let families = parse(&path, &text).map_err(Error::Catalog)?;
        let learned = families.into_iter().rfind(|family| family.id == id);
        learned.ok_or_else(|| Error::Game(GameError::Id { id: id.clone(), like: id }))
    }
}
