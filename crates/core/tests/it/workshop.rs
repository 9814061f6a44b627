//! A change happens whole or not at all, and can be taken back byte for byte.

use std::fs;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use filetime::FileTime;
use proptest::prelude::*;
use tempfile::TempDir;
use upright_spanner_core::change::{Change, RecordState};
use upright_spanner_core::content::content_of;
use upright_spanner_core::plan::Point;
use upright_spanner_core::plan::{Plan, Selection};
use upright_spanner_core::progress::{Progress, Silent};
use upright_spanner_core::rack::{Build, PackageOptions};
use upright_spanner_core::survey::Standing;
use upright_spanner_core::{Added, ChangeError, Error, FitOptions, FitPlan, Workshop};
use upright_spanner_sample::Bits;
use upright_spanner_sample::world::{self, Graphics};

/// A game with the upscaler in two places, a newer build in a file, and a home.
struct Bench {
    folder: TempDir,
    workshop: Workshop,
}

const FIRST: &str = "bin/sharpwater.dll";
const SECOND: &str = "plugins/sharpwater.dll";

impl Bench {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let date = (2025, 5, 5);
        let write = |path: &str, pe: &upright_spanner_sample::Pe| {
            world::write(&folder.path().join(path), &pe.to_bytes(), date).unwrap();
        };
        let exe = world::game_exe(Bits::Bits64, "Tin Lighthouse", "Harbourless", [1, 0, 0, 0]);
        write("Tin Lighthouse/bin/TinLighthouse.exe", &exe.padding(0));
        let old = world::graphics(Graphics::Upscaler, [2, 7, 4, 0], Bits::Bits64);
        write(&format!("Tin Lighthouse/{FIRST}"), &old);
        write(&format!("Tin Lighthouse/{SECOND}"), &old);
        let new = world::graphics(Graphics::Upscaler, [2026, 3, 0, 0], Bits::Bits64);
        write("new/sharpwater.dll", &new);
        let workshop = Workshop::open(&folder.path().join("home")).unwrap();
        Self { folder, workshop }
    }

    fn game(&self) -> PathBuf {
        self.folder.path().join("Tin Lighthouse")
    }

    fn new_file(&self) -> PathBuf {
        self.folder.path().join("new/sharpwater.dll")
    }

    fn fit(&self, fit: FitPlan, progress: &dyn Progress) -> Result<Change, Error> {
        let FitPlan { plan, parcels, .. } = fit;
        let cleared = self
            .workshop
            .clear(plan, &[])
            .map_err(|plan| Error::Refused(plan.stops().into_iter().cloned().collect()))?;
        self.workshop.alter()?.fit(cleared, &parcels, progress)
    }

    fn carry_out(&self, plan: Plan, progress: &dyn Progress) -> Result<Change, Error> {
        let cleared = self.workshop.clear(plan, &[]).unwrap();
        self.workshop.alter()?.apply(cleared, progress)
    }

    fn roll_back(&self) -> Plan {
        let view = self.workshop.game("tin-lighthouse", &Silent).unwrap();
        self.workshop.plan_rollback(&view, Selection::Everything, Point::Shipped, false).unwrap().0
    }

    fn plan(&self) -> FitPlan {
        let view = self.workshop.game(self.game().to_str().unwrap(), &Silent).unwrap();
        self.workshop
            .plan_fit(&view, self.new_file().to_str().unwrap(), &FitOptions::default(), &Silent)
            .unwrap()
    }

    /// Which of the two places hold the new build.
    fn holds_new(&self) -> [bool; 2] {
        let new = fs::read(self.new_file()).unwrap();
        [FIRST, SECOND].map(|path| fs::read(self.game().join(path)).unwrap() == new)
    }

    /// Every file of the game: path, content, date in nanoseconds, read-only.
    fn picture(&self) -> Vec<(PathBuf, Vec<u8>, i128, bool)> {
        let mut files = Vec::new();
        let mut folders = vec![self.game()];
        while let Some(folder) = folders.pop() {
            for entry in fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                if path.is_dir() {
                    folders.push(path);
                    continue;
                }
                let metadata = fs::metadata(&path).unwrap();
                let date = FileTime::from_last_modification_time(&metadata);
                let date = i128::from(date.unix_seconds()) * 1_000_000_000
                    + i128::from(date.nanoseconds());
                let content = fs::read(&path).unwrap();
                files.push((path, content, date, metadata.permissions().readonly()));
            }
        }
        files.sort();
        files
    }
}

