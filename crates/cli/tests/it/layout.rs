//! Builds of several files: each goes to its own place, what an older build left goes, and all of it is restored.

use std::fs;

use crate::common::{Bench, errors, output};
use upright_spanner_sample::world::{self, lampwright_package};
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive};

const DATE: (u16, u8, u8) = (2026, 3, 4);
const MOSS: &str = "games/Moss & Meridian";

fn library(name: &str, company: &str, version: [u16; 4]) -> Vec<u8> {
    let info = VersionInfo::new(version)
        .with("CompanyName", company)
        .with("FileDescription", "Lantern plugin loader");
    let library = Pe::dll(Bits::Bits64, name).version(&info).export("lens", u32::from(version[1]));
    library.export("wglCreateContext", 1).to_bytes()
}

/// Every file of a game by its path, without its content.
fn files(bench: &Bench, game: &str) -> Vec<String> {
    bench.picture(game).into_iter().map(|(path, _)| path.replace('\\', "/")).collect()
}

/// The effect of a plan: place, and the sides.
fn steps(bench: &Bench, words: &[&str]) -> Vec<String> {
    let mut words = words.to_vec();
    words.push("--dry-run");
    let plan = bench.json(&words);
    let mut steps: Vec<String> = plan["steps"]
        .as_array()
        .unwrap()
        .iter()
        .map(|step| {
            let what = match (step["before"].is_null(), step["after"].is_null()) {
                (true, _) => "new",
                (_, true) => "gone",
                _ => "swapped",
            };
            format!("{} {what}", step["path"].as_str().unwrap())
        })
        .collect();
    steps.sort();
    steps
}

#[test]
fn an_extender_comes_with_starter_and_scripts_and_without_its_sources() {
    let bench = Bench::world();
    // The game's own folder has another spelling than the package's.
    for (from, to) in [("Data", "aside"), ("aside", "data")] {
        fs::rename(bench.file(MOSS).join(from), bench.file(MOSS).join(to)).unwrap();
    }
    let before = bench.picture(MOSS);
    bench.ok(&["rack", "add", "downloads/lampwright-31.4.zip"]);
    let fit = ["fit", MOSS, "lampwright"];
    assert_eq!(
        steps(&bench, &fit),
        [
            "data/rules/lamp-core.rule new",
            "data/rules/lamp-lanterns.rule new",
            "lampwright-22.4.7.dll swapped",
            "lampwright-run.exe swapped",
        ]
    );
    bench.ok(&fit);
    assert!(files(&bench, MOSS).contains(&"data/rules/lamp-core.rule".to_owned()));
    assert_eq!(files(&bench, MOSS).len(), before.len() + 2);
    bench.ok(&["rollback", MOSS]);
    assert_eq!(bench.picture(MOSS), before);
    assert!(!bench.file(&format!("{MOSS}/data/rules")).exists(), "its folder goes with it");
}

#[test]
fn the_build_that_knows_this_executable_is_chosen_and_its_texts_say_what_is_new() {
    let bench = Bench::world();
    let zips = ["downloads/lampwright-31.4.zip", "downloads/lampwright-31.6.zip"];
    bench.ok(&["rack", "add", zips[0], zips[1]]);
    assert!(bench.ok(&["fit", MOSS, "lampwright", "--dry-run"]).contains("lampwright@31.4.0+x86"));
    let notes = bench.ok(&["rack", "notes", "lampwright@31.6.0", "--for", MOSS]);
    assert!(notes.contains("since 31.1.0, which Moss & Meridian has"), "{notes}");
    assert!(notes.contains("Knows 22.4.9") && notes.contains("keep their colour"), "{notes}");
    assert!(!notes.contains("First for 22.4.7"), "{notes}");
    bench.ok(&["fit", MOSS, "lampwright@31.4.0"]);
    let list = bench.json(&["rack", "list"]);
    assert_eq!(list["builds"][1]["in_use_by"][0], "moss-meridian");
    assert_eq!(list["builds"][0]["supports"], "22.4.9");
}

