//! Winding a game of thousands of files back, against plain copying with sync of the new and the stored files: the
//! same run, in turn, on the same disk.
//!
//! `cargo bench --bench wind`

use std::fs::{self, File};
use std::hint::black_box;
use std::io;
use std::path::Path;
use std::thread;
use std::time::{Duration, Instant};

use upright_spanner_core::progress::Silent;
use upright_spanner_core::{WindOptions, Workshop};
use upright_spanner_sample::Bits;
use upright_spanner_sample::world;

const RUNS: usize = 5;

/// A game has many small files and a few large ones.
const SMALL: usize = 4_000;
const LARGE: usize = 12;
const LARGE_SIZE: usize = 16 << 20;

/// The pause before each measurement, in which the disk finishes earlier work.
const REST: Duration = Duration::from_secs(3);

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut ratios = Vec::new();
    for _ in 0..RUNS {
        let folder = tempfile::tempdir_in(env!("CARGO_TARGET_TMPDIR"))?;
        let (game, older) = (folder.path().join("Pier"), folder.path().join("older"));
        release(&game, 5)?;
        release(&older, 4)?;
        let plain = copies(folder.path(), &game, &older)?;
        let wound = wind(folder.path(), &game, &older)?;
        world::remove_tree(folder.path())?;
        let ratio = wound.as_secs_f64() / plain.as_secs_f64();
        println!("wind {wound:.2?}; plain copies with sync {plain:.2?} ({ratio:.2})");
        ratios.push(ratio);
    }
    ratios.sort_by(f64::total_cmp);
    println!("median ratio {:.2}", ratios[RUNS / 2]);
    Ok(())
}

/// A release of a game; no file of it is that of another.
fn release(folder: &Path, version: u16) -> io::Result<()> {
    let date = (2026, 1, version as u8);
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, version, 0, 0]);
    world::write(&folder.join("Pier.exe"), &exe.to_bytes(), date)?;
    let bytes = |n: usize, len: usize| -> Vec<u8> {
        let mut state = (n as u64 + 1) * 0x9e37_79b9 + u64::from(version);
        let mut next = || {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            state
        };
        (0..len.div_ceil(8)).flat_map(|_| next().to_le_bytes()).take(len).collect()
    };
    for n in 0..SMALL {
        let path = folder.join(format!("data/{:02}/{n}.dat", n % 60));
        world::write(&path, &bytes(n, 1_000 + n * 7919 % 60_000), date)?;
    }
    for n in 0..LARGE {
        world::write(&folder.join(format!("packs/{n}.pak")), &bytes(n, LARGE_SIZE), date)?;
    }
    sync(folder)
}

/// The time of looking at the game, planning and winding.
fn wind(folder: &Path, game: &Path, older: &Path) -> Result<Duration, Box<dyn std::error::Error>> {
    let workshop = Workshop::open(&folder.join("home"))?;
    thread::sleep(REST);
    let began = Instant::now();
    let view = workshop.game(&game.to_string_lossy(), &Silent)?;
    let options = WindOptions::default();
    let wind = workshop.plan_wind(&view, &[older.to_owned()], &options, &Silent)?;
    black_box(workshop.alter()?.wind(wind, &[], &Silent)?);
    Ok(began.elapsed())
}

/// The time to copy the new and the stored files into new folders, and to wait for the disk.
fn copies(folder: &Path, game: &Path, older: &Path) -> io::Result<Duration> {
    thread::sleep(REST);
    let began = Instant::now();
    copy(game, &folder.join("kept"))?;
    copy(older, &folder.join("new"))?;
    sync(folder)?;
    let took = began.elapsed();
    world::remove_tree(&folder.join("kept"))?;
    world::remove_tree(&folder.join("new"))?;
    Ok(took)
}

fn copy(from: &Path, to: &Path) -> io::Result<()> {
    fs::create_dir_all(to)?;
    for entry in fs::read_dir(from)? {
        let entry = entry?;
        let target = to.join(entry.file_name());
        if entry.file_type()?.is_dir() {
            copy(&entry.path(), &target)?;
        } else {
            fs::copy(entry.path(), &target)?;
            if cfg!(not(target_os = "linux")) {
                File::options().write(true).open(&target)?.sync_all()?;
            }
        }
    }
    Ok(())
}

/// Waits until all of a volume is on disk, if the system can be asked for that.
fn sync(folder: &Path) -> io::Result<()> {
    if cfg!(target_os = "linux") {
        std::process::Command::new("sync").arg("-f").arg(folder).status()?;
    }
    Ok(())
}
