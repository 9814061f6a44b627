//! Games, library roots, the catalog and the evidence, on names that no one has seen.

use std::fs;

use crate::common::{Bench, errors};
use serde_json::Value;
use upright_spanner_sample::world;
use upright_spanner_sample::{Bits, Pe, VersionInfo};

/// A library with a company and a description.
fn library(company: &str, what: &str, version: [u16; 4]) -> Pe {
    let info = VersionInfo::new(version).with("CompanyName", company).with("FileDescription", what);
    Pe::dll(Bits::Bits64, "").version(&info)
}

/// A bench with one small game of the studio "Dovetail".
fn game(folder: &str, version: [u16; 4]) -> Bench {
    let bench = Bench::empty();
    add_game(&bench, folder, version);
    bench
}

fn add_game(bench: &Bench, folder: &str, version: [u16; 4]) {
    let title = folder.rsplit('/').next().unwrap();
    let exe = world::game_exe(Bits::Bits64, title, "Dovetail", version).padding(0);
    bench.write(&format!("{folder}/{}.exe", title.replace(' ', "")), &exe.to_bytes());
}

/// `role family: evidence, ...` of each component.
fn components(bench: &Bench, words: &[&str]) -> Vec<String> {
    let survey = bench.json(words);
    let games = survey["games"].as_array().unwrap().iter();
    games
        .flat_map(|game| game["components"].as_array().unwrap())
        .map(|component| {
            let kinds = component["evidence"].as_array().unwrap().iter();
            let kinds: Vec<&str> = kinds.map(|kind| kind["kind"].as_str().unwrap()).collect();
            let text = |key: &str| component[key].as_str().unwrap();
            format!("{} {}: {}", text("role"), text("family"), kinds.join(", "))
        })
        .collect()
}

#[test]
fn each_evidence_is_found_on_names_never_seen() {
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    let own = library("Dovetail", "Physics", [2, 5, 14, 0]);
    bench.write("lib/Quill/physics.dll", &own.to_bytes());
    assert_eq!(components(&bench, &["survey", "lib"]), Vec::<String>::new());

    bench.write("lib/Quill/dsound.dll", &library("Dovetail", "", [1, 0, 0, 0]).to_bytes());
    bench.write("lib/Quill/sub/dsound.dll", &library("Dovetail", "", [1, 0, 0, 0]).to_bytes());
    let genuine = library("Microsoft Corporation", "", [10, 0, 0, 0]);
    bench.write("lib/Quill/version.dll", &genuine.to_bytes());
    assert_eq!(
        components(&bench, &["survey", "lib"]),
        [
            "loader dsound: stand-in, recurring",
            "support dsound: recurring",
            "support version: outsider"
        ],
        "only beside a program, and not Windows' own"
    );

    let bench = game("lib/Quill", [2, 5, 14, 0]);
    bench.write("lib/Quill/pentool_2_5_14.dll", &library("Dovetail", "", [0, 8, 0, 0]).to_bytes());
    bench.write("lib/Quill/old_2_5_13.dll", &library("Dovetail", "", [0, 8, 0, 0]).to_bytes());
    let states = library("Nib", "scripting for 2.5.14", [0, 3, 0, 0]);
    bench.write("lib/Quill/nib.dll", &states.to_bytes());
    bench.write("lib/Quill/ray.dll", &library("Nib", "Ray denoiser", [4, 0, 0, 0]).to_bytes());
    assert_eq!(
        components(&bench, &["survey", "lib"]),
        ["denoiser ray: outsider", "extender nib: keyed, outsider", "extender pentool: keyed",]
    );
}

#[test]
fn what_recurs_in_several_games_is_a_component() {
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    add_game(&bench, "lib/Inkwell", [7, 1, 0, 0]);
    let shared = library("Dovetail", "", [1, 0, 0, 0]).to_bytes();
    bench.write("lib/Quill/shared.dll", &shared);
    assert_eq!(components(&bench, &["survey", "lib"]), Vec::<String>::new());
    bench.write("lib/Inkwell/deep/Shared.DLL", &shared);
    assert_eq!(
        components(&bench, &["survey", "lib"]),
        ["support shared: recurring", "support shared: recurring"]
    );
}

