//! Launchers, known only by their descriptions: reading their records, and keeping them from updating a game.

use std::fs;
use std::path::Path;

use crate::common::{Bench, errors, flat, free, output};
use upright_spanner_sample::launcher::{self, Outcome};
use upright_spanner_sample::{Bits, Pe, world};

const PIER: &str = "games/Pier";
const GAME: &str = "pier";

/// A library with a game, its launcher, and an update that is ready to come.
fn bench(description: &str, wide: bool) -> Bench {
    let bench = Bench::empty();
    put(&bench, PIER, [1, 4, 0, 0]);
    bench.write(&format!("{PIER}/Data/old.pak"), b"goes with the update");
    put(&bench, "kept", [1, 4, 0, 0]);
    put(&bench, "load", [1, 5, 0, 0]);
    for path in ["load/Pier.exe", "load/Data/part.pak"] {
        date(&bench, path, (2026, 2, 1));
    }
    bench.write("load/Data/new.pak", b"comes with the update");
    launcher::announce(&bench.file("load"), 22, &["Data/old.pak"]).unwrap();
    launcher::write_down(&bench.file("games"), "Pier", "The Pier", 21, wide).unwrap();
    bench.write("home/launchers/quayhand.toml", description.as_bytes());
    bench
}

/// The description without the key that holds: then the mark does.
fn by_mark() -> String {
    let lines = launcher::DESCRIPTION.lines().filter(|line| !line.starts_with("hold"));
    lines.flat_map(|line| [line, "\n"]).collect()
}

fn put(bench: &Bench, folder: &str, version: [u16; 4]) {
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", version);
    bench.write(&format!("{folder}/Pier.exe"), &exe.to_bytes());
    bench.write(&format!("{folder}/Data/part.pak"), format!("{version:?}").as_bytes());
    bench.write(&format!("{folder}/Data/core.pak"), b"the same in both");
}

/// Gives a file another date.
fn date(bench: &Bench, path: &str, date: (u16, u8, u8)) {
    let content = fs::read(bench.file(path)).unwrap();
    world::write(&bench.file(path), &content, date).unwrap();
}

fn update(bench: &Bench) -> Outcome {
    launcher::update(&bench.file("games"), "Pier", &bench.file("load")).unwrap()
}

fn record(bench: &Bench) -> std::path::PathBuf {
    launcher::record(&bench.file("games"), "Pier")
}

fn version(bench: &Bench) -> String {
    let survey = bench.json(&["survey", PIER]);
    survey["games"][0]["executable"]["version"].as_str().unwrap().to_owned()
}

#[test]
fn titles_folders_builds_and_what_waits_are_read_from_records() {
    for wide in [false, true] {
        let bench = bench(launcher::DESCRIPTION, wide);
        let survey = bench.json(&["survey", "games"]);
        assert_eq!(survey["games"][0]["title"], "The Pier");
        assert_eq!(survey["games"][0]["held"], false);
        let shown = bench.json(&["game", "show", PIER]);
        let record = &shown["game"]["records"][0];
        assert_eq!((&record["launcher"], &record["build"]), (&"quayhand".into(), &"21".into()));
        assert_eq!(record["waiting"], false);
        bench.ok(&["hold", PIER]);
        assert_eq!(update(&bench), Outcome::Waits);
        let text = bench.ok(&["game", "show", PIER]);
        assert!(text.contains("quayhand, build 21, build 22 is waiting, held"), "{text}");
        // The user's title overrides the record's.
        bench.ok(&["game", "set", PIER, "--title", "My pier"]);
        assert_eq!(bench.json(&["survey", "games"])["games"][0]["title"], "My pier");
    }
}

#[test]
fn a_folder_that_a_record_names_is_a_game_however_it_is_built() {
    let bench = bench(launcher::DESCRIPTION, false);
    let program = Pe::exe(Bits::Bits64).to_bytes();
    for at in ["a/b/one.exe", "c/d/two.exe"] {
        bench.write(&format!("games/Quay/{at}"), &program);
    }
    let before = bench.json(&["survey", "games"])["games"].as_array().unwrap().len();
    launcher::write_down(&bench.file("games"), "Quay", "The Quay", 3, false).unwrap();
    let survey = bench.json(&["survey", "games"]);
    let titles: Vec<&str> = survey["games"]
        .as_array()
        .unwrap()
        .iter()
        .filter_map(|game| game["title"].as_str())
        .collect();
    assert!(titles.contains(&"The Quay") && titles.len() < before, "{titles:?}");
}