fn is_not_as_expected(error: &Error) -> bool {
    matches!(
        error,
        Error::Change(ChangeError::PutBack {
            cause: upright_spanner_change::Error::NotAsExpected { .. }
        })
    )
}

/// Does something when the engine is about to swap a file.
struct Meddler<F: FnMut(u64) + Send> {
    swapping: Mutex<(bool, u64, F)>,
}

impl<F: FnMut(u64) + Send> Meddler<F> {
    fn new(act: F) -> Self {
        Self { swapping: Mutex::new((false, 0, act)) }
    }
}

impl<F: FnMut(u64) + Send> Progress for Meddler<F> {
    fn begin(&self, what: &str, _: Option<u64>) {
        self.swapping.lock().unwrap().0 = what == "swapping";
    }

    fn advance(&self, _: u64) {
        let mut state = self.swapping.lock().unwrap();
        let (swapping, done, act) = &mut *state;
        if *swapping {
            *done += 1;
            act(*done);
        }
    }

    fn end(&self) {}
}

#[test]
fn a_fit_and_its_rollback_leave_every_byte_and_date_as_it_was() {
    let bench = Bench::new();
    let read_only = bench.game().join(SECOND);
    let mut permissions = fs::metadata(&read_only).unwrap().permissions();
    permissions.set_readonly(true);
    fs::set_permissions(&read_only, permissions).unwrap();
    let before = bench.picture();

    let change = bench.fit(bench.plan(), &Silent).unwrap();
    assert_eq!((change.steps().len(), change.state()), (2, RecordState::Done));
    for path in [FIRST, SECOND] {
        assert_eq!(fs::read(bench.game().join(path)).unwrap(), fs::read(bench.new_file()).unwrap());
    }
    assert!(fs::metadata(&read_only).unwrap().permissions().readonly());

    let view = bench.workshop.game("tin-lighthouse", &Silent).unwrap();
    assert!(view.components().iter().all(|library| library.state == Standing::Fitted));
    let plan = bench.roll_back();
    bench.carry_out(plan, &Silent).unwrap();
    assert!(bench.picture() == before, "the rollback left something else");
    let view = bench.workshop.game("tin-lighthouse", &Silent).unwrap();
    assert!(view.components().iter().all(|library| library.state == Standing::Shipped));
    assert!(bench.roll_back().steps.is_empty());
}

#[test]
fn a_fit_that_fails_half_way_leaves_the_game_as_it_was() {
    let bench = Bench::new();
    let second = bench.game().join(SECOND);
    let before = bench.picture();
    // After the first file is swapped, something else writes to the second.
    let meddler = Meddler::new(|done| {
        if done == 1 {
            fs::write(&second, "someone else's").unwrap();
        }
    });
    let error = bench.fit(bench.plan(), &meddler).unwrap_err();
    assert!(is_not_as_expected(&error));

    let after = bench.picture();
    assert_eq!(after.len(), before.len(), "nothing staged stays behind");
    for (was, is) in before.iter().zip(&after) {
        if was.0.ends_with(SECOND) {
            assert_eq!(is.1, b"someone else's", "what someone else wrote is theirs");
        } else {
            assert!(was == is, "{} was not put back", was.0.display());
        }
    }
    let history = &bench.workshop.history().unwrap().changes;
    assert_eq!(history.last().unwrap().state(), RecordState::PutBack);
}

#[test]
fn an_interrupted_fit_is_put_back_by_the_next_command_that_alters() {
    let bench = Bench::new();
    let before = bench.picture();
    let killer = Meddler::new(|_| panic!("killed here, on purpose"));
    let plan = bench.plan();
    let killed = catch_unwind(AssertUnwindSafe(|| bench.fit(plan, &killer)));
    assert!(killed.is_err());
    assert!(bench.picture() != before, "it was killed between two files");

    let home = bench.folder.path().join("home");
    let next = Workshop::open(&home).unwrap();
    assert!(!next.interrupted().unwrap().is_empty());
    assert_eq!(
        next.alter().unwrap().recover(&Silent).unwrap()[0].change.summary(),
        "fit sharpwater@2026.3.0"
    );
    assert!(bench.picture() == before, "the game is not as before");
    assert!(next.interrupted().unwrap().is_empty());
    assert!(next.alter().unwrap().recover(&Silent).unwrap().is_empty());
}

