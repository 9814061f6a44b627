//! Winding a game: the plan, refusals, kept files, and the records afterwards.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use crate::common::{Bench, errors, flat, output};
use filetime::FileTime;
use upright_spanner_sample::world::{self, Graphics};
use upright_spanner_sample::{Bits, Pe, archive};

const PIER: &str = "games/Pier";
const GAME: &str = "pier";
const DATE: (u16, u8, u8) = (2025, 6, 7);

fn exe(version: [u16; 4]) -> Pe {
    world::game_exe(Bits::Bits64, "Pier", "Nine Knots", version).imports("core.dll", &["open"])
}

fn core(version: [u16; 4]) -> Vec<u8> {
    let core = Pe::dll(Bits::Bits64, "core.dll").export("open", 1);
    core.text(&format!("core {version:?}")).to_bytes()
}

fn upscaler(version: [u16; 4]) -> Vec<u8> {
    world::graphics(Graphics::Upscaler, version, Bits::Bits64).padding(100).to_bytes()
}

/// The newer release with what its player has made of it.
fn bench() -> Bench {
    let bench = Bench::empty();
    put(&bench, PIER, [1, 5, 0, 0], 3);
    bench.write(&format!("{PIER}/data/isles.pak"), b"isles");
    bench.write(&format!("{PIER}/extra/deep/one.txt"), b"one");
    bench.write(&format!("{PIER}/extra/two.txt"), b"two");
    bench.write(&format!("{PIER}/pier.ini"), b"[View]\r\nwidth=1920\r\nown=1\r\n");
    bench.write(&format!("{PIER}/saves/slot1.sav"), b"much played");
    bench.ok(&["game", "add", PIER]);
    put(&bench, "older", [1, 4, 0, 0], 2);
    bench.write("older/pier.ini", b"[View]\r\nwidth=800\r\nheight=600\r\n");
    bench
}

/// A release of the game with so many files of data that both have.
fn put(bench: &Bench, folder: &str, version: [u16; 4], packs: u8) {
    bench.write(&format!("{folder}/Pier.exe"), &exe(version).to_bytes());
    bench.write(&format!("{folder}/core.dll"), &core(version));
    bench.write(&format!("{folder}/sharpwater.dll"), &upscaler([2, version[1], 0, 0]));
    for n in 0..packs {
        bench.write(&format!("{folder}/data/part{n}.pak"), &[n; 900]);
    }
    bench.write(&format!("{folder}/data/sea.pak"), format!("sea {version:?}").as_bytes());
}

/// Every file and folder: content, date and marks.
fn picture(folder: &Path) -> BTreeMap<String, (Vec<u8>, FileTime, u32)> {
    let mut seen = BTreeMap::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(around) = folders.pop() {
        for entry in fs::read_dir(&around).unwrap() {
            let path = entry.unwrap().path();
            let name = path.strip_prefix(folder).unwrap().to_string_lossy().into_owned();
            let metadata = fs::metadata(&path).unwrap();
            let (bytes, date) = if metadata.is_dir() {
                folders.push(path);
                (Vec::new(), FileTime::zero())
            } else {
                (fs::read(&path).unwrap(), FileTime::from_last_modification_time(&metadata))
            };
            seen.insert(name, (bytes, date, marks(&metadata)));
        }
    }
    seen
}

#[cfg(unix)]
fn marks(metadata: &fs::Metadata) -> u32 {
    std::os::unix::fs::PermissionsExt::mode(&metadata.permissions())
}

#[cfg(not(unix))]
fn marks(metadata: &fs::Metadata) -> u32 {
    metadata.permissions().readonly().into()
}

fn wind(bench: &Bench, more: &[&str]) -> String {
    bench.ok(&[&["wind", GAME, "--from", "older"], more].concat())
}

fn read(bench: &Bench, path: &str) -> String {
    String::from_utf8_lossy(&fs::read(bench.file(path)).unwrap()).into_owned()
}

