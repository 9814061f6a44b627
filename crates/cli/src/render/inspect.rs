//! The facts of files: a block of lines for each file, or one document.

use std::io::Write;

use anyhow::Result;
use jiff::Timestamp;
use owo_colors::OwoColorize;
use upright_spanner_core::image::{Facts, Image, Kind, Signature, Trust};
use upright_spanner_core::inspect::{Inspected, Inspection};

use super::{bytes, clean, count, date, moment, slashes, wrapped};
use crate::session::Session;

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
        for (name, value) in essentials(facts) {
            line(name, &value)?;
        }
        for text in signature(&inspected.signature) {
            line("signature", &text)?;
        }
        for fault in &facts.faults {
            line("damaged", fault)?;
        }
        line("size", &format!("{} ({} bytes)", bytes(facts.size), facts.size))?;
        line("sha256", &inspected.sha256.to_string())?;
        if session.verbose {
            for (name, value) in particulars(inspected, facts) {
                line(name, &value)?;
            }
            for (name, value) in tables(&inspected.image) {
                line(name, &value)?;
            }
        } else {
            let libraries = count(inspected.image.imports.len(), "library");
            let functions = count(inspected.image.exports.len(), "function");
            line("tables", &format!("imports from {libraries}, offers {functions} (-v)"))?;
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

/// What most people want to know.
fn essentials(facts: &Facts) -> Vec<(&'static str, String)> {
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
    rows.extend(texts(
        facts,
        &[
            ("company", "CompanyName"),
            ("product", "ProductName"),
            ("description", "FileDescription"),
        ],
    ));

    rows.push(("kind", kind(facts)));
    rows
}

/// Other facts of the file.
fn particulars(inspected: &Inspected, facts: &Facts) -> Vec<(&'static str, String)> {
    let mut rows: Vec<(&'static str, String)> = texts(
        facts,
        &[
            ("original name", "OriginalFilename"),
            ("internal name", "InternalName"),
            ("comments", "Comments"),
        ],
    )
    .collect();

    if !facts.flags().is_empty() {
        rows.push(("flags", facts.flags().join(", ")));
    }
    let tables = facts.version_info.tables.iter();
    let languages: Vec<String> = tables
        .filter_map(|table| Some(format!("{:04x}/{}", table.language?, table.code_page?)))
        .collect();
    if !languages.is_empty() {
        rows.push(("languages", languages.join(", ")));
    }
    rows.push(("file date", date(inspected.stamp.modified.0)));

    let linked = facts.linked(Timestamp::now().as_second());
    rows.extend(linked.map(|seconds| ("linked", date(seconds))));
    rows.extend(facts.export_name.as_ref().map(|name| ("linked as", name.clone())));
    rows
}

/// Texts of the version resource, by what to call them and by their keys.
fn texts<'a>(
    facts: &'a Facts,
    keys: &'a [(&'static str, &'static str)],
) -> impl Iterator<Item = (&'static str, String)> + 'a {
    let text =
        |(name, key): &(&'static str, &'static str)| Some((*name, facts.string(key)?.to_owned()));
    keys.iter().filter_map(text)
}

/// As in `64-bit library (x86_64), debug build`.
fn kind(facts: &Facts) -> String {
    let kind = match facts.kind {
        Kind::Dll => "library",
        Kind::Exe => "program",
    };
    let mut text = format!("{} {kind} ({})", facts.machine.spoken(), facts.machine);
    let traits = [
        (facts.managed, "for the .NET runtime"),
        (facts.is_debug(), "debug build"),
        (facts.packed, "packed"),
    ];
    for (_, what) in traits.iter().filter(|(holds, _)| *holds) {
        text.push_str(", ");
        text.push_str(what);
    }
    text
}

/// Its imports and exports.
fn tables(image: &Image) -> Vec<(&'static str, String)> {
    let mut rows = Vec::new();
    for (index, import) in image.imports.iter().enumerate() {
        let names: Vec<String> = import.symbols.iter().map(ToString::to_string).collect();
        let when = if import.delayed { " (when first called)" } else { "" };
        let text = format!("{}{when}: {}", import.dll, names.join(", "));
        rows.push((if index == 0 { "imports" } else { "" }, text));
    }

    let exports: Vec<String> = image.exports.iter().map(ToString::to_string).collect();
    if !exports.is_empty() {
        rows.push(("exports", format!("{}: {}", exports.len(), exports.join(", "))));
    }
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
    let claims = |name| format!("it names {name}, which anyone may have written");
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