#[test]
fn a_file_altered_after_the_plan_was_made_is_not_overwritten() {
    let bench = Bench::new();
    let plan = bench.plan();
    fs::write(bench.game().join(FIRST), "an update came").unwrap();
    let before = bench.picture();
    let error = bench.fit(plan, &Silent).unwrap_err();
    assert!(is_not_as_expected(&error), "{error}");
    assert!(bench.picture() == before);
}

/// Lets something happen when everything is staged and nothing is swapped.
struct BeforeSwapping<F: Fn() + Sync + Send>(F);

impl<F: Fn() + Sync + Send> Progress for BeforeSwapping<F> {
    fn begin(&self, what: &str, _: Option<u64>) {
        if what == "swapping" {
            (self.0)();
        }
    }

    fn advance(&self, _: u64) {}

    fn end(&self) {}
}

/// Large files are read ahead, while the new one is written.
#[test]
fn a_large_file_that_is_altered_while_the_new_one_is_staged_is_not_overwritten() {
    let bench = Bench::new();
    let large = world::graphics(Graphics::Upscaler, [2, 7, 4, 0], Bits::Bits64).padding(17 << 20);
    for path in [FIRST, SECOND] {
        fs::write(bench.game().join(path), large.to_bytes()).unwrap();
    }
    let plan = bench.plan();
    let target = bench.game().join(SECOND);
    let altered = Mutex::new(false);
    let alter = BeforeSwapping(|| {
        use std::io::{Seek, SeekFrom, Write};
        // Windows lets no one write at this moment.
        let Ok(mut file) = fs::File::options().write(true).open(&target) else { return };
        file.seek(SeekFrom::Start(16 << 20)).unwrap();
        file.write_all(b"altered").unwrap();
        *altered.lock().unwrap() = true;
    });
    let done = bench.fit(plan, &alter);
    if !*altered.lock().unwrap() {
        assert!(cfg!(windows) && done.is_ok());
        return;
    }
    let error = done.unwrap_err();
    assert!(is_not_as_expected(&error), "{error}");
    assert!(fs::read(bench.game().join(FIRST)).unwrap() == large.to_bytes());
    assert!(fs::read(&target).unwrap()[16 << 20..].starts_with(b"altered"));
    // The store does not have the altered content under any name.
    let diagnosis = bench.workshop.examine(true, &Silent).unwrap();
    assert!(!diagnosis.is_ill());
    for blob in files(&bench.folder.path().join("home/blobs")) {
        let name = blob.file_name().unwrap().to_string_lossy().into_owned();
        assert_eq!(content_of(&blob).unwrap().blake3.to_string(), name);
    }
}

#[test]
fn a_rollback_leaves_alone_what_an_update_brought_since() {
    let bench = Bench::new();
    bench.fit(bench.plan(), &Silent).unwrap();
    let update = world::graphics(Graphics::Upscaler, [2, 8, 0, 0], Bits::Bits64).to_bytes();
    fs::write(bench.game().join(FIRST), &update).unwrap();
    fs::remove_file(bench.game().join(SECOND)).unwrap();

    let view = bench.workshop.game("tin-lighthouse", &Silent).unwrap();
    let states: Vec<Standing> = view.components().iter().map(|library| library.state).collect();
    assert_eq!(states, [Standing::Overwritten]);
    let plan = bench.roll_back();
    assert_eq!(plan.findings[0].code, "altered-since");
    bench.carry_out(plan, &Silent).unwrap();
    assert_eq!(fs::read(bench.game().join(FIRST)).unwrap(), update);
    let old = world::graphics(Graphics::Upscaler, [2, 7, 4, 0], Bits::Bits64).to_bytes();
    assert_eq!(fs::read(bench.game().join(SECOND)).unwrap(), old, "what was gone is back");
}

