//! How the house is built: which crate may use which, and that no file of a crate is above one that it
//! uses. The `use` lines and paths of the sources say so.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

/// The sources of a crate: each file by the path of its module, as in `plan::fit`; the root is empty.
struct Sources {
    files: BTreeMap<String, String>,
}

fn crates() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().to_owned()
}

/// Every source file below a folder.
fn sources_below(root: &Path) -> Vec<PathBuf> {
    let mut files = Vec::new();
    let mut folders = vec![root.to_owned()];
    while let Some(folder) = folders.pop() {
        let paths = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
        for path in paths {
            if path.is_dir() {
                folders.push(path);
            } else if path.extension().is_some_and(|end| end == "rs") {
                files.push(path);
            }
        }
    }
    files
}

impl Sources {
    fn read(name: &str) -> Self {
        let root = crates().join(name).join("src");
        let mut files = BTreeMap::new();
        for path in sources_below(&root) {
            let relative = path.strip_prefix(&root).unwrap().with_extension("");
            let parts = relative.iter().map(|part| part.to_str().unwrap());
            let module: Vec<&str> =
                parts.filter(|part| !["lib", "main", "mod"].contains(part)).collect();
            files.insert(module.join("::"), code(&fs::read_to_string(path).unwrap()));
        }
        assert!(files.len() > 5, "{name} has no sources");
        Self { files }
    }

    /// The file that defines the item of a path, seen from a module: through modules and re-exports.
    fn definer(&self, from: &str, path: &[&str]) -> Option<String> {
        let mut module: Vec<String> = from.split("::").map(str::to_owned).collect();
        module.retain(|part| !part.is_empty());
        let mut path = path.to_vec();
        while let Some(first) = path.first() {
            match *first {
                "crate" => module.clear(),
                "super" => drop(module.pop()),
                "self" => {}
                _ => break,
            }
            path.remove(0);
        }
        for (at, part) in path.iter().enumerate() {
            let mut inner = module.clone();
            inner.push((*part).to_owned());
            if self.files.contains_key(&inner.join("::")) {
                module = inner;
                continue;
            }
            let here = module.join("::");
            let reexported = imports(self.files.get(&here)?, true);
            let found = reexported.iter().find(|path| path.last().is_some_and(|name| name == part));
            return match found {
                // Another crate's is of no concern here.
                Some(found) if !self.is_own(&here, found) => None,
                Some(found) => {
                    let mut found: Vec<&str> = found.iter().map(String::as_str).collect();
                    found.extend(&path[at + 1..]);
                    self.definer(&here, &found)
                }
                None => Some(here),
            };
        }
        Some(module.join("::"))
    }

    /// Whether a path that a file names leads into this crate.
    fn is_own(&self, from: &str, path: &[String]) -> bool {
        let inner = if from.is_empty() { path[0].clone() } else { format!("{from}::{}", path[0]) };
        ["crate", "super", "self"].contains(&path[0].as_str()) || self.files.contains_key(&inner)
    }

    /// The files that each file uses.
    fn arrows(&self) -> BTreeMap<&str, BTreeSet<String>> {
        let of_file = |(from, text): (&'_ String, &'_ String)| {
            let mut paths = imports(text, false);
            paths.extend(inline_paths(text));
            // Re-exported items may be used here, too.
            let is_used = |path: &&Vec<String>| {
                path.last().is_some_and(|name| words(text).any(|word| word == name))
            };
            paths.extend(imports(text, true).iter().filter(is_used).cloned());
            let paths = paths.iter().filter(|path| self.is_own(from, path));
            let used = paths.filter_map(|path| {
                let path: Vec<&str> = path.iter().map(String::as_str).collect();
                self.definer(from, &path).filter(|definer| definer != from)
            });
            used.collect::<BTreeSet<String>>()
        };
        self.files.iter().map(|(from, text)| (from.as_str(), of_file((from, text)))).collect()
    }
}

