//! Fitting a file of 64 MB with a durable backup, against copying it twice with sync under new names, and
//! against what people do by hand, which overwrites a file: the same run, in turn, on the same disk.
//!
//! `cargo bench --bench act`

use std::fs::{self, File};
use std::hint::black_box;
use std::io;
use std::path::Path;
use std::time::{Duration, Instant};

use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::Told;
use upright_spanner_core::{FitOptions, Workshop};
use upright_spanner_sample::Bits;
use upright_spanner_sample::world::{self, Graphics};

const RUNS: usize = 7;
const SIZE: usize = 64 << 20;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let (mut apart, mut over) = (Vec::new(), Vec::new());
    for _ in 0..RUNS {
        let folder = tempfile::tempdir_in(env!("CARGO_TARGET_TMPDIR"))?;
        let fit = fit(folder.path())?;
        let (copies, by_hand) = (copies(folder.path())?, by_hand(folder.path())?);
        let ratio = |other: Duration| fit.as_secs_f64() / other.as_secs_f64();
        println!(
            "fit {fit:.0?}, two copies under new names {copies:.0?} ({:.2}), backup and overwriting by \
             hand {by_hand:.0?} ({:.2})",
            ratio(copies),
            ratio(by_hand)
        );
        apart.push(ratio(copies));
        over.push(ratio(by_hand));
    }
    apart.sort_by(f64::total_cmp);
    over.sort_by(f64::total_cmp);
    println!("median ratios {:.2} and {:.2}", apart[RUNS / 2], over[RUNS / 2]);
    Ok(())
}

/// The time of looking at the game, planning and fitting.
fn fit(folder: &Path) -> Result<Duration, Box<dyn std::error::Error>> {
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
    workshop.alter()?.rack_add(&new, &Told::default(), &Silent)?;
    let began = Instant::now();
    let view = workshop.game(&folder.join("Pier").to_string_lossy(), &Silent)?;
    let plan = workshop.plan_fit(&view, "sharpwater", &FitOptions::default(), &Silent)?;
    let cleared = workshop.clear(plan.plan, &[]).map_err(|_| "a finding stops it")?;
    black_box(workshop.alter()?.fit(cleared, None, &Silent)?);
    Ok(began.elapsed())
}

/// The time of what people do by hand: the old file copied away, the new one copied over it, both
/// synced. What is overwritten has to be freed on the disk, as in a fit.
fn by_hand(folder: &Path) -> io::Result<Duration> {
    let old = folder.join("by-hand.dll");
    fs::copy(folder.join("one"), &old)?;
    File::options().write(true).open(&old)?.sync_all()?;
    let began = Instant::now();
    for (from, to) in [(&old, folder.join("backup")), (&folder.join("two"), old.clone())] {
        fs::copy(from, &to)?;
        File::options().write(true).open(&to)?.sync_all()?;
    }
    Ok(began.elapsed())
}

/// The time of two plain copies, each synced.
fn copies(folder: &Path) -> io::Result<Duration> {
    let source = folder.join("new/sharpwater.dll");
    let began = Instant::now();
    for name in ["one", "two"] {
        let target = folder.join(name);
        fs::copy(&source, &target)?;
        File::options().write(true).open(&target)?.sync_all()?;
    }
    Ok(began.elapsed())
}
