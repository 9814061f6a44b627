//! Errors have the operation, the reason and the next step, for people and for programs, and the exit code tells how
//! the files were left.

use crate::common::{Bench, errors, flat, output};
use serde_json::Value;
use upright_spanner_sample::Bits;
use upright_spanner_sample::world;

const TIN: &str = "games/Tin Lighthouse";

/// A command that fails: its words, its exit code, the code of the error, the names in the sentence, and the action
/// of the advice.
type Case<'a> = (&'a [&'a str], i32, &'a str, &'a str, &'a str);

const CASES: &[Case<'_>] = &[
    (&["fit", "nowhere", "sharpwater"], 2, "unknown-game", "`nowhere`", "Give the game's folder"),
    (&["check", "nowhere"], 2, "unknown-game", "`nowhere`", "tin-lighthouse"),
    (&["rollback", "nowhere"], 2, "unknown-game", "`nowhere`", "tin-lighthouse"),
    (&["drift", "nowhere"], 2, "unknown-game", "`nowhere`", "tin-lighthouse"),
    (&["refit", "nowhere"], 2, "unknown-game", "`nowhere`", "tin-lighthouse"),
    (&["adopt", "nowhere"], 2, "unknown-game", "`nowhere`", "tin-lighthouse"),
    (&["history", "nowhere"], 2, "unknown-game", "`nowhere`", "tin-lighthouse"),
    (&["game", "show", "nowhere"], 2, "unknown-game", "`nowhere`", "tin-lighthouse"),
    (&["game", "forget", "nowhere"], 2, "unknown-game", "`nowhere`", "tin-lighthouse"),
    (&["fit", "games", "sharpwater"], 2, "several-games", "4 games", "the folder of one of them"),
    (&["fit", "empty", "sharpwater"], 2, "no-game", "empty", "the folder that the game is in"),
    (&["fit", TIN, "nothing"], 2, "unknown-build", "`nothing`", "sharpwater, undertow"),
    (&["fit", TIN, "sharpwater@7"], 2, "unknown-build", "`sharpwater@7`", "sharpwater@2.9.1"),
    (&["rack", "show", "nothing"], 2, "unknown-build", "`nothing`", "sharpwater, undertow"),
    (&["rack", "drop", "nothing"], 2, "unknown-build", "`nothing`", "sharpwater, undertow"),
    (&["fit", TIN, "words.txt"], 4, "not-an-image", "words.txt", "Give a .dll or .exe file"),
    (&["family", "learn", "words.txt"], 4, "not-an-image", "words.txt", "Give a .dll or .exe file"),
    (&["fit", TIN, "sharpwater", "--as", "con.dll"], 2, "setting", "con.dll", "Give another name"),
    (&["wind", TIN, "--from", "nowhere"], 4, "io", "nowhere", "Check the spelling"),
    (
        &["rollback", TIN, "sharpwater"],
        2,
        "unknown-family",
        "sharpwater",
        "nothing to go back from",
    ),
    (&["rollback", TIN, "--to", "9"], 2, "unknown-change", "change 9", "spanner history"),
    (&["rollback", TIN, "--to", "soon"], 2, "setting", "`soon`", "2026-03-09"),
    (&["undo", "7"], 2, "unknown-change", "change 7", "spanner history"),
    (&["history", "show", "7"], 2, "unknown-change", "change 7", "spanner history"),
    (&["doctor", "--settle", "3"], 2, "unknown-change", "change 3", "spanner history"),
    (
        &["park", TIN, "nothing"],
        2,
        "no-such-component",
        "no nothing",
        "hushgrain, lanterncore, sharpwater",
    ),
    (&["pin", TIN, "nothing", "--why", "x"], 2, "no-such-component", "no nothing", "sharpwater"),
    (&["unpin", TIN, "sharpwater"], 2, "setting", "not pinned", "spanner survey"),
    (&["unpark", TIN, "nothing"], 2, "setting", "not parked", "spanner history"),
    (&["explain", "what"], 2, "setting", "`what`", "spanner explain"),
    (&["root", "add", "nowhere"], 4, "io", "nowhere", "Check the spelling"),
    (&["root", "forget", "games"], 2, "unknown-root", "games", "No library roots"),
    (&["game", "set", TIN, "--executable", "no.exe"], 2, "setting", "no.exe", "relative to"),
    (&["game", "set", TIN, "--bay", "Root=games"], 2, "setting", "`Root`", "lower-case letters"),
    (&["game", "set", TIN, "--root", "nowhere"], 4, "io", "nowhere", "Check the spelling"),
    (
        &["compare", "nowhere.dll", "words.txt"],
        4,
        "unreadable",
        "nowhere.dll",
        "Check that the file",
    ),
    (&["inspect", "new.dll", "--trust", "words.txt"], 4, "trust", "words.txt", "Give a PEM file"),
];

fn bench() -> Bench {
    let bench = Bench::world();
    bench.write("words.txt", b"nothing but words");
    std::fs::create_dir(bench.file("empty")).unwrap();
    let library = world::graphics(world::Graphics::Upscaler, [2, 9, 3, 0], Bits::Bits64);
    bench.write("new.dll", &library.to_bytes());
    bench.ok(&["rack", "add", "downloads/sharpwater-2.9.1.zip", "downloads/undertow-2.3.0.zip"]);
    bench.ok(&["survey", "games"]);
    bench
}