#[test]
fn a_game_is_held_by_a_key_or_a_mark_and_let_go_again() {
    for (description, held) in
        [(launcher::DESCRIPTION.to_owned(), Outcome::Waits), (by_mark(), Outcome::Shut)]
    {
        let bench = bench(&description, false);
        let before = fs::read(record(&bench)).unwrap();
        let text = bench.ok(&["hold", PIER, "--why", "mods", "--dry-run"]);
        assert!(text.contains("pier.berth"), "the file outside the game is shown: {text}");
        assert!(fs::read(record(&bench)).unwrap() == before);

        let text = flat(&bench.ok(&["hold", PIER, "--why", "mods"]));
        assert!(
            text.contains("spanner hold the-pier --lift")
                || text.contains("spanner hold pier --lift"),
            "{text}"
        );
        if held == Outcome::Shut && cfg!(unix) {
            assert!(text.contains("gets around it") && text.contains("[held-by-mark]"), "{text}");
        }
        assert_eq!(update(&bench), held);
        assert_eq!(version(&bench), "1.4.0");
        let drift = flat(&bench.ok(&["drift", PIER]));
        assert!(drift.contains("Held by change 1 (mods)"), "{drift}");
        assert_eq!(
            held == Outcome::Waits,
            drift.contains("quayhand waits with build 22"),
            "{drift}"
        );
        assert!(bench.ok(&["survey", "games"]).contains(", held)"));
        assert!(bench.ok(&["hold", PIER]).contains("It is held already."));
        // A rollback concerns files in the game.
        assert!(bench.ok(&["rollback", PIER]).contains("Nothing to roll back"));
        assert_eq!(update(&bench), held);

        bench.ok(&["hold", PIER, "--lift"]);
        assert!(bench.ok(&["hold", PIER, "--lift"]).contains("Nothing to lift"));
        assert_eq!(bench.json(&["survey", PIER])["games"][0]["held"], false);
        assert_eq!(update(&bench), Outcome::Updated);
        assert_eq!(version(&bench), "1.5.0");
        assert!(!bench.file(&format!("{PIER}/Data/old.pak")).exists());
    }
}

#[test]
fn a_hold_is_undone_like_any_change() {
    for description in [launcher::DESCRIPTION.to_owned(), by_mark()] {
        let bench = bench(&description, true);
        let before = fs::read(record(&bench)).unwrap();
        bench.ok(&["hold", PIER]);
        bench.ok(&["undo"]);
        assert!(fs::read(record(&bench)).unwrap() == before);
        assert!(!fs::metadata(record(&bench)).unwrap().permissions().readonly());
        bench.ok(&["undo", "2"]);
        assert_ne!(update(&bench), Outcome::Updated);
        bench.ok(&["hold", PIER, "--lift"]);
        assert_eq!(update(&bench), Outcome::Updated);
    }
}

#[test]
fn that_something_lifted_a_hold_is_said() {
    let bench = bench(&by_mark(), false);
    bench.ok(&["hold", PIER]);
    // The launcher replaces the whole record.
    free(&record(&bench));
    fs::remove_file(record(&bench)).unwrap();
    launcher::write_down(&bench.file("games"), "Pier", "The Pier", 21, false).unwrap();
    let drift = flat(&output(&bench.run(&["drift", PIER]).code(1)));
    assert!(drift.contains("The hold of change 1 was lifted"), "{drift}");
    assert_eq!(bench.json(&["drift", PIER])["games"][0]["drift"]["held"][0]["lifted"], true);
    bench.ok(&["hold", PIER]);
    assert_eq!(update(&bench), Outcome::Shut);
    assert!(bench.ok(&["drift", PIER]).contains("Held by change 2"));
}

#[test]
fn any_file_can_be_held_where_no_launcher_is_described() {
    let bench = bench("schema = 1\nlauncher = []\n", false);
    let said = flat(&errors(&bench.run(&["hold", PIER]).code(2)));
    assert!(said.contains("no launcher's record of Pier was found"), "{said}");
    assert!(said.contains("--file FILE"), "{said}");
    bench.ok(&["hold", PIER, "--file", "games/.quayhand/pier.berth", "--why", "by hand"]);
    assert_eq!(update(&bench), Outcome::Shut);
    assert!(bench.ok(&["drift", PIER]).contains("(by hand)"));
    bench.ok(&["hold", PIER, "--lift"]);
    assert_eq!(update(&bench), Outcome::Updated);
    assert!(errors(&bench.run(&["hold", PIER, "--file", "nowhere"]).code(4)).contains("nowhere"));
    assert!(
        errors(&bench.run(&["hold", PIER, "--file", "games"]).code(2)).contains("is not a file")
    );
}

