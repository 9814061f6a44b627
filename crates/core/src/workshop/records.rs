//! The home's files, each read on first use and once for each command.
//!
//! A process that alters something discards them and reads again. Changes by another process in the meantime are
//! noticed by the expected states of the steps.

use std::cell::RefCell;
use std::sync::Arc;

use crate::catalog::Catalog;
use crate::error::Result;
use crate::feed::Feeds;
use crate::history::History;
use crate::launcher::Launchers;
use crate::proven::Proofs;
use crate::rack::Build;
use crate::state::{Shelf, Words};
use upright_spanner_change::Marks;

/// The files read so far.
#[derive(Debug, Default)]
pub(super) struct Records {
    pub words: Kept<Words>,
    pub own_catalog: Kept<Catalog>,
    pub catalog: Kept<Catalog>,
    pub feeds: Kept<Feeds>,
    pub shelf: Kept<Shelf>,
    pub builds: Kept<Vec<Build>>,
    pub marks: Kept<Marks>,
    pub history: Kept<History>,
    pub proofs: Kept<Proofs>,
    pub launchers: Kept<Launchers>,
}

/// Something that is read once.
#[derive(Debug)]
pub(super) struct Kept<T>(RefCell<Option<Arc<T>>>);

impl<T> Default for Kept<T> {
    fn default() -> Self {
        Self(RefCell::new(None))
    }
}

impl<T> Kept<T> {
    pub fn get_or_read(&self, read: impl FnOnce() -> Result<T>) -> Result<Arc<T>> {
        if let Some(known) = &*self.0.borrow() {
            return Ok(known.clone());
        }
        let fresh = Arc::new(read()?);
        *self.0.borrow_mut() = Some(fresh.clone());
        Ok(fresh)
    }

    pub fn forget(&self) {
        *self.0.borrow_mut() = None;
    }
}

impl Records {
    /// Reads everything again when it is next asked for.
    pub fn forget(&self) {
        let Self {
            words,
            own_catalog,
            catalog,
            feeds,
            shelf,
            builds,
            marks,
            history,
            proofs,
            launchers,
        } = self;
        words.forget();
        own_catalog.forget();
        catalog.forget();
        feeds.forget();
        shelf.forget();
        builds.forget();
        marks.forget();
        history.forget();
        proofs.forget();
        launchers.forget();
    }
}
