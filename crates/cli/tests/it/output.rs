//! Output is laid out for the terminal that it is printed on, and is plain if it goes elsewhere.

use std::collections::BTreeSet;

use crate::common::{Bench, documents, started};
use unicode_width::UnicodeWidthStr;

/// The demo world with a rack, one fitted game and a history.
fn used_world() -> Bench {
    let bench = Bench::world();
    bench.ok(&["survey", "games"]);
    let zips =
        ["sharpwater-2026.3.0", "sharpwater-2026.3.0-x86", "undertow-2.3.0", "brine-2.8.1-win64"];
    for zip in zips {
        bench.ok(&["rack", "add", &format!("downloads/{zip}.zip")]);
    }
    bench.ok(&["fit", "tin-lighthouse", "sharpwater"]);
    bench.ok(&["rollback", "tin-lighthouse"]);
    bench.ok(&["fit", "saltglass-drift", "undertow"]);
    bench.ok(&["family", "learn", "games/Saltglass Drift/bin/winmm.dll", "--group", "loaders"]);
    bench.ok(&["feed", "key", "new", "friend.key", "--no-passphrase"]);
    let make = ["feed", "make", "feed", "--from", "shared", "--sign-with", "friend.key"];
    bench.ok(&[&make[..], &["--home", "friend", "--title", "Quayside"]].concat());
    bench.ok(&["feed", "add", "feed", "--key", "friend.key.pub"]);
    bench
}

fn printed(bench: &Bench, words: &[&str], variables: &[(&str, &str)]) -> String {
    let mut program = bench.program(words);
    program.envs(variables.iter().copied());
    String::from_utf8(started(|| program.output()).stdout).unwrap()
}

#[test]
fn no_line_is_wider_than_the_terminal() {
    let bench = used_world();
    let denoiser = "games/Tin Lighthouse/Lantern/Game/Binaries/x64/hushgrain.dll";
    let release = "releases/moss-meridian-22.4.7";
    let commands: [&[&str]; 43] = [
        &["survey", "games"],
        &["survey", "games", "--all"],
        &["game", "show", "tin-lighthouse"],
        &["family", "list"],
        &["family", "show", "loaders"],
        &["rack", "list"],
        &["rack", "show", "undertow"],
        &["rack", "notes", "undertow"],
        &["fit", "tin-lighthouse", "sharpwater", "--dry-run"],
        &["fit", "tin-lighthouse", "sharpwater@2026.3.0+x86"],
        &["fit", "kite-harbour", "sharpwater@2026.3.0"],
        &["rollback", "saltglass-drift", "--dry-run"],
        &["history"],
        &["history", "tin-lighthouse"],
        &["history", "show", "1"],
        &["check", "saltglass-drift"],
        &["check", "tin-lighthouse", "sharpwater"],
        &["check", "kite-harbour", "undertow"],
        &["check", "--all"],
        &["check", "kite-harbour", "--entries"],
        &["check", "kite-harbour", "--loads"],
        &["check", "kite-harbour", "--loads", "brine.dll"],
        &["explain"],
        &["explain", "entry-not-loaded"],
        &["drift"],
        &["start", "moss-meridian", "--dry-run"],
        &["prove", "saltglass-drift"],
        &["prove", "moss-meridian", "-v"],
        &["survey", "games", "-v"],
        &["fit", "--all", "sharpwater", "--dry-run"],
        &["park", "saltglass-drift", "undertow", "--dry-run"],
        &["inspect", denoiser],
        &["compare", denoiser, "games/Kite Harbour/System/brine.dll"],
        &["wind", "moss-meridian", "--from", release, "--dry-run"],
        &["wind", "moss-meridian", "--from", "releases", "--dry-run"],
        &["hold", "moss-meridian", "--file", "downloads/brine-2.8.1-win64.zip", "--dry-run"],
        &["history", "--size"],
        &["feed", "list"],
        &["feed", "list", "brine", "-v"],
        &["feed", "refresh"],
        &["feed", "check", "feed"],
        &["rack", "get", "--for", "kite-harbour", "--dry-run"],
        &["rack", "notes", "brine@2.9.2"],
    ];
    // Lines are laid out alike everywhere; Wine starts a program slowly.
    let widths: &[usize] = if cfg!(windows) { &[80] } else { &[80, 100, 140] };
    for words in commands {
        for &width in widths {
            let text = printed(&bench, words, &[("COLUMNS", &width.to_string())]);
            assert!(!text.is_empty(), "{words:?}");
            for line in text.lines() {
                // A folder of the system's own may be longer than any terminal is wide.
                let given = line.contains("folder  ") || line.contains("described in");
                assert!(given || line.width() <= width, "{words:?} at {width}: {line}");
            }
        }
    }
}

