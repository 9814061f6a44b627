//! Four games that do not exist, and a downloads folder with builds for them.
//!
//! No two games are laid out alike, and each has launchers, crash reporters and installers around
//! its executable. [`create`] writes them; the functions below give single files to tests.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use filetime::FileTime;

use crate::archive;
use crate::deed::Deed;
use crate::launcher;
use crate::pe::{Bits, Pe};
use crate::resource::VersionInfo;

/// Where [`create`] put things.
#[derive(Debug, Clone)]
pub struct World {
    /// The library root: one folder a game.
    pub games: PathBuf,
    /// Builds as people download them.
    pub downloads: PathBuf,
}

/// A date as year, month, day.
pub type Date = (u16, u8, u8);

/// A graphics component of Tin Lighthouse; no two are of one vendor.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Graphics {
    /// `sharpwater.dll`
    Upscaler,
    /// `evenkeel.dll`
    FrameGenerator,
    /// `hushgrain.dll`
    Denoiser,
}

/// A build of a graphics component.
pub fn graphics(component: Graphics, version: [u16; 4], bits: Bits) -> Pe {
    let (stem, company, product, what) = match component {
        Graphics::Upscaler => ("sharpwater", "Corvid Optics", "Sharpwater", "Sharpwater upscaler"),
        Graphics::FrameGenerator => {
            ("evenkeel", "Tallow & Reed", "Evenkeel", "Evenkeel frame generation and pacing")
        }
        Graphics::Denoiser => ("hushgrain", "Quillon Works", "Hushgrain", "Hushgrain ray denoiser"),
    };
    let file = format!("{stem}.dll");
    let mut pe = Pe::dll(bits, &file)
        .version(&named(version, company, what, product, &file))
        .imports("KERNEL32.dll", &["GetProcAddress", "LoadLibraryW"])
        .imports("d3d12.dll", &["D3D12SerializeRootSignature"])
        .padding(180_000);

    for (n, verb) in ["_open", "_frame", "_number", "_close"].into_iter().enumerate() {
        pe = pe.export(&format!("{stem}{verb}"), u32::from(version[0]) * 100 + n as u32);
    }
    if version[0] >= 2000 {
        pe = pe.export(&format!("{stem}_look"), 7);
    }
    pe
}

/// The variables for a game's version and for the library that a starter wants loaded.
const GAME: &str = "SAMPLE_GAME";
const LOADS: &str = "SAMPLE_LOADS";

/// How long a game of the world runs if nothing ends it.
const PLAYED: u32 = 60_000;

fn set(name: &str, value: &str) -> Deed {
    Deed::Set { name: name.to_owned(), value: value.to_owned() }
}

fn log(file: &str, text: &str) -> Deed {
    Deed::Write { file: file.to_owned(), text: text.to_owned() }
}

/// A game that really runs until its folder contains a file [`crate::deed::STOP`]: it states its version and loads
/// the library that a starter requests.
pub fn playable(exe: Pe, version: &str) -> Pe {
    let load = Deed::Load { library: format!("%{LOADS}%") };
    exe.does(set(GAME, version)).does(load).does(Deed::Play { milliseconds: PLAYED })
}

/// A starter of an extender: it starts the game's executable beside it, and has it load the extender.
pub fn starting(starter: Pe, loads: &str, program: &str) -> Pe {
    starter.does(set(LOADS, loads)).does(Deed::Start { program: program.to_owned() })
}

/// An extender that writes its log when it is loaded: that it is there, or that it does not know the game.
pub fn extending(library: Pe, name: &str, version: &str, serves: &str, file: &str) -> Pe {
    let ready = ready(name, version, serves);
    let unknown = format!(
        "{name} {version}\r\nerror: this version of the executable is not supported, {serves} is\r\n"
    );
    library.does(Deed::Either {
        variable: GAME.to_owned(),
        value: serves.to_owned(),
        then: vec![log(file, &ready)],
        otherwise: vec![log(file, &unknown)],
    })
}

