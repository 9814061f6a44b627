//! Checks tell before anything is copied whether a build will work with an executable.

use std::collections::BTreeSet;

use crate::common::{Bench, errors, flat, output};
use upright_spanner_sample::world;
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive};

const GAME: &str = "games/Pier";

/// A library of Nib, by its file name, version and exports.
fn library(name: &str, version: [u16; 4], exports: &[&str]) -> Pe {
    let info = VersionInfo::new(version)
        .with("CompanyName", "Nib")
        .with("ProductName", "Lens")
        .with("OriginalFilename", name);
    let pe = Pe::dll(Bits::Bits64, name).version(&info);
    exports.iter().zip(1..).fold(pe, |pe, (name, value)| pe.export(name, value))
}

fn executable(version: [u16; 4]) -> Pe {
    // Each version has its own size, since facts are recorded by size and date.
    world::game_exe(Bits::Bits64, "Pier", "Nine Knots", version)
        .padding(usize::from(version[1]) * 10_000)
        .imports("lens.dll", &["lens_open"])
        .imports("winmm.dll", &["timeGetTime"])
}

/// A game with one library, `lens.dll` 2.0, beside its executable 1.5.
fn pier() -> Bench {
    let bench = Bench::empty();
    bench.write(&format!("{GAME}/bin/Pier.exe"), &executable([1, 5, 0, 0]).to_bytes());
    let lens = library("lens.dll", [2, 0, 0, 0], &["lens_open", "lens_tint"]);
    bench.write(&format!("{GAME}/bin/lens.dll"), &lens.to_bytes());
    bench
}

/// The findings of a check as `severity code`, in order of the alphabet.
fn codes(bench: &Bench, words: &[&str]) -> BTreeSet<String> {
    let document = bench.json(words);
    let now = document["games"][0]["families"].as_array();
    let lists = match now {
        Some(families) => families.iter().map(|family| &family["findings"]).collect(),
        None => vec![&document["findings"]],
    };
    let findings = lists.into_iter().flat_map(|list| list.as_array().unwrap());
    let word = |value: &serde_json::Value| value.as_str().unwrap().to_owned();
    findings.map(|f| format!("{} {}", word(&f["severity"]), word(&f["code"]))).collect()
}

fn set(codes: &[&str]) -> BTreeSet<String> {
    codes.iter().map(|code| (*code).to_owned()).collect()
}

#[test]
fn each_build_gets_the_findings_that_it_deserves() {
    const BOTH: [&str; 2] = ["lens_open", "lens_tint"];
    let named = |key: &str, value: &str| {
        let info = VersionInfo::new([2, 1, 0, 0])
            .with("CompanyName", "Nib")
            .with("OriginalFilename", "lens.dll")
            .with(key, value);
        BOTH.iter()
            .fold(Pe::dll(Bits::Bits64, "lens.dll").version(&info), |pe, name| pe.export(name, 1))
    };
    let at = |version| library("lens.dll", version, &BOTH);
    let narrow = Pe::dll(Bits::Bits32, "lens.dll")
        .version(&VersionInfo::new([2, 1, 0, 0]).with("CompanyName", "Nib"));
    let narrow = BOTH.iter().fold(narrow, |pe, name| pe.export(name, 1));
    for (what, build, expected) in [
        ("a plain update", at([2, 1, 0, 0]), &[][..]),
        (
            "an update that adds",
            library("lens.dll", [2, 1, 0, 0], &["lens_open", "lens_tint", "x"]),
            &[],
        ),
        ("another machine", narrow, &["stop machine-mismatch"]),
        (
            "lacks what is imported",
            library("lens.dll", [2, 1, 0, 0], &["lens_tint"]),
            &["stop exports-missing"],
        ),
        (
            "lacks what no one imports",
            library("lens.dll", [2, 1, 0, 0], &["lens_open"]),
            &["note exports-missing"],
        ),
        (
            "needs a stranger",
            at([2, 1, 0, 0]).imports("prism.dll", &["bend"]),
            &["stop needs-runtime"],
        ),
        (
            "needs a stranger later",
            at([2, 1, 0, 0]).delay_imports("prism.dll", &["bend"]),
            &["warn needs-runtime"],
        ),
        (
            "needs what Windows has",
            at([2, 1, 0, 0])
                .imports("kernel32.dll", &["GetTickCount"])
                .imports("api-ms-win-core-file-l1-1-0.dll", &["x"])
                .imports("vcruntime140.dll", &["x"]),
            &[],
        ),
        (
            "needs what no list has of Windows",
            at([2, 1, 0, 0]).imports("kernelbase.dll", &["x"]),
            &["warn functions-unknown"],
        ),
        (
            "debug runtimes",
            at([2, 1, 0, 0]).imports("vcruntime140d.dll", &["x"]),
            &["stop needs-runtime", "warn debug-build"],
        ),
        ("an older one", at([1, 9, 0, 0]), &["warn older-than-shipped"]),
        (
            "the same version otherwise",
            at([2, 0, 0, 0]).text("otherwise"),
            &["note same-version-other-bytes"],
        ),
        ("a leap", at([310, 1, 0, 0]), &["note generation-leap"]),
        ("no leap", at([12, 1, 0, 0]), &[]),
        ("another product", named("ProductName", "Lens Lite"), &["warn identity-differs"]),
        ("a product spelled otherwise", named("ProductName", "LENS"), &[]),
    ] {
        let bench = pier();
        bench.write("new/lens.dll", &build.to_bytes());
        let found = codes(&bench, &["check", GAME, "new/lens.dll"]);
        assert_eq!(found, set(expected), "{what}");
        let stops = expected.iter().any(|code| code.starts_with("stop"));
        let code = if stops { 3 } else { 0 };
        bench.run(&["fit", GAME, "new/lens.dll", "--dry-run"]).code(code);
    }
}

