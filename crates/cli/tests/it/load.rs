//! Whether a game will start: its whole loading, broken from outside in many ways, and the law above the checks.

use std::fs;

use crate::common::{Bench, errors, flat, output};
use upright_spanner_sample::pe::{Bits, Pe};
use upright_spanner_sample::resource::VersionInfo;
use upright_spanner_sample::world;

const GAME: &str = "games/Pier";

fn library(name: &str, version: [u16; 4], exports: &[&str]) -> Pe {
    let info = VersionInfo::new(version).with("CompanyName", "Nib").with("OriginalFilename", name);
    let library = Pe::dll(Bits::Bits64, name).version(&info);
    exports.iter().fold(library, |library, name| library.export(name, 1))
}

fn executable() -> Pe {
    world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 5, 0, 0])
        .imports("core.dll", &["open", "close"])
        .delay_imports("late.dll", &["later"])
}

fn core(version: [u16; 4]) -> Pe {
    library("core.dll", version, &["open", "close"]).imports("deep.dll", &["dive"])
}

fn deep() -> Pe {
    library("deep.dll", [1, 0, 0, 0], &["dive", "rise"])
}

/// A game with an executable, its imports, a plugin with its own ending, and a tool.
fn pier() -> Bench {
    let bench = Bench::empty();
    let put = |path: &str, pe: &Pe| bench.write(&format!("{GAME}/{path}"), &pe.to_bytes());
    put("bin/Pier.exe", &executable());
    put("bin/core.dll", &core([1, 0, 0, 0]));
    put("bin/deep.dll", &deep());
    put("bin/late.dll", &library("late.dll", [1, 0, 0, 0], &["later"]));
    // A folder for plugins may hold none under a known ending.
    let lone = library("lone.plug", [1, 0, 0, 0], &["lone"]);
    put("bin/addons/lone.plug", &lone);
    let plugin = library("grain.plug", [1, 0, 0, 0], &["grain"]).imports("core.dll", &["open"]);
    put("bin/plugins/grain.plug", &plugin);
    put("bin/plugins/twin.dll", &library("twin.dll", [1, 0, 0, 0], &["twin"]));
    put(
        "tools/Editor.exe",
        &world::helper_exe(Bits::Bits32, "Pier map editor", "Nine Knots", "Editor.exe"),
    );
    bench.ok(&["survey", "games"]);
    bench
}

fn put(bench: &Bench, path: &str, pe: &Pe) {
    bench.write(&format!("{GAME}/{path}"), &pe.to_bytes());
}

fn remove(bench: &Bench, path: &str) {
    std::fs::remove_file(bench.file(&format!("{GAME}/{path}"))).unwrap();
}

/// What `check` says in one line, with the exit code; `check --all` has to agree.
fn checked(bench: &Bench, code: i32) -> String {
    let one = bench.json(&["check", GAME]);
    let all = bench.json(&["check", "--all"]);
    assert_eq!(one["games"], all["games"], "the game and all games");
    flat(&output(&bench.run(&["check", GAME]).code(code)))
}

#[test]
fn a_whole_game_is_fine_and_shows_what_it_loads() {
    let bench = pier();
    let said = checked(&bench, 0);
    assert!(said.contains("the game itself 1.5.0 fine"), "{said}");
    let tree = bench.ok(&["check", GAME, "--loads"]);
    for line in [
        "  Pier.exe                      1.5.0    bin/Pier.exe",
        "    core.dll                    1.0.0    bin/core.dll",
        "      deep.dll                  1.0.0    bin/deep.dll",
        "    late.dll (at a first call)  1.0.0    bin/late.dll",
        "  grain.plug (by name)          1.0.0    bin/plugins/grain.plug",
        "  lone.plug (by name)           1.0.0    bin/addons/lone.plug",
        "  Editor.exe                    1.0.0    tools/Editor.exe",
    ] {
        assert!(tree.contains(line), "{line}\n{tree}");
    }
    let way = bench.ok(&["check", GAME, "--loads", "deep.dll"]);
    let way: Vec<&str> = way.lines().map(str::trim_start).collect();
    assert_eq!(
        way,
        [
            "bin/Pier.exe 1.5.0  at the start",
            "bin/core.dll 1.0.0  at the start",
            "bin/deep.dll 1.0.0  at the start"
        ]
    );
    let said = output(&bench.run(&["check", GAME, "--loads", "nothing.dll"]).code(1));
    assert!(said.contains("Nothing in Pier asks for nothing.dll"), "{said}");
    let document = bench.json(&["check", GAME, "--loads"]);
    let imports = &document["processes"][0]["images"][1]["imports"];
    assert_eq!(
        (&imports[0]["library"], &imports[0]["found"]),
        (&"deep.dll".into(), &"file".into())
    );
}