#[test]
fn adding_a_build_twice_changes_nothing() {
    let bench = Bench::new();
    let (first, added) = add(&bench).unwrap();
    assert_eq!((first.id.to_string().as_str(), added), ("sharpwater@2026.3.0", Added::New));
    let (again, added) = add(&bench).unwrap();
    assert_eq!((again, added), (first, Added::Known));
    assert_eq!(bench.workshop.builds().unwrap().len(), 1);
}

#[test]
fn a_damaged_stored_copy_is_never_put_into_a_game() {
    let bench = Bench::new();
    add(&bench).unwrap();
    let before = bench.picture();
    for blob in files(&bench.folder.path().join("home/blobs")) {
        let mut bytes = fs::read(&blob).unwrap();
        bytes[5000] ^= 1;
        fs::write(&blob, bytes).unwrap();
    }
    let view = bench.workshop.game(bench.game().to_str().unwrap(), &Silent).unwrap();
    let plan =
        bench.workshop.plan_fit(&view, "sharpwater", &FitOptions::default(), &Silent).unwrap();
    let error = bench.fit(plan, &Silent).unwrap_err();
    assert!(error.to_string().contains("damaged"), "{error}");
    assert!(bench.picture() == before);

    add(&bench).unwrap();
    let plan =
        bench.workshop.plan_fit(&view, "sharpwater", &FitOptions::default(), &Silent).unwrap();
    bench.fit(plan, &Silent).expect("adding the build again mends the stored copy");
}

#[cfg(unix)]
#[test]
fn a_folder_that_links_out_of_the_game_is_not_written_through() {
    let bench = Bench::new();
    let outside = bench.folder.path().join("outside");
    fs::rename(bench.game().join("plugins"), &outside).unwrap();
    let plan = {
        fs::create_dir(bench.game().join("plugins")).unwrap();
        fs::copy(outside.join("sharpwater.dll"), bench.game().join(SECOND)).unwrap();
        let plan = bench.plan();
        fs::remove_dir_all(bench.game().join("plugins")).unwrap();
        std::os::unix::fs::symlink(&outside, bench.game().join("plugins")).unwrap();
        plan
    };
    let error = bench.fit(plan, &Silent).unwrap_err();
    assert!(error.to_string().contains("is a link, which is never followed"), "{error}");
    let old = world::graphics(Graphics::Upscaler, [2, 7, 4, 0], Bits::Bits64).to_bytes();
    assert_eq!(fs::read(outside.join("sharpwater.dll")).unwrap(), old);
}

/// Puts the new upscaler on the rack.
fn add(bench: &Bench) -> upright_spanner_core::Result<(Build, Added)> {
    let addition = bench.workshop.alter()?.add_to_rack(
        &bench.new_file(),
        &PackageOptions::default(),
        &Silent,
    )?;
    Ok(addition.builds.into_iter().next().unwrap())
}

/// Dies at the n-th report of progress, whatever is being done.
struct Dying {
    left: Mutex<u32>,
}

impl Progress for Dying {
    fn begin(&self, _: &str, _: Option<u64>) {
        self.advance(0);
    }

    fn advance(&self, _: u64) {
        let mut left = self.left.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        assert!(*left > 0, "killed here, on purpose");
        *left -= 1;
    }

    fn end(&self) {}
}

#[test]
fn wherever_a_change_is_interrupted_the_game_is_as_before_or_as_after() {
    let mut interrupted = 0;
    for point in 0.. {
        let bench = Bench::new();
        let before = bench.picture();
        let plan = bench.plan();
        let dying = Dying { left: Mutex::new(point) };
        let outcome = catch_unwind(AssertUnwindSafe(|| bench.fit(plan, &dying)));
        let home = bench.folder.path().join("home");
        let next = Workshop::open(&home).unwrap();
        let said = next.alter().unwrap().recover(&Silent).unwrap();
        if let Ok(done) = outcome {
            assert!(done.is_ok() && said.is_empty());
            break;
        }
        interrupted += 1;
        let changes = &next.history().unwrap().changes;
        let done = changes.iter().any(|c| c.state() == RecordState::Done);
        let fitted = bench.holds_new();
        assert!(fitted == [done; 2], "point {point}: {fitted:?}, and the journal says {done}");
        assert!(done || bench.picture() == before, "point {point}: not as before");
        let open = changes.iter().any(|c| c.state() == RecordState::Open);
        assert!(!open, "point {point}: the journal says that a change waits");
        assert!(next.alter().unwrap().recover(&Silent).unwrap().is_empty());
    }
    assert!(interrupted >= 8, "only {interrupted} points were tried");
}

