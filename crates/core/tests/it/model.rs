//! Random sequences of all commands that alter, with what comes from outside in between: updates,
//! deletions, edits of settings, files that differ only in case, a game that is moved. While a command is
//! at work it may be killed, a program may write into a file that it has open, and a folder may become a
//! link. The model knows nothing of changes: it compares the game's folder before and after each command.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
use std::io::Write;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};

use proptest::prelude::*;
use tempfile::TempDir;
use upright_spanner_core::change::RecordState;
use upright_spanner_core::game::GameEdit;
use upright_spanner_core::plan::{Plan, Point, Selection};
use upright_spanner_core::progress::{Progress, Silent};
use upright_spanner_core::rack::PackageOptions;
use upright_spanner_core::{FitOptions, FitPlan, WindOptions, Workshop};
use upright_spanner_sample::world::{self, Graphics};
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive};

/// A file: content, date in nanoseconds, permission bits or the read-only mark.
type Seen = (Vec<u8>, i128, u32);

/// Every file of a folder, by path.
type Picture = BTreeMap<String, Seen>;

#[derive(Debug, Clone, Copy)]
enum Event {
    FitUpscaler(u16),
    FitLoader(u16),
    Wind(u8, bool, bool),
    Rollback(bool),
    RollbackTo(i64),
    Undo,
    Refit,
    Park,
    Unpark,
    Update(u16, usize),
    Delete(usize),
    EditSettings(u8),
    Twin(u8),
    OwnFile(u8),
    Touch(usize),
    Move,
}

/// Outside events while a command is at work.
#[derive(Debug, Clone, Copy)]
enum Meanwhile {
    /// The program is killed.
    Killed,
    /// Something that has this file open writes into it.
    Written(usize),
    /// This folder becomes a link to one outside of the game, and is itself again afterwards.
    Linked(&'static str),
}

const FILES: [&str; 6] = [
    "bin/sharpwater.dll",
    "plugins/sharpwater.dll",
    "bin/winmm.dll",
    "bin/glim.ini",
    "bin/parts/one.bin",
    "Maps/a.map",
];

struct Bench {
    folder: TempDir,
    workshop: Workshop,
    /// How often the game was moved.
    moves: usize,
    /// The outside event during the next command, and after how many reports of progress.
    meanwhile: Option<(u32, Meanwhile)>,
    /// The outside write during the last command: the path, and the content.
    written: Mutex<Option<(&'static str, Vec<u8>)>>,
}

/// Carries out the outside event at the n-th report of progress.
struct Meddler<'a> {
    folder: &'a Path,
    game: PathBuf,
    meanwhile: Option<(u32, Meanwhile)>,
    written: &'a Mutex<Option<(&'static str, Vec<u8>)>>,
    left: AtomicU32,
    open: Option<File>,
    is_linked: AtomicBool,
    is_late: AtomicBool,
}

impl<'a> Meddler<'a> {
    fn new(bench: &'a Bench) -> Self {
        let open = match bench.meanwhile {
            Some((_, Meanwhile::Written(n))) => {
                File::options().write(true).open(bench.game().join(FILES[n])).ok()
            }
            _ => None,
        };
        Self {
            folder: bench.folder.path(),
            game: bench.game(),
            meanwhile: bench.meanwhile,
            written: &bench.written,
            left: AtomicU32::new(bench.meanwhile.map_or(u32::MAX, |(reports, _)| reports)),
            open,
            is_linked: AtomicBool::new(false),
            is_late: AtomicBool::new(false),
        }
    }

    fn meddle(&self, what: Meanwhile) {
        match what {
            Meanwhile::Killed => panic!("killed here, on purpose"),
            // A write after the last reading of the old file goes into a removed file.
            Meanwhile::Written(_) if self.is_late.load(Ordering::SeqCst) => {}
            Meanwhile::Written(n) => {
                let Some(mut open) = self.open.as_ref() else { return };
                open.write_all(b"from outside").unwrap();
                open.set_len(12).unwrap();
                let written = (FILES[n], b"from outside".to_vec());
                *self.written.lock().unwrap() = Some(written);
            }
            Meanwhile::Linked(name) => {
                let folder = self.game.join(name);
                if !folder.is_dir() {
                    return;
                }
                fs::rename(&folder, self.folder.join("away")).unwrap();
                link(&self.folder.join("outside"), &folder);
                self.is_linked.store(true, Ordering::SeqCst);
            }
        }
    }