/// A way to break a game: its name, the action, and the expected message.
type Breaking<'a> = (&'a str, &'a dyn Fn(&Bench), &'a [&'a str]);

/// Breaks a game in each of some ways, and compares the messages.
fn assert_named(ways: &[Breaking<'_>]) {
    for (what, broken, expected) in ways {
        let bench = pier();
        broken(&bench);
        let code = i32::from(!what.contains("first call"));
        let said = checked(&bench, code);
        for words in *expected {
            assert!(said.contains(words), "{what}: {words}\n{said}");
        }
    }
}

#[test]
fn a_library_that_is_broken_from_outside_is_named() {
    let narrow = Pe::dll(Bits::Bits32, "core.dll").export("open", 1).export("close", 1);
    let lacking = library("core.dll", [2, 0, 0, 0], &["open"]);
    let whole = core([1, 0, 0, 0]).padding(5000).to_bytes();
    let cut = whole[..whole.len() - 4000].to_vec();
    assert_named(&[
        (
            "deleted",
            &|bench| remove(bench, "bin/core.dll"),
            &[
                "stop: Pier.exe needs core.dll, which is neither beside Pier.exe nor part of Windows: the game does not start. [needs-runtime]",
            ],
        ),
        (
            "cut short",
            &|bench| bench.write(&format!("{GAME}/bin/core.dll"), &cut),
            &["stop: Pier.exe needs bin/core.dll", "it is cut short: a section", "[image-damaged]"],
        ),
        (
            "emptied",
            &|bench| bench.write(&format!("{GAME}/bin/core.dll"), b""),
            &[
                "stop: Pier.exe needs bin/core.dll, and Windows cannot load that, since it is empty (0 bytes): the game does not start. [image-damaged]",
            ],
        ),
        (
            "a page of an error instead",
            &|bench| bench.write(&format!("{GAME}/bin/core.dll"), b"<html>404 Not Found</html>"),
            &[
                "since it is not a Windows library or program but a text file: the game does not start. [image-damaged]",
            ],
        ),
        (
            "another machine",
            &|bench| put(bench, "bin/core.dll", &narrow),
            &[
                "stop: Pier.exe needs bin/core.dll, which is 32-bit, and Pier.exe is 64-bit: the game does not start. [machine-mismatch]",
            ],
        ),
        (
            "a build that lacks a function",
            &|bench| put(bench, "bin/core.dll", &lacking),
            &[
                "stop: bin/core.dll lacks a function that Pier.exe imports from core.dll: close; the game does not start. [exports-missing]",
            ],
        ),
    ]);
}

#[test]
fn what_a_library_needs_in_turn_is_named_when_it_is_broken() {
    let leading = library("core.dll", [2, 0, 0, 0], &["open"]).forward("close", "elsewhere.close");
    let program = executable().padding(5000).to_bytes();
    assert_named(&[
        (
            "what it needs in turn is gone",
            &|bench| remove(bench, "bin/deep.dll"),
            &[
                "stop: bin/core.dll needs deep.dll, which is neither beside Pier.exe nor part of Windows: the game does not start.",
            ],
        ),
        (
            "what it needs was moved to another folder",
            &|bench| {
                remove(bench, "bin/deep.dll");
                put(bench, "bin/plugins/deep.dll", &deep());
            },
            &[
                "stop: bin/core.dll needs deep.dll",
                "(bin/plugins/deep.dll is not where Pier.exe looks)",
            ],
        ),
        (
            "what it needs in turn lacks a function",
            &|bench| put(bench, "bin/deep.dll", &library("deep.dll", [2, 0, 0, 0], &["rise"])),
            &[
                "stop: bin/deep.dll lacks a function that bin/core.dll imports from deep.dll: dive; the game does not start.",
            ],
        ),
        (
            "it leads on to nothing",
            &|bench| put(bench, "bin/core.dll", &leading),
            &[
                "stop: Pier.exe needs elsewhere.dll through a library that leads on to it, which is neither beside Pier.exe nor part of Windows",
            ],
        ),
        (
            "a download that did not end",
            &|bench| {
                let (from, to) = ("bin/core.dll", "bin/core.dll.part");
                let place = |name: &str| bench.file(&format!("{GAME}/{name}"));
                std::fs::rename(place(from), place(to)).unwrap();
            },
            &[
                "stop: Pier.exe needs core.dll",
                "bin/core.dll.part is the remains of an unfinished download",
                "[download-unfinished]",
            ],
        ),
        (
            "the program is cut short",
            &|bench| {
                bench.write(&format!("{GAME}/bin/Pier.exe"), &program[..program.len() - 4000]);
                bench.ok(&["game", "set", GAME, "--executable", "bin/Pier.exe"]);
            },
            &[
                "stop: bin/Pier.exe is not a whole library or program: it is cut short",
                "[image-damaged]",
            ],
        ),
        (
            "what is wanted at a first call is gone",
            &|bench| remove(bench, "bin/late.dll"),
            &["note: Pier.exe needs late.dll", "it fails when that is first called"],
        ),
        (
            "a debug build",
            &|bench| put(bench, "bin/deep.dll", &deep().imports("vcruntime140d.dll", &["memcpy"])),
            &["stop: bin/deep.dll needs vcruntime140d.dll", "use the release build"],
        ),
    ]);
}

#[test]
fn a_plugin_is_a_root_of_its_own_and_breaks_no_start() {
    let bench = pier();
    put(
        &bench,
        "bin/plugins/twin.dll",
        &library("twin.dll", [2, 0, 0, 0], &["twin"]).imports("gone.dll", &["x"]),
    );
    let said = checked(&bench, 1);
    assert!(said.contains("warn: bin/plugins/twin.dll needs gone.dll"), "{said}");
    assert!(said.contains("it does not load. [needs-runtime]"), "{said}");
    // Files beside it are found in its folder.
    put(&bench, "bin/plugins/gone.dll", &library("gone.dll", [1, 0, 0, 0], &["x"]));
    let said = checked(&bench, 0);
    assert!(!said.contains("needs gone.dll"), "{said}");
}

#[test]
fn windows_is_asked_for_functions_too() {
    let bench = pier();
    put(&bench, "bin/deep.dll", &deep().imports("KERNEL32.dll", &["GetTickCount", "NoSuchTick"]));
    let said = checked(&bench, 1);
    let wanted = "stop: bin/deep.dll asks Windows' own KERNEL32.dll for a function (NoSuchTick), which that lacks";
    assert!(said.contains(wanted), "{said}");
    // Unknown exports of Windows are not reported as missing.
    let unsure = deep()
        .imports("d3dscache.dll", &["CreateCache"])
        .imports("api-ms-win-core-file-l1-2-0.dll", &["CreateFile2"])
        .imports("ws2_32.dll", &["#115"])
        .imports("vcruntime140.dll", &["memcpy"]);
    bench.write("new/deep.dll", &unsure.version(&VersionInfo::new([2, 0, 0, 0])).to_bytes());
    let said = flat(&bench.ok(&["fit", GAME, "new/deep.dll"]));
    let wanted = "warn: bin/deep.dll asks Windows' own d3dscache.dll for a function, and whether every Windows offers \
                  that is not known: CreateCache. [functions-unknown]";
    assert!(said.contains(wanted), "{said}");
    assert_eq!(said.matches("warn:").count(), 1, "{said}");
    let said = checked(&bench, 0);
    assert!(!said.contains("unknown"), "{said}");
}

#[test]
fn a_dot_net_library_runs_on_any_machine_unless_it_wants_32_bits() {
    for (wants_32_bits, code) in [(false, 0), (true, 1)] {
        let bench = pier();
        let named = VersionInfo::new([2, 0, 0, 0]).with("CompanyName", "Nib");
        let build = Pe::dll(Bits::Bits32, "late.dll").version(&named).export("later", 1);
        bench.write("new/late.dll", &build.managed(wants_32_bits).to_bytes());
        let fit = bench.run(&["fit", GAME, "new/late.dll", "--dry-run"]);
        let said = flat(&output(&fit.code(if wants_32_bits { 3 } else { 0 })));
        assert_eq!(said.contains("[machine-mismatch]"), wants_32_bits, "{said}");
        let managed = Pe::dll(Bits::Bits32, "late.dll").export("later", 1).managed(wants_32_bits);
        put(&bench, "bin/late.dll", &managed);
        let said = output(&bench.run(&["check", GAME, "--loads"]).code(code));
        assert_eq!(said.contains("32-bit"), wants_32_bits, "{said}");
    }
}

/// Puts builds on the rack.
fn racked(bench: &Bench, builds: &[&Pe], name: &str) {
    for build in builds {
        bench.write(&format!("new/{name}"), &build.to_bytes());
        bench.ok(&["rack", "add", &format!("new/{name}")]);
    }
}

#[test]
fn no_fit_makes_a_game_load_less() {
    let narrow = Pe::dll(Bits::Bits32, "core.dll")
        .version(&VersionInfo::new([2, 0, 0, 0]).with("CompanyName", "Nib"))
        .export("open", 1)
        .export("close", 1);
    for (what, build, code) in [
        ("what it needs is there", core([2, 0, 0, 0]), None),
        ("it needs less", library("core.dll", [2, 0, 0, 0], &["open", "close"]), None),
        ("it needs more of Windows", core([2, 0, 0, 0]).imports("USER32.dll", &["GetDC"]), None),
        (
            "it needs a stranger",
            core([2, 0, 0, 0]).imports("prism.dll", &["bend"]),
            Some("needs-runtime"),
        ),
        (
            "it needs what the other lacks",
            core([2, 0, 0, 0]).imports("late.dll", &["sooner"]),
            Some("exports-missing"),
        ),
        ("it offers less", library("core.dll", [2, 0, 0, 0], &["open"]), Some("exports-missing")),
        ("it is for another machine", narrow, Some("machine-mismatch")),
        (
            "it leads on to nothing",
            library("core.dll", [2, 0, 0, 0], &["open"]).forward("close", "away.close"),
            Some("needs-runtime"),
        ),
        (
            "Windows lacks it",
            core([2, 0, 0, 0]).imports("KERNEL32.dll", &["NoSuchTick"]),
            Some("exports-missing"),
        ),
    ] {
        let bench = pier();
        bench.write("new/core.dll", &build.to_bytes());
        let before = bench.picture(GAME);
        let fit = bench.run(&["fit", GAME, "new/core.dll", "--yes"]);
        match code {
            None => drop(fit.code(0)),
            Some(code) => {
                let said = flat(&output(&fit.code(3)));
                assert!(said.contains(&format!("[{code}]")), "{what}: {said}");
                assert_eq!(bench.picture(GAME), before, "{what}");
                bench.run(&["fit", GAME, "new/core.dll", "--despite", code]).code(0);
                checked(&bench, 1);
            }
        }
    }
}

#[test]
fn a_name_of_its_own_is_no_way_around_the_law() {
    let bench = pier();
    let build = library("fresh.dll", [2, 0, 0, 0], &["open"]);
    bench.write("new/fresh.dll", &build.to_bytes());
    let said =
        flat(&output(&bench.run(&["fit", GAME, "new/fresh.dll", "--as", "core.dll"]).code(3)));
    assert!(said.contains("imports from core.dll: close"), "{said}");
}

#[test]
fn what_comes_in_the_same_build_counts_as_there() {
    let bench = pier();
    let core = core([2, 0, 0, 0]).imports("prism.dll", &["bend"]);
    bench.write("new/core.dll", &core.to_bytes());
    bench.write("new/prism.dll", &library("prism.dll", [2, 0, 0, 0], &["bend"]).to_bytes());
    bench.ok(&["fit", GAME, "new"]);
    checked(&bench, 0);
}

#[test]
fn what_was_broken_before_is_said_once_and_stops_nothing() {
    let bench = pier();
    remove(&bench, "bin/deep.dll");
    bench.write("new/late.dll", &library("late.dll", [2, 0, 0, 0], &["later"]).to_bytes());
    let said = flat(&bench.ok(&["fit", GAME, "new/late.dll"]));
    assert!(said.contains("[broken-before]"), "{said}");
    assert!(said.contains("List the missing files: spanner check pier"), "{said}");
    // A build with the missing library repairs it.
    bench.write("new/core.dll", &library("core.dll", [2, 0, 0, 0], &["open", "close"]).to_bytes());
    let said = bench.ok(&["fit", GAME, "new/core.dll"]);
    assert!(!said.contains("broken-before"), "{said}");
    checked(&bench, 0);
}

#[test]
fn going_back_to_what_the_game_shipped_is_told_and_never_stopped() {
    let bench = pier();
    // Two fits, where the second depends on the first: more is exported, and requested.
    let more = library("deep.dll", [2, 0, 0, 0], &["dive", "rise", "drift"]);
    bench.write("new/deep.dll", &more.to_bytes());
    bench.ok(&["fit", GAME, "new/deep.dll"]);
    bench.write("new/core.dll", &core([2, 0, 0, 0]).imports("deep.dll", &["drift"]).to_bytes());
    bench.ok(&["fit", GAME, "new/core.dll"]);
    let said = flat(&bench.ok(&["rollback", GAME, "deep", "--yes"]));
    assert!(
        said.contains("warn: bin/deep.dll lacks a function that bin/core.dll imports"),
        "{said}"
    );
    checked(&bench, 1);
    let said = flat(&output(&bench.run(&["check", GAME]).code(1)));
    assert!(said.contains("drift"), "{said}");
    bench.ok(&["rollback", GAME]);
    checked(&bench, 0);
    // To a point that was named, it is a change like others.
    bench.ok(&["rollback", GAME, "--to", "2"]);
    let said = flat(&output(&bench.run(&["rollback", GAME, "deep", "--to", "0"]).code(0)));
    assert!(said.contains("[exports-missing]"), "{said}");
}

#[test]
fn parking_what_others_import_is_refused_and_what_it_alone_brought_is_no_hindrance() {
    let bench = pier();
    let info = VersionInfo::new([1, 0, 0, 0])
        .with("CompanyName", "Glim")
        .with("FileDescription", "Glim plugin loader")
        .with("OriginalFilename", "winmm.dll");
    let loader = Pe::dll(Bits::Bits64, "winmm.dll")
        .version(&info)
        .export("timeGetTime", 1)
        .export("glim", 1);
    put(&bench, "bin/Pier.exe", &executable().imports("WINMM.dll", &["timeGetTime"]));
    put(&bench, "bin/winmm.dll", &loader);
    let plugin = library("haze.glim", [1, 0, 0, 0], &["x"]).imports("winmm.dll", &["glim"]);
    put(&bench, "bin/plugins/haze.glim", &plugin);
    let said = flat(&bench.ok(&["park", GAME, "winmm"]));
    assert!(said.contains("Done: change 1"), "{said}");
    bench.ok(&["unpark", GAME, "winmm"]);
    checked(&bench, 0);
    // A library of the game imports it now: without it, that does not load.
    put(&bench, "bin/deep.dll", &deep().imports("winmm.dll", &["glim"]));
    let said = flat(&output(&bench.run(&["park", GAME, "winmm"]).code(3)));
    assert!(
        said.contains("bin/deep.dll asks Windows' own winmm.dll for a function (glim)"),
        "{said}"
    );
    bench.ok(&["park", GAME, "winmm", "--despite", "exports-missing"]);
}

#[test]
fn what_is_recorded_and_gone_is_listed_and_comes_back_as_is_said() {
    let bench = pier();
    bench.write("new/core.dll", &core([2, 0, 0, 0]).to_bytes());
    bench.ok(&["fit", GAME, "new/core.dll"]);
    remove(&bench, "bin/core.dll");
    let said = bench.ok(&["survey", GAME]);
    assert!(said.contains("missing") && said.contains("bin/core.dll"), "{said}");
    let missing = &bench.json(&["survey", GAME])["games"][0]["missing"][0];
    assert_eq!((&missing["path"], &missing["state"]), (&"bin/core.dll".into(), &"missing".into()));
    let said = checked(&bench, 1);
    assert!(said.contains("[component-gone]"), "{said}");
    assert!(said.contains("Restore the fitted file: spanner refit pier core"), "{said}");
    bench.ok(&["refit", "pier", "core"]);
    checked(&bench, 0);
    // The game's own, gone after a rollback, is restored with another.
    bench.ok(&["rollback", "pier"]);
    remove(&bench, "bin/core.dll");
    let said = checked(&bench, 1);
    assert!(said.contains("Restore the shipped file: spanner rollback pier core"), "{said}");
    bench.ok(&["rollback", "pier", "core"]);
    checked(&bench, 0);
}

#[test]
fn a_remedy_from_the_rack_does_what_it_says() {
    let bench = pier();
    racked(&bench, &[&deep()], "deep.dll");
    bench.write(&format!("{GAME}/bin/deep.dll"), b"");
    let said = checked(&bench, 1);
    let remedy = "deep@1.0.0 on the rack brings it: spanner fit pier deep@1.0.0";
    assert!(said.contains(remedy), "{said}");
    bench.ok(&["fit", "pier", "deep@1.0.0"]);
    checked(&bench, 0);
}

#[test]
fn a_remedy_names_no_build_that_would_not_do() {
    let bench = pier();
    let lacking = library("core.dll", [3, 0, 0, 0], &["open"]);
    racked(&bench, &[&core([2, 0, 0, 0]), &lacking], "core.dll");
    let said = flat(&output(&bench.run(&["fit", "pier", "core@3.0.0"]).code(3)));
    assert!(
        said.contains("core@2.0.0 on the rack brings it: spanner fit pier core@2.0.0"),
        "{said}"
    );
    // A library without a place in the game gets one by its name.
    racked(&bench, &[&library("prism.dll", [1, 0, 0, 0], &["bend"])], "prism.dll");
    bench.write("new/core.dll", &core([4, 0, 0, 0]).imports("prism.dll", &["bend"]).to_bytes());
    let said = flat(&output(&bench.run(&["fit", "pier", "new/core.dll"]).code(3)));
    let remedy = "prism@1.0.0 on the rack brings it: spanner fit pier prism@1.0.0 --as prism.dll";
    assert!(said.contains(remedy), "{said}");
    bench.ok(&["fit", "pier", "prism@1.0.0", "--as", "prism.dll"]);
    bench.ok(&["fit", "pier", "new/core.dll"]);
    checked(&bench, 0);
}

#[test]
fn a_game_is_wound_under_the_law_too() {
    let bench = pier();
    bench.write("old/bin/core.dll", &library("core.dll", [0, 9, 0, 0], &["open"]).to_bytes());
    let said = flat(&output(&bench.run(&["wind", GAME, "--from", "old"]).code(3)));
    assert!(said.contains("[exports-missing]"), "{said}");
    bench.write(
        "old/bin/Pier.exe",
        &world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 4, 0, 0])
            .imports("core.dll", &["open"])
            .to_bytes(),
    );
    bench.ok(&["wind", GAME, "--from", "old"]);
    checked(&bench, 0);
}

