//! The user's catalog of families.

use std::path::Path;

use super::Workshop;
use crate::catalog::{Family, LONGEST_CATALOG, Lesson, LogLesson, learn, learn_log, parse};
use crate::error::{Error, GameError, Result};
use crate::path::{same_name, slashes};
use crate::prove;
use crate::rack::Parcel;
use crate::remedy::Action;
use crate::tune;
use upright_spanner_change::progress::Silent;
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

        let catalog = self.own_catalog();
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
    /// If the file is not an image, the catalog knows it, or the entry cannot be written.
    pub fn learn_family(&self, file: &Path, lesson: Lesson) -> Result<Family> {
        // A link of the user's is followed.
        let linked = crate::path::canonical(file).unwrap_or_else(|_| file.to_owned());
        let facts = Facts::read(&linked).map_err(Error::image(file))?;
        let name = file.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
        self.learn(&name, &facts, lesson)
    }

    /// Describes a log of the family of a sample file in the catalog, and the family too, if the catalog does not
    /// have it; gives the family.
    ///
    /// # Errors
    /// If one of both cannot be read, or the log is neither beside the file nor in a folder that a game of this home
    /// or its user has.
    pub fn learn_log(&self, file: &Path, log: &Path, lesson: Lesson) -> Result<Family> {
        let file = crate::path::canonical(file).map_err(Error::io("read", file))?;
        let path = crate::path::canonical(log).map_err(Error::io("read", log))?;
        let facts = Facts::read(&file).map_err(Error::image(&file))?;
        let name = file.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
        let folder = self.folder_of_log(&file, &path)?;
        let catalog = self.own_catalog();
        let family = match catalog.find(&facts, &name) {
            Some(known) => known.clone(),
            None => self.learn(&name, &facts, lesson)?,
        };

        let stated =
            prove::stated_in(&path, &facts, &name, &family).map_err(Error::io("read", &path))?;
        let log_name = path.file_name().unwrap_or_default().to_string_lossy();
        let stated = stated.as_ref().map(|(line, version)| (&**line, &**version));
        let lesson = LogLesson { folder, name: &log_name, stated };
        learn_log(&family.from, &family.id, &lesson)?;
        self.refresh();
        let catalog = self.catalog();
        Ok(catalog.family(&family.id).cloned().unwrap_or(family))
    }

    /// The folder of a log with a placeholder; empty if it is beside the file.
    fn folder_of_log(&self, file: &Path, log: &Path) -> Result<String> {
        let folder = log.parent().unwrap_or(log);
        if file.parent() == Some(folder) {
            return Ok(String::new());
        }
        let around = self.games()?.into_iter().find(|game| file.starts_with(&game.root));
        let unknown = || Error::Invalid {
            what: format!(
                "{} is neither beside the file nor in a folder of its game",
                slashes(log)
            ),
            remedy: "Give the library in a surveyed game, and a log of that game.".into(),
        };
        let game = around.ok_or_else(unknown)?;
        let view = self.game(&game.root.to_string_lossy(), &Silent)?;
        let found =
            self.decide(&view, |situation| Ok(tune::with_placeholder(situation, folder)))?;
        found.ok_or_else(unknown)
    }

    /// Describes a file in the user's own catalog: by the name that a feed has for its family, if it has one and the
    /// user gives none.
    fn learn(&self, name: &str, facts: &Facts, lesson: Lesson) -> Result<Family> {
        let catalog = self.own_catalog();
        if let Some(error) = catalog.errors.first() {
            return Err(Error::Catalog(error.clone()));
        }
        if let Some(known) = catalog.find(facts, name) {
            return Err(Error::Game(GameError::Taken {
                what: "a family that describes this file:",
                name: known.id.clone(),
            }));
        }

        let known = || self.catalog().find(facts, name).map(|known| known.id.clone());
        let lesson = Lesson { id: lesson.id.or_else(known), ..lesson };
        let path = self.home.join("catalog").join(LEARNED);
        let id = learn(&path, facts, name, lesson)?;
        let text = text_of(&path, LONGEST_CATALOG).map_err(Error::io("read", &path))?;
        let families = parse(&path, &text).map_err(Error::Catalog)?;
        let learned = families.into_iter().rfind(|family| family.id == id);
        learned.ok_or_else(|| Error::Game(GameError::Id { id: id.clone(), like: id }))
    }
}