#[test]
fn whatever_the_order_of_wind_hold_and_update_the_way_leads_back_and_forward() {
    let wind = ["wind", GAME, "--from", "kept", "--aside", "Data/new.pak"];
    let forward = |bench: &Bench| {
        assert_eq!(version(bench), "1.5.0");
        assert_eq!(
            fs::read(bench.file(&format!("{PIER}/Data/new.pak"))).unwrap(),
            b"comes with the update"
        );
    };
    // Updated, wound back, held: the update does not come again, and undone it is there.
    let bench = self::bench(launcher::DESCRIPTION, false);
    bench.ok(&["game", "add", PIER]);
    assert_eq!(update(&bench), Outcome::Updated);
    bench.ok(&wind);
    bench.ok(&["hold", GAME]);
    assert_eq!(update(&bench), Outcome::Waits);
    assert!(bench.ok(&["drift", GAME]).contains("All as it left them."));
    bench.ok(&["undo", "1"]);
    forward(&bench);

    // Both at once: undoing the wind lifts the hold.
    let bench = self::bench(&by_mark(), false);
    bench.ok(&["game", "add", PIER]);
    assert_eq!(update(&bench), Outcome::Updated);
    let text = bench.ok(&[&wind[..], &["--hold"]].concat());
    assert!(text.contains("Done: change 1"), "{text}");
    assert_eq!(update(&bench), Outcome::Shut);
    bench.ok(&["undo"]);
    forward(&bench);
    assert_eq!(update(&bench), Outcome::Updated);

    // Wound back and not held: the update overwrites it, which is reported, and it can be wound again.
    let bench = self::bench(launcher::DESCRIPTION, false);
    bench.ok(&["game", "add", PIER]);
    assert_eq!(update(&bench), Outcome::Updated);
    bench.ok(&wind);
    for path in ["load/Pier.exe", "load/Data/part.pak"] {
        date(&bench, path, (2026, 3, 1));
    }
    assert_eq!(update(&bench), Outcome::Updated);
    let drift = flat(&output(&bench.run(&["drift", GAME]).code(1)));
    assert!(
        drift.contains("2 of them are others now.") || drift.contains("None of them"),
        "{drift}"
    );
    assert!(drift.contains("1. Wind it back again: spanner wind pier --from"), "{drift}");
    bench.ok(&wind);
    assert_eq!(version(&bench), "1.4.0");
    bench.ok(&["undo"]);
    forward(&bench);

    // Held before any update, then let go: nothing of it stays.
    let bench = self::bench(&by_mark(), true);
    bench.ok(&["game", "add", PIER]);
    bench.ok(&["hold", GAME]);
    assert_eq!(update(&bench), Outcome::Shut);
    bench.ok(&["undo"]);
    assert_eq!(update(&bench), Outcome::Updated);
    forward(&bench);
}

#[test]
fn library_roots_are_taken_from_what_the_launcher_has_written_down() {
    let more = "libraries = { files = [\"{library}/.quayhand/places.txt\"], pattern = '(?m)^place (?<library>.+?)\\r?$' }\n";
    let bench = bench(&format!("{}{more}", by_mark()), false);
    let games = bench.file("games");
    bench.write(
        "games/.quayhand/places.txt",
        format!("place {}\r\nplace nowhere\r\n", games.display()).as_bytes(),
    );
    // The file's location follows from the user's folders or from a known root.
    let text = bench.ok(&["root", "add", "--launcher", "quayhand"]);
    assert!(text.contains("has written down no library root"), "{text}");
    bench.ok(&["root", "add", "games"]);
    let text = bench.ok(&["root", "add", "--launcher", "quayhand"]);
    assert!(text.contains("is a game now"), "{text}");
    let said = flat(&errors(&bench.run(&["root", "add", "--launcher", "nobody"]).code(2)));
    assert!(said.contains("no launcher `nobody` is described"), "{said}");
}

