//! Whether components that were fitted are what a game really runs with: whether each is mapped into its
//! process, and what it says of itself in its log.
//!
//! - `process`: the processes of a game, and what is mapped into them;
//! - `log`, `report`: logs, found and read, and what they say of a component;
//! - `subject`: which components are looked at, and where their logs are;
//! - `verdict`: what both come to; `remedy`: and what to do then.

mod log;
mod process;
mod remedy;
mod report;
mod subject;
mod verdict;

use std::path::{Path, PathBuf};

use jiff::{SignedDuration, Timestamp};

use crate::catalog::{Family, Role};
use crate::check;
use crate::path::{TreePath, stem};
use crate::remedy::Remedy;
use crate::situation::Situation;
use log::{LogFile, named};
pub use process::Running;
use process::Watch;
use report::{Names, Said, by_patterns};
use subject::{Subject, subjects};
use upright_spanner_image::{Facts, Version};
pub use verdict::{Loaded, Outcome, Report};

/// What is wanted of a proof.
#[derive(Debug, Clone, Default)]
pub struct ProofWish {
    /// The families that are meant; where there are none, those that people put in.
    pub families: Vec<String>,
    /// Every family of the game.
    pub all: bool,
    /// To look into the process though the game watches over itself.
    pub look_inside: bool,
}

/// What was seen of a game and its components.
#[derive(Debug, Clone)]
pub struct Proof {
    /// The id of the game.
    pub game: String,
    /// Its processes.
    pub running: Vec<Running>,
    /// Why its processes were not looked into, where they were not.
    pub not_looked_into: Option<String>,
    /// When it was started, as far as that is known.
    pub started: Option<Timestamp>,
    /// Its components.
    pub components: Vec<ComponentProof>,
}

/// What was seen of a component.
#[derive(Debug, Clone)]
pub struct ComponentProof {
    /// Its family.
    pub family: String,
    /// What it does for the game.
    pub role: Role,
    /// The version that lies in the game.
    pub version: Option<Version>,
    /// The change that put it there, where one did.
    pub change: Option<i64>,
    /// Each of its libraries.
    pub files: Vec<FileProof>,
    /// What was found in the process.
    pub loaded: Loaded,
    /// What was loaded instead, where that is another file.
    pub instead: Option<String>,
    /// What its log says.
    pub report: Report,
    /// The log.
    pub log: Option<LogProof>,
    /// What both come to.
    pub outcome: Outcome,
    /// What to do, where something is not as it should be, and the last has been seen.
    pub remedy: Option<Remedy>,
}

/// Whether one library of a component was loaded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileProof {
    /// Where it is.
    pub path: TreePath,
    /// Whether it was loaded.
    pub loaded: Loaded,
}

/// What a log says of a component.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LogProof {
    /// Where it is.
    pub path: PathBuf,
    /// When it was last written.
    pub written: Timestamp,
    /// Whether a catalog describes it; otherwise it is likely to be the component's.
    pub is_described: bool,
    /// The version that the component states.
    pub version: Option<String>,
    /// The line that states it.
    pub line: Option<String>,
    /// What went wrong, in the log's words.
    pub error: Option<String>,
    /// Whether it says that it does not know the game's executable.
    pub unknown_game: bool,
}

/// Dates of files are as coarse as two seconds on some volumes.
const COARSE: SignedDuration = SignedDuration::from_secs(2);

impl Proof {
    /// Whether everything is as it should be.
    pub fn is_good(&self) -> bool {
        self.components.iter().all(|component| component.outcome.is_good())
    }

    /// Whether the game runs.
    pub fn runs(&self) -> bool {
        self.running.iter().any(|running| !running.has_ended)
    }

    /// Whether nothing that comes later would change it. For a log that no catalog describes there is no
    /// waiting: there may be none.
    pub(crate) fn is_final(&self) -> bool {
        let is_final = |component: &ComponentProof| {
            component.outcome.is_final()
                || component.outcome == Outcome::Loaded && component.log.is_none()
        };
        self.components.iter().all(is_final)
    }