/// A prefix with some libraries of its own, and its registry's overrides.
fn prefix(bench: &Bench, overrides: &str) {
    bench.write("prefix/drive_c/windows/system32/winmm.dll", b"MZ");
    bench.write("prefix/drive_c/windows/system32/kernel32.dll", b"MZ");
    let text = format!(
        "WINE REGISTRY Version 2\n\n[Software\\\\Wine\\\\Version] 1\n\"x\"=\"y\"\n\n{overrides}\n"
    );
    bench.write("prefix/user.reg", text.as_bytes());
}

#[test]
fn in_a_prefix_the_environment_takes_its_own_unless_its_registry_says_otherwise() {
    let bench = pier();
    put(&bench, "bin/Pier.exe", &executable().imports("WINMM.dll", &["timeGetTime"]));
    let info = VersionInfo::new([1, 0, 0, 0])
        .with("CompanyName", "Glim")
        .with("FileDescription", "Glim plugin loader");
    let loader = Pe::dll(Bits::Bits64, "glim.dll").version(&info).export("timeGetTime", 1);
    bench.write("new/glim.dll", &loader.to_bytes());
    let fit = ["fit", GAME, "new/glim.dll", "--as", "winmm.dll", "--dry-run"];
    bench.ok(&fit);
    let said = errors(&bench.run(&["game", "set", GAME, "--prefix", "games"]).code(2));
    assert!(said.contains("is not a prefix"), "{said}");
    prefix(&bench, "");
    bench.ok(&["game", "set", GAME, "--prefix", "prefix"]);
    assert!(bench.ok(&["game", "show", GAME]).contains("prefix"));
    let planned = bench.ok(&fit);
    let step = "\\AppDefaults\\Pier.exe\\DllOverrides: winmm";
    assert!(planned.contains("not set → native,builtin") && planned.contains(step), "{planned}");
    for (overrides, is_said) in [
        ("[Software\\\\Wine\\\\DllOverrides] 2\n\"winmm\"=\"native,builtin\"", true),
        ("[software\\\\wine\\\\dlloverrides] 2\n#time=1\n\"*WinMM\"=\"n,b\"", true),
        ("[Software\\\\Wine\\\\DllOverrides] 2\n\"winmm\"=\"builtin,native\"", false),
        (
            "[Software\\\\Wine\\\\DllOverrides] 2\n\"winmm\"=\"native\"\n\n[Software\\\\Wine\\\\AppDefaults\\\\Pier.exe\\\\DllOverrides] 3\n\"winmm\"=\"builtin\"",
            false,
        ),
        (
            "[Software\\\\Wine\\\\AppDefaults\\\\pier.exe\\\\DllOverrides] 3\n\"winmm\"=\"native,builtin\"",
            true,
        ),
        (
            "[Software\\\\Wine\\\\AppDefaults\\\\Other.exe\\\\DllOverrides] 3\n\"winmm\"=\"native,builtin\"",
            false,
        ),
    ] {
        prefix(&bench, overrides);
        assert_eq!(!bench.ok(&fit).contains("native,builtin"), is_said, "{overrides}");
    }

    // It is set with the fit, and removed with it.
    prefix(&bench, "");
    let registry = || fs::read_to_string(bench.file("prefix/user.reg")).unwrap();
    let before = registry();
    bench.ok(&fit[..5]);
    assert!(registry().contains("DllOverrides] 0\n\"winmm\"=\"native,builtin\""), "{}", registry());
    checked(&bench, 0);
    for (there, back) in [("park", "unpark"), ("rollback", "undo")] {
        let words = |word| if word == "undo" { vec!["undo"] } else { vec![word, GAME, "glim"] };
        bench.ok(&words(there));
        assert_eq!(registry(), before, "{there}");
        bench.ok(&words(back));
        assert!(registry().contains("native,builtin"), "{back}");
    }
    // Somebody takes it away: the check says so, and that a fit sets it again.
    bench.write("prefix/user.reg", before.as_bytes());
    let said = flat(
        &bench
            .run(&["check", GAME])
            .get_output()
            .stdout
            .iter()
            .map(|b| char::from(*b))
            .collect::<String>(),
    );
    assert!(
        said.contains("uses its own winmm.dll") && said.contains("spanner fit pier glim"),
        "{said}"
    );
    bench.ok(&["fit", GAME, "glim"]);
    assert!(registry().contains("native,builtin"));
    bench.ok(&["rollback", GAME]);

    // A game that is in a prefix needs no word of it.
    prefix(&bench, "");
    bench.ok(&["game", "set", GAME, "--prefix", ""]);
    bench.ok(&fit);
    let inside = "prefix/drive_c/games/Inside";
    let exe = world::game_exe(Bits::Bits64, "Inside", "Nine Knots", [1, 0, 0, 0]);
    bench.write(
        &format!("{inside}/Inside.exe"),
        &exe.imports("WINMM.dll", &["timeGetTime"]).to_bytes(),
    );
    let said = bench.ok(&["fit", inside, "new/glim.dll", "--as", "winmm.dll"]);
    assert!(said.contains("native,builtin"), "{said}");
}

