//! The facts of files. Other programs rely on this document.

use std::collections::BTreeMap;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::image::{Import, Kind, Machine, Signature, StringTable};
use upright_spanner_core::inspect::{Inspected, Inspection, Other};

use super::error::Unread;
use super::{SchemaNumber, texts};
use crate::text::slashes;

/// Files with their facts.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Inspection")]
pub struct InspectionDocument<'a> {
    schema: SchemaNumber,
    images: Vec<Image<'a>>,
    others: Vec<OtherFile<'a>>,
    errors: Vec<Unread>,
}

/// A Windows library or program.
#[derive(Debug, Serialize, JsonSchema)]
struct Image<'a> {
    path: String,
    sha256: String,
    /// In bytes.
    size: u64,
    /// The file's date.
    #[schemars(with = "Option<String>")]
    modified: Option<Timestamp>,
    machine: Machine,
    kind: Kind,
    /// The four numbers of the fixed block.
    file_version: Option<String>,
    /// The four numbers of the fixed block.
    product_version: Option<String>,
    /// The first value of each key over all tables.
    strings: BTreeMap<&'a str, &'a str>,
    /// The string tables in file order.
    tables: &'a [StringTable],
    /// Language and code page pairs that the resource says it is translated to.
    translations: &'a [(u16, u16)],
    /// Flags of the fixed block that are set, as in `debug`.
    flags: Vec<&'static str>,
    debug: bool,
    /// Whether it is made for the .NET runtime.
    managed: bool,
    /// Whether its code is packed, as far as the headers show.
    packed: bool,
    /// When it was linked, if the header holds a time.
    #[schemars(with = "Option<String>")]
    linked: Option<Timestamp>,
    /// The name in its export table.
    linked_as: Option<&'a str>,
    imports: &'a [Import],
    /// Names, or ordinals as `#12`.
    exports: Vec<String>,
    /// Exports that lead on to another library, with `library.symbol`.
    forwarded: BTreeMap<String, &'a str>,
    signature: &'a Signature,
    /// Tables that could not be read in full, and why.
    faults: &'a [String],
}

/// A file that is not a Windows library or program.
#[derive(Debug, Serialize, JsonSchema)]
struct OtherFile<'a> {
    path: String,
    looks_like: &'a str,
    sha256: String,
    /// In bytes.
    size: u64,
    /// The file's date.
    #[schemars(with = "Option<String>")]
    modified: Option<Timestamp>,
}

impl<'a> From<&'a Inspection> for InspectionDocument<'a> {
    fn from(inspection: &'a Inspection) -> Self {
        Self {
            schema: SchemaNumber,
            images: inspection.images.iter().map(Image::from).collect(),
            others: inspection.others.iter().map(OtherFile::from).collect(),
            errors: inspection.errors.iter().map(Unread::from).collect(),
        }
    }
}

impl<'a> From<&'a Inspected> for Image<'a> {
    fn from(inspected: &'a Inspected) -> Self {
        let facts = &inspected.image.facts;
        let exports = &inspected.image.exports;
        let numbers = |version: [u16; 4]| version.map(|number| number.to_string()).join(".");
        let fixed = facts.version_info.fixed;

        let mut strings = BTreeMap::new();
        for (key, value) in facts.version_info.tables.iter().flat_map(|table| &table.strings) {
            strings.entry(key.as_str()).or_insert(value.as_str());
        }
        let forwarded = exports
            .iter()
            .filter_map(|export| Some((export.to_string(), export.forwarded_to.as_deref()?)))
            .collect();
        let linked = facts.linked(Timestamp::now().as_second());
        Self {
            path: slashes(&inspected.path),
            sha256: inspected.sha256.to_string(),
            size: facts.size,
            modified: Timestamp::new(inspected.stamp.modified.0, 0).ok(),
            machine: facts.machine,
            kind: facts.kind,
            file_version: fixed.map(|fixed| numbers(fixed.file_version)),
            product_version: fixed.map(|fixed| numbers(fixed.product_version)),
            strings,
            tables: &facts.version_info.tables,
            translations: &facts.version_info.translations,
            flags: facts.flags(),
            debug: facts.is_debug(),
            managed: facts.managed,
            packed: facts.packed,
            linked: linked.and_then(|seconds| Timestamp::new(seconds, 0).ok()),
            linked_as: facts.export_name.as_deref(),
            imports: &inspected.image.imports,
            exports: texts(exports),
            forwarded,
            signature: &inspected.signature,
            faults: &facts.faults,
        }
    }
}

impl<'a> From<&'a Other> for OtherFile<'a> {
    fn from(other: &'a Other) -> Self {
        Self {
            path: slashes(&other.path),
            looks_like: other.looks_like,
            sha256: other.sha256.to_string(),
            size: other.size,
            modified: Timestamp::new(other.stamp.modified.0, 0).ok(),
        }
    }
}
