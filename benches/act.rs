//! Fitting a file of 64 MB with a durable backup, against copying it twice with sync under new names, and against the
//! manual method, which overwrites a file: the same run, in turn, on the same disk.
//!
//! `cargo bench --bench act`

use std::fs::{self, File};
use std::hint::black_box;
use std::io;
use std::path::Path;
use std::thread;
use std::time::{Duration, Instant};

use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::PackageOptions;
use upright_spanner_core::{FitOptions, Workshop};
use upright_spanner_sample::Bits;
use upright_spanner_sample::world::{self, Graphics};

const RUNS: usize = 7;
const SIZE: usize = 64 << 20;

/// The pause before each measurement, in which the disk finishes earlier work.
const REST: Duration = Duration::from_millis(700);

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let (mut apart, mut over, mut filed) = (Vec::new(), Vec::new(), Vec::new());
    for _ in 0..RUNS {
        let folder = tempfile::tempdir_in(env!("CARGO_TARGET_TMPDIR"))?;
        let of_build = fit(&folder.path().join("build"), true)?;
        let of_file = fit(&folder.path().join("file"), false)?;
        let (copies, by_hand) = (copies(folder.path())?, by_hand(folder.path())?);
        // Windows does not remove read-only files, and a run takes a gigabyte.
        world::remove_tree(folder.path())?;
        let ratio = |fit: Duration, other: Duration| fit.as_secs_f64() / other.as_secs_f64();
        println!(
            "fit of a build {of_build:.0?}, of a file {of_file:.0?}; two copies under new names \
             {copies:.0?} ({:.2}, {:.2}); backup and overwriting by hand {by_hand:.0?} ({:.2})",
            ratio(of_build, copies),
            ratio(of_file, copies),
            ratio(of_build, by_hand)
        );
        apart.push(ratio(of_build, copies));
        filed.push(ratio(of_file, copies));
        over.push(ratio(of_build, by_hand));
    }
    let median = |mut ratios: Vec<f64>| {
        ratios.sort_by(f64::total_cmp);
        ratios[RUNS / 2]
    };
    let (apart, filed, over) = (median(apart), median(filed), median(over));
    println!("median ratios {apart:.2}, {filed:.2}; by hand {over:.2}");
    Ok(())
}

/// The time of looking at the game, planning and fitting a build that is on the rack, or a file, which continues the
/// rack too.
fn fit(folder: &Path, racked: bool) -> Result<Duration, Box<dyn std::error::Error>> {
    let date = (2026, 1, 1);
    let library = |major| world::graphics(Graphics::Upscaler, [major, 1, 0, 0], Bits::Bits64);
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 0, 0, 0]);
    world::write(&folder.join("Pier/Pier.exe"), &exe.to_bytes(), date)?;
    let there = folder.join("Pier/sharpwater.dll");
    world::write(&there, &library(2).padding(SIZE).to_bytes(), date)?;
    let new = folder.join("new/sharpwater.dll");
    world::write(&new, &library(3).padding(SIZE + 1).to_bytes(), date)?;
    File::options().write(true).open(&there)?.sync_all()?;
    let workshop = Workshop::open(&folder.join("home"))?;
    let what = if racked {
        workshop.alter()?.add_to_rack(&new, &PackageOptions::default(), &Silent)?;
        "sharpwater".to_owned()
    } else {
        new.to_string_lossy().into_owned()
    };
    thread::sleep(REST);
    let began = Instant::now();
    let view = workshop.game(&folder.join("Pier").to_string_lossy(), &Silent)?;
    let plan = workshop.plan_fit(&view, &what, &FitOptions::default(), &Silent)?;
    let cleared = workshop.clear(plan.plan, &[]).map_err(|_| "a finding stops it")?;
    black_box(workshop.alter()?.fit(cleared, &plan.parcels, &Silent)?);
    Ok(began.elapsed())
}

/// The time of the manual method: the old file copied away, the new one copied over it, both synced. The overwritten
/// space has to be freed, as in a fit.
fn by_hand(folder: &Path) -> io::Result<Duration> {
    let old = folder.join("by-hand.dll");
    fs::copy(folder.join("one"), &old)?;
    File::options().write(true).open(&old)?.sync_all()?;
    thread::sleep(REST);
    let began = Instant::now();
    for (from, to) in [(&old, folder.join("backup")), (&folder.join("two"), old.clone())] {
        fs::copy(from, &to)?;
        File::options().write(true).open(&to)?.sync_all()?;
    }
    Ok(began.elapsed())
}

/// The time of two plain copies, each synced.
fn copies(folder: &Path) -> io::Result<Duration> {
    let source = folder.join("build/new/sharpwater.dll");
    thread::sleep(REST);
    let began = Instant::now();
    for name in ["one", "two"] {
        let target = folder.join(name);
        fs::copy(&source, &target)?;
        File::options().write(true).open(&target)?.sync_all()?;
    }
    Ok(began.elapsed())
}