    /// Makes the folder that became a link itself again.
    fn unlink(&self) {
        if let (true, Some((_, Meanwhile::Linked(name)))) =
            (self.is_linked.load(Ordering::SeqCst), self.meanwhile)
        {
            let folder = self.game.join(name);
            fs::remove_file(&folder).unwrap();
            fs::rename(self.folder.join("away"), folder).unwrap();
        }
    }
}

impl Progress for Meddler<'_> {
    fn begin(&self, what: &str, _: Option<u64>) {
        self.is_late.store(what == "reading back", Ordering::SeqCst);
        self.advance(0);
    }

    fn advance(&self, _: u64) {
        if let (1, Some((_, what))) = (self.left.fetch_sub(1, Ordering::SeqCst), self.meanwhile) {
            self.meddle(what);
        }
    }

    fn end(&self) {}
}

#[cfg(unix)]
fn link(to: &Path, at: &Path) {
    std::os::unix::fs::symlink(to, at).unwrap();
}

/// Links to folders want an administrator.
#[cfg(not(unix))]
fn link(_: &Path, _: &Path) {
    unreachable!("no case has links here")
}

impl Bench {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let date = (2025, 5, 5);
        let write = |path: &str, bytes: &[u8]| {
            world::write(&folder.path().join(path), bytes, date).unwrap();
        };
        let exe = world::game_exe(Bits::Bits64, "Tin Lighthouse", "Harbourless", [1, 0, 0, 0])
            .imports("winmm.dll", &["timeGetTime"])
            .padding(0);
        write("game-0/bin/TinLighthouse.exe", &exe.to_bytes());
        for path in [FILES[0], FILES[1]] {
            write(&format!("game-0/{path}"), &upscaler(0));
        }
        write("game-0/Maps/a.map", b"the game's own");
        write("outside/keep.txt", b"nothing may touch this");
        for n in 1..3u8 {
            write(&format!("older-{n}/Maps/a.map"), &[b'a', n]);
            write(&format!("older-{n}/Maps/deep-{n}/b.map"), &[b'b', n]);
        }
        let workshop = Workshop::open(&folder.path().join("home")).unwrap();
        for n in 1..3u16 {
            let info = VersionInfo::new([n, 0, 0, 0])
                .with("CompanyName", "Glim")
                .with("FileDescription", "Glim plugin loader");
            let loader = Pe::dll(Bits::Bits64, "glim.dll").version(&info).export("timeGetTime", 1);
            let data = format!("parts/{}.bin", if n == 1 { "one" } else { "two" });
            let settings = format!("[A]\nb=1\nc{n}=2\n");
            let entries: [(&str, &[u8]); 3] = [
                ("glim.dll", &loader.padding(0).to_bytes()),
                ("glim.ini", settings.as_bytes()),
                (&data, b"data"),
            ];
            write(&format!("glim-{n}.zip"), &archive::zip(&entries, date));
            let zip = folder.path().join(format!("glim-{n}.zip"));
            workshop
                .alter()
                .unwrap()
                .add_to_rack(&zip, &PackageOptions::default(), &Silent)
                .unwrap();
        }
        Self { folder, workshop, moves: 0, meanwhile: None, written: Mutex::new(None) }
    }

    fn game(&self) -> PathBuf {
        self.folder.path().join(format!("game-{}", self.moves))
    }

    /// The files moved out of the game, wherever it was then.
    fn aside(&self) -> Picture {
        let folder = |n: usize| self.folder.path().join(format!("game-{n}.set-aside"));
        let folders = (0..=self.moves).map(folder).filter(|folder| folder.exists());
        folders.flat_map(|folder: PathBuf| picture(&folder)).collect()
    }

    /// Folders that hold nothing.
    fn empty_folders(&self) -> BTreeSet<PathBuf> {
        let mut empty = BTreeSet::new();
        let mut folders = vec![self.game()];
        while let Some(folder) = folders.pop() {
            let entries: Vec<PathBuf> =
                fs::read_dir(&folder).unwrap().map(|entry| entry.unwrap().path()).collect();
            if entries.is_empty() {
                empty.insert(folder.strip_prefix(self.game()).unwrap().to_owned());
            }
            folders.extend(entries.into_iter().filter(|path| path.is_dir()));
        }
        empty
    }

    fn apply(&self, plan: Plan, parcels: &[upright_spanner_core::rack::Parcel]) -> bool {
        if plan.steps.is_empty() {
            return false;
        }
        let Ok(cleared) = self.workshop.clear(plan, &[]) else { return false };
        self.meanwhile(|progress| self.workshop.alter().unwrap().fit(cleared, parcels, progress))
    }

    /// Does something while something comes from outside. If nothing does, it has to succeed.
    fn meanwhile<T, E: std::fmt::Debug>(
        &self,
        act: impl FnOnce(&dyn Progress) -> Result<T, E>,
    ) -> bool {
        let meddler = Meddler::new(self);
        let done = catch_unwind(AssertUnwindSafe(|| act(&meddler)));
        meddler.unlink();
        if self.meanwhile.is_none() {
            done.unwrap().unwrap();
        }
        true
    }

    /// Restarts the program, which recovers interrupted changes.
    fn start_anew(&mut self) {
        self.meanwhile = None;
        self.workshop = Workshop::open(&self.folder.path().join("home")).unwrap();
        let recovered = self.workshop.alter().unwrap().recover(&Silent).unwrap();
        assert!(recovered.iter().all(|change| change.state != RecordState::Open), "{recovered:?}");
    }

    /// How many changes are noted as done.
    fn done(&self) -> usize {
        let changes = &self.workshop.history().unwrap().changes;
        changes.iter().filter(|change| change.state() == RecordState::Done).count()
    }

    /// Does one of our commands.
    fn act(&self, event: Event) {
        let view = self.workshop.game(self.game().to_str().unwrap(), &Silent).unwrap();
        let workshop = &self.workshop;
        let plan = match event {
            Event::FitUpscaler(n) => {
                let file = self.folder.path().join("new/sharpwater.dll");
                world::write(&file, &upscaler(n), (2026, 1, 1)).unwrap();
                let options = FitOptions::default();
                let fit =
                    workshop.plan_fit(&view, file.to_str().unwrap(), &options, &Silent).unwrap();
                let FitPlan { plan, parcels, .. } = fit;
                self.apply(plan, &parcels);
                return;
            }
            Event::FitLoader(n) => {
                let options =
                    FitOptions { as_name: Some("winmm.dll".to_owned()), ..FitOptions::default() };
                let build = format!("glim@{n}.0.0");
                workshop.plan_fit(&view, &build, &options, &Silent).unwrap().plan
            }
            Event::Wind(n, keep, with_parts) => {
                let folders = [self.folder.path().join(format!("older-{n}"))];
                let parts = (!with_parts).then(|| "bin/parts".to_owned());
                let options = WindOptions {
                    aside: parts.into_iter().collect(),
                    keep_fitted: Some(keep),
                    despite: vec!["another-game".to_owned()],
                    ..WindOptions::default()
                };
                // There may be nothing to move aside.
                let Ok(wind) = workshop.plan_wind(&view, &folders, &options, &Silent) else {
                    return;
                };
                if !wind.plan.steps.is_empty() {
                    let despite = options.despite;
                    self.meanwhile(|progress| {
                        workshop.alter().unwrap().wind(wind, &despite, progress)
                    });
                }
                return;
            }
            Event::Rollback(settings) => self.roll_back(Point::Shipped, settings),
            Event::RollbackTo(n) => self.roll_back(Point::After(n), false),
            Event::Undo => match workshop.change_to_undo(None).unwrap() {
                Some(change) => workshop.plan_undo(&view, &change).unwrap(),
                None => return,
            },
            Event::Refit => workshop.plan_refit(&view, None, &[]).unwrap().plan,
            // There may be nothing to take out, or nothing that was.
            Event::Park => match workshop.plan_park(&view, "glim") {
                Ok(plan) => plan,
                Err(_) => return,
            },
            Event::Unpark => match workshop.plan_unpark(&view, "glim", &[]) {
                Ok(plan) => plan,
                Err(_) => return,
            },
            _ => return,
        };
        self.apply(plan, &[]);
    }

    fn roll_back(&self, to: Point, settings: bool) -> Plan {
        let view = self.workshop.game(self.game().to_str().unwrap(), &Silent).unwrap();
        self.workshop.plan_rollback(&view, Selection::Everything, to, settings).unwrap().0
    }

    /// An outside event; returns whether it was one.
    fn meddle(&mut self, event: Event) -> bool {
        let path = |n: usize| self.game().join(FILES[n]);
        match event {
            Event::Update(n, which) if path(which).exists() => {
                put(&path(which), &upscaler(100 + n));
            }
            Event::Delete(which) => drop(fs::remove_file(path(which))),
            Event::EditSettings(n) if path(3).exists() => {
                put(&path(3), format!("[A]\nb={n}\n").as_bytes());
            }
            // On Windows this is the file itself.
            Event::Twin(n) => put(&self.game().join("bin/SHARPWATER.DLL"), &[b't', n]),
            Event::OwnFile(n) if self.game().join("bin/parts").is_dir() => {
                put(&self.game().join(format!("bin/parts/own-{n}.txt")), &[b'o', n]);
            }
            Event::Touch(which) if path(which).exists() => {
                let file = fs::File::options().append(true).open(path(which)).unwrap();
                file.set_modified(std::time::SystemTime::now()).unwrap();
            }
            Event::Move => {
                let from = self.game();
                self.moves += 1;
                fs::rename(from, self.game()).unwrap();
                let known = self.workshop.games().unwrap();
                if let Some(game) = known.first() {
                    let edit = GameEdit { root: Some(self.game()), ..GameEdit::default() };
                    self.workshop.alter().unwrap().set_game(&game.id, &edit).unwrap();
                }
            }
            Event::Update(..) | Event::EditSettings(_) | Event::OwnFile(_) | Event::Touch(_) => {}
            _ => return false,
        }
        true
    }
}

