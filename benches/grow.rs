//! How the work that a stranger's files can cause grows: the time for four times as much, divided by four times the
//! time. Linear work gives at most 1, quadratic work 4.
//!
//! `cargo bench --bench grow`

mod homes;

use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use homes::{fill_journal, fill_rack, library, workshop};
use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::PackageOptions;
use upright_spanner_core::survey::Filter;
use upright_spanner_sample::{archive, world};

const RUNS: usize = 3;
const TIMES: usize = 4;

/// Does something with so many things in a folder, and gives the time.
type Measure = fn(&Path, usize) -> Duration;

fn main() {
    let rows: [(&str, usize, Measure); 7] = [
        ("libraries with a copy beside each", 4_000, survey_copies),
        ("files in one folder", 100_000, survey_files),
        ("entries of an archive", 50_000, add_archive),
        ("families in a catalog", 10_000, survey_with_catalog),
        ("builds on the rack", 10_000, survey_with_builds),
        ("games with their families", 10_000, check_games),
        ("changes in the journal", 100_000, look_with_changes),
    ];
    println!("{:36} {:>9} {:>9} {:>9}", "", "a quarter", "all", "over 4");
    // `cargo bench --bench grow -- changes` measures one alone.
    let wanted: Vec<String> = std::env::args().skip(1).filter(|word| word != "--bench").collect();
    let is_wanted = |what: &str| wanted.is_empty() || wanted.iter().any(|word| what.contains(word));
    for (what, most, measure) in rows.into_iter().filter(|(what, ..)| is_wanted(what)) {
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

/// A game below a folder, with its program alone.
fn game(folder: &Path) -> PathBuf {
    homes::game(folder, "Pier")
}

/// The time of a first survey.
fn survey(folder: &Path) -> Duration {
    let workshop = workshop(folder);
    let began = Instant::now();
    let survey =
        workshop.survey(&[folder.join("games")], &Filter::default(), &Silent).expect("a survey");
    assert_eq!(survey.games.len(), 1);
    began.elapsed()
}

fn survey_copies(folder: &Path, count: usize) -> Duration {
    let game = game(folder);
    let bytes = library("lens", 1);
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
    fs::write(game.join("lens.dll"), library("lens", 1)).expect("a library");
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

/// A survey and the checks of its game, with builds on the rack.
fn survey_with_builds(folder: &Path, count: usize) -> Duration {
    fill_rack(folder, count);
    let game = game(folder);
    fs::write(game.join("lens0.dll"), library("lens0", 1)).expect("a library");
    let began = Instant::now();
    assert_eq!(check(folder), 1);
    began.elapsed()
}

/// The checks of games that were surveyed before.
fn check_games(folder: &Path, count: usize) -> Duration {
    for number in 0..count {
        let game = homes::game(folder, &format!("Pier {number}"));
        let name = format!("lens{}", number % 10);
        fs::write(game.join(format!("{name}.dll")), library(&name, 1)).expect("a library");
    }
    homes::survey(folder);
    let began = Instant::now();
    assert_eq!(check(folder), count);
    began.elapsed()
}

/// Surveys and checks every game; gives how many there are.
fn check(folder: &Path) -> usize {
    let workshop = workshop(folder);
    let games = [folder.join("games")];
    let survey = workshop.survey(&games, &Filter::default(), &Silent).expect("a survey");
    workshop.check_games(&survey.games).expect("verdicts").len()
}

/// A survey of ten games, what drifted in one, and the whole history with what holds of each change.
fn look_with_changes(folder: &Path, count: usize) -> Duration {
    fill_journal(folder, 10, count);
    homes::survey(folder);
    let began = Instant::now();
    let workshop = workshop(folder);
    let games = [folder.join("games")];
    let survey = workshop.survey(&games, &Filter::default(), &Silent).expect("a survey");
    workshop.drift(&survey.games[0]).expect("a drift");
    let history = workshop.history().expect("a history");
    let statuses = workshop.statuses(&history.changes).expect("statuses");
    assert_eq!(statuses.len(), count);
    began.elapsed()
}

fn add_archive(folder: &Path, count: usize) -> Duration {
    let names: Vec<String> = (1..count).map(|number| format!("data/{number}.bin")).collect();
    let bytes = library("lens", 1);
    let mut entries: Vec<(&str, &[u8])> = vec![("lens.dll", &bytes)];
    entries.extend(names.iter().map(|name| (name.as_str(), name.as_bytes())));
    let path = folder.join("pack.zip");
    fs::write(&path, archive::zip(&entries, (2026, 1, 1))).expect("an archive");
    let workshop = workshop(folder);
    let began = Instant::now();
    let added =
        workshop.alter().expect("a lock").add_to_rack(&path, &PackageOptions::default(), &Silent);
    assert_eq!(added.expect("a build").builds.len(), 1);
    began.elapsed()
}