/// What an extender writes that knows the game.
fn ready(name: &str, version: &str, serves: &str) -> String {
    format!("{name} {version}\r\nready for version {serves} of the game\r\n")
}

/// Writes what Moss & Meridian leaves when it is played with Lampwright 31.4, without playing it; `dir` is where
/// [`create`] put the world.
///
/// # Errors
/// If it cannot be written.
pub fn play_moss_and_meridian(dir: &Path) -> io::Result<()> {
    let log = dir.join("games").join("Moss & Meridian").join("lampwright.log");
    fs::write(log, ready("Lampwright", "31.4.0", "22.4.7"))
}

/// A version as people write it, without zeros at the end.
fn short(version: [u16; 4]) -> String {
    let [major, minor, patch, _] = version;
    format!("{major}.{minor}.{patch}")
}

/// The runtime part of the script extender Lampwright, named after the game version it serves.
pub fn lampwright(version: [u16; 4], serves: &str) -> Pe {
    let file = format!("lampwright-{serves}.dll");
    let what = "Lampwright script extender runtime";
    let library = Pe::dll(Bits::Bits32, &file)
        .version(&named(version, "The Lampwright Circle", what, "Lampwright", &file))
        .imports("KERNEL32.dll", &["VirtualProtect", "GetModuleHandleA"])
        .export("lamp_attach", 1)
        .export("lamp_start", 2)
        .text(&format!("built for MossMeridian.exe {serves}.0"))
        .padding(96_000);
    extending(library, "Lampwright", &short(version), serves, "lampwright.log")
}

/// The program that starts Moss & Meridian with Lampwright.
fn lampwright_starter(serves: &str) -> Pe {
    let maker = "The Lampwright Circle";
    let starter = helper_exe(Bits::Bits32, "Lampwright starter", maker, "lampwright-run.exe");
    starting(starter, &format!("lampwright-{serves}.dll"), "MossMeridian.exe")
}

/// The loader Undertow, under whatever name the game loads it.
pub fn undertow(version: [u16; 4], file: &str) -> Pe {
    Pe::dll(Bits::Bits64, file)
        .version(&named(
            version,
            "Undertow contributors",
            "Undertow plugin loader",
            "Undertow",
            "undertow.dll",
        ))
        .imports("KERNEL32.dll", &["LoadLibraryW", "FindFirstFileW"])
        .export("timeBeginPeriod", 0)
        .export("timeEndPeriod", 0)
        .export("timeGetTime", 41)
        .padding(64_000)
        .does(log("undertow.log", &format!("Undertow {} loaded\r\n", short(version))))
}

/// The windowing and input library Brine that Kite Harbour bundles.
pub fn brine(version: [u16; 4]) -> Pe {
    Pe::dll(Bits::Bits64, "brine.dll")
        .version(&named(
            version,
            "The Brine Project",
            "Brine window and input runtime",
            "Brine",
            "brine.dll",
        ))
        .imports("USER32.dll", &["CreateWindowExW", "PeekMessageW"])
        .export("brine_init", 1)
        .export("brine_open_pad", 2)
        .export("brine_version", u32::from(version[1]))
        .padding(220_000)
}

/// A part of Brine that carries no version resource, as some runtime libraries do.
pub fn brine_part(part: &str, seed: u32) -> Pe {
    let file = format!("{part}.dll");
    Pe::dll(Bits::Bits64, &file)
        .imports("brine.dll", &["brine_init"])
        .export(&format!("{part}_open"), seed)
        .export(&format!("{part}_close"), seed + 1)
        .built(1_400_000_000 + seed)
        .padding(40_000)
}

/// A game's executable.
pub fn game_exe(bits: Bits, title: &str, studio: &str, version: [u16; 4]) -> Pe {
    let file = format!("{}.exe", title.replace([' ', '&'], ""));
    Pe::exe(bits)
        .version(&named(version, studio, title, title, &file))
        .imports("d3d11.dll", &["D3D11CreateDevice"])
        .imports("dxgi.dll", &["CreateDXGIFactory1"])
        .imports("USER32.dll", &["CreateWindowExW"])
        .padding(900_000)
}