#[test]
fn what_an_older_build_left_goes_when_a_newer_one_comes() {
    let package = |version: [u16; 4], more: &[(&str, &[u8])]| {
        let loader = library("glim.dll", "Nib", version);
        let mut entries: Vec<(&str, &[u8])> = vec![("glim.dll", &loader)];
        entries.extend_from_slice(more);
        archive::zip(&entries, DATE)
    };
    let old = package([1, 0, 0, 0], &[("helper/old.bin", b"old"), ("glim.ini", b"[A]\nb=1\n")]);
    let new = package([2, 0, 0, 0], &[("helper/new.bin", b"new")]);
    let bench = Bench::world();
    bench.write("old.zip", &old);
    bench.write("new.zip", &new);
    let game = "games/Kite Harbour";
    let before = bench.picture(game);
    bench.ok(&["rack", "add", "old.zip", "new.zip"]);
    bench.ok(&["fit", game, "glim@1.0.0", "--as", "opengl32.dll"]);
    let changed =
        ["System/helper/new.bin new", "System/helper/old.bin gone", "System/opengl32.dll swapped"];
    assert_eq!(steps(&bench, &["fit", game, "glim@2.0.0"]), changed, "the settings stay");
    bench.ok(&["fit", game, "glim@2.0.0"]);
    bench.ok(&["rollback", game]);
    assert_eq!(bench.picture(game), before);

    // The same, if the older build was installed by hand.
    for (file, content) in [
        ("opengl32.dll", library("glim.dll", "Nib", [1, 0, 0, 0])),
        ("helper/old.bin", b"old".to_vec()),
    ] {
        bench.write(&format!("{game}/System/{file}"), &content);
    }
    assert_eq!(steps(&bench, &["fit", game, "glim@2.0.0"]), changed);
    bench.write(&format!("{game}/System/helper/old.bin"), b"mine");
    assert_eq!(steps(&bench, &["fit", game, "glim@2.0.0"]).len(), 2, "what is not known stays");
}

#[test]
fn settings_that_cannot_be_merged_stay_and_it_is_said() {
    let bench = Bench::world();
    let loader = library("glim.dll", "Nib", [1, 0, 0, 0]);
    let entries: [(&str, &[u8]); 2] = [("glim.dll", &loader), ("glim.ini", b"[A]\nb=1\n")];
    bench.write("glim.zip", &archive::zip(&entries, DATE));
    bench.ok(&["rack", "add", "glim.zip"]);
    let game = "games/Kite Harbour";
    let plan = ["fit", game, "glim", "--as", "opengl32.dll", "--dry-run"];
    for (own, why) in [
        ("; a comment\n".repeat(200_000), "is longer than 2.0 MB"),
        ("k=1\n".repeat(60_000), "more than 50000 lines"),
    ] {
        bench.write(&format!("{game}/System/glim.ini"), own.as_bytes());
        let said = crate::common::flat(&bench.ok(&plan));
        assert!(said.contains("System/glim.ini stays as it is") && said.contains(why), "{said}");
    }
    bench.write(&format!("{game}/System/glim.ini"), b"[A]\nb=2\n");
    assert!(!bench.ok(&plan).contains("stays as it is"));
}

#[test]
fn the_data_part_is_handed_off_as_an_archive_that_begins_where_a_mod_manager_does() {
    let bench = Bench::world();
    fs::create_dir(bench.file("mods")).unwrap();
    bench.ok(&["rack", "add", "downloads/lampwright-31.4.zip"]);
    let fit = ["fit", MOSS, "lampwright", "--handoff", "mods"];
    assert_eq!(
        steps(&bench, &fit),
        ["lampwright-22.4.7.dll swapped", "lampwright-run.exe swapped"]
    );
    let said = bench.ok(&fit);
    assert!(said.contains("mods/lampwright-31.4.0-data.zip"), "{said}");
    let file = fs::File::open(bench.file("mods/lampwright-31.4.0-data.zip")).unwrap();
    let mut zip = zip::ZipArchive::new(file).unwrap();
    let names: Vec<String> = zip.file_names().map(str::to_owned).collect();
    assert_eq!(names, ["rules/lamp-core.rule", "rules/lamp-lanterns.rule"]);
    let mut text = String::new();
    std::io::Read::read_to_string(&mut zip.by_index(0).unwrap(), &mut text).unwrap();
    assert!(text.contains("version 31.4.0"));
    bench.ok(&fit);
    fs::write(bench.file("mods/lampwright-31.4.0-data.zip"), "mine").unwrap();
    let said = errors(&bench.run(&fit).code(2));
    assert!(said.contains("is there already, with other content"), "{said}");
}