#[test]
fn a_library_is_compared_with_the_program_that_would_load_it() {
    let bench = pier();
    let tool = world::helper_exe(Bits::Bits32, "Pier map editor", "Nine Knots", "Editor.exe");
    bench.write(&format!("{GAME}/tools/Editor.exe"), &tool.to_bytes());
    let narrow = Pe::dll(Bits::Bits32, "prism.dll").export("bend", 1);
    bench.write(&format!("{GAME}/tools/prism.dll"), &narrow.to_bytes());
    bench.write("new/prism.dll", &narrow.clone().padding(50).to_bytes());
    assert_eq!(
        codes(&bench, &["check", GAME, "new/prism.dll"]),
        set(&[]),
        "the editor is 32-bit too"
    );
    let wide = Pe::dll(Bits::Bits64, "prism.dll").export("bend", 1);
    bench.write("new/prism.dll", &wide.to_bytes());
    let found = output(&bench.run(&["check", GAME, "new/prism.dll"]).code(1));
    assert!(found.contains("64-bit, but Editor.exe beside it is 32-bit"), "{found}");
    bench.write(&format!("{GAME}/tools/prism.dll"), &wide.to_bytes());
    let now = codes(&bench, &["check", GAME]);
    assert!(!now.contains("stop machine-mismatch"), "not a component: {now:?}");
}

#[test]
fn a_loader_is_told_the_names_that_this_game_loads() {
    let bench = pier();
    let core = Pe::dll(Bits::Bits64, "core.dll")
        .export("x", 1)
        .imports("version.dll", &["GetFileVersionInfoA", "VerQueryValueA"])
        .imports("ws2_32.dll", &["send"]);
    bench.write(&format!("{GAME}/bin/core.dll"), &core.to_bytes());
    let exe = executable([1, 5, 0, 0])
        .imports("core.dll", &["x"])
        .delay_imports("dbghelp.dll", &["MiniDumpWriteDump"]);
    bench.write(&format!("{GAME}/bin/Pier.exe"), &exe.to_bytes());
    let theirs = library("dxgi.dll", [1, 0, 0, 0], &["CreateDXGIFactory1"]);
    bench.write(&format!("{GAME}/bin/dxgi.dll"), &theirs.to_bytes());
    let entries = bench.json(&["check", GAME, "--entries"]);
    let names: Vec<String> = entries["entries"]
        .as_array()
        .unwrap()
        .iter()
        .map(|e| format!("{} {} {}", e["name"], e["functions"], e["taken_by"]).replace('"', ""))
        .collect();
    assert_eq!(
        names,
        [
            "d3d11.dll 1 null",
            "winmm.dll 1 null",
            "dbghelp.dll 1 null",
            "version.dll 2 null",
            "dxgi.dll 1 lens"
        ],
        "free before taken, the executable's own before others', at the start before at the first call"
    );
    assert!(bench.ok(&["check", GAME, "--entries"]).contains("taken by lens"));

    let info = VersionInfo::new([1, 0, 0, 0])
        .with("CompanyName", "Glim")
        .with("FileDescription", "Glim plugin loader");
    let loader = Pe::dll(Bits::Bits64, "glim.dll").version(&info);
    for (name, exports, expected) in [
        ("winmm.dll", &["timeGetTime"][..], &[][..]),
        ("winmm.dll", &["other"], &["stop entry-incomplete"]),
        ("dinput8.dll", &[], &["stop entry-not-loaded"]),
        ("glim.dll", &[], &["stop entry-not-loaded"]),
        ("kernel32.dll", &[], &["stop entry-not-loaded"]),
        ("version.dll", &["GetFileVersionInfoA", "VerQueryValueA"], &[]),
        ("dxgi.dll", &["CreateDXGIFactory1"], &["stop entry-taken"]),
    ] {
        let build = exports.iter().fold(loader.clone(), |pe, name| pe.export(name, 1));
        bench.write("new/glim.dll", &build.to_bytes());
        let found = codes(&bench, &["check", GAME, "new/glim.dll", "--as", name]);
        assert_eq!(found, set(expected), "{name} {exports:?}");
    }
}