#[test]
fn a_rollback_that_is_interrupted_leaves_the_fitted_files() {
    for point in 0..9 {
        let bench = Bench::new();
        bench.fit(bench.plan(), &Silent).unwrap();
        let fitted = bench.picture();
        let plan = bench.roll_back();
        let dying = Dying { left: Mutex::new(point) };
        let outcome = catch_unwind(AssertUnwindSafe(|| bench.carry_out(plan, &dying)));
        let next = Workshop::open(&bench.folder.path().join("home")).unwrap();
        let recovered = next.alter().unwrap().recover(&Silent).unwrap();
        let done = outcome.is_ok() || recovered[0].state == RecordState::Done;
        if done {
            assert!(bench.holds_new() == [false; 2] && point > 3, "point {point}");
        } else {
            assert!(bench.picture() == fitted, "point {point}: not as before the rollback");
        }
    }
}

/// Events of a game between two looks: our commands, and outside changes.
#[derive(Debug, Clone, Copy)]
enum Event {
    Fit(u16),
    /// A fit that is killed after some steps; the next command follows.
    Killed(u16, u32),
    Rollback,
    RollbackTo(i64),
    Undo,
    Refit,
    Park,
    Unpark,
    Update(u16),
    Repair,
    Delete(usize),
}

/// A simple model of the two places: their present states, our last states, and the shipped ones. It knows nothing of
/// changes.
#[derive(Debug, Clone)]
struct Place {
    touched: bool,
    last: Option<Vec<u8>>,
    shipped: Option<Vec<u8>>,
}

impl Place {
    /// Records a command that found `before` and left `after`. If someone deleted our file, the shipped state stays.
    fn note(&mut self, before: Option<Vec<u8>>, after: Option<Vec<u8>>) {
        if before == after {
            return;
        }
        if !self.touched || (self.last != before && before.is_some()) {
            self.shipped = before;
        }
        (self.touched, self.last) = (true, after);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(windows) { 8 } else { 48 }))]

    /// Whatever the order of events, no command loses a content that was in the game: it is still there, or in the
    /// store. A rollback restores the game's own last state, and never replaces a file that someone else has put
    /// there since.
    #[test]
    fn no_content_that_was_in_the_game_is_ever_lost(events in proptest::collection::vec(event(), 1..9)) {
        let mut bench = Bench::new();
        let build = |n: u16| {
            world::graphics(Graphics::Upscaler, [3, n, 0, 0], Bits::Bits64).padding(0).to_bytes()
        };
        let read = |bench: &Bench| {
            [FIRST, SECOND].map(|path| fs::read(bench.game().join(path)).ok())
        };
        let first = read(&bench)[0].clone().unwrap();
        let mut model =
            read(&bench).map(|content| Place { touched: false, last: None, shipped: content });
        for event in events {
            let before = read(&bench);
            let acted = match event {
                Event::Update(n) => {
                    put(&bench, &build(100 + n));
                    false
                }
                Event::Repair => {
                    put(&bench, &first);
                    false
                }
                Event::Delete(which) => {
                    let _ = fs::remove_file(bench.game().join([FIRST, SECOND][which]));
                    false
                }
                ours => bench.act(ours, &build),
            };
            let after = read(&bench);
            if !acted {
                continue;
            }
            for (n, place) in model.iter_mut().enumerate() {
                let altered = place.touched && place.last != before[n];
                match event {
                    Event::Fit(version) if before[n].is_some() => {
                        prop_assert!(after[n].as_ref() == Some(&build(version)));
                    }
                    Event::Killed(version, _) => {
                        let fitted = before[n].is_some() && after[n].as_ref() == Some(&build(version));
                        prop_assert!(after[n] == before[n] || fitted, "neither before nor after");
                    }
                    Event::Rollback if !place.touched => {
                        prop_assert!(after[n] == before[n]);
                    }
                    Event::Rollback if altered && before[n].is_some() => {
                        prop_assert!(after[n] == before[n], "someone else's file was replaced");
                    }
                    Event::Rollback => {
                        prop_assert!(after[n] == place.shipped, "not what the game brought");
                    }
                    _ => {}
                }
                place.note(before[n].clone(), after[n].clone());
            }
            if let Event::Killed(..) = event {
                // If one place was fitted, the other one has the same, if it had anything.
                for (n, other) in [(0, 1), (1, 0)] {
                    let half = before[n].is_some() && after[other] != before[other];
                    prop_assert!(!half || after[n] == after[other], "half of it was done");
                }
            }
            let stored: Vec<Vec<u8>> = files(&bench.folder.path().join("home/blobs"))
                .into_iter()
                .map(|blob| fs::read(blob).unwrap())
                .collect();
            for content in before.into_iter().flatten() {
                let kept = after.iter().flatten().any(|now| *now == content)
                    || stored.contains(&content);
                prop_assert!(kept, "{event:?} lost a content");
            }
        }
    }
}

