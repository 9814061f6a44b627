//! The front door: a home folder with all its files, and everything that can be done with it.

mod adopt;
mod apply;
mod check;
mod conditions;
mod doctor;
mod drift;
mod families;
mod feeds;
mod fit;
mod games;
mod get;
mod handoff;
mod history;
mod hold;
mod in_use;
mod layouts;
mod on_disk;
mod park;
mod pin;
mod prove;
mod publish;
mod rack;
mod reading;
mod records;
mod recover;
mod refit;
mod rollback;
mod signers;
mod start;
mod survey;
mod tune;
mod undo;
mod wind;

use std::path::{Path, PathBuf};

use crate::error::{Error, Result};
use crate::fetch::Client;
use crate::state::{Database, FeedsFolder, Labels, ProofsFile, WordsFile};
pub use conditions::Cleared;
pub use doctor::{Diagnosis, Mended, StoreUse, Unreferenced};
pub use feeds::{FeedOptions, FeedPreview, Fetched, Refreshed};
pub use fit::FitPlan;
pub use get::{Download, Downloaded};
pub use history::ChangeStatus;
pub use publish::{FeedMake, MadeFeed, NewAdvice, Stock, VerifiedFeed};
pub use rack::{Added, Addition, ChangesSince, DamagedContent};
use records::Records;
pub use recover::{RecoveredTarget, Recovery};
pub use signers::{Signer, SignerChange};
pub use start::{BeforeStart, Started};
use upright_spanner_change::{Engine, Folder, Journal, Lock, Progress, Store};
pub use wind::WindPlan;

/// A home folder, opened.
#[derive(Debug)]
pub struct Workshop {
    home: PathBuf,
    database: Database,
    journal: Journal,
    store: Store,
    labels: Labels,
    words: WordsFile,
    proofs_file: ProofsFile,
    feeds_folder: FeedsFolder,
    client: Client,
    records: Records,
}

/// The right to alter: no other process of this home has it at the same time.
#[derive(Debug)]
#[must_use]
pub struct Altering<'a> {
    held: &'a Workshop,
    _home: Lock,
}

impl Altering<'_> {
    /// The workshop, with nothing remembered, so that it reads the present state.
    fn workshop(&self) -> &Workshop {
        self.held.refresh();
        self.held
    }
}

impl Drop for Altering<'_> {
    fn drop(&mut self) {
        self.held.refresh();
    }
}

impl Workshop {
    /// Opens a home folder, making it if needed.
    ///
    /// # Errors
    /// If it cannot be made or opened, or a newer version of the program wrote it.
    pub fn open(home: &Path) -> Result<Self> {
        drop(Folder::make(home)?);
        let journal = Journal::open(&home.join("journal"))?;
        let store = Store::open(&home.join("blobs"))?;
        let labels = Labels::open(&home.join("rack"))?;
        let words = WordsFile::new(home);
        let proofs_file = ProofsFile::new(home);
        let feeds_folder = FeedsFolder::new(home);
        let index = home.join("spanner.db");
        let database = Database::open(&index)?;
        let home = home.to_owned();
        let records = Records::default();
        let client = Client::default();
        Ok(Self {
            home,
            database,
            journal,
            store,
            labels,
            words,
            proofs_file,
            feeds_folder,
            client,
            records,
        })
    }

    /// The same, but no network is used.
    #[must_use]
    pub fn offline(self) -> Self {
        Self { client: Client::new(true), ..self }
    }

    /// The home folder.
    pub fn home(&self) -> &Path {
        &self.home
    }

    /// Where archives are unpacked.
    fn scratch(&self) -> PathBuf {
        self.home.join("scratch")
    }

    /// Takes the right to alter, waiting a while for another process that has it.
    ///
    /// # Errors
    /// If the other process does not give it up, or the home cannot be written to.
    pub fn alter(&self) -> Result<Altering<'_>> {
        Ok(Altering { held: self, _home: Lock::take(&self.home)? })
    }

    /// Why `games.toml` cannot be read, if it cannot: the user may have edited it.
    pub fn words_fault(&self) -> Option<Error> {
        self.words.read().err()
    }

    /// Why `proofs.toml` cannot be read, if it cannot.
    pub fn proofs_fault(&self) -> Option<Error> {
        self.proofs_file.read().err()
    }

    fn engine<'a>(&'a self, progress: &'a dyn Progress) -> Engine<'a> {
        let (journal, store) = (&self.journal, &self.store);
        Engine { journal, copies: &self.database, store, progress }
    }
}