#[test]
fn signers_are_compared_and_broken_signatures_stop() {
    let bench = Bench::empty();
    let signed = include_bytes!("../../../image/tests/data/p256-sha256.dll");
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 0, 0, 0]);
    bench.write(&format!("{GAME}/Pier.exe"), &exe.to_bytes());
    bench.write(&format!("{GAME}/lens.dll"), signed);
    let plain = Pe::dll(Bits::Bits64, "lens.dll").export("lens", 1);
    bench.write("new/lens.dll", &plain.to_bytes());
    let found = codes(&bench, &["check", GAME, "new/lens.dll"]);
    assert!(found.contains("warn unsigned-now"), "{found:?}");
    let mut altered = signed.to_vec();
    altered[0x90] ^= 1;
    bench.write("new/lens.dll", &altered);
    let found = codes(&bench, &["check", GAME, "new/lens.dll"]);
    assert!(found.contains("stop signature-broken"), "{found:?}");
}

/// Puts the sentences of a page into one line.
#[test]
fn the_remedy_names_the_build_that_does_go_with_the_executable() {
    let bench = pier();
    let at = |version: [u16; 4], supports: &str| {
        let build = library("lens.dll", version, &["lens_open", "lens_tint"]);
        bench.write("new/lens.dll", &build.to_bytes());
        bench.ok(&["rack", "add", "new/lens.dll", "--supports", supports]);
    };
    at([2, 3, 0, 0], "1.6 - 1.8");
    at([2, 2, 0, 0], "1.5.*");
    at([2, 1, 0, 0], "1.4, 1.5");
    let check = |what: &str| flat(&output(&bench.run(&["check", GAME, what])));
    let said = check("lens@2.3.0");
    assert!(
        said.contains("but Pier.exe is 1.5.0, older than all of these. [exe-unsupported]"),
        "{said}"
    );
    assert!(
        said.contains(
            "Use the older lens@2.2.0, which supports 1.5.0: spanner fit pier lens@2.2.0"
        ),
        "{said}"
    );
    let said = check("lens");
    assert!(said.contains("lens@2.2.0: fine") && said.contains("[version-passed-over]"), "{said}");
    bench.ok(&["fit", GAME, "lens"]);
    assert_eq!(
        bench.json(&["inspect", &format!("{GAME}/bin/lens.dll")])["images"][0]["file_version"],
        "2.2.0.0"
    );

    bench.write(&format!("{GAME}/bin/Pier.exe"), &executable([1, 9, 0, 0]).to_bytes());
    let said = check("lens");
    let wanted = "No build on the rack supports 1.9.0; it is newer than every version they list. Wait for \
                  a new build, go back to an older version of the game, or take the component out for now: \
                  spanner park pier lens";
    assert!(said.contains(wanted), "{said}");
    bench.write(&format!("{GAME}/bin/Pier.exe"), &executable([1, 2, 0, 0]).to_bytes());
    let said = check("lens");
    assert!(said.contains("older than every version they list. Update the game"), "{said}");
    let now = codes(&bench, &["check", GAME]);
    assert_eq!(
        now,
        set(&["stop exe-unsupported"]),
        "what is there is checked by what the rack knows of it"
    );
}

