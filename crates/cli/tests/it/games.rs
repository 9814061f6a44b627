//! Which folders are games, and which program of each is the one that counts: a table of layouts.

use crate::common::Bench;
use upright_spanner_sample::world;
use upright_spanner_sample::{Bits, Pe, VersionInfo};

/// Writes small programs and libraries at some paths.
fn tree(paths: &[&str]) -> Bench {
    let bench = Bench::empty();
    for path in paths {
        let content = match path.rsplit('.').next() {
            Some("exe") => Pe::exe(Bits::Bits64).to_bytes(),
            Some("dll") => Pe::dll(Bits::Bits64, "").to_bytes(),
            _ => b"text".to_vec(),
        };
        bench.write(path, &content);
    }
    bench
}

/// The folders of the games found below `place`, relative to it.
fn games(bench: &Bench, place: &str) -> Vec<String> {
    let survey = bench.json(&["survey", place]);
    let base = bench.file(place).canonicalize().unwrap();
    let base = base.to_string_lossy().replace('\\', "/");
    let base = base.trim_start_matches("//?/");
    let mut found: Vec<String> = survey["games"]
        .as_array()
        .unwrap()
        .iter()
        .map(|game| {
            let root = game["root"].as_str().unwrap();
            root.strip_prefix(base).unwrap().trim_start_matches('/').to_owned()
        })
        .collect();
    found.sort();
    found
}

#[test]
fn folders_are_told_to_be_games_or_libraries_of_games() {
    for (what, paths, expected) in [
        ("a program in the folder itself", &["p/Run.exe", "p/a.dll"][..], &[""][..]),
        ("one folder a game", &["p/One/One.exe", "p/Two/Two.exe"], &["One", "Two"]),
        ("programs below bin", &["p/One/bin/x.exe", "p/Two/bin/y.exe"], &["One", "Two"]),
        (
            "an engine's many folders",
            &["p/Engine/Extras/setup.exe", "p/Moor/Binaries/Win64/Moor-Final.exe"],
            &[""],
        ),
        (
            "a launcher's folders around the library",
            &["p/apps/common/One/One.exe", "p/apps/common/Two/sub/Two.exe"],
            &["apps/common/One", "apps/common/Two"],
        ),
        (
            "installers lying about in a library",
            &["p/setup_tool.exe", "p/One/One.exe", "p/Two/Two.exe"],
            &["One", "Two"],
        ),
        (
            "a program named like its folder, deep down",
            &["p/Fen/a/b/fen.exe", "p/Fen/c/d.exe"],
            &["Fen"],
        ),
        ("a launcher beside the game's folder", &["p/Launcher.exe", "p/bin/Fen.exe"], &[""]),
        ("libraries alone", &["p/a.dll", "p/sub/b.dll"], &[""]),
        ("libraries beside games", &["p/One/One.exe", "p/stuff/a.dll"], &["One"]),
        ("nothing", &["p/readme.txt"], &[]),
    ] {
        let bench = tree(paths);
        assert_eq!(games(&bench, "p"), expected, "{what}");
    }
}

