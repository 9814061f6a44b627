//! Any text as a catalog file, as a layout, as a launcher's description and record, as a change log, as a registry, as a version, as a pattern; and catalogs and
//! layouts with every field that there is.
#![no_main]

use std::path::Path;

use libfuzzer_sys::arbitrary::{self, Arbitrary};
use libfuzzer_sys::fuzz_target;
use upright_spanner_core::catalog::{Pattern, parse};
use upright_spanner_core::game::Environment;
use upright_spanner_core::image::Machine;
use upright_spanner_core::launcher;
use upright_spanner_core::rack::{LayoutFile, since, stated_support};
use upright_spanner_core::version::Version;

/// A launcher whose records hold whatever there is.
const LAUNCHER: &str = r#"schema = 1
[[launcher]]
name = "any"
records = ["{library}/*"]
patterns = ["(?<title>[^=]+)=(?<folder>.*)", "(?<id>\\S+) (?<build>\\S+) (?<next>\\S*)"]
start = "any://{id}/{build}"
"#;

/// The recipe of a text.
#[derive(Debug, Arbitrary)]
enum Recipe<'a> {
    Text(&'a str),
    Catalog(Vec<Vec<(Field, Value<'a>)>>),
    Layout { family: &'a str, files: Vec<(&'a str, &'a str, &'a str, Policy)> },
}

#[derive(Debug, Arbitrary)]
enum Field {
    Id,
    Role,
    Names,
    Company,
    Supports,
    Requires,
    Editions,
    Generations,
    Log,
    LogVersion,
}

#[derive(Debug, Arbitrary)]
enum Value<'a> {
    Text(&'a str),
    Version(u8, u8, u8),
    Raw(&'a str),
}

#[derive(Debug, Arbitrary)]
enum Policy {
    Replace,
    Keep,
    Merge,
    Leave,
}

fn cook(recipe: Recipe<'_>) -> String {
    match recipe {
        Recipe::Text(text) => text.to_owned(),
        Recipe::Catalog(families) => {
            families.iter().fold("schema = 1\n".to_owned(), |text, family| {
                text + "[[family]]\n" + &family.iter().map(line).collect::<String>()
            })
        }
        Recipe::Layout { family, files } => {
            let head = format!("schema = 2\nfamily = {family:?}\n");
            files.iter().fold(head, |text, (from, bay, to, policy)| {
                let policy = format!("{policy:?}").to_lowercase();
                text + &format!(
                    "[[file]]\nfrom = {from:?}\nbay = {bay:?}\nto = {to:?}\npolicy = {policy:?}\n"
                )
            })
        }
    }
}

fn line((field, value): &(Field, Value<'_>)) -> String {
    let value = match value {
        Value::Text(text) => format!("{text:?}"),
        Value::Version(a, b, c) => format!("\">={a}.{b}.{c}\""),
        Value::Raw(text) => (*text).to_owned(),
    };
    match field {
        Field::Id => format!("id = {value}\n"),
        Field::Role => format!("role = {value}\n"),
        Field::Names => format!("names = [{value}]\n"),
        Field::Company => format!("company = {value}\n"),
        Field::Supports => format!("supports = [{{ builds = {value}, game = {value} }}]\n"),
        Field::Requires => format!("requires = [{{ family = \"a\", versions = {value} }}]\n"),
        Field::Editions => format!("editions = [{{ editions = [{value}] }}]\n"),
        // Lines after a table would belong to it, so a list of logs is written in one line.
        Field::Log => format!("log = [{{ file = {value}, errors = [\"a\"] }}]\n"),
        Field::LogVersion => format!("log = [{{ file = \"a.log\", version = {value} }}]\n"),
        Field::Generations => format!("generations = [{{ versions = {value}, label = \"a\" }}]\n"),
    }
}

fuzz_target!(|recipe: Recipe<'_>| {
    let text = &*cook(recipe);
    match parse(Path::new("catalog.toml"), text) {
        Ok(families) => {
            assert!(families.iter().all(|family| !family.criteria.is_empty()));
            for log in families.iter().flat_map(|family| &family.logs) {
                let patterns = log.patterns();
                let _ = patterns.version.map(|pattern| pattern.is_match(text));
                assert!(log.name_in("game [1]").is_ok());
            }
        }
        Err(error) => assert!(error.line >= 1 && error.line <= text.matches('\n').count() + 1),
    }
    if let Ok(layout) = LayoutFile::parse(Path::new("layout.toml"), text) {
        assert_eq!(LayoutFile::parse(Path::new("layout.toml"), &layout.to_text()), Ok(layout));
    }
    if let Ok(version) = text.parse::<Version>() {
        assert_eq!(version.to_string().parse::<Version>(), Ok(version.clone()));
        let said = since(text, &version, &version);
        assert!(said.is_none_or(|said| said.lines().count() <= text.lines().count()));
    }
    if let Some(stated) = stated_support(text) {
        assert!(text.contains(&stated.line));
    }
    match launcher::parse(Path::new("launcher.toml"), text) {
        Ok(launchers) => {
            for launcher in launchers {
                let stated = launcher.read(text);
                assert!(stated.title.is_none_or(|title| !title.contains(char::is_control)));
            }
        }
        Err(error) => assert!(error.line >= 1 && error.line <= text.matches('\n').count() + 1),
    }
    let described = launcher::parse(Path::new("launcher.toml"), LAUNCHER).unwrap();
    let stated = described[0].read(text);
    let start = described[0].start_of(&stated).unwrap_or_default();
    assert!(!start.contains(char::is_whitespace));
    let environment = Environment::of(Path::new("prefix"), "a.exe", text);
    let _ = environment.takes_its_own("winmm.dll", Machine::X86_64);
    if let Ok(pattern) = Pattern::new(text) {
        let _ = pattern.is_match(text);
    }
});