#[test]
fn an_extender_that_states_another_version_of_the_game_is_told() {
    let bench = pier();
    let with = |text: &str| {
        let info = VersionInfo::new([3, 0, 0, 0])
            .with("CompanyName", "Wick")
            .with("FileDescription", text);
        Pe::dll(Bits::Bits64, "wick.dll").version(&info).export("wick", 1).to_bytes()
    };
    bench.write(&format!("{GAME}/bin/Pier.exe"), &executable([7, 9, 60, 0]).to_bytes());
    for (text, expected) in [
        (
            "Wick script extender for Pier 7.9.14",
            &["note first-install", "stop keyed-elsewhere"][..],
        ),
        ("Wick script extender for Pier 7.9.60", &["note first-install"]),
        ("Wick script extender", &["note first-install"]),
        ("Wick denoiser, tested with 7.9.14", &["stop family-absent"]),
    ] {
        bench.write("new/wick.dll", &with(text));
        assert_eq!(codes(&bench, &["check", GAME, "new/wick.dll"]), set(expected), "{text}");
    }
}

/// The catalog of a world in which tints need lenses and prisms clash with some.
const TIES: &str = r#"
schema = 1

[[family]]
id = "lens"
names = ["lens.dll"]
editions = [{ builds = ">=3", editions = ["Harbour"] }]
generations = [{ versions = "<3", label = "the glass generation" }, { versions = ">=3", label = "the liquid generation" }]

[[family]]
id = "tint"
names = ["tint.dll"]
requires = [
    { builds = "1.*", family = "lens", versions = "2.*" },
    { builds = "2.*", family = "lens", versions = ">=3", why = "it asks for lens_bend" },
]

[[family]]
id = "prism"
names = ["prism.dll"]
conflicts = [{ family = "lens", versions = "3.1" }]
"#;

fn tied() -> Bench {
    let bench = pier();
    bench.write("home/catalog/ties.toml", TIES.as_bytes());
    let tint = |version| library("tint.dll", version, &["tint"]).to_bytes();
    bench.write(&format!("{GAME}/bin/tint.dll"), &tint([1, 0, 0, 0]));
    for (name, bytes) in [
        ("lens-3.dll", library("lens.dll", [3, 0, 0, 0], &["lens_open", "lens_tint"]).to_bytes()),
        ("lens-31.dll", library("lens.dll", [3, 1, 0, 0], &["lens_open", "lens_tint"]).to_bytes()),
        ("tint-2.dll", tint([2, 0, 0, 0])),
    ] {
        let file = if name.starts_with("lens") { "lens.dll" } else { "tint.dll" };
        bench.write(&format!("{name}/{file}"), &bytes);
        bench.ok(&["rack", "add", &format!("{name}/{file}")]);
    }
    bench.ok(&["game", "set", GAME, "--edition", "Harbour"]);
    bench
}

#[test]
fn builds_of_several_families_are_chosen_together_where_the_catalog_ties_them() {
    let bench = tied();
    let alone = codes(&bench, &["check", GAME, "lens@3.1"]);
    assert_eq!(alone, set(&["stop requires", "note generation-leap"]));
    let said = flat(&output(&bench.run(&["check", GAME, "lens@3.1"])));
    assert!(said.contains("tint 1.0.0 in Pier needs lens 2.*, which lens@3.1.0 is not."), "{said}");
    assert!(said.contains("from the glass generation to the liquid generation"), "{said}");
    let plan = bench.json(&["fit", GAME, "lens", "--dry-run"]);
    assert_eq!(plan["summary"], "fit lens@3.1.0 with tint@2.0.0", "{plan}");

    // A prism conflicts with the newest lens: an older one is chosen, and the output has the reason.
    let prism = library("prism.dll", [1, 0, 0, 0], &["bend"]).to_bytes();
    bench.write(&format!("{GAME}/bin/prism.dll"), &prism);
    let plan = bench.json(&["fit", GAME, "lens", "--dry-run"]);
    assert_eq!(plan["summary"], "fit lens@3.0.0 with tint@2.0.0", "{plan}");
    let said = flat(&output(&bench.run(&["check", GAME, "lens"])));
    assert!(
        said.contains(
            "A newer build was passed over: lens@3.1.0 does not work together with prism 1.0.0"
        ),
        "{said}"
    );

    // Without the newer tint there is no solution, and the output explains that in the catalog's terms.
    bench.ok(&["rack", "drop", "tint"]);
    let said = flat(&output(&bench.run(&["fit", GAME, "lens"]).code(3)));
    assert!(
        said.contains("tint 1.0.0 needs lens 2.*") && said.contains("[ties-unsolvable]"),
        "{said}"
    );
}

