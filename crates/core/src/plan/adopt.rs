//! Plans to take swaps made by hand under management: a renamed original beside the live file is
//! what the game shipped.

use super::{Ground, Ledger, Place, Plan};
use crate::change::{Deed, Step};
use crate::error::Result;
use crate::path::TreePath;
use crate::survey::{GameView, Library};
use crate::version::Version;

/// A live file with a copy that was put aside by hand.
#[derive(Debug)]
pub(crate) struct Copied {
    /// The live file.
    pub live: TreePath,
    /// The copy that is taken for the original.
    pub original: TreePath,
    /// Further copies.
    pub others: Vec<TreePath>,
}

/// Plans what the journal shall say: the original was there, and the live file took its place. Files
/// that changes have touched already are left out.
pub(crate) fn adopt(
    view: &GameView,
    ledger: &Ledger,
    ground: &dyn Ground,
) -> Result<(Plan, Vec<Copied>)> {
    let mut plan = Plan::new(view, Deed::Adopt, "adopt".to_owned());
    let mut copied = Vec::new();
    for library in view.libraries.iter().filter(|library| !library.put_aside) {
        let place = Place::from(library.path.clone());
        if ledger.get(&place).is_some() {
            continue;
        }
        let Some(original) = original(library, ground)? else { continue };
        let before = ground.file(&original.clone().into())?;
        let after = ground.file(&place)?;
        let differs = !before.same_as(&after);
        let others = library.backups.iter().map(|copy| copy.path.clone());
        copied.push(Copied {
            live: library.path.clone(),
            others: others.filter(|path| *path != original).collect(),
            original,
        });
        if differs {
            plan.steps.push(Step::file(place, before, after, &library.family));
        }
    }
    Ok((plan, copied))
}

/// The copy that is likeliest what the game shipped: the first one that was made, told by version,
/// then by date.
fn original(library: &Library, ground: &dyn Ground) -> Result<Option<TreePath>> {
    let mut copies: Vec<(Option<Version>, (i64, u32), TreePath)> = Vec::new();
    for copy in &library.backups {
        let held = ground.file(&copy.path.clone().into())?;
        if let Some(file) = held.state.file() {
            let modified = file.stamp.modified;
            copies.push((copy.version.clone(), modified, copy.path.clone()));
        }
    }
    copies.sort();
    Ok(copies.into_iter().next().map(|(_, _, path)| path))
}
