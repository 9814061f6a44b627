//! The invented programs carry out their actions: on Windows as machine code, elsewhere through `sample-play`.

use std::fs;
use std::path::Path;
use std::process::Command;
use std::thread;
use std::time::{Duration, Instant};

use upright_spanner_sample::deed::STOP;
use upright_spanner_sample::{Bits, Deed, Pe};

/// Longer than a program takes to start on a slow machine.
const PATIENCE: Duration = Duration::from_secs(60);

fn run(folder: &Path, program: &str) -> i32 {
    let program = folder.join(program);
    let mut command = if cfg!(windows) {
        Command::new(&program)
    } else {
        let mut command = Command::new(env!("CARGO_BIN_EXE_sample-play"));
        command.arg(&program);
        command
    };
    command.current_dir(folder).status().unwrap().code().unwrap()
}

fn text_in(file: &Path) -> String {
    let end = Instant::now() + PATIENCE;
    while Instant::now() < end {
        match fs::read_to_string(file) {
            Ok(text) if !text.is_empty() => return text,
            _ => thread::sleep(Duration::from_millis(20)),
        }
    }
    panic!("nothing wrote {}", file.display());
}

/// A starter that names the library to load, a game that loads it, and an extender that writes a log.
fn write(folder: &Path, bits: Bits, edition: &str) {
    let set =
        |name: &str, value: &str| Deed::Set { name: name.to_owned(), value: value.to_owned() };
    let log = |text: &str| Deed::Write { file: "reed.log".to_owned(), text: text.to_owned() };
    let starter = Pe::exe(bits)
        .does(set("REED_LOADS", "reed.dll"))
        .does(Deed::Start { program: "game.exe".to_owned() });
    let game = Pe::exe(bits)
        .imports("entry.dll", &["go"])
        .does(set("GAME_EDITION", edition))
        .does(Deed::Load { library: "%REED_LOADS%".to_owned() })
        .does(Deed::Play { milliseconds: 60_000 })
        .does(Deed::Write { file: "end.txt".to_owned(), text: "played".to_owned() });
    let extender = Pe::dll(bits, "reed.dll").does(Deed::Either {
        variable: "GAME_EDITION".to_owned(),
        value: "harbour".to_owned(),
        then: vec![log("reed 4.1.7 ready")],
        otherwise: vec![log("reed 4.1.7: this game is not known")],
    });
    let entry = Pe::dll(bits, "entry.dll")
        .export("go", 1)
        .does(Deed::Write { file: "entry.log".to_owned(), text: "entered".to_owned() });
    for (name, image) in
        [("start.exe", starter), ("game.exe", game), ("reed.dll", extender), ("entry.dll", entry)]
    {
        fs::write(folder.join(name), image.to_bytes()).unwrap();
    }
}

/// Starts a game that the extender knows, and one that it does not.
fn plays(bits: Bits) {
    for (edition, said) in
        [("harbour", "reed 4.1.7 ready"), ("meadow", "reed 4.1.7: this game is not known")]
    {
        let dir = tempfile::tempdir().unwrap();
        write(dir.path(), bits, edition);
        assert_eq!(run(dir.path(), "start.exe"), 0);

        assert_eq!(text_in(&dir.path().join("reed.log")), said, "{bits:?}");
        assert_eq!(text_in(&dir.path().join("entry.log")), "entered");
        assert!(!dir.path().join("end.txt").exists(), "the game still runs");
        fs::write(dir.path().join(STOP), "").unwrap();
        assert_eq!(text_in(&dir.path().join("end.txt")), "played");
    }
}

#[test]
fn programs_and_libraries_do_what_they_say() {
    plays(Bits::Bits64);
}

#[test]
#[cfg_attr(windows, ignore = "needs a Windows that runs 32-bit programs")]
fn those_for_32_bits_too() {
    plays(Bits::Bits32);
}

#[test]
fn without_its_starter_a_game_loads_no_extender() {
    let dir = tempfile::tempdir().unwrap();
    write(dir.path(), Bits::Bits64, "harbour");
    fs::write(dir.path().join(STOP), "").unwrap();
    assert_eq!(run(dir.path(), "game.exe"), 0);
    assert!(dir.path().join("entry.log").exists());
    assert!(!dir.path().join("reed.log").exists());
}
