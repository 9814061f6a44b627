//! Documents for programs, held against their JSON Schemas in `docs/schema/`.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::LazyLock;

use jsonschema::Validator;
use serde_json::{Value, json};

/// The folder of the schemas.
pub fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schema")
}

/// A schema a document, by the name of its file.
static SCHEMAS: LazyLock<BTreeMap<String, Validator>> = LazyLock::new(|| {
    let files = fs::read_dir(folder()).unwrap().map(|entry| entry.unwrap().path());
    let files = files.filter(|path| path.is_file());
    let read = |path: PathBuf| {
        let mut schema = serde_json::from_slice(&fs::read(&path).unwrap()).unwrap();
        close(&mut schema, false);
        let name = path.file_stem().unwrap().to_str().unwrap().to_owned();
        (name, jsonschema::validator_for(&schema).unwrap())
    };
    files.map(read).collect()
});

/// Lets a schema take no member that it does not name: programs are promised that members join, but none
/// may join without being described.
fn close(schema: &mut Value, is_part: bool) {
    match schema {
        Value::Object(members) => {
            let has_members = members.contains_key("properties");
            if has_members && !is_part {
                members.insert("unevaluatedProperties".into(), json!(false));
            }
            for (name, inner) in members {
                close(inner, has_members && name == "oneOf");
            }
        }
        Value::Array(items) => items.iter_mut().for_each(|item| close(item, is_part)),
        _ => {}
    }
}

/// The schemas that the document of a command may follow.
fn candidates(words: &[&str]) -> Vec<String> {
    let plain: Vec<&str> =
        words.iter().copied().filter(|word| !word.starts_with("--home")).collect();
    let command = plain[0];
    let second = plain.get(1).copied().unwrap_or_default();
    let names: &[&str] = match command {
        "fit" => &["fit", "alter", "alter-several", "rack-get"],
        "tune" => &["tune", "tune-compat", "alter", "alter-several", "noted"],
        "refit" => &["alter", "alter-several"],
        "undo" => &["alter", "noted"],
        "rollback" | "park" | "unpark" | "shortcut" | "hold" => &["alter"],
        "start" => &["start"],
        "prove" => &["prove"],
        "pin" | "unpin" => &["noted"],
        "game" | "root" | "rack" | "family" | "feed" if second == "forget" || second == "drop" => {
            &["noted"]
        }
        "game" if second == "add" || second == "set" => &["noted"],
        "family" => &["family"],
        "root" => &["root"],
        _ => &[],
    };
    let mut names: Vec<String> = names.iter().copied().map(str::to_owned).collect();
    if names.is_empty() {
        names = SCHEMAS
            .keys()
            .filter(|name| name.split('-').next() == Some(command))
            .cloned()
            .collect();
    }
    names.push("error".to_owned());
    names
}

/// Asserts that the document of a command is as one of its schemas says.
pub fn assert_described(words: &[&str], document: &Value) {
    schemas_met(words, document);
}

/// The schemas that the document of a command follows: one at least.
pub fn schemas_met(words: &[&str], document: &Value) -> Vec<String> {
    let (mut met, mut faults) = (Vec::new(), Vec::new());
    for name in candidates(words) {
        let schema = SCHEMAS.get(&name).unwrap_or_else(|| panic!("there is no schema {name}"));
        let found: Vec<String> =
            schema.iter_errors(document).map(|error| format!("{name}: {error}")).collect();
        if found.is_empty() {
            met.push(name);
        } else {
            faults.extend(found);
        }
    }
    assert!(!met.is_empty(), "{words:?}: {faults:#?}\n{document:#}");
    met
}

/// The names of all schemas.
pub fn names() -> BTreeSet<String> {
    SCHEMAS.keys().cloned().collect()
}
