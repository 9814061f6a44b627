//! Looks at a game: into its processes, and into the logs of its components.

use jiff::{SignedDuration, Timestamp};

use super::log::{self, LogFile, named};
use super::process::{self, Running, Watch};
use super::proof::{ComponentProof, FileProof, LogProof, Proof, ProofRequest};
use super::remedy;
use super::report::{Said, by_patterns};
use super::subject::{Subject, subjects};
use super::verdict::{Loaded, Outcome, Report};
use crate::check;
use crate::path::TreePath;
use crate::situation::Situation;

/// Dates of files are as coarse as two seconds on some volumes.
const COARSE: SignedDuration = SignedDuration::from_secs(2);

/// The components of a game to prove, prepared for repeated looks.
pub(crate) struct Prover<'a> {
    situation: &'a Situation<'a>,
    subjects: Vec<Subject<'a>>,
    /// Why the game's processes are not looked into, if they are not.
    not_looked_into: Option<String>,
    /// When it was last started from here.
    last_start: Option<Timestamp>,
    watch: Watch,
}

impl<'a> Prover<'a> {
    /// Prepares a request for a game; `last_start` is the time of the last start from here.
    pub fn new(
        situation: &'a Situation<'a>,
        wish: &ProofRequest,
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

    /// The processes of the game that run now, if they may be looked into.
    pub fn running(&mut self) -> Vec<u32> {
        self.look_at_processes();
        let running = self.watch.found().filter(|running| !running.has_ended);
        running.map(|running| running.pid).collect()
    }

    fn look_at_processes(&mut self) {
        let executable = self.situation.view.executable();
        if let Some(executable) = executable.filter(|_| self.not_looked_into.is_none()) {
            self.watch.look(&executable.path.on(&self.situation.game().root));
        }
    }

    /// Looks once more, into the game's processes, if they may be looked into, and into the logs of its components.
    pub fn look(&mut self) -> Proof {
        self.look_at_processes();
        let running: Vec<Running> = self.watch.found().cloned().collect();
        let since = running.iter().filter_map(|running| running.since).max();
        let last_start = self.last_start;
        let (situation, subjects) = (self.situation, &self.subjects[..]);
        let sight = GameEvidence { situation, subjects, running: &running, since, last_start };
        let components = subjects.iter().map(|subject| sight.prove(subject)).collect();
        Proof {
            game: self.situation.game().id.clone(),
            not_looked_into: self.not_looked_into.clone(),
            started: since.or(last_start),
            components,
            running,
        }
    }

    /// Adds the advice to the last result, which takes longer than looking; components with problems come first.
    pub fn conclude(&self, mut proof: Proof) -> Proof {
        let is_guarded = self.not_looked_into.is_some();
        for (subject, component) in self.subjects.iter().zip(&mut proof.components) {
            component.remedy = remedy::of(self.situation, subject, component, is_guarded);
        }
        proof.components.sort_by_key(|component| component.outcome.is_good());
        proof
    }
}

/// The observable state of one game.
struct GameEvidence<'a> {
    situation: &'a Situation<'a>,
    subjects: &'a [Subject<'a>],
    running: &'a [Running],
    /// When the process that was found was started.
    since: Option<Timestamp>,
    last_start: Option<Timestamp>,
}

impl GameEvidence<'_> {
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

        // A component that was fitted after the last start was not part of it.
        let start = self.since.or(self.last_start.max(subject.fitted));
        let log = self.log(subject, start);
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

    /// Whether a library was loaded, and the file in its place that does not belong to the component.
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

    /// The log of a component, its statements, and whether it is older than the start.
    fn log(
        &self,
        subject: &Subject<'_>,
        start: Option<Timestamp>,
    ) -> Option<(LogProof, Said, bool)> {
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
            // A log with the name of another component belongs to that one.
            if !is_own && self.subjects.iter().any(|other| other.names.are_in(&name)) {
                return None;
            }
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