#[test]
fn what_is_on_the_rack_is_a_component_by_name_and_author() {
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    bench.write(
        "lib/Quill/plain.dll",
        &Pe::dll(Bits::Bits64, "plain.dll").export("a", 1).to_bytes(),
    );
    bench.write("lib/Quill/theirs.dll", &library("Dovetail", "", [1, 0, 0, 0]).to_bytes());
    bench.write("new/plain.dll", &Pe::dll(Bits::Bits64, "plain.dll").export("a", 2).to_bytes());
    bench.write("new/theirs.dll", &library("Somebody else", "", [2, 0, 0, 0]).to_bytes());
    bench.ok(&["rack", "add", "new/plain.dll", "new/theirs.dll"]);
    assert_eq!(components(&bench, &["survey", "lib"]), ["support plain: on-rack"]);
}

#[test]
fn every_way_of_putting_a_copy_aside_is_known() {
    for aside in [
        "lens.dll.bak",
        "lens.dll.old",
        "lens.dll.1",
        "lens_old.dll",
        "old-lens.dll",
        "LENS.DLL~",
        "lens - Copy.dll",
        "Copy of lens.dll",
        "lens (2).dll",
        "lens.dll_original",
        "lens.orig.dll",
    ] {
        let bench = game("lib/Quill", [2, 5, 14, 0]);
        bench.write("lib/Quill/lens.dll", &library("Dovetail", "", [2, 0, 0, 0]).to_bytes());
        bench.write(
            &format!("lib/Quill/{aside}"),
            &library("Dovetail", "", [1, 4, 0, 0]).to_bytes(),
        );
        assert_eq!(
            components(&bench, &["survey", "lib"]),
            ["support lens: hand-backup"],
            "{aside}"
        );
        let text = bench.ok(&["survey", "lib"]);
        assert!(text.contains(&format!("beside it {aside}, version 1.4.0")), "{text}");
    }
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    bench.write("lib/Quill/threshold.dll", &library("Nib", "", [2, 0, 0, 0]).to_bytes());
    bench.write("lib/Quill/gold.dll", &library("Nib", "", [2, 0, 0, 0]).to_bytes());
    assert_eq!(components(&bench, &["survey", "lib"]).len(), 2, "such names are no copies");
}

#[test]
fn a_family_is_learned_from_a_file_and_found_under_another_name() {
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    let kit = library("Dovetail", "Lens pack", [2, 0, 0, 0]);
    let info = VersionInfo::new([2, 0, 0, 0])
        .with("CompanyName", "Dovetail")
        .with("OriginalFilename", "lens_kit.dll")
        .with("ProductName", "Lens [pro]");
    bench.write("kit/lens_kit.dll", &kit.version(&info.clone()).to_bytes());
    let words = ["family", "learn", "kit/lens_kit.dll", "--role", "overlay", "--group", "glass"];
    let text = bench.ok(&words);
    assert!(text.contains("lens-kit") && text.contains("glass"), "{text}");
    let again = errors(&bench.run(&words).code(2));
    assert!(again.contains("already a family that describes this file: `lens-kit`"), "{again}");

    bench.write("lib/Quill/q_lens.dll", &Pe::dll(Bits::Bits64, "").version(&info).to_bytes());
    assert_eq!(
        components(&bench, &["survey", "lib"]),
        ["overlay lens-kit: catalogued, own-version"]
    );
    for pattern in ["lens*", "glass", "GL?SS"] {
        assert_eq!(
            components(&bench, &["survey", "lib", "--family", pattern]).len(),
            1,
            "{pattern}"
        );
    }
    assert_eq!(components(&bench, &["survey", "lib", "--family", "brass"]).len(), 0);
    let shown = bench.json(&["family", "show", "glass"]);
    assert_eq!(shown["families"][0]["id"], "lens-kit");
}

