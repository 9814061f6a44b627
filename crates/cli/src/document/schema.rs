//! Every document as a JSON Schema (draft 2020-12).

use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, Schema};

use super::adopt::Adopted;
use super::check::{Checked, CheckedBuild, Codes, EntryNames, Meaning};
use super::compare::Compared;
use super::doctor::{DiagnosisDocument, Reclaimable, Settled};
use super::drift::DriftDocument;
use super::error::ErrorDocument;
use super::family::Families;
use super::feed::{CheckedFeed, Feeds, Got, Made, NewKey, Offers, Refresh};
use super::game::{Games, Roots, ShownGame};
use super::history::{History, StoreSize};
use super::inspect::InspectionDocument;
use super::loads::{Loads, Ways};
use super::noted::Noted;
use super::plan::{Fitted, Outcome, Several};
use super::prove::Proved;
use super::rack::{AddedBuilds, Builds, DamagedBuilds, Notes, ShownBuild};
use super::start::StartDocument;
use super::survey::Survey;
use super::tune::{Modes, Tuned};
use super::wind::WindOutcome;

/// Every document: the name of its schema's file, and the schema.
pub fn all() -> Vec<(&'static str, Schema)> {
    vec![
        ("adopt", of::<Adopted>()),
        ("alter", of::<Outcome>()),
        ("alter-several", of::<Several>()),
        ("check", of::<Checked>()),
        ("check-build", of::<CheckedBuild>()),
        ("check-entries", of::<EntryNames<'_>>()),
        ("check-loads", of::<Loads>()),
        ("check-loads-file", of::<Ways>()),
        ("compare", of::<Compared<'_>>()),
        ("doctor", of::<DiagnosisDocument>()),
        ("doctor-reclaim", of::<Reclaimable>()),
        ("doctor-settle", of::<Settled>()),
        ("drift", of::<DriftDocument>()),
        ("error", of::<ErrorDocument>()),
        ("explain", of::<Codes>()),
        ("explain-code", of::<Meaning>()),
        ("family", of::<Families<'_>>()),
        ("feed", of::<Feeds<'_>>()),
        ("feed-check", of::<CheckedFeed<'_>>()),
        ("feed-key", of::<NewKey>()),
        ("feed-list", of::<Offers<'_>>()),
        ("feed-make", of::<Made<'_>>()),
        ("feed-refresh", of::<Refresh<'_>>()),
        ("fit", of::<Fitted>()),
        ("game-list", of::<Games<'_>>()),
        ("game-show", of::<ShownGame<'_>>()),
        ("history", of::<History>()),
        ("history-size", of::<StoreSize<'_>>()),
        ("inspect", of::<InspectionDocument<'_>>()),
        ("noted", of::<Noted>()),
        ("prove", of::<Proved>()),
        ("rack-add", of::<AddedBuilds<'_>>()),
        ("rack-get", of::<Got<'_>>()),
        ("rack-list", of::<Builds<'_>>()),
        ("rack-notes", of::<Notes<'_>>()),
        ("rack-show", of::<ShownBuild<'_>>()),
        ("rack-verify", of::<DamagedBuilds<'_>>()),
        ("root", of::<Roots>()),
        ("start", of::<StartDocument>()),
        ("survey", of::<Survey<'_>>()),
        ("tune", of::<Tuned>()),
        ("tune-compat", of::<Modes>()),
        ("wind", of::<WindOutcome>()),
    ]
}

fn of<T: JsonSchema>() -> Schema {
    SchemaSettings::draft2020_12().for_serialize().into_generator().into_root_schema_for::<T>()
}
