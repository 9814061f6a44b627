//! Starts games, and notes when.

use std::path::Path;
use std::process::{Child, Command, Stdio};

use jiff::Timestamp;

use super::Workshop;
use crate::check::{self, Finding};
use crate::error::{Error, GameError, Result};
use crate::plan::{self, Drifted, Plan};
use crate::prove::{ProofRequest, Prover};
use crate::shortcut::{ShortcutTarget, picture_of};
use crate::start::{self, Run, Start};
use crate::survey::GameView;
use upright_spanner_image::rights_of;

/// The problems before a start.
#[derive(Debug)]
pub struct BeforeStart {
    /// The processes of the game that run already.
    pub running: Vec<u32>,
    /// Targets that differ from their records.
    pub drifted: Vec<Drifted>,
    /// Findings about loading.
    pub findings: Vec<Finding>,
}

/// A game that was started.
#[derive(Debug)]
pub struct Started {
    /// When.
    pub at: Timestamp,
    /// The program that was started; nothing if an address was handed to the system.
    child: Option<Child>,
}

impl Started {
    /// Waits for the end of the program that was started; gives the code with which it ended, if it was not ended
    /// from outside.
    ///
    /// # Errors
    /// If the system does not say it.
    pub fn wait(&mut self) -> Result<Option<i32>> {
        let Some(child) = &mut self.child else { return Ok(None) };
        let status = child.wait().map_err(Error::io("wait for", Path::new("the game")))?;
        Ok(status.code())
    }

    /// Whether the started program has ended. It is not known for a program that opened an address.
    pub(super) fn has_ended(&mut self) -> bool {
        self.child.as_mut().is_some_and(|child| !matches!(child.try_wait(), Ok(None)))
    }
}

impl Workshop {
    /// Decides how a game is started; `once` is a program for this time, and `arguments` are additional ones.
    ///
    /// # Errors
    /// If the game has no program, or the named one does not exist.
    pub fn plan_start(
        &self,
        view: &GameView,
        once: Option<&str>,
        arguments: &[String],
    ) -> Result<Start> {
        let mut start = self.decide(view, |situation| start::start(situation, once, arguments))?;
        if let Run::Program { file, .. } = &start.run {
            // What asks for nothing, and what cannot be read, is started as it is.
            start.rights = rights_of(file).unwrap_or_default();
        }
        Ok(start)
    }

    /// The problems before a start: drift, and findings about loading.
    ///
    /// # Errors
    /// If the home or a file of the game cannot be read.
    pub fn before_start(&self, view: &GameView) -> Result<BeforeStart> {
        let mut drifted = self.drift(view)?.files;
        drifted.retain(Drifted::is_off);
        let checked = self.check_games(std::slice::from_ref(view))?.pop().unwrap_or_default();
        let mut findings: Vec<Finding> = Vec::new();
        for finding in checked.all().filter(|finding| check::keeps_from_loading(finding)) {
            if !findings.iter().any(|known| known.sentence == finding.sentence) {
                findings.push(finding.clone());
            }
        }
        let wish = ProofRequest::default();
        let running =
            self.decide(view, |situation| Ok(Prover::new(situation, &wish, None).running()))?;
        Ok(BeforeStart { running, drifted, findings })
    }

    /// Plans to put a shortcut to a game into a folder; one that starts it through `command`, if that is given.
    ///
    /// # Errors
    /// If the game cannot be started from here, or the shortcut cannot be written there.
    pub fn plan_shortcut(
        &self,
        view: &GameView,
        folder: &Path,
        command: Option<Vec<String>>,
    ) -> Result<Plan> {
        let executable = view.executable().filter(|_| !cfg!(windows));
        let picture = executable.and_then(|exe| picture_of(&exe.path.on(&view.game.root)));
        let mut plan = self.decide(view, |situation| {
            let target = match command {
                Some(command) => ShortcutTarget::through(command, view.game.root.clone()),
                None => ShortcutTarget::of(&start::start(situation, None, &[])?)?,
            };
            plan::plan_shortcut(situation, &target, folder, picture)
        })?;
        self.add_conditions(&mut plan);
        Ok(plan)
    }

    /// Starts a game as a separate process; its output is shown if requested.
    ///
    /// # Errors
    /// If it cannot be started; the error says why.
    pub fn start(&self, start: &Start, shows: bool) -> Result<Started> {
        let at = Timestamp::now();
        let child = match (&start.run, start.command()?) {
            (Run::Address(address), _) => {
                open::that_detached(address)
                    .map_err(|error| Error::io("open", Path::new(address))(error))?;
                None
            }
            (_, Some(words)) => Some(spawn(start, &words, shows)?),
            (_, None) => None,
        };
        self.database.note_start(&start.game, at);
        Ok(Started { at, child })
    }
}

fn spawn(start: &Start, words: &[String], shows: bool) -> Result<Child> {
    let (program, arguments) = words.split_first().ok_or_else(|| Error::Invalid {
        what: "there is nothing to start".to_owned(),
        remedy: "Name it.".into(),
    })?;
    let path = Path::new(program);
    let output = || if shows { Stdio::inherit() } else { Stdio::null() };
    let mut command = Command::new(path);
    command.args(arguments).current_dir(&start.folder).envs(&start.environment);
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(output());
    set_apart(&mut command);
    command.spawn().map_err(|error| refused(path, error))
}

/// What ends this process from the keyboard does not end the game.
#[cfg(unix)]
fn set_apart(command: &mut Command) {
    std::os::unix::process::CommandExt::process_group(command, 0);
}

#[cfg(windows)]
fn set_apart(command: &mut Command) {
    const NEW_PROCESS_GROUP: u32 = 0x200;
    std::os::windows::process::CommandExt::creation_flags(command, NEW_PROCESS_GROUP);
    keep_streams();
}

/// Keeps what this process reads from and writes to for itself. A child is given all that is marked to be
/// inherited, whether it uses it or not, and whoever reads our output would wait for the end of the game.
#[cfg(windows)]
fn keep_streams() {
    use std::os::windows::io::AsRawHandle;
    use windows_sys::Win32::Foundation::{HANDLE_FLAG_INHERIT, SetHandleInformation};
    let streams = [
        std::io::stdin().as_raw_handle(),
        std::io::stdout().as_raw_handle(),
        std::io::stderr().as_raw_handle(),
    ];
    for stream in streams {
        // SAFETY: the handles belong to this process; making one non-inheritable does not change its use, and the
        // call fails for anything that is not a handle.
        #[expect(unsafe_code, reason = "nothing safe says what a child inherits")]
        unsafe {
            SetHandleInformation(stream, HANDLE_FLAG_INHERIT, 0);
        }
    }
}

#[cfg(not(any(unix, windows)))]
fn set_apart(_: &mut Command) {}

fn refused(path: &Path, error: std::io::Error) -> Error {
    /// `ERROR_ELEVATION_REQUIRED`
    const ELEVATION_REQUIRED: i32 = 740;
    if cfg!(windows) && error.raw_os_error() == Some(ELEVATION_REQUIRED) {
        return GameError::NeedsAdministrator { path: path.to_owned() }.into();
    }
    Error::io("start", path)(error)
}
