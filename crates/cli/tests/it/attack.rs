//! What strangers and accidents do to a game while it is altered: links swapped in, writers that have a
//! file open, names that no one expects, the wish to stop.

use std::fs;
use std::process::{Command, Stdio};
#[cfg(unix)]
use std::time::{Duration, Instant};

use crate::common::{Bench, errors, output};
use upright_spanner_sample::Bits;
use upright_spanner_sample::world::{self, Graphics};

const TIN: &str = "games/Tin Lighthouse";
const BIN: &str = "games/Tin Lighthouse/Lantern/Game/Binaries/x64";

fn racked() -> Bench {
    let bench = Bench::world();
    bench.ok(&["rack", "add", "downloads/sharpwater-2.9.1.zip", "downloads/hushgrain-1.2.2.zip"]);
    bench
}

#[cfg(unix)]
fn spanner(bench: &Bench, words: &[&str]) -> Command {
    let mut command = bench.program(words);
    command.stdout(Stdio::piped()).stderr(Stdio::piped());
    command
}

#[test]
fn what_the_user_or_a_program_edited_stays_at_a_rollback_unless_it_is_named() {
    let bench = Bench::world();
    let settings = bench.file("games/Saltglass Drift/bin/undertow.ini");
    let before = bench.picture("games/Saltglass Drift");
    bench.ok(&["rack", "add", "downloads/undertow-2.3.0.zip"]);
    bench.ok(&["fit", "games/Saltglass Drift", "undertow"]);
    let merged = fs::read_to_string(&settings).unwrap();
    let edited = merged.replace("DelayMs=250", "DelayMs=400");
    fs::write(&settings, &edited).unwrap();
    assert!(bench.ok(&["drift", "saltglass-drift"]).contains("Everything is as it was left"));
    let said = bench.ok(&["rollback", "saltglass-drift"]);
    assert!(said.contains("[settings-kept]") && said.contains("--settings"), "{said}");
    assert_eq!(fs::read_to_string(&settings).unwrap(), edited);
    let again = bench.ok(&["rollback", "saltglass-drift"]);
    assert!(again.contains("what differs was changed by something else since"), "{again}");
    bench.ok(&["rollback", "saltglass-drift", "--settings"]);
    assert!(bench.picture("games/Saltglass Drift") == before);
    let again = bench.ok(&["rollback", "saltglass-drift", "--settings"]);
    assert!(again.contains("every file is already as it was then"), "{again}");
    let never = bench.ok(&["rollback", "games/Kite Harbour"]);
    assert!(never.contains("spanner has not changed any file of this game"), "{never}");
}

#[test]
fn a_rollback_twice_is_a_rollback_once_also_after_a_file_was_deleted_by_hand() {
    let bench = racked();
    let before = bench.picture(TIN);
    bench.ok(&["fit", TIN, "sharpwater"]);
    fs::remove_file(bench.file(&format!("{BIN}/sharpwater.dll"))).unwrap();
    for _ in 0..3 {
        bench.ok(&["rollback", TIN]);
        assert!(bench.picture(TIN) == before);
    }
}

#[test]
fn a_second_file_of_the_same_version_is_not_said_to_be_another_version() {
    let bench = racked();
    bench.ok(&["fit", TIN, "sharpwater"]);
    let other = world::graphics(Graphics::Upscaler, [2, 9, 1, 0], Bits::Bits64).text("rebuilt");
    fs::write(bench.file(&format!("{BIN}/sharpwater.dll")), other.to_bytes()).unwrap();
    let said = output(&bench.run(&["rollback", TIN]).code(1));
    let said = said.split_whitespace().collect::<Vec<_>>().join(" ");
    let wanted = "version 2.9.1 was put there, and another file of it is in its place now";
    assert!(said.contains(wanted), "{said}");
}

#[test]
fn a_family_that_stands_in_several_places_is_named_once() {
    let bench = racked();
    let said = errors(&bench.run(&["park", TIN, "undertow"]).code(2));
    assert_eq!(said.matches("sharpwater").count(), 1, "{said}");
    bench.ok(&["rack", "add", "downloads/undertow-2.3.0.zip"]);
    let said = errors(&bench.run(&["pin", TIN, "undertow", "--why", "x"]).code(2));
    assert_eq!(said.matches("sharpwater").count(), 1, "{said}");
}

