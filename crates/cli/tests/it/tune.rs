//! Settings of components: shown, set, locked, and taken back, in files and in the registry.

use std::fs;

use crate::common::{Bench, errors, flat, output};
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive, world};

const GAME: &str = "games/Pier";
const DATE: (u16, u8, u8) = (2026, 3, 4);

/// The catalog's settings of the loader.
const CATALOG: &str = r#"
schema = 1
[[family]]
id = "glim"
product = "Glim"

[[family.setting]]
name = "max fps"
title = "Highest frame rate"
about = "More is smoother, and warmer."
kind = "number"
least = 30
most = 240
file = "glim.ini"
section = "Limits"
key = "MaxFps"

[[family.setting]]
name = "quality"
kind = "choice"
values = [{ value = 0, label = "low" }, { value = 1, label = "high" }]
file = "{exe-dir}/glim.ini"
section = "Limits"
key = "Quality"

[[family.setting]]
name = "log"
kind = "switch"
on = true
off = false
file = "{root}/conf/glim.json"
section = ["debug", "output"]
key = "log"

[[family.setting]]
name = "debug"
kind = "switch"
registry = 'HKEY_CURRENT_USER\Software\Glim\Loader'
value = "Debug"
type = "dword"
affects = "every game of this user"

[[family.setting]]
name = "theme"
builds = ">=3"
file = "glim.ini"
key = "Theme"

[[family.setting]]
name = "windowed"
kind = "switch"
argument = "-windowed"

[[family.setting]]
name = "cloud"
file = "{documents}/Glim/cloud.ini"
section = "Sync"
key = "On"

[[family.preset]]
name = "calm"
settings = { "max fps" = 60, quality = "low", debug = "on" }
"#;

const INI: &[u8] =
    b"; Glim\r\n[Limits]\r\n; How many a second.\r\nMaxFps = 120 ; tuned\r\nQuality=1\r\n";

fn loader(version: [u16; 4]) -> Vec<u8> {
    let info = VersionInfo::new(version)
        .with("CompanyName", "Nine Knots")
        .with("ProductName", "Glim")
        .with("FileDescription", "Glim plugin loader");
    Pe::dll(Bits::Bits64, "glim.dll").version(&info).export("timeGetTime", 1).to_bytes()
}

fn game(bench: &Bench, folder: &str) {
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 0, 0, 0])
        .imports("winmm.dll", &["timeGetTime"]);
    bench.write(&format!("{folder}/Pier.exe"), &exe.to_bytes());
}

/// A game with a loader that a build brought, its settings file, and a catalog that describes some settings.
fn pier() -> Bench {
    let bench = Bench::empty();
    game(&bench, GAME);
    let ini = String::from_utf8(INI.to_vec()).unwrap();
    let pack = archive::zip(&[("glim.dll", &loader([2, 0, 0, 0])[..]), ("glim.ini", INI)], DATE);
    bench.write("glim.zip", &pack);
    bench.write("home/catalog/mine.toml", CATALOG.as_bytes());
    bench.ok(&["fit", GAME, "glim.zip", "--as", "winmm.dll"]);
    assert_eq!(text(&bench, "glim.ini"), ini);
    bench
}

const REGISTRY: &str = "WINE REGISTRY Version 2\n;; All keys relative to REGISTRY\\\\User\n\n#arch=win64\n\n\
    [Software\\\\Other] 1700000000\n\"x\"=\"1\"\n";

/// A prefix for the game.
fn prefix(bench: &Bench) {
    bench.write("prefix/user.reg", REGISTRY.as_bytes());
    bench.write("prefix/drive_c/windows/system32/kernel32.dll", b"MZ");
    bench.ok(&["game", "set", GAME, "--prefix", "prefix"]);
}

fn text(bench: &Bench, path: &str) -> String {
    fs::read_to_string(bench.file(&format!("{GAME}/{path}"))).unwrap()
}

fn registry(bench: &Bench) -> String {
    fs::read_to_string(bench.file("prefix/user.reg")).unwrap()
}

