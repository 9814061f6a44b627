//! Whatever ends the program, at whatever operation on a disk, the game is as before or as after:
//! each operation is made to fail, or to end the program, in turn.

use std::fs;
use std::path::PathBuf;
use std::process::{Output, Stdio};

use crate::common::Bench;
use crate::common::feeds::Publisher;
use upright_spanner_sample::world::{self, copy_tree};
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive};

const GAME: &str = "games/Pier";
const DATE: (u16, u8, u8) = (2026, 3, 4);

type Picture = Vec<(String, Vec<u8>)>;

fn loader(version: [u16; 4]) -> Vec<u8> {
    let info = VersionInfo::new(version)
        .with("CompanyName", "Glim")
        .with("FileDescription", "Glim plugin loader");
    Pe::dll(Bits::Bits64, "glim.dll").version(&info).export("timeGetTime", 1).to_bytes()
}

/// A game with a loader of several files, and a newer one on the rack that merges its settings,
/// brings a file in a new folder and takes another away.
fn world() -> Bench {
    let bench = Bench::empty();
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 0, 0, 0])
        .imports("winmm.dll", &["timeGetTime"])
        .padding(0);
    bench.write(&format!("{GAME}/Pier.exe"), &exe.to_bytes());
    bench.write(&format!("{GAME}/readme.txt"), b"the game's own");
    let pack = |version: [u16; 4], ini: &[u8], data: &str| {
        let entries: [(&str, &[u8]); 3] =
            [("glim.dll", &loader(version)), ("glim.ini", ini), (data, b"data")];
        archive::zip(&entries, DATE)
    };
    bench.write("old.zip", &pack([1, 0, 0, 0], b"[A]\nb=1\n", "old/one.bin"));
    bench.write("new.zip", &pack([2, 0, 0, 0], b"[A]\nb=1\nc=2\n", "new/deep/two.bin"));
    bench.write("newest.zip", &pack([3, 0, 0, 0], b"[A]\nb=1\nd=3\n", "newest/three.bin"));
    bench.ok(&["rack", "add", "old.zip", "new.zip"]);
    bench.ok(&["fit", GAME, "glim@1.0.0", "--as", "winmm.dll"]);
    bench.write(&format!("{GAME}/glim.ini"), b"[A]\r\nb=7\r\n");
    bench
}

/// A catalog with a setting in the loader's file, one in a file that is not there, and one in the registry of a
/// prefix.
const CATALOG: &str = r#"
schema = 1
[[family]]
id = "glim"
company = "Glim"
setting = [
    { name = "depth", file = "glim.ini", section = "A", key = "b" },
    { name = "more", file = "glim.ini", section = "New", key = "c" },
    { name = "log", file = "conf/glim.toml", key = "log" },
    { name = "debug", registry = 'HKEY_CURRENT_USER\Software\Glim\Deep', value = "Debug", type = "dword" },
]
"#;

/// The same game with settings in files and in the registry of a prefix that is in its folder.
fn tunable() -> Bench {
    let bench = world();
    bench.write("home/catalog/glim.toml", CATALOG.as_bytes());
    let prefix = format!("{GAME}/prefix");
    let registry = "WINE REGISTRY Version 2\n\n[Software\\\\Own] 1\n\"x\"=\"y\"\n";
    bench.write(&format!("{prefix}/user.reg"), registry.as_bytes());
    bench.write(&format!("{prefix}/drive_c/windows/notes.txt"), b"x");
    bench.ok(&["game", "set", GAME, "--prefix", &prefix]);
    bench
}

/// The same game on Windows, if the registry is the system's own: a file names its key.
#[cfg(windows)]
fn tunable_on_windows() -> Bench {
    let bench = world();
    let key =
        format!(r"Software\Spanner Faults {}", bench.path().file_name().unwrap().to_string_lossy());
    let catalog = CATALOG.replace(r"Software\Glim", &key);
    bench.write("home/catalog/glim.toml", catalog.as_bytes());
    bench.write(registry::NAMED, key.as_bytes());
    bench
}

/// The part of the registry that a world has.
#[cfg(windows)]
mod registry {
    use super::Bench;
    use winreg::enums::HKEY_CURRENT_USER;
    use winreg::{RegKey, RegValue};

    /// The file that names it.
    pub const NAMED: &str = "registry-key";