/// A helper program around a game: launcher, crash reporter, installer.
pub fn helper_exe(bits: Bits, what: &str, studio: &str, file: &str) -> Pe {
    Pe::exe(bits)
        .version(&named([1, 0, 0, 0], studio, what, what, file))
        .imports("USER32.dll", &["MessageBoxW"])
        .padding(120_000)
}

fn named(version: [u16; 4], company: &str, what: &str, product: &str, file: &str) -> VersionInfo {
    let text = version.map(|n| n.to_string()).join(".");
    let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
    VersionInfo::new(version)
        .with("CompanyName", company)
        .with("FileDescription", what)
        .with("FileVersion", &text)
        .with("InternalName", stem)
        .with("OriginalFilename", file)
        .with("ProductName", product)
        .with("ProductVersion", &text)
}

/// Writes the whole world below `dir`: `games/` and `downloads/`. Existing files are replaced.
///
/// # Errors
/// If a file or folder cannot be made.
pub fn create(dir: &Path) -> io::Result<World> {
    let world = World { games: dir.join("games"), downloads: dir.join("downloads") };
    tin_lighthouse(&world.games.join("Tin Lighthouse"))?;
    moss_and_meridian(&world.games.join("Moss & Meridian"))?;
    saltglass_drift(&world.games.join("Saltglass Drift"))?;
    kite_harbour(&world.games.join("Kite Harbour"))?;
    downloads(&world.downloads)?;
    shared(&dir.join("shared"))?;
    releases(dir)?;
    launcher::write_down(&world.games, MOSS, MOSS, 1192, true)?;
    launcher::write_down(&world.games, "Kite Harbour", "Kite Harbour", 88, false)?;
    Ok(world)
}

/// The folder of Moss & Meridian, and its title.
const MOSS: &str = "Moss & Meridian";

fn moss_exe(version: [u16; 4]) -> Pe {
    let exe = game_exe(Bits::Bits32, MOSS, FERNWAY, version);
    playable(exe.imports("d3d9.dll", &["Direct3DCreate9"]).padding(1_800_000), &short(version))
}

/// The launcher's update of Moss & Meridian, and an older release that players kept.
fn releases(dir: &Path) -> io::Result<()> {
    let kept = dir.join("releases/moss-meridian-22.4.7");
    let (then, now) = ((2024, 9, 30), (2026, 2, 18));
    pe(&kept.join("MossMeridian.exe"), &moss_exe([22, 4, 7, 0]), then)?;
    data(&kept.join("Data/fields.pack"), 300_000, then)?;
    data(&kept.join("Data/hedges.pack"), 90_000, then)?;
    let load = dir.join("loads").join(MOSS);
    pe(&load.join("MossMeridian.exe"), &moss_exe([22, 5, 1, 0]), now)?;
    data(&load.join("Data/fields.pack"), 340_000, now)?;
    data(&load.join("Data/orchard.pack"), 120_000, now)?;
    launcher::announce(&load, 1207, &["Data/hedges.pack"])
}

/// Lets the launcher of the world update Moss & Meridian, unless it is kept from it; `dir` is where [`create`] put the
/// world.
///
/// # Errors
/// If a file cannot be read or written.
pub fn update_moss_and_meridian(dir: &Path) -> io::Result<()> {
    launcher::update(&dir.join("games"), MOSS, &dir.join("loads").join(MOSS)).map(drop)
}

/// The launcher of the world learns of a further update of Moss & Meridian, and tries once more.
///
/// # Errors
/// If a file cannot be read or written.
pub fn update_moss_and_meridian_again(dir: &Path) -> io::Result<()> {
    launcher::announce(&dir.join("loads").join(MOSS), 1211, &[])?;
    update_moss_and_meridian(dir)
}

