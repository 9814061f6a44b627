//! A change happens whole or not at all, and can be taken back byte for byte.

use std::fs;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use filetime::FileTime;
use tempfile::TempDir;
use upright_spanner_core::change::ChangeState;
use upright_spanner_core::progress::{Progress, Silent};
use upright_spanner_core::rack::Build;
use upright_spanner_core::survey::Standing;
use upright_spanner_core::{Added, Error, Workshop};
use upright_spanner_sample::Bits;
use upright_spanner_sample::world::{self, Corvid};

/// A game with the upscaler in two places, a newer build in a file, and a home.
struct Bench {
    folder: TempDir,
    workshop: Workshop,
}

const FIRST: &str = "bin/cvo_upscale.dll";
const SECOND: &str = "plugins/cvo_upscale.dll";

impl Bench {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let date = (2025, 5, 5);
        let write = |path: &str, pe: &upright_spanner_sample::Pe| {
            world::write(&folder.path().join(path), &pe.to_bytes(), date).unwrap();
        };
        let exe = world::game_exe(Bits::Bits64, "Tin Lighthouse", "Harbourless", [1, 0, 0, 0]);
        write("Tin Lighthouse/bin/TinLighthouse.exe", &exe.padding(0));
        let old = world::corvid(Corvid::Upscaler, [2, 7, 4, 0], Bits::Bits64);
        write(&format!("Tin Lighthouse/{FIRST}"), &old);
        write(&format!("Tin Lighthouse/{SECOND}"), &old);
        let new = world::corvid(Corvid::Upscaler, [120, 3, 0, 0], Bits::Bits64);
        write("new/cvo_upscale.dll", &new);
        let workshop = Workshop::open(&folder.path().join("home")).unwrap();
        Self { folder, workshop }
    }

    fn game(&self) -> PathBuf {
        self.folder.path().join("Tin Lighthouse")
    }

    fn new_file(&self) -> PathBuf {
        self.folder.path().join("new/cvo_upscale.dll")
    }

    fn plan(&self) -> upright_spanner_core::FitPlan {
        let view = self.workshop.game(self.game().to_str().unwrap(), &Silent).unwrap();
        self.workshop.plan_fit(&view, self.new_file().to_str().unwrap(), &Silent).unwrap()
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
    let mut bench = Bench::new();
    let read_only = bench.game().join(SECOND);
    let mut permissions = fs::metadata(&read_only).unwrap().permissions();
    permissions.set_readonly(true);
    fs::set_permissions(&read_only, permissions).unwrap();
    let before = bench.picture();

    let change = bench.workshop.fit(bench.plan(), &Silent).unwrap();
    assert_eq!((change.steps.len(), change.state), (2, ChangeState::Done));
    for path in [FIRST, SECOND] {
        assert_eq!(fs::read(bench.game().join(path)).unwrap(), fs::read(bench.new_file()).unwrap());
    }
    assert!(fs::metadata(&read_only).unwrap().permissions().readonly());

    let view = bench.workshop.game("tin-lighthouse", &Silent).unwrap();
    assert!(view.components().iter().all(|library| library.state == Standing::Fitted));
    let plan = bench.workshop.plan_rollback(&view, None).unwrap();
    bench.workshop.rollback(plan, &Silent).unwrap();
    assert!(bench.picture() == before, "the rollback left something else");
    let view = bench.workshop.game("tin-lighthouse", &Silent).unwrap();
    assert!(view.components().iter().all(|library| library.state == Standing::Shipped));
    assert!(bench.workshop.plan_rollback(&view, None).unwrap().steps.is_empty());
}

#[test]
fn a_fit_that_fails_half_way_leaves_the_game_as_it_was() {
    let mut bench = Bench::new();
    let second = bench.game().join(SECOND);
    let before = bench.picture();
    // After the first file is swapped, something else writes to the second.
    let meddler = Meddler::new(|done| {
        if done == 1 {
            fs::write(&second, "somebody else's").unwrap();
        }
    });
    let error = bench.workshop.fit(bench.plan(), &meddler).unwrap_err();
    assert!(
        matches!(&error, Error::PutBack { cause } if matches!(**cause, Error::NotAsExpected { .. }))
    );

    let after = bench.picture();
    assert_eq!(after.len(), before.len(), "nothing staged stays behind");
    for (was, is) in before.iter().zip(&after) {
        if was.0.ends_with(SECOND) {
            assert_eq!(is.1, b"somebody else's", "what somebody else wrote is theirs");
        } else {
            assert!(was == is, "{} was not put back", was.0.display());
        }
    }
    let history = bench.workshop.history(None).unwrap();
    assert_eq!(history.last().unwrap().state, ChangeState::PutBack);
}

