//! How long commands take that read no game, on a home of 200 games and 500 changes, beside a program that
//! does nothing.
//!
//! `cargo bench --bench start`

mod homes;

use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use homes::{fill_journal, fill_rack, survey};

const GAMES: usize = 200;
const BUILDS: usize = 60;
const CHANGES: usize = 500;

/// Odd, so that there is a middle one; many, since a process takes now more, now less.
const RUNS: usize = 41;

/// Tells this program to be the one that does nothing.
const NOTHING: &str = "BENCH_NOTHING";

fn main() {
    if std::env::var_os(NOTHING).is_some() {
        return;
    }
    let folder = tempfile::tempdir().expect("a temporary folder");
    fill_rack(folder.path(), BUILDS);
    fill_journal(folder.path(), GAMES, CHANGES);
    survey(folder.path());

    let empty = std::env::current_exe().expect("this program");
    let spanner = Path::new(env!("CARGO_BIN_EXE_spanner"));
    let commands: [&[&str]; 11] = [
        &["--version"],
        &["explain"],
        &["game", "list"],
        &["root", "list"],
        &["family", "list"],
        &["rack", "list"],
        &["rack", "show", "lens7"],
        &["history"],
        &["history", "pier-7"],
        &["history", "show", "250"],
        &["undo", "--dry-run"],
    ];
    println!("{:24} {:>9} {:>14}", "", "median", "over nothing");
    for words in commands {
        let (mut nothing, mut times) = (Vec::new(), Vec::new());
        for _ in 0..RUNS {
            nothing.push(time(Command::new(&empty).env(NOTHING, "1")));
            let mut command = Command::new(spanner);
            command.args(words).current_dir(folder.path());
            times.push(time(command.env("SPANNER_HOME", folder.path().join("home"))));
        }
        let (nothing, time) = (median(nothing), median(times));
        let over = time.saturating_sub(nothing);
        println!("{:24} {time:>9.1?} {over:>14.1?}", words.join(" "));
    }
}

fn time(command: &mut Command) -> Duration {
    let began = Instant::now();
    let status = command.stdout(Stdio::null()).stderr(Stdio::null()).status();
    assert!(status.expect("a program").success(), "{command:?}");
    began.elapsed()
}

fn median(mut times: Vec<Duration>) -> Duration {
    times.sort();
    times[times.len() / 2]
}
