//! Plans to adopt swaps made by hand: a renamed original beside the live file is the shipped one.

use super::{Place, Plan};
use crate::change::{Owner, Purpose, Side, Step};
use crate::error::Result;
use crate::path::TreePath;
use crate::situation::Situation;
use crate::survey::Library;
use crate::window::{ImageAt, Window};
use upright_spanner_image::{Facts, Version};

/// A swap that was made by hand.
#[derive(Debug)]
pub struct Adoption {
    /// The live file.
    pub live: AdoptedFile,
    /// The copy beside it that is taken for the original.
    pub original: AdoptedFile,
    /// Further copies made by hand.
    pub others: Vec<TreePath>,
}

/// A file of a swap that was made by hand.
#[derive(Debug)]
pub struct AdoptedFile {
    /// Its location.
    pub path: TreePath,
    /// The version that it states.
    pub version: Option<Version>,
    /// Who signed it.
    pub signer: Option<String>,
}

/// Plans the journal entry: the original was there, and the live file replaced it. Files that changes have touched
/// already are left out.
pub(crate) fn adopt(situation: &Situation<'_>) -> Result<(Plan, Vec<Adoption>)> {
    let Situation { view, ledger, window, .. } = situation;
    let mut plan = Plan::new(view, Purpose::Adopt, "adopt".to_owned());
    let mut adoptions = Vec::new();

    for library in view.libraries.iter().filter(|library| !library.put_aside) {
        let place = Place::from(library.path.clone());
        if ledger.get(&place).is_some() {
            continue;
        }
        let Some(original) = original(library, *window)? else { continue };
        let before = window.file(&original.clone().into())?;
        let after = window.file(&place)?;
        let differs = !before.same_as(&after);
        let others = library.backups.iter().map(|copy| copy.path.clone());
        adoptions.push(Adoption {
            live: file(library.path.clone(), *window),
            others: others.filter(|path| *path != original).collect(),
            original: file(original, *window),
        });
        if differs {
            plan.steps.push(Step::replace(
                place,
                before,
                after,
                &Owner::of_family(&library.family),
            ));
        }
    }

    Ok((plan, adoptions))
}

/// The copy that is most likely the shipped file: the oldest by version, then by date.
fn original(library: &Library, window: &dyn Window) -> Result<Option<TreePath>> {
    let mut copies: Vec<(Option<Version>, (i64, u32), TreePath)> = Vec::new();
    for copy in &library.backups {
        let held = window.file(&copy.path.clone().into())?;
        if let Some(file) = held.state.file() {
            let modified = file.stamp.modified;
            copies.push((copy.version.clone(), modified, copy.path.clone()));
        }
    }
    copies.sort();
    Ok(copies.into_iter().next().map(|(_, _, path)| path))
}

fn file(path: TreePath, window: &dyn Window) -> AdoptedFile {
    let facts = window.facts(ImageAt::Game(&path));
    let version = facts.as_ref().and_then(Facts::version);
    AdoptedFile { path, version, signer: facts.and_then(|facts| facts.signer) }
}

/// Plans to remove the copies made by hand, which the store keeps.
pub(crate) fn remove_copies(situation: &Situation<'_>, adoptions: &[Adoption]) -> Result<Plan> {
    let Situation { view, window, .. } = situation;
    let mut plan = Plan::new(view, Purpose::RemoveCopies, "remove copies made by hand".to_owned());
    for adoption in adoptions {
        let library = view.libraries.iter().find(|library| library.path == adoption.live.path);
        let family = library.map_or("", |library| library.family.as_str());
        for path in std::iter::once(&adoption.original.path).chain(&adoption.others) {
            let place = Place::from(path.clone());
            let before = window.file(&place)?;
            if !before.state.is_absent() {
                plan.steps.push(Step::replace(
                    place,
                    before,
                    Side::ABSENT,
                    &Owner::of_family(family),
                ));
            }
        }
    }

    Ok(plan)
}