/// The user describes the launcher of the world to the program, whose home is below `dir`; then an update comes.
///
/// # Errors
/// If something cannot be written.
pub fn describe_launcher_and_update(dir: &Path) -> io::Result<()> {
    let folder = dir.join("home/launchers");
    fs::create_dir_all(&folder)?;
    fs::write(folder.join("quayhand.toml"), launcher::DESCRIPTION)?;
    update_moss_and_meridian(dir)
}

/// The extender's makers bring one for the new release.
///
/// # Errors
/// If it cannot be written.
pub fn new_lampwright(dir: &Path) -> io::Result<()> {
    let date = (2026, 3, 12);
    let package = lampwright_package([32, 0, 0, 0], "22.5.1", date);
    write(&dir.join("downloads/lampwright-32.0.zip"), &package, date)
}

const HARBOURLESS: &str = "Harbourless Studio";
const FERNWAY: &str = "Fernway Interactive";
const NINE_KNOTS: &str = "Nine Knots Entertainment";
const PAPER_QUAY: &str = "Paper Quay Games";

/// 64-bit, executable four folders down, components of three vendors, the upscaler in two places.
fn tin_lighthouse(root: &Path) -> io::Result<()> {
    let date = (2026, 2, 11);
    let exe = game_exe(Bits::Bits64, "Tin Lighthouse", HARBOURLESS, [1, 4, 2, 0])
        .imports("d3d12.dll", &["D3D12CreateDevice"])
        .imports("winmm.dll", &["timeGetTime"])
        .padding(2_400_000);
    let exe = ["sharpwater.dll", "evenkeel.dll", "hushgrain.dll"]
        .into_iter()
        .fold(exe, |exe, library| exe.does(Deed::Load { library: library.to_owned() }));
    let bin = root.join("Lantern/Game/Binaries/x64");
    pe(&bin.join("TinLighthouse.exe"), &playable(exe, "1.4.2"), date)?;

    let upscaler = graphics(Graphics::Upscaler, [2, 7, 4, 0], Bits::Bits64);
    pe(&bin.join("sharpwater.dll"), &upscaler, date)?;
    let generator = graphics(Graphics::FrameGenerator, [1, 1, 0, 0], Bits::Bits64);
    pe(&bin.join("evenkeel.dll"), &generator, date)?;
    let denoiser = graphics(Graphics::Denoiser, [1, 0, 3, 0], Bits::Bits64);
    pe(&bin.join("hushgrain.dll"), &denoiser, date)?;

    let plugin = root.join("Lantern/Plugins/CorvidOptics/x64");
    pe(&plugin.join("sharpwater.dll"), &upscaler, date)?;

    let core = Pe::dll(Bits::Bits64, "LanternCore.dll")
        .version(&named(
            [5, 1, 0, 0],
            HARBOURLESS,
            "Lantern engine core",
            "Lantern",
            "LanternCore.dll",
        ))
        .export("lantern_tick", 3)
        .padding(40 << 20);
    pe(&bin.join("LanternCore.dll"), &core, date)?;

    let crash = helper_exe(Bits::Bits64, "Lantern Crash Sender", HARBOURLESS, "CrashSender.exe");
    pe(&root.join("Lantern/Tools/CrashSender.exe"), &crash, date)?;
    let start =
        helper_exe(Bits::Bits64, "Tin Lighthouse Launcher", HARBOURLESS, "StartTinLighthouse.exe");
    pe(&root.join("StartTinLighthouse.exe"), &start, date)?;

    let setup =
        helper_exe(Bits::Bits32, "Runtime Setup", "Ferrous Runtime Group", "runtime_setup_x64.exe")
            .padding(3_000_000);
    pe(&root.join("Support/Prerequisites/runtime_setup_x64.exe"), &setup, date)?;
    data(&root.join("Lantern/Game/Content/coast.dat"), 400_000, date)?;
    data(&root.join("Lantern/Game/Content/fog.dat"), 250_000, date)?;
    text(&root.join("Lantern/Game/Config/graphics.ini"), "[Display]\r\nUpscaler=on\r\n", date)
}