#[test]
fn settings_are_listed_with_what_they_are_what_they_were_and_what_they_can_be() {
    let bench = pier();
    prefix(&bench);
    let shown = bench.ok(&["tune", GAME, "glim"]);
    for row in [
        "max fps  120      120         30 to 240  glim.ini",
        "quality  high     high        low, high  glim.ini",
        "log      not set  -           on, off    conf/glim.json",
        "debug    not set  -           on, off    HKEY_CURRENT_USER\\Software\\Glim\\Loader: Debug",
        "windowed not set  -           on, off    at the start: -windowed",
    ] {
        assert!(flat(&shown).contains(&flat(row)), "{row}: {shown}");
    }
    assert!(shown.contains("Highest frame rate. More is smoother, and warmer."), "{shown}");
    assert!(shown.contains("Affects every game of this user."), "{shown}");
    assert!(!shown.contains("theme"), "this version does not have it: {shown}");
    assert!(shown.contains("calm (debug, max fps, quality would change)"), "{shown}");

    let document = bench.json(&["tune", GAME]);
    let settings = document["settings"].as_array().unwrap();
    assert_eq!(settings.len(), 6);
    assert_eq!(settings[1]["now"], "high");
    assert_eq!(settings[1]["values"], serde_json::json!(["low", "high"]));
    assert_eq!(settings[3]["value"]["key"], "Software\\Glim\\Loader");

    // Without a description the keys are listed, with the comments above them.
    fs::remove_file(bench.file("home/catalog/mine.toml")).unwrap();
    let shown = bench.ok(&["tune", GAME, "glim"]);
    assert!(shown.contains("Limits/MaxFps   120  120         any text  glim.ini"), "{shown}");
    assert!(shown.contains("How many a second."), "{shown}");
    let said = errors(&bench.run(&["tune", GAME, "nothing"]).code(2));
    assert!(said.contains("nothing"), "{said}");
}

#[test]
fn a_setting_is_set_by_a_unique_end_of_its_name_and_taken_back() {
    let bench = pier();
    prefix(&bench);
    let before = bench.picture("games");
    let plan = bench.ok(&["tune", GAME, "glim", "FPS=144", "--dry-run"]);
    assert!(plan.contains("120 → 144"), "{plan}");
    assert_eq!(bench.picture("games"), before, "a dry run sets nothing");

    let done = bench.ok(&["tune", GAME, "glim", "fps=144", "quality=LOW", "log=on", "debug=on"]);
    assert!(flat(&done).contains("3 values"), "{done}");
    let ini = String::from_utf8(INI.to_vec()).unwrap();
    assert_eq!(
        text(&bench, "glim.ini"),
        ini.replace("120", "144").replace("Quality=1", "Quality=0")
    );
    let json = "{\"debug\": {\"output\": {\"log\": true}}}\n";
    assert_eq!(text(&bench, "conf/glim.json"), json, "in a file that was not there");
    assert!(
        registry(&bench).contains("[Software\\\\Glim\\\\Loader] 0\n\"Debug\"=dword:00000001\n")
    );

    let shown = bench.ok(&["history", "show", "2"]);
    for row in ["120    144", "high → low", "not set"] {
        let row = row.replace("high → low", "1        0");
        assert!(flat(&shown).contains(&flat(&row)), "{row}: {shown}");
    }
    let again = bench.ok(&["tune", GAME, "glim", "fps=144"]);
    assert!(again.contains("Everything is set so already."), "{again}");
    bench.ok(&["tune", GAME, "glim", "--unset", "fps"]);
    assert!(text(&bench, "glim.ini").contains("MaxFps = 120 ; tuned"));
    bench.ok(&["undo"]);
    bench.ok(&["tune", GAME, "glim", "--reset"]);
    assert_eq!(text(&bench, "glim.ini"), ini);
    assert_eq!(registry(&bench), REGISTRY, "the keys that were made for it went again");
    for _ in 0..2 {
        bench.ok(&["undo"]);
    }
    assert_eq!(bench.picture("games"), before);
    assert_eq!(registry(&bench), REGISTRY);
}