#[test]
fn each_error_names_what_and_why_and_what_to_do_and_leaves_everything_as_it_was() {
    let bench = bench();
    let before = bench.picture("games");
    for (words, exit, code, named, advice) in CASES {
        let people = bench.run(words).code(*exit);
        let said = flat(&errors(&people));
        assert!(said.starts_with("error: ") && said.contains(named), "{words:?}: {said}");
        assert!(said.contains(advice), "{words:?}: {said}");
        assert!(!said.contains("os error") || *code == "unreadable", "{words:?}: {said}");
        assert_eq!(
            output(&people),
            "",
            "{words:?}: the result is for who asked, and there is none"
        );

        let programs = bench.run(&[words, &["--json"][..]].concat()).code(*exit);
        let document: Value = serde_json::from_str(&output(&programs)).unwrap();
        let error = &document["error"];
        assert_eq!(
            (&document["schema"], &error["code"]),
            (&1.into(), &(*code).into()),
            "{words:?}"
        );
        assert!(error["message"].as_str().unwrap().contains(named), "{words:?}: {error}");
        assert!(error["advice"].as_str().unwrap().contains(advice), "{words:?}: {error}");
    }
    assert!(bench.picture("games") == before);
    assert!(bench.json(&["history"])["changes"].as_array().unwrap().is_empty());
}

#[test]
fn a_command_line_that_is_not_understood_says_what_is_missing_to_programs_too() {
    let bench = bench();
    for (words, named) in [
        (&["pin", TIN, "sharpwater", "--json"][..], "--why"),
        (&["fit", TIN, "--json"], "were not provided"),
        (&["survey", "--colour", "--json"], "--colour"),
        (&["frobnicate", "--json"], "frobnicate"),
    ] {
        let assert = bench.run(words).code(2);
        let document: Value = serde_json::from_str(&output(&assert)).unwrap();
        assert_eq!(document["error"]["code"], "usage", "{words:?}");
        let message = document["error"]["message"].as_str().unwrap();
        assert!(message.contains(named) && !message.contains("Usage"), "{words:?}: {message}");
        assert!(errors(&assert).contains("Usage: spanner"), "{words:?}");
    }
}

#[test]
fn of_several_packages_those_that_cannot_be_added_are_told_beside_the_others() {
    let bench = bench();
    bench.write("junk.zip", b"no zip at all");
    let words =
        ["rack", "add", "junk.zip", "downloads/hushgrain-1.2.2.zip", "nowhere.zip", "--json"];
    let assert = bench.run(&words).code(1);
    let document: Value = serde_json::from_str(&output(&assert)).unwrap();
    assert_eq!(document["builds"][0]["family"], "hushgrain");
    let failed: Vec<(&str, &str)> = document["errors"]
        .as_array()
        .unwrap()
        .iter()
        .map(|error| (error["path"].as_str().unwrap(), error["code"].as_str().unwrap()))
        .collect();
    assert_eq!(failed, [("junk.zip", "not-an-image"), ("nowhere.zip", "io")], "{document}");
    let said = errors(&assert);
    assert!(said.contains("junk.zip") && said.contains("nowhere.zip"), "{said}");
}

#[test]
fn a_catalog_that_cannot_be_used_is_told_beside_what_can() {
    let bench = bench();
    bench.write(
        "home/catalog/good.toml",
        b"schema = 1\n[[family]]\nid = \"a\"\nnames = [\"a.dll\"]\n",
    );
    bench.write("home/catalog/bad.toml", b"schema = 1\n[[family]]\nid = \"b\"\nname = \"b.dll\"\n");
    for words in [&["family", "list", "--json"][..], &["family", "show", "a", "--json"]] {
        let document: Value = serde_json::from_str(&output(&bench.run(words).code(1))).unwrap();
        assert_eq!(document["families"][0]["id"], "a");
        assert!(document["errors"][0]["path"].as_str().unwrap().ends_with("bad.toml"));
        assert!(document["errors"][0]["message"].as_str().unwrap().contains("name"), "{document}");
    }
}

/// The system's message has neither number nor full stop, and paths have one spelling.
#[test]
fn messages_have_one_spelling_and_no_number_of_the_system() {
    let bench = bench();
    bench.write("file", b"x");
    for (words, code) in [
        (&["inspect", "nothing.dll"][..], 1),
        (&["compare", "nothing.dll", "file"], 4),
        (&["rack", "add", "nothing.zip"], 1),
        (&["rack", "add", "file", "--layout", "nothing.toml"], 4),
        (&["inspect", "file", "--trust", "nothing.pem"], 4),
        (&["survey", "nothing"], 1),
        (&["demo", "file/demo"], 1),
        (&["schema", "file/schema"], 1),
        (&["--home", "file/home", "survey", "games"], 4),
    ] {
        let said = errors(&bench.run(words).code(code));
        assert!(said.starts_with("error: ") && !said.contains("os error"), "{words:?}: {said}");
        assert!(!said.contains("..") && !said.contains(": :"), "{words:?}: {said}");
        assert!(!said.contains('\\'), "paths are spelled with `/`: {words:?}: {said}");
        let document = bench.json(words).to_string();
        assert!(!document.contains("os error"), "{words:?}: {document}");
    }
    let said = errors(&bench.run(&["inspect", "nothing.dll"]));
    assert!(said.contains("nothing.dll: it cannot be read: "), "{said}");
}
