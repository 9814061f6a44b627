//! What files say of themselves: a block of lines a file, or one document.

use std::io::Write;

use anyhow::Result;
use jiff::Timestamp;
use owo_colors::OwoColorize;
use serde_json::{Map, Value, json};
use upright_spanner_core::image::{Facts, Kind, Signature, Trust};
use upright_spanner_core::inspect::{Inspected, Inspection};

use super::document;
use super::{bytes, clean, count, date, moment, slashes, wrapped};
use crate::session::Session;

/// Imported and exported names that are shown of a file; `-v` shows all.
const NAMES_SHOWN: usize = 8;

/// Prints files for people.
pub fn print(inspection: &Inspection, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    for inspected in &inspection.images {
        let facts = &inspected.image.facts;
        writeln!(out, "{}", clean(&slashes(&inspected.path)).bold())?;
        let mut line = |name: &str, value: &str| {
            let head = format!("  {} ", format!("{name:<17}").dimmed());
            write!(out, "{}", wrapped(value, &head, 20, session.width))
        };
        for (name, value) in rows(inspected, facts) {
            line(name, &value)?;
        }
        for text in signature(&inspected.signature) {
            line("signature", &text)?;
        }
        for fault in &facts.faults {
            line("damaged", fault)?;
        }
        let shown = if session.verbose { usize::MAX } else { NAMES_SHOWN };
        for (index, import) in inspected.image.imports.iter().enumerate() {
            let names: Vec<String> = import.symbols.iter().map(ToString::to_string).collect();
            let when = if import.delayed { " (when first called)" } else { "" };
            let text = format!("{}{when}: {}", import.dll, names_in_short(&names, shown));
            line(if index == 0 { "imports" } else { "" }, &text)?;
        }
        let exports: Vec<String> =
            inspected.image.exports.iter().map(ToString::to_string).collect();
        if !exports.is_empty() {
            let text = format!("{}: {}", exports.len(), names_in_short(&exports, shown));
            line("exports", &text)?;
        }
        writeln!(out)?;
    }
    for other in &inspection.others {
        writeln!(out, "{}", clean(&slashes(&other.path)).bold())?;
        let size = format!("{} ({} bytes)", bytes(other.size), other.size);
        for (name, value) in [
            ("kind", other.looks_like),
            ("size", &size),
            ("file date", &date(other.stamp.modified.0)),
            ("sha256", &other.sha256.to_string()),
        ] {
            writeln!(out, "  {} {}", format!("{name:<17}").dimmed(), clean(value))?;
        }
        writeln!(out)?;
    }
    Ok(())
}

fn rows(inspected: &Inspected, facts: &Facts) -> Vec<(&'static str, String)> {
    let info = &facts.version_info;
    let fixed = |version: [u16; 4]| version.map(|number| number.to_string()).join(".");
    let stated = |version: Option<[u16; 4]>, key| match (version.map(fixed), facts.string(key)) {
        (Some(numbers), Some(text)) if text != numbers => format!("{numbers}  (as text: {text})"),
        (Some(numbers), _) => numbers,
        (None, Some(text)) => text.to_owned(),
        (None, None) => "none stated".to_owned(),
    };
    let mut rows = vec![
        ("file version", stated(info.fixed.map(|fixed| fixed.file_version), "FileVersion")),
        (
            "product version",
            stated(info.fixed.map(|fixed| fixed.product_version), "ProductVersion"),
        ),
    ];
    for (name, key) in [
        ("company", "CompanyName"),
        ("description", "FileDescription"),
        ("product", "ProductName"),
        ("original name", "OriginalFilename"),
        ("internal name", "InternalName"),
        ("comments", "Comments"),
    ] {
        rows.extend(facts.string(key).map(|value| (name, value.to_owned())));
    }
    let kind = match facts.kind {
        Kind::Dll => "library",
        Kind::Exe => "program",
    };
    let mut kind = format!("{} {kind} ({})", facts.machine.spoken(), facts.machine);
    let traits = [
        (facts.managed, "for the .NET runtime"),
        (facts.is_debug(), "debug build"),
        (facts.packed, "packed"),
    ];
    for (_, what) in traits.iter().filter(|(holds, _)| *holds) {
        kind.push_str(", ");
        kind.push_str(what);
    }
    rows.push(("kind", kind));
    if !facts.flags().is_empty() {
        rows.push(("flags", facts.flags().join(", ")));
    }
    let languages: Vec<String> = info
        .tables
        .iter()
        .filter_map(|table| Some(format!("{:04x}/{}", table.language?, table.code_page?)))
        .collect();
    if !languages.is_empty() {
        rows.push(("languages", languages.join(", ")));
    }
    rows.push(("size", format!("{} ({} bytes)", bytes(facts.size), facts.size)));
    rows.push(("file date", date(inspected.stamp.modified.0)));
    let linked = facts.linked(Timestamp::now().as_second());
    rows.extend(linked.map(|seconds| ("linked", date(seconds))));
    rows.extend(facts.export_name.as_ref().map(|name| ("linked as", name.clone())));
    rows.push(("sha256", inspected.sha256.to_string()));
    rows
}