#[test]
fn errors_are_documents_for_programs_with_a_stable_code() {
    let bench = racked();
    for (words, exit, code) in [
        (&["fit", "nowhere", "sharpwater", "--json"][..], 2, "unknown-game"),
        (&["fit", TIN, "sharpwaters@1", "--json"], 2, "unknown-build"),
        (&["undo", "77", "--json"], 2, "unknown-change"),
        (&["park", TIN, "undertow", "--json"], 2, "no-such-component"),
        (&["fit", TIN, "--json"], 2, "usage"),
        (&["rack", "drop", "none", "--json"], 2, "unknown-build"),
    ] {
        let assert = bench.run(words).code(exit);
        let text = output(&assert);
        let document: serde_json::Value = serde_json::from_str(&text)
            .unwrap_or_else(|error| panic!("{words:?}: {error}: {text}"));
        assert_eq!(document["error"]["code"], code, "{words:?}");
        assert_eq!(document["schema"], 1);
        assert!(!errors(&assert).is_empty(), "people are told too");
    }
}

#[test]
fn a_dry_run_ends_as_the_real_run_does_and_several_games_are_all_told() {
    let bench = racked();
    bench.ok(&["root", "add", "games"]);
    bench.ok(&["survey"]);
    bench.ok(&["pin", TIN, "sharpwater", "--why", "as it is"]);
    let dry = bench.run(&["fit", "--all", "sharpwater", "--dry-run", "--json"]).code(1);
    let real = bench.run(&["fit", "--all", "sharpwater", "--json"]).code(1);
    for assert in [dry, real] {
        let document: serde_json::Value = serde_json::from_str(&output(&assert)).unwrap();
        assert_eq!(document["games"][0]["game"], "tin-lighthouse", "{document}");
    }
    let refused = bench.json(&["fit", "--all", "sharpwater"]);
    assert_eq!(refused["games"][0]["refused"][0]["code"], "pinned");
}

#[cfg(unix)]
#[test]
fn links_that_are_swapped_in_lead_nowhere() {
    use std::os::unix::fs::symlink;
    use std::sync::atomic::{AtomicBool, Ordering};
    let bench = racked();
    fs::create_dir(bench.file("outside")).unwrap();
    let guard = b"a file that nothing may touch";
    bench.write("outside/sharpwater.dll", guard);
    let (bin, aside) = (bench.file(BIN), bench.file("aside"));
    let stop = AtomicBool::new(false);
    std::thread::scope(|scope| {
        scope.spawn(|| {
            while !stop.load(Ordering::Relaxed) {
                if fs::rename(&bin, &aside).is_ok() {
                    let _ = symlink(bench.file("outside"), &bin);
                    let _ = fs::remove_file(&bin);
                    let _ = fs::rename(&aside, &bin);
                }
            }
        });
        for n in 0..24 {
            let words: &[&str] =
                if n % 2 == 0 { &["fit", TIN, "sharpwater"] } else { &["rollback", TIN] };
            let code = spanner(&bench, words).output().unwrap().status.code().unwrap();
            assert!((0..=5).contains(&code), "{code}");
        }
        stop.store(true, Ordering::Relaxed);
    });
    assert_eq!(bench.picture("outside"), [("sharpwater.dll".to_owned(), guard.to_vec())]);
    if !bin.exists() {
        fs::rename(&aside, &bin).unwrap();
    }
    let outcome = bench.run(&["doctor", "--deep"]);
    assert!(matches!(outcome.get_output().status.code(), Some(0 | 5)));
}

/// A program that has the game's file open continues writing into it while it is replaced.
#[cfg(target_os = "linux")]
#[test]
fn what_a_writer_puts_into_a_file_while_it_is_replaced_is_in_the_game_or_in_the_store() {
    use std::os::unix::fs::FileExt;
    use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
    let bench = racked();
    let path = bench.file(&format!("{BIN}/hushgrain.dll"));
    let shipped = fs::read(&path).unwrap();
    for round in 0..6 {
        fs::write(&path, &shipped).unwrap();
        let file = fs::File::options().write(true).open(&path).unwrap();
        let (stop, written) = (AtomicBool::new(false), AtomicU64::new(0));
        let output = std::thread::scope(|scope| {
            scope.spawn(|| {
                while !stop.load(Ordering::Relaxed) {
                    let count = written.fetch_add(1, Ordering::Relaxed) + 1;
                    file.write_all_at(&count.to_le_bytes(), shipped.len() as u64 - 8).unwrap();
                    std::thread::sleep(Duration::from_micros(300));
                }
            });
            std::thread::sleep(Duration::from_millis(5 * round));
            let words = ["fit", TIN, "hushgrain", "--despite", "game-running"];
            let output = spanner(&bench, &words).output().unwrap();
            stop.store(true, Ordering::Relaxed);
            output
        });
        let code = output.status.code().unwrap();
        assert_eq!(code, 4, "{}", String::from_utf8_lossy(&output.stderr));
        let now = fs::read(&path).unwrap();
        let count = u64::from_le_bytes(now[now.len() - 8..].try_into().unwrap());
        assert_eq!(count, written.load(Ordering::Relaxed), "the last that was written is there");
        assert!(now[..now.len() - 8] == shipped[..shipped.len() - 8]);
        bench.ok(&["doctor", "--deep"]);
    }
}

