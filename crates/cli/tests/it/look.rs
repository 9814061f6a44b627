//! `survey` and `inspect` report the present files, in every condition.

use std::fs;

use crate::common::{Bench, errors, output};
use upright_spanner_sample::world::{self, Graphics};
use upright_spanner_sample::{Bits, Pe, VersionInfo};

#[test]
fn survey_finds_each_game_and_the_executable_that_counts() {
    let bench = Bench::world();
    let survey = bench.json(&["survey", "games"]);
    let found: Vec<(&str, &str, &str)> = survey["games"]
        .as_array()
        .unwrap()
        .iter()
        .map(|game| {
            let exe = &game["executable"];
            let text =
                |value: &'_ serde_json::Value| value.as_str().unwrap().to_owned().leak() as &str;
            (text(&game["id"]), text(&exe["path"]), text(&exe["version"]))
        })
        .collect();
    assert_eq!(
        found,
        [
            ("kite-harbour", "System/KiteHarbour.exe", "1.0.9"),
            ("moss-meridian", "MossMeridian.exe", "22.4.7"),
            ("saltglass-drift", "bin/SaltglassDrift.exe", "3.20.1.8841"),
            ("tin-lighthouse", "Lantern/Game/Binaries/x64/TinLighthouse.exe", "1.4.2"),
        ]
    );
}

#[test]
fn survey_finds_the_components_by_evidence() {
    let bench = Bench::world();
    let survey = bench.json(&["survey", "games"]);
    let components = |game: usize| {
        let components = survey["games"][game]["components"].as_array().unwrap();
        let one = |c: &serde_json::Value| {
            let kinds = c["evidence"].as_array().unwrap();
            let kinds: Vec<&str> = kinds.iter().map(|e| e["kind"].as_str().unwrap()).collect();
            format!("{} {} {} {}", c["role"], c["family"], c["version"], kinds.join("+"))
                .replace('"', "")
        };
        components.iter().map(one).collect::<Vec<_>>()
    };
    assert_eq!(components(0), ["runtime brine 2.0.3 outsider+own-version"]);
    assert_eq!(
        components(1),
        [
            "extender lampwright 31.1.0 keyed+outsider+own-version",
            "support meadow-tweaks 0.9.4 outsider+own-version"
        ]
    );
    assert_eq!(
        components(2),
        [
            "loader undertow 2.1.0 stand-in+outsider+own-version",
            "overlay tidemark 1.8.2 catalogued+outsider+own-version"
        ]
    );
    assert_eq!(
        components(3),
        [
            "upscaler sharpwater 2.7.4 outsider+own-version+recurring",
            "upscaler sharpwater 2.7.4 outsider+own-version+recurring",
            "frame-generation evenkeel 1.1.0 outsider+own-version",
            "denoiser hushgrain 1.0.3 outsider+own-version",
            "support lanterncore 5.1.0 own-version",
        ]
    );
}

#[test]
fn survey_tells_the_newest_build_on_the_rack() {
    let bench = Bench::world();
    bench.ok(&[
        "rack",
        "add",
        "downloads/sharpwater-2.9.1.zip",
        "downloads/sharpwater-2026.3.0.zip",
    ]);
    bench.ok(&["rack", "add", "downloads/sharpwater-2026.3.0-x86.zip"]);
    let text = bench.ok(&["survey", "games/Tin Lighthouse"]);
    assert!(text.contains("rack has 2026.3.0"), "{text}");
    assert!(
        text.contains("Next: spanner fit tin-lighthouse sharpwater@2026.3.0 --dry-run"),
        "{text}"
    );
}

#[test]
fn survey_writes_nothing_into_the_games() {
    let bench = Bench::world();
    let before = bench.picture("games");
    bench.ok(&["survey", "games", "--why", "--all"]);
    assert!(bench.picture("games") == before);
}

#[test]
fn one_game_can_be_given_by_its_folder_whatever_its_depth() {
    let bench = Bench::world();
    for path in ["games/Tin Lighthouse", "games/Kite Harbour", "games/Moss & Meridian"] {
        let survey = bench.json(&["survey", path]);
        assert_eq!(survey["games"].as_array().unwrap().len(), 1, "{path}");
        assert_eq!(survey["games"][0]["title"], path.strip_prefix("games/").unwrap());
    }
    let inside = bench.json(&["survey", "games/Tin Lighthouse/Lantern/Plugins"]);
    assert_eq!(inside["games"][0]["id"], "tin-lighthouse", "a folder inside a game is that game");
}

