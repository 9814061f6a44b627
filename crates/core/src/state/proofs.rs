//! Proofs that were noted: one TOML file, `proofs.toml`. Nothing in it is precious: a proof that is lost can be
//! had again. Its format is described in docs/formats.md.

use std::path::{Path, PathBuf};

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use super::home_file::{HomeDocument, HomeFile};
use crate::change::{ExecutableMark, StoredExecutable};
use crate::error::Result;
use crate::proven::{Proofs, Proven};

/// So many are kept, the newest: one for each component of a few hundred games, several times over.
const MOST: usize = 2000;

/// The file in a home folder.
#[derive(Debug)]
pub(crate) struct ProofsFile(HomeFile<StoredProofs>);

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct StoredProofs {
    schema: u32,
    #[serde(default)]
    proof: Vec<StoredProof>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredProof {
    change: i64,
    game: String,
    family: String,
    by_report: bool,
    at: Timestamp,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    executable: Option<StoredExecutable>,
}

impl HomeDocument for StoredProofs {
    const SCHEMA: u32 = 1;
    const HEADING: &str = "# The components that were seen at work, and when; see docs/formats.md.";
    /// The most proofs that are kept have some 600 KB.
    const LONGEST: u64 = 32 << 20;
}

impl ProofsFile {
    pub fn new(home: &Path) -> Self {
        Self(HomeFile::new(home.join("proofs.toml")))
    }

    /// Reads the proofs.
    ///
    /// # Errors
    /// If the file is there and cannot be read.
    pub fn read(&self) -> Result<Proofs> {
        let all = self.0.read()?.map_or_else(Vec::new, |stored| stored.proof);
        Ok(Proofs { all: all.into_iter().map(Proven::from).collect() })
    }

    /// Moves a damaged file aside and returns its new path: proofs can be made again. Must be called under the
    /// home's lock.
    ///
    /// # Errors
    /// If the file cannot be opened or moved, or a newer version wrote it.
    pub fn set_aside_if_damaged(&self) -> Result<Option<PathBuf>> {
        self.0.set_aside_if_damaged()
    }

    /// Replaces the proofs. Must be called under the home's lock.
    ///
    /// # Errors
    /// If the present file cannot be read, or the new one cannot be written.
    pub fn write(&self, proofs: &Proofs) -> Result<()> {
        let kept = proofs.all.len().saturating_sub(MOST);
        let proof = proofs.all[kept..].iter().map(StoredProof::from).collect();
        self.0.write(&StoredProofs { schema: StoredProofs::SCHEMA, proof })
    }
}

impl From<StoredProof> for Proven {
    fn from(stored: StoredProof) -> Self {
        let StoredProof { change, game, family, by_report, at, executable } = stored;
        let executable = executable.map(ExecutableMark::from);
        Self { change, game, family, by_report, at, executable }
    }
}

impl From<&Proven> for StoredProof {
    fn from(proven: &Proven) -> Self {
        let executable = proven.executable.clone().map(StoredExecutable::from);
        Self {
            change: proven.change,
            game: proven.game.clone(),
            family: proven.family.clone(),
            by_report: proven.by_report,
            at: proven.at,
            executable,
        }
    }
}
