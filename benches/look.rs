//! How long looking takes, against an ordinary tool in the same run: a parallel file finder's
//! listing of the same tree by extension (`fdfind`, else `fd`, else `find`).
//!
//! `cargo bench --bench look` makes a tree of 200 games, 400,000 files and 6,000 images with tables as large
//! as those of real ones in a temporary folder (or the numbers in `BENCH_GAMES`, `BENCH_FILES`,
//! `BENCH_IMAGES`), or takes the tree that `BENCH_TREE` names, and prints medians of five runs. With
//! `BENCH_GAME`, the folder of one game, it measures what that would load alone, against an ordinary reader of
//! the tables of all its images (`x86_64-w64-mingw32-objdump -p`).

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use upright_spanner_core::Workshop;
use upright_spanner_core::image::Facts;
use upright_spanner_core::progress::Silent;
use upright_spanner_core::survey::Filter;
use upright_spanner_sample::world::{self, Graphics};
use upright_spanner_sample::{Bits, Pe};

const RUNS: usize = 5;

fn main() {
    if let Some(game) = std::env::var_os("BENCH_GAME") {
        return whole_game(Path::new(&game));
    }
    let setting = |name: &str, default: usize| {
        std::env::var(name).ok().and_then(|text| text.parse().ok()).unwrap_or(default)
    };
    let games = setting("BENCH_GAMES", 200);
    let files = setting("BENCH_FILES", 400_000);
    let images = setting("BENCH_IMAGES", 6_000);
    let folder = tempfile::tempdir().expect("a temporary folder");
    let tree = if let Some(tree) = std::env::var_os("BENCH_TREE") {
        PathBuf::from(tree)
    } else {
        let tree = folder.path().join("games");
        make_tree(&tree, games, files, images);
        tree
    };
    println!("{games} games, {files} files, {images} images");

    let finder = ["fdfind", "fd"].into_iter().find(|tool| runs(tool));
    let listing = median(|_| list(finder, &tree));
    println!("listing by {:18} {}", finder.unwrap_or("find"), shown(listing, listing));
    let homes = |run: usize| folder.path().join(format!("home-{run}"));
    let survey = |home: &Path| {
        let workshop = Workshop::open(home).expect("a home");
        let began = Instant::now();
        let survey = workshop
            .survey(std::slice::from_ref(&tree), &Filter::default(), &Silent)
            .expect("a survey");
        assert_eq!(survey.games.len(), games);
        began.elapsed()
    };
    let check = |home: &Path| {
        let workshop = Workshop::open(home).expect("a home");
        let survey = workshop
            .survey(std::slice::from_ref(&tree), &Filter::default(), &Silent)
            .expect("a survey");
        time(|| assert_eq!(workshop.check_games(&survey.games).expect("checks").len(), games))
    };
    let first = median(|run| survey(&homes(run)));
    println!("first survey                  {}", shown(first, listing));
    let allowed = listing.mul_f64(1.2) + Duration::from_micros(150) * images as u32;
    println!("  allowed: 1.2 listings + 0.15 ms an image = {} ms", allowed.as_millis());
    let second = median(|run| survey(&homes(run)));
    println!("second survey                 {}", shown(second, listing));
    let checks = median(|run| check(&homes(run)));
    println!("checks of every component     {}", shown(checks, listing));

    for (what, bytes) in [("ordinary image, 180 KB", 180_000), ("large image, 100 MB", 100 << 20)] {
        let path = folder.path().join("image.dll");
        let image = world::graphics(Graphics::Upscaler, [2, 7, 4, 0], Bits::Bits64).padding(bytes);
        fs::write(&path, image.to_bytes()).expect("an image");
        let reading = median(|_| time(|| assert!(fs::read(&path).is_ok())));
        let facts = median(|_| time(|| assert!(Facts::read(&path).is_ok())));
        let micros = facts.as_secs_f64() * 1e6;
        let part = facts.as_secs_f64() / reading.as_secs_f64();
        println!("facts of an {what:23} {micros:7.0} µs, {part:.4} of reading it whole");
    }
    if let Some(peak) = peak_memory() {
        println!("peak memory of all of this    {peak}");
    }
}

