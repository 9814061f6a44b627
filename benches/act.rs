//! Fitting a file of 64 MB with a durable backup, against copying it twice with sync: the same run,
//! in turn, on the same disk.
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
use upright_spanner_sample::world::{self, Corvid};

const RUNS: usize = 7;
const SIZE: usize = 64 << 20;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut ratios = Vec::new();
    for _ in 0..RUNS {
        let folder = tempfile::tempdir_in(env!("CARGO_TARGET_TMPDIR"))?;
        let (fit, copies) = (fit(folder.path())?, copies(folder.path())?);
        let ratio = fit.as_secs_f64() / copies.as_secs_f64();
        println!("fit {fit:.0?}, two copies with sync {copies:.0?}, ratio {ratio:.2}");
        ratios.push(ratio);
    }
    ratios.sort_by(f64::total_cmp);
    println!("median ratio {:.2}", ratios[RUNS / 2]);
    Ok(())
}

/// The time of looking at the game, planning and fitting.
fn fit(folder: &Path) -> Result<Duration, Box<dyn std::error::Error>> {
    let date = (2026, 1, 1);
    let library = |major| world::corvid(Corvid::Upscaler, [major, 1, 0, 0], Bits::Bits64);
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 0, 0, 0]);
    world::write(&folder.join("Pier/Pier.exe"), &exe.to_bytes(), date)?;
    let there = folder.join("Pier/cvo_upscale.dll");
    world::write(&there, &library(2).padding(SIZE).to_bytes(), date)?;
    let new = folder.join("new/cvo_upscale.dll");
    world::write(&new, &library(3).padding(SIZE + 1).to_bytes(), date)?;
    File::options().write(true).open(&there)?.sync_all()?;
    let mut workshop = Workshop::open(&folder.join("home"))?;
    workshop.rack_add(&new, &Told::default(), &Silent)?;
    // Nobody fits a build in the tenth of a second after it was stored, when dates prove nothing yet.
    std::thread::sleep(Duration::from_millis(300));
    let began = Instant::now();
    let view = workshop.game(&folder.join("Pier").to_string_lossy(), &Silent)?;
    let plan = workshop.plan_fit(&view, "cvo-upscale", &FitOptions::default(), &Silent)?;
    black_box(workshop.fit(plan, &Silent)?);
    Ok(began.elapsed())
}

/// The time of two plain copies, each synced.
fn copies(folder: &Path) -> io::Result<Duration> {
    let source = folder.join("new/cvo_upscale.dll");
    let began = Instant::now();
    for name in ["one", "two"] {
        let target = folder.join(name);
        fs::copy(&source, &target)?;
        File::options().write(true).open(&target)?.sync_all()?;
    }
    Ok(began.elapsed())
}