#[test]
fn what_cannot_be_meant_is_refused_with_what_can() {
    let bench = pier();
    let refused = |words: &[&str]| errors(&bench.run(&[&["tune", GAME], words].concat()).code(2));
    let said = refused(&["glim", "quality=best"]);
    assert!(
        said.contains("`best` is not a value of `quality`") && said.contains("low, high"),
        "{said}"
    );
    let said = refused(&["glim", "fps=500"]);
    assert!(said.contains("30 to 240"), "{said}");
    let said = refused(&["glim", "sound=on"]);
    assert!(said.contains("no setting `sound`") && said.contains("max fps, quality"), "{said}");
    let said = refused(&["glim", "--preset", "loud"]);
    assert!(said.contains("The catalog has: calm"), "{said}");
    let said = refused(&["compat=windows-3"]);
    assert!(said.contains("windows-7") && said.contains("off"), "{said}");
    let said = refused(&["glim", "--unset", "log"]);
    assert!(said.contains("log=VALUE"), "{said}");
    let said = refused(&["compat=windows-7", "--program", "other.exe"]);
    assert!(said.contains("Pier.exe"), "{said}");

    let said = refused(&["glim", "limits/other= x"]);
    assert!(said.contains("no setting"), "{said}");
    bench.write(&format!("{GAME}/winmm.ini"), b"[A]\nb=1\n");
    let said = refused(&["glim", "a/b=1\nc=2"]);
    assert!(said.contains("cannot be set in winmm.ini"), "{said}");
    // The last value counts, and a single one overrides a preset.
    let twice = [
        "tune",
        GAME,
        "glim",
        "fps=50",
        "fps=70",
        "--preset",
        "calm",
        "--dry-run",
        "--reg-file",
        "x.reg",
    ];
    assert!(bench.ok(&twice).contains("120 → 70"));

    bench.write(&format!("{GAME}/glim.toml"), b"[a]\nfps = 1\n[b]\nfps = 2\n");
    let without = refused(&["glim", "a/c=1"]);
    assert!(without.contains("no setting `a/c`"), "{without}");
    bench.ok(&["tune", GAME, "glim", "b/fps=3"]);
    assert_eq!(text(&bench, "glim.toml"), "[a]\nfps = 1\n[b]\nfps = 3\n");
}

#[test]
fn where_there_is_no_registry_its_values_can_be_written_to_a_file() {
    if cfg!(windows) {
        return;
    }
    let bench = pier();
    let said = flat(&output(&bench.run(&["tune", GAME, "glim", "debug=on"]).code(3)));
    assert!(said.contains("[no-registry]") && said.contains("--reg-file FILE"), "{said}");
    bench.ok(&["tune", GAME, "glim", "debug=on", "--reg-file", "debug.reg"]);
    let units: Vec<u16> = fs::read(bench.file("debug.reg")).unwrap()[2..]
        .chunks_exact(2)
        .map(|pair| u16::from_le_bytes([pair[0], pair[1]]))
        .collect();
    assert_eq!(
        String::from_utf16(&units).unwrap(),
        "Windows Registry Editor Version 5.00\r\n\r\n[HKEY_CURRENT_USER\\Software\\Glim\\Loader]\r\n\
         \"Debug\"=dword:00000001\r\n"
    );
    let said =
        errors(&bench.run(&["tune", GAME, "glim", "debug=on", "--reg-file", "debug.reg"]).code(2));
    assert!(said.contains("debug.reg is there already"), "{said}");
}

#[test]
fn values_by_which_the_system_starts_programs_stop() {
    let bench = pier();
    prefix(&bench);
    for (key, code) in [
        (r"Software\Microsoft\Windows\CurrentVersion\Run", "starts-programs"),
        (r"SOFTWARE\WOW6432Node\Microsoft\Windows\CurrentVersion\runonce", "starts-programs"),
        (r"Software\Classes\.txt\shell\open\command", "starts-programs"),
        (
            r"Software\Microsoft\Windows NT\CurrentVersion\Image File Execution Options\a.exe",
            "starts-programs",
        ),
        (r"Software\Policies\Maker", "needs-administrator"),
    ] {
        let catalog =
            CATALOG.replace(r"Software\Glim\Loader", key).replace("\"dword\"", "\"text\"");
        bench.write("home/catalog/mine.toml", catalog.as_bytes());
        let said = flat(&output(&bench.run(&["tune", GAME, "glim", "debug=on"]).code(3)));
        assert!(said.contains(&format!("[{code}]")), "{key}: {said}");
    }
    assert_eq!(registry(&bench), REGISTRY);
    let bad = CATALOG.replace("HKEY_CURRENT_USER", "HKEY_LOCAL_MACHINE");
    bench.write("home/catalog/mine.toml", bad.as_bytes());
    let said = errors(&bench.run(&["family", "list"]));
    let line = bad[..bad.find("name = \"debug\"").unwrap()].matches('\n').count();
    assert!(said.contains("is not below HKEY_CURRENT_USER"), "{said}");
    assert!(
        said.contains(&format!("mine.toml:{line}")) || said.contains(&format!("line {line}")),
        "{said}"
    );
}