#[test]
fn a_plan_says_what_comes_and_a_dry_run_touches_nothing() {
    let bench = bench();
    let before = picture(&bench.file(PIER));
    let given = picture(&bench.file("older"));
    let text = wind(&bench, &["--dry-run"]);
    for said in [
        "Pier.exe 1.5.0 → 1.4.0",
        "files: 4 replaced, 2 the same, 1 with your settings",
        "libraries",
        "2.5.0 → 2.4.0",
        "1 file of saves",
        "Dry run: nothing was changed.",
    ] {
        assert!(text.contains(said), "{said}: {text}");
    }
    assert!(picture(&bench.file(PIER)) == before);
    let document = bench.json(&["wind", GAME, "--from", "older", "--dry-run"]);
    assert_eq!(document["wind"]["replaced"], 4);
    assert_eq!(document["wind"]["version"]["after"], "1.4.0");
    assert_eq!(document["wind"]["components"][0]["before"], "2.5.0");
    wind(&bench, &["-v"]);
    assert!(picture(&bench.file("older")) == given, "what is given is never altered");
}

#[test]
fn wound_back_and_forward_everything_is_as_it_was_and_the_records_are_right() {
    let bench = bench();
    let before = picture(&bench.file(PIER));
    wind(&bench, &["--expect", "1.4", "--dry-run"]);
    wind(&bench, &["--expect", ">=1.3, <1.5", "--dry-run"]);
    wind(&bench, &["--expect", "1.4.0"]);
    assert_eq!(bench.json(&["survey", PIER])["games"][0]["executable"]["version"], "1.4.0");

    let drift = bench.ok(&["drift", GAME]);
    assert!(drift.contains("Wound back by change 1: 1.5.0 → 1.4.0, 4 files."), "{drift}");
    assert!(!drift.contains("updated"), "{drift}");
    let check = bench.ok(&["check", GAME]);
    assert!(!check.contains("older-than-shipped") && !check.contains("warn"), "{check}");
    assert!(bench.ok(&["rollback", GAME]).contains("Nothing to roll back"));
    assert!(bench.ok(&["history", GAME]).contains("1.5.0 → 1.4.0"));
    assert!(wind(&bench, &[]).contains("Every file is there already"));

    let text = bench.ok(&["undo"]);
    assert!(text.contains("To go back: spanner undo 2"), "{text}");
    assert!(picture(&bench.file(PIER)) == before);
    assert!(bench.ok(&["drift", GAME]).contains("Nothing to compare"));
    bench.ok(&["undo", "2"]);
    assert!(bench.ok(&["drift", GAME]).contains("Wound back by change 1"));
    bench.ok(&["rollback", GAME, "--to", "0", "--settings"]);
    assert!(picture(&bench.file(PIER)) == before);
    assert!(bench.ok(&["doctor", "--deep"]).contains("All is well"));
}