/// 32-bit, everything in the root, a script extender keyed to the executable's version.
fn moss_and_meridian(root: &Path) -> io::Result<()> {
    let date = (2024, 9, 30);
    pe(&root.join("MossMeridian.exe"), &moss_exe([22, 4, 7, 0]), date)?;

    let launcher =
        helper_exe(Bits::Bits32, "Moss & Meridian Launcher", FERNWAY, "MossMeridianLauncher.exe")
            .padding(2_100_000);
    pe(&root.join("MossMeridianLauncher.exe"), &launcher, date)?;
    let modded = (2025, 1, 17);
    pe(&root.join("lampwright-run.exe"), &lampwright_starter("22.4.7"), modded)?;
    pe(&root.join("lampwright-22.4.7.dll"), &lampwright([31, 1, 0, 0], "22.4.7"), modded)?;
    let tweak = Pe::dll(Bits::Bits32, "meadow_tweaks.dll")
        .version(&named(
            [0, 9, 4, 0],
            "Sedge",
            "Meadow tweaks",
            "Meadow Tweaks",
            "meadow_tweaks.dll",
        ))
        .export("lamp_attach", 1)
        .padding(30_000);
    pe(&root.join("Data/lamps/meadow_tweaks.dll"), &tweak, modded)?;

    let uninstall = helper_exe(Bits::Bits32, "Uninstall Moss & Meridian", FERNWAY, "uninstall.exe");
    pe(&root.join("uninstall.exe"), &uninstall, date)?;
    data(&root.join("Data/fields.pack"), 300_000, date)?;
    data(&root.join("Data/hedges.pack"), 90_000, date)?;
    text(&root.join("MossMeridian.ini"), "[Launcher]\r\nShape=wide\r\n", date)
}

/// The overlay's settings as it writes them.
const OVERLAY_SETTINGS: &str = "# Tidemark\r\n[overlay]\r\nlayout = \"full\"\r\nopacity = 90 # percent\r\n\r\n[debug]\r\ntrace = false\r\n";

/// The catalog that the overlay's makers publish.
const OVERLAY_CATALOG: &str = r#"schema = 1

[[family]]
id = "tidemark"
title = "Tidemark race overlay"
role = "overlay"
company = "Fenlight Works"
product = "Tidemark"

[[family.setting]]
name = "layout"
about = "The display over the race."
kind = "choice"
values = [
    { value = "full", label = "everything" },
    { value = "gaps", label = "gaps only" },
    { value = "none", label = "nothing" },
]
file = "tidemark.toml"
section = "overlay"
key = "layout"

[[family.setting]]
name = "opacity"
about = "How much of the race it covers, in percent."
kind = "number"
least = 10
most = 100
file = "tidemark.toml"
section = "overlay"
key = "opacity"

[[family.setting]]
name = "trace"
about = "Writes a log for bug reports; it costs frames."
kind = "switch"
on = true
off = false
file = "tidemark.toml"
section = "debug"
key = "trace"

[[family.preset]]
name = "racing"
settings = { layout = "gaps only", opacity = 60 }
"#;