#[test]
fn a_layout_is_printed_edited_and_remembered_for_the_next_version() {
    let bench = Bench::world();
    bench.ok(&["rack", "add", "downloads/lampwright-31.4.zip"]);
    let layout = bench.ok(&["rack", "show", "lampwright", "--layout"]);
    assert!(layout.contains("from = \"Data/rules/lamp-core.rule\""), "{layout}");
    // The starter is not wanted, the scripts go elsewhere, and one of them to a mod manager.
    let mut blocks: Vec<String> = layout.split("[[file]]").map(str::to_owned).collect();
    blocks.retain(|block| !block.contains("lampwright-run.exe"));
    let edited = blocks
        .join("[[file]]")
        .replace("to = \"Data/rules/lamp-core.rule\"", "to = \"Mods/lamp-core.rule\"");
    let last = edited.rfind("replace").unwrap();
    let edited = format!("{}handoff{}", &edited[..last], &edited[last + 7..]);
    bench.write("mine.toml", edited.as_bytes());
    bench.ok(&["rack", "add", "downloads/lampwright-31.4.zip", "--layout", "mine.toml"]);
    // A dry run reports the same as the real run: the hand-off folder is missing.
    for words in [&["fit", MOSS, "lampwright"][..], &["fit", MOSS, "lampwright", "--dry-run"]] {
        let said = errors(&bench.run(words).code(2));
        assert!(said.contains("--handoff DIR"), "{said}");
    }
    fs::create_dir(bench.file("mods")).unwrap();
    let fit = |build: &'static str| ["fit", MOSS, build, "--handoff", "mods"];
    let wanted = ["lampwright-22.4.7.dll swapped"];
    assert_eq!(steps(&bench, &fit("lampwright")), wanted);

    bench.write("next.zip", &lampwright_package([31, 8, 0, 0], "22.4.7", DATE));
    bench.ok(&["rack", "add", "next.zip"]);
    assert_eq!(steps(&bench, &fit("lampwright@31.8.0")), wanted);
    let shown = bench.ok(&["rack", "show", "lampwright@31.8.0"]);
    let starter = shown.lines().find(|line| line.contains("lampwright-run.exe")).unwrap();
    assert!(starter.contains("stays on the rack"), "{shown}");
}

#[test]
fn layouts_that_cannot_be_are_said_with_their_line() {
    let bench = Bench::world();
    let head = "schema = 2\nfamily = \"lampwright\"\n";
    for (text, code, wanted) in [
        ("schema = 9\nfamily = \"lampwright\"\n".to_owned(), 4, "schema 9 is not known"),
        (
            format!(
                "{head}[[file]]\nfrom = \"a.dll\"\nbay = \"exe\"\nto = \"../a.dll\"\npolicy = \"replace\"\n"
            ),
            4,
            "mine.toml:6: `../a.dll` cannot be used as a path",
        ),
        (
            format!("{head}[[file]]\nfrom = \"a.dll\"\nbay = \"exe\"\npolicy = \"burn\"\n"),
            4,
            "mine.toml:6: unknown variant `burn`",
        ),
        (
            format!("{head}[[file]]\nfrom = \"a.dll\"\nbay = \"My Bay\"\npolicy = \"keep\"\n"),
            4,
            "mine.toml:5: `My Bay` is not a bay",
        ),
        (
            head.replace("lampwright", "undertow"),
            1,
            "the layout is for undertow, and this holds lampwright",
        ),
    ] {
        bench.write("mine.toml", text.as_bytes());
        let words = ["rack", "add", "downloads/lampwright-31.4.zip", "--layout", "mine.toml"];
        let said = errors(&bench.run(&words).code(code));
        assert!(said.contains(wanted), "{said}");
    }
    let none = bench.json(&["rack", "list"]);
    assert_eq!(none["builds"].as_array().unwrap().len(), 0);
}

