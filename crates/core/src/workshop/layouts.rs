//! Layouts that the user gave for families, kept as files of the home folder.

use std::fs;
use std::path::Path;

use super::Workshop;
use crate::error::{Error, Result};
use crate::path::followed;
use crate::rack::{Build, GivenLayout, LayoutFile, Parcel};
use crate::remedy::Action;
use upright_spanner_change::{Folder, line};
use upright_spanner_image::file::text_of;

/// The longest layout that is read: 16,000 files have room in it. To read one takes up to eighty times its
/// length in memory.
const LONGEST_LAYOUT: u64 = 2 << 20;

impl Workshop {
    /// Reads a layout that the user wrote.
    ///
    /// # Errors
    /// If it cannot be read, or is not a layout.
    pub fn read_layout(path: &Path) -> Result<GivenLayout> {
        let text = text_of(&followed(path), LONGEST_LAYOUT).map_err(Error::io("read", path))?;
        GivenLayout::parse(path, &text).map_err(Error::Catalog)
    }

    /// The layouts that were given for families, in the order of the files' names.
    pub(super) fn remembered_layouts(&self) -> Result<Vec<LayoutFile>> {
        let folder = self.home.join("layouts");
        let Ok(entries) = fs::read_dir(&folder) else {
            return Ok(Vec::new());
        };
        let mut files: Vec<_> = entries.flatten().map(|entry| entry.path()).collect();
        files.retain(|path| path.extension().is_some_and(|end| end == "toml"));
        files.sort();
        files.iter().map(|path| Self::read_layout(path).map(|given| given.layout)).collect()
    }

    /// The layouts of families: those that were given, and behind them those of feeds.
    pub(super) fn layouts(&self) -> Result<Vec<LayoutFile>> {
        let mut layouts = self.remembered_layouts()?;
        layouts.extend(self.feeds().layouts());
        Ok(layouts)
    }

    /// Keeps a layout for the next version of its family, with the files of this one that it has no
    /// place for: they will have none then either.
    pub(super) fn remember_layout(&self, parcel: &Parcel, layout: &LayoutFile) -> Result<()> {
        let of_family = |build: &&Build| build.id.family == layout.family;
        let builds: Vec<&Build> = parcel.builds.iter().filter(of_family).collect();
        if builds.is_empty() {
            let families: Vec<&str> = parcel.builds.iter().map(|b| b.id.family.as_str()).collect();
            return Err(Error::Invalid {
                what: format!(
                    "the layout is for {}, and this holds {}",
                    layout.family,
                    families.join(", ")
                ),
                remedy: ("Give the layout of that family.", Action::ShowLayout).into(),
            });
        }

        let folder = self.home.join("layouts");
        let name = format!("{}.toml", layout.family);
        let text = LayoutFile::of(&builds).to_text();
        Ok(line::write_over(&Folder::make(&folder)?, &name, &text)?)
    }
}