#[test]
fn a_folder_of_libraries_without_any_program_is_listed_whole() {
    let bench = Bench::empty();
    bench.write("libs/one.dll", &Pe::dll(Bits::Bits64, "one.dll").to_bytes());
    bench.write("libs/deep/two.dll", &Pe::dll(Bits::Bits32, "two.dll").to_bytes());
    let text = bench.ok(&["survey", "libs"]);
    assert!(text.contains("no program in this folder"), "{text}");
    assert!(text.contains("1 game, 2 components"), "{text}");
}

#[test]
fn what_cannot_be_read_is_said_and_the_rest_shown() {
    let bench = Bench::world();
    bench.write("games/Kite Harbour/System/cut.dll", b"MZ");
    bench.write("games/Kite Harbour/System/note.dll", b"this was a library once");
    let assert = bench.run(&["survey", "games", "nowhere"]).code(1);
    let text = output(&bench.run(&["survey", "games", "nowhere"]));
    assert!(text.contains("4 games, 10 components"), "{text}");
    let errors = errors(&assert);
    for wanted in ["System/cut.dll: it is cut short", "note.dll: it is not a Windows", "nowhere"] {
        assert!(errors.contains(wanted), "{errors}");
    }
}

#[test]
fn a_renamed_original_is_told_of_with_the_file_that_took_its_place() {
    let bench = Bench::world();
    let folder = bench.file("games/Tin Lighthouse/Lantern/Game/Binaries/x64");
    fs::rename(folder.join("evenkeel.dll"), folder.join("evenkeel.dll.bak")).unwrap();
    let newer = world::graphics(Graphics::FrameGenerator, [1, 4, 0, 0], Bits::Bits64);
    fs::write(folder.join("evenkeel.dll"), newer.to_bytes()).unwrap();
    let text = bench.ok(&["survey", "games/Tin Lighthouse", "--why"]);
    assert!(
        text.contains(
            "hand-backup: evenkeel.dll.bak beside it looks like the original, version 1.1.0"
        ),
        "{text}"
    );
    assert!(text.contains("1 game, 5 components"), "the copy is no component of its own\n{text}");
}

#[test]
fn inspect_shows_the_facts_and_goes_on_past_a_bad_file() {
    let bench = Bench::world();
    bench.write("empty.dll", b"");
    bench.write("notes.txt", b"only text");
    let whole = fs::read(bench.file("games/Kite Harbour/System/brine.dll")).unwrap();
    bench.write("cut.dll", &whole[..whole.len() / 2]);
    let words = [
        "inspect",
        "empty.dll",
        "notes.txt",
        "cut.dll",
        "gone.dll",
        "games/Kite Harbour/System/brine.dll",
    ];
    let assert = bench.run(&words).code(1);
    let text = output(&bench.run(&words));
    for wanted in ["2.0.3.0", "The Brine Project", "64-bit library", "imports from", "(-v)"] {
        assert!(text.contains(wanted), "no {wanted} in\n{text}");
    }
    assert!(!text.contains("CreateWindowExW"), "{text}");
    let all = bench.ok(&["inspect", "-v", "games/Kite Harbour/System/brine.dll"]);
    for wanted in ["CreateWindowExW", "brine_open_pad", "original name"] {
        assert!(all.contains(wanted), "no {wanted} in\n{all}");
    }
    let errors = errors(&assert);
    for wanted in [
        "empty.dll: it is empty",
        "notes.txt: it is not a Windows",
        "cut.dll: it is cut short",
        "gone.dll: it cannot be read",
    ] {
        assert!(errors.contains(wanted), "no {wanted} in\n{errors}");
    }
}

