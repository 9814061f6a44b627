//! A window on the disk and the store: what planners and checks ask of them. They look through it and
//! touch nothing.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::change::{Side, Target};
use crate::content::Content;
use crate::error::Result;
use crate::ledger::Ledger;
use crate::path::TreePath;
use upright_spanner_change::{Moment, Place, Registry, Tree};
use upright_spanner_image::{Export, Facts, Import, Offer};
use upright_spanner_settings::registry::ValueName;

/// The location of an image.
#[derive(Debug, Clone, Copy)]
pub(crate) enum ImageAt<'a> {
    /// At a path in the game.
    Game(&'a TreePath),
    /// In the store, or about to be.
    Stored(&'a Content),
}

/// A view of one game and of the store.
pub(crate) trait Window {
    /// The present state of a target.
    fn now(&self, target: &Target) -> Result<Side>;
    /// Looks at many files side by side before anyone asks.
    fn look_ahead(&self, files: &[&Place]);
    /// The file or folder at a place as a whole, with the text that lists it; `None` if there is none.
    fn tree(&self, place: &Place) -> Result<Option<(Tree, String)>>;
    /// The length and date of the file at a place; `None` if there is none.
    fn at_a_glance(&self, place: &Place) -> Option<(u64, Moment)>;
    /// Whether a file is only a placeholder of a cloud folder: to read it would fetch it.
    fn is_in_cloud(&self, place: &Place) -> bool;
    /// The bytes of a file that is there.
    fn bytes(&self, place: &Place) -> Result<Vec<u8>>;
    /// A place in the tree's own spelling, as far as the tree has it.
    fn spelled(&self, place: Place) -> Place;
    /// The folders around a place that are not there yet, the outermost first.
    fn missing_folders(&self, place: &Place) -> Result<Vec<Place>>;
    /// The folders in a folder, wherever it is; none if it cannot be looked into.
    fn folders_in(&self, folder: &Path) -> Vec<PathBuf>;
    /// The files below a folder, wherever it is, but no more than so many. Links are not followed.
    fn files_below(&self, folder: &Path, most: usize) -> Vec<PathBuf>;
    /// The entries of a folder; none if it does not exist. Names that a step cannot have are counted, not listed.
    fn entries(&self, folder: &Place) -> Result<(Vec<Place>, usize)>;
    /// The game's files with a name; if there are none, those whose names differ only in the version.
    fn named(&self, name: &str) -> Result<Vec<TreePath>>;
    /// The home folder.
    fn home(&self) -> PathBuf;
    /// The values below a key of a registry, at most so many.
    fn values_below(&self, registry: &Registry, key: &str, most: usize) -> Result<Vec<ValueName>>;
    /// Whether a content is stored, or about to be.
    fn has(&self, content: &Content) -> bool;
    /// The bytes of a build's file.
    fn stored(&self, content: &Content) -> Result<Vec<u8>>;
    /// Reads what many images import, and what some of them offer, side by side before anyone asks.
    fn read_ahead(&self, importing: &[ImageAt<'_>], offering: &[ImageAt<'_>]);
    /// The facts of an image.
    fn facts(&self, image: ImageAt<'_>) -> Option<Facts>;
    /// What an image imports.
    fn imports(&self, image: ImageAt<'_>) -> Option<Arc<Vec<Import>>>;
    /// What an image offers, to be looked up.
    fn offer(&self, image: ImageAt<'_>) -> Option<Arc<Offer>>;
    /// What an image offers, by name.
    fn exports(&self, image: ImageAt<'_>) -> Option<Vec<Export>>;

    /// If a recorded file is on disk: in the tree's own spelling, unless a file of that spelling has its own record.
    fn on_disk(&self, ledger: &Ledger, recorded: &Place) -> Place {
        let spelled = self.spelled(recorded.clone());
        let other = ledger.has(&Target::File(spelled.clone()));
        if other { recorded.clone() } else { spelled }
    }

    /// If a record's target is, likewise.
    fn target_on_disk(&self, ledger: &Ledger, recorded: &Target) -> Target {
        match recorded.place() {
            Some(place) => recorded.with_place(self.on_disk(ledger, place)),
            None => recorded.clone(),
        }
    }

    /// The file at a place at present.
    fn file(&self, place: &Place) -> Result<Side> {
        self.now(&Target::File(place.clone()))
    }
}
