//! The invented launcher as a program: `sample-launch LIBRARY GAME LOAD` updates the game in that folder of the
//! library with the files in LOAD, and prints the result.

use std::path::PathBuf;
use std::process::ExitCode;

use upright_spanner_sample::launcher::{Outcome, update};

fn main() -> ExitCode {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let [library, game, load] = &words[..] else {
        eprintln!("usage: sample-launch LIBRARY GAME LOAD");
        return ExitCode::from(2);
    };
    match update(&PathBuf::from(library), game, &PathBuf::from(load)) {
        Ok(Outcome::Updated) => println!("updated"),
        Ok(Outcome::Waits) => println!("an update waits"),
        Ok(Outcome::Shut) => println!("the record cannot be written: nothing was done"),
        Err(error) => {
            eprintln!("{error}");
            return ExitCode::FAILURE;
        }
    }
    ExitCode::SUCCESS
}
