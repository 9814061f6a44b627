//! Checks of what games have now.

use jiff::Timestamp;

use super::{OnDisk, Workshop};
use crate::change::Step;
use crate::check::{self, Case, Finding, Severity, Swap, Verdict};
use crate::content::Content;
use crate::error::Result;
use crate::image::SignatureStatus;
use crate::path::same_name;
use crate::plan::{Ledger, Place, version_of};
use crate::rack::{Build, BuildFile, BuildId, Layout, Source, Stored};
use crate::survey::{GameView, Library};
use crate::version::Version;

/// What the checks say of one family in one game.
#[derive(Debug)]
pub struct Checked {
    /// The family.
    pub family: String,
    /// Its version in the game, where all its files have the same.
    pub version: Option<Version>,
    /// What the findings come to.
    pub verdict: Verdict,
    /// The findings, the gravest first.
    pub findings: Vec<Finding>,
}

impl Workshop {
    /// Checks each component of some games as it is now; gives what came of each game, in order.
    pub fn check_games(&self, views: &[GameView]) -> Result<Vec<Vec<Checked>>> {
        use rayon::prelude::*;
        let builds = self.builds()?;
        let catalog = self.catalog();
        let pins = self.pins();
        let changes = self.history()?.changes;
        let store = &self.store;
        let check_one = |view: &GameView| {
            let root = &view.game.root;
            let catalog = catalog.beside(root);
            let ledger = Ledger::of(root, &changes);
            let ground = OnDisk::new(store, view, None);
            let mut families: Vec<&str> =
                view.components().iter().map(|library| library.family.as_str()).collect();
            families.sort_unstable();
            families.dedup();
            let one = |family: &str| {
                let live = view.libraries.iter().filter(|library| !library.put_aside);
                let files: Vec<&Library> =
                    live.filter(|library| same_name(&library.family, family)).collect();
                let first = files.first()?;
                let build = as_build(first, &builds);
                let swaps = files.iter().map(|library| Swap {
                    place: library.path.clone().into(),
                    facts: &library.facts,
                    content: None,
                    old: Some(library),
                    unchanged: true,
                    shipped: ledger
                        .get(&library.path.clone().into())
                        .and_then(|entry| version_of(&entry.shipped)),
                });
                let case = Case {
                    view,
                    build: &build,
                    swaps: swaps.collect(),
                    builds: &builds,
                    catalog: &catalog,
                    pins: &pins,
                    along: &[],
                    images: &ground,
                    in_place: true,
                };
                let findings = check::check(&case);
                let same = files.iter().all(|f| f.facts.version() == build.version);
                Some(Checked {
                    family: family.to_owned(),
                    version: build.version.clone().filter(|_| same),
                    verdict: Verdict::of(&findings),
                    findings,
                })
            };
            families.into_iter().filter_map(one).collect()
        };
        Ok(views.par_iter().map(check_one).collect())
    }

    /// Checks the builds that the new files of some steps came from, as if they were fitted anew; gives
    /// what is more than a note. Builds that the rack has no more are not checked.
    pub(super) fn check_again(&self, view: &GameView, steps: &[Step]) -> Result<Vec<Finding>> {
        let root = &view.game.root;
        let builds = self.builds()?;
        let catalog = self.catalog();
        let catalog = catalog.beside(root);
        let pins = self.pins_of(&view.game.id);
        let ledger = self.ledger(root)?;
        let ground = OnDisk::new(&self.store, view, None);
        let mut findings = Vec::new();
        for build in &builds {
            let swap = |step: &Step| {
                let content = step.after().state.content()?;
                let is_it = |stored: &Stored<'_>| {
                    stored.content == content && same_name(&build.id.family, step.owner())
                };
                let is_there =
                    |library: &&Library| step.place().same_as(&Place::from(library.path.clone()));
                Some(Swap {
                    place: step.place().clone(),
                    facts: build.files().find(is_it)?.facts?,
                    content: Some(content),
                    old: view.libraries.iter().find(is_there),
                    unchanged: false,
                    shipped: ledger.get(step.place()).and_then(|entry| version_of(&entry.shipped)),
                })
            };
            let swaps: Vec<Swap> = steps.iter().filter_map(swap).collect();
            if !swaps.is_empty() {
                findings.extend(check::check(&Case {
                    view,
                    build,
                    swaps,
                    builds: &builds,
                    catalog: &catalog,
                    pins: &pins,
                    along: &[],
                    images: &ground,
                    in_place: false,
                }));
            }
        }
        findings.retain(|finding| finding.severity > Severity::Note);
        Ok(findings)
    }

    /// The names under which a loader would be loaded by a game, the best first.
    pub fn entries(&self, view: &GameView) -> Vec<check::Entry> {
        check::entries(view, &OnDisk::new(&self.store, view, None))
    }
}

/// What a library in a game would be as a build: the one of the rack that has its version, else
/// one that only the library itself tells of.
fn as_build(library: &Library, builds: &[Build]) -> Build {
    let facts = &library.facts;
    let version = facts.version();
    let known = builds.iter().find(|build| {
        same_name(&build.id.family, &library.family)
            && build.version == version
            && build.machine == facts.machine
    });
    let name = library.path.file_name().to_owned();
    let content = Content::of_bytes(&[]);
    Build {
        id: BuildId {
            family: library.family.clone(),
            version: version.as_ref().map_or_else(|| "?".to_owned(), ToString::to_string),
            variant: None,
        },
        role: Some(library.role),
        version,
        machine: facts.machine,
        supports: known.and_then(|build| build.supports.clone()),
        file: BuildFile {
            path: library.path.clone(),
            name: name.clone(),
            content,
            modified: (0, 0),
            facts: facts.clone(),
            signature: SignatureStatus::Absent,
        },
        parts: Vec::new(),
        layout: Layout::default(),
        left: Vec::new(),
        notes: Vec::new(),
        source: Source { name, blake3: content.blake3, modified: (0, 0) },
        added: Timestamp::UNIX_EPOCH,
    }
}
