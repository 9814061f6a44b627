//! Proves that a game runs with its components, and records the proofs.

use std::path::PathBuf;
use std::sync::Arc;
use std::thread;
use std::time::{Duration, Instant};

use jiff::Timestamp;

use super::{Altering, Started, Workshop};
use crate::error::Result;
use crate::path::same_name;
use crate::prove::{Outcome, Proof, ProofRequest, Prover};
use crate::proven::{Proofs, Proven};
use crate::survey::GameView;

/// How often it is looked again: a library that is loaded and dropped at once is not seen anyway.
const LOOK_AGAIN: Duration = Duration::from_millis(200);

/// A log that is being written is incomplete for this long.
const QUIET: Duration = Duration::from_secs(1);

/// A starter may end before the game appears: the time that a slow disk takes.
const APPEARS_WITHIN: Duration = Duration::from_secs(10);

impl Workshop {
    /// The present evidence about a game's components.
    ///
    /// # Errors
    /// If the game has no component of a family that is named, or the home cannot be read.
    pub fn prove(&self, view: &GameView, wish: &ProofRequest) -> Result<Proof> {
        expect_families(view, wish)?;
        let last = self.database.last_start(&view.game.id);
        self.decide(view, |situation| {
            let mut prover = Prover::new(situation, wish, last);
            let proof = prover.look();
            Ok(prover.conclude(proof))
        })
    }

    /// Looks repeatedly after a start, until every component has a final result, the game has ended, or the time is
    /// over. `each` is called with every change.
    ///
    /// # Errors
    /// As for [`Workshop::prove`].
    pub fn prove_started(
        &self,
        view: &GameView,
        wish: &ProofRequest,
        started: &mut Started,
        patience: Duration,
        each: &mut dyn FnMut(&Proof),
    ) -> Result<Proof> {
        expect_families(view, wish)?;
        self.decide(view, |situation| {
            let mut prover = Prover::new(situation, wish, Some(started.at));
            let proof = wait_for_proof(&mut prover, started, patience, each);
            Ok(prover.conclude(proof))
        })
    }

    /// The proofs that were recorded, each with its change; none if the file cannot be read.
    pub fn proofs(&self) -> Arc<Proofs> {
        self.records.proofs.get_or_read(|| self.proofs_file.read()).unwrap_or_default()
    }
}

impl Altering<'_> {
    /// Records the components that were proved, each with the change that fitted it. Returns the new path of a
    /// damaged file of proofs, which is moved aside.
    ///
    /// # Errors
    /// If the file cannot be written, or a newer version wrote it.
    pub fn note_proofs(&self, view: &GameView, proof: &Proof) -> Result<Option<PathBuf>> {
        let workshop = self.workshop();
        let aside = workshop.proofs_file.set_aside_if_damaged()?;
        let mut proofs = workshop.proofs_file.read()?;
        let seen = proof.components.iter().filter(|component| component.outcome.is_good());
        for component in seen {
            let Some(change) = component.change else { continue };
            proofs.note(Proven {
                change,
                game: view.game.id.clone(),
                family: component.family.clone(),
                by_report: component.outcome == Outcome::Proved,
                at: Timestamp::now(),
                executable: view.mark(),
            });
        }
        workshop.proofs_file.write(&proofs)?;
        Ok(aside)
    }
}

/// Looks until all results are final, or the time is over.
fn wait_for_proof(
    prover: &mut Prover<'_>,
    started: &mut Started,
    patience: Duration,
    each: &mut dyn FnMut(&Proof),
) -> Proof {
    let began = Instant::now();
    let (mut outcomes, mut changed) = (Vec::new(), began);
    let mut was_seen = false;
    loop {
        let proof = prover.look();
        if proof.outcomes() != outcomes {
            outcomes = proof.outcomes();
            changed = Instant::now();
            each(&proof);
        }
        was_seen |= proof.runs();
        let is_over = match proof.not_looked_into {
            Some(_) => false,
            None if was_seen => !proof.runs(),
            None => started.has_ended() && began.elapsed() > APPEARS_WITHIN,
        };
        let is_done = changed.elapsed() > QUIET && (proof.is_final() || is_over);
        if is_done || began.elapsed() > patience {
            return proof;
        }
        thread::sleep(LOOK_AGAIN);
    }
}

fn expect_families(view: &GameView, wish: &ProofRequest) -> Result<()> {
    let gone = view.gone.iter().map(|gone| &gone.family);
    let known: Vec<&String> =
        view.libraries.iter().map(|library| &library.family).chain(gone).collect();
    let unknown = wish.families.iter().find(|name| !known.iter().any(|own| same_name(own, name)));
    unknown.map_or(Ok(()), |name| Err(view.no_component(name)))
}