#[test]
fn a_catalog_beside_a_game_counts_for_that_game_alone() {
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    add_game(&bench, "lib/Inkwell", [7, 1, 0, 0]);
    for folder in ["Quill", "Inkwell"] {
        let own = library("Dovetail", folder, [1, 0, 0, 0]).to_bytes();
        bench.write(&format!("lib/{folder}/part_{folder}.dll"), &own);
    }
    let catalog =
        "schema = 1\n[[family]]\nid = \"part\"\nrole = \"latency\"\nnames = [\"part_*.dll\"]\n";
    bench.write("lib/Quill/spanner-families.toml", catalog.as_bytes());
    assert_eq!(components(&bench, &["survey", "lib"]), ["latency part: catalogued"]);
}

#[test]
fn a_wrong_catalog_is_said_with_file_line_and_what_was_expected() {
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    for (text, line, wanted) in [
        ("schema = 2\n", 1, "schema 2 is not known: expected 1"),
        (
            "schema = 1\n\n[[family]]\nid = \"a\"\nnames = [\"a\"]\nrole = \"painter\"\n",
            6,
            "expected one of `upscaler`",
        ),
        (
            "schema = 1\n[[family]]\nid = \"a\"\nname = [\"a\"]\n",
            4,
            "unknown field `name`, expected",
        ),
        ("schema = 1\n[[family]]\nid = \"a\"\n", 2, "can match nothing: expected `names`"),
        ("schema = 1\n[[family]]\nid = \"A b\"\nnames = [\"a\"]\n", 2, "as in `a-b`"),
        (
            "schema = 1\n[[family]]\nid = \"a\"\nnames = [\"a[\"]\n",
            2,
            "`a[` is not a valid pattern",
        ),
        ("schema = 1\nfamily = [\n", 2, ""),
    ] {
        bench.write("home/catalog/mine.toml", text.as_bytes());
        let said = errors(&bench.run(&["survey", "lib"]).code(1));
        let place = format!("mine.toml: line {line}: ");
        assert!(said.contains(&place) && said.contains(wanted), "{text:?}: {said}");
        let said = errors(&bench.run(&["family", "list"]).code(1));
        assert!(said.contains(&place), "{said}");
    }
}