    /// Every key below it and its values.
    pub type Picture = Vec<(String, Vec<(String, u32, Vec<u8>)>)>;

    fn key(bench: &Bench) -> Option<String> {
        std::fs::read_to_string(bench.file(NAMED)).ok()
    }

    pub fn picture(bench: &Bench) -> Picture {
        let user = RegKey::predef(HKEY_CURRENT_USER);
        let mut keys: Vec<String> = key(bench).into_iter().collect();
        let mut found = Picture::new();
        while let Some(name) = keys.pop() {
            let Ok(open) = user.open_subkey(&name) else { continue };
            let values = open.enum_values().flatten();
            let values =
                values.map(|(name, value)| (name, value.vtype as u32, value.bytes.into_owned()));
            keys.extend(open.enum_keys().flatten().map(|inner| format!(r"{name}\{inner}")));
            found.push((name, values.collect()));
        }
        found.sort();
        found
    }

    /// Restores a picture.
    pub fn restore(bench: &Bench, to: &Picture) {
        let user = RegKey::predef(HKEY_CURRENT_USER);
        let Some(key) = key(bench) else { return };
        let _ = user.delete_subkey_all(key);
        for (name, values) in to {
            let (open, _) = user.create_subkey(name).unwrap();
            for (name, kind, bytes) in values {
                let vtype = winreg::enums::RegType::REG_DWORD;
                assert_eq!(vtype.clone() as u32, *kind);
                open.set_raw_value(name, &RegValue { bytes: bytes.into(), vtype }).unwrap();
            }
        }
    }
}

/// Wine starts a program slowly: there, every few operations have to do.
const STEP: usize = if cfg!(windows) { 23 } else { 1 };

/// So many operations in a row may fail and do no harm.
const MOST_HARMLESS: usize = if cfg!(windows) { 1 } else { 9 };

/// More operations than any command here does.
const MANY: u64 = 5000;

/// A world that can be had again and again, in the same place.
struct Saved {
    bench: Bench,
    copy: Bench,
    #[cfg(windows)]
    registry: registry::Picture,
}

impl Saved {
    fn of(bench: Bench) -> Self {
        let copy = Bench::empty();
        copy_tree(bench.path(), copy.path()).unwrap();
        Self {
            #[cfg(windows)]
            registry: registry::picture(&bench),
            bench,
            copy,
        }
    }

    fn again(&self) -> &Bench {
        for part in ["games", "home"] {
            world::remove_tree(&self.bench.file(part)).unwrap();
        }
        copy_tree(self.copy.path(), self.bench.path()).unwrap();
        #[cfg(windows)]
        registry::restore(&self.bench, &self.registry);
        &self.bench
    }
}

fn run(bench: &Bench, words: &[&str], fault: Option<String>) -> Output {
    let mut command = bench.program(words);
    let roots = [bench.path().join("games"), bench.path().join("home")];
    let loses_power = cfg!(unix) && fault.as_ref().is_some_and(|fault| fault.starts_with("power"));
    if let Some(fault) = fault {
        command.env("SPANNER_FAULT", fault);
        command.env("SPANNER_FAULT_ROOTS", std::env::join_paths(&roots).unwrap());
    }
    let output = crate::common::started(|| command.output());
    if loses_power && !output.status.success() {
        assert!(output.status.code().is_none(), "it ended before it lost power: {}", said(&output));
        for root in roots {
            world::remove_tree(&root).unwrap();
            fs::rename(root.with_extension("kept"), root).unwrap();
        }
    }
    output
}

fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

/// The folders below the game too: an empty one left behind would not show among the files.
fn picture(bench: &Bench) -> (Picture, Vec<PathBuf>) {
    let mut folders = vec![bench.file(GAME)];
    let mut at = 0;
    while at < folders.len() {
        for entry in fs::read_dir(&folders[at]).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
            }
        }
        at += 1;
    }
    folders.sort();
    let below = folders.iter().map(|path| path.strip_prefix(bench.path()).unwrap().to_owned());
    #[cfg_attr(not(windows), expect(unused_mut, reason = "Windows has a registry of its own"))]
    let mut files = bench.picture(GAME);
    #[cfg(windows)]
    files.extend(
        registry::picture(bench)
            .into_iter()
            .map(|(key, values)| (key, format!("{values:?}").into_bytes())),
    );
    (files, below.collect())
}

