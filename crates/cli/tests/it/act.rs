//! `rack`, `fit`, `rollback`, `history` and `demo`, as a user runs them.

use std::fs;

use crate::common::{Bench, errors, output};
use upright_spanner_sample::Bits;
use upright_spanner_sample::world::{self, Graphics};

const TIN: &str = "games/Tin Lighthouse";

#[test]
fn a_dry_run_prints_the_plan_of_the_fit_and_touches_nothing() {
    let bench = Bench::world();
    let before = bench.picture(TIN);
    let words = ["fit", TIN, "downloads/sharpwater-2026.3.0.zip"];
    let dry = bench.ok(&[&words[..], &["--dry-run"]].concat());
    assert!(bench.picture(TIN) == before);
    assert!(bench.json(&["rack", "list"])["builds"].as_array().unwrap().is_empty());
    let done = bench.ok(&words);
    let plan = |text: &str| -> Vec<String> {
        text.lines()
            .filter(|line| line.contains(" → ") || line.contains("VERSION"))
            .map(str::to_owned)
            .collect()
    };
    assert_eq!(plan(&dry), plan(&done));
    assert_eq!(plan(&dry).len(), 3, "{dry}");
    assert!(dry.contains("2.7.4 → 2026.3.0"), "{dry}");
}

#[test]
fn fit_serves_every_slot_and_rollback_brings_back_every_byte() {
    let bench = Bench::world();
    let before = bench.picture(TIN);
    bench.ok(&["rack", "add", "downloads/sharpwater-2026.3.0.zip"]);
    let done = bench.ok(&["fit", TIN, "sharpwater"]);
    assert!(done.contains("2 files. Read back: version 2026.3.0"), "{done}");
    let after = bench.picture(TIN);
    let changed: Vec<&str> =
        before.iter().zip(&after).filter(|(a, b)| a != b).map(|(a, _)| a.0.as_str()).collect();
    assert_eq!(changed.len(), 2);
    assert!(changed.iter().all(|path| path.ends_with("sharpwater.dll")));
    let again = bench.ok(&["fit", "tin-lighthouse", "sharpwater"]);
    assert!(again.contains("already has sharpwater@2026.3.0 in every place"), "{again}");

    let back = bench.ok(&["rollback", "tin-lighthouse", "sharpwater"]);
    assert!(back.contains("2026.3.0 → 2.7.4"), "{back}");
    assert!(bench.picture(TIN) == before);
    let history = bench.json(&["history", "tin-lighthouse"]);
    let summaries: Vec<&str> = history["changes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|c| c["summary"].as_str().unwrap())
        .collect();
    assert_eq!(summaries, ["fit sharpwater@2026.3.0", "rollback sharpwater"]);
    let idle = bench.ok(&["rollback", "tin-lighthouse"]);
    assert!(idle.contains("Nothing to roll back"), "{idle}");
}

#[test]
fn what_would_not_work_is_refused_before_anything_is_copied() {
    let bench = Bench::world();
    bench.ok(&[
        "rack",
        "add",
        "downloads/sharpwater-2026.3.0.zip",
        "downloads/sharpwater-2026.3.0-x86.zip",
        "downloads/lampwright-31.6.zip",
    ]);
    let before = bench.picture("games");
    for (game, build, code, wanted) in [
        ("games/Tin Lighthouse", "sharpwater@2026.3.0+x86", "machine-mismatch", "is 32-bit, but"),
        ("games/Kite Harbour", "sharpwater@2026.3.0", "family-absent", "has no sharpwater"),
        ("games/Moss & Meridian", "lampwright", "keyed-elsewhere", "made for version 22.4.9"),
    ] {
        let text = output(&bench.run(&["fit", game, build]).code(3));
        let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(text.contains(&format!("[{code}]")) && text.contains(wanted), "{text}");
        assert!(text.contains("Refused: nothing was changed."), "{text}");
    }
    assert!(bench.picture("games") == before);
}

#[test]
fn an_extender_for_the_updated_game_takes_the_place_of_the_old_one_under_its_own_name() {
    let bench = Bench::world();
    let exe =
        world::game_exe(Bits::Bits32, "Moss & Meridian", "Fernway Interactive", [22, 4, 9, 0]);
    bench.write("games/Moss & Meridian/MossMeridian.exe", &exe.to_bytes());
    let before = bench.picture("games/Moss & Meridian");
    bench.ok(&["fit", "games/Moss & Meridian", "downloads/lampwright-31.6.zip"]);
    assert!(bench.file("games/Moss & Meridian/lampwright-22.4.9.dll").exists());
    assert!(!bench.file("games/Moss & Meridian/lampwright-22.4.7.dll").exists());
    bench.ok(&["rollback", "games/Moss & Meridian"]);
    assert!(bench.picture("games/Moss & Meridian") == before);
}

#[test]
fn a_loader_keeps_the_name_under_which_the_game_loads_it() {
    let bench = Bench::world();
    bench.ok(&["fit", "games/Saltglass Drift", "downloads/undertow-2.3.0.zip"]);
    let loader = bench.json(&["inspect", "games/Saltglass Drift/bin/winmm.dll"]);
    assert_eq!(loader["images"][0]["file_version"], "2.3.0.0");
    assert!(!bench.file("games/Saltglass Drift/bin/undertow.dll").exists());
    let settings =
        fs::read_to_string(bench.file("games/Saltglass Drift/bin/undertow.ini")).unwrap();
    assert!(settings.contains("DelayMs=250"), "the player's settings are theirs");
}

#[test]
fn names_are_matched_without_regard_to_case() {
    let bench = Bench::world();
    let folder = bench.file("games/Tin Lighthouse/Lantern/Game/Binaries/x64");
    fs::rename(folder.join("sharpwater.dll"), folder.join("aside")).unwrap();
    fs::rename(folder.join("aside"), folder.join("SharpWater.DLL")).unwrap();
    let done = bench.ok(&["fit", TIN, "downloads/sharpwater-2.9.1.zip"]);
    assert!(done.contains("2 files"), "{done}");
    let names: Vec<String> = fs::read_dir(folder)
        .unwrap()
        .map(|e| e.unwrap().file_name().into_string().unwrap())
        .collect();
    assert!(names.contains(&"SharpWater.DLL".to_owned()), "the tree's spelling stays: {names:?}");
}

#[test]
fn a_copy_that_the_user_put_aside_is_no_slot() {
    let bench = Bench::world();
    let folder = bench.file("games/Kite Harbour/System");
    fs::copy(folder.join("brine.dll"), folder.join("old-brine.dll")).unwrap();
    let kept = fs::read(folder.join("old-brine.dll")).unwrap();
    let done = bench.ok(&["fit", "games/Kite Harbour", "downloads/brine-2.8.1-win64.zip"]);
    assert!(done.contains("3 files."), "{done}");
    assert!(fs::read(folder.join("old-brine.dll")).unwrap() == kept);
}

#[test]
fn libraries_under_several_names_are_not_guessed_between() {
    let bench = Bench::empty();
    let named = |version| world::undertow(version, "winmm.dll").to_bytes();
    bench.write("libs/winmm.dll", &named([2, 1, 0, 0]));
    bench.write("libs/version.dll", &named([2, 1, 0, 0]));
    bench.write("new/undertow.dll", &named([2, 3, 0, 0]));
    let text = output(&bench.run(&["fit", "libs", "new/undertow.dll"]).code(3));
    assert!(text.contains("slot-ambiguous"), "{text}");
    bench.write("new/version.dll", &named([2, 3, 0, 0]));
    let done = bench.ok(&["fit", "libs", "new/version.dll"]);
    assert!(done.contains("1 file."), "{done}");
}

#[test]
fn what_is_asked_wrongly_is_said_with_what_would_be_right() {
    let bench = Bench::world();
    bench.ok(&["survey", "games"]);
    bench.ok(&["rack", "add", "downloads/brine-2.8.1-win64.zip"]);
    for (words, wanted) in [
        (&["fit", "tin-lamp", "brine"][..], "Give the game's folder, or one of: kite-harbour"),
        (&["fit", "tin-lighthouse", "brim"], "On the rack: brine"),
        (&["fit", "games", "brine"], "holds 4 games"),
        (&["rollback", "tin-lighthouse", "brine"], "no file of brine was ever changed"),
        (&["fit", "downloads", "brine"], "no program and no library"),
    ] {
        let errors = errors(&bench.run(words).code(2));
        assert!(errors.contains(wanted), "{words:?}: {errors}");
    }
}

#[cfg(windows)]
#[test]
fn a_hidden_file_is_hidden_again_after_a_rollback() {
    use std::os::windows::fs::{MetadataExt, OpenOptionsExt};
    const HIDDEN: u32 = 2;
    let bench = Bench::world();
    let target = bench.file("games/Kite Harbour/System/brine.dll");
    let content = fs::read(&target).unwrap();
    fs::remove_file(&target).unwrap();
    let mut options = fs::OpenOptions::new();
    let mut file = options.write(true).create_new(true).attributes(HIDDEN).open(&target).unwrap();
    std::io::Write::write_all(&mut file, &content).unwrap();
    drop(file);
    let hidden = || fs::metadata(&target).unwrap().file_attributes() & HIDDEN != 0;
    // Not every file system below Wine keeps the mark.
    let kept = hidden();
    bench.ok(&["fit", "games/Kite Harbour", "downloads/brine-2.8.1-win64.zip"]);
    assert_eq!(hidden(), kept);
    bench.ok(&["rollback", "games/Kite Harbour"]);
    assert_eq!(hidden(), kept);
    assert!(fs::read(&target).unwrap() == content);
}

/// A memory file system is another volume on nearly every Linux.
#[cfg(target_os = "linux")]
#[test]
fn a_home_on_another_volume_is_told_of_and_keeps_what_is_replaced() {
    use std::os::unix::fs::MetadataExt;
    let bench = Bench::world();
    let Ok(home) = tempfile::tempdir_in("/dev/shm") else { return };
    let volume = |path: &std::path::Path| fs::metadata(path).unwrap().dev();
    if volume(home.path()) == volume(bench.path()) {
        return;
    }
    let elsewhere = ["--home", home.path().to_str().unwrap()];
    let game = "games/Kite Harbour";
    let before = bench.picture(game);
    let fit = [&elsewhere[..], &["fit", game, "downloads/brine-2.8.1-win64.zip"]].concat();
    assert!(bench.ok(&fit).contains("[other-volume]"));
    assert!(bench.picture(game) != before);
    bench.ok(&[&elsewhere[..], &["doctor", "--deep"]].concat());
    bench.ok(&[&elsewhere[..], &["rollback", game]].concat());
    assert!(bench.picture(game) == before);
}

#[cfg(windows)]
#[test]
fn a_file_in_use_is_said_in_words_and_nothing_changes() {
    use std::os::windows::fs::OpenOptionsExt;
    let bench = Bench::world();
    let target = bench.file("games/Kite Harbour/System/brine.dll");
    // Shared for reading only, as a running program holds its libraries.
    let held = fs::OpenOptions::new().read(true).share_mode(1).open(&target).unwrap();
    let before = bench.picture("games/Kite Harbour");
    let fit = ["fit", "games/Kite Harbour", "downloads/brine-2.8.1-win64.zip"];
    let said = crate::common::output(&bench.run(&fit).code(3));
    assert!(said.contains("[game-running]"), "{said}");
    let mut despite = fit.to_vec();
    despite.extend(["--despite", "game-running"]);
    let errors = errors(&bench.run(&despite).code(4));
    assert!(errors.contains("every file is back as it was"), "{errors}");
    assert!(errors.contains("Close the game") || errors.contains("not running"), "{errors}");
    assert!(bench.picture("games/Kite Harbour") == before);
    drop(held);
    bench.ok(&["fit", "games/Kite Harbour", "downloads/brine-2.8.1-win64.zip"]);
}

/// Large files are read by their own thread; it must never wait for one that waits for it.
#[test]
fn large_files_are_fitted_where_there_is_but_one_processor() {
    let bench = Bench::empty();
    let library = |major| world::graphics(Graphics::Upscaler, [major, 1, 0, 0], Bits::Bits64);
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 0, 0, 0]);
    bench.write("Pier/Pier.exe", &exe.to_bytes());
    let places = ["Pier/sharpwater.dll", "Pier/plugins/sharpwater.dll"];
    for place in places {
        bench.write(place, &library(2).padding(17 << 20).to_bytes());
    }
    bench.write("new/sharpwater.dll", &library(3).padding(18 << 20).to_bytes());
    let before = bench.picture("Pier");
    for words in [&["fit", "Pier", "new/sharpwater.dll"][..], &["rollback", "Pier"]] {
        let mut alone = bench.program(words);
        alone.env("RAYON_NUM_THREADS", "1");
        crate::common::in_time(alone, 120).success();
        let fitted = bench.picture("Pier") != before;
        assert_eq!(fitted, words[0] == "fit");
    }
}

#[test]
fn the_demo_tells_its_story_twice_and_spares_other_folders() {
    let bench = Bench::empty();
    for _ in 0..2 {
        let story = bench.ok(&["demo", "show"]);
        for wanted in
            ["$ spanner survey games", "[machine-mismatch]", "2026.3.0 → 2.7.4", "SPANNER_HOME="]
        {
            assert!(story.contains(wanted), "no {wanted} in\n{story}");
        }
    }
    let keep = world::graphics(Graphics::Denoiser, [1, 0, 0, 0], Bits::Bits64);
    bench.write("mine/games/keep.dll", &keep.to_bytes());
    let errors = errors(&bench.run(&["demo", "mine"]).code(2));
    assert!(errors.contains("is not empty and no demo made it"), "{errors}");
    assert!(bench.file("mine/games/keep.dll").exists());
}