#[test]
fn a_required_family_that_the_game_lacks_is_said() {
    let bench = tied();
    std::fs::remove_file(bench.file(&format!("{GAME}/bin/lens.dll"))).unwrap();
    let said = flat(&output(&bench.run(&["check", GAME, "tint@2.0"]).code(1)));
    assert!(
        said.contains("tint@2.0.0 needs lens >=3, and Pier has none. (it asks for lens_bend)"),
        "{said}"
    );
}

#[test]
fn editions_are_compared_where_they_are_known() {
    let bench = tied();
    for (edition, expected) in [
        ("Harbour", None),
        ("harbour", None),
        ("Hillside", Some("stop edition-mismatch")),
        ("", Some("warn edition-mismatch")),
    ] {
        bench.ok(&["game", "set", GAME, "--edition", edition]);
        let found = codes(&bench, &["check", GAME, "lens@3.0"]);
        let told = found.iter().find(|code| code.ends_with("edition-mismatch"));
        assert_eq!(told.map(String::as_str), expected, "{edition}");
    }
}

#[test]
fn a_pin_is_respected_by_every_choice_and_shown() {
    let bench = pier();
    let build = library("lens.dll", [2, 2, 0, 0], &["lens_open", "lens_tint"]);
    bench.write("new/lens.dll", &build.to_bytes());
    bench.ok(&["rack", "add", "new/lens.dll"]);
    assert!(bench.ok(&["survey", GAME]).contains("rack has 2.2"));
    bench.ok(&["pin", GAME, "lens", "--why", "the new one flickers"]);
    let survey = bench.ok(&["survey", GAME]);
    assert!(survey.contains("pinned") && !survey.contains("rack has"), "{survey}");
    let said = flat(&output(&bench.run(&["fit", GAME, "lens"]).code(3)));
    assert!(said.contains("pinned to 2.0.0 in Pier (\"the new one flickers\")"), "{said}");
    bench.ok(&["fit", GAME, "lens", "--despite", "pinned"]);
    assert!(bench.ok(&["history"]).contains("despite pinned"));
    bench.ok(&["rollback", GAME]);
    bench.ok(&["unpin", GAME, "lens"]);
    bench.ok(&["fit", GAME, "lens"]);
    let said = errors(&bench.run(&["pin", GAME, "glim", "--why", "x"]).code(2));
    assert!(said.contains("Pier has no glim") && said.contains("It has: lens"), "{said}");
}

#[test]
fn a_stop_is_overridden_by_its_own_name_only() {
    let bench = pier();
    let build = library("lens.dll", [2, 1, 0, 0], &["lens_tint"]).imports("prism.dll", &["bend"]);
    bench.write("new/lens.dll", &build.to_bytes());
    let fit = |despite: &[&str]| {
        let mut words = vec!["fit", GAME, "new/lens.dll"];
        words.extend(despite.iter().flat_map(|code| ["--despite", code]));
        bench.run(&words)
    };
    fit(&["exports-missing"]).code(3);
    assert!(errors(&fit(&["everything"]).code(2)).contains("unknown code"));
    assert!(errors(&fit(&["family-absent"]).code(2)).contains("cannot be overridden"));
    fit(&["exports-missing", "needs-runtime"]).code(0);
    let history = bench.json(&["history"]);
    let despite = &history["changes"][0]["despite"];
    assert_eq!(*despite, serde_json::json!(["exports-missing", "needs-runtime"]));
}