/// Runs a command with a fault at each operation in turn, until none is left to fail; after each,
/// the game must be as before or as after, and the next run must say which and leave nothing behind.
fn at_each_operation(kind: &str, saved: &Saved, words: &[&str], (least, step): (u64, usize)) {
    let bench = saved.again();
    let before = picture(bench);
    let known = bench.json(&["history"])["changes"].as_array().unwrap().len();
    assert!(run(bench, words, None).status.success());
    let after = picture(bench);
    assert!(before != after);
    let mut harmless = 0;
    for number in (1..MANY).step_by(STEP * step) {
        let bench = saved.again();
        let output = run(bench, words, Some(format!("{kind}:{number}")));
        if output.status.success() {
            assert!(picture(bench) == after, "{kind}:{number}");
            // Some operations may fail without harm; after the last one there is nothing to fail.
            harmless += 1;
            if harmless > MOST_HARMLESS {
                assert!(number > least, "{kind}: only {number} operations were tried");
                return;
            }
            continue;
        }
        harmless = 0;
        if kind != "kill" && kind != "power" {
            let code = output.status.code().unwrap();
            let text = said(&output);
            assert!(code == 4 || code == 5, "{kind}:{number} ended with {code}: {text}");
            assert!(code == 5 || picture(bench) == before, "{kind}:{number}: {text}");
            assert!(text.contains("error:"), "{text}");
        }
        let next = run(bench, &["doctor", "--deep"], None);
        assert!(next.status.success(), "{kind}:{number}: {}", said(&next));
        let now = picture(bench);
        assert!(now == before || now == after, "{kind}:{number}: neither as before nor as after");
        let back = said(&next).contains("had been interrupted: every file is back");
        assert!(!back || now == before, "{kind}:{number}: it said what is not so");
        let done = said(&next).contains("it is noted as done");
        assert!(!done || now == after, "{kind}:{number}: it said what is not so");
        let history = bench.json(&["history"]);
        let changes = history["changes"].as_array().unwrap();
        assert!(changes.iter().all(|change| change["state"] != "open"), "{kind}:{number}");
        let done = changes.iter().filter(|change| change["state"] == "done").count();
        let wanted = known + usize::from(now == after);
        assert_eq!(
            done, wanted,
            "{kind}:{number}: what was done can be taken back, and nothing else"
        );
    }
    panic!("{kind}: it never came to its end");
}

fn fitted() -> Bench {
    let bench = world();
    bench.ok(&["fit", GAME, "glim@2.0.0"]);
    bench
}

fn tuned() -> Bench {
    let bench = tunable();
    bench.ok(A_TUNE.words);
    bench
}

fn parked() -> Bench {
    let bench = fitted();
    bench.ok(&["park", GAME, "glim"]);
    bench
}

/// The scenario: its start, the command, and its least number of operations.
struct Scenario {
    begins: fn() -> Bench,
    words: &'static [&'static str],
    least: u64,
    /// Of so many operations one meets the faults that are not kill.
    others: usize,
}

const A_FIT: Scenario =
    Scenario { begins: world, words: &["fit", GAME, "glim@2.0.0"], least: 25, others: 1 };
const AN_ARRIVAL: Scenario =
    Scenario { begins: fitted, words: &["fit", GAME, "newest.zip"], least: 25, others: 1 };
const A_ROLLBACK: Scenario =
    Scenario { begins: fitted, words: &["rollback", GAME], least: 10, others: 1 };
const AN_UNDO: Scenario = Scenario { begins: fitted, words: &["undo"], least: 10, others: 1 };
const A_PARK: Scenario =
    Scenario { begins: fitted, words: &["park", GAME, "glim"], least: 10, others: 1 };
const AN_UNPARK: Scenario =
    Scenario { begins: parked, words: &["unpark", GAME, "glim"], least: 10, others: 1 };

const A_TUNE: Scenario = Scenario {
    begins: tunable,
    words: &["tune", GAME, "glim", "depth=3", "more=x", "log=on", "debug=1", "--lock"],
    least: 25,
    others: 1,
};
const A_TUNE_UNDONE: Scenario = Scenario { begins: tuned, words: &["undo"], least: 20, others: 1 };

