//! The carriers that work on disk.

use std::sync::Mutex;

use upright_spanner_settings::registry::ValueName;

use super::aside::Trees;
use super::file::Files;
use super::folder::Folders;
use super::mark::Marks;
use super::part::Parts;
use super::setting::Setting;
use super::through::Through;
use super::value::PrefixValue;
use super::windows::WindowsRegistry;
use super::{Carrier, Carriers, value, windows};
use crate::error::Result;
use crate::step::{Registry, Target};
use crate::store::Store;
use crate::supply::{Supplies, Supply};
use crate::territory::Territory;

/// The carriers that work on disk.
pub struct OnDisk<'a> {
    /// Whether each step is made durable separately.
    is_durable: bool,
    files: Files<'a>,
    folders: Folders<'a>,
    trees: Trees<'a>,
    marks: Marks<'a>,
    settings: Parts<'a, Setting>,
    values: Parts<'a, PrefixValue>,
    windows: WindowsRegistry,
    /// If the programs of a prefix run: what its values are set through.
    through: Option<Through<'a>>,
}

impl<'a> OnDisk<'a> {
    /// Carriers for a territory; `in_use` says that someone may have its files open.
    pub fn new(territory: &'a Territory, store: &'a Store, in_use: bool) -> Self {
        Self {
            is_durable: true,
            files: Files {
                territory,
                store,
                supplies: Supplies::default(),
                in_use,
                at_a_glance: false,
                leaving: Mutex::default(),
            },
            folders: Folders { territory },
            trees: Trees { territory },
            marks: Marks { territory },
            settings: Parts { territory, part: Setting },
            values: Parts { territory, part: PrefixValue },
            windows: WindowsRegistry,
            through: territory.run_with().map(|command| Through { territory, command }),
        }
    }

    /// The same where store and territory are those for many files at a time.
    pub(crate) fn for_many(mut self) -> Self {
        self.files.at_a_glance = true;
        Self { is_durable: false, ..self }
    }

    /// The same with contents that need not be stored yet.
    pub(crate) fn supplied_with(mut self, supplies: &'a [Supply]) -> Self {
        self.files.supplies = Supplies::new(supplies);
        self
    }
}

impl Carriers for OnDisk<'_> {
    fn of(&self, target: &Target) -> &dyn Carrier {
        match target {
            Target::File(_) => &self.files,
            Target::Folder(_) => &self.folders,
            Target::Aside(_) => &self.trees,
            Target::ReadOnly(_) => &self.marks,
            Target::Setting(_) => &self.settings,
            Target::Value(value) => match value.registry {
                Registry::Windows => &self.windows,
                Registry::Prefix(_) => match &self.through {
                    Some(through) => through,
                    None => &self.values,
                },
            },
        }
    }

    fn sync(&self) -> Result<()> {
        if self.is_durable {
            return Ok(());
        }
        self.files.store.sync()?;
        self.files.territory.sync()
    }
}

/// The values below a key of a registry, at most so many.
///
/// # Errors
/// If the registry cannot be read.
pub fn values_below(
    territory: &Territory,
    registry: &Registry,
    key: &str,
    most: usize,
) -> Result<Vec<ValueName>> {
    match registry {
        Registry::Windows => Ok(windows::values_below(key, most)),
        Registry::Prefix(place) => value::values_below(territory, place, key, most),
    }
}
