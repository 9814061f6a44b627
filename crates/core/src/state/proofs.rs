//! Proofs that were noted: one TOML file, `proofs.toml`. Nothing in it is precious: a proof that is lost can be
//! had again. Its format is described in docs/formats.md.

use std::path::Path;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::change::{ExecutableMark, StoredExecutable};
use crate::error::{Error, Result};
use crate::proven::{Proofs, Proven};
use upright_spanner_change::{Folder, line};

const FILE: &str = "proofs.toml";
const SCHEMA: u32 = 1;
const HEADING: &str = "# What was seen at work, and when; see docs/formats.md.\n\n";

/// So many are kept, the newest: one for each component of a few hundred games, several times over.
const MOST: usize = 2000;

/// The file in a home folder.
#[derive(Debug)]
pub(crate) struct ProofsFile {
    folder: Folder,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Stored {
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

impl ProofsFile {
    pub fn open(home: &Path) -> Result<Self> {
        Ok(Self { folder: Folder::open(home)? })
    }

    /// Reads them; none, where the file cannot be understood.
    pub fn read(&self) -> Proofs {
        let text = line::read(&self.folder, FILE).ok().flatten().unwrap_or_default();
        let stored: Option<Stored> = toml::from_str(&text).ok();
        let stored = stored.filter(|stored| stored.schema == SCHEMA);
        let all = stored.map_or_else(Vec::new, |stored| stored.proof);
        Proofs { all: all.into_iter().map(Proven::from).collect() }
    }

    /// Writes them in place of what was there. To be called under the home's lock.
    pub fn write(&self, proofs: &Proofs) -> Result<()> {
        let kept = proofs.all.len().saturating_sub(MOST);
        let proof = proofs.all[kept..].iter().map(StoredProof::from).collect();
        let text = toml::to_string(&Stored { schema: SCHEMA, proof }).map_err(|error| {
            Error::io("write", &self.folder.path().join(FILE))(std::io::Error::other(error))
        })?;
        Ok(line::write_over(&self.folder, FILE, &format!("{HEADING}{text}"))?)
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