#[test]
fn an_interrupted_fit_is_put_back_by_the_next_command_that_alters() {
    let mut bench = Bench::new();
    let before = bench.picture();
    let killer = Meddler::new(|_| panic!("killed here, on purpose"));
    let plan = bench.plan();
    let killed = catch_unwind(AssertUnwindSafe(|| bench.workshop.fit(plan, &killer)));
    assert!(killed.is_err());
    assert!(bench.picture() != before, "it was killed between two files");

    let home = bench.folder.path().join("home");
    let mut next = Workshop::open(&home).unwrap();
    assert!(next.interrupted().unwrap().is_some());
    assert_eq!(next.recover().unwrap().unwrap().summary, "fit cvo-upscale@120.3.0");
    assert!(bench.picture() == before, "the game is not as before");
    assert_eq!(next.interrupted().unwrap(), None);
    assert!(next.recover().unwrap().is_none());
}

#[test]
fn a_file_altered_after_the_plan_was_made_is_not_overwritten() {
    let mut bench = Bench::new();
    let plan = bench.plan();
    fs::write(bench.game().join(FIRST), "an update came").unwrap();
    let before = bench.picture();
    let error = bench.workshop.fit(plan, &Silent).unwrap_err();
    assert!(matches!(error, Error::NotAsExpected { .. }), "{error}");
    assert!(bench.picture() == before);
}

#[test]
fn a_rollback_leaves_alone_what_an_update_brought_since() {
    let mut bench = Bench::new();
    bench.workshop.fit(bench.plan(), &Silent).unwrap();
    let update = world::corvid(Corvid::Upscaler, [2, 8, 0, 0], Bits::Bits64).to_bytes();
    fs::write(bench.game().join(FIRST), &update).unwrap();
    fs::remove_file(bench.game().join(SECOND)).unwrap();

    let view = bench.workshop.game("tin-lighthouse", &Silent).unwrap();
    let states: Vec<Standing> = view.components().iter().map(|library| library.state).collect();
    assert_eq!(states, [Standing::Overwritten]);
    let plan = bench.workshop.plan_rollback(&view, None).unwrap();
    assert_eq!(plan.findings[0].code, "altered-since");
    bench.workshop.rollback(plan, &Silent).unwrap();
    assert_eq!(fs::read(bench.game().join(FIRST)).unwrap(), update);
    let old = world::corvid(Corvid::Upscaler, [2, 7, 4, 0], Bits::Bits64).to_bytes();
    assert_eq!(fs::read(bench.game().join(SECOND)).unwrap(), old, "what was gone is back");
}

#[test]
fn adding_a_build_twice_changes_nothing() {
    let mut bench = Bench::new();
    let (first, added) = add(&mut bench).unwrap();
    assert_eq!((first.id.to_string().as_str(), added), ("cvo-upscale@120.3.0", Added::New));
    let (again, added) = add(&mut bench).unwrap();
    assert_eq!((again, added), (first, Added::Known));
    assert_eq!(bench.workshop.builds().unwrap().len(), 1);
}

#[test]
fn a_damaged_stored_copy_is_never_put_into_a_game() {
    let mut bench = Bench::new();
    add(&mut bench).unwrap();
    let before = bench.picture();
    for blob in files(&bench.folder.path().join("home/blobs")) {
        let mut bytes = fs::read(&blob).unwrap();
        bytes[5000] ^= 1;
        fs::write(&blob, bytes).unwrap();
    }
    let view = bench.workshop.game(bench.game().to_str().unwrap(), &Silent).unwrap();
    let plan = bench.workshop.plan_fit(&view, "cvo-upscale", &Silent).unwrap();
    let error = bench.workshop.fit(plan, &Silent).unwrap_err();
    assert!(error.to_string().contains("damaged"), "{error}");
    assert!(bench.picture() == before);

    add(&mut bench).unwrap();
    let plan = bench.workshop.plan_fit(&view, "cvo-upscale", &Silent).unwrap();
    bench.workshop.fit(plan, &Silent).expect("adding the build again mends the stored copy");
}

#[cfg(unix)]
#[test]
fn a_folder_that_links_out_of_the_game_is_not_written_through() {
    let mut bench = Bench::new();
    let outside = bench.folder.path().join("outside");
    fs::rename(bench.game().join("plugins"), &outside).unwrap();
    let plan = {
        fs::create_dir(bench.game().join("plugins")).unwrap();
        fs::copy(outside.join("cvo_upscale.dll"), bench.game().join(SECOND)).unwrap();
        let plan = bench.plan();
        fs::remove_dir_all(bench.game().join("plugins")).unwrap();
        std::os::unix::fs::symlink(&outside, bench.game().join("plugins")).unwrap();
        plan
    };
    let error = bench.workshop.fit(plan, &Silent).unwrap_err();
    assert!(matches!(error, Error::OutsideGame { .. }), "{error}");
    let old = world::corvid(Corvid::Upscaler, [2, 7, 4, 0], Bits::Bits64).to_bytes();
    assert_eq!(fs::read(outside.join("cvo_upscale.dll")).unwrap(), old);
}

/// Puts the new upscaler on the rack.
fn add(bench: &mut Bench) -> upright_spanner_core::Result<(Build, Added)> {
    let addition = bench.workshop.rack_add(&bench.new_file(), None, &Silent)?;
    Ok(addition.builds.into_iter().next().unwrap())
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let mut out = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() { out.extend(files(&path)) } else { out.push(path) }
    }
    out
}
