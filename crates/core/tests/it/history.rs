//! What of each change holds today, and what an undoing brings back.

use std::fs;
use std::path::PathBuf;

use tempfile::TempDir;
use upright_spanner_core::plan::Plan;
use upright_spanner_core::progress::Silent;
use upright_spanner_core::survey::GameView;
use upright_spanner_core::{ChangeStatus, FitOptions, Workshop};
use upright_spanner_sample::Bits;
use upright_spanner_sample::world::{self, Graphics};

use ChangeStatus::{InForce, Nothing, Replaced, Undone};

struct Bench {
    folder: TempDir,
    workshop: Workshop,
}

impl Bench {
    /// A game with an upscaler of version 2.7.4, and a home.
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let game = folder.path().join("Pier");
        fs::create_dir_all(&game).unwrap();
        let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 0, 0, 0]);
        fs::write(game.join("Pier.exe"), exe.to_bytes()).unwrap();
        fs::write(game.join("sharpwater.dll"), upscaler([2, 7, 4, 0])).unwrap();
        let workshop = Workshop::open(&folder.path().join("home")).unwrap();
        Self { folder, workshop }
    }

    fn library(&self) -> PathBuf {
        self.folder.path().join("Pier/sharpwater.dll")
    }

    fn view(&self) -> GameView {
        let game = self.folder.path().join("Pier");
        self.workshop.game(&game.to_string_lossy(), &Silent).unwrap()
    }

    fn fit(&self, version: [u16; 4]) {
        let file = self.folder.path().join("sharpwater.dll");
        fs::write(&file, upscaler(version)).unwrap();
        let (view, options) = (self.view(), FitOptions::default());
        let fit =
            self.workshop.plan_fit(&view, &file.to_string_lossy(), &options, &Silent).unwrap();
        let cleared = self.workshop.clear(fit.plan, &["game-running".to_owned()]).unwrap();
        let lock = self.workshop.alter().unwrap();
        lock.fit(cleared, &fit.parcels, &Silent).unwrap();
    }

    fn undo(&self, number: i64) {
        let change = self.workshop.change_to_undo(Some(number)).unwrap().unwrap();
        let plan: Plan = self.workshop.plan_undo(&self.view(), &change).unwrap();
        let cleared = self.workshop.clear(plan, &["game-running".to_owned()]).unwrap();
        self.workshop.alter().unwrap().apply(cleared, &Silent).unwrap();
    }

    fn statuses(&self) -> Vec<ChangeStatus> {
        let history = self.workshop.history().unwrap();
        self.workshop.statuses(&history.changes).unwrap()
    }

    fn holds(&self, version: [u16; 4]) -> bool {
        fs::read(self.library()).unwrap() == upscaler(version)
    }
}

fn upscaler(version: [u16; 4]) -> Vec<u8> {
    world::graphics(Graphics::Upscaler, version, Bits::Bits64).to_bytes()
}

#[test]
fn of_changes_of_one_file_the_last_is_in_force() {
    let bench = Bench::new();
    assert_eq!(bench.statuses(), []);
    bench.fit([2, 8, 0, 0]);
    assert_eq!(bench.statuses(), [InForce]);
    bench.fit([2, 9, 0, 0]);
    bench.fit([3, 0, 0, 0]);
    assert_eq!(bench.statuses(), [Replaced, Replaced, InForce]);
}

#[test]
fn undoings_turn_a_change_off_and_on_again_however_many_there_are() {
    let bench = Bench::new();
    bench.fit([2, 8, 0, 0]);
    let mut wanted = vec![InForce];
    for number in 1..=6 {
        bench.undo(number);
        wanted.push(Nothing);
        let is_off = number % 2 == 1;
        wanted[0] = if is_off { Undone } else { InForce };
        assert_eq!(bench.statuses(), wanted, "after the undoing of change {number}");
        assert!(bench.holds(if is_off { [2, 7, 4, 0] } else { [2, 8, 0, 0] }));
    }
}

#[test]
fn what_is_undone_gives_way_to_what_was_before_it() {
    let bench = Bench::new();
    bench.fit([2, 8, 0, 0]);
    bench.fit([2, 9, 0, 0]);
    bench.undo(2);
    assert_eq!(bench.statuses(), [InForce, Undone, Nothing]);
    assert!(bench.holds([2, 8, 0, 0]));
    bench.fit([3, 0, 0, 0]);
    assert_eq!(bench.statuses(), [Replaced, Undone, Nothing, InForce]);
}

#[test]
fn another_process_reads_the_same_with_and_without_the_index() {
    let bench = Bench::new();
    bench.fit([2, 8, 0, 0]);
    bench.fit([2, 9, 0, 0]);
    bench.undo(2);
    let wanted = bench.statuses();
    let home = bench.folder.path().join("home");
    let again = |home| {
        let workshop = Workshop::open(home).unwrap();
        let history = workshop.history().unwrap();
        assert_eq!(history.faults.len(), 0);
        workshop.statuses(&history.changes).unwrap()
    };
    assert_eq!(again(&home), wanted);
    let Bench { folder, workshop } = bench;
    drop(workshop);
    fs::remove_file(home.join("spanner.db")).unwrap();
    assert_eq!(again(&home), wanted);
    drop(folder);
}

#[test]
fn what_cannot_be_undone_alone_is_said_with_what_builds_on_it() {
    let bench = Bench::new();
    bench.fit([2, 8, 0, 0]);
    bench.fit([2, 9, 0, 0]);
    let first = bench.workshop.change_to_undo(Some(1)).unwrap().unwrap();
    let error = bench.workshop.plan_undo(&bench.view(), &first).unwrap_err();
    let said = error.to_string();
    assert!(said.contains("change 1 cannot be undone alone"), "{said}");
    assert!(said.contains('2'), "{said}");
    assert_eq!(error.code(), "stood-on");
    assert!(bench.holds([2, 9, 0, 0]));

    // Without a number it is the last one in effect; afterwards there is none.
    for wanted in [2, 1] {
        let change = bench.workshop.change_to_undo(None).unwrap().unwrap();
        assert_eq!(change.number(), wanted);
        bench.undo(wanted);
    }
    assert!(bench.workshop.change_to_undo(None).unwrap().is_none());
    assert!(bench.holds([2, 7, 4, 0]));
}