/// Ctrl-C: the current operation is completed or reverted, and the output tells which.
#[cfg(target_os = "linux")]
#[test]
fn the_wish_to_stop_is_heard_while_files_are_altered() {
    let bench = Bench::world();
    let old = world::graphics(Graphics::Denoiser, [1, 0, 3, 0], Bits::Bits64);
    for n in 0..600 {
        let name = format!("older/part-{n:03}/hush.bin");
        bench.write(&name, &old.clone().text(&format!("part {n}")).to_bytes());
    }
    let before = bench.picture(TIN);
    let mut is_stopped = false;
    // Too early there is nothing to stop, too late nothing is left: it is tried later and later.
    for wait in (50..6000).step_by(90) {
        if is_stopped {
            break;
        }
        let words = ["wind", TIN, "--from", "older", "--despite", "another-game"];
        let mut child = spanner(&bench, &words).spawn().unwrap();
        std::thread::sleep(Duration::from_millis(wait));
        let number = child.id().to_string();
        Command::new("kill").args(["-INT", &number]).status().unwrap();
        let began = Instant::now();
        let code = child.wait().unwrap().code();
        assert!(began.elapsed() < Duration::from_secs(30), "{:?}", began.elapsed());
        let output = child.wait_with_output().unwrap();
        let said = String::from_utf8_lossy(&output.stderr);
        match code {
            Some(4) => {
                is_stopped = true;
                assert!(said.contains("stopped as you asked"), "{said}");
                assert!(bench.picture(TIN) == before);
            }
            Some(130) => assert!(bench.picture(TIN) == before),
            Some(0) => {
                bench.ok(&["undo"]);
                assert!(bench.picture(TIN) == before);
            }
            other => panic!("{other:?}: {said}"),
        }
        bench.ok(&["doctor"]);
    }
    assert!(is_stopped, "no fit was stopped while it was under way");
}

#[cfg(unix)]
#[test]
fn names_that_are_not_unicode_are_refused_with_words_and_keep_their_id() {
    use std::ffi::OsString;
    use std::os::unix::ffi::OsStringExt;
    let bench = racked();
    let odd = bench.path().join(OsString::from_vec(b"odd-\xff".to_vec()));
    fs::rename(bench.file("games/Kite Harbour"), &odd).unwrap();
    let ids = || -> Vec<String> {
        let output = spanner(&bench, &["survey", ".", "--json"]).output().unwrap();
        let document: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
        let games = document["games"].as_array().unwrap().iter();
        games.map(|game| game["id"].as_str().unwrap().to_owned()).collect()
    };
    let (first, second) = (ids(), ids());
    assert_eq!(first, second);
    bench.ok(&["rack", "add", "downloads/brine-2.8.1-win64.zip"]);
    let mut fit = spanner(&bench, &["fit"]);
    let output = fit.arg(&odd).arg("brine").output().unwrap();
    assert_eq!(output.status.code(), Some(2), "{}", String::from_utf8_lossy(&output.stderr));
    let mut bay = spanner(&bench, &["game", "set", TIN, "--bay"]);
    let mut value = OsString::from("second=");
    value.push(&odd);
    let output = bay.arg(value).output().unwrap();
    assert_eq!(output.status.code(), Some(2), "{}", String::from_utf8_lossy(&output.stderr));
    bench.ok(&["history"]);
}

#[cfg(target_os = "linux")]
#[test]
fn a_game_on_another_volume_is_told_once_that_originals_are_copied_there() {
    use std::os::unix::fs::MetadataExt;
    let Ok(other) = tempfile::tempdir_in("/dev/shm") else { return };
    let bench = racked();
    let device = |path: &std::path::Path| fs::metadata(path).unwrap().dev();
    if device(other.path()) == device(bench.path()) {
        return;
    }
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 0, 0, 0]).padding(0);
    fs::write(other.path().join("Pier.exe"), exe.to_bytes()).unwrap();
    let old = world::graphics(Graphics::Upscaler, [2, 7, 4, 0], Bits::Bits64);
    fs::write(other.path().join("sharpwater.dll"), old.to_bytes()).unwrap();
    let game = other.path().to_str().unwrap();
    assert!(bench.ok(&["fit", game, "sharpwater"]).contains("[other-volume]"));
    assert!(!bench.ok(&["rollback", game]).contains("[other-volume]"), "it is known by now");
    assert_eq!(fs::read(other.path().join("sharpwater.dll")).unwrap(), old.to_bytes());
}

