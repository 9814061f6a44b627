//! `sample-play PROGRAM`: a stand-in for an environment that runs Windows programs.
//!
//! It maps a program of the invented world and its libraries into its own memory, as a loader would, and carries out
//! their deeds ([`Deeds`]). It runs no code of theirs.

use std::collections::HashSet;
use std::env;
use std::ffi::OsStr;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use memmap2::Mmap;
use upright_spanner_sample::deed::{Deed, Deeds, STOP};

/// How long it waits before it looks again for the end of a game.
const TICK: Duration = Duration::from_millis(20);

fn main() -> ExitCode {
    let Some(program) = env::args_os().nth(1).map(PathBuf::from) else {
        eprintln!("usage: sample-play PROGRAM");
        return ExitCode::from(2);
    };
    let mut process = Process::of(&program);
    match process.run(&program) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("sample-play: cannot run {}: {error}", program.display());
            ExitCode::FAILURE
        }
    }
}

/// A process as Windows would make one.
struct Process {
    /// The program's folder, where libraries are looked for first.
    folder: PathBuf,
    variables: Vec<(String, String)>,
    loaded: HashSet<PathBuf>,
    maps: Vec<Mmap>,
}

impl Process {
    fn of(program: &Path) -> Self {
        let folder = program.parent().unwrap_or(Path::new("")).to_owned();
        let variables = env::vars().collect();
        Self { folder, variables, loaded: HashSet::new(), maps: Vec::new() }
    }

    fn run(&mut self, program: &Path) -> io::Result<()> {
        let deeds = self.map(program)?;
        self.attend(&deeds)
    }

    /// Loads the imports, then does the rest.
    fn attend(&mut self, deeds: &Deeds) -> io::Result<()> {
        deeds.imports.iter().try_for_each(|library| self.load(library))?;
        deeds.deeds.iter().try_for_each(|deed| self.act(deed))
    }

    /// Maps an image, and reads its deeds.
    fn map(&mut self, path: &Path) -> io::Result<Deeds> {
        let file = fs::File::open(path)?;
        // SAFETY: the mapping is read here alone, and is only there to be seen from outside; a test that cut the file
        // short in the meantime would end this process and nothing else.
        #[expect(unsafe_code, reason = "mapping a file is what a loader does")]
        let map = unsafe { Mmap::map(&file)? };
        let deeds = Deeds::read(&map).unwrap_or_default();
        self.maps.push(map);
        Ok(deeds)
    }

    /// Loads a library that is beside the program or in the working folder; one of the system is not there.
    fn load(&mut self, library: &str) -> io::Result<()> {
        let Some(path) = [self.folder.as_path(), Path::new("")]
            .iter()
            .find_map(|folder| spelled(&folder.join(library.replace('\\', "/"))))
        else {
            return Ok(());
        };
        if !self.loaded.insert(path.clone()) {
            return Ok(());
        }
        let deeds = self.map(&path)?;
        self.attend(&deeds)
    }

    fn variable(&self, name: &str) -> Option<String> {
        let known = self.variables.iter().rev().find(|(known, _)| known == name);
        known.map(|(_, value)| value.clone())
    }

    fn act(&mut self, deed: &Deed) -> io::Result<()> {
        match deed {
            Deed::Set { name, value } => self.variables.push((name.clone(), value.clone())),
            Deed::Load { library } => match library.strip_prefix('%') {
                None => self.load(library)?,
                Some(name) => {
                    if let Some(named) = self.variable(name.trim_end_matches('%')) {
                        self.load(&named)?;
                    }
                }
            },
            Deed::Start { program } => {
                let program = spelled(Path::new(program)).unwrap_or_else(|| program.into());
                let mut command = Command::new(env::current_exe()?);
                let quiet = [Stdio::null(), Stdio::null(), Stdio::null()];
                let [input, output, errors] = quiet;
                command.arg(program).envs(self.variables.iter().cloned());
                command.stdin(input).stdout(output).stderr(errors).spawn()?;
            }
            Deed::Write { file, text } => fs::write(file, text)?,
            Deed::Either { variable, value, then, otherwise } => {
                let deeds =
                    if self.variable(variable).as_ref() == Some(value) { then } else { otherwise };
                deeds.iter().try_for_each(|deed| self.act(deed))?;
            }
            Deed::Play { milliseconds } => {
                let end = Instant::now() + Duration::from_millis((*milliseconds).into());
                while Instant::now() < end && !Path::new(STOP).exists() {
                    thread::sleep(TICK);
                }
            }
        }
        Ok(())
    }
}

/// A file as its folder spells it, as Windows would find it.
fn spelled(path: &Path) -> Option<PathBuf> {
    let name = path.file_name()?.to_string_lossy().to_lowercase();
    let folder = path.parent().filter(|folder| *folder != Path::new("")).unwrap_or(Path::new("."));
    let is_it = |found: &OsStr| found.to_string_lossy().to_lowercase() == name;
    let found = fs::read_dir(folder).ok()?.flatten().find(|entry| is_it(&entry.file_name()))?;
    Some(path.with_file_name(found.file_name()))
}
