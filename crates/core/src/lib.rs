//! Detects the drop-in runtime components of PC games, checks them against the game's executable,
//! swaps them from a local rack of builds and puts every file back as it was.
//!
//! This crate prints nothing and asks nothing. [`Workshop`] is its front door; the data that it
//! hands out flows one way:
//!
//! - look: [`image`], [`inspect`], [`compare`], [`game`], [`survey`], [`load`] examine files and work out what a game
//!   would load, and only read;
//! - decide: [`catalog`], [`rack`], [`check`], [`plan`] make a [`plan::Plan`], [`start`] decides how a game is
//!   started; nothing is touched;
//! - act: the crate `upright-spanner-change` carries out a plan, journalled and reversible; [`change`] reads its
//!   records.

pub mod catalog;
pub mod change;
pub mod check;
pub mod compare;
pub mod content;
mod error;
pub mod feed;
mod fetch;
mod finding;
pub mod game;
pub mod guard;
mod history;
pub mod inspect;
pub mod launcher;
mod ledger;
pub mod load;
pub mod path;
pub mod plan;
pub use upright_spanner_change::progress;
pub use upright_spanner_image as image;
pub use upright_spanner_image::{requirement, version};
pub use upright_spanner_settings::registry;
pub mod prove;
pub mod proven;
pub mod rack;
pub mod remedy;
pub mod settings;
mod shortcut;
mod situation;
pub mod size;
pub mod start;
mod state;
pub mod survey;
pub mod tune;
mod wind;
mod window;
mod workshop;

pub use check::{CheckedFamily, CheckedGame};
pub use error::{
    CatalogError, ChangeError, Error, FeedError, GameError, HomeError, RackError, Result, in_words,
};
pub use fetch::Address;
pub use history::History;
pub use plan::{Adoption, FitOptions, HoldRequest, Refit, TuneRequest, WindOptions};
pub use remedy::{Action, Remedy};
pub use wind::{Kind, Outline};
pub use workshop::{
    Added, Addition, Altering, BeforeStart, ChangeStatus, ChangesSince, Cleared, DamagedContent,
    Diagnosis, Download, Downloaded, FeedMake, FeedOptions, FeedPreview, Fetched, FitPlan,
    MadeFeed, Mended, NewAdvice, RecoveredTarget, Recovery, Refreshed, Signer, SignerChange,
    Started, Stock, StoreUse, Unreferenced, VerifiedFeed, WindPlan, Workshop,
};