#[test]
fn the_same_files_go_to_a_second_place_outside_the_game_and_come_back_from_it() {
    let bench = Bench::world();
    fs::create_dir_all(bench.file("client/plugins")).unwrap();
    bench.write("client/plugins/undertow.dll", b"something of the user's");
    let before = (bench.picture("games/Saltglass Drift"), bench.picture("client"));
    let layout = "schema = 2\nfamily = \"undertow\"\n\
        [[file]]\nfrom = \"**/undertow.dll\"\nbay = \"exe\"\nto = \"undertow.dll\"\npolicy = \"replace\"\n\
        [[file]]\nfrom = \"**/undertow.dll\"\nbay = \"second\"\nto = \"undertow.dll\"\npolicy = \"replace\"\n";
    bench.write("mine.toml", layout.as_bytes());
    bench.ok(&["rack", "add", "downloads/undertow-2.3.0.zip", "--layout", "mine.toml"]);
    let game = "games/Saltglass Drift";
    let said = output(&bench.run(&["fit", game, "undertow"]).code(3));
    assert!(
        said.contains("the bay `second`, which Saltglass Drift lacks. [bay-unknown]"),
        "{said}"
    );
    bench.ok(&["game", "set", game, "--bay", "second=client/plugins"]);
    bench.ok(&["fit", game, "undertow"]);
    let placed = fs::read(bench.file("client/plugins/undertow.dll")).unwrap();
    assert_eq!(placed, fs::read(bench.file(&format!("{game}/bin/winmm.dll"))).unwrap());
    bench.ok(&["rollback", game, "undertow"]);
    assert_eq!((bench.picture(game), bench.picture("client")), before);
}

#[test]
fn a_layout_retires_what_the_same_maker_left_and_nothing_else() {
    let bench = Bench::world();
    let game = "games/Kite Harbour";
    bench.write(&format!("{game}/System/opengl32.dll"), &library("glim.dll", "Nib", [1, 0, 0, 0]));
    bench.write(&format!("{game}/System/glim_old.dll"), &library("other.dll", "Nib", [1, 0, 0, 0]));
    bench.write(&format!("{game}/System/theirs.dll"), &library("t.dll", "Else", [1, 0, 0, 0]));
    bench.write(
        "glim.zip",
        &archive::zip(&[("glim.dll", &library("glim.dll", "Nib", [2, 0, 0, 0]))], DATE),
    );
    let layout = "schema = 2\nfamily = \"glim\"\nretires = [\"glim_old.dll\", \"THEIRS.dll\"]\n\
        [[file]]\nfrom = \"glim.dll\"\nbay = \"exe\"\npolicy = \"replace\"\n";
    bench.write("mine.toml", layout.as_bytes());
    bench.ok(&["rack", "add", "glim.zip", "--layout", "mine.toml"]);
    let fit = ["fit", game, "glim"];
    assert_eq!(steps(&bench, &fit), ["System/glim_old.dll gone", "System/opengl32.dll swapped"]);
    let said = bench.ok(&["fit", game, "glim", "--dry-run"]);
    assert!(said.contains("System/theirs.dll was left alone"), "{said}");
}

#[test]
fn a_loader_gets_the_name_that_the_game_loads_unless_another_has_it() {
    let bench = Bench::world();
    bench.ok(&["rack", "add", "downloads/undertow-2.3.0.zip"]);
    let game = "games/Kite Harbour";
    let despite = ["--despite", "entry-incomplete", "--despite", "entry-not-loaded"];
    let named = |name: &'static str| {
        let mut words = vec!["fit", game, "undertow", "--as", name];
        words.extend(despite);
        words
    };
    let (fresh, moved) = (named("opengl32.dll"), named("winmm.dll"));
    assert_eq!(steps(&bench, &fresh), ["System/opengl32.dll new", "System/undertow.ini new"]);
    bench.ok(&fresh);
    // Under another name the old one goes.
    assert_eq!(steps(&bench, &moved), ["System/opengl32.dll gone", "System/winmm.dll new"]);
    bench.ok(&moved);
    bench.ok(&["rollback", game]);
    bench.write(&format!("{game}/System/winmm.dll"), &library("glim.dll", "Else", [1, 0, 0, 0]));
    let said = output(&bench.run(&moved).code(3));
    let said = said.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(said.contains("would replace System/winmm.dll, which is glim"), "{said}");
}

#[test]
fn the_parts_of_a_runtime_go_each_to_its_own_place() {
    let bench = Bench::world();
    let game = "games/Kite Harbour";
    let old = format!("{game}/System/saltlamp.dll");
    fs::create_dir(bench.file(&format!("{game}/Fonts"))).unwrap();
    fs::rename(bench.file(&old), bench.file(&format!("{game}/Fonts/SaltLamp.dll"))).unwrap();
    fs::remove_file(bench.file(&format!("{game}/System/quern.dll"))).unwrap();
    bench.ok(&["rack", "add", "downloads/brine-2.8.1-win64.zip"]);
    let wanted = ["Fonts/SaltLamp.dll swapped", "System/brine.dll swapped"];
    assert_eq!(steps(&bench, &["fit", game, "brine"]), wanted, "a part that it lacks stays out");

    let needs = world::brine([2, 9, 0, 0]).imports("quern.dll", &["quern_open"]);
    let part = world::brine_part("quern", 90).to_bytes();
    let zip = archive::zip(&[("brine.dll", &needs.to_bytes()), ("quern.dll", &part)], DATE);
    bench.write("brine.zip", &zip);
    bench.ok(&["rack", "add", "brine.zip"]);
    let wanted = ["System/brine.dll swapped", "System/quern.dll new"];
    assert_eq!(steps(&bench, &["fit", game, "brine@2.9.0"]), wanted, "unless another needs it");
}

