//! Whether components that were fitted are what a game really runs with: whether each is mapped into its
//! process, and what it says of itself in its log.
//!
//! - `process`: the processes of a game, and what is mapped into them;
//! - `log`, `report`: logs, found and read, and what they say of a component;
//! - `subject`: which components are looked at, and where their logs are;
//! - `verdict`, `proof`: what both come to, and all that was seen; `remedy`: what to do then;
//! - `prover`: looks again and again.

mod log;
mod process;
mod proof;
mod prover;
mod remedy;
mod report;
mod stated;
mod subject;
mod verdict;

pub use process::Running;
pub use proof::{ComponentProof, FileProof, LogProof, Proof, ProofWish};
pub(crate) use prover::Prover;
pub(crate) use stated::stated_in;
pub use verdict::{Loaded, Outcome, Report};
