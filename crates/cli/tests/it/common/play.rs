//! Games that really run: directly on Windows, elsewhere through the stand-in `sample-play`.

use std::fs;
use std::path::{Path, PathBuf};
use std::thread;
use std::time::Duration;

use upright_spanner_sample::deed::STOP;
use upright_spanner_sample::{Bits, Deed, Pe, VersionInfo, archive, world};

use super::{Bench, wait_until};

pub const PIER: &str = "games/Pier";
const DATE: (u16, u8, u8) = (2026, 3, 4);

/// A folder with the game Pier, which runs until it is stopped.
pub struct Stage {
    pub bench: Bench,
    games: Vec<String>,
}

impl Stage {
    pub fn new() -> Self {
        Self::with(&pier())
    }

    /// The same with another executable.
    pub fn with(exe: &Pe) -> Self {
        let mut stage = Self { bench: Bench::empty(), games: Vec::new() };
        stage.add(PIER, exe);
        stage
    }

    /// Adds a game.
    pub fn add(&mut self, folder: &str, exe: &Pe) {
        self.bench.write(&format!("{folder}/Pier.exe"), &exe.to_bytes());
        self.bench.write(&format!("{folder}/lens.dll"), &lens([1, 0, 0, 0]).to_bytes());
        self.games.push(folder.to_owned());
        self.bench.ok(&["game", "add", folder]);
        if !cfg!(windows) {
            let command = stand_in();
            let command = format!("\"{}\"", command.display());
            self.bench.ok(&["game", "set", folder, "--run-with", &command]);
        }
        // The stand-in for Windows loads its own library of such a name unless it is told otherwise.
        self.bench.ok(&["game", "set", folder, "--env", "WINEDLLOVERRIDES=winmm=n,b"]);
    }

    /// Puts a library or a program into the game, as it is changed today.
    pub fn put(&self, path: &str, image: &Pe) {
        let path = self.bench.file(&format!("{PIER}/{path}"));
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, image.to_bytes()).unwrap();
    }

    /// Fits the files of a package.
    pub fn fit(&self, name: &str, files: &[(&str, &Pe)], more: &[&str]) {
        let bytes: Vec<(&str, Vec<u8>)> =
            files.iter().map(|(name, image)| (*name, image.to_bytes())).collect();
        let entries: Vec<(&str, &[u8])> =
            bytes.iter().map(|(name, bytes)| (*name, bytes.as_slice())).collect();
        self.bench.write(name, &archive::zip(&entries, DATE));
        self.bench.ok(&[&["fit", PIER, name][..], more].concat());
    }

    /// Fits the extender Reed with its starter.
    pub fn fit_reed(&self, version: [u16; 4], serves: &str) {
        let name = format!("reed-{serves}.dll");
        self.fit(
            "reed.zip",
            &[(&name, &reed(version, serves)), ("reed-run.exe", &reed_run(serves))],
            &[],
        );
    }

    /// Starts the game and waits for proofs, for so many seconds; gives the document.
    pub fn start(&self, seconds: u32, more: &[&str]) -> serde_json::Value {
        let within = seconds.to_string();
        self.bench.json(&[&["start", PIER, "--prove", "--within", &within][..], more].concat())
    }

    /// Starts the game and does not wait for more than that it runs.
    pub fn run(&self, folder: &str, more: &[&str]) {
        self.bench.ok(&[&["start", folder][..], more].concat());
        let proof = || self.bench.json(&["prove", folder, "--look-inside", "--all"]);
        wait_until("the game runs", || proof()["runs"] == true);
    }

    /// Ends every game, and waits until none runs.
    pub fn stop(&self) {
        for folder in &self.games {
            let file = self.bench.file(&format!("{folder}/{STOP}"));
            fs::write(&file, "").unwrap();
            let proof = || self.bench.json(&["prove", folder, "--look-inside", "--all"]);
            wait_until("the game has ended", || proof()["runs"] == false);
            fs::remove_file(file).unwrap();
        }
    }
}

impl Drop for Stage {
    fn drop(&mut self) {
        for folder in &self.games {
            let _ = fs::write(self.bench.file(&format!("{folder}/{STOP}")), "");
        }
        if cfg!(windows) {
            // What runs cannot be removed.
            thread::sleep(Duration::from_millis(300));
        }
    }
}

/// The stand-in that plays the programs of the invented world on other systems.
pub fn stand_in() -> PathBuf {
    let path = Path::new(env!("CARGO_BIN_EXE_spanner")).with_file_name("sample-play");
    assert!(path.is_file(), "{} is missing: cargo build -p upright-spanner-sample", path.display());
    path
}

/// The game's executable, which loads its imports and the library that a starter requests.
pub fn pier() -> Pe {
    world::playable(still_pier(), "4.5.3")
}

/// The same, but it ends as soon as it has started.
pub fn still_pier() -> Pe {
    Pe::exe(Bits::Bits64)
        .version(&info([4, 5, 3, 0], "Nine Knots", "Pier", "Pier"))
        .imports("winmm.dll", &["timeGetTime"])
        .imports("lens.dll", &["lens_open"])
}

/// An upscaler that the game imports.
pub fn lens(version: [u16; 4]) -> Pe {
    Pe::dll(Bits::Bits64, "lens.dll")
        .version(&info(version, "Corvid Optics", "Lens", "Lens upscaler"))
        .export("lens_open", 1)
}

/// A loader under the name of a system library.
pub fn glim(version: [u16; 4]) -> Pe {
    Pe::dll(Bits::Bits64, "glim.dll")
        .version(&info(version, "Tallow & Reed", "Glim", "Glim plugin loader"))
        .export("timeGetTime", 1)
}

/// An extender for a version of the game, which writes `reed.log`.
pub fn reed(version: [u16; 4], serves: &str) -> Pe {
    let text = version.map(|number| number.to_string())[..3].join(".");
    world::extending(plain_reed(version), "Reed", &text, serves, "reed.log")
}

/// The same without a log.
pub fn plain_reed(version: [u16; 4]) -> Pe {
    Pe::dll(Bits::Bits64, "reed.dll")
        .version(&info(version, "The Reed Circle", "Reed", "Reed script extender runtime"))
        .export("reed_attach", 1)
}

/// What writes a text over a file when it is loaded.
pub fn writes(file: &str, text: &str) -> Deed {
    Deed::Write { file: file.to_owned(), text: text.to_owned() }
}

/// The program that starts the game with Reed.
pub fn reed_run(serves: &str) -> Pe {
    let starter = Pe::exe(Bits::Bits64).version(&info(
        [1, 0, 0, 0],
        "The Reed Circle",
        "Reed starter",
        "Reed starter",
    ));
    world::starting(starter, &format!("reed-{serves}.dll"), "Pier.exe")
}

pub fn info(version: [u16; 4], company: &str, product: &str, about: &str) -> VersionInfo {
    let text = version.map(|number| number.to_string()).join(".");
    VersionInfo::new(version)
        .with("CompanyName", company)
        .with("ProductName", product)
        .with("FileDescription", about)
        .with("FileVersion", &text)
}