    /// What it comes to, to see whether something came later.
    pub(crate) fn outcomes(&self) -> Vec<Outcome> {
        self.components.iter().map(|component| component.outcome).collect()
    }
}

/// The line of a log that states a version of a library, and the version.
///
/// # Errors
/// Where the log cannot be read.
pub(crate) fn stated_in(
    log: &Path,
    facts: &Facts,
    file_name: &str,
    family: &Family,
) -> std::io::Result<Option<(String, String)>> {
    let mut file = LogFile::named(log)?;
    let known = [facts.version(), facts.product_version()];
    let known: Vec<Version> = known.into_iter().flatten().collect();
    let product = facts.string("ProductName");
    let names =
        [&*family.id, stem(file_name)].into_iter().chain(product).chain(family.title.as_deref());
    let names = Names::new(names);
    let name = log.file_name().unwrap_or_default().to_string_lossy();
    let is_own = names.are_in(&name);
    let said = file.search(None, |lines| {
        names.said_in(lines, is_own, &known).filter(|said| said.version.is_some())
    });
    Ok(said.and_then(|said| Some((said.line?, said.version?))))
}

/// The components of a game that are to be proved, ready to be looked for again and again.
pub(crate) struct Prover<'a> {
    situation: &'a Situation<'a>,
    subjects: Vec<Subject<'a>>,
    /// Why the game's processes are not looked into, where they are not.
    not_looked_into: Option<String>,
    /// When it was last started from here.
    last_start: Option<Timestamp>,
    watch: Watch,
}

impl<'a> Prover<'a> {
    /// Takes up what is meant of a game; `last_start` is when it was last started from here.
    pub fn new(
        situation: &'a Situation<'a>,
        wish: &ProofWish,
        last_start: Option<Timestamp>,
    ) -> Self {
        let guarded = check::watches_over_itself(situation.view);
        Self {
            situation,
            subjects: subjects(situation, wish),
            not_looked_into: guarded.filter(|_| !wish.look_inside),
            last_start,
            watch: Watch::default(),
        }
    }

    /// Looks once more, into the game's processes, where they may be looked into, and into the logs of its
    /// components.
    pub fn look(&mut self) -> Proof {
        let executable = self.situation.view.executable();
        if let Some(executable) = executable.filter(|_| self.not_looked_into.is_none()) {
            self.watch.look(&executable.path.on(&self.situation.game().root));
        }
        let running: Vec<Running> = self.watch.found().cloned().collect();
        let since = running.iter().filter_map(|running| running.since).max();
        let last_start = self.last_start;
        let sight = Sight { situation: self.situation, running: &running, since, last_start };
        let components = self.subjects.iter().map(|subject| sight.prove(subject)).collect();
        Proof {
            game: self.situation.game().id.clone(),
            not_looked_into: self.not_looked_into.clone(),
            started: since.or(last_start),
            components,
            running,
        }
    }

    /// Adds to what was seen last what to do about it: to work that out takes longer than to look.
    pub fn conclude(&self, mut proof: Proof) -> Proof {
        let was_seen = !proof.running.is_empty();
        for (subject, component) in self.subjects.iter().zip(&mut proof.components) {
            component.remedy = remedy::of(self.situation, subject, component, was_seen);
        }
        proof
    }
}

/// What there is to see of one game.
struct Sight<'a> {
    situation: &'a Situation<'a>,
    running: &'a [Running],
    /// When the process that was found was started.
    since: Option<Timestamp>,
    last_start: Option<Timestamp>,
}