#[test]
fn what_a_file_does_not_tell_can_be_told_and_is_learned() {
    let bench = Bench::world();
    let plain = Pe::dll(Bits::Bits64, "x.dll").export("lens", 1).to_bytes();
    bench.write("x.dll", &plain);
    bench.ok(&["rack", "add", "x.dll"]);
    bench.ok(&["rack", "add", "x.dll", "--version", "1.2"]);
    let list = bench.json(&["rack", "list"]);
    assert_eq!(list["builds"][0]["build"], "x@1.2", "a version that was told names the build");
    bench.ok(&["rack", "add", "x.dll", "--version", "1.2", "--family", "lens"]);
    assert!(bench.ok(&["family", "show", "lens"]).contains("x.dll"));
    let plain = Pe::dll(Bits::Bits64, "y.dll").export("lens", 1).to_bytes();
    let noted = archive::zip(&[("y.dll", &plain), ("readme.txt", b"This is Y 4.5\n")], DATE);
    bench.write("pack.zip", &noted);
    bench.ok(&["rack", "add", "pack.zip"]);
    let list = bench.json(&["rack", "list", "y"]);
    assert_eq!(list["builds"][0]["version"], "4.5", "{list}");

    let catalog = b"schema = 1\n[[family]]\nid = \"y\"\nnames = [\"y.dll\"]\n\
        [[family.supports]]\nbuilds = \"4.*\"\ngame = \"2.0 - 2.4\"\n";
    bench.write("home/catalog/mine.toml", catalog);
    let list = bench.json(&["rack", "list", "y"]);
    assert_eq!(list["builds"][0]["supports"], "2.0 - 2.4");
}

#[test]
fn a_variant_is_named_where_nothing_decides() {
    let bench = Bench::world();
    let one = library("glim.dll", "Nib", [3, 0, 0, 0]);
    let two = library("glim.dll", "Nib", [3, 0, 0, 1]);
    let zip = archive::zip(&[("light/glim.dll", &one), ("full/glim.dll", &two)], DATE);
    bench.write("glim.zip", &zip);
    let game = "games/Kite Harbour";
    let said = errors(&bench.run(&["fit", game, "glim.zip", "--as", "opengl32.dll"]).code(2));
    assert!(said.contains("--variant") && said.contains("+light"), "{said}");
    let fit = ["fit", game, "glim.zip", "--variant", "light", "--as", "opengl32.dll"];
    assert_eq!(steps(&bench, &fit), ["System/opengl32.dll new"]);
    bench.ok(&["rack", "add", "glim.zip"]);
    bench.ok(&["fit", game, "glim", "--variant", "light", "--as", "opengl32.dll"]);
    assert_eq!(fs::read(bench.file(&format!("{game}/System/opengl32.dll"))).unwrap(), one);
}

#[test]
fn a_package_for_several_versions_of_the_game_gives_a_build_for_each() {
    let bench = Bench::world();
    let lamp = |serves| world::lampwright([2, 3, 0, 0], serves).to_bytes();
    let zip = archive::zip(
        &[("lampwright-22.4.7.dll", &lamp("22.4.7")), ("lampwright-22.4.9.dll", &lamp("22.4.9"))],
        DATE,
    );
    bench.write("lamp.zip", &zip);
    bench.ok(&["rack", "add", "lamp.zip"]);
    let list = bench.json(&["rack", "list"]);
    assert_eq!(list["builds"].as_array().unwrap().len(), 1, "{list}");
    assert_eq!(list["builds"][0]["variants"].as_array().unwrap().len(), 2, "{list}");
    assert_eq!(steps(&bench, &["fit", MOSS, "lampwright"]), ["lampwright-22.4.7.dll swapped"]);
}