/// 64-bit and online, a loader under a Windows system library's name, tuned settings.
fn saltglass_drift(root: &Path) -> io::Result<()> {
    let date = (2026, 6, 3);
    let exe = game_exe(Bits::Bits64, "Saltglass Drift", NINE_KNOTS, [3, 20, 1, 8841])
        .imports("winmm.dll", &["timeBeginPeriod", "timeGetTime"])
        .imports("WS2_32.dll", &["#115", "#23"])
        .padding(2_000_000);
    pe(&root.join("bin/SaltglassDrift.exe"), &playable(exe, "3.20.1"), date)?;

    let modded = (2026, 4, 22);
    pe(&root.join("bin/winmm.dll"), &undertow([2, 1, 0, 0], "winmm.dll"), modded)?;
    let settings = "; Undertow settings\r\n[Loader]\r\nPluginFolder=plugins\r\n; tuned for the long races\r\nDelayMs=250\r\n";
    text(&root.join("bin/undertow.ini"), settings, modded)?;
    let overlay = Pe::dll(Bits::Bits64, "tidemark.dll").version(
        &VersionInfo::new([1, 8, 2, 0])
            .with("CompanyName", "Fenlight Works")
            .with("ProductName", "Tidemark")
            .with("FileDescription", "Tidemark race overlay"),
    );
    pe(&root.join("bin/plugins/tidemark.dll"), &overlay, modded)?;
    text(&root.join("bin/plugins/tidemark.toml"), OVERLAY_SETTINGS, modded)?;
    text(&root.join("spanner-families.toml"), OVERLAY_CATALOG, modded)?;
    let guard =
        helper_exe(Bits::Bits64, "GuardRail anti-cheat setup", "GuardRail", "GuardRail_Setup.exe");
    pe(&root.join("GuardRail/GuardRail_Setup.exe"), &guard, date)?;

    let launcher = helper_exe(Bits::Bits64, "Saltglass Drift Launcher", NINE_KNOTS, "Launcher.exe");
    pe(&root.join("Launcher.exe"), &launcher, date)?;
    let report = helper_exe(Bits::Bits64, "Saltglass Bug Report", NINE_KNOTS, "BugReporter.exe");
    pe(&root.join("bin/BugReporter.exe"), &report, date)?;
    data(&root.join("assets/tracks.bin"), 350_000, date)
}

/// 64-bit and older, an out-of-date runtime library of which two parts carry no version.
fn kite_harbour(root: &Path) -> io::Result<()> {
    let date = (2019, 5, 14);
    let exe = game_exe(Bits::Bits64, "Kite Harbour", PAPER_QUAY, [1, 0, 9, 0])
        .imports("brine.dll", &["brine_init", "brine_open_pad"])
        .imports("OPENGL32.dll", &["wglCreateContext"]);
    pe(&root.join("System/KiteHarbour.exe"), &playable(exe, "1.0.9"), date)?;
    pe(&root.join("System/brine.dll"), &brine([2, 0, 3, 0]), date)?;
    pe(&root.join("System/quern.dll"), &brine_part("quern", 20), date)?;
    pe(&root.join("System/saltlamp.dll"), &brine_part("saltlamp", 21), date)?;

    let editor =
        helper_exe(Bits::Bits64, "Kite Harbour Level Editor", PAPER_QUAY, "HarbourEditor.exe")
            .imports("d3d11.dll", &["D3D11CreateDevice"])
            .padding(1_500_000);
    pe(&root.join("Editor/HarbourEditor.exe"), &editor, date)?;

    let server = helper_exe(
        Bits::Bits64,
        "Kite Harbour Dedicated Server",
        PAPER_QUAY,
        "KiteHarbourServer.exe",
    )
    .padding(800_000);
    pe(&root.join("System/KiteHarbourServer.exe"), &server, date)?;

    let setup = helper_exe(Bits::Bits32, "Sound Setup", "Ferrous Runtime Group", "sound_setup.exe");
    pe(&root.join("Installers/sound_setup.exe"), &setup, date)?;
    data(&root.join("Maps/harbour.map"), 200_000, date)
}

