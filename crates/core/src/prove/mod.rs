//! Whether a game really runs with its fitted components: whether each is mapped into its process, and the version it
//! reports in its log.
//!
//! - `process`: the processes of a game, and the files mapped into them;
//! - `log`, `report`: finding and reading logs, and a component's statements in them;
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
pub use proof::{ComponentProof, FileProof, LogProof, Proof, ProofRequest};
pub(crate) use prover::Prover;
pub(crate) use stated::stated_in;
pub use verdict::{Loaded, Outcome, Report};