#[test]
fn the_program_that_counts_is_told_from_those_around_it() {
    let drawing = |name: &str, size| {
        (name.to_owned(), Pe::exe(Bits::Bits64).imports("d3d11.dll", &["x"]).padding(size))
    };
    let plain = |name: &str, size| (name.to_owned(), Pe::exe(Bits::Bits64).padding(size));
    let described = |name: &str, what: &str| {
        let info = VersionInfo::new([1, 0, 0, 0]).with("FileDescription", what);
        (
            name.to_owned(),
            Pe::exe(Bits::Bits64).version(&info).imports("d3d11.dll", &["x"]).padding(90_000),
        )
    };
    let made_by = |name: &str, company: &str| {
        let info = VersionInfo::new([1, 0, 0, 0]).with("CompanyName", company);
        (name.to_owned(), Pe::exe(Bits::Bits64).version(&info))
    };
    for (what, programs, expected) in [
        ("the one that draws", vec![plain("Marsh.exe", 0), drawing("bin/m.exe", 0)], "bin/m.exe"),
        (
            "the one named like the folder",
            vec![drawing("a.exe", 0), drawing("Marsh.exe", 0)],
            "Marsh.exe",
        ),
        ("the largest of equals", vec![drawing("a.exe", 0), drawing("b.exe", 50_000)], "b.exe"),
        ("the nearest of equals", vec![drawing("x/y/a.exe", 0), drawing("z.exe", 0)], "z.exe"),
        (
            "no launcher, however large",
            vec![drawing("MarshLauncher.exe", 90_000), drawing("bin/Marsh.exe", 0)],
            "bin/Marsh.exe",
        ),
        (
            "no server of the same name",
            vec![drawing("MarshServer.exe", 90_000), drawing("Marsh.exe", 0)],
            "Marsh.exe",
        ),
        (
            "nothing that describes itself as something else",
            vec![described("m1.exe", "Marsh crash reporter"), drawing("m2.exe", 0)],
            "m2.exe",
        ),
        (
            "nothing out of the folders for installers",
            vec![drawing("_redist/m.exe", 90_000), plain("m.exe", 0)],
            "m.exe",
        ),
        (
            "no stranger among the studio's own",
            vec![
                made_by("a.exe", "Stranger"),
                made_by("b.exe", "Studio"),
                made_by("c.exe", "Studio"),
            ],
            "b.exe",
        ),
        ("whatever there is", vec![plain("setup.exe", 0)], "setup.exe"),
    ] {
        let bench = Bench::empty();
        for (name, image) in &programs {
            bench.write(&format!("lib/Marsh/{name}"), &image.to_bytes());
        }
        let shown = bench.json(&["game", "show", "lib/Marsh"]);
        assert_eq!(shown["game"]["programs"][0]["path"], expected, "{what}");
    }
}

#[test]
fn the_words_of_a_description_tell_the_role() {
    for (words, role) in [
        ("Sharpwater upscaler", "upscaler"),
        ("Super resolution library", "upscaler"),
        ("Frame Generation and upscaling", "frame-generation"),
        ("frame interpolation", "frame-generation"),
        ("AI Denoiser", "denoiser"),
        ("Low Latency mode", "latency"),
        ("Script Extender", "extender"),
        ("Mod Loader", "loader"),
        ("In-game Overlay", "overlay"),
        ("Sound Runtime", "runtime"),
        ("Redistributable", "runtime"),
        ("Physics", "support"),
    ] {
        let bench = Bench::empty();
        let exe = world::game_exe(Bits::Bits64, "Marsh", "Studio", [1, 0, 0, 0]).padding(0);
        bench.write("lib/Marsh/Marsh.exe", &exe.to_bytes());
        let info = VersionInfo::new([1, 0, 0, 0])
            .with("CompanyName", "Other")
            .with("FileDescription", words);
        bench.write("lib/Marsh/x.dll", &Pe::dll(Bits::Bits64, "").version(&info).to_bytes());
        let survey = bench.json(&["survey", "lib"]);
        assert_eq!(survey["games"][0]["components"][0]["role"], role, "{words}");
    }
}

#[test]
fn two_games_of_one_name_have_two_ids_that_stay() {
    let bench = tree(&["a/Marsh/Marsh.exe", "b/Marsh/Marsh.exe"]);
    let ids = |bench: &Bench| {
        let survey = bench.json(&["survey", "a", "b"]);
        let games = survey["games"].as_array().unwrap().clone();
        games.iter().map(|game| game["id"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(ids(&bench), ["marsh", "marsh-2"]);
    let survey = bench.json(&["survey", "b"]);
    assert_eq!(survey["games"][0]["id"], "marsh-2", "whatever is asked first");
    let listed = bench.ok(&["game", "list"]);
    assert!(listed.contains("marsh-2") && listed.contains("seen"), "{listed}");
}

#[test]
fn scripts_get_the_exit_codes_that_the_guide_lists() {
    let bench = Bench::world();
    bench.ok(&["survey", "games"]);
    for (words, code) in [
        (&["survey", "games"][..], 0),
        (&["survey", "games", "nowhere"], 1),
        (&["inspect", "nothing.dll"], 1),
        (&["survey", "--colour"], 2),
        (&["fit", "nobody", "brine"], 2),
        (&["fit", "games/Kite Harbour", "downloads/hushgrain-1.2.2.zip"], 3),
        (&["compare", "a", "b"], 4),
        (&["rack", "show", "nothing"], 2),
        (&["history"], 0),
    ] {
        bench.run(words).code(code);
    }
}