#[test]
fn a_game_is_started_through_its_launcher_unless_something_else_is_said() {
    let bench = bench(&format!("{}start = \"quayhand://play/{{id}}\"\n", by_mark()), false);
    let way = |words: &[&str]| {
        let document = bench.json(&[&["start", PIER, "--dry-run"], words].concat());
        (document["start"]["chosen"].clone(), document["start"]["what"].clone())
    };
    let (chosen, what) = way(&[]);
    assert_eq!((chosen, what), ("launcher".into(), "quayhand://play/21-4".into()));
    let program = env!("CARGO_BIN_EXE_spanner");
    assert_eq!(way(&["--program", program]).0, "once");
    assert!(bench.ok(&["game", "show", PIER]).contains("through quayhand"));
    bench.ok(&["game", "set", PIER, "--start", program]);
    assert_eq!(way(&[]).0, "setting");
    bench.ok(&["game", "set", PIER, "--start", ""]);
    // A text that could be more than a name is not used in an address.
    let text = fs::read_to_string(record(&bench)).unwrap();
    fs::write(record(&bench), text.replace("berth = 21-4", "berth = 21 & calc")).unwrap();
    if cfg!(windows) {
        assert_eq!(way(&[]).0, "executable");
    } else {
        assert!(errors(&bench.run(&["start", PIER, "--dry-run"]).code(2)).contains("Pier.exe"));
    }
}

#[test]
fn a_description_that_is_wrong_says_where() {
    let wrong = [
        ("schema = 2\nlauncher = []\n", "schema 2 is not known"),
        ("schema = 1\n[[launcher]]\nname = \"a\"\n", "records"),
        ("nonsense", "expected"),
    ];
    for (text, said) in wrong {
        let bench = bench(text, false);
        let errors = flat(&errors(&bench.run(&["survey", "games"]).code(1)));
        assert!(errors.contains("quayhand.toml") && errors.contains(said), "{text}: {errors}");
    }
    for (from, to, said) in [
        ("'(?m)^load = (?<build>\\d+)'", "'(?<version>x)'", "has the group version"),
        ("'(?m)^load = (?<build>\\d+)'", "'('", "not a regular expression"),
        ("'(?m)^load = (?<build>\\d+)'", "'plain'", "has no group"),
        ("{library}/.quayhand/*.berth", "/etc/*.conf", "does not begin with"),
        ("{library}/.quayhand/*.berth", "{library}/../*.berth", "does not begin with"),
        ("format = \"ini\"", "format = \"odd\"", "no format `odd`"),
    ] {
        assert!(launcher::DESCRIPTION.contains(from), "{from}");
        let bench = bench(&launcher::DESCRIPTION.replace(from, to), false);
        let errors = flat(&errors(&bench.run(&["hold", PIER]).code(4)));
        assert!(errors.contains(said), "{to}: {errors}");
    }
}

#[test]
fn records_that_lie_lead_nowhere() {
    let bench = bench(launcher::DESCRIPTION, false);
    bench.write("outside/Pier.exe", &Pe::exe(Bits::Bits64).to_bytes());
    let path = record(&bench);
    let text = fs::read_to_string(&path).unwrap();
    let known = |bench: &Bench| {
        bench.json(&["game", "show", PIER])["game"]["records"].as_array().unwrap().len()
    };
    assert_eq!(known(&bench), 1);
    for folder in ["../outside", "C:\\Windows", "/etc", "nul", "", "Pier\u{202e}"] {
        fs::write(&path, text.replace("lies in = Pier", &format!("lies in = {folder}"))).unwrap();
        assert_eq!(known(&bench), 0, "{folder}");
    }
    fs::write(&path, text.replace("called = The Pier", "called = \u{1b}[31mThe\u{7} Pier\u{202e}"))
        .unwrap();
    let shown = bench.ok(&["survey", "games"]);
    assert!(!shown.contains('\u{1b}') && !shown.contains('\u{202e}'), "{shown:?}");
    fs::write(&path, vec![b'x'; 3 << 20]).unwrap();
    assert_eq!(known(&bench), 0, "longer than any record");
    fs::write(&path, [0xff, 0xfe, 0x00]).unwrap();
    assert_eq!(known(&bench), 0);
    link(&path, &bench.file("outside/Pier.exe"));
    assert_eq!(known(&bench), 0);
}

#[cfg(unix)]
fn link(path: &Path, to: &Path) {
    fs::remove_file(path).unwrap();
    std::os::unix::fs::symlink(to, path).unwrap();
}

#[cfg(not(unix))]
fn link(path: &Path, _: &Path) {
    fs::remove_file(path).unwrap();
}
