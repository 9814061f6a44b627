//! Proves that components are what a game runs with, and notes what was proved.

use std::path::PathBuf;
use std::thread;
use std::time::{Duration, Instant};

use jiff::Timestamp;

use super::{Altering, Started, Workshop};
use crate::check;
use crate::error::Result;
use crate::path::same_name;
use crate::prove::{self, Outcome, Proof, ProofWish, Watch};
use crate::proven::{Proofs, Proven};
use crate::survey::GameView;

/// How often it is looked again: a library that is loaded and dropped at once is not seen anyway.
const LOOK_AGAIN: Duration = Duration::from_millis(150);

/// A log that is just being written says half of what it will say.
const QUIET: Duration = Duration::from_secs(1);

/// A starter may end before the game is to be seen: as long as a slow disk takes.
const APPEARS_WITHIN: Duration = Duration::from_secs(10);

impl Workshop {
    /// Says what is to be seen of a game's components now.
    ///
    /// # Errors
    /// Where the game has no component of a family that is named, or the home cannot be read.
    pub fn prove(&self, view: &GameView, wish: &ProofWish) -> Result<Proof> {
        expect_families(view, wish)?;
        let mut watch = Watch::default();
        self.look(view, wish, &mut watch)
    }

    /// Looks again and again after a start, until every component is proved or known not to be, the game has
    /// ended, or patience has. `each` is called with what was seen whenever that has changed.
    ///
    /// # Errors
    /// As for [`Workshop::prove`].
    pub fn prove_started(
        &self,
        view: &GameView,
        wish: &ProofWish,
        started: &mut Started,
        patience: Duration,
        each: &mut dyn FnMut(&Proof),
    ) -> Result<Proof> {
        expect_families(view, wish)?;
        let began = Instant::now();
        let mut watch = Watch::default();
        let mut outcomes = Vec::new();
        let mut changed = began;
        let mut was_seen = false;
        loop {
            let proof = self.look(view, wish, &mut watch)?;
            if proof.outcomes() != outcomes {
                outcomes = proof.outcomes();
                changed = Instant::now();
                each(&proof);
            }
            was_seen |= proof.runs();
            let is_quiet = changed.elapsed() > QUIET;
            let is_over = match proof.not_looked_into {
                Some(_) => false,
                None if was_seen => !proof.runs(),
                None => started.has_ended() && began.elapsed() > APPEARS_WITHIN,
            };
            let is_done = is_quiet && (proof.is_final() || is_over);
            if is_done || began.elapsed() > patience {
                return Ok(proof);
            }
            thread::sleep(LOOK_AGAIN);
        }
    }

    /// Looks once more.
    fn look(&self, view: &GameView, wish: &ProofWish, watch: &mut Watch) -> Result<Proof> {
        let not_looked_into = check::watches_over_itself(view).filter(|_| !wish.look_inside);
        let watched = not_looked_into.is_none().then(|| {
            if let Some(executable) = executable(view) {
                watch.look(&executable);
            }
            &*watch
        });
        let last = self.database.last_start(&view.game.id);
        self.decide(view, |situation| {
            Ok(prove::prove(situation, wish, watched, not_looked_into, last))
        })
    }

    /// What was proved, and of which changes.
    ///
    /// # Errors
    /// Never; what cannot be read is as good as not noted.
    pub fn proofs(&self) -> Result<std::sync::Arc<Proofs>> {
        self.records.proofs.get_or_read(|| Ok(self.proofs_file.read()))
    }
}

impl Altering<'_> {
    /// Notes what was proved with the changes that fitted it.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn note_proofs(&self, view: &GameView, proof: &Proof) -> Result<()> {
        let workshop = self.workshop();
        let mut proofs = workshop.proofs_file.read();
        let seen = proof.components.iter().filter(|component| component.outcome.is_good());
        let mut noted = false;
        for component in seen {
            let Some(change) = component.change else { continue };
            noted = true;
            proofs.note(Proven {
                change,
                game: view.game.id.clone(),
                family: component.family.clone(),
                by_report: component.outcome == Outcome::Proved,
                at: Timestamp::now(),
                executable: view.mark(),
            });
        }
        if noted { workshop.proofs_file.write(&proofs) } else { Ok(()) }
    }
}

fn executable(view: &GameView) -> Option<PathBuf> {
    Some(view.executable()?.path.on(&view.game.root))
}

fn expect_families(view: &GameView, wish: &ProofWish) -> Result<()> {
    let gone = view.gone.iter().map(|gone| &gone.family);
    let known: Vec<&String> =
        view.libraries.iter().map(|library| &library.family).chain(gone).collect();
    let unknown = wish.families.iter().find(|name| !known.iter().any(|own| same_name(own, name)));
    unknown.map_or(Ok(()), |name| Err(view.no_component(name)))
}
