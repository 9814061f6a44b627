//! What differs between two files.

use std::path::Path;

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::compare::Comparison;

use super::SchemaNumber;
use crate::text::slashes;

/// Two files, and what differs.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Compared<'a> {
    schema: SchemaNumber,
    old: String,
    new: String,
    comparison: &'a Comparison,
}

impl<'a> Compared<'a> {
    pub fn new(old: &Path, new: &Path, comparison: &'a Comparison) -> Self {
        Self { schema: SchemaNumber, old: slashes(old), new: slashes(new), comparison }
    }
}