#[test]
fn a_family_is_fitted_to_every_game_that_has_it_and_a_refused_one_stops_no_other() {
    let bench = pier();
    let lens = |version| library("lens.dll", version, &["lens_open", "lens_tint"]);
    for (game, exe) in [("Quay", executable([1, 5, 0, 0])), ("Reef", executable([1, 5, 0, 0]))] {
        bench.write(&format!("games/{game}/bin/{game}.exe"), &exe.to_bytes());
        bench.write(&format!("games/{game}/bin/lens.dll"), &lens([2, 0, 0, 0]).to_bytes());
    }
    let game = world::game_exe(Bits::Bits64, "Strand", "Nine Knots", [1, 0, 0, 0]);
    bench.write("games/Strand/Strand.exe", &game.to_bytes());
    bench.write("new/lens.dll", &lens([2, 1, 0, 0]).to_bytes());
    bench.ok(&["rack", "add", "new/lens.dll"]);
    bench.ok(&["survey", "games"]);
    bench.ok(&["pin", "reef", "lens", "--why", "as it is"]);
    let before = bench.picture("games");
    let said = output(&bench.run(&["fit", "--all", "lens", "--dry-run"]).code(1));
    assert!(said.contains("refused: pinned") && !said.contains("Strand"), "{said}");
    assert_eq!(bench.picture("games"), before);
    let said = output(&bench.run(&["fit", "--all", "lens"]).code(1));
    assert!(said.contains("Done: 2 games; 0 as they were, 1 refused, 0 failed."), "{said}");
    let said = output(&bench.run(&["fit", "--all", "lens"]).code(1));
    assert!(said.contains("Done: 0 games; 2 as they were, 1 refused"), "{said}");
    assert_eq!(
        bench.json(&["history"])["changes"].as_array().unwrap().len(),
        2,
        "one change a game"
    );
}

#[test]
fn the_matrix_shows_every_game_and_family_with_its_verdict() {
    let bench = Bench::world();
    bench.ok(&["survey", "games"]);
    let text = output(&bench.run(&["check", "--all"]).code(1));
    assert!(text.contains("4 games: 1 attention, 3 fine."), "{text}");
    let newer = world::game_exe(Bits::Bits32, "Moss & Meridian", "Fernway", [22, 4, 9, 0]);
    bench.write("games/Moss & Meridian/MossMeridian.exe", &newer.to_bytes());
    let text = output(&bench.run(&["check", "--all"]).code(1));
    assert!(text.contains("stop") && text.contains("Next: spanner check moss-meridian"), "{text}");
    let document = bench.json(&["check", "--all"]);
    let games = document["games"].as_array().unwrap();
    let moss = games.iter().find(|game| game["id"] == "moss-meridian").unwrap();
    let families = moss["families"].as_array().unwrap();
    let lampwright = families.iter().find(|f| f["family"] == "lampwright").unwrap();
    assert_eq!(lampwright["verdict"], "stop");
    assert_eq!(lampwright["findings"][0]["code"], "keyed-elsewhere");
}

#[test]
fn what_runs_is_not_swapped_under_its_feet() {
    let bench = pier();
    let build = library("lens.dll", [2, 2, 0, 0], &["lens_open", "lens_tint"]);
    bench.write("new/lens.dll", &build.to_bytes());
    let held = std::fs::File::open(bench.file(&format!("{GAME}/bin/lens.dll"))).unwrap();
    let said = flat(&output(&bench.run(&["fit", GAME, "new/lens.dll"]).code(3)));
    assert!(said.contains("lens.dll is in use") && said.contains("[game-running]"), "{said}");
    drop(held);
    let file = bench.file(&format!("{GAME}/bin/lens.dll"));
    let mut permissions = std::fs::metadata(&file).unwrap().permissions();
    permissions.set_readonly(true);
    std::fs::set_permissions(&file, permissions).unwrap();
    let said = flat(&bench.ok(&["fit", GAME, "new/lens.dll"]));
    assert!(said.contains("bin/lens.dll is marked read-only. [file-read-only]"), "{said}");
}

#[test]
fn games_played_online_are_warned_of_until_the_user_says_otherwise() {
    let bench = Bench::world();
    let found = |game: &str| codes(&bench, &["check", game]);
    assert_eq!(found("games/Saltglass Drift"), set(&["warn online-risk"]));
    bench.ok(&["game", "set", "games/Saltglass Drift", "--online", "no"]);
    assert_eq!(found("games/Saltglass Drift"), set(&[]));
    assert_eq!(found("games/Kite Harbour"), set(&[]));
    bench.ok(&["game", "set", "games/Kite Harbour", "--online", "yes"]);
    assert_eq!(found("games/Kite Harbour"), set(&["warn online-risk"]));
}

