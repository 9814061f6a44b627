//! `prove`: whether a game runs with its fitted components, and the version each reports.

use anyhow::Result;
use upright_spanner_core::Workshop;
use upright_spanner_core::prove::{Proof, ProofRequest};
use upright_spanner_core::survey::GameView;

use super::target;
use crate::args;
use crate::document::prove::Proved;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::Prove, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let view = target::game(&workshop, &args.game, true, session)?;
    let wish = ProofRequest {
        families: args.families.clone(),
        all: args.all || session.verbose,
        look_inside: args.look_inside,
    };
    let proof = workshop.prove(&view, &wish)?;
    note(&workshop, &view, &proof);
    if session.json {
        render::json(&Proved::new(&proof))?;
    } else {
        render::prove::print(&view, &proof, session)?;
    }
    Ok(exit(&proof))
}

/// Records a proof with the changes that fitted its components; a failure to record does not affect the result.
pub fn note(workshop: &Workshop, view: &GameView, proof: &Proof) {
    if !proof.can_be_noted() {
        return;
    }
    let noted = workshop.alter().and_then(|altering| altering.note_proofs(view, proof));
    match noted {
        Ok(None) => {}
        Ok(Some(aside)) => render::notice(&format!(
            "The file of earlier proofs was damaged. It was renamed to {}; only this proof is recorded.",
            render::slashes(&aside)
        )),
        Err(error) => render::notice(&format!("The proof was not recorded: {error}.")),
    }
}

pub fn exit(proof: &Proof) -> Exit {
    if proof.is_good() { Exit::Done } else { Exit::Attend }
}
