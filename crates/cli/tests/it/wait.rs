//! While a change waits, and right after one: the messages, and the possible commands.

use std::fs;
use std::path::PathBuf;
use std::process::{Command, Stdio};
use std::sync::OnceLock;
use std::time::{Duration, Instant};

use crate::common::{Bench, errors, flat, output, overwrite};
use serde_json::Value;

const TIN: &str = "games/Tin Lighthouse";
const DLL: &str = "games/Tin Lighthouse/Lantern/Plugins/CorvidOptics/x64/sharpwater.dll";
const STRANGE: &[u8] = b"brought by something else";

/// The built program, as its own process.
fn program(bench: &Bench, words: &[&str]) -> Command {
    let mut command = bench.program(words);
    command.stdout(Stdio::piped()).stderr(Stdio::piped());
    command
}

/// A game whose fit is killed before an operation, and what its file was before.
fn killed_before(number: u64) -> (Bench, Vec<u8>) {
    let bench = Bench::world();
    let shipped = fs::read(bench.file(DLL)).unwrap();
    bench.ok(&["rack", "add", "downloads/sharpwater-2.9.1.zip"]);
    let mut fit = program(&bench, &["fit", TIN, "sharpwater@2.9.1"]);
    fit.env("SPANNER_FAULT", format!("kill:{number}"));
    let ended = crate::common::started(|| fit.output());
    assert!(!ended.status.success(), "the fit came to its end in {number} operations");
    (bench, shipped)
}

/// A game whose fit was killed when its file had been swapped, and what that was before.
fn interrupted() -> (Bench, Vec<u8>) {
    static SWAPPED: OnceLock<u64> = OnceLock::new();
    let is_swapped = |number: &u64| {
        let (bench, shipped) = killed_before(*number);
        fs::read(bench.file(DLL)).unwrap() != shipped
    };
    let number = SWAPPED.get_or_init(|| (1..300).find(is_swapped).unwrap());
    killed_before(*number)
}

/// The same, and then something else has put another file there: it cannot be put back.
fn waiting() -> (Bench, Vec<u8>) {
    let (bench, shipped) = interrupted();
    overwrite(&bench.file(DLL), STRANGE);
    (bench, shipped)
}

#[test]
fn looking_commands_say_first_that_a_change_waits_and_say_nothing_false_of_its_files() {
    let (bench, shipped) = interrupted();
    let looking: [&[&str]; 8] = [
        &["survey", "games"],
        &["check", "tin-lighthouse"],
        &["drift", "tin-lighthouse"],
        &["drift"],
        &["history"],
        &["history", "--size"],
        &["rack", "list"],
        &["fit", TIN, "sharpwater@2.9.1", "--dry-run"],
    ];
    for words in looking {
        let run = bench.run(words).code(5);
        let first = errors(&run).lines().next().unwrap_or_default().to_owned();
        assert!(first.contains("change 1 was interrupted"), "{words:?}: {first}");
        assert!(!output(&run).contains("overwritten"), "{words:?}: {}", output(&run));
        let mut words = words.to_vec();
        words.push("--json");
        let run = bench.run(&words).code(5);
        let document: Value = serde_json::from_str(&output(&run)).unwrap();
        assert_eq!(document["schema"], 1, "{words:?}");
    }
    // The next one that alters ends it first, and says so.
    let said = errors(&bench.run(&["rollback", TIN]).code(0));
    assert!(said.contains("had been interrupted"), "{said}");
    assert!(fs::read(bench.file(DLL)).unwrap() == shipped);
    assert!(errors(&bench.run(&["survey", "games"]).code(0)).is_empty());
}

#[test]
fn a_change_that_cannot_be_put_back_says_what_is_there_and_is_settled_when_told() {
    let (bench, shipped) = waiting();
    let said = errors(&bench.run(&["doctor"]).code(5));
    assert!(said.contains("change 1 (tin-lighthouse, fit sharpwater@2.9.1)"), "{said}");
    assert!(said.contains("it holds a file of 25 bytes"), "{said}");
    assert!(said.contains("before the change it held version 2.7.4"), "{said}");
    assert!(said.contains("spanner doctor --settle 1"), "{said}");
    assert!(!said.contains("every file is back"), "{said}");

    // Only its own targets are blocked.
    bench.run(&["rack", "add", "downloads/hushgrain-1.2.2.zip"]).code(5);
    bench.run(&["fit", TIN, "hushgrain"]).code(5);
    let said = errors(&bench.run(&["fit", TIN, "sharpwater@2.9.1", "--despite", "game-running"]));
    assert!(said.contains("change 1"), "{said}");
    assert_eq!(fs::read(bench.file(DLL)).unwrap(), STRANGE);

    let before = bench.picture("home/journal");
    let shown = bench.run(&["doctor", "--settle", "1", "--dry-run"]).code(5);
    assert!(flat(&output(&shown)).contains("it holds a file of 25 bytes"), "{}", output(&shown));
    assert_eq!(bench.picture("home/journal"), before, "a dry run notes nothing");
    bench.run(&["doctor", "--settle", "7"]).code(2);

    let document = bench.json(&["doctor", "--settle", "1"]);
    assert_eq!((&document["change"], &document["settled"]), (&1.into(), &true.into()));
    let targets = document["targets"].as_array().unwrap();
    let own = targets.iter().find(|target| target["path"].as_str().unwrap().ends_with(DLL));
    let how = own.unwrap()["how"].as_str().unwrap();
    assert!(how.starts_with("it holds a file of 25 bytes"), "{how}");
    assert_eq!(fs::read(bench.file(DLL)).unwrap(), STRANGE, "the present file stays");
    let history = bench.json(&["history", "tin-lighthouse"]);
    assert_eq!(history["changes"][0]["state"], "settled");
    bench.ok(&["doctor", "--deep"]);
    bench.run(&["doctor", "--settle", "1"]).code(2);

    // The store still has the game's file, and rolling back restores it.
    bench.ok(&["doctor", "--reclaim", "--yes"]);
    bench.ok(&["rollback", TIN, "--to", "0"]);
    assert!(fs::read(bench.file(DLL)).unwrap() == shipped);
    bench.ok(&["doctor", "--deep"]);
}