/// The text without comments, strings and tests beside the code.
fn code(text: &str) -> String {
    let text = text.split("#[cfg(test)]").next().unwrap();
    let lines = text.lines().map(|line| line.split("//").next().unwrap_or(""));
    let mut out = String::new();
    let mut quoted = false;
    for c in lines.collect::<Vec<_>>().join("\n").replace("\\\"", "").replace("'\"'", "").chars() {
        quoted ^= c == '"';
        if !quoted {
            out.push(c);
        }
    }
    out
}

/// The paths of the `use` lines that hand names on, or of those that do not.
fn imports(text: &str, handed_on: bool) -> Vec<Vec<String>> {
    let mut paths = Vec::new();
    for statement in text.split(';') {
        let Some(at) = statement.rfind("use ").filter(|at| {
            let before = statement[..*at].trim_end_matches(' ');
            before.is_empty() || before.ends_with(['\n', '{', ')']) || before.ends_with("pub")
        }) else {
            continue;
        };
        let line = statement[..at].rsplit('\n').next().unwrap();
        if line.contains("pub") == handed_on {
            expand(&statement[at + 4..], &[], &mut paths);
        }
    }
    paths
}

/// `a::{b, c::d}` as the paths `a::b` and `a::c::d`.
fn expand(tree: &str, before: &[String], paths: &mut Vec<Vec<String>>) {
    let tree = tree.trim();
    let Some((head, group)) = tree.split_once('{') else {
        let mut path = before.to_vec();
        let name = tree.split(" as ").next().unwrap();
        let parts = name.split("::").map(|part| part.trim().to_owned());
        path.extend(parts.filter(|part| !part.is_empty() && part != "*"));
        if !path.is_empty() {
            paths.push(path);
        }
        return;
    };
    let mut head: Vec<String> = head.split("::").map(|part| part.trim().to_owned()).collect();
    head.retain(|part| !part.is_empty());
    let before: Vec<String> = before.iter().cloned().chain(head).collect();
    let group = group.rsplit_once('}').map_or(group, |(group, _)| group);
    let (mut depth, mut start) = (0, 0);
    for (at, c) in group.char_indices().chain([(group.len(), ',')]) {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            ',' if depth == 0 => {
                expand(&group[start..at], &before, paths);
                start = at + 1;
            }
            _ => {}
        }
    }
}

/// The statements that are neither imports nor modules.
fn statements(text: &str) -> impl Iterator<Item = &str> {
    const OTHERS: [&str; 6] =
        ["use ", "pub use ", "pub(crate) use ", "pub(super) use ", "mod ", "pub mod "];
    let is_other =
        |statement: &&str| OTHERS.iter().any(|start| statement.trim_start().starts_with(start));
    text.split(';').filter(move |statement| !is_other(statement))
}

/// The words of the code outside of its imports.
fn words(text: &str) -> impl Iterator<Item = &str> {
    statements(text)
        .flat_map(|statement| statement.split(|c: char| !c.is_alphanumeric() && c != '_'))
}

/// Paths in the code itself, as in `crate::path::fold(name)` or `merge::check(...)`.
fn inline_paths(text: &str) -> Vec<Vec<String>> {
    let is_part = |c: char| c.is_alphanumeric() || c == '_' || c == ':';
    let words = statements(text).flat_map(|statement| statement.split(|c: char| !is_part(c)));
    let words = words.filter(|word| word.contains("::"));
    let path = |word: &str| word.split("::").map(str::to_owned).collect::<Vec<String>>();
    words.map(path).filter(|path| path.iter().all(|part| !part.is_empty())).collect()
}

/// A file that can be reached from itself, with the way.
fn circle(arrows: &BTreeMap<&str, BTreeSet<String>>) -> Option<Vec<String>> {
    fn walk(
        file: &str,
        arrows: &BTreeMap<&str, BTreeSet<String>>,
        done: &mut BTreeSet<String>,
        way: &mut Vec<String>,
    ) -> bool {
        if let Some(at) = way.iter().position(|other| other == file) {
            way.drain(..at);
            return true;
        }
        if !done.insert(file.to_owned()) {
            return false;
        }
        way.push(file.to_owned());
        let found = arrows
            .get(file)
            .is_some_and(|used| used.iter().any(|other| walk(other, arrows, done, way)));
        if !found {
            way.pop();
        }
        found
    }
    let mut done = BTreeSet::new();
    arrows.keys().find_map(|file| {
        let mut way = Vec::new();
        walk(file, arrows, &mut done, &mut way).then_some(way)
    })
}