#[test]
fn a_locked_file_is_gone_through_and_stays_locked() {
    let bench = pier();
    let is_locked =
        || fs::metadata(bench.file(&format!("{GAME}/glim.ini"))).unwrap().permissions().readonly();
    bench.ok(&["tune", GAME, "glim", "--lock"]);
    assert!(is_locked());
    assert!(bench.ok(&["tune", GAME, "glim"]).contains("glim.ini is locked"));
    let said = bench.ok(&["tune", GAME, "glim", "fps=100"]);
    assert!(!said.contains("file-read-only"), "its own lock is no finding: {said}");
    assert!(is_locked() && text(&bench, "glim.ini").contains("MaxFps = 100"));

    // A newer build comes through the lock, too, and its file keeps it.
    let newer = b"[Limits]\nMaxFps=90\nQuality=1\nDepth=3\n";
    let pack = archive::zip(&[("glim.dll", &loader([2, 5, 0, 0])[..]), ("glim.ini", newer)], DATE);
    bench.write("newer.zip", &pack);
    let said = bench.ok(&["fit", GAME, "newer.zip"]);
    assert!(!said.contains("file-read-only"), "{said}");
    assert!(is_locked() && text(&bench, "glim.ini").contains("Depth"));

    // Somebody takes the lock away: that is drift, and refit puts it back.
    crate::common::free(&bench.file(&format!("{GAME}/glim.ini")));
    let drift = output(&bench.run(&["drift", GAME]).code(1));
    assert!(drift.contains("not locked"), "{drift}");
    bench.ok(&["refit", GAME]);
    assert!(is_locked());
    bench.ok(&["tune", GAME, "glim", "--unlock"]);
    assert!(!is_locked());
    bench.ok(&["undo"]);
    assert!(is_locked());
    bench.ok(&["rollback", GAME]);
    assert!(!bench.file(&format!("{GAME}/glim.ini")).exists(), "what the build brought is gone");
    bench.ok(&["undo"]);
    assert!(is_locked());
}

#[test]
fn a_lock_of_someone_elses_is_said() {
    let bench = pier();
    let ini = bench.file(&format!("{GAME}/glim.ini"));
    let mut permissions = fs::metadata(&ini).unwrap().permissions();
    permissions.set_readonly(true);
    fs::set_permissions(&ini, permissions).unwrap();
    let said = bench.ok(&["tune", GAME, "glim", "fps=100"]);
    assert!(said.contains("glim.ini is marked read-only. [file-read-only]"), "{said}");
    assert!(fs::metadata(&ini).unwrap().permissions().readonly());
    crate::common::free(&ini);
}

#[test]
fn a_program_may_rewrite_its_settings_between_set_and_undo() {
    let bench = pier();
    bench.ok(&["tune", GAME, "glim", "fps=144"]);
    bench.write(&format!("{GAME}/glim.ini"), b"[Own]\nx=1\n[Limits]\nQuality=0\nMaxFps=144\n");
    bench.ok(&["undo"]);
    assert_eq!(text(&bench, "glim.ini"), "[Own]\nx=1\n[Limits]\nQuality=0\nMaxFps=120\n");
    // A value that the user has set since is kept.
    bench.ok(&["tune", GAME, "glim", "fps=144"]);
    bench.write(&format!("{GAME}/glim.ini"), b"[Limits]\nQuality=0\nMaxFps=99\n");
    let said = output(&bench.run(&["undo"]).code(1));
    assert!(said.contains("altered-since"), "{said}");
    assert!(text(&bench, "glim.ini").contains("MaxFps=99"));
    assert!(bench.run(&["drift", GAME]).get_output().status.success(), "and it is no drift");
}

#[test]
fn a_preset_is_set_saved_and_set_in_every_game() {
    let bench = pier();
    prefix(&bench);
    game(&bench, "games/Other");
    bench.ok(&["fit", "games/Other", "glim.zip", "--as", "winmm.dll"]);
    bench.ok(&["root", "add", "games"]);
    bench.ok(&["tune", GAME, "glim", "--preset", "calm"]);
    let shown = bench.ok(&["tune", GAME, "glim"]);
    assert!(shown.contains("calm (set now)"), "{shown}");
    assert!(text(&bench, "glim.ini").contains("MaxFps = 60 ; tuned"));
    bench.ok(&["tune", GAME, "glim", "fps=75"]);
    assert!(bench.ok(&["tune", GAME, "glim"]).contains("calm (max fps would change)"));

    bench.ok(&["tune", GAME, "glim", "--save-preset", "mine"]);
    let catalog = fs::read_to_string(bench.file("home/catalog/mine.toml")).unwrap();
    assert!(catalog.starts_with(CATALOG.split("[[family.preset]]").next().unwrap()), "{catalog}");
    assert!(bench.ok(&["tune", GAME, "glim"]).contains("mine (set now)"));

    bench.ok(&["game", "set", "games/Other", "--prefix", "prefix"]);
    let done = bench.ok(&["tune", "--all", "glim", "--preset", "mine", "--yes"]);
    assert!(done.contains("1 game"), "{done}");
    let other = fs::read_to_string(bench.file("games/Other/glim.ini")).unwrap();
    assert!(other.contains("MaxFps = 75") && other.contains("Quality=0"), "{other}");
}