#[test]
fn every_sub_folder_of_a_library_root_is_a_game() {
    let bench = game("drive/bin/Quill", [2, 5, 14, 0]);
    add_game(&bench, "drive/tools/Inkwell", [7, 1, 0, 0]);
    let titles = |words: &[&str]| {
        let survey = bench.json(words);
        let games = survey["games"].as_array().unwrap().clone();
        games.iter().map(|game| game["title"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    // Folders named like the parts of a game make the place look like one game.
    assert_eq!(titles(&["survey", "drive"]), ["drive"]);
    bench.ok(&["game", "forget", "drive"]);
    bench.ok(&["root", "add", "drive"]);
    assert_eq!(titles(&["survey"]), ["bin", "tools"]);
    assert!(bench.ok(&["root", "list"]).trim().ends_with("drive"));
    bench.ok(&["root", "forget", "drive"]);
    let said = errors(&bench.run(&["root", "forget", "drive"]).code(2));
    assert!(said.contains("is not one of the library roots"), "{said}");
}

#[test]
fn the_users_word_on_a_game_stands_over_what_is_found() {
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    let other = world::game_exe(Bits::Bits64, "Other", "Dovetail", [9, 9, 9, 0]).padding(0);
    bench.write("lib/Quill/odd/crash_setup.exe", &other.to_bytes());
    bench.ok(&["game", "add", "lib/Quill", "--title", "The Quill", "--edition", "disc"]);
    let game = |bench: &Bench| bench.json(&["game", "show", "the quill"])["game"].clone();
    let shown = game(&bench);
    assert_eq!(shown["id"], "quill");
    assert_eq!(shown["programs"][0]["path"], "Quill.exe");
    assert_eq!(shown["settings"]["edition"], "disc");
    bench.ok(&["game", "set", "quill", "--executable", "odd\\crash_setup.exe"]);
    let shown = game(&bench);
    assert_eq!(shown["programs"][0]["path"], "odd/crash_setup.exe");
    assert_eq!(shown["programs"][0]["reasons"][0], "your choice");
    assert_eq!(shown["version"]["version"], "9.9.9");
    bench.ok(&["game", "set", "quill", "--executable", "", "--bay", "mods=lib"]);
    let shown = game(&bench);
    assert_eq!(shown["programs"][0]["path"], "Quill.exe");
    assert!(shown["settings"]["bays"]["mods"].as_str().unwrap().ends_with("lib"));
    for (words, wanted) in [
        (["--executable", "none.exe"], "contains no file none.exe"),
        (["--executable", "../x.exe"], "cannot be used as a path: it leads out of the folder"),
        (["--bay", "exe=lib"], "cannot be the name of a further bay"),
        (["--bay", "mods=nowhere"], "is not a folder"),
        (["--version-pattern", "("], "no file to look in"),
    ] {
        let said = errors(&bench.run(&["game", "set", "quill", words[0], words[1]]).code(2));
        assert!(said.contains(wanted), "{words:?}: {said}");
    }
}

#[test]
fn the_games_version_is_told_with_where_it_comes_from() {
    let version =
        |bench: &Bench| bench.json(&["game", "show", "lib/Quill"])["game"]["version"].clone();
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    assert_eq!(
        version(&bench),
        serde_json::json!({ "version": "2.5.14", "origin": "file-version" })
    );

    let mut info = VersionInfo::new([1, 0, 0, 0]);
    info.product_version = [3, 3, 1, 0];
    bench.write("lib/Quill/Quill.exe", &Pe::exe(Bits::Bits64).version(&info).to_bytes());
    assert_eq!(
        version(&bench),
        serde_json::json!({ "version": "3.3.1", "origin": "product-version" })
    );
    assert!(bench.ok(&["survey", "lib"]).contains("from the executable's product version"));

    let nothing = VersionInfo::new([1, 0, 0, 0]);
    bench.write(
        "lib/Quill/Quill.exe",
        &Pe::exe(Bits::Bits64).version(&nothing).padding(5000).to_bytes(),
    );
    let told = version(&bench);
    assert_eq!(told["version"], Value::Null);
    assert_eq!(told["origin"]["content"].as_str().unwrap().len(), 64);
    assert!(bench.ok(&["survey", "lib"]).contains("version not stated"));

    bench.write("lib/Quill/notes.txt", b"The Quill\r\nRelease 4.2.0 of spring, since 1.0\r\n");
    bench.ok(&[
        "game",
        "set",
        "quill",
        "--version-file",
        "notes.txt",
        "--version-pattern",
        r"Release (\S+)",
    ]);
    assert_eq!(
        version(&bench),
        serde_json::json!({ "version": "4.2.0", "origin": { "text-file": "notes.txt" } })
    );
}

#[test]
fn a_search_by_name_finds_every_copy_components_or_not() {
    let bench = Bench::world();
    let text = bench.ok(&["survey", "games", "--name", "QUE*"]);
    assert!(text.contains("System/quern.dll"), "{text}");
    assert!(!text.contains("Tin Lighthouse"), "{text}");
    assert_eq!(components(&bench, &["survey", "games", "--role", "loader"]).len(), 1);
    assert_eq!(components(&bench, &["survey", "games", "--game", "m*"]).len(), 2);
    let none = bench.ok(&["survey", "games", "--outdated"]);
    assert!(none.contains("Nothing in these games matches."), "{none}");
}

#[test]
fn what_needs_attention_comes_first() {
    let bench = Bench::world();
    bench.ok(&["fit", "games/Saltglass Drift", "downloads/undertow-2.3.0.zip"]);
    let update = world::undertow([2, 2, 0, 0], "winmm.dll").padding(1000).to_bytes();
    bench.write("games/Saltglass Drift/bin/winmm.dll", &update);
    bench.ok(&["rack", "add", "downloads/hushgrain-1.2.2.zip"]);
    let survey = bench.json(&["survey", "games"]);
    let order: Vec<&str> =
        survey["games"].as_array().unwrap().iter().map(|g| g["id"].as_str().unwrap()).collect();
    assert_eq!(order, ["saltglass-drift", "tin-lighthouse", "kite-harbour", "moss-meridian"]);
    assert_eq!(survey["games"][0]["components"][0]["state"], "overwritten");
    assert_eq!(survey["games"][1]["components"][0]["family"], "hushgrain");
}

#[test]
fn a_second_survey_reads_no_image_that_is_unchanged() {
    let bench = Bench::world();
    let first = bench.ok(&["survey", "games"]);
    let path = bench.file("games/Kite Harbour/System/brine.dll");
    let date = fs::metadata(&path).unwrap().modified().unwrap();
    let bytes = fs::read(&path).unwrap();
    // Same size and date, other content: only a survey that reads the file would see it.
    let file = fs::OpenOptions::new().write(true).open(&path).unwrap();
    std::io::Write::write_all(&mut &file, &vec![b'x'; bytes.len()]).unwrap();
    file.set_modified(date).unwrap();
    drop(file);
    assert_eq!(bench.ok(&["survey", "games"]), first);
    filetime::set_file_mtime(&path, filetime::FileTime::from_unix_time(1_700_000_000, 0)).unwrap();
    let said = errors(&bench.run(&["survey", "games"]).code(1));
    assert!(said.contains("brine.dll: it is not a Windows library"), "{said}");
}

#[test]
fn a_survey_of_one_game_reads_no_file_of_the_others() {
    let bench = Bench::world();
    bench.write("games/Kite Harbour/System/brine.dll", b"cut short");
    let said = errors(&bench.run(&["survey", "games"]).code(1));
    assert!(said.contains("brine.dll: it is not a Windows library"), "{said}");

    // The damaged file still names its game's folder; the other game may be known or not.
    for _ in 0..2 {
        let found = bench.json(&["survey", "games", "--game", "tin*"]);
        let games = found["games"].as_array().unwrap();
        let titles: Vec<&str> = games.iter().map(|game| game["title"].as_str().unwrap()).collect();
        assert_eq!(titles, ["Tin Lighthouse"]);
        assert_eq!(games[0]["components"].as_array().unwrap().len(), 5);
        assert_eq!(found["errors"].as_array().unwrap().len(), 0);
        std::fs::remove_dir_all(bench.file("home")).unwrap();
    }
    assert!(bench.ok(&["survey", "games", "--game", "nothing"]).contains("Nothing in these games"));
}

#[test]
#[cfg_attr(windows, ignore = "needs the right to make links")]
fn a_link_that_loops_or_leads_out_is_not_followed() {
    let bench = Bench::world();
    let outside = bench.file("outside/secret.dll");
    bench.write("outside/secret.dll", &library("Nib", "", [1, 0, 0, 0]).to_bytes());
    let game = bench.file("games/Kite Harbour");
    #[cfg(unix)]
    let link = |from: &std::path::Path, to: &str| std::os::unix::fs::symlink(from, game.join(to));
    #[cfg(windows)]
    let link =
        |from: &std::path::Path, to: &str| std::os::windows::fs::symlink_dir(from, game.join(to));
    link(outside.parent().unwrap(), "out").unwrap();
    link(&game, "loop").unwrap();
    let text = bench.ok(&["survey", "games", "--all"]);
    assert!(!text.contains("secret.dll"), "{text}");
    assert!(text.contains("4 games, 10 components"), "{text}");
}

#[test]
fn a_path_of_more_than_260_characters_is_surveyed_and_inspected() {
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    let deep = format!("lib/Quill/{}deep.dll", "a folder with quite a long name/".repeat(9));
    bench.write(&deep, &library("Nib", "", [1, 0, 0, 0]).to_bytes());
    assert_eq!(components(&bench, &["survey", "lib"]), ["support deep: outsider"]);
    let path = bench.file(&deep);
    let inspected = bench.json(&["inspect", path.to_str().unwrap()]);
    assert_eq!(inspected["images"][0]["file_version"], "1.0.0.0");
}

#[cfg(unix)]
#[test]
fn a_name_that_is_not_unicode_is_said_and_the_rest_shown() {
    use std::os::unix::ffi::OsStrExt;
    let bench = Bench::world();
    let name = std::ffi::OsStr::from_bytes(b"bad\xff.dll");
    fs::write(bench.file("games/Kite Harbour").join(name), b"x").unwrap();
    let assert = bench.run(&["survey", "games"]).code(1);
    assert!(errors(&assert).contains("its name is not Unicode"));
    assert!(crate::common::output(&assert).contains("4 games, 10 components"));
}

#[test]
fn compare_says_what_differs_and_what_it_means() {
    let bench = Bench::empty();
    let build = |version: [u16; 4], bits, exports: &[&str], company: &str| {
        let info = VersionInfo::new(version).with("CompanyName", company);
        let pe = Pe::dll(bits, "lens.dll").version(&info);
        exports.iter().fold(pe, |pe, name| pe.export(name, 1)).to_bytes()
    };
    let two = [2, 0, 0, 0];
    bench.write("old/lens.dll", &build([1, 0, 0, 0], Bits::Bits64, &["a", "b"], "Nib"));
    bench.write("same/lens.dll", &build([1, 0, 0, 0], Bits::Bits64, &["a", "b"], "Nib"));
    bench.write("more/lens.dll", &build(two, Bits::Bits64, &["a", "b", "c"], "Nib"));
    bench.write("less/lens.dll", &build(two, Bits::Bits64, &["a"], "Nib"));
    bench.write("narrow/lens.dll", &build(two, Bits::Bits32, &["a", "b"], "Nib"));
    bench.write("other/lens.dll", &build(two, Bits::Bits64, &["a", "b"], "Dovetail"));
    for (new, wanted) in [
        ("same", "The files are the same, byte for byte."),
        ("more", "a newer build of the same library (1.0.0 → 2.0.0); every export"),
        ("less", "but it lacks the export b."),
        ("narrow", "The new file is 32-bit and the old one 64-bit"),
        ("other", "do not look like two builds of one library"),
    ] {
        let new = format!("{new}/lens.dll");
        let document = bench.json(&["compare", "old/lens.dll", &new]);
        let verdict = document["comparison"]["verdict"].as_str().unwrap();
        assert!(verdict.contains(wanted), "{new}: {verdict}");
    }
    let back = bench.ok(&["compare", "more/lens.dll", "old/lens.dll"]);
    assert!(back.contains("an older build"), "{back}");
    assert!(back.contains("exports lost (1): c"), "{back}");
    bench.run(&["compare", "old/lens.dll", "gone.dll"]).code(4);
}

#[test]
fn every_file_of_a_name_is_found_in_games_or_not() {
    let bench = Bench::world();
    bench.write("games/loose/quern.dll", &library("Else", "", [7, 1, 0, 0]).to_bytes());
    bench.write("games/Kite Harbour/Notes/quern.txt", b"of no kind that is loaded");
    bench.write("downloads/old/quern.dll.part", b"half");
    // The unfinished download is reported too.
    let seek = ["survey", "games", "downloads", "--name", "quern*"];
    let text = crate::common::output(&bench.run(&seek).code(1));
    for (path, version) in [
        ("games/Kite Harbour/System/quern.dll", "none stated"),
        ("games/Kite Harbour/Notes/quern.txt", "none stated"),
        ("games/loose/quern.dll", "7.1.0"),
        ("downloads/old/quern.dll.part", "none stated"),
    ] {
        let whole = upright_spanner_core::path::slashes(&bench.file(path).canonicalize().unwrap());
        let whole = whole.trim_start_matches("//?/");
        let line = text.lines().find(|line| line.ends_with(whole));
        assert!(line.is_some_and(|line| line.contains(version)), "{path}: {text}");
    }
    let document = bench.json(&seek);
    assert_eq!(document["files"].as_array().unwrap().len(), 3, "{document}");
    assert_eq!(document["games"][0]["components"].as_array().unwrap().len(), 1);
}

#[test]
fn drives_are_looked_over_without_the_systems_own_folders() {
    let bench = Bench::empty();
    for folder in ["Games", "Windows", "$Recycle.Bin", "Program Files", "System Volume Information"]
    {
        fs::create_dir(bench.file(folder)).unwrap();
    }
    bench.write("loose.exe", b"x");
    let drive = upright_spanner_core::survey::Drive::at(bench.path().to_owned());
    assert_eq!(drive.folders, [bench.file("Games"), bench.file("Program Files")]);
}

#[test]
fn compilers_runtimes_are_one_line_and_what_people_exchange_comes_first() {
    let bench = game("lib/Quill", [2, 5, 14, 0]);
    for (name, maker, product) in [
        ("vcruntime140.dll", "Microsoft Corporation", "Runtime"),
        ("msvcp140.dll", "Microsoft Corporation", "Runtime"),
        ("libgcc_s_seh-1.dll", "", ""),
        ("codec.dll", "Alder Works", "Alder codec"),
        ("lens.dll", "Nib", "Lens upscaler"),
    ] {
        bench
            .write(&format!("lib/Quill/{name}"), &library(maker, product, [3, 1, 0, 0]).to_bytes());
    }
    let text = bench.ok(&["survey", "lib"]);
    assert!(text.contains("compiler runtimes: 3 files (--all)"), "{text}");
    assert!(!text.contains("vcruntime140"), "{text}");
    assert!(bench.ok(&["survey", "lib", "--all"]).contains("vcruntime140.dll"));
}

#[test]
fn of_two_machines_twins_the_wider_counts_and_a_runtimes_program_is_no_game() {
    let bench = Bench::empty();
    let exe = |bits, size| {
        let info = VersionInfo::new([1, 0, 0, 0]).with("ProductName", "Quill");
        Pe::exe(bits)
            .version(&info)
            .imports("d3d11.dll", &["D3D11CreateDevice"])
            .padding(size)
            .to_bytes()
    };
    bench.write("lib/Quill/Quill32.exe", &exe(Bits::Bits32, 900_000));
    bench.write("lib/Quill/Quill64.exe", &exe(Bits::Bits64, 800_000));
    bench.write("lib/Quill/jre-17/bin/java.exe", &exe(Bits::Bits64, 1_900_000));
    bench.write("lib/jre/bin/java.exe", &exe(Bits::Bits64, 100_000));
    bench.write("lib/jre/bin/jli.dll", &library("Else", "", [1, 0, 0, 0]).to_bytes());
    let survey = bench.json(&["survey", "lib"]);
    assert_eq!(survey["games"].as_array().unwrap().len(), 1, "{survey}");
    assert_eq!(survey["games"][0]["executable"]["path"], "Quill64.exe");
    let text = bench.ok(&["survey", "lib/Quill"]);
    assert!(text.contains("the 64-bit one of two"), "{text}");
    // Two that nothing tells apart.
    for name in ["lib/Pair/one.exe", "lib/Pair/two.exe"] {
        bench.write(name, &exe(Bits::Bits64, 1000));
    }
    let text = crate::common::flat(&bench.ok(&["survey", "lib/Pair"]));
    assert!(
        text.contains("two.exe is as likely: spanner game set pair --executable PATH"),
        "{text}"
    );
}