#[test]
fn no_file_can_be_reached_from_itself() {
    for name in ["image", "settings", "change", "core", "cli"] {
        let sources = Sources::read(name);
        let arrows = sources.arrows();
        let all: usize = arrows.values().map(BTreeSet::len).sum();
        assert!(all > sources.files.len(), "{name}: only {all} arrows were read");
        assert_eq!(circle(&arrows), None, "{name}: files use one another in a circle");
    }
}

#[test]
fn a_circle_of_files_would_be_found() {
    let file = |text: &str| code(text);
    let files = BTreeMap::from([
        (String::new(), file("mod a;\nmod b;\npub use a::One;\n")),
        ("a".to_owned(), file("use crate::b::{Two, Three};\npub struct One;\n")),
        ("b".to_owned(), file("pub struct Two;\nfn f() { crate::One }\n")),
    ]);
    let sources = Sources { files };
    assert_eq!(circle(&sources.arrows()), Some(vec!["a".to_owned(), "b".to_owned()]));
}

#[test]
fn crates_use_only_those_below_them() {
    let used = |name: &str| {
        let text = fs::read_to_string(crates().join(name).join("Cargo.toml")).unwrap();
        let dependencies = text.split("[dependencies]").nth(1).unwrap();
        let dependencies = dependencies.split("\n[").next().unwrap();
        let ours = dependencies.lines().filter_map(|line| line.strip_prefix("upright-spanner-"));
        ours.map(|line| line.split(['.', ' ']).next().unwrap().to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(used("image"), Vec::<String>::new());
    assert_eq!(used("settings"), Vec::<String>::new());
    assert_eq!(used("change"), ["settings"]);
    assert_eq!(used("core"), ["change", "image", "settings"]);
    assert_eq!(used("cli"), ["core", "sample"]);
}

/// The stages of the core: each uses only those before it in this list, and itself.
const ROOMS: [&str; 33] = [
    "size",
    "remedy",
    "path",
    "guard",
    "finding",
    "error",
    "content",
    "change",
    "settings",
    "history",
    "ledger",
    "catalog",
    "launcher",
    "game",
    "proven",
    "rack",
    "fetch",
    "feed",
    "survey",
    "wind",
    "window",
    "load",
    "situation",
    "tune",
    "start",
    "shortcut",
    "check",
    "prove",
    "plan",
    "state",
    "inspect",
    "compare",
    "workshop",
];

#[test]
fn every_stage_uses_only_those_before_it() {
    let sources = Sources::read("core");
    let floor = |file: &str| {
        let room = file.split("::").next().unwrap();
        let at = ROOMS.iter().position(|known| *known == room);
        at.unwrap_or_else(|| panic!("say in ROOMS where {room} stands"))
    };
    for (file, used) in sources.arrows().into_iter().filter(|(file, _)| !file.is_empty()) {
        for other in used {
            assert!(!other.is_empty(), "{file} uses what the root hands on");
            assert!(floor(&other) <= floor(file), "{file} uses {other}, which stands above it");
        }
    }
}

/// Only the command line has words of the command line.
#[test]
fn the_core_names_no_command_and_no_option() {
    for path in sources_below(&crates().join("core/src")) {
        let text = fs::read_to_string(&path).unwrap();
        for line in text.lines().filter(|line| !line.trim_start().starts_with("//")) {
            let names = line.contains("spanner ") && !line.contains("spanner build 1")
                || line.contains("\"--")
                || line.contains(" --");
            assert!(!names, "{}: {line}", path.display());
        }
    }
}