fn downloads(dir: &Path) -> io::Result<()> {
    let licence = b"Made up for the demo. Do as you like.\r\n".as_slice();
    let notes = |text: &'static str| text.as_bytes();

    let upscale = |version, bits, date| dated(&graphics(Graphics::Upscaler, version, bits), date);
    zip(
        &dir.join("sharpwater-2.9.1.zip"),
        &[
            ("sharpwater.dll", &upscale([2, 9, 1, 0], Bits::Bits64, (2026, 5, 6))),
            ("LICENSE.txt", licence),
        ],
        (2026, 5, 6),
    )?;

    zip(
        &dir.join("sharpwater-2026.3.0.zip"),
        &[
            ("bin/x64/sharpwater.dll", &upscale([2026, 3, 0, 0], Bits::Bits64, (2026, 9, 18))),
            (
                "docs/CHANGES.txt",
                notes("2026.3.0\r\n- New model. Versions count by the year now.\r\n"),
            ),
            ("LICENSE.txt", licence),
        ],
        (2026, 9, 18),
    )?;

    zip(
        &dir.join("sharpwater-2026.3.0-x86.zip"),
        &[("bin/x86/sharpwater.dll", &upscale([2026, 3, 0, 0], Bits::Bits32, (2026, 9, 18)))],
        (2026, 9, 18),
    )?;

    let generator =
        dated(&graphics(Graphics::FrameGenerator, [1, 4, 0, 0], Bits::Bits64), (2026, 8, 2));
    zip(&dir.join("evenkeel-1.4.0.zip"), &[("evenkeel.dll", &generator)], (2026, 8, 2))?;
    let denoiser = dated(&graphics(Graphics::Denoiser, [1, 2, 2, 0], Bits::Bits64), (2026, 8, 2));
    zip(&dir.join("hushgrain-1.2.2.zip"), &[("hushgrain.dll", &denoiser)], (2026, 8, 2))?;
    write(
        &dir.join("lampwright-31.4.zip"),
        &lampwright_package([31, 4, 0, 0], "22.4.7", (2025, 11, 2)),
        (2025, 11, 2),
    )?;

    write(
        &dir.join("lampwright-31.6.zip"),
        &lampwright_package([31, 6, 0, 0], "22.4.9", (2026, 3, 9)),
        (2026, 3, 9),
    )?;

    let loader = dated(&undertow([2, 3, 0, 0], "undertow.dll"), (2026, 7, 12));
    zip(
        &dir.join("undertow-2.3.0.zip"),
        &[
            ("undertow.dll", &loader),
            ("undertow.ini", b"[Loader]\r\nPluginFolder=plugins\r\nDelayMs=0\r\nLog=off\r\n"),
            (
                "README.md",
                b"# Undertow 2.3.0\n\nRename `undertow.dll` to a name that your game loads.\n",
            ),
        ],
        (2026, 7, 12),
    )?;

    brine_package(
        &dir.join("brine-2.8.1-win64.zip"),
        [2, 8, 1, 0],
        "Brine 2.8.1\r\n",
        (2026, 1, 20),
    )
}

fn brine_package(path: &Path, version: [u16; 4], notes: &str, date: Date) -> io::Result<()> {
    let seed = u32::from(version[1]) * 10;
    zip(
        path,
        &[
            ("brine.dll", &dated(&brine(version), date)),
            ("saltlamp.dll", &dated(&brine_part("saltlamp", seed + 1), date)),
            ("quern.dll", &dated(&brine_part("quern", seed + 2), date)),
            ("README-brine.txt", notes.as_bytes()),
        ],
        date,
    )
}

/// A friend's newer builds.
fn shared(dir: &Path) -> io::Result<()> {
    let notes = "Brine 2.9.2\r\n- Opens pads that were plugged in later.\r\n";
    brine_package(&dir.join("brine-2.9.2-win64.zip"), [2, 9, 2, 0], notes, (2026, 10, 4))?;
    let date = (2026, 9, 27);
    let denoiser = dated(&graphics(Graphics::Denoiser, [1, 3, 5, 0], Bits::Bits64), date);
    zip(&dir.join("hushgrain-1.3.5.zip"), &[("hushgrain.dll", &denoiser)], date)
}