/// The faults of an operation: the program is killed, the power is lost, the disk is full, the disk fails.
const FAULTS: [&str; 4] = ["kill", "power", "space", "io"];

impl Scenario {
    fn meets_every_fault(&self) {
        let saved = Saved::of((self.begins)());
        for fault in FAULTS {
            let step = if fault == "kill" { 1 } else { self.others };
            at_each_operation(fault, &saved, self.words, (self.least, step));
        }
    }
}

/// A game with everything a wind meets: saves, settings, a fitted component in the way, content to move aside, and a
/// launcher's record.
fn windable() -> Bench {
    let bench = fitted();
    bench.write(&format!("{GAME}/saves/one.sav"), b"played");
    bench.write(&format!("{GAME}/newer/deep/two.pak"), b"of the newer release");
    bench.write(&format!("{GAME}/pier.cfg"), b"own=1\n");
    bench.write("games/record.txt", b"the launcher's");
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [0, 9, 0, 0])
        .imports("winmm.dll", &["timeGetTime"])
        .padding(0);
    bench.write("older/Pier.exe", &exe.to_bytes());
    bench.write("older/readme.txt", b"the older release's own");
    bench.write("older/winmm.dll", &loader([0, 9, 0, 0]));
    bench.write("older/pier.cfg", b"own=0\nof-old=1\n");
    bench.write("older/more/three.pak", b"only of the older");
    bench
}

/// The same with so many files that they are made durable together.
fn largely_windable() -> Bench {
    let bench = windable();
    for n in 0..70 {
        bench.write(&format!("{GAME}/many/{n}.dat"), format!("new {n}").as_bytes());
        bench.write(&format!("older/many/{n}.dat"), format!("old {n}").as_bytes());
    }
    bench
}

fn wound() -> Bench {
    let bench = windable();
    bench.ok(A_WIND.words);
    bench
}

const A_WIND: Scenario = Scenario {
    begins: windable,
    words: &["wind", GAME, "--from", "older", "--aside", "newer", "--keep-fitted"],
    least: 60,
    others: 9,
};
const A_WIND_UNDONE: Scenario = Scenario { begins: wound, words: &["undo"], least: 40, others: 9 };

#[test]
fn a_wind_and_its_way_forward_meet_every_fault_and_the_game_is_whole() {
    A_WIND.meets_every_fault();
    A_WIND_UNDONE.meets_every_fault();
}

#[test]
fn a_wind_of_many_files_that_are_made_durable_together_is_whole_or_not_done() {
    let saved = Saved::of(largely_windable());
    for fault in ["kill", "power"] {
        at_each_operation(fault, &saved, A_WIND.words, (200, 97));
    }
}

#[test]
fn a_hold_meets_every_fault_and_the_record_is_whole() {
    let saved = Saved::of(windable());
    let file = saved.bench.file("games/record.txt");
    let is_held = || fs::metadata(&file).unwrap().permissions().readonly();
    let words = ["hold", GAME, "--file", "games/record.txt"];
    for number in (1..MANY).step_by(STEP) {
        let bench = saved.again();
        let done = run(bench, &words, Some(format!("kill:{number}"))).status.success();
        assert!(run(bench, &["doctor"], None).status.success(), "{number}");
        let history = bench.json(&["history"]);
        let last = history["changes"].as_array().unwrap().last().unwrap();
        assert_eq!(
            is_held(),
            last["purpose"]["kind"] == "hold" && last["state"] == "done",
            "{number}"
        );
        assert_eq!(fs::read(&file).unwrap(), b"the launcher's");
        if done {
            return;
        }
    }
}

