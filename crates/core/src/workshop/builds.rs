//! The rack: what is put on it, read from it, and taken off it.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

use rayon::prelude::*;
use regex::Regex;

use super::Workshop;
use crate::content::Content;
use crate::error::{Error, Result};
use crate::path::same_name;
use crate::progress::Progress;
use crate::rack::{self, Build, Needs, Parcel, Sorted};
use crate::requirement::Requirement;
use crate::settings::Settings;

/// What became of a build that was to be put on the rack.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Added {
    /// It is on the rack now.
    New,
    /// It was there already; nothing was changed.
    Known,
}

/// What became of a package that was to be put on the rack.
#[derive(Debug)]
pub struct Addition {
    /// Its builds.
    pub builds: Vec<(Build, Added)>,
    /// Each of its files, with what it is for.
    pub sorted: Vec<Sorted>,
    /// What a text in it says of the versions of the game that it goes with.
    pub proposal: Option<Proposal>,
}

/// A sentence in a package's texts that names versions of the game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proposal {
    /// The versions.
    pub supports: Requirement,
    /// The sentence, as it stands in the text.
    pub sentence: String,
}

/// A stored content of a build that is not what it should be.
#[derive(Debug, Clone)]
pub struct Damage {
    /// The build.
    pub build: String,
    /// The file of the build.
    pub file: String,
}

impl Workshop {
    /// The builds on the rack, in the order in which they were added.
    pub fn builds(&self) -> Result<Vec<Build>> {
        self.database.builds()
    }

    /// The one build on the rack that a text names.
    pub fn build(&self, text: &str) -> Result<Build> {
        rack::find(&self.database.builds()?, text, &Needs::default()).cloned()
    }

    /// Puts what lies at `path` on the rack: a library, a folder, a zip or a 7z. Every library in it
    /// becomes a build, in each variant.
    ///
    /// `supports` notes which versions of the game the builds go with, also of builds that are there
    /// already.
    pub fn rack_add(
        &mut self,
        path: &Path,
        supports: Option<&Requirement>,
        progress: &dyn Progress,
    ) -> Result<Addition> {
        let parcel = self.open_parcel(path, progress)?;
        let _lock = self.lock()?;
        let mut builds = self.shelve(&parcel)?;
        if let Some(supports) = supports {
            for (build, _) in &mut builds {
                build.supports = Some(supports.clone());
                self.database.update_build(build)?;
            }
        }
        let proposal = if supports.is_none() { proposal(&parcel) } else { None };
        Ok(Addition { builds, proposal, sorted: parcel.sorted })
    }

    pub(super) fn open_parcel(&self, path: &Path, progress: &dyn Progress) -> Result<Parcel> {
        let limits = Settings::read(&self.home)?.limits;
        Parcel::open(path, &self.catalog(), &limits, progress)
    }

    pub(super) fn shelve(&self, parcel: &Parcel) -> Result<Vec<(Build, Added)>> {
        // Stored again even where it is known: a stored copy that went bad is mended so.
        for (file, content) in parcel.contents() {
            self.blobs.keep(file, content)?;
        }
        let mut known = self.database.builds()?;
        let mut out = Vec::new();
        for build in &parcel.builds {
            let content = build.file.content;
            let same = |other: &&Build| {
                other.file.content == content && same_name(&other.id.family, &build.id.family)
            };
            if let Some(there) = known.iter().find(same) {
                out.push((there.clone(), Added::Known));
                continue;
            }
            let mut build = build.clone();
            if known.iter().any(|other| other.id == build.id) {
                let digest = content.sha256.short();
                build.id.variant = Some(match build.id.variant.take() {
                    Some(variant) => format!("{variant}-{digest}"),
                    None => digest,
                });
            }
            self.database.add_build(&build)?;
            known.push(build.clone());
            out.push((build, Added::New));
        }
        Ok(out)
    }

    /// The texts that came with a build: name and content.
    pub fn notes(&self, build: &Build) -> Result<Vec<(String, Vec<u8>)>> {
        let read = |note: &rack::Note| {
            let path = self.blobs.file(&note.content)?;
            let text = fs::read(&path).map_err(Error::io("read", &path))?;
            Ok((note.name.clone(), text))
        };
        build.notes.iter().map(read).collect()
    }

    /// Takes a build off the rack. Refused while a game has it or could be rolled back to it,
    /// unless `anyway`; content that anything else needs stays in the store.
    pub fn rack_drop(&mut self, text: &str, anyway: bool) -> Result<Build> {
        let _lock = self.lock()?;
        let build = rack::find(&self.database.builds()?, text, &Needs::default())?.clone();
        let mut needed: BTreeSet<Content> = BTreeSet::new();
        let mut users = BTreeSet::new();
        for change in self.database.changes(None)? {
            for step in &change.steps {
                let held = [&step.before, &step.after].into_iter().flatten();
                for content in held.map(|held| held.state.content) {
                    needed.insert(content);
                    if content == build.file.content {
                        users.insert(format!("change {} of {}", change.number, change.game));
                    }
                }
            }
        }
        if !users.is_empty() && !anyway {
            let users = users.into_iter().collect();
            return Err(Error::BuildNeeded { build: build.id.to_string(), users });
        }
        self.database.drop_build(&build)?;
        for other in self.database.builds()? {
            needed.extend(other.contents());
        }
        for content in build.contents().filter(|content| !needed.contains(content)) {
            self.blobs.drop_content(&content)?;
        }
        Ok(build)
    }

    /// Reads every stored byte of the rack and compares it with what it should be.
    pub fn rack_verify(&self, progress: &dyn Progress) -> Result<Vec<Damage>> {
        let builds = self.database.builds()?;
        let files: Vec<(String, String, Content)> = builds
            .iter()
            .flat_map(|build| {
                let id = build.id.to_string();
                let file = (id.clone(), build.file.path.to_string(), build.file.content);
                let notes = build
                    .notes
                    .iter()
                    .map(move |note| (id.clone(), note.name.clone(), note.content));
                std::iter::once(file).chain(notes)
            })
            .collect();
        let blobs = &self.blobs;
        progress.begin("reading the rack", Some(files.len() as u64));
        let damaged = files
            .into_par_iter()
            .filter_map(|(build, file, content)| {
                let whole = Content::of_file(&blobs.path(&content));
                progress.advance(1);
                let whole = whole.is_ok_and(|found| found == content);
                (!whole).then_some(Damage { build, file })
            })
            .collect();
        progress.end();
        Ok(damaged)
    }
}

/// Looks for a line in the texts of a package that says which versions of the game it is for.
fn proposal(parcel: &Parcel) -> Option<Proposal> {
    let pattern = Regex::new(concat!(
        r"(?i)\b(?:for|with|supports?|requires?|needs|compatible)\b[^.\r\n]*?",
        r"\b(?:game|runtime|executable|exe|version|v)\b[^\d\r\n]*?",
        r"v?(\d+(?:\.\d+){2,3}(?:\s*(?:-|to)\s*v?\d+(?:\.\d+){2,3})?)"
    ))
    .ok()?;
    let notes = parcel.builds.first()?.notes.iter();
    let mut texts = notes.filter_map(|note| fs::read(parcel.file_of(&note.content)?).ok());
    texts.find_map(|text| {
        let text = String::from_utf8_lossy(&text);
        let found = pattern.captures(&text)?;
        let versions = found.get(1)?;
        let supports = versions.as_str().replace(" to ", " - ").parse().ok()?;
        let line = text.lines().find(|line| line.contains(versions.as_str()))?;
        Some(Proposal { supports, sentence: line.trim().to_owned() })
    })
}