/// The fault, the way to cause it, additional words, the code and the advice.
type Wrong = (&'static str, fn(&Bench), &'static [&'static str], &'static str, &'static str);

const WRONG: [Wrong; 12] = [
    (
        "a remainder",
        |bench| bench.write("older/data/sea.pak.part", b"half"),
        &[],
        "release-incomplete",
        "Let the download come to its end",
    ),
    (
        "an empty file",
        |bench| bench.write("older/data/sea.pak", b""),
        &[],
        "release-incomplete",
        "Get the release again",
    ),
    (
        "a program cut short",
        |bench| bench.write("older/Pier.exe", &exe([1, 4, 0, 0]).to_bytes()[..2000]),
        &[],
        "release-incomplete",
        "cut short",
    ),
    (
        "one level too high",
        |bench| {
            fs::create_dir(bench.file("kept")).unwrap();
            fs::rename(bench.file("older"), bench.file("kept/pier")).unwrap();
            fs::rename(bench.file("kept"), bench.file("older")).unwrap();
        },
        &[],
        "another-game",
        "--from older/pier",
    ),
    (
        "one level too low",
        |bench| {
            fs::rename(bench.file("older"), bench.file("kept")).unwrap();
            fs::rename(bench.file("kept/data"), bench.file("older")).unwrap();
        },
        &[],
        "another-game",
        "Put them into a folder data",
    ),
    (
        "another game",
        |bench| {
            world::remove_tree(&bench.file("older")).unwrap();
            bench.write("older/Quay.exe", &exe([1, 4, 0, 0]).to_bytes());
            bench.write("older/quay/a.bin", b"a");
        },
        &[],
        "another-game",
        "may be of another game",
    ),
    ("another version", |_| {}, &["--expect", "1.3"], "unexpected-version", "--expect 1.4.0"),
    (
        "no executable, and one is expected",
        |bench| fs::remove_file(bench.file("older/Pier.exe")).unwrap(),
        &["--expect", "1.4.0"],
        "unexpected-version",
        "Give the folder that has the executable too",
    ),
    (
        "another machine",
        |bench| {
            let narrow = world::game_exe(Bits::Bits32, "Pier", "Nine Knots", [1, 4, 0, 0]);
            bench.write("older/Pier.exe", &narrow.to_bytes());
        },
        &[],
        "machine-differs",
        "for the machine that the game is for",
    ),
    (
        "a library that lacks what the game calls",
        |bench| {
            let lacking = Pe::dll(Bits::Bits64, "core.dll").export("shut", 1);
            bench.write("older/core.dll", &lacking.to_bytes());
        },
        &[],
        "exports-missing",
        "",
    ),
    (
        "a pinned family",
        |bench| {
            bench.ok(&["pin", GAME, "sharpwater", "--why", "it looks best"]);
        },
        &[],
        "pinned",
        "spanner unpin pier sharpwater",
    ),
    (
        "a fitted component",
        |bench| {
            bench.write("new/sharpwater.dll", &upscaler([3, 1, 0, 0]));
            bench.ok(&["fit", GAME, "new/sharpwater.dll"]);
        },
        &[],
        "fitted-in-the-way",
        "--keep-fitted, or --replace-fitted",
    ),
];

#[test]
fn what_would_go_wrong_is_refused_with_what_to_do() {
    for (what, make, words, code, advice) in WRONG {
        let bench = bench();
        make(&bench);
        let before = picture(&bench.file(PIER));
        let words = [&["wind", GAME, "--from", "older"], words].concat();
        let text = flat(&output(&bench.run(&words).code(3)));
        assert!(text.contains(&format!("[{code}]")) && text.contains(advice), "{what}: {text}");
        assert!(text.contains("Refused: nothing was changed."), "{what}: {text}");
        bench.run(&[&words[..], &["--dry-run"]].concat()).code(3);
        assert!(picture(&bench.file(PIER)) == before, "{what}");
        assert!(!bench.file("games/Pier.set-aside").exists(), "{what}");
        // Each is overridden by its name, but for the one that asks; without a program for them, libraries would
        // not load either.
        if !["fitted-in-the-way", "machine-differs"].contains(&code) && advice != "cut short" {
            bench.ok(&[&words[..], &["--despite", code]].concat());
        }
    }
}

#[test]
fn the_level_that_is_proposed_is_the_right_one() {
    let bench = bench();
    let named = |advice: &str| -> Vec<String> {
        let text = flat(&output(&bench.run(&["wind", GAME, "--from", advice]).code(3)));
        let at = text.find("--from ").unwrap_or_else(|| panic!("{advice}: {text}"));
        text[at..].split(' ').take(2).map(str::to_owned).collect()
    };
    bench.write("all/notes.txt", b"downloads");
    fs::rename(bench.file("older"), bench.file("all/release")).unwrap();
    assert_eq!(named("all"), ["--from", "all/release"]);
    assert_eq!(named("all/release/data"), ["--from", "all/release"]);
    bench.ok(&["wind", GAME, "--from", "all/release"]);
}

#[test]
fn inputs_that_are_no_release_end_with_words() {
    let bench = bench();
    let said = |words: &[&str], code: i32| {
        let run = bench.run(&[&["wind", GAME], words].concat()).code(code);
        flat(&format!("{}{}", output(&run), errors(&run)))
    };
    assert!(said(&["--from", "nowhere"], 4).contains("nowhere"));
    bench.write("note.txt", b"no archive");
    assert!(said(&["--from", "note.txt"], 4).contains("neither a folder nor an archive"));
    assert!(said(&[], 2).contains("--from"));
    let nothing = said(&["--from", "older", "--aside", "nothing/*"], 2);
    assert!(nothing.contains("matches `nothing/*`"), "{nothing}");
    assert!(said(&["--from", "older", "--aside", "data/["], 2).contains("not a pattern"));
    // A file of the release itself is not moved aside.
    assert!(said(&["--from", "older", "--aside", "core.dll"], 2).contains("could be moved aside"));
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink("/etc", bench.file("older/data/link")).unwrap();
        assert!(said(&["--from", "older"], 4).contains("it is a link"));
    }
}

#[test]
fn a_file_that_still_grows_is_seen() {
    let bench = bench();
    // As long as it takes to read it all, it is written into.
    bench.write("older/data/large.bin", &vec![1; 24 << 20]);
    let path = bench.file("older/data/large.bin");
    let done = std::sync::atomic::AtomicBool::new(false);
    std::thread::scope(|scope| {
        scope.spawn(|| {
            let mut file = fs::File::options().append(true).open(&path).unwrap();
            while !done.load(std::sync::atomic::Ordering::Relaxed) {
                std::io::Write::write_all(&mut file, &[2; 512]).unwrap();
                std::thread::sleep(std::time::Duration::from_millis(1));
            }
        });
        let run = bench.run(&["wind", GAME, "--from", "older"]);
        done.store(true, std::sync::atomic::Ordering::Relaxed);
        let text = flat(&output(&run.code(3)));
        assert!(text.contains("is being written at this moment"), "{text}");
    });
}

#[test]
fn what_is_moved_aside_is_kept_with_its_marks_and_comes_back() {
    let bench = bench();
    crate::common::overwrite(&bench.file(&format!("{PIER}/extra/two.txt")), b"two");
    let mut permissions =
        fs::metadata(bench.file(&format!("{PIER}/extra/two.txt"))).unwrap().permissions();
    permissions.set_readonly(true);
    fs::set_permissions(bench.file(&format!("{PIER}/extra/two.txt")), permissions).unwrap();
    let before = picture(&bench.file(PIER));
    let aside = ["--aside", "EXTRA", "--aside", "data/i*.pak"];
    let text = wind(&bench, &aside);
    assert!(text.contains("moved aside: 3 files"), "{text}");
    assert!(text.contains("games/Pier.set-aside/1"), "{text}");
    for gone in ["extra", "data/isles.pak"] {
        assert!(!bench.file(&format!("{PIER}/{gone}")).exists(), "{gone}");
    }
    assert_eq!(read(&bench, "games/Pier.set-aside/1/extra/deep/one.txt"), "one");
    let kept = picture(&bench.file("games/Pier.set-aside/1"));
    assert_eq!(
        kept["data/isles.pak".replace('/', std::path::MAIN_SEPARATOR_STR).as_str()].0,
        b"isles"
    );
    assert!(bench.ok(&["history", "--size"]).contains("pier, moved aside"));
    let games = bench.json(&["survey", "games"])["games"].as_array().unwrap().len();
    assert_eq!(games, 1, "what is moved aside is no game");
    // The store has the list of it, which a person can read.
    let step = &bench.json(&["history", "show", "1"])["changes"][0]["steps"];
    let step = step.as_array().unwrap().iter().find(|step| step["kind"] == "aside").unwrap();
    let listing = step["before"]["listing"].as_str().unwrap();
    let listing = read(&bench, &format!("home/blobs/{}/{listing}", &listing[..2]));
    assert!(listing.starts_with("file ") || listing.starts_with("folder "), "{listing}");
    assert!(bench.ok(&["drift", GAME]).contains("All as it left them."));
    assert!(bench.ok(&["doctor", "--deep"]).contains("All is well"));

    bench.ok(&["undo"]);
    assert!(picture(&bench.file(PIER)) == before);
    assert!(!bench.file("games/Pier.set-aside").exists());
    bench.ok(&["undo", "2"]);
    assert!(!bench.file(&format!("{PIER}/extra")).exists());
    bench.ok(&["rollback", GAME, "--to", "0", "--settings"]);
    assert!(picture(&bench.file(PIER)) == before);
}

#[test]
fn what_happened_to_what_was_moved_aside_is_said() {
    let bench = bench();
    wind(&bench, &["--aside", "extra", "--aside", "data/isles.pak"]);
    // The launcher brought one again, and someone removed the other.
    bench.write(&format!("{PIER}/data/isles.pak"), b"isles anew");
    world::remove_tree(&bench.file("games/Pier.set-aside/1/extra")).unwrap();
    let text = flat(&output(&bench.run(&["undo"]).code(1)));
    assert!(
        text.contains("data/isles.pak exists again, so the files moved aside stay in"),
        "{text}"
    );
    assert!(text.contains("extra cannot be restored"), "{text}");
    assert_eq!(read(&bench, &format!("{PIER}/data/isles.pak")), "isles anew");
    assert_eq!(read(&bench, "games/Pier.set-aside/1/data/isles.pak"), "isles");

    // A second wind has its own folder; a link in the place of that for all is not followed.
    world::remove_tree(&bench.file("games/Pier.set-aside")).unwrap();
    #[cfg(unix)]
    {
        fs::create_dir(bench.file("elsewhere")).unwrap();
        std::os::unix::fs::symlink(bench.file("elsewhere"), bench.file("games/Pier.set-aside"))
            .unwrap();
        let words = ["wind", GAME, "--from", "older", "--aside", "data/isles.pak"];
        let said = errors(&bench.run(&words).code(2));
        assert!(said.contains("is not a folder"), "{said}");
        assert_eq!(fs::read_dir(bench.file("elsewhere")).unwrap().count(), 0);
        fs::remove_file(bench.file("games/Pier.set-aside")).unwrap();
    }
    let text = wind(&bench, &["--aside", "data/isles.pak"]);
    assert!(text.contains("Pier.set-aside/3"), "{text}");
}

#[test]
fn patterns_that_overlap_move_each_thing_once_and_no_saves() {
    let bench = bench();
    let before = picture(&bench.file(PIER));
    let aside = ["--aside", "extra/two.txt", "--aside", "extra", "--aside", "extra/**/*.txt"];
    let text = wind(&bench, &aside);
    assert!(text.contains("moved aside: 2 files"), "{text}");
    assert!(bench.file("games/Pier.set-aside/1/extra/deep/one.txt").exists());
    bench.ok(&["undo"]);
    assert!(picture(&bench.file(PIER)) == before);
    let said = errors(&bench.run(&["wind", GAME, "--from", "older", "--aside", "saves"]).code(2));
    assert!(said.contains("nothing in") && said.contains("`saves`"), "{said}");
}

#[test]
fn what_only_the_newer_release_has_is_hinted_at() {
    let bench = bench();
    let text = flat(&wind(&bench, &["--dry-run"]));
    assert!(text.contains("data/isles.pak and 1 more are not of this release"), "{text}");
    assert!(text.contains("--aside data/isles.pak"), "{text}");
    wind(&bench, &["--aside", "data/isles.pak"]);
    assert!(!bench.file(&format!("{PIER}/data/isles.pak")).exists());
}

fn fitted(version: [u16; 4]) -> Bench {
    let bench = bench();
    bench.write("new/sharpwater.dll", &upscaler(version));
    bench.ok(&["fit", GAME, "new/sharpwater.dll"]);
    bench
}

#[test]
fn fitted_components_stay_or_go_as_the_user_says_and_roll_back_to_the_release() {
    let older = upscaler([2, 4, 0, 0]);
    let there = |bench: &Bench| fs::read(bench.file(&format!("{PIER}/sharpwater.dll"))).unwrap();
    let bench = fitted([3, 1, 0, 0]);
    let text = flat(&wind(&bench, &["--keep-fitted"]));
    assert!(text.contains("sharpwater at sharpwater.dll stays as it was fitted"), "{text}");
    assert!(there(&bench) == upscaler([3, 1, 0, 0]));
    let drift = bench.json(&["drift", GAME]);
    assert_eq!(drift["games"][0]["drift"]["files"][0]["state"], "fitted");
    assert_eq!(drift["games"][0]["drifted"], false);
    // The source may be gone by then: the file beneath was stored.
    world::remove_tree(&bench.file("older")).unwrap();
    bench.ok(&["rollback", GAME, "sharpwater"]);
    assert!(there(&bench) == older);
    bench.ok(&["undo", "3"]);
    assert!(there(&bench) == upscaler([3, 1, 0, 0]));

    let bench = fitted([3, 1, 0, 0]);
    let text = flat(&wind(&bench, &["--replace-fitted"]));
    assert!(text.contains("goes, and the file of the release comes"), "{text}");
    assert!(there(&bench) == older);
    bench.ok(&["undo"]);
    assert!(there(&bench) == upscaler([3, 1, 0, 0]));
    bench.ok(&["rollback", GAME, "sharpwater"]);
    assert!(there(&bench) == upscaler([2, 5, 0, 0]), "forward, the newer release ships it again");
}

#[test]
fn a_game_goes_forward_though_something_was_fitted_meanwhile() {
    let bench = bench();
    let before = picture(&bench.file(PIER));
    wind(&bench, &[]);
    bench.write("new/sharpwater.dll", &upscaler([3, 1, 0, 0]));
    bench.ok(&["fit", GAME, "new/sharpwater.dll"]);
    let text = flat(&bench.ok(&["undo", "1"]));
    assert!(text.contains("sharpwater at sharpwater.dll was fitted since, and stays"), "{text}");
    assert!(
        fs::read(bench.file(&format!("{PIER}/sharpwater.dll"))).unwrap() == upscaler([3, 1, 0, 0])
    );
    assert_eq!(bench.json(&["survey", PIER])["games"][0]["executable"]["version"], "1.5.0");
    bench.ok(&["rollback", GAME, "sharpwater"]);
    assert!(
        picture(&bench.file(PIER)) == before,
        "and rolled back it is what the newer release ships"
    );
    // A pinned component may stay as it was fitted.
    bench.ok(&["fit", GAME, "new/sharpwater.dll"]);
    bench.ok(&["pin", GAME, "sharpwater", "--why", "it looks best"]);
    wind(&bench, &["--keep-fitted", "--dry-run"]);
    bench.ok(&["unpin", GAME, "sharpwater"]);
    bench.ok(&["rollback", GAME, "sharpwater"]);
    // A wind on a wind is in the way, as any change does.
    wind(&bench, &[]);
    put(&bench, "oldest", [1, 3, 0, 0], 2);
    bench.ok(&["wind", GAME, "--from", "oldest"]);
    let said = errors(&bench.run(&["undo", "7"]).code(3));
    assert!(said.contains("change 8 (wind from oldest)"), "{said}");
}

#[test]
fn settings_keep_their_values_unless_those_of_the_release_are_wanted() {
    let bench = bench();
    wind(&bench, &[]);
    let merged = read(&bench, &format!("{PIER}/pier.ini"));
    assert!(merged.contains("width=1920") && merged.contains("own=1"), "{merged}");
    assert!(merged.contains("height=600"), "{merged}");
    bench.ok(&["undo"]);
    wind(&bench, &["--settings"]);
    assert_eq!(read(&bench, &format!("{PIER}/pier.ini")), "[View]\r\nwidth=800\r\nheight=600\r\n");
    bench.ok(&["undo"]);
    bench.write("older/pier.ini", b"\0\0not a text of keys");
    let text = flat(&wind(&bench, &[]));
    assert!(text.contains("pier.ini stays as it is") && text.contains("--settings"), "{text}");
    assert!(read(&bench, &format!("{PIER}/pier.ini")).contains("width=1920"));
}

#[test]
fn saves_are_kept_and_can_be_had_back_as_they_were() {
    let bench = bench();
    bench.write("older/saves/slot1.sav", b"what the release came with");
    let save = format!("{PIER}/saves/slot1.sav");
    wind(&bench, &[]);
    assert_eq!(read(&bench, &save), "much played", "saves are the user's");
    bench.write(&save, b"ruined");
    assert!(!bench.ok(&["drift", GAME]).contains("slot1"));
    let text = flat(&bench.ok(&["undo"]));
    assert!(text.contains("1 file of your saves changed since change 1"), "{text}");
    assert!(text.contains("spanner rollback pier --saves --to 1"), "{text}");
    assert_eq!(read(&bench, &save), "ruined");
    bench.run(&["rollback", GAME, "--saves", "--to", "1"]).code(1);
    assert_eq!(read(&bench, &save), "much played");

    // Without known saves there is a finding, and a bay gives their place.
    world::remove_tree(&bench.file(&format!("{PIER}/saves"))).unwrap();
    assert!(wind(&bench, &["--dry-run"]).contains("[saves-unknown]"));
    bench.write("elsewhere/slot9.sav", b"nine");
    bench.ok(&["game", "set", GAME, "--bay", "saves=elsewhere"]);
    let text = flat(&wind(&bench, &[]));
    assert!(text.contains("1 file of saves in") && text.contains("elsewhere"), "{text}");
    fs::remove_file(bench.file("elsewhere/slot9.sav")).unwrap();
    let last = bench.json(&["history", GAME])["changes"].as_array().unwrap().len().to_string();
    bench.ok(&["rollback", GAME, "--saves", "--to", &last]);
    assert_eq!(read(&bench, "elsewhere/slot9.sav"), "nine");
}

#[test]
fn a_release_comes_from_archives_too_with_what_they_hold_as_it_is() {
    let bench = bench();
    let inner = archive::zip(&[("a.txt", b"a".as_slice())], DATE);
    let program = exe([1, 4, 0, 0]).to_bytes();
    let entries: [(&str, &[u8]); 3] = [
        ("Pier 1.4/Pier.exe", &program),
        ("Pier 1.4/data/sea.pak", b"packed sea"),
        ("Pier 1.4/data/part0.zip", &inner),
    ];
    bench.write("pier-1.4.zip", &archive::zip(&entries, DATE));
    bench.write(&format!("{PIER}/data/part0.zip"), b"another zip");
    bench.write("more/data/sea.pak", b"the last counts");
    let given = fs::read(bench.file("pier-1.4.zip")).unwrap();
    let words = ["wind", GAME, "--from", "pier-1.4.zip", "--from", "more"];
    assert!(bench.ok(&words).contains("1.5.0 → 1.4.0"));
    assert_eq!(read(&bench, &format!("{PIER}/data/sea.pak")), "the last counts");
    assert!(fs::read(bench.file(&format!("{PIER}/data/part0.zip"))).unwrap() == inner);
    assert!(fs::read(bench.file("pier-1.4.zip")).unwrap() == given);
    assert_eq!(fs::read_dir(bench.file("home/scratch")).map_or(0, Iterator::count), 0);
}

#[test]
fn many_files_at_once_come_and_go_as_one() {
    let bench = bench();
    for n in 0..700u16 {
        bench.write(&format!("{PIER}/many/{}/{n}.dat", n % 9), format!("new {n}").as_bytes());
        if n % 3 > 0 {
            bench.write(&format!("older/many/{}/{n}.dat", n % 9), format!("old {n}").as_bytes());
        }
        if n % 50 == 0 {
            bench.write(&format!("older/many/only/{n}.dat"), b"only the older has it");
        }
    }
    let before = picture(&bench.file(PIER));
    let text = wind(&bench, &["--aside", "many/*/*[05].dat"]);
    assert!(text.contains("moved aside"), "{text}");
    for n in [1, 2, 4, 100, 698] {
        assert_eq!(read(&bench, &format!("{PIER}/many/{}/{n}.dat", n % 9)), format!("old {n}"));
    }
    assert!(bench.ok(&["drift", GAME]).contains("All as it left them."));
    let text = bench.ok(&["undo"]);
    assert!(text.contains("(-v lists them)"), "{text}");
    assert!(picture(&bench.file(PIER)) == before);
    assert!(bench.ok(&["doctor", "--deep"]).contains("All is well"));
}

#[test]
fn an_update_over_a_wind_is_told_with_what_to_do_in_order() {
    let bench = fitted([3, 1, 0, 0]);
    wind(&bench, &["--keep-fitted"]);
    let update = [
        ("Pier.exe", exe([1, 6, 0, 0]).to_bytes()),
        ("core.dll", core([1, 6, 0, 0])),
        ("data/sea.pak", b"the newest sea".to_vec()),
    ];
    for (name, bytes) in update {
        world::write(&bench.file(&format!("{PIER}/{name}")), &bytes, (2026, 2, 3)).unwrap();
    }
    let text = flat(&output(&bench.run(&["drift", GAME]).code(1)));
    for said in [
        "Wound back by change 2: 1.5.0 → 1.4.0, 3 files. None of them is as it was left.",
        "The game was updated: Pier.exe was 1.4.0 and is 1.6.0.",
        "1. Wind it back again: spanner wind pier --from",
        "nothing is lost",
    ] {
        assert!(text.contains(said), "{said}: {text}");
    }
    let document = bench.json(&["drift", GAME]);
    assert_eq!(document["games"][0]["drift"]["wound"]["others"].as_array().unwrap().len(), 3);
    // Its advice works when typed.
    let from = document["games"][0]["drift"]["wound"]["from"][0].as_str().unwrap().to_owned();
    bench.ok(&["refit", GAME]);
    bench.ok(&["wind", GAME, "--from", &from, "--keep-fitted"]);
    let drift = bench.ok(&["drift", GAME]);
    assert!(drift.contains("Wound back by change 3: 1.6.0 → 1.4.0"), "{drift}");
}