#[test]
fn the_mode_of_a_program_is_set_in_its_prefix_and_taken_back() {
    let bench = pier();
    prefix(&bench);
    let shown = bench.ok(&["tune", GAME, "compat"]);
    assert!(shown.contains("windows-8, windows-7"), "{shown}");
    assert!(shown.contains("Pier.exe  off"), "{shown}");
    bench.ok(&["tune", GAME, "compat=windows-7"]);
    let set = "[Software\\\\Wine\\\\AppDefaults\\\\Pier.exe] 0\n\"Version\"=\"win7\"\n";
    assert!(registry(&bench).contains(set), "{}", registry(&bench));
    assert!(bench.ok(&["tune", GAME]).contains("compat of Pier.exe: windows-7"));
    let document = bench.json(&["tune", GAME, "compat"]);
    assert_eq!(document["programs"][0]["compat"], "windows-7");

    bench.ok(&["tune", GAME, "compat=windows-8", "--reg-file", "mode.reg"]);
    assert!(bench.file("mode.reg").exists() && registry(&bench).contains(set), "written, not set");

    // The launcher of the prefix sets another: that is drift.
    let other = registry(&bench).replace("win7", "winxp");
    bench.write("prefix/user.reg", other.as_bytes());
    let drift = output(&bench.run(&["drift", GAME]).code(1));
    assert!(drift.contains("win7") && drift.contains("winxp"), "{drift}");
    bench.ok(&["refit", GAME]);
    assert!(registry(&bench).contains("win7"));
    bench.ok(&["tune", GAME, "compat=off"]);
    assert_eq!(registry(&bench), REGISTRY);
}

