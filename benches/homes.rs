//! Homes as they are after years: many games, builds and changes.

#![allow(dead_code, reason = "each bench uses its part")]

use std::fs;
use std::path::{Path, PathBuf};

use upright_spanner_change::{Journal, NoCopies, Record};
use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::PackageOptions;
use upright_spanner_core::survey::Filter;
use upright_spanner_core::{FitOptions, Workshop};
use upright_spanner_sample::world::{self, Graphics};
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive};

/// A game below a folder, with its program alone.
pub fn game(folder: &Path, title: &str) -> PathBuf {
    let game = folder.join("games").join(title);
    fs::create_dir_all(&game).expect("a folder");
    let exe = world::game_exe(Bits::Bits64, title, "Nine Knots", [1, 0, 0, 0]).padding(0);
    fs::write(game.join(format!("{title}.exe")), exe.to_bytes()).expect("a program");
    game
}

/// A library of its own family, with nothing but its identity.
pub fn library(family: &str, version: u16) -> Vec<u8> {
    let info = VersionInfo::new([version, 0, 0, 0]).with("CompanyName", "Corvid Optics");
    Pe::dll(Bits::Bits64, &format!("{family}.dll")).version(&info).export("open", 1).to_bytes()
}

/// A workshop on a new home.
pub fn workshop(folder: &Path) -> Workshop {
    Workshop::open(&folder.join("home")).expect("a home")
}

/// Puts as many builds on the rack, each of another family, from one package.
pub fn fill_rack(folder: &Path, count: usize) {
    let names: Vec<String> = (0..count).map(|number| format!("lens{number}")).collect();
    let files: Vec<(String, Vec<u8>)> =
        names.iter().map(|name| (format!("{name}/{name}.dll"), library(name, 2))).collect();
    let entries: Vec<(&str, &[u8])> =
        files.iter().map(|(name, bytes)| (name.as_str(), &bytes[..])).collect();
    let path = folder.join("pack.zip");
    fs::write(&path, archive::zip(&entries, (2026, 1, 1))).expect("an archive");
    let workshop = workshop(folder);
    let lock = workshop.alter().expect("a lock");
    let added = lock.add_to_rack(&path, &PackageOptions::default(), &Silent).expect("builds");
    assert_eq!(added.builds.len(), count);
}

/// Writes a journal of as many changes of as many games, each a copy of one that was made.
pub fn fill_journal(folder: &Path, games: usize, changes: usize) {
    let roots: Vec<PathBuf> = (0..games).map(|n| game(folder, &format!("Pier {n}"))).collect();
    let library = world::graphics(Graphics::Upscaler, [2, 7, 4, 0], Bits::Bits64).to_bytes();
    for root in &roots {
        fs::write(root.join("sharpwater.dll"), &library).expect("a library");
    }
    let first = made_change(folder, &roots[0]);
    let journal = Journal::open(&folder.join("home/journal")).expect("a journal");
    for number in 2..=changes {
        let root = &roots[number % games];
        let name = root.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
        let record = Record {
            number: i64::try_from(number).unwrap_or_default(),
            game: name.replace(' ', "-"),
            root: root.clone(),
            ..first.clone()
        };
        journal.insert(&record).expect("a change");
    }
}

/// Fits a newer build, and returns the record of the change.
fn made_change(folder: &Path, root: &Path) -> Record {
    let newer = folder.join("sharpwater.dll");
    let bytes = world::graphics(Graphics::Upscaler, [2026, 3, 0, 0], Bits::Bits64).to_bytes();
    fs::write(&newer, bytes).expect("a library");
    let workshop = workshop(folder);
    let root = root.to_string_lossy();
    let view = workshop.game(&root, &Silent).expect("a game");
    let build = newer.to_string_lossy();
    let fit = workshop.plan_fit(&view, &build, &FitOptions::default(), &Silent).expect("a plan");
    let cleared = workshop.clear(fit.plan, &[]).expect("nothing stops it");
    let lock = workshop.alter().expect("a lock");
    lock.fit(cleared, &fit.parcels, &Silent).expect("a change");
    drop(lock);
    let journal = Journal::open(&folder.join("home/journal")).expect("a journal");
    let read = journal.read(&NoCopies).expect("a journal");
    read.records.into_iter().next().expect("one change")
}

/// Surveys the games of a folder, and remembers them.
pub fn survey(folder: &Path) {
    let workshop = workshop(folder);
    let games = [folder.join("games")];
    let survey = workshop.survey(&games, &Filter::default(), &Silent).expect("a survey");
    workshop.remember(&survey).expect("a home");
}
