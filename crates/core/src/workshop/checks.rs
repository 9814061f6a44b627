//! Checks of what games have now.

use super::{OnDisk, Workshop};
use crate::check::{self, Case, Finding, Swap, Verdict};
use crate::error::Result;
use crate::path::same_name;
use crate::plan::Ledger;
use crate::rack::Build;
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
        let pins = self.pins()?;
        let changes = self.database.changes(None)?;
        let blobs = &self.blobs;
        let check_one = |view: &GameView| {
            let root = &view.game.root;
            let catalog = catalog.beside(root);
            let ledger = Ledger::of(root, &changes);
            let ground = OnDisk::new(root, blobs, None);
            let mut families: Vec<&str> =
                view.components().iter().map(|library| library.family.as_str()).collect();
            families.sort_unstable();
            families.dedup();
            let one = |family: &str| {
                let live = view.libraries.iter().filter(|library| !library.put_aside);
                let files: Vec<&Library> =
                    live.filter(|library| same_name(&library.family, family)).collect();
                let first = files.first()?;
                let build = Build::of_library(first, &builds);
                let swaps = files.iter().map(|library| Swap {
                    place: library.path.clone().into(),
                    facts: &library.facts,
                    content: None,
                    old: Some(library),
                    unchanged: true,
                    shipped: ledger
                        .get(&library.path.clone().into())
                        .and_then(|entry| entry.shipped.as_ref()?.version.clone()),
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

    /// The names under which a loader would be loaded by a game, the best first.
    pub fn entries(&self, view: &GameView) -> Vec<check::Entry> {
        check::entries(view, &OnDisk::new(&view.game.root, &self.blobs, None))
    }
}