#[test]
fn a_feed_is_of_before_or_of_after_whatever_ends_its_refresh() {
    let bench = Bench::empty();
    bench.write(&format!("{GAME}/readme.txt"), b"the game's own");
    let publisher = Publisher::of_lens(&bench);
    publisher.added("feed");
    publisher.rack_lens([3, 2, 0, 0]);
    publisher.make(&["--from", "rack"]);
    let saved = Saved::of(bench);
    for kind in ["kill", "power", "space", "io"] {
        let mut harmless = 0;
        for number in (1..MANY).step_by(STEP) {
            let bench = saved.again();
            let ended = run(bench, &["feed", "refresh"], Some(format!("{kind}:{number}")));
            let list = bench.json(&["feed", "list"]);
            assert_eq!(list["errors"], serde_json::json!([]), "{kind}:{number}");
            let serial = list["feeds"][0]["serial"].as_u64().unwrap();
            assert!(serial == 1 || serial == 2, "{kind}:{number}");
            let offers = bench.json(&["feed", "list", "lens"]);
            assert_eq!(
                offers["builds"].as_array().unwrap().len() as u64,
                serial,
                "{kind}:{number}"
            );
            harmless = if ended.status.success() { harmless + 1 } else { 0 };
            assert!(harmless == 0 || serial == 2, "{kind}:{number}: it said that it was done");
            if harmless > MOST_HARMLESS {
                assert!(number > 12, "{kind}: only {number} operations were tried");
                break;
            }
            assert!(run(bench, &["feed", "refresh"], None).status.success(), "{kind}:{number}");
            assert_eq!(bench.json(&["feed", "list"])["feeds"][0]["serial"], 2);
        }
    }
}

#[test]
fn a_rack_has_a_download_or_has_it_not_whatever_ends_the_getting() {
    let bench = Bench::empty();
    bench.write(&format!("{GAME}/readme.txt"), b"the game's own");
    let publisher = Publisher::of_lens(&bench);
    publisher.added("feed");
    let saved = Saved::of(bench);
    // Each kind elsewhere, and together at each operation.
    for (kind, first) in FAULTS.into_iter().zip(1..) {
        let mut harmless = 0;
        for number in (first..MANY).step_by(STEP.max(FAULTS.len())) {
            let bench = saved.again();
            let what = format!("{kind}:{number}");
            let ended = run(bench, &["rack", "get", "lens"], Some(what.clone()));
            assert!(run(bench, &["rack", "verify"], None).status.success(), "{what}");
            let has = || bench.json(&["rack", "list"])["builds"].as_array().unwrap().len();
            harmless = if ended.status.success() { harmless + 1 } else { 0 };
            assert!(harmless == 0 || has() == 1, "{what}: it said that it was done");
            if harmless > MOST_HARMLESS {
                assert!(number > 12, "{kind}: only {number} operations were tried");
                break;
            }
            // The build was added, or is downloaded now.
            let again = run(bench, &["rack", "get", "lens"], None);
            assert!(again.status.success(), "{what}: {}", said(&again));
            assert_eq!(has(), 1, "{what}");
            assert!(run(bench, &["doctor"], None).status.success(), "{what}");
        }
    }
}

#[test]
fn a_fit_of_several_files_meets_every_fault_anywhere_and_the_game_is_whole() {
    A_FIT.meets_every_fault();
}

#[test]
fn the_fit_of_a_download_meets_every_fault_anywhere_and_the_game_is_whole() {
    AN_ARRIVAL.meets_every_fault();
}

#[test]
fn a_download_is_on_the_rack_though_its_fit_failed_or_nothing_could_be_noted() {
    let saved = Saved::of(fitted());
    let before = picture(&saved.bench);
    let (mut failed_in_the_game, mut done) = (0, 0);
    for number in (1..MANY).step_by(STEP) {
        let bench = saved.again();
        let output = run(bench, AN_ARRIVAL.words, Some(format!("io:{number}")));
        let text = said(&output);
        let in_game = text.contains("every file is back as it was") && text.contains("Pier");
        if in_game {
            failed_in_the_game += 1;
            assert!(picture(bench) == before, "{number}: {text}");
        } else if output.status.success() {
            done += 1;
        } else {
            continue;
        }
        assert!(bench.ok(&["rack", "list"]).contains("@3 "), "{number}: {text}");
        if done > MOST_HARMLESS {
            break;
        }
    }
    assert!(failed_in_the_game > 0);
}

#[test]
fn a_rollback_meets_every_fault_anywhere_and_the_game_is_whole() {
    A_ROLLBACK.meets_every_fault();
}

#[test]
fn an_undo_meets_every_fault_anywhere_and_the_game_is_whole() {
    AN_UNDO.meets_every_fault();
}

#[test]
fn a_park_and_its_end_meet_every_fault_anywhere_and_the_game_is_whole() {
    A_PARK.meets_every_fault();
    AN_UNPARK.meets_every_fault();
}