/// What one game would load, once it was surveyed, against an ordinary reader of its images.
fn whole_game(game: &Path) {
    let home = tempfile::tempdir().expect("a temporary folder");
    let workshop = Workshop::open(home.path()).expect("a home");
    let view = workshop.game(&game.to_string_lossy(), &Silent).expect("one game");
    let images = view.libraries.len() + view.programs.len();
    let loads = median(|_| time(|| assert!(!workshop.loads(&view).processes.is_empty())));
    let paths = view.libraries.iter().map(|library| &library.path);
    let paths = paths.chain(view.programs.iter().map(|program| &program.path));
    let files: Vec<PathBuf> = paths.map(|path| path.on(&view.game.root)).collect();
    let mut reader = Command::new("x86_64-w64-mingw32-objdump");
    reader.arg("-p").args(files).stdout(Stdio::null()).stderr(Stdio::null());
    let read = median(|_| time(|| assert!(reader.status().is_ok())));
    println!(
        "what a game of {images} images would load {:.1} ms, {:.3} of reading their tables by {:.0} ms",
        loads.as_secs_f64() * 1e3,
        loads.as_secs_f64() / read.as_secs_f64(),
        read.as_secs_f64() * 1e3
    );
}

fn time(act: impl FnOnce()) -> Duration {
    let began = Instant::now();
    act();
    began.elapsed()
}

/// The median of some runs after one that warms up.
fn median(mut act: impl FnMut(usize) -> Duration) -> Duration {
    act(RUNS);
    let mut times: Vec<Duration> = (0..RUNS).map(&mut act).collect();
    times.sort();
    times[RUNS / 2]
}

fn shown(time: Duration, listing: Duration) -> String {
    let ratio = time.as_secs_f64() / listing.as_secs_f64();
    format!("{:7.1} ms, {ratio:.2} listings", time.as_secs_f64() * 1e3)
}

fn runs(tool: &str) -> bool {
    let quiet = Command::new(tool).arg("--version").stdout(Stdio::null()).status();
    quiet.is_ok_and(|status| status.success())
}

fn list(finder: Option<&str>, tree: &Path) -> Duration {
    let mut command = Command::new(finder.unwrap_or("find"));
    if finder.is_some() {
        command.args(["-u", "-e", "dll", "-e", "exe", "."]).arg(tree);
    } else {
        command.arg(tree).args(["-name", "*.dll", "-o", "-name", "*.exe"]);
    }
    time(|| {
        let output = command.output().expect("the finder");
        assert!(!output.stdout.is_empty());
    })
}

/// Games with a program, libraries of several makers, and data files in folders of a hundred.
fn make_tree(tree: &Path, games: usize, files: usize, images: usize) {
    let per_game = images / games;
    let library = |n: usize| {
        let kind = [Graphics::Upscaler, Graphics::FrameGenerator, Graphics::Denoiser][n % 3];
        let library = world::graphics(kind, [2, n as u16 % 40, 1, 0], Bits::Bits64);
        with_tables(library).padding(30_000).to_bytes()
    };
    let libraries: Vec<Vec<u8>> = (0..per_game.max(1)).map(library).collect();
    for game in 0..games {
        let root: PathBuf = tree.join(format!("Game {game}"));
        let bin = root.join("bin");
        fs::create_dir_all(&bin).expect("a folder");
        let exe: Pe =
            world::game_exe(Bits::Bits64, &format!("Game {game}"), "Studio", [1, 2, 3, 0]);
        fs::write(bin.join(format!("Game{game}.exe")), exe.padding(30_000).to_bytes())
            .expect("exe");
        for (n, bytes) in libraries.iter().enumerate().skip(1) {
            fs::write(bin.join(format!("library_{n}.dll")), bytes).expect("a library");
        }
        for n in 0..(files - images) / games {
            let folder = root.join(format!("data/{}", n / 100));
            if n % 100 == 0 {
                fs::create_dir_all(&folder).expect("a folder");
            }
            fs::write(folder.join(format!("{n}.pak")), b"data").expect("a file");
        }
    }
}

/// A library with tables as real ones have them: some twenty libraries with fifty functions each that it
/// imports, and five hundred functions that it offers.
fn with_tables(mut library: Pe) -> Pe {
    let functions: Vec<String> = (0..50).map(|n| format!("ImportedFunctionNumber{n}")).collect();
    let functions: Vec<&str> = functions.iter().map(String::as_str).collect();
    for dll in 0..20 {
        library = library.imports(&format!("engine-module-{dll}.dll"), &functions);
    }
    (0..500).fold(library, |library, n| library.export(&format!("OfferedFunction{n}"), n))
}

fn peak_memory() -> Option<String> {
    let status = fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"))?;
    Some(line.trim().to_owned())
}
