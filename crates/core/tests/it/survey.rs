//! A survey of some games finds the same as a complete one, and reads no other files.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use proptest::prelude::*;
use tempfile::TempDir;
use upright_spanner_core::Workshop;
use upright_spanner_core::progress::Silent;
use upright_spanner_core::survey::{Filter, Survey};
use upright_spanner_sample::world;
use upright_spanner_sample::{Bits, Pe, VersionInfo};

/// The recipe of an invented library of games: each with the folder of its program, and its libraries.
type Games = BTreeMap<String, (String, Vec<String>)>;

fn games() -> impl Strategy<Value = Games> {
    let folder = prop::sample::select(vec!["", "bin/", "System/Win64/"]);
    let library = "(lens|brine|quern)[a-c]?\\.(dll|asi|dll\\.bak)";
    let libraries = prop::collection::vec((folder.clone(), library), 0..4);
    let libraries =
        libraries.prop_map(|all| all.into_iter().map(|(f, name)| f.to_owned() + &name).collect());
    let game = (folder.prop_map(str::to_owned), libraries);
    prop::collection::btree_map("(Pier|Kite|Moss|Tin)( [A-Z][a-z]{2,6})?", game, 1..6)
}

fn library(name: &str) -> Vec<u8> {
    let info = VersionInfo::new([1, 2, 0, 0]).with("CompanyName", "Corvid Optics");
    Pe::dll(Bits::Bits64, name).version(&info).to_bytes()
}

fn write(path: &Path, bytes: &[u8]) {
    fs::create_dir_all(path.parent().unwrap()).unwrap();
    fs::write(path, bytes).unwrap();
}

fn laid_out(games: &Games) -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    for (title, (place, libraries)) in games {
        let game = folder.path().join("games").join(title);
        let exe = world::game_exe(Bits::Bits64, title, "Nine Knots", [1, 0, 0, 0]).padding(0);
        write(&game.join(format!("{place}{title}.exe")), &exe.to_bytes());
        for name in libraries {
            write(&game.join(name), &library(name.rsplit('/').next().unwrap()));
        }
    }
    folder
}

/// Of each game by its title: its executable, and each library with its family and version.
fn found(survey: &Survey) -> BTreeMap<String, (String, Vec<String>)> {
    let library = |library: &upright_spanner_core::survey::Library| {
        let version = library.facts.version().map(|version| version.to_string());
        format!("{} {} {version:?} {}", library.path, library.family, library.put_aside)
    };
    let game = |view: &upright_spanner_core::survey::GameView| {
        let executable = view.executable().map(|executable| executable.path.to_string());
        let libraries = view.libraries.iter().map(library).collect();
        (view.game.title.clone(), (executable.unwrap_or_default(), libraries))
    };
    survey.games.iter().map(game).collect()
}

fn survey(folder: &Path, home: &str, filter: &Filter) -> Survey {
    let workshop = Workshop::open(&folder.join(home)).unwrap();
    workshop.survey(&[folder.join("games")], filter, &Silent).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(windows) { 12 } else { 48 }))]

    #[test]
    fn a_narrowed_survey_finds_of_its_games_what_a_whole_one_does(games in games()) {
        let folder = laid_out(&games);
        let whole = found(&survey(folder.path(), "home", &Filter::default()));
        for title in whole.keys() {
            let filter = Filter::default().game(Some(title)).unwrap();
            // With nothing read before, and with everything.
            for home in ["another home", "home"] {
                let narrowed = found(&survey(folder.path(), home, &filter));
                prop_assert_eq!(narrowed.keys().collect::<Vec<_>>(), [title]);
                prop_assert_eq!(&narrowed[title], &whole[title]);
            }
        }
    }

    /// A damaged library is its own error game alone.
    #[test]
    fn a_narrowed_survey_says_nothing_of_other_games(games in games(), at in any::<prop::sample::Index>()) {
        let folder = laid_out(&games);
        let titles: Vec<&String> = games.keys().collect();
        let damaged = titles[at.index(titles.len())];
        write(&folder.path().join("games").join(damaged).join("cut.dll"), b"MZ");
        for title in titles {
            let filter = Filter::default().game(Some(title)).unwrap();
            let survey = survey(folder.path(), "home", &filter);
            prop_assert_eq!(survey.errors.len(), usize::from(title == damaged), "{}", title);
        }
    }
}