#[test]
fn columns_stand_under_their_headings() {
    let bench = used_world();
    let text = printed(&bench, &["rack", "list"], &[("COLUMNS", "140")]);
    let mut lines = text.lines();
    let heading = lines.next().unwrap();
    for column in ["VARIANTS", "ROLE", "ADDED", "FROM"] {
        let at = heading.find(column).unwrap();
        for line in text.lines().skip(1).take_while(|line| line.starts_with("  ")) {
            let before = line.chars().nth(at - 1).unwrap();
            let first = line.chars().nth(at).unwrap();
            assert!(before == ' ' && first != ' ', "{column} in {line}");
        }
    }
}

#[test]
fn colour_is_for_terminals_and_for_those_who_ask() {
    let bench = used_world();
    let coloured = |words: &[&str], variables: &[(&str, &str)]| {
        printed(&bench, words, variables).contains('\u{1b}')
    };
    assert!(!coloured(&["survey", "games"], &[]), "a pipe is no terminal");
    assert!(coloured(&["survey", "games", "--color", "always"], &[]));
    assert!(!coloured(&["survey", "games", "--color", "never"], &[]));
    assert!(!coloured(&["survey", "games"], &[("NO_COLOR", "1")]));
}

#[test]
fn quiet_leaves_the_result_and_drops_the_hints() {
    let bench = used_world();
    let loud = printed(&bench, &["survey", "games"], &[]);
    let quiet = printed(&bench, &["survey", "games", "-q"], &[]);
    assert!(loud.contains("Next: ") && !quiet.contains("Next: "));
    assert!(quiet.contains("4 games, 12 components"));
}

/// Commands about feeds in that world.
const FEED_COMMANDS: [&[&str]; 12] = [
    &["feed", "list"],
    &["feed", "list", "brine"],
    &["feed", "key", "new", "other.key", "--no-passphrase"],
    &["feed", "make", "other", "--from", "rack", "--sign-with", "other.key"],
    &["feed", "check", "other"],
    &["feed", "add", "other", "--key", "other.key.pub", "--name", "other"],
    &["feed", "refresh"],
    &["rack", "get", "--for", "kite-harbour", "--dry-run"],
    &["rack", "get", "brine@2.9.2"],
    &["rack", "get", "nothing"],
    &["fit", "tin-lighthouse", "hushgrain", "--get", "--dry-run"],
    &["feed", "forget", "other"],
];