#[test]
fn the_inspect_document_keeps_its_shape() {
    let bench = Bench::empty();
    let pe = Pe::dll(Bits::Bits32, "shape.dll")
        .version(&VersionInfo::new([1, 2, 3, 4]).with("CompanyName", "Corvid Optics"))
        .imports("KERNEL32.dll", &["Sleep", "#9"])
        .export("go", 1);
    bench.write("shape.dll", &pe.to_bytes());
    let document = bench.json(&["inspect", "shape.dll", "none.dll"]);
    assert_eq!(document["schema"], 1);
    let image = &document["images"][0];
    assert_eq!(image["path"], "shape.dll");
    assert_eq!(image["machine"], "x86");
    assert_eq!(image["kind"], "dll");
    assert_eq!(image["file_version"], "1.2.3.4");
    assert_eq!(image["strings"]["CompanyName"], "Corvid Optics");
    assert_eq!(image["imports"][0]["dll"], "KERNEL32.dll");
    assert_eq!(image["imports"][0]["symbols"], serde_json::json!(["Sleep", "#9"]));
    assert_eq!(image["imports"][0]["delayed"], false);
    assert_eq!(image["exports"], serde_json::json!(["go"]));
    assert_eq!(image["sha256"].as_str().unwrap().len(), 64);
    assert_eq!(document["errors"][0]["path"], "none.dll");
    assert_eq!(document["errors"][0]["code"], "unreadable");
}

#[test]
fn text_out_of_a_file_cannot_steer_the_terminal() {
    let bench = Bench::empty();
    let info = VersionInfo::new([1, 0, 0, 0]).with("CompanyName", "\u{1b}[2Jgone\u{9b}1m\u{202e}");
    bench.write(
        "evil.dll",
        &Pe::dll(Bits::Bits64, "\u{1b}]0;title\u{7}.dll").version(&info).to_bytes(),
    );
    let steers =
        |text: &str| text.chars().any(|c| (c.is_control() && c != '\n') || c == '\u{202e}');
    for words in [
        &["inspect", "evil.dll"][..],
        &["inspect", "evil.dll", "--json"],
        &["survey", ".", "--why"],
    ] {
        let text = bench.ok(words);
        assert!(!steers(&text.replace('\r', "")), "{words:?}: {text:?}");
    }
    // A shell puts the names of files there, whoever gave them.
    for words in
        [&["compare", "a", "b", "\u{1b}[2J\u{202e}c"][..], &["inspect", "\u{1b}[2J\u{202e}c"]]
    {
        let text = errors(&bench.run(words));
        assert!(
            text.contains("error: ") && !steers(&text.replace('\r', "")),
            "{words:?}: {text:?}"
        );
    }
}

/// Texts that come from others have a greatest length each; a pipe would make any reader wait.
#[test]
fn texts_without_end_and_pipes_are_refused_by_name() {
    let bench = Bench::world();
    let library = "downloads/brine-2.8.1-win64.zip";
    let game = "games/Tin Lighthouse";
    let long = "# a catalog\n".repeat(300_000);
    bench.write("long.toml", long.as_bytes());
    bench.write("home/catalog/long.toml", long.as_bytes());
    bench.write("roots.pem", &vec![b'-'; 17 << 20]);
    bench.write("layout.toml", &vec![b'#'; 3 << 20]);
    let said = errors(&bench.run(&["family", "list"]).code(1));
    assert!(said.contains("long.toml") && said.contains("longer than 3072 KB"), "{said}");
    fs::remove_file(bench.file("home/catalog/long.toml")).unwrap();
    let said = errors(&bench.run(&["inspect", "--trust", "roots.pem", "old.dll"]).code(4));
    assert!(said.contains("roots.pem: it is longer than 16384 KB"), "{said}");
    let said = errors(&bench.run(&["rack", "add", library, "--layout", "layout.toml"]).code(4));
    assert!(said.contains("layout.toml: it is longer than 2048 KB"), "{said}");
    bench.write("home/settings.toml", &vec![b'#'; 2 << 20]);
    let said = errors(&bench.run(&["rack", "add", library]).code(1));
    assert!(said.contains("settings.toml: it is longer than 1024 KB"), "{said}");
    fs::remove_file(bench.file("home/settings.toml")).unwrap();

    if cfg!(windows) {
        return;
    }
    let made = std::process::Command::new("mkfifo").arg(bench.file("pipe")).status().unwrap();
    assert!(made.success());
    for words in [
        &["inspect", "pipe"][..],
        &["inspect", "--trust", "pipe", "old.dll"],
        &["compare", "pipe", "pipe"],
        &["rack", "add", "pipe"],
        &["rack", "add", library, "--layout", "pipe"],
        &["family", "learn", "pipe"],
        &["fit", game, "pipe"],
    ] {
        let done = crate::common::in_time(bench.program(words), 30).failure();
        assert!(done.get_output().status.code().is_some(), "{words:?} waited");
        assert!(errors(&done).contains("pipe"), "{words:?}: {}", errors(&done));
    }
}