#[cfg(unix)]
#[test]
fn a_pipe_in_a_game_is_not_opened_and_a_link_is_not_followed_while_looking() {
    let bench = racked();
    let pipe = bench.file(&format!("{BIN}/pipe.dll"));
    assert!(Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    std::os::unix::fs::symlink("/etc", bench.file(&format!("{BIN}/linked"))).unwrap();
    let mut child = spanner(&bench, &["survey", TIN]).spawn().unwrap();
    let began = Instant::now();
    while child.try_wait().unwrap().is_none() {
        assert!(began.elapsed() < Duration::from_secs(20), "it waits for a pipe");
        std::thread::sleep(Duration::from_millis(20));
    }
    bench.ok(&["fit", TIN, "sharpwater"]);
    let catalog = bench.file(&format!("{TIN}/spanner-families.toml"));
    assert!(Command::new("mkfifo").arg(&catalog).status().unwrap().success());
    let survey = spanner(&bench, &["survey", TIN]).output().unwrap();
    assert!(survey.status.code().is_some());
}

/// A program that runs has its own file, and each library that it has loaded, in use.
#[cfg(windows)]
#[test]
fn what_runs_or_is_held_is_in_use_and_neither_absent_nor_swapped() {
    use std::os::windows::fs::OpenOptionsExt;
    use std::path::Path;
    let bench = racked();
    let dll = bench.file(&format!("{BIN}/hushgrain.dll"));
    let before = bench.picture(TIN);
    for surveyed in [false, true] {
        if surveyed {
            bench.ok(&["survey", TIN]);
        }
        let held = fs::File::options().read(true).share_mode(0).open(&dll).unwrap();
        for words in [&["fit", TIN, "hushgrain"][..], &["fit", TIN, "hushgrain", "--dry-run"]] {
            let said = output(&bench.run(words).code(3));
            assert!(said.contains("[game-running]") && said.contains("in use"), "{said}");
        }
        drop(held);
    }
    // What runs from the game's folder is named; the prompt of the system waits for what to do.
    let shell = Path::new(&std::env::var_os("SystemRoot").unwrap()).join("system32/cmd.exe");
    let program = bench.file(&format!("{BIN}/Keeper.exe"));
    fs::copy(shell, &program).unwrap();
    let mut shell = Command::new(&program);
    shell.arg("/k").stdin(Stdio::piped()).stdout(Stdio::null());
    let mut running = crate::common::started(|| shell.spawn());
    let held = fs::File::options().read(true).share_mode(0).open(&dll).unwrap();
    let said = output(&bench.run(&["fit", TIN, "hushgrain"]).code(3));
    let named = format!("in use by Keeper.exe (process {}), as it seems", running.id());
    assert!(crate::common::flat(&said).contains(&named), "{said}");
    drop(held);
    running.kill().unwrap();
    running.wait().unwrap();
    fs::remove_file(&program).unwrap();
    // Nobody may write to it, as to a library that a program has loaded.
    let held = fs::File::options().read(true).share_mode(1 | 4).open(&dll).unwrap();
    let said = output(&bench.run(&["fit", TIN, "hushgrain"]).code(3));
    assert!(said.contains("[game-running]"), "{said}");
    drop(held);
    assert!(bench.picture(TIN) == before);
    bench.ok(&["fit", TIN, "hushgrain"]);
    assert!(!bench.file(&format!("{TIN}/.spanner-lock")).exists(), "a lock leaves nothing behind");
}

/// The drive of the temporary folder as other machines see it.
#[cfg(windows)]
#[test]
#[ignore = "needs the drive of the temporary folder as a share"]
fn a_game_and_a_home_on_another_machine_are_as_good_as_others() {
    let bench = racked();
    let here = bench.path().to_str().unwrap();
    let share = format!(r"\\localhost\{}$\{}", &here[..1], &here[3..]);
    assert!(std::path::Path::new(&share).is_dir(), "{share} is not there");
    let game = format!(r"{share}\games\Tin Lighthouse");
    let before = bench.picture(TIN);
    for home in ["home".to_owned(), format!(r"{share}\home")] {
        let run = |words: &[&str]| bench.ok(&[&["--home", &home], words].concat());
        assert!(run(&["survey", &game]).contains("sharpwater"));
        run(&["fit", &game, "sharpwater@2.9.1"]);
        assert!(bench.picture(TIN) != before);
        assert!(run(&["drift", &game]).contains("Everything is as it was left"));
        run(&["rollback", &game]);
        assert!(bench.picture(TIN) == before);
        assert!(run(&["doctor", "--deep"]).contains("All is well"));
    }
}

#[test]
fn a_journal_that_cannot_be_written_leaves_nothing_in_the_game() {
    let bench = racked();
    let before = bench.picture(TIN);
    fs::remove_dir_all(bench.file("home/journal")).unwrap();
    bench.write("home/journal", b"a file where a folder should be");
    bench.run(&["fit", TIN, "sharpwater"]).code(4);
    assert!(bench.picture(TIN) == before);
    fs::remove_file(bench.file("home/journal")).unwrap();
    bench.ok(&["fit", TIN, "sharpwater"]);
}
