//! A temporary folder with the made-up world and a home, and the built program to run in it.
#![allow(dead_code, reason = "each test file uses its part")]

pub mod documents;
pub mod feeds;
pub mod play;
pub mod secure;

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

use assert_cmd::assert::Assert;
use serde_json::Value;
use tempfile::TempDir;
use upright_spanner_sample::world;

pub struct Bench {
    folder: TempDir,
}

impl Bench {
    /// The whole made-up world: `games` and `downloads`.
    pub fn world() -> Self {
        let bench = Self::empty();
        world::create(bench.path()).unwrap();
        bench
    }

    /// An empty folder.
    pub fn empty() -> Self {
        Self { folder: tempfile::tempdir().unwrap() }
    }

    pub fn path(&self) -> &Path {
        self.folder.path()
    }

    pub fn file(&self, relative: &str) -> PathBuf {
        relative.split('/').fold(self.path().to_owned(), |path, part| path.join(part))
    }

    pub fn write(&self, relative: &str, content: &[u8]) {
        world::write(&self.file(relative), content, (2025, 3, 4)).unwrap();
    }

    /// Runs the built program in the folder, laid out for 100 columns.
    pub fn run(&self, words: &[&str]) -> Assert {
        let mut program = self.program(words);
        program.env("COLUMNS", "100").env_remove("NO_COLOR");
        Assert::new(started(|| program.output()))
    }

    /// The built program with its arguments, to be run in the folder.
    pub fn program(&self, words: &[&str]) -> Command {
        let mut program = Command::new(env!("CARGO_BIN_EXE_spanner"));
        program.args(words).current_dir(self.path()).env("SPANNER_HOME", self.file("home"));
        program
    }

    /// Runs a command that succeeds, and gives its standard output.
    pub fn ok(&self, words: &[&str]) -> String {
        output(&self.run(words).code(0))
    }

    /// Runs a command with `--json` and gives the document, which is as its schema says.
    pub fn json(&self, words: &[&str]) -> Value {
        let assert = self.run(&[words, &["--json"]].concat());
        let document = serde_json::from_slice(&assert.get_output().stdout).unwrap();
        documents::assert_described(words, &document);
        document
    }

    /// Every file below a folder: relative path and content.
    pub fn picture(&self, folder: &str) -> Vec<(String, Vec<u8>)> {
        let root = self.file(folder);
        let mut out = Vec::new();
        let mut folders = vec![root.clone()];
        while let Some(folder) = folders.pop() {
            for entry in fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                if path.is_dir() {
                    folders.push(path);
                } else {
                    let relative = path.strip_prefix(&root).unwrap().to_string_lossy().into_owned();
                    out.push((relative, fs::read(&path).unwrap()));
                }
            }
        }
        out.sort();
        out
    }
}

/// Starts a program. Now and then Wine starts none while the machine has much to do.
pub fn started<T>(mut start: impl FnMut() -> io::Result<T>) -> T {
    for _ in 0..if cfg!(windows) { 3 } else { 1 } {
        if let Ok(started) = start() {
            return started;
        }
        std::thread::sleep(Duration::from_secs(1));
    }
    start().unwrap()
}

/// Runs a program that must end within some seconds.
pub fn in_time(program: Command, seconds: u64) -> Assert {
    let mut program = assert_cmd::Command::from_std(program);
    program.timeout(Duration::from_secs(seconds));
    Assert::new(started(|| program.output()))
}

/// How long a program may take on a busy machine before a test gives up.
const PATIENCE: Duration = Duration::from_secs(60);

/// Waits until something is so, at most for [`PATIENCE`].
pub fn wait_until(what: &str, is_so: impl Fn() -> bool) {
    let end = Instant::now() + PATIENCE;
    while !is_so() {
        assert!(Instant::now() < end, "waited for: {what}");
        std::thread::sleep(Duration::from_millis(5));
    }
}

pub fn output(assert: &Assert) -> String {
    String::from_utf8(assert.get_output().stdout.clone()).unwrap()
}

/// A text as if it had not been wrapped.
pub fn flat(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

pub fn errors(assert: &Assert) -> String {
    String::from_utf8(assert.get_output().stderr.clone()).unwrap()
}

/// Overwrites a file that may be marked read-only, as damage does.
pub fn overwrite(path: &Path, content: &[u8]) {
    free(path);
    fs::write(path, content).unwrap();
}

/// Takes the read-only mark off a file: Windows removes none that has it.
pub fn free(path: &Path) {
    let mut permissions = fs::metadata(path).unwrap().permissions();
    #[expect(clippy::permissions_set_readonly_false, reason = "a test's own file")]
    permissions.set_readonly(false);
    fs::set_permissions(path, permissions).unwrap();
}