impl Sight<'_> {
    fn prove(&self, subject: &Subject<'_>) -> ComponentProof {
        let files: Vec<(FileProof, Option<String>)> =
            subject.libraries.iter().map(|library| self.file(&library.path, subject)).collect();
        let instead = files.iter().find_map(|(_, instead)| instead.clone());
        let is_any = |loaded: Loaded| files.iter().any(|(file, _)| file.loaded == loaded);
        let loaded = if self.running.is_empty() {
            Loaded::Unknown
        } else if instead.is_some() {
            Loaded::Other
        } else if is_any(Loaded::Yes) {
            Loaded::Yes
        } else {
            Loaded::No
        };

        // What was put in after the last start cannot have been started then.
        let start = self.since.or(self.last_start.max(subject.fitted));
        let log = Self::log(subject, start);
        let report = match &log {
            None => Report::None,
            Some((_, said, is_stale)) => report(said, *is_stale),
        };
        let has_ended = self.running.iter().all(|running| running.has_ended);
        let outcome = Outcome::of(loaded, report, has_ended);
        let log = log.map(|(log, _, _)| log);
        ComponentProof {
            family: subject.family.clone(),
            role: subject.role,
            version: subject.version.clone(),
            change: subject.change,
            files: files.into_iter().map(|(file, _)| file).collect(),
            loaded,
            instead,
            report,
            log,
            outcome,
            remedy: None,
        }
    }

    /// Whether a library was loaded, and what was in its place, which is none of the component's own.
    fn file(&self, path: &TreePath, subject: &Subject<'_>) -> (FileProof, Option<String>) {
        let root = &self.situation.game().root;
        let own = process::file_at(&path.on(root));
        let of_name = || self.running.iter().flat_map(|running| running.mapped(path.file_name()));
        let proof = |loaded| FileProof { path: path.clone(), loaded };
        if self.running.is_empty() {
            return (proof(Loaded::Unknown), None);
        }
        if of_name().any(|mapped| mapped.is(own)) {
            return (proof(Loaded::Yes), None);
        }
        let copies: Vec<_> =
            subject.libraries.iter().map(|copy| process::file_at(&copy.path.on(root))).collect();
        let other = of_name().find(|mapped| !copies.iter().any(|copy| mapped.is(*copy)));
        match other {
            Some(other) => {
                let inside = TreePath::below(root, &other.path).ok();
                let shown = inside
                    .map_or_else(|| crate::path::slashes(&other.path), |path| path.to_string());
                (proof(Loaded::Other), Some(shown))
            }
            None => (proof(Loaded::No), None),
        }
    }

    /// The log of a component, what it says, and whether it is older than the start.
    fn log(subject: &Subject<'_>, start: Option<Timestamp>) -> Option<(LogProof, Said, bool)> {
        let is_stale = |log: &LogFile| start.is_some_and(|start| log.written + COARSE < start);
        let mut stale = None;
        for described in &subject.logs {
            for mut log in named(&described.haunt, &described.name) {
                let is_stale = is_stale(&log);
                let said = log.search(described.encoding, |lines| {
                    by_patterns(lines, &described.patterns, &subject.accepted)
                });
                let said = said.unwrap_or_default();
                let says = said.version.is_some() || said.error.is_some();
                let found = Some((proof_of(&log, &said, true), said, is_stale));
                if !is_stale && says {
                    return found;
                }
                stale = stale.or(found.filter(|_| is_stale));
            }
        }
        if stale.is_some() || !subject.logs.is_empty() {
            return stale;
        }

        // Without a start there is nothing that tells an old log from a new one.
        let since = start?.checked_sub(COARSE).ok()?;
        log::likely(&subject.haunts, since).into_iter().find_map(|mut log| {
            let name = log.path.file_name().unwrap_or_default().to_string_lossy();
            let is_own = subject.names.are_in(&name);
            let said =
                log.search(None, |lines| subject.names.said_in(lines, is_own, &subject.accepted));
            let said = said?;
            Some((proof_of(&log, &said, false), said, false))
        })
    }
}

fn report(said: &Said, is_stale: bool) -> Report {
    match said {
        _ if is_stale => Report::Stale,
        Said { error: Some(_), .. } => Report::Error,
        Said { version: None, .. } => Report::None,
        Said { agrees: true, .. } => Report::Match,
        Said { .. } => Report::Other,
    }
}

fn proof_of(log: &LogFile, said: &Said, is_described: bool) -> LogProof {
    LogProof {
        path: log.path.clone(),
        written: log.written,
        is_described,
        version: said.version.clone(),
        line: said.line.clone(),
        error: said.error.clone(),
        unknown_game: said.unknown_game,
    }
}