/// A line a signature, the nested ones too.
fn signature(signature: &Signature) -> Vec<String> {
    let mut parts = vec![signature.status.name().to_owned()];
    parts.extend(signature.reason.clone());
    let trust = signature.chain.as_ref().and_then(|chain| chain.trust.as_ref());
    parts.extend(trust.map(|trust| match trust {
        Trust::Trusted => "trusted".to_owned(),
        Trust::NotTrusted(why) => format!("not trusted: {why}"),
        Trust::NotChecked(why) => format!("not checked: {why}"),
    }));
    let by = signature.signer.as_ref().map(|signer| format!("signed by {signer}"));
    parts.extend(by);
    let claims = |name| format!("it names {name}, which anybody may have written");
    parts.extend(signature.claimed.as_ref().map(claims));
    parts.extend(signature.issuer.as_ref().map(|issuer| format!("issued by {issuer}")));
    parts.extend(signature.signed_at.map(|at| format!("on {}", moment(at))));
    parts.extend(signature.digest.map(str::to_owned));
    if let Some(chain) = &signature.chain {
        let reach = if chain.complete { "chain complete" } else { "chain without its root" };
        parts.push(reach.to_owned());
        if chain.trust.is_none() {
            parts.push("not checked against any root".to_owned());
        }
    }
    let mut lines = vec![parts.join("; ")];
    lines.extend(signature.nested.iter().flat_map(self::signature));
    lines
}

fn names_in_short(names: &[String], shown: usize) -> String {
    let some = names.iter().take(shown).map(String::as_str).collect::<Vec<_>>().join(", ");
    match names.len().saturating_sub(shown) {
        0 => some,
        rest => format!("{some} and {} (-v)", count(rest, "more name")),
    }
}

/// The files as a document for programs.
pub fn document(inspection: &Inspection) -> Value {
    let images: Vec<Value> = inspection.images.iter().map(image).collect();
    let others: Vec<Value> = inspection
        .others
        .iter()
        .map(|other| {
            json!({
                "path": slashes(&other.path),
                "looks_like": other.looks_like,
                "sha256": other.sha256,
                "size": other.size,
                "modified": Timestamp::new(other.stamp.modified.0, 0).ok(),
            })
        })
        .collect();
    json!({
        "schema": 1,
        "images": images,
        "others": others,
        "errors": document::errors(&inspection.errors),
    })
}

fn image(inspected: &Inspected) -> Value {
    let facts = &inspected.image.facts;
    let numbers = |version: [u16; 4]| version.map(|number| number.to_string()).join(".");
    let fixed = facts.version_info.fixed;
    let mut strings = Map::new();
    for (key, value) in facts.version_info.tables.iter().flat_map(|table| &table.strings) {
        strings.entry(key.clone()).or_insert_with(|| value.clone().into());
    }
    let exports: Vec<String> = inspected.image.exports.iter().map(ToString::to_string).collect();
    let forwarded: Map<String, Value> = inspected
        .image
        .exports
        .iter()
        .filter_map(|export| Some((export.to_string(), export.forwarded_to.clone()?.into())))
        .collect();
    let modified = Timestamp::new(inspected.stamp.modified.0, 0).ok();
    json!({
        "path": slashes(&inspected.path),
        "sha256": inspected.sha256,
        "size": facts.size,
        "modified": modified,
        "machine": facts.machine,
        "kind": facts.kind,
        "file_version": fixed.map(|fixed| numbers(fixed.file_version)),
        "product_version": fixed.map(|fixed| numbers(fixed.product_version)),
        "strings": strings,
        "tables": facts.version_info.tables,
        "translations": facts.version_info.translations,
        "flags": facts.flags(),
        "debug": facts.is_debug(),
        "managed": facts.managed,
        "packed": facts.packed,
        "linked": facts.linked(Timestamp::now().as_second()).and_then(|s| Timestamp::new(s, 0).ok()),
        "linked_as": facts.export_name,
        "imports": inspected.image.imports,
        "exports": exports,
        "forwarded": forwarded,
        "signature": inspected.signature,
        "faults": facts.faults,
    })
}