/// Windows' own loader, or its stand-in, agrees on which programs start.
#[cfg(windows)]
#[test]
#[ignore = "Windows says in a window that a program does not start"]
fn the_loader_agrees_on_what_starts() {
    let narrow = Pe::dll(Bits::Bits32, "core.dll").export("open", 42).export("close", 1);
    let leading = |to: &str| library("core.dll", [2, 0, 0, 0], &["close"]).forward("open", to);
    let whole = core([1, 0, 0, 0]).padding(5000).to_bytes();
    type Case<'a> = (&'a str, &'a dyn Fn(&Bench), bool);
    let cases: [Case<'_>; 14] = [
        ("as it is", &|_| {}, true),
        ("deleted", &|bench| remove(bench, "bin/core.dll"), false),
        (
            "cut short",
            &|bench| bench.write(&format!("{GAME}/bin/core.dll"), &whole[..whole.len() - 4000]),
            false,
        ),
        ("emptied", &|bench| bench.write(&format!("{GAME}/bin/core.dll"), b""), false),
        ("a page instead", &|bench| bench.write(&format!("{GAME}/bin/core.dll"), b"<html>"), false),
        ("another machine", &|bench| put(bench, "bin/core.dll", &narrow), false),
        ("what it needs is gone", &|bench| remove(bench, "bin/deep.dll"), false),
        (
            "what it needs lies elsewhere",
            &|bench| {
                remove(bench, "bin/deep.dll");
                put(bench, "bin/plugins/deep.dll", &deep());
            },
            false,
        ),
        (
            "what it needs is for another machine",
            &|bench| {
                put(bench, "bin/deep.dll", &Pe::dll(Bits::Bits32, "deep.dll").export("dive", 1))
            },
            false,
        ),
        (
            "it leads on to another",
            &|bench| put(bench, "bin/core.dll", &leading("deep.rise")),
            true,
        ),
        ("what comes later is gone", &|bench| remove(bench, "bin/late.dll"), true),
        (
            "a plugin lacks something",
            &|bench| {
                let twin = library("twin.dll", [2, 0, 0, 0], &["twin"]);
                put(bench, "bin/plugins/twin.dll", &twin.imports("gone.dll", &["x"]));
            },
            true,
        ),
        (
            "the developers' runtime",
            &|bench| put(bench, "bin/deep.dll", &deep().imports("msvcp130d.dll", &["x"])),
            false,
        ),
        (
            "Windows' own under a known name",
            &|bench| put(bench, "bin/kernel32.dll", &library("kernel32.dll", [1, 0, 0, 0], &["x"])),
            true,
        ),
    ];
    for (what, broken, starts) in cases {
        let bench = pier();
        put(&bench, "bin/Pier.exe", &executable().exit_with_call("core.dll", "open"));
        broken(&bench);
        let said = flat(&output(&bench.run(&["check", GAME])));
        assert_eq!(said.contains("the game itself 1.5.0 fine"), starts, "{what}: {said}");
        let mut program = std::process::Command::new(bench.file(&format!("{GAME}/bin/Pier.exe")));
        let ended = crate::common::started(|| program.status());
        assert_eq!(ended.code() == Some(1), starts, "{what}: {ended}");
    }
}

#[cfg(unix)]
#[test]
fn a_link_is_followed_by_the_game_and_nothing_is_claimed_of_it() {
    let bench = pier();
    bench.write("outside/core.dll", &core([1, 1, 0, 0]).to_bytes());
    let place = bench.file(&format!("{GAME}/bin/core.dll"));
    std::fs::remove_file(&place).unwrap();
    std::os::unix::fs::symlink(bench.file("outside/core.dll"), &place).unwrap();
    let said = checked(&bench, 0);
    assert!(!said.contains("needs core.dll"), "{said}");
}

#[cfg(windows)]
#[test]
fn what_is_in_use_is_there_and_nothing_is_claimed_of_it() {
    use std::os::windows::fs::OpenOptionsExt;
    let bench = pier();
    let place = bench.file(&format!("{GAME}/bin/core.dll"));
    put(&bench, "bin/core.dll", &core([1, 1, 0, 0]));
    let held = std::fs::OpenOptions::new().read(true).share_mode(0).open(place).unwrap();
    let document = bench.json(&["check", GAME]);
    assert_eq!(document["games"][0]["verdict"], "fine", "{document}");
    drop(held);
}