#[test]
fn keys_values_files_and_marks_in_one_change_meet_every_fault_and_are_whole() {
    A_TUNE.meets_every_fault();
    A_TUNE_UNDONE.meets_every_fault();
}

#[cfg(windows)]
#[test]
fn values_of_the_registry_of_windows_with_files_and_marks_meet_every_fault_and_are_whole() {
    let scenario = Scenario { begins: tunable_on_windows, ..A_TUNE };
    scenario.meets_every_fault();
    let tuned = || {
        let bench = tunable_on_windows();
        bench.ok(A_TUNE.words);
        bench
    };
    Scenario { begins: tuned, ..A_TUNE_UNDONE }.meets_every_fault();
}

#[test]
fn a_recovery_that_is_killed_anywhere_is_taken_up_by_the_next() {
    let saved = Saved::of(world());
    let before = picture(&saved.bench);
    let words = ["fit", GAME, "glim@2.0.0"];
    let ends =
        |number: &u64| run(saved.again(), &words, Some(format!("kill:{number}"))).status.success();
    // The fit is ended near its end, if there is the most to put back; a little later all of it is done, and only to
    // be noted.
    let last = (1..MANY).find(ends).unwrap();
    let is_put_back = |number: &u64| {
        let bench = saved.again();
        run(bench, &words, Some(format!("kill:{number}")));
        run(bench, &["doctor"], None);
        picture(bench) == before
    };
    let last = (1..last).rev().find(is_put_back).unwrap();
    for number in (1..MANY).step_by(STEP) {
        let bench = saved.again();
        assert!(!run(bench, &words, Some(format!("kill:{last}"))).status.success());
        let looked = run(bench, &["survey", GAME], None);
        assert!(said(&looked).contains("The next command that alters a game puts it back"));
        let recovery = run(bench, &["doctor"], Some(format!("kill:{number}")));
        if recovery.status.success() {
            assert!(number > 5, "only {number} operations of a recovery were tried");
            assert!(said(&recovery).contains("had been interrupted"));
            assert!(picture(bench) == before);
            return;
        }
        assert!(run(bench, &["doctor"], None).status.success());
        assert!(picture(bench) == before, "{number}");
    }
    panic!("the recovery never came to its end");
}

#[test]
fn sixteen_at_once_on_one_game_and_two_homes_do_one_thing_after_the_other() {
    let bench = world();
    let before = picture(&bench);
    let children: Vec<_> = (0..16)
        .map(|n| {
            let mut fit = bench.program(&["fit", GAME, "new.zip", "--as", "winmm.dll"]);
            fit.env("SPANNER_HOME", bench.file(if n % 2 == 0 { "home" } else { "other" }));
            fit.stdout(Stdio::null()).stderr(Stdio::null());
            crate::common::started(|| fit.spawn())
        })
        .collect();
    let codes: Vec<i32> =
        children.into_iter().map(|mut child| child.wait().unwrap().code().unwrap()).collect();
    assert!(codes.contains(&0), "{codes:?}");
    assert!(codes.iter().all(|code| [0, 3, 4].contains(code)), "{codes:?}");
    let now = picture(&bench);
    assert!(now != before);
    let dll = &bench.file(&format!("{GAME}/winmm.dll"));
    assert!(fs::read(dll).unwrap() == loader([2, 0, 0, 0]));
    assert!(!now.0.iter().any(|(path, _)| path.contains(".staged")), "nothing staged is left");
}

/// A game with a loader that is nowhere else.
fn world_with_its_own_loader() -> Bench {
    let bench = world();
    fs::remove_file(bench.file(LOADER)).unwrap();
    bench.write(LOADER, &loader([1, 5, 0, 0]));
    bench
}

const LOADER: &str = "games/Pier/winmm.dll";