fn put(path: &Path, bytes: &[u8]) {
    fs::write(path, bytes).unwrap();
}

fn upscaler(n: u16) -> Vec<u8> {
    world::graphics(Graphics::Upscaler, [3, n, 0, 0], Bits::Bits64).padding(0).to_bytes()
}

fn picture(folder: &Path) -> Picture {
    let mut files = Picture::new();
    collect(folder, folder, &mut files);
    files
}

fn collect(root: &Path, folder: &Path, files: &mut Picture) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            collect(root, &path, files);
            continue;
        }
        let metadata = fs::metadata(&path).unwrap();
        let date = filetime::FileTime::from_last_modification_time(&metadata);
        let date = i128::from(date.unix_seconds()) * 1_000_000_000 + i128::from(date.nanoseconds());
        let name = path.strip_prefix(root).unwrap().to_str().unwrap().replace('\\', "/");
        files.insert(name, (fs::read(&path).unwrap(), date, mode(&metadata)));
    }
}

#[cfg(unix)]
fn mode(metadata: &fs::Metadata) -> u32 {
    std::os::unix::fs::PermissionsExt::mode(&metadata.permissions()) & 0o7777
}

#[cfg(not(unix))]
fn mode(metadata: &fs::Metadata) -> u32 {
    metadata.permissions().readonly().into()
}

