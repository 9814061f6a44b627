//! The signers of old and new libraries. A signature is verified before its signer is named.

use std::path::Path;

use super::Workshop;
use super::fit::FitPlan;
use crate::change::{Change, Side, Step};
use crate::rack::Parcel;
use upright_spanner_change::Place;
use upright_spanner_image::{Signature, SignatureStatus};

/// Who signed a library before and after a step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SignerChange {
    /// The place of the library.
    pub place: Place,
    /// The signer of the present file.
    pub before: Signer,
    /// The signer of the new file.
    pub after: Signer,
}

/// Who signed a file, as far as that holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Signer {
    /// The file does not exist, or is not an image.
    None,
    /// No one.
    Unsigned,
    /// The signature is intact.
    By(String),
    /// The signature is broken or cannot be read, so it names no one.
    Not(SignatureStatus),
}

impl Workshop {
    /// The signers of each replaced and new library, for libraries that are signed before or after.
    pub fn signers(&self, fit: &FitPlan) -> Vec<SignerChange> {
        let root = &fit.plan.game.root;
        let before =
            |step: &Step| step.file().map_or(Signer::None, |place| signer(&place.on(root)));
        let after = |step: &Step| self.signer_of(step.after(), &fit.parcels);
        all(fit.plan.files(), before, after)
    }

    /// The same of a change that was made.
    pub fn signers_in(&self, change: &Change) -> Vec<SignerChange> {
        let stored = |side: &Side| self.signer_of(side, &[]);
        all(change.steps().iter(), |step| stored(step.before()), |step| stored(step.after()))
    }

    /// Who signed a content of the store, or of packages that are not in it yet.
    fn signer_of(&self, side: &Side, parcels: &[Parcel]) -> Signer {
        let Some(content) = side.state.content() else { return Signer::None };
        let packed = parcels.iter().find_map(|parcel| parcel.file_of(&content).ok().flatten());
        match packed.map_or_else(|| self.store.file(&content), Ok) {
            Ok(path) => signer(&path),
            Err(_) => Signer::None,
        }
    }
}

fn all<'a>(
    steps: impl Iterator<Item = &'a Step>,
    before: impl Fn(&Step) -> Signer,
    after: impl Fn(&Step) -> Signer,
) -> Vec<SignerChange> {
    let files = steps.filter_map(|step| Some((step, step.file()?)));
    let pairs = files.map(|(step, place)| SignerChange {
        place: place.clone(),
        before: if step.before().state.is_absent() { Signer::None } else { before(step) },
        after: after(step),
    });
    let is_signed = |signer: &Signer| matches!(signer, Signer::By(_) | Signer::Not(_));
    pairs.filter(|pair| is_signed(&pair.before) || is_signed(&pair.after)).collect()
}

fn signer(path: &Path) -> Signer {
    match Signature::check(path, None) {
        Ok(Signature { signer: Some(signer), status: SignatureStatus::Intact, .. }) => {
            Signer::By(signer)
        }
        Ok(Signature { status: SignatureStatus::Absent, .. }) => Signer::Unsigned,
        Ok(Signature { status, .. }) => Signer::Not(status),
        Err(_) => Signer::None,
    }
}