fn put(bench: &Bench, content: &[u8]) {
    for path in [FIRST, SECOND] {
        fs::write(bench.game().join(path), content).unwrap();
    }
}

impl Bench {
    /// Does one of our commands; says whether anything was done.
    fn act(&mut self, event: Event, build: &dyn Fn(u16) -> Vec<u8>) -> bool {
        let game = self.game();
        let view = self.workshop.game(game.to_str().unwrap(), &Silent).unwrap();
        let plan = match event {
            Event::Fit(n) => {
                fs::write(self.new_file(), build(n)).unwrap();
                let plan = self.plan();
                return plan.plan.stops().is_empty()
                    && !plan.plan.steps.is_empty()
                    && self.fit(plan, &Silent).is_ok();
            }
            Event::Killed(n, point) => {
                fs::write(self.new_file(), build(n)).unwrap();
                let plan = self.plan();
                let dying = Dying { left: Mutex::new(point) };
                let ends = || self.fit(plan, &dying);
                let _ = catch_unwind(AssertUnwindSafe(ends));
                self.workshop = Workshop::open(&self.folder.path().join("home")).unwrap();
                let recovered = self.workshop.alter().unwrap().recover(&Silent).unwrap();
                assert!(recovered.iter().all(|r| r.state != RecordState::Open));
                return true;
            }
            Event::Rollback => self
                .workshop
                .plan_rollback(&view, Selection::Everything, Point::Shipped, false)
                .map(|p| p.0),
            Event::RollbackTo(n) => {
                let to = Point::After(n);
                self.workshop
                    .plan_rollback(&view, Selection::Everything, to, false)
                    .map(|plan| plan.0)
            }
            Event::Undo => match self.workshop.change_to_undo(None).unwrap() {
                Some(change) => self.workshop.plan_undo(&view, &change),
                None => return false,
            },
            Event::Refit => self.workshop.plan_refit(&view, None, &[]).map(|refit| refit.plan),
            // There may be nothing to take out, or nothing that was.
            Event::Park | Event::Unpark => {
                let plan = match event {
                    Event::Park => self.workshop.plan_park(&view, "sharpwater"),
                    _ => self.workshop.plan_unpark(&view, "sharpwater", &[]),
                };
                match plan {
                    Ok(plan) if plan.stops().is_empty() => Ok(plan),
                    _ => return false,
                }
            }
            Event::Update(_) | Event::Repair | Event::Delete(_) => return false,
        };
        let plan = plan.unwrap();
        if plan.steps.is_empty() {
            return matches!(event, Event::Rollback);
        }
        self.carry_out(plan, &Silent).unwrap();
        true
    }
}

fn event() -> impl Strategy<Value = Event> {
    prop_oneof![
        3 => (0u16..3).prop_map(Event::Fit),
        2 => Just(Event::Rollback),
        1 => (0i64..4).prop_map(Event::RollbackTo),
        2 => Just(Event::Undo),
        2 => Just(Event::Refit),
        1 => (0u16..3, 0u32..9).prop_map(|(build, point)| Event::Killed(build, point)),
        1 => Just(Event::Park),
        1 => Just(Event::Unpark),
        2 => (0u16..3).prop_map(Event::Update),
        1 => Just(Event::Repair),
        1 => (0usize..2).prop_map(Event::Delete),
    ]
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let mut out = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() { out.extend(files(&path)) } else { out.push(path) }
    }
    out
}