/// A file that leaves a game may become its own stored copy. Until it has left, something else may
/// still write into it.
#[test]
fn what_is_written_into_a_file_of_the_game_after_a_kill_never_reaches_the_store() {
    let saved = Saved::of(world_with_its_own_loader());
    let fit = ["fit", GAME, "glim@2.0.0"];
    for number in (1..MANY).step_by(STEP) {
        let bench = saved.again();
        let shipped = fs::read(bench.file(LOADER)).unwrap();
        let done = run(bench, &fit, Some(format!("kill:{number}"))).status.success();
        if done {
            assert!(number > 25, "only {number} operations were tried");
            return;
        }
        // The content is wanted by another game while the file has it, and then it has not.
        bench.write("games/Quay/Quay.exe", &fs::read(bench.file("games/Pier/Pier.exe")).unwrap());
        bench.write("games/Quay/winmm.dll", &shipped);
        bench.ok(&["fit", "games/Quay", "glim@2.0.0"]);
        let now = fs::read(bench.file(LOADER)).unwrap();
        if now == loader([2, 0, 0, 0]) {
            // All of it had been done, and is noted as that.
            fs::remove_dir_all(bench.file("games/Quay")).unwrap();
            continue;
        }
        assert!(now == shipped, "kill:{number}");
        fs::write(bench.file(LOADER), [&shipped[..], b"patched"].concat()).unwrap();
        bench.ok(&["rollback", "games/Quay"]);
        assert!(fs::read(bench.file("games/Quay/winmm.dll")).unwrap() == shipped, "kill:{number}");
        fs::remove_dir_all(bench.file("games/Quay")).unwrap();
    }
    panic!("it never came to its end");
}

/// Killed between swap and end, and then something else puts another file there: the store has the only original, for
/// a change that never happened.
#[test]
fn what_an_interrupted_change_kept_stays_though_the_file_was_altered_before_it_was_put_back() {
    let saved = Saved::of(world_with_its_own_loader());
    let mut tried = 0;
    for number in (1..MANY).step_by(STEP.min(3)) {
        let bench = saved.again();
        let shipped = fs::read(bench.file(LOADER)).unwrap();
        let fit = ["fit", GAME, "glim@2.0.0"];
        if run(bench, &fit, Some(format!("kill:{number}"))).status.success() {
            assert!(tried > 0, "no kill came between swap and end");
            return;
        }
        if fs::read(bench.file(LOADER)).unwrap() == shipped {
            continue;
        }
        tried += 1;
        fs::write(bench.file(LOADER), b"brought by an update").unwrap();
        let said = said(&run(bench, &["doctor", "--deep"], None));
        if said.contains("waits") || said.contains("cannot be put back yet") {
            assert!(said.contains("it holds a file of 20 bytes"), "kill:{number}: {said}");
            bench.ok(&["doctor", "--settle", "2"]);
        }
        bench.ok(&["doctor", "--deep"]);
        bench.ok(&["doctor", "--reclaim", "--yes"]);
        assert_eq!(fs::read(bench.file(LOADER)).unwrap(), b"brought by an update");
        let stored = bench.picture("home/blobs");
        assert!(stored.iter().any(|(_, content)| *content == shipped), "kill:{number}");
    }
    panic!("it never came to its end");
}

/// Whatever became of the index, it does not hide that a change waits.
#[test]
fn an_index_that_says_that_an_open_change_has_ended_is_not_believed() {
    let saved = Saved::of(world_with_its_own_loader());
    for number in (1..MANY).step_by(STEP.min(3)) {
        let bench = saved.again();
        let shipped = fs::read(bench.file(LOADER)).unwrap();
        let fit = ["fit", GAME, "glim@2.0.0"];
        let ended = run(bench, &fit, Some(format!("kill:{number}"))).status.success();
        assert!(!ended, "no kill came between swap and end");
        if fs::read(bench.file(LOADER)).unwrap() == shipped {
            continue;
        }
        let waits = |what: &str| {
            let said = said(&run(bench, &["root", "list"], None));
            assert!(said.contains("change 2 was interrupted"), "{what}: {said}");
        };
        waits("as it was left");
        let index = rusqlite::Connection::open(bench.file("home/spanner.db")).unwrap();
        for value in ["'1'", "(SELECT ended FROM journal WHERE number = 1)"] {
            let sql = format!("UPDATE journal SET ended = {value} WHERE number = 2");
            assert_eq!(index.execute(&sql, []).unwrap(), 1);
            waits(value);
        }
        return;
    }
    panic!("it never came to its end");
}

#[test]
fn a_file_that_has_another_name_is_copied_into_the_store() {
    let bench = world_with_its_own_loader();
    let shipped = fs::read(bench.file(LOADER)).unwrap();
    bench.write("elsewhere/readme.txt", b"another game");
    fs::hard_link(bench.file(LOADER), bench.file("elsewhere/winmm.dll")).unwrap();
    bench.ok(&["fit", GAME, "glim@2.0.0"]);
    fs::write(bench.file("elsewhere/winmm.dll"), b"written in place").unwrap();
    bench.ok(&["undo"]);
    assert!(fs::read(bench.file(LOADER)).unwrap() == shipped);
}