fn event() -> impl Strategy<Value = Event> {
    prop_oneof![
        3 => (0u16..3).prop_map(Event::FitUpscaler),
        3 => (1u16..3).prop_map(Event::FitLoader),
        2 => (1u8..3, any::<bool>(), any::<bool>())
            .prop_map(|(n, keep, parts)| Event::Wind(n, keep, parts)),
        2 => any::<bool>().prop_map(Event::Rollback),
        1 => (0i64..4).prop_map(Event::RollbackTo),
        2 => Just(Event::Undo),
        1 => Just(Event::Refit),
        1 => Just(Event::Park),
        1 => Just(Event::Unpark),
        2 => (0u16..3, 0usize..6).prop_map(|(n, which)| Event::Update(n, which)),
        2 => (0usize..6).prop_map(Event::Delete),
        2 => (0u8..4).prop_map(Event::EditSettings),
        1 => (0u8..2).prop_map(Event::Twin),
        1 => (0u8..2).prop_map(Event::OwnFile),
        1 => (0usize..6).prop_map(Event::Touch),
        1 => Just(Event::Move),
    ]
}

fn meanwhile() -> impl Strategy<Value = (u32, Meanwhile)> {
    let folders = prop_oneof![Just("bin"), Just("plugins"), Just("bin/parts"), Just("Maps")];
    let what = if cfg!(unix) {
        prop_oneof![
            Just(Meanwhile::Killed),
            (0usize..6).prop_map(Meanwhile::Written),
            folders.prop_map(Meanwhile::Linked),
        ]
        .boxed()
    } else {
        Just(Meanwhile::Killed).boxed()
    };
    (1u32..16, what)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(windows) { 6 } else { 60 }))]

    /// No command loses a content that was in the game; a second rollback changes nothing; and `--to 0 --settings`
    /// leads back to the state before the first change, whatever happened in between.
    #[test]
    fn whatever_happens_nothing_is_lost_and_the_way_back_leads_back(
        events in proptest::collection::vec((event(), proptest::option::weighted(0.3, meanwhile())), 1..14),
    ) {
        let mut bench = Bench::new();
        let outside = picture(&bench.folder.path().join("outside"));
        let empty = bench.empty_folders();
        // The state of each path before a command first altered it.
        let mut first: BTreeMap<String, Option<Seen>> = BTreeMap::new();
        for (event, meanwhile) in events {
            if bench.meddle(event) {
                continue;
            }
            let mut before = picture(&bench.game());
            let done = bench.done();
            bench.meanwhile = meanwhile;
            bench.act(event);
            if meanwhile.is_some() {
                bench.start_anew();
            }
            let after = picture(&bench.game());
            if let Some((path, content)) = bench.written.lock().unwrap().take() {
                let is = after.get(path);
                prop_assert!(is.is_some_and(|is| is.0 == content), "{event:?} lost what was written to {path}");
                before.insert(path.to_owned(), is.unwrap().clone());
            }
            prop_assert!(bench.done() > done || after == before, "{event:?} was not done, and altered something");
            let store = picture(&bench.folder.path().join("home/blobs"));
            let aside = bench.aside();
            let all = after.values().chain(store.values()).chain(aside.values());
            let kept: BTreeSet<&Vec<u8>> = all.map(|(content, ..)| content).collect();
            for (path, (content, ..)) in &before {
                prop_assert!(kept.contains(content), "{event:?} lost what was in {path}");
            }
            for path in before.keys().chain(after.keys()) {
                prop_assert!(!path.contains(".spanner-"), "{event:?} left {path}");
                if before.get(path) != after.get(path) {
                    first.entry(path.clone()).or_insert_with(|| before.get(path).cloned());
                }
            }
            if let (Event::Rollback(settings), None) = (event, meanwhile) {
                let again = bench.roll_back(Point::Shipped, settings);
                prop_assert!(again.steps.is_empty(), "a second rollback would do {:?}", again.steps);
            }
            prop_assert_eq!(&picture(&bench.folder.path().join("outside")), &outside);
        }

        let plan = bench.roll_back(Point::After(0), true);
        bench.apply(plan, &[]);
        let now = picture(&bench.game());
        for (path, wanted) in &first {
            // A game takes a file of another case for the file, if there is none of that very name.
            let twin = || now.iter().find(|(other, _)| other.eq_ignore_ascii_case(path));
            let is = now.get(path).or_else(|| twin().filter(|_| wanted.is_some()).map(|(_, is)| is));
            let (is_there, wanted_there) = (is.is_some(), wanted.is_some());
            prop_assert_eq!(is_there, wanted_there, "{}", path);
            prop_assert!(is == wanted.as_ref(), "{path} is not what it was: {:?} {:?}",
                is.map(|(c, d, m)| (c.len(), *d, *m)), wanted.as_ref().map(|(c, d, m)| (c.len(), *d, *m)));
        }
        let left: Vec<_> = bench.empty_folders().difference(&empty).cloned().collect();
        let ours = |folder: &PathBuf| folder.ends_with("parts") || folder.to_string_lossy().contains("deep");
        prop_assert!(!left.iter().any(ours), "{left:?} came with a build");
        let history = bench.workshop.history().unwrap();
        prop_assert!(history.faults.is_empty());
        prop_assert!(history.changes.iter().all(|c| c.state() != RecordState::Open));
        prop_assert!(!bench.workshop.examine(true, &Silent).unwrap().is_ill());
    }
}