#[test]
fn the_change_of_a_game_that_is_gone_for_good_can_be_settled() {
    let (bench, _) = interrupted();
    fs::rename(bench.file(TIN), bench.file("away")).unwrap();
    let said = errors(&bench.run(&["doctor"]).code(5));
    assert!(said.contains("is not there. Plug its drive in"), "{said}");
    assert!(said.contains("If it is gone for good: spanner doctor --settle 1"), "{said}");
    bench.run(&["doctor", "--settle", "1"]).code(0);
    assert_eq!(bench.json(&["history"])["changes"][0]["state"], "settled");
    assert!(errors(&bench.run(&["rack", "list"]).code(0)).is_empty());
}

/// A virus scanner removes the new file a moment after it was put there.
#[test]
fn a_file_that_is_set_aside_right_after_the_fit_is_told_of() {
    let bench = Bench::world();
    bench.ok(&["rack", "add", "downloads/sharpwater-2.9.1.zip"]);
    let mut fit = program(&bench, &["fit", TIN, "sharpwater@2.9.1"]);
    let fit = crate::common::started(|| fit.spawn());
    let journal = bench.file("home/journal/00000001.change");
    let (began, limit) = (Instant::now(), Duration::from_secs(60));
    let is_over = || fs::read_to_string(&journal).is_ok_and(|text| text.contains("\"outcome\""));
    while !is_over() {
        assert!(began.elapsed() < limit, "the fit never came to its end");
        std::thread::sleep(Duration::from_millis(1));
    }
    fs::remove_file(bench.file(DLL)).unwrap();
    let ended = fit.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&ended.stderr);
    assert!(said.contains("sharpwater.dll was there when it was read back"), "{said}");
    assert!(said.contains("quarantine, then: spanner drift tin-lighthouse"), "{said}");
    let said = output(&bench.run(&["drift", "tin-lighthouse"]).code(1));
    assert!(said.contains("missing") && said.contains("quarantine"), "{said}");
    bench.ok(&["refit", "tin-lighthouse"]);
    bench.ok(&["drift", "tin-lighthouse"]);
}

#[test]
fn the_store_tells_what_it_keeps_for_whom() {
    let bench = Bench::world();
    let size = |path: PathBuf| fs::metadata(path).unwrap().len();
    let shipped = size(bench.file(DLL));
    let empty = bench.json(&["history", "--size"]);
    assert_eq!(empty["all"]["files"], 0);
    bench.ok(&["rack", "add", "downloads/sharpwater-2.9.1.zip"]);
    let rack = bench.json(&["history", "--size"]);
    assert_eq!(rack["rack"], rack["all"]);
    bench.ok(&["fit", TIN, "sharpwater@2.9.1"]);
    let used = bench.json(&["history", "--size"]);
    assert_eq!(used["rack"], rack["rack"]);
    let all = |document: &Value| document["all"]["bytes"].as_u64().unwrap();
    assert_eq!(all(&used) - all(&rack), shipped, "the original has come to it, once");
    let game = &used["games"]["tin-lighthouse"];
    assert_eq!(game["files"], 2, "what was there and what is there");
    let blobs: u64 =
        bench.picture("home/blobs").iter().map(|(_, content)| content.len() as u64).sum();
    assert_eq!(all(&used), blobs);
    let said = bench.ok(&["history", "--size"]);
    assert!(said.contains("tin-lighthouse") && said.contains("(the rack)"), "{said}");
}

/// The origin of a download is shown; the mark does not get into the game.
#[cfg(target_os = "linux")]
#[test]
fn the_mark_of_a_download_is_shown_and_stays_behind() {
    use rustix::fs::{XattrFlags, listxattr, setxattr};
    let bench = Bench::world();
    let address = b"https://files.example/a.zip";
    let archive = bench.file("downloads/sharpwater-2.9.1.zip");
    if setxattr(&archive, "user.xdg.origin.url", address, XattrFlags::empty()).is_err() {
        // The file system has no such marks: there is nothing to show.
        return;
    }
    let said = bench.ok(&["rack", "add", "downloads/sharpwater-2.9.1.zip"]);
    assert!(said.contains("https://files.example/a.zip"), "{said}");
    bench.ok(&["fit", TIN, "sharpwater@2.9.1"]);
    let mut names = vec![0; 4096];
    let length = listxattr(bench.file(DLL), &mut names[..]).unwrap();
    assert!(!String::from_utf8_lossy(&names[..length]).contains("origin"));
}