#[test]
#[cfg(target_os = "linux")]
fn a_file_that_someone_has_open_is_copied_into_the_store() {
    let bench = world_with_its_own_loader();
    let shipped = fs::read(bench.file(LOADER)).unwrap();
    let open = fs::File::options().write(true).open(bench.file(LOADER)).unwrap();
    bench.run(&["fit", GAME, "glim@2.0.0"]).code(3);
    bench.ok(&["fit", GAME, "glim@2.0.0", "--despite", "game-running"]);
    open.set_len(3).unwrap();
    drop(open);
    bench.ok(&["undo"]);
    assert!(fs::read(bench.file(LOADER)).unwrap() == shipped);
}

#[test]
fn a_change_that_cannot_be_put_back_yet_keeps_its_own_game_alone_waiting() {
    let bench = world();
    fs::create_dir(bench.file("games/Quay")).unwrap();
    copy_tree(&bench.file(GAME), &bench.file("games/Quay")).unwrap();
    let waits = |number: &u64| {
        run(&bench, &["fit", GAME, "glim@2.0.0"], Some(format!("kill:{number}")));
        let waits = bench.json(&["history"])["changes"][1]["state"] == "open";
        if !waits {
            bench.ok(&["doctor"]);
        }
        waits
    };
    assert!((1..MANY).find(waits).is_some(), "no kill left a change waiting");
    fs::rename(bench.file(GAME), bench.file("games/unplugged")).unwrap();
    let other = run(&bench, &["fit", "games/Quay", "glim@2.0.0"], None);
    assert_eq!(other.status.code(), Some(5), "{}", said(&other));
    assert!(said(&other).contains("cannot be put back yet"), "{}", said(&other));
    assert!(fs::read(bench.file("games/Quay/winmm.dll")).unwrap() == loader([2, 0, 0, 0]));
    fs::rename(bench.file("games/unplugged"), bench.file(GAME)).unwrap();
    let next = run(&bench, &["fit", GAME, "glim@2.0.0"], None);
    assert!(next.status.success(), "{}", said(&next));
    assert!(said(&next).contains("had been interrupted"), "{}", said(&next));
}

/// A nearly full disk: the needed space is reported in advance, and nothing is touched.
#[test]
fn a_change_for_which_there_is_no_room_is_refused_and_says_how_much_is_missing() {
    let bench = world();
    let full = || Some("room:5".to_owned());
    let refused = |words: &[&str]| {
        let before = picture(&bench);
        let output = run(&bench, words, full());
        let text = format!("{}{}", String::from_utf8_lossy(&output.stdout), said(&output));
        assert_eq!(output.status.code(), Some(3), "{words:?}: {text}");
        let flat = crate::common::flat(&text);
        assert!(flat.contains("[no-space]") && flat.contains("has 5 B left"), "{words:?}: {text}");
        assert!(picture(&bench) == before, "{words:?} touched the game");
        let dry = run(&bench, &[words, &["--dry-run"]].concat(), full());
        assert_eq!(dry.status.code(), Some(3), "{words:?}");
    };
    refused(&["fit", GAME, "glim@2.0.0"]);
    refused(&["rollback", GAME, "--to", "0", "--settings"]);
    bench.write("older/data.bin", &[7; 5000]);
    refused(&["wind", GAME, "--from", "older"]);
    let document = run(&bench, &["--json", "fit", GAME, "glim@2.0.0"], full());
    assert_eq!(document.status.code(), Some(3));
    let document: serde_json::Value = serde_json::from_slice(&document.stdout).unwrap();
    let codes = document["findings"].as_array().unwrap().iter().map(|finding| &finding["code"]);
    assert!(codes.into_iter().any(|code| code == "no-space"), "{document}");
    // The finding may be too careful: it is overridden by name.
    let words = ["fit", GAME, "glim@2.0.0", "--despite", "no-space"];
    assert!(run(&bench, &words, full()).status.success());
    refused(&["undo"]);
    bench.ok(&["undo"]);
}