/// A stand-in for the command that runs programs in a prefix: its registry program imports a `.reg` file into the
/// prefix's memory, or exports it.
#[test]
#[ignore = "is started by another test"]
fn stand_in_for_a_prefix_that_runs() {
    use upright_spanner_settings::registry::{RegFile, RegItem};
    let words: Vec<String> = std::env::args().skip_while(|word| word != "regedit").collect();
    let [_, how, file, key @ ..] = &words[..] else { panic!("{words:?}") };
    let prefix = std::path::PathBuf::from(std::env::var("WINEPREFIX").unwrap());
    let file = prefix.join("drive_c").join(file.strip_prefix(r"C:\").unwrap());
    let memory = prefix.join("memory.reg");
    let read = |path| RegFile::read(&fs::read(path).unwrap_or_default()).unwrap_or_default().lines;
    let mut lines = read(&memory);
    if how == "/E" {
        lines.retain(|line| line.key.starts_with(&key[0]));
        if !lines.is_empty() {
            fs::write(&file, RegFile::write(&lines)).unwrap();
        }
        return;
    }
    for line in read(&file) {
        match &line.item {
            RegItem::DeleteKey => lines.retain(|other| !other.key.starts_with(&line.key)),
            RegItem::Set(name, _) | RegItem::Delete(name) => lines.retain(|other| {
                let is_it = matches!(&other.item, RegItem::Set(known, _) if known == name);
                other.key != line.key || !is_it
            }),
            RegItem::MakeKey => lines.retain(|other| *other != line),
        }
        if matches!(line.item, RegItem::Set(..) | RegItem::MakeKey) {
            lines.push(line);
        }
    }
    fs::write(&memory, RegFile::write(&lines)).unwrap();
}

#[cfg(target_os = "linux")]
#[test]
fn while_a_prefix_runs_its_registry_is_set_through_the_program_that_was_named() {
    let bench = pier();
    prefix(&bench);
    // Something has the prefix open, as its own programs have.
    let held = fs::File::open(bench.file("prefix")).unwrap();
    let said = flat(&output(&bench.run(&["tune", GAME, "glim", "debug=on"]).code(3)));
    assert!(said.contains("[prefix-in-use]") && said.contains("--run-with COMMAND"), "{said}");
    let program = std::env::current_exe().unwrap();
    let command =
        format!("{} --exact tune::stand_in_for_a_prefix_that_runs --ignored", program.display());
    bench.ok(&["game", "set", GAME, "--run-with", &command]);
    bench.ok(&["tune", GAME, "glim", "debug=on"]);
    let memory = || fs::read(bench.file("prefix/memory.reg")).unwrap();
    let has = |text: &str| {
        let units: Vec<u8> = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
        memory().windows(units.len()).any(|part| part == units)
    };
    assert!(has("\"Debug\"=dword:00000001"));
    assert_eq!(registry(&bench), REGISTRY, "its file is the programs' own meanwhile");
    bench.ok(&["undo"]);
    assert!(
        !has("Debug") && !has("Glim"),
        "{}",
        String::from_utf8_lossy(&memory()).replace('\0', "")
    );
    assert!(fs::read_dir(bench.file("prefix/drive_c")).unwrap().count() == 1, "nothing lies about");
    drop(held);
    bench.ok(&["tune", GAME, "glim", "debug=on"]);
    assert!(registry(&bench).contains("\"Debug\"=dword:00000001"));
}

/// The real registry, whose keys are made and go again.
#[cfg(windows)]
mod windows {
    use super::*;
    use winreg::RegKey;
    use winreg::enums::HKEY_CURRENT_USER;

    const LAYERS: &str = r"Software\Microsoft\Windows NT\CurrentVersion\AppCompatFlags\Layers";

    fn user() -> RegKey {
        RegKey::predef(HKEY_CURRENT_USER)
    }

    #[test]
    fn the_registry_of_windows_is_set_and_taken_back() {
        let bench = pier();
        let own = format!("Glim {}", bench.path().file_name().unwrap().to_string_lossy());
        let catalog = CATALOG.replace(r"Software\Glim\Loader", &format!(r"Software\{own}\Loader"));
        bench.write("home/catalog/mine.toml", catalog.as_bytes());
        bench.ok(&["tune", GAME, "glim", "debug=on"]);
        let key = user().open_subkey(format!(r"Software\{own}\Loader")).unwrap();
        assert_eq!(key.get_value::<u32, _>("Debug").unwrap(), 1);
        assert!(flat(&bench.ok(&["tune", GAME, "glim"])).contains("debug on not set"));
        drop(key);
        bench.ok(&["undo"]);
        assert!(user().open_subkey(format!(r"Software\{own}")).is_err(), "its keys went again");
    }

    #[test]
    fn the_mode_of_a_program_keeps_its_other_words() {
        let bench = pier();
        let program = bench.file(&format!("{GAME}/Pier.exe"));
        let name = program.to_string_lossy().replace('/', r"\");
        let (layers, _) = user().create_subkey(LAYERS).unwrap();
        layers.set_value(&name, &"~ HIGHDPIAWARE WINXPSP2").unwrap();
        let mode = || user().open_subkey(LAYERS).unwrap().get_value::<String, _>(&name);
        bench.ok(&["tune", GAME, "compat=windows-7"]);
        assert_eq!(mode().unwrap(), "~ HIGHDPIAWARE WIN7RTM");
        bench.ok(&["tune", GAME, "compat=off"]);
        assert_eq!(mode().unwrap(), "~ HIGHDPIAWARE");
        bench.ok(&["undo"]);
        bench.ok(&["undo"]);
        assert_eq!(mode().unwrap(), "~ HIGHDPIAWARE WINXPSP2");
        user()
            .open_subkey_with_flags(LAYERS, winreg::enums::KEY_ALL_ACCESS)
            .unwrap()
            .delete_value(&name)
            .unwrap();
    }
}

/// A build with a file that sets values, and one that takes them back.
fn with_registry(bench: &Bench, version: [u16; 4], sets: &str) -> String {
    let heading = "Windows Registry Editor Version 5.00\r\n\r\n";
    let enable = format!("{heading}[HKEY_CURRENT_USER\\Software\\Glim]\r\n{sets}");
    let undo = format!("{heading}[-HKEY_CURRENT_USER\\Software\\Glim]\r\n");
    let name = format!("glim-{}.zip", version[0]);
    let entries: [(&str, &[u8]); 3] = [
        ("glim.dll", &loader(version)),
        ("enable.reg", enable.as_bytes()),
        ("undo.reg", undo.as_bytes()),
    ];
    bench.write(&name, &archive::zip(&entries, DATE));
    name
}

const HOOK: &str = "\"Hook\"=dword:00000001\r\n@=\"on\"\r\n";

#[test]
fn values_of_a_build_are_told_left_and_set_where_it_is_asked_for() {
    let bench = Bench::empty();
    game(&bench, GAME);
    prefix(&bench);
    let name = with_registry(&bench, [2, 0, 0, 0], HOOK);
    let said = flat(&bench.ok(&["rack", "add", &name]));
    assert!(said.contains("enable.reg would set in the registry, with --registry:"), "{said}");
    assert!(said.contains("HKEY_CURRENT_USER\\Software\\Glim: Hook = 1"), "{said}");
    assert!(said.contains("undo.reg removes from the registry"), "{said}");

    let fit = ["fit", GAME, "glim@2.0.0", "--as", "winmm.dll"];
    let said = flat(&bench.ok(&[&fit[..], &["--dry-run"]].concat()));
    assert!(said.contains("Hook: not set → 1") && said.contains("[registry-left]"), "{said}");
    let before = registry(&bench);
    bench.ok(&fit);
    assert!(!registry(&bench).contains("Glim"), "left");
    bench.ok(&["undo"]);
    assert_eq!(registry(&bench), before);
    let done = flat(&bench.ok(&[&fit[..], &["--registry"]].concat()));
    assert!(done.contains("not set → on") && done.contains("Glim: Hook"), "{done}");
    assert!(registry(&bench).contains("\"Hook\"=dword:00000001"));

    // With a newer build that sets something else, the old values go.
    let newer = with_registry(&bench, [3, 0, 0, 0], "\"Other\"=\"x\"\r\n");
    bench.ok(&["fit", GAME, &newer, "--registry"]);
    let now = registry(&bench);
    assert!(now.contains("\"Other\"=\"x\"") && !now.contains("Hook"), "{now}");
    for (there, back) in [("park", "unpark"), ("rollback", "undo")] {
        bench.ok(&[there, GAME, "glim"]);
        assert!(!registry(&bench).contains("Glim"), "{there}");
        let words = if back == "undo" { vec![back] } else { vec![back, GAME, "glim"] };
        bench.ok(&words);
        assert!(registry(&bench).contains("\"Other\""), "{back}");
    }
    bench.ok(&["rollback", GAME]);
    assert_eq!(registry(&bench), before, "byte for byte");

    // Values set by hand with the fitted build's file are removed with its undo file.
    bench.ok(&fit);
    let by_hand = format!("{before}\n[Software\\\\Glim] 5\n\"Hook\"=dword:00000001\n");
    bench.write("prefix/user.reg", by_hand.as_bytes());
    bench.ok(&["rollback", GAME, "--dry-run"]);
    bench.ok(&["rollback", GAME]);
    assert_eq!(registry(&bench), before);

    // The layout can say it once for all builds.
    let layout = bench.ok(&["rack", "show", "glim@2.0.0", "--layout"]);
    assert!(
        layout.contains("from = \"enable.reg\"\nbay = \"root\"\npolicy = \"leave\""),
        "{layout}"
    );
    let set = layout.replacen("policy = \"leave\"", "policy = \"registry\"", 1);
    bench.write("layout.toml", set.as_bytes());
    bench.ok(&["rack", "add", &name, "--layout", "layout.toml"]);
    bench.ok(&fit);
    assert!(registry(&bench).contains("\"Hook\"=dword:00000001"));
}

#[test]
fn what_an_older_build_set_by_hand_is_taken_back_where_it_is_asked_for() {
    let bench = Bench::empty();
    game(&bench, GAME);
    let old = with_registry(&bench, [1, 0, 0, 0], HOOK);
    bench.ok(&["rack", "add", &old]);
    bench.write(&format!("{GAME}/winmm.dll"), &loader([1, 0, 0, 0]));
    prefix(&bench);
    let by_hand = format!(
        "{REGISTRY}\n[Software\\\\Glim] 5\n\"Hook\"=dword:00000001\n\n[Software\\\\Glim\\\\Deep] 5\n\"x\"=\"1\"\n"
    );
    bench.write("prefix/user.reg", by_hand.as_bytes());
    bench.write("new.dll", &loader([2, 0, 0, 0]));
    let fit = ["fit", GAME, "new.dll"];
    let said = flat(&bench.ok(&[&fit[..], &["--dry-run"]].concat()));
    assert!(
        said.contains("undo.reg of glim@1.0.0 should be run")
            || said.contains("undo.reg of glim@1"),
        "{said}"
    );
    assert!(said.contains("Hook: 1 → not set") && said.contains("--undo-old"), "{said}");
    bench.ok(&[&fit[..], &["--undo-old"]].concat());
    assert_eq!(registry(&bench), REGISTRY, "and the keys that are empty");
    bench.ok(&["undo"]);
    assert!(
        registry(&bench).contains("\"Hook\"=dword:00000001") && registry(&bench).contains("Deep")
    );
}

#[test]
fn what_a_build_may_not_set_stops_and_without_a_registry_it_goes_to_a_file() {
    let bench = Bench::empty();
    game(&bench, GAME);
    let heading = "REGEDIT4\n";
    let pack = |name: &str, reg: &str| {
        let text = format!("{heading}{reg}");
        let entries: [(&str, &[u8]); 2] =
            [("glim.dll", &loader([2, 0, 0, 0])), ("set.reg", text.as_bytes())];
        bench.write(name, &archive::zip(&entries, DATE));
    };
    pack("machine.zip", "[HKEY_LOCAL_MACHINE\\Software\\Glim]\n\"x\"=\"1\"\n");
    pack(
        "run.zip",
        "[HKEY_CURRENT_USER\\Software\\Microsoft\\Windows\\CurrentVersion\\Run]\n\"x\"=\"1\"\n",
    );
    pack("plain.zip", "[HKEY_CURRENT_USER\\Software\\Glim]\n\"x\"=\"1\"\n");
    let fit = |name: &'static str| vec!["fit", GAME, name, "--as", "winmm.dll", "--registry"];
    if !cfg!(windows) {
        let said = flat(&output(&bench.run(&fit("plain.zip")).code(3)));
        assert!(said.contains("[no-registry]"), "{said}");
        bench.ok(&[fit("plain.zip"), vec!["--reg-file", "plain.reg"]].concat());
        assert!(bench.file("plain.reg").exists());
        bench.ok(&["rollback", GAME]);
    }
    prefix(&bench);
    for (name, code) in [("machine.zip", "needs-administrator"), ("run.zip", "starts-programs")] {
        let said = flat(&output(&bench.run(&fit(name)).code(3)));
        assert!(said.contains(&format!("[{code}]")), "{said}");
        bench.ok(&[&fit(name)[..5], &["--dry-run"]].concat());
    }
    assert_eq!(registry(&bench), REGISTRY);
}

#[test]
fn what_a_game_is_started_with_and_files_of_the_users_own_folders_are_settings_too() {
    let bench = pier();
    prefix(&bench);
    let folders = r"Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Shell Folders";
    let with_folders =
        format!("{REGISTRY}\n[{folders}] 1\n\"Personal\"=\"C:\\\\users\\\\ada\\\\Documents\"\n");
    bench.write("prefix/user.reg", with_folders.as_bytes());
    bench.write("prefix/drive_c/users/ada/Documents/Glim/cloud.ini", b"[Sync]\nOn=1\n");
    let cloud = || {
        fs::read_to_string(bench.file("prefix/drive_c/users/ada/Documents/Glim/cloud.ini")).unwrap()
    };
    bench.ok(&["tune", GAME, "glim", "windowed=on", "cloud=0"]);
    assert_eq!(cloud(), "[Sync]\nOn=0\n");
    let start = bench.file("home/start/pier.toml");
    assert_eq!(fs::read_to_string(&start).unwrap(), "[arguments]\n-windowed = 1\n");
    bench.ok(&["tune", GAME, "glim", "windowed=off"]);
    assert_eq!(fs::read_to_string(&start).unwrap(), "[arguments]\n-windowed = 0\n");
    bench.ok(&["tune", GAME, "glim", "--reset"]);
    assert!(cloud().contains("On=1"));
    bench.ok(&["undo"]);
    bench.ok(&["rollback", GAME]);
    assert!(!start.exists());
    assert!(cloud().contains("On=1"));
    bench.ok(&["undo"]);
    assert!(start.exists() && cloud().contains("On=0"));

    // A catalog that is beside a game speaks of that game's own files alone.
    fs::rename(
        bench.file("home/catalog/mine.toml"),
        bench.file(&format!("{GAME}/spanner-families.toml")),
    )
    .unwrap();
    let shown = bench.ok(&["tune", GAME, "glim"]);
    assert!(shown.contains("max fps") && !shown.contains("windowed"), "{shown}");
    assert!(!shown.contains("\n  debug") && !shown.contains("cloud"), "{shown}");
}

#[test]
fn every_copy_of_a_component_is_set() {
    let bench = pier();
    bench.write(&format!("{GAME}/second/glim.dll"), &loader([2, 0, 0, 0]));
    bench.write(&format!("{GAME}/second/glim.ini"), b"[Limits]\nMaxFps=90\n");
    assert!(bench.ok(&["tune", GAME, "glim"]).contains("glim.ini, 1 more"));
    bench.ok(&["tune", GAME, "glim", "fps=144", "--lock"]);
    assert_eq!(text(&bench, "second/glim.ini"), "[Limits]\nMaxFps=144\n");
    assert!(text(&bench, "glim.ini").contains("MaxFps = 144 ; tuned"));
    bench.ok(&["undo"]);
    assert_eq!(text(&bench, "second/glim.ini"), "[Limits]\nMaxFps=90\n");
    assert!(text(&bench, "glim.ini").contains("MaxFps = 120 ; tuned"));
}