#[test]
fn every_finding_is_explained_in_the_program_and_on_the_page() {
    let bench = Bench::empty();
    let list = bench.ok(&["explain"]);
    let sources = concat!(env!("CARGO_MANIFEST_DIR"), "/../core/src/check");
    for file in std::fs::read_dir(sources).unwrap() {
        let name = file.unwrap().file_name().into_string().unwrap().replace('_', "-");
        let code = name.trim_end_matches(".rs");
        if [
            "mod",
            "about",
            "advice",
            "entry-names",
            "input",
            "loading",
            "present",
            "remedy",
            "run",
            "verdict",
        ]
        .contains(&code)
        {
            continue;
        }
        assert!(list.contains(code), "{code}");
        let text = bench.ok(&["explain", code]);
        assert!(text.contains("cause") && text.contains("what to do"), "{text}");
    }
    let page = include_str!("../../../../docs/findings.md").replace("\r\n", "\n");
    let made = bench.ok(&["explain", "--markdown"]).replace("\r\n", "\n");
    assert_eq!(made, page, "renew it: spanner explain --markdown > docs/findings.md");
    assert!(errors(&bench.run(&["explain", "nonsense"]).code(2)).contains("lists them all"));
}

#[test]
fn an_archive_says_whether_it_would_work_before_it_is_on_the_rack() {
    let bench = pier();
    let good = library("lens.dll", [2, 2, 0, 0], &["lens_open", "lens_tint"]).to_bytes();
    bench.write("lens.zip", &archive::zip(&[("lens.dll", &good)], (2026, 1, 1)));
    let said = bench.ok(&["check", GAME, "lens.zip"]);
    assert!(said.contains("Pier, lens@2.2.0: fine"), "{said}");
    assert!(bench.json(&["rack", "list"])["builds"].as_array().unwrap().is_empty());
}

#[test]
fn a_maker_is_told_by_what_matters_and_not_by_spelling() {
    let lens = |company: &str, product: &str, internal: &str| {
        let info = VersionInfo::new([2, 1, 0, 0])
            .with("CompanyName", company)
            .with("ProductName", product)
            .with("InternalName", internal)
            .with("OriginalFilename", "lens.dll");
        let library = Pe::dll(Bits::Bits64, "lens.dll").version(&info);
        library.export("lens_open", 1).export("lens_tint", 1).to_bytes()
    };
    let bench = pier();
    bench.write(&format!("{GAME}/bin/lens.dll"), &lens("Nib", "Lens", "lens"));
    for (company, product, internal, expected) in [
        ("NIB Ltd.", "Lens", "lens", &[][..]),
        ("\u{a9} 2019-2026 Nib. All rights reserved", "The Lens\u{ae} 2026", "lens.dll", &[]),
        ("Nib", "Lens 2.1", "lens", &[]),
        ("Nib", "Lens", "lens-core", &["note identity-differs"]),
        ("Nib", "Lens Lite", "lens", &["warn identity-differs"]),
        ("", "Prism", "lens", &["warn identity-differs"]),
    ] {
        // The version differs, so that there are no other findings.
        bench.write("new/lens.dll", &lens(company, product, internal));
        let mut found = codes(&bench, &["check", GAME, "new/lens.dll"]);
        found.remove("note same-version-other-bytes");
        assert_eq!(found, set(expected), "{company}, {product}, {internal}");
    }
    // The present name is printed, not the one it would get.
    let said = flat(&output(&bench.run(&["check", GAME, "new/lens.dll", "--as", "prism.dll"])));
    assert!(said.contains("something else than bin/lens.dll"), "{said}");
}

#[test]
fn a_pin_takes_versions_or_a_build_and_says_when_another_has_come() {
    let bench = pier();
    let lens = |version| library("lens.dll", version, &["lens_open", "lens_tint"]).to_bytes();
    bench.write("new/lens.dll", &lens([2, 1, 0, 0]));
    bench.ok(&["rack", "add", "new/lens.dll"]);
    let pin = |at: &str| bench.run(&["pin", GAME, "lens", "--at", at, "--why", "it works"]);
    let said = errors(&pin("newest").code(2));
    assert!(said.contains("`newest` says neither versions nor a build of lens"), "{said}");
    assert!(said.contains("the rack has lens@2.1.0"), "{said}");
    for (at, holds) in [("2.0.*", true), ("1.9 - 2.0", true), ("lens@2.1.0", false), ("3.*", false)]
    {
        pin(at).code(0);
        let said = flat(&output(&bench.run(&["check", GAME])));
        assert_eq!(!said.contains("[pinned]"), holds, "{at}: {said}");
    }
    pin("lens@2.1.0").code(0);
    let said = flat(&output(&bench.run(&["check", GAME]).code(1)));
    let wanted =
        "lens is pinned to 2.1.0 in Pier (\"it works\"), and bin/lens.dll is 2.0.0. [pinned]";
    assert!(said.contains(wanted), "{said}");
    assert!(said.contains("spanner fit pier lens@2.1.0"), "{said}");
    bench.ok(&["fit", "pier", "lens@2.1.0"]);
    bench.ok(&["check", GAME]);
    pin("2.0.*").code(0);
    bench.write("new/lens.dll", &lens([2, 0, 5, 0]));
    bench.ok(&["fit", GAME, "new/lens.dll"]);
    bench.write("new/lens.dll", &lens([2, 2, 0, 0]));
    bench.run(&["fit", GAME, "new/lens.dll"]).code(3);
}