#[test]
fn every_command_gives_programs_one_document_as_its_schema_says() {
    let bench = used_world();
    let dll = "games/Tin Lighthouse/Lantern/Game/Binaries/x64/sharpwater.dll";
    let copy = "games/Tin Lighthouse/Lantern/Game/Binaries/x64/hushgrain.dll";
    std::fs::copy(bench.file(copy), bench.file(&format!("{copy}.bak"))).unwrap();
    let release = "releases/moss-meridian-22.4.7";
    let commands: [&[&str]; 74] = [
        &["survey", "games"],
        &["survey"],
        &["inspect", dll, copy],
        &["inspect", "downloads/brine-2.8.1-win64.zip"],
        &["compare", dll, copy],
        &["root", "add", "games"],
        &["root", "list"],
        &["game", "list"],
        &["game", "show", "kite-harbour"],
        &["family", "list"],
        &["family", "show", "loaders"],
        &["rack", "add", "downloads/hushgrain-1.2.2.zip"],
        &["rack", "add", "downloads/nothing.zip"],
        &["rack", "list"],
        &["rack", "show", "undertow"],
        &["rack", "notes", "undertow"],
        &["rack", "verify"],
        &["check", "kite-harbour"],
        &["check", "kite-harbour", "undertow"],
        &["check", "kite-harbour", "--entries"],
        &["check", "kite-harbour", "--loads"],
        &["check", "kite-harbour", "--loads", "brine.dll"],
        &["check", "--all"],
        &["explain"],
        &["explain", "no-space"],
        &["explain", "nothing"],
        &["fit", "kite-harbour", "brine", "--dry-run"],
        &["fit", "kite-harbour", "brine"],
        &["fit", "tin-lighthouse", "sharpwater@2026.3.0+x86"],
        &["fit", "--all", "sharpwater", "--dry-run"],
        &["fit", "--all", "sharpwater"],
        &["fit", "--all", "nothing"],
        &["tune", "saltglass-drift"],
        &["tune", "saltglass-drift", "compat"],
        &["tune", "saltglass-drift", "tidemark", "opacity=50", "--dry-run"],
        &["tune", "saltglass-drift", "tidemark", "opacity=50"],
        &["tune", "saltglass-drift", "tidemark", "opacity=500"],
        &["tune", "saltglass-drift", "tidemark", "--save-preset", "mine"],
        &["tune", "--all", "tidemark", "--preset", "racing"],
        &["game", "set", "kite-harbour", "--env", "KITE=1"],
        &["start", "kite-harbour", "--dry-run", "--program", env!("CARGO_BIN_EXE_spanner")],
        &["start", "kite-harbour", "--program", "nothing.exe"],
        &["prove", "kite-harbour"],
        &["prove", "saltglass-drift", "--all"],
        &["prove", "kite-harbour", "nothing"],
        &["shortcut", "kite-harbour", "--to", "downloads", "--through", "spanner"],
        &["family", "learn", dll, "--log", "downloads/nothing.log"],
        &["drift"],
        &["wind", "moss-meridian", "--from", release, "--dry-run"],
        &["wind", "moss-meridian", "--from", "releases"],
        &["wind", "moss-meridian", "--from", release, "--aside", "uninstall.exe"],
        &["hold", "moss-meridian", "--file", "downloads/brine-2.8.1-win64.zip"],
        &["hold", "moss-meridian", "--lift"],
        &["refit"],
        &["refit", "tin-lighthouse"],
        &["park", "kite-harbour", "brine"],
        &["unpark", "kite-harbour", "brine"],
        &["undo", "--dry-run"],
        &["undo"],
        &["adopt", "tin-lighthouse"],
        &["rollback", "kite-harbour"],
        &["rollback", "kite-harbour"],
        &["history"],
        &["history", "show", "1"],
        &["history", "--size"],
        &["pin", "kite-harbour", "brine", "--why", "it works"],
        &["unpin", "kite-harbour", "brine"],
        &["rack", "drop", "hushgrain"],
        &["doctor"],
        &["doctor", "--reclaim"],
        &["root", "forget", "games"],
        &["game", "set", "kite-harbour", "--title", "Kite"],
        &["game", "forget", "kite-harbour"],
        &["undo", "--sideways"],
    ];

    let mut met = BTreeSet::new();
    for command in FEED_COMMANDS.iter().chain(&commands) {
        let words = [&["--json"], *command].concat();
        let text = printed(&bench, &words, &[]);
        let document: serde_json::Value = serde_json::from_str(&text)
            .unwrap_or_else(|error| panic!("{command:?}: {error}: {text}"));
        met.extend(documents::schemas_met(command, &document));
    }

    // A change that waits takes a disturbance to make: `wait.rs` has one.
    met.insert("doctor-settle".to_owned());
    assert_eq!(met, documents::names());
}

#[test]
fn the_schemas_in_the_docs_are_those_of_the_program() {
    let bench = Bench::empty();
    bench.ok(&["schema", "schemas"]);
    let made = bench.picture("schemas");
    assert_eq!(made.len(), documents::names().len() + 1, "and that of catalogs");
    for (name, text) in made {
        let kept = std::fs::read(documents::folder().join(&name)).unwrap();
        let kept = String::from_utf8(kept).unwrap().replace("\r\n", "\n");
        let made = String::from_utf8(text).unwrap();
        assert_eq!(made, kept, "{name}: renew it with `spanner schema docs/schema`");
    }
}

#[test]
fn a_reader_that_goes_away_is_no_failure() {
    use std::process::Stdio;
    let bench = Bench::world();
    for words in [&["survey", "games"][..], &["survey", "games", "--json"], &["explain"]] {
        let mut program = bench.program(words);
        program.stdout(Stdio::piped()).stderr(Stdio::piped());
        let mut child = started(|| program.spawn());
        drop(child.stdout.take());
        let ended = child.wait_with_output().unwrap();
        assert_eq!(String::from_utf8_lossy(&ended.stderr), "", "{words:?}");
        assert_eq!(ended.status.code(), Some(0), "{words:?}");
    }
}
