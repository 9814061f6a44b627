//! Families of the catalog.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::catalog::{self, Role};
use upright_spanner_core::survey::LookError;

use super::SchemaNumber;
use super::error::Unread;
use crate::text::slashes;

/// Families of the catalog, and its files that cannot be used.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Families<'a> {
    schema: SchemaNumber,
    families: Vec<Family<'a>>,
    errors: Vec<Unread>,
}

/// A family.
#[derive(Debug, Serialize, JsonSchema)]
struct Family<'a> {
    id: &'a str,
    title: Option<&'a str>,
    /// Null if the evidence decides.
    role: Option<Role>,
    group: Option<&'a str>,
    /// The texts that a file of the family must state.
    criteria: Vec<Criterion>,
    /// The catalog file that describes it.
    file: String,
}

/// A pattern for a field.
#[derive(Debug, Serialize, JsonSchema)]
struct Criterion {
    /// A field of the version resource, or `file`.
    field: String,
    /// `*` matches any text and `?` any character.
    pattern: String,
}

impl<'a> Families<'a> {
    pub fn new(families: &[&'a catalog::Family], errors: &[LookError]) -> Self {
        Self {
            schema: SchemaNumber,
            families: families.iter().map(|family| Family::from(*family)).collect(),
            errors: errors.iter().map(Unread::from).collect(),
        }
    }
}

impl<'a> From<&'a catalog::Family> for Family<'a> {
    fn from(family: &'a catalog::Family) -> Self {
        let criteria = family.criteria.iter().map(|(field, pattern)| Criterion {
            field: field.to_string(),
            pattern: pattern.clone(),
        });
        Self {
            id: &family.id,
            title: family.title.as_deref(),
            role: family.role,
            group: family.group.as_deref(),
            criteria: criteria.collect(),
            file: slashes(&family.from),
        }
    }
}
