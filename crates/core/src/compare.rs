//! What differs between two files, and in one sentence what that means.

use std::collections::BTreeSet;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::Serialize;

use crate::catalog::{companies_agree, family_of};
use crate::inspect::Inspected;
use upright_spanner_image::{Facts, Image, Version};

/// What differs between two files.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Comparison {
    /// Facts of both, in the order in which people look at them.
    pub facts: Vec<Pair>,
    /// Strings of the version resource that are not the same, by key.
    pub strings: Vec<Pair>,
    /// Exports that only the new file has.
    pub exports_gained: Vec<String>,
    /// Exports that only the old file has.
    pub exports_lost: Vec<String>,
    /// Imports, as `library: symbol`, that only the new file has.
    pub imports_gained: Vec<String>,
    /// Imports that only the old file has.
    pub imports_lost: Vec<String>,
    /// The meaning, in one sentence.
    pub verdict: String,
}

/// One statement of both files.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Pair {
    /// Its subject.
    pub what: String,
    /// The value in the old file; `None` if it has none.
    pub old: Option<String>,
    /// The value in the new file.
    pub new: Option<String>,
}

impl Pair {
    /// Whether both say the same.
    pub fn same(&self) -> bool {
        self.old == self.new
    }
}

/// Compares two files.
pub fn compare(old: &Inspected, new: &Inspected) -> Comparison {
    let exports = |file: &Inspected| names(file.image.exports.iter().map(ToString::to_string));
    let (exports_old, exports_new) = (exports(old), exports(new));
    let (imports_old, imports_new) = (imports(&old.image), imports(&new.image));
    let mut comparison = Comparison {
        facts: facts(old, new),
        strings: strings(&old.image.facts, &new.image.facts),
        exports_gained: only_in(&exports_new, &exports_old),
        exports_lost: only_in(&exports_old, &exports_new),
        imports_gained: only_in(&imports_new, &imports_old),
        imports_lost: only_in(&imports_old, &imports_new),
        verdict: String::new(),
    };
    comparison.verdict = verdict(old, new, &comparison);
    comparison
}

fn facts(old: &Inspected, new: &Inspected) -> Vec<Pair> {
    let pair = |what: &str, tell: &dyn Fn(&Inspected) -> Option<String>| Pair {
        what: what.to_owned(),
        old: tell(old),
        new: tell(new),
    };
    let date = |seconds: i64| {
        let moment = Timestamp::from_second(seconds).ok()?;
        Some(moment.strftime("%Y-%m-%d %H:%M UTC").to_string())
    };
    let now = Timestamp::now().as_second();

    vec![
        pair("version", &|file| file.image.facts.version().map(|v| v.to_string())),
        pair("product version", &|file| file.image.facts.product_version().map(|v| v.to_string())),
        pair("file date", &|file| date(file.stamp.modified.0)),
        pair("linked", &|file| date(file.image.facts.linked(now)?)),
        pair("size", &|file| Some(format!("{} bytes", file.image.facts.size))),
        pair("machine", &|file| Some(file.image.facts.machine.to_string())),
        pair("signature", &|file| Some(file.signature.status.name().to_owned())),
        pair("signer", &|file| file.signature.signer.clone()),
        pair("debug build", &|file| Some(yes_or_no(file.image.facts.is_debug()))),
    ]
}

fn yes_or_no(holds: bool) -> String {
    if holds { "yes" } else { "no" }.to_owned()
}

/// Strings that differ; the versions are among the facts.
fn strings(old: &Facts, new: &Facts) -> Vec<Pair> {
    const TOLD: [&str; 2] = ["FileVersion", "ProductVersion"];
    let keys: BTreeSet<&str> = [old, new]
        .into_iter()
        .flat_map(|facts| &facts.version_info.tables)
        .flat_map(|table| table.strings.iter().map(|(key, _)| key.as_str()))
        .filter(|key| !TOLD.contains(key))
        .collect();
    let pairs = keys.into_iter().map(|key| Pair {
        what: key.to_owned(),
        old: old.string(key).map(str::to_owned),
        new: new.string(key).map(str::to_owned),
    });
    pairs.filter(|pair| !pair.same()).collect()
}

fn imports(image: &Image) -> BTreeSet<String> {
    names(image.imports.iter().flat_map(|import| {
        let dll = import.dll.to_lowercase();
        import.symbols.iter().map(move |symbol| format!("{dll}: {symbol}"))
    }))
}

fn names(texts: impl Iterator<Item = String>) -> BTreeSet<String> {
    texts.collect()
}

fn only_in(these: &BTreeSet<String>, those: &BTreeSet<String>) -> Vec<String> {
    these.difference(those).cloned().collect()
}

/// The most severe difference decides the sentence.
fn verdict(old: &Inspected, new: &Inspected, found: &Comparison) -> String {
    let (before, after) = (&old.image.facts, &new.image.facts);
    if old.sha256 == new.sha256 {
        return "The files are the same, byte for byte.".to_owned();
    }
    if before.machine != after.machine {
        return format!(
            "The new file is {} and the old one {}: neither can replace the other.",
            after.machine.spoken(),
            before.machine.spoken()
        );
    }

    let family = |file: &Inspected| {
        let name = file.path.file_name().map(|name| name.to_string_lossy().into_owned());
        family_of(&file.image.facts, &name.unwrap_or_default())
    };
    if family(old) != family(new) || !companies_agree(before, after) {
        return format!(
            "These do not look like two builds of one library: the old file is {}, the new one {}.",
            who(before, &family(old)),
            who(after, &family(new))
        );
    }

    let step = step(before.version().as_ref(), after.version().as_ref());
    match found.exports_lost.len() {
        0 => format!("{step}; every export of the old file is still there."),
        1 => format!("{step}, but it lacks the export {}.", found.exports_lost[0]),
        lost => format!(
            "{step}, but it lacks {lost} exports of the old file: a program that uses one of them \
             will not start."
        ),
    }
}

fn who(facts: &Facts, family: &str) -> String {
    match facts.string("CompanyName") {
        Some(company) => format!("{family} by {company}"),
        None => family.to_owned(),
    }
}

fn step(before: Option<&Version>, after: Option<&Version>) -> String {
    match (before, after) {
        (Some(before), Some(after)) if after > before => {
            format!("The new file is a newer build of the same library ({before} → {after})")
        }
        (Some(before), Some(after)) if after < before => {
            format!("The new file is an older build of the same library ({before} → {after})")
        }
        (Some(before), Some(_)) => {
            format!("Both files say they are version {before}, but their content differs")
        }
        _ => "The new file is another build of the same library, and no version says which is \
              newer"
            .to_owned(),
    }
}