/// The script extender as it is downloaded: a runtime part, a starter, scripts for the game's data
/// folder, texts, and sources for developers.
pub fn lampwright_package(version: [u16; 4], serves: &str, date: Date) -> Vec<u8> {
    let [major, minor, patch, _] = version;
    let named = format!("lampwright-{serves}.dll");
    let readme = format!("Lampwright {major}.{minor}.{patch} for Moss & Meridian {serves}.\r\n");
    let changes = "31.6.0\r\n- Knows 22.4.9.\r\n\r\n31.4.0\r\n- Lanterns keep their colour.\r\n\r\n\
                   31.1.0\r\n- First for 22.4.7.\r\n";
    let from = changes.find(&format!("{major}.{minor}.{patch}")).unwrap_or(0);
    let script = format!("rule core\nversion {major}.{minor}.{patch}\n");
    let entries = [
        (named, dated(&lampwright(version, serves), date)),
        ("lampwright-run.exe".to_owned(), dated(&lampwright_starter(serves), date)),
        ("Data/rules/lamp-core.rule".to_owned(), script.into_bytes()),
        ("Data/rules/lamp-lanterns.rule".to_owned(), b"rule lanterns\n".to_vec()),
        ("lampwright-readme.txt".to_owned(), readme.into_bytes()),
        ("lampwright-changes.txt".to_owned(), changes.as_bytes()[from..].to_vec()),
        ("for-authors/lamp.cpp".to_owned(), b"int main() {}\n".to_vec()),
    ];
    let entries: Vec<(&str, &[u8])> =
        entries.iter().map(|(name, content)| (name.as_str(), content.as_slice())).collect();
    archive::zip(&entries, date)
}

/// An image linked on the day that it is dated.
fn dated(image: &Pe, date: Date) -> Vec<u8> {
    image.clone().built(seconds(date)).to_bytes()
}

fn pe(path: &Path, image: &Pe, date: Date) -> io::Result<()> {
    write(path, &dated(image, date), date)
}

fn data(path: &Path, len: usize, date: Date) -> io::Result<()> {
    let bytes: Vec<u8> = (0..len).map(|n| (n % 251) as u8).collect();
    write(path, &bytes, date)
}

fn text(path: &Path, content: &str, date: Date) -> io::Result<()> {
    write(path, content.as_bytes(), date)
}

fn zip(path: &Path, entries: &[(&str, &[u8])], date: Date) -> io::Result<()> {
    write(path, &archive::zip(entries, date), date)
}

/// Writes a file dated `date`, making its folders.
///
/// # Errors
/// If it cannot be written.
pub fn write(path: &Path, content: &[u8], date: Date) -> io::Result<()> {
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder)?;
    }
    fs::write(path, content)?;
    filetime::set_file_mtime(path, FileTime::from_unix_time(seconds(date).into(), 0))
}

/// Copies the content of a folder over another.
///
/// # Errors
/// If something cannot be read or written.
pub fn copy_tree(from: &Path, to: &Path) -> io::Result<()> {
    fs::create_dir_all(to)?;
    for entry in fs::read_dir(from)? {
        let entry = entry?;
        let (path, target) = (entry.path(), to.join(entry.file_name()));
        if path.is_dir() {
            copy_tree(&path, &target)?;
        } else {
            fs::copy(&path, target)?;
        }
    }
    Ok(())
}

/// Removes a folder and everything in it, read-only files included.
///
/// # Errors
/// If something cannot be removed.
pub fn remove_tree(folder: &Path) -> io::Result<()> {
    free(folder)?;
    fs::remove_dir_all(folder)
}

/// Windows removes nothing that is marked read-only.
fn free(folder: &Path) -> io::Result<()> {
    if !cfg!(windows) {
        return Ok(());
    }
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        let metadata = fs::symlink_metadata(&path)?;
        if metadata.is_dir() {
            free(&path)?;
        } else if metadata.permissions().readonly() {
            let mut permissions = metadata.permissions();
            #[expect(clippy::permissions_set_readonly_false, reason = "Windows has no such bits")]
            permissions.set_readonly(false);
            fs::set_permissions(&path, permissions)?;
        }
    }

    Ok(())
}

/// Seconds since 1970 of noon on that day, UTC.
fn seconds((year, month, day): Date) -> u32 {
    let noon = format!("{year:04}-{month:02}-{day:02}T12:00:00Z").parse::<jiff::Timestamp>();
    noon.ok().and_then(|noon| u32::try_from(noon.as_second()).ok()).unwrap_or(0)
}
