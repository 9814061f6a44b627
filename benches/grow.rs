//! How what a stranger's files can drive grows: the time at four times as much, over four times the time.
//! Linear work gives 1 at most; quadratic work would give 4.
//!
//! `cargo bench --bench grow`

use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use upright_spanner_core::Workshop;
use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::PackageOptions;
use upright_spanner_core::survey::Filter;
use upright_spanner_sample::world;
use upright_spanner_sample::{Bits, Pe, archive};

const RUNS: usize = 3;
const TIMES: usize = 4;

/// Does something with so many things in a folder, and gives the time.
type Measure = fn(&Path, usize) -> Duration;

fn main() {
    let rows: [(&str, usize, Measure); 4] = [
        ("libraries with a copy beside each", 4_000, survey_copies),
        ("files in one folder", 100_000, survey_files),
        ("entries of an archive", 50_000, add_archive),
        ("families in a catalog", 10_000, survey_with_catalog),
    ];
    println!("{:36} {:>9} {:>9} {:>9}", "", "a quarter", "all", "over 4");
    for (what, most, measure) in rows {
        let median = |count: usize| {
            let mut times: Vec<Duration> = (0..RUNS)
                .map(|_| {
                    let folder = tempfile::tempdir().expect("a temporary folder");
                    let time = measure(folder.path(), count);
                    world::remove_tree(folder.path()).expect("no temporary folder");
                    time
                })
                .collect();
            times.sort();
            times[RUNS / 2]
        };
        let (quarter, all) = (median(most / TIMES), median(most));
        let ratio = all.as_secs_f64() / quarter.as_secs_f64() / TIMES as f64;
        println!("{:36} {quarter:>9.0?} {all:>9.0?} {ratio:>9.2}", format!("{most} {what}"));
    }
}

fn library(name: &str) -> Vec<u8> {
    Pe::dll(Bits::Bits64, name).export("open", 1).to_bytes()
}

/// A game below a folder, with its program alone.
fn game(folder: &Path) -> PathBuf {
    let game = folder.join("games/Pier");
    fs::create_dir_all(&game).expect("a folder");
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 0, 0, 0]).padding(0);
    fs::write(game.join("Pier.exe"), exe.to_bytes()).expect("a program");
    game
}

/// The time of a first survey.
fn survey(folder: &Path) -> Duration {
    let workshop = Workshop::open(&folder.join("home")).expect("a home");
    let began = Instant::now();
    let survey =
        workshop.survey(&[folder.join("games")], &Filter::default(), &Silent).expect("a survey");
    assert_eq!(survey.games.len(), 1);
    began.elapsed()
}

fn survey_copies(folder: &Path, count: usize) -> Duration {
    let game = game(folder);
    let bytes = library("lens.dll");
    for number in 0..count {
        for end in ["dll", "dll.bak"] {
            fs::write(game.join(format!("lens{number}.{end}")), &bytes).expect("a library");
        }
    }
    survey(folder)
}

fn survey_files(folder: &Path, count: usize) -> Duration {
    let game = game(folder);
    for number in 0..count {
        fs::write(game.join(format!("{number}.bin")), b"x").expect("a file");
    }
    survey(folder)
}

fn survey_with_catalog(folder: &Path, count: usize) -> Duration {
    let game = game(folder);
    fs::write(game.join("lens.dll"), library("lens.dll")).expect("a library");
    let family = |number| {
        format!(
            "[[family]]\nid = \"f{number}\"\nnames = [\"f{number}-*.dll\"]\ncompany = \"Maker {number}\"\n"
        )
    };
    let families: String = (0..count).map(family).collect();
    fs::create_dir_all(folder.join("home/catalog")).expect("a folder");
    let text = format!("schema = 1\n{families}");
    fs::write(folder.join("home/catalog/all.toml"), text).expect("a catalog");
    survey(folder)
}

fn add_archive(folder: &Path, count: usize) -> Duration {
    let names: Vec<String> = (1..count).map(|number| format!("data/{number}.bin")).collect();
    let bytes = library("lens.dll");
    let mut entries: Vec<(&str, &[u8])> = vec![("lens.dll", &bytes)];
    entries.extend(names.iter().map(|name| (name.as_str(), name.as_bytes())));
    let path = folder.join("pack.zip");
    fs::write(&path, archive::zip(&entries, (2026, 1, 1))).expect("an archive");
    let workshop = Workshop::open(&folder.join("home")).expect("a home");
    let began = Instant::now();
    let added =
        workshop.alter().expect("a lock").add_to_rack(&path, &PackageOptions::default(), &Silent);
    assert_eq!(added.expect("a build").builds.len(), 1);
    began.elapsed()
}