#[test]
fn a_keyed_part_is_unknown_without_a_version_and_keeps_its_role_at_an_update() {
    let bench = pier();
    let part = Pe::dll(Bits::Bits64, "wick-7.9.14.dll")
        .version(&VersionInfo::new([3, 0, 0, 0]).with("CompanyName", "Wick"));
    let exe = |version: [u16; 4]| {
        let size = version.iter().fold(0, |size, number| size * 3 + usize::from(*number) * 512);
        executable(version).padding(size).to_bytes()
    };
    bench.write(&format!("{GAME}/bin/wick-7.9.14.dll"), &part.to_bytes());
    let role = || {
        let survey = bench.json(&["survey", GAME]);
        let components = survey["games"][0]["components"].as_array().unwrap().clone();
        let part = components.into_iter().find(|c| c["path"] == "bin/wick-7.9.14.dll").unwrap();
        part["role"].as_str().unwrap().to_owned()
    };
    // As many numbers count as the key has.
    for (version, expected) in [
        ([7, 9, 14, 0], &[][..]),
        ([7, 9, 14, 8812], &[]),
        ([7, 9, 60, 0], &["stop keyed-elsewhere"]),
    ] {
        bench.write(&format!("{GAME}/bin/Pier.exe"), &exe(version));
        assert_eq!(role(), "extender", "{version:?}");
        assert_eq!(codes(&bench, &["check", GAME]), set(expected), "{version:?}");
    }
    // An update of another line is recognised from earlier changes.
    bench.write(&format!("{GAME}/bin/Pier.exe"), &exe([7, 9, 14, 0]));
    bench.write(
        "new/lens.dll",
        &library("lens.dll", [2, 1, 0, 0], &["lens_open", "lens_tint"]).to_bytes(),
    );
    bench.ok(&["fit", GAME, "new/lens.dll"]);
    bench.write(&format!("{GAME}/bin/Pier.exe"), &exe([8, 1, 0, 0]));
    assert_eq!(role(), "extender");
    // If nothing states the game's version, it is not fine.
    let nameless = Pe::exe(Bits::Bits64).imports("lens.dll", &["lens_open"]);
    bench.write(&format!("{GAME}/bin/Pier.exe"), &nameless.to_bytes());
    let said = flat(&output(&bench.run(&["check", GAME, "--json"]).code(1)));
    assert!(said.contains("is made for version 7.9.14 of the game"), "{said}");
    assert!(said.contains("exe-unknown"), "{said}");
}

#[test]
fn every_name_is_given_where_more_is_asked_for() {
    let bench = pier();
    let names = ["lens_a", "lens_b", "lens_c", "lens_d", "lens_e", "lens_f"];
    let exe = executable([1, 5, 0, 0]).imports("lens.dll", &names);
    bench.write(&format!("{GAME}/bin/Pier.exe"), &exe.to_bytes());
    let said = flat(&output(&bench.run(&["check", GAME]).code(1)));
    assert!(said.contains("lens_a, lens_b, lens_c, lens_d and 2 more"), "{said}");
    assert!(!said.contains("lens_f"), "{said}");
    let said = flat(&output(&bench.run(&["check", GAME, "-v"]).code(1)));
    assert!(
        said.contains("All of them: lens_a, lens_b, lens_c, lens_d, lens_e, lens_f."),
        "{said}"
    );
    let document = bench.json(&["check", GAME]);
    let findings = document["games"][0]["findings"].as_array().unwrap();
    assert_eq!(findings[0]["names"].as_array().unwrap().len(), 6);
}
