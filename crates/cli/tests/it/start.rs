//! How a game is started, and shortcuts.

use std::fs;

use crate::common::play::{
    PIER, Stage, info, lens, pier, plain_reed, reed, reed_run, still_pier, writes,
};
use crate::common::{Bench, errors, flat, output, wait_until};
use serde_json::Value;
use upright_spanner_sample::{Bits, Deed, Pe, archive};

/// The start.
fn way(bench: &Bench, more: &[&str]) -> Value {
    let words = [&["--json", "start", PIER, "--dry-run"][..], more].concat();
    let document: Value = serde_json::from_str(&bench.ok(&words)).unwrap();
    crate::common::documents::assert_described(&words[1..], &document);
    document["start"].clone()
}

fn what(bench: &Bench) -> (String, String) {
    let way = way(bench, &[]);
    let text = |key: &str| way[key].as_str().unwrap().to_owned();
    (text("what"), text("chosen"))
}

fn is(what: &str, chosen: &str) -> (String, String) {
    (what.to_owned(), chosen.to_owned())
}

/// A program that nothing shows to be a starter.
fn tool(about: &str) -> Pe {
    Pe::exe(Bits::Bits64).version(&info([1, 0, 0, 0], "Nine Knots", about, about))
}

#[test]
fn what_is_started_follows_from_option_setting_starter_and_executable_in_this_order() {
    let stage = Stage::new();
    let bench = &stage.bench;
    stage.put("tools/Menu.exe", &tool("Pier menu"));
    assert_eq!(what(bench), is("Pier.exe", "executable"));
    stage.fit_reed([2, 4, 1, 0], "4.5.3");
    assert_eq!(what(bench), is("reed-run.exe", "starter"));
    bench.ok(&["game", "set", "pier", "--start", "tools/Menu.exe"]);
    assert_eq!(what(bench), is("tools/Menu.exe", "setting"));
    let once = way(bench, &["--program", "Pier.exe"]);
    assert_eq!((&once["what"], &once["chosen"]), (&"Pier.exe".into(), &"once".into()));

    // Which executable counts, and what belongs beside it, stays as it was.
    let shown = bench.json(&["game", "show", "pier"]);
    assert_eq!(shown["game"]["programs"][0]["path"], "Pier.exe");
    assert_eq!(shown["game"]["start"]["what"], "tools/Menu.exe");
    let text = bench.ok(&["game", "show", "pier"]);
    assert!(text.contains("starts with  tools/Menu.exe, as you set it"), "{text}");
    assert!(bench.ok(&["survey", "pier", "-v"]).contains("starts with tools/Menu.exe"));

    bench.ok(&["game", "set", "pier", "--start", ""]);
    assert_eq!(what(bench), is("reed-run.exe", "starter"));
    bench.ok(&["rollback", "pier", "reed"]);
    assert_eq!(what(bench), is("Pier.exe", "executable"));
}

#[test]
fn a_fit_ends_with_what_the_game_is_started_with() {
    let stage = Stage::new();
    let (dll, run) = (reed([2, 4, 1, 0], "4.5.3").to_bytes(), reed_run("4.5.3").to_bytes());
    let pack = [("reed-4.5.3.dll", &dll[..]), ("reed-run.exe", &run)];
    stage.bench.write("reed.zip", &archive::zip(&pack, (2026, 3, 4)));
    let said = flat(&stage.bench.ok(&["fit", PIER, "reed.zip"]));
    let start = "Start the game with reed-run.exe, the starter of reed: spanner start pier --prove";
    assert!(said.contains(start), "{said}");
    stage.put("lens.dll", &lens([1, 0, 0, 0]));
    stage.bench.ok(&["rollback", "pier"]);
    stage.bench.write("new/lens.dll", &lens([1, 1, 0, 0]).to_bytes());
    let said = flat(&stage.bench.ok(&["fit", PIER, "new/lens.dll"]));
    assert!(said.contains("Start the game with Pier.exe: spanner start pier --prove"), "{said}");
}

#[test]
fn a_starter_is_known_by_its_layout_or_where_it_lies_and_none_is_guessed() {
    // By hand, beside the executable, of the maker of an extender there.
    let stage = Stage::new();
    let bench = &stage.bench;
    stage.put("reed-4.5.3.dll", &plain_reed([2, 4, 1, 0]));
    stage.put("reed-run.exe", &reed_run("4.5.3"));
    assert_eq!(what(bench), is("reed-run.exe", "starter"));
    // Another program of its maker makes the choice ambiguous; an installer does not.
    let other =
        |about: &str| Pe::exe(Bits::Bits64).version(&info([1; 4], "The Reed Circle", about, about));
    stage.put("reed-setup.exe", &other("Reed setup"));
    assert_eq!(what(bench), is("reed-run.exe", "starter"));
    stage.put("reed-view.exe", &other("Reed viewer"));
    assert_eq!(what(bench), is("Pier.exe", "executable"));

    // A layout says which of several.
    let stage = Stage::new();
    let bench = &stage.bench;
    let files = [
        ("reed-4.5.3.dll", plain_reed([2, 4, 1, 0]).to_bytes()),
        ("reed-run.exe", reed_run("4.5.3").to_bytes()),
        ("reed-view.exe", other("Reed viewer").to_bytes()),
    ];
    let entries: Vec<(&str, &[u8])> =
        files.iter().map(|(name, bytes)| (*name, &bytes[..])).collect();
    bench.write("reed.zip", &archive::zip(&entries, (2026, 3, 4)));
    let layout = |start: &str| {
        format!(
            "schema = 2\nfamily = \"reed\"\n\
             [[file]]\nfrom = \"reed-4.5.3.dll\"\nbay = \"exe\"\npolicy = \"replace\"\n\
             [[file]]\nfrom = \"reed-run.exe\"\nbay = \"exe\"\npolicy = \"replace\"\n\
             [[file]]\nfrom = \"reed-view.exe\"\nbay = \"exe\"\npolicy = \"replace\"\n{start}"
        )
    };
    bench.write("layout.toml", layout("start = true\n").as_bytes());
    bench.ok(&["rack", "add", "reed.zip", "--layout", "layout.toml"]);
    bench.ok(&["fit", PIER, "reed"]);
    assert_eq!(what(bench), is("reed-view.exe", "starter"));
    let shown = bench.ok(&["rack", "show", "reed", "--layout"]);
    assert!(shown.contains("start = true"), "{shown}");
    bench.write("layout.toml", layout("start = true\n").replace("reed-view", "*").as_bytes());
    let said = errors(&bench.run(&["rack", "add", "reed.zip", "--layout", "layout.toml"]));
    assert!(said.contains("only one file that is placed in the game"), "{said}");
}

#[test]
fn a_command_or_an_address_can_be_what_is_started() {
    let stage = Stage::new();
    let bench = &stage.bench;
    bench.ok(&["game", "set", "pier", "--start", "launcher://pier/1?mode=two words"]);
    let address = way(bench, &[]);
    assert_eq!(address["kind"], "address");
    assert_eq!(address["command"], Value::Null);
    assert_eq!(address["what"], "launcher://pier/1?mode=two words");

    let program = env!("CARGO_BIN_EXE_spanner");
    bench.ok(&["game", "set", "pier", "--start", &format!("\"{program}\" history \"a b\"")]);
    let command = way(bench, &["--", "--size"]);
    assert_eq!(command["kind"], "command");
    let words: Vec<&str> =
        command["command"].as_array().unwrap().iter().map(|word| word.as_str().unwrap()).collect();
    assert_eq!(words, [program, "history", "a b", "--size"]);

    for (wrong, said) in [
        ("nothing.exe", "neither a file"),
        ("no-such-program -x", "neither a file"),
        ("\"half", "a quotation mark has no second"),
        ("../home/games.toml", "neither a file"),
    ] {
        let refused = flat(&errors(&bench.run(&["game", "set", "pier", "--start", wrong]).code(2)));
        assert!(refused.contains(said), "{wrong}: {refused}");
    }
    // A starter that has disappeared is reported before the start.
    stage.put("tools/Menu.exe", &tool("Pier menu"));
    bench.ok(&["game", "set", "pier", "--start", "tools\\Menu.exe"]);
    assert_eq!(what(bench), is("tools/Menu.exe", "setting"));
    fs::remove_file(bench.file("games/Pier/tools/Menu.exe")).unwrap();
    let said = flat(&errors(&bench.run(&["start", PIER]).code(2)));
    assert!(said.contains("spanner game set pier --start FILE"), "{said}");
    // Looking at the game works all the same.
    bench.ok(&["game", "show", "pier"]);
}

/// The system's opener is the first of that name in the program folders.
#[cfg(target_os = "linux")]
#[test]
fn an_address_is_handed_to_the_systems_opener() {
    use std::os::unix::fs::PermissionsExt;
    let stage = Stage::new();
    let bench = &stage.bench;
    bench.ok(&["game", "set", "pier", "--start", "launcher://pier/1"]);
    let opened = bench.file("opened.txt");
    let script = format!("#!/bin/sh\necho \"$1\" > '{}'\n", opened.display());
    bench.write("bin/xdg-open", script.as_bytes());
    let opener = bench.file("bin/xdg-open");
    fs::set_permissions(&opener, fs::Permissions::from_mode(0o755)).unwrap();
    let mut program = bench.program(&["start", PIER]);
    program.env("PATH", format!("{}:/usr/bin:/bin", bench.file("bin").display()));
    crate::common::in_time(program, 60).code(0);
    wait_until("the opener", || opened.is_file());
    assert_eq!(fs::read_to_string(opened).unwrap(), "launcher://pier/1\n");
}

#[test]
fn arguments_and_variables_come_from_the_user_and_from_settings() {
    let stage = Stage::new();
    let bench = &stage.bench;
    let catalog = "schema = 1\n[[family]]\nid = \"lens\"\nproduct = \"Lens\"\n\
        [[family.setting]]\nname = \"window\"\nkind = \"switch\"\nargument = \"-windowed\"\n\
        [[family.setting]]\nname = \"height\"\nkind = \"number\"\nargument = \"-h={value}\"\n\
        [[family.setting]]\nname = \"trace\"\nenvironment = \"LENS_TRACE\"\n";
    bench.write("home/catalog/mine.toml", catalog.as_bytes());
    stage.put("lens.dll", &lens([1, 0, 0, 0]));
    bench.ok(&["tune", PIER, "lens", "window=on", "height=720", "trace=all"]);
    bench.ok(&["game", "set", "pier", "--args", "-map \"two words\"", "--env", "PIER_MODE=a=b"]);
    let way = way(bench, &["--", "-last"]);
    let command = way["command"].as_array().unwrap();
    let words: Vec<&str> = command.iter().map(|word| word.as_str().unwrap()).collect();
    let own = &words[words.len() - 5..];
    let mut sorted = own.to_vec();
    sorted.sort_unstable();
    assert_eq!(sorted, ["-h=720", "-last", "-map", "-windowed", "two words"], "{words:?}");
    assert_eq!((own[0], own[1], own[4]), ("-map", "two words", "-last"));
    assert_eq!(way["environment"]["LENS_TRACE"], "all");
    assert_eq!(way["environment"]["PIER_MODE"], "a=b");

    bench.ok(&["tune", PIER, "lens", "window=off"]);
    bench.ok(&["game", "set", "pier", "--args", "", "--env", "PIER_MODE="]);
    let way = self::way(bench, &[]);
    let words = way["command"].to_string();
    assert!(!words.contains("-windowed") && !words.contains("-map"), "{words}");
    assert_eq!(way["environment"]["PIER_MODE"], Value::Null);
}

#[test]
fn a_game_is_started_in_the_folder_that_it_expects_with_its_variables_and_is_not_waited_for() {
    let greet = Deed::Either {
        variable: "PIER_MODE".to_owned(),
        value: "two words".to_owned(),
        then: vec![writes("mode.txt", "as wanted")],
        otherwise: vec![writes("mode.txt", "otherwise")],
    };
    let stage = Stage::with(&pier());
    let exe = upright_spanner_sample::world::playable(still_pier().does(greet), "4.5.3");
    stage.put("bin/win/PierDeep.exe", &exe);
    stage.put("bin/win/lens.dll", &lens([1, 0, 0, 0]));
    let bench = &stage.bench;
    bench.ok(&["game", "set", "pier", "--executable", "bin/win/PierDeep.exe"]);
    bench.ok(&["game", "set", "pier", "--env", "PIER_MODE=two words"]);
    // It returns although the game continues, so a reader of its output does not wait.
    let said = bench.ok(&["start", PIER]);
    assert!(said.contains("Started. Next: spanner prove pier"), "{said}");
    let file = bench.file("games/Pier/bin/win/mode.txt");
    wait_until("the game", || file.is_file());
    assert_eq!(fs::read_to_string(&file).unwrap(), "as wanted");
    fs::write(bench.file("games/Pier/bin/win/stop-playing"), "").unwrap();
}

#[test]
fn it_is_waited_for_where_that_is_wanted() {
    let stage = Stage::with(&still_pier().does(writes("done.txt", "done")));
    let document = stage.bench.json(&["start", PIER, "--wait"]);
    assert_eq!(document["exit_code"], 0);
    assert!(stage.bench.file("games/Pier/done.txt").is_file());
    assert!(stage.bench.ok(&["start", PIER, "--wait"]).contains("It has ended."));
}

#[test]
fn what_drifted_and_what_would_not_load_is_said_before() {
    let stage = Stage::new();
    let bench = &stage.bench;
    stage.put("lens.dll", &lens([1, 0, 0, 0]));
    stage.fit("lens.zip", &[("lens.dll", &lens([1, 1, 0, 0]))], &[]);
    assert!(!bench.ok(&["start", PIER, "--dry-run"]).contains("warn:"));
    stage.put("lens.dll", &lens([1, 0, 0, 0]));
    let said = flat(&bench.ok(&["start", PIER, "--dry-run"]));
    assert!(
        said.contains("lens.dll is overwritten. To restore it: spanner refit pier lens"),
        "{said}"
    );
    // It is repaired first if that is wanted; without a word it is not.
    bench.ok(&["start", PIER]);
    assert!(output(&bench.run(&["drift", "pier"])).contains("overwritten"));
    stage.stop();
    bench.ok(&["start", PIER, "--yes"]);
    assert!(!output(&bench.run(&["drift", "pier"])).contains("overwritten"));
    stage.stop();
    stage.run(PIER, &[]);
    let said = bench.ok(&["start", PIER, "--dry-run"]);
    assert!(said.contains("The game runs already, process"), "{said}");
    stage.stop();
    fs::remove_file(bench.file("games/Pier/lens.dll")).unwrap();
    let document = bench.json(&["start", PIER, "--dry-run"]);
    assert_eq!(document["drifted"][0]["state"], "missing");
    let sentence = document["findings"][0]["sentence"].as_str().unwrap();
    assert!(sentence.contains("lens.dll"), "{sentence}");
}

#[test]
fn a_program_that_wants_an_administrators_rights_is_said_to() {
    let manifest = "<assembly xmlns=\"urn:schemas-microsoft-com:asm.v1\"><trustInfo><security>\
        <requestedPrivileges><requestedExecutionLevel level=\"requireAdministrator\"/>\
        </requestedPrivileges></security></trustInfo></assembly>";
    let stage = Stage::with(&pier().manifest(manifest));
    let said = flat(&stage.bench.ok(&["start", PIER, "--dry-run"]));
    assert!(said.contains("It asks for an administrator's rights."), "{said}");
    assert_eq!(way(&stage.bench, &[])["administrator"], true);
}

/// Windows runs Windows programs directly.
#[cfg(unix)]
#[test]
fn without_a_command_that_runs_windows_programs_nothing_is_started() {
    let stage = Stage::new();
    let bench = &stage.bench;
    bench.ok(&["game", "set", "pier", "--run-with", ""]);
    let said = flat(&errors(&bench.run(&["start", PIER]).code(2)));
    assert!(said.contains("spanner game set pier --run-with COMMAND"), "{said}");
    bench.ok(&["game", "set", "pier", "--run-with", "/nowhere/run"]);
    let said = flat(&errors(&bench.run(&["start", PIER]).code(2)));
    assert!(said.contains("no program /nowhere/run was found"), "{said}");
    assert!(said.ends_with("spanner game set pier --run-with COMMAND"), "{said}");
}

/// The only file in a folder.
fn only_file(bench: &Bench, folder: &str) -> (String, Vec<u8>) {
    let mut files = bench.picture(folder);
    assert_eq!(files.len(), 1, "{files:?}");
    files.remove(0)
}

/// A square of one colour, as PNG.
fn picture() -> Vec<u8> {
    let mut png = std::io::Cursor::new(Vec::new());
    image::RgbaImage::from_pixel(64, 64, image::Rgba([12, 130, 140, 255]))
        .write_to(&mut png, image::ImageFormat::Png)
        .unwrap();
    png.into_inner()
}

#[test]
fn a_shortcut_comes_into_a_folder_and_goes_with_undo() {
    let stage = Stage::with(&pier().icon(64, &picture()));
    let bench = &stage.bench;
    bench.ok(&["game", "set", "pier", "--env", "WINEDLLOVERRIDES="]);
    fs::create_dir(bench.file("desk")).unwrap();
    bench.ok(&["shortcut", PIER, "--to", "desk", "--dry-run"]);
    assert!(bench.picture("desk").is_empty());
    let said = bench.ok(&["shortcut", PIER, "--to", "desk"]);
    assert!(said.contains("spanner undo"), "{said}");
    let (name, _) = only_file(bench, "desk");
    assert_eq!(name, if cfg!(windows) { "Pier.lnk" } else { "Pier.desktop" });

    // Once more is once; and it is not a part of the game.
    assert!(bench.ok(&["shortcut", PIER, "--to", "desk"]).contains("is there already"));
    bench.ok(&["rollback", "pier"]);
    assert_eq!(only_file(bench, "desk").0, name);
    assert!(!bench.ok(&["drift", "pier"]).contains(&name));
    let undone = bench.ok(&["undo"]);
    assert!(!undone.contains("Start the game"), "{undone}");
    assert!(bench.picture("desk").is_empty());

    // A stranger's file of that name is left alone.
    bench.write(&format!("desk/{name}"), b"mine");
    let said = flat(&errors(&bench.run(&["shortcut", PIER, "--to", "desk"]).code(2)));
    assert!(said.contains("already") && said.contains("--to DIR"), "{said}");
    assert_eq!(only_file(bench, "desk").1, b"mine");
    let said = errors(&bench.run(&["shortcut", PIER, "--to", "nowhere"]).code(2));
    assert!(said.contains("nowhere is not a folder"), "{said}");
}

/// What an independent reader finds in a desktop entry; and the command in it starts the game.
#[cfg(target_os = "linux")]
#[test]
fn a_desktop_entry_starts_the_game_and_shows_its_icon() {
    let stage = Stage::with(&pier().icon(64, &picture()));
    let bench = &stage.bench;
    bench.ok(&["game", "set", "pier", "--title", "Pier & \"Quay\" 100%"]);
    bench.ok(&["game", "set", "pier", "--args", "\"two words\" a$b`c %f"]);
    fs::create_dir(bench.file("desk")).unwrap();
    for (more, is_through) in [(&[][..], false), (&["--through", "spanner"], true)] {
        bench.ok(&[&["shortcut", PIER, "--to", "desk"][..], more].concat());
        let (name, bytes) = only_file(bench, "desk");
        assert_eq!(name, "Pier & Quay 100%.desktop");
        let entry = freedesktop_entry_parser::Entry::parse(&bytes[..]).unwrap();
        let entry = entry.section("Desktop Entry");
        assert_eq!(entry.attr("Type"), Some("Application"));
        assert_eq!(entry.attr("Name"), Some("Pier & \"Quay\" 100%"));
        let icon = image::open(entry.attr("Icon").unwrap()).unwrap();
        assert_eq!((icon.width(), icon.height()), (64, 64));

        // As a desktop takes it apart: first the value's escapes, then its quotes, as a shell does.
        let exec = entry.attr("Exec").unwrap().replace(r"\\", r"\").replace("%%", "%");
        let folder = entry.attr("Path").unwrap();
        let print = format!("printf '%s\\n' {exec}");
        let words = std::process::Command::new("sh").args(["-c", &print]).output();
        let words = String::from_utf8(words.unwrap().stdout).unwrap();
        let words: Vec<&str> = words.lines().collect();
        if is_through {
            assert_eq!(words[0], env!("CARGO_BIN_EXE_spanner"));
            assert_eq!(words[3], "start");
        } else {
            assert_eq!(words[words.len() - 3..], ["two words", "a$b`c", "%f"], "{exec}");
        }
        let started = std::process::Command::new("sh")
            .args(["-c", &exec])
            .current_dir(folder)
            .stdout(std::process::Stdio::null())
            .spawn();
        let mut started = started.unwrap();
        let proof = || bench.json(&["prove", "pier", "--all"]);
        wait_until(&exec, || proof()["runs"] == true);
        stage.stop();
        started.wait().unwrap();
        bench.ok(&["undo"]);
    }
    assert!(bench.picture("desk").is_empty());
    assert!(!bench.file("home/icons/pier.png").exists());
}

/// What an independent reader finds in a shortcut of Windows.
#[cfg(windows)]
#[test]
fn a_shortcut_of_windows_is_read_by_another_reader() {
    let stage = Stage::with(&pier().icon(64, &picture()));
    let bench = &stage.bench;
    bench.ok(&["game", "set", "pier", "--env", "WINEDLLOVERRIDES="]);
    bench.ok(&["game", "set", "pier", "--args", "-map \"two words\""]);
    fs::create_dir(bench.file("desk")).unwrap();
    let program = bench.file("games/Pier/Pier.exe");
    bench.ok(&["shortcut", PIER, "--to", "desk"]);
    let link =
        lnk::ShellLink::open(bench.file("desk/Pier.lnk"), lnk::encoding::WINDOWS_1252).unwrap();
    let data = link.string_data();
    let folder = program.parent().unwrap().to_string_lossy().into_owned();
    assert_eq!(data.working_dir().as_deref(), Some(&*folder));
    assert_eq!(data.command_line_arguments().as_deref(), Some("-map \"two words\""));
    assert_eq!(data.icon_location().as_deref(), Some(&*program.to_string_lossy()));
    assert_eq!(link.link_target().as_deref(), Some(&*program.to_string_lossy()));

    bench.ok(&["undo"]);
    bench.ok(&["shortcut", PIER, "--to", "desk", "--through", "spanner"]);
    let link =
        lnk::ShellLink::open(bench.file("desk/Pier.lnk"), lnk::encoding::WINDOWS_1252).unwrap();
    assert!(link.link_target().unwrap().ends_with("spanner.exe"));
    let arguments = link.string_data().command_line_arguments().clone().unwrap();
    assert!(arguments.contains("start"), "{arguments}");

    // It cannot contain variables; an address is another kind of file.
    bench.ok(&["undo"]);
    bench.ok(&["game", "set", "pier", "--env", "PIER_MODE=1"]);
    let said = flat(&errors(&bench.run(&["shortcut", PIER, "--to", "desk"]).code(2)));
    assert!(said.contains("--through spanner"), "{said}");
    bench.ok(&["game", "set", "pier", "--start", "launcher://pier/1"]);
    bench.ok(&["shortcut", PIER, "--to", "desk"]);
    let (name, bytes) = only_file(bench, "desk");
    assert_eq!(name, "Pier.url");
    assert!(String::from_utf8(bytes).unwrap().contains("URL=launcher://pier/1\r\n"));
}

/// A shortcut is a change like any other: there or not, whatever ends the program, and its icon with it.
#[test]
fn a_shortcut_that_is_interrupted_is_there_or_is_not() {
    let stage = Stage::with(&pier().icon(64, &picture()));
    let bench = &stage.bench;
    bench.ok(&["game", "set", "pier", "--env", "WINEDLLOVERRIDES="]);
    fs::create_dir(bench.file("desk")).unwrap();
    let mut ended = false;
    // Under Wine each takes long.
    for number in (1..400).step_by(if cfg!(windows) { 23 } else { 5 }) {
        let mut program = bench.program(&["shortcut", PIER, "--to", "desk", "--yes"]);
        program.env("SPANNER_FAULT", format!("kill:{number}"));
        ended = crate::common::started(|| program.output()).status.success();
        // An interrupted change is recovered by the next one, even by one with nothing to do.
        bench.run(&["doctor"]);
        let files = bench.picture("desk");
        assert!(files.len() <= 1, "{number}: {files:?}");
        let is_there = !files.is_empty();
        let has_icon = bench.file("home/icons/pier.png").is_file();
        assert_eq!(has_icon, is_there && !cfg!(windows), "{number}");
        if is_there {
            assert!(files[0].1.len() > 50, "{number}");
            bench.ok(&["undo"]);
        }
        if ended {
            break;
        }
    }
    assert!(ended, "it never came to its end");
    assert!(bench.picture("desk").is_empty());
}

#[test]
fn a_shortcut_goes_with_the_game_s_title_and_no_name_leads_out_of_the_folder() {
    let stage = Stage::new();
    let bench = &stage.bench;
    bench.ok(&["game", "set", "pier", "--env", "WINEDLLOVERRIDES="]);
    fs::create_dir(bench.file("desk")).unwrap();
    for (title, name) in [
        ("../../Pier", "....Pier"),
        ("Pier: The <Second> Storm?", "Pier The Second Storm"),
        ("  Pier II.  ", "Pier II"),
        ("Żółw", "Żółw"),
    ] {
        bench.ok(&["game", "set", "pier", "--title", title]);
        bench.ok(&["shortcut", PIER, "--to", "desk"]);
        let (file, _) = only_file(bench, "desk");
        assert_eq!(file.rsplit_once('.').unwrap().0, name, "{title}");
        bench.ok(&["undo"]);
    }
    for title in ["???", "nul", "..."] {
        bench.ok(&["game", "set", "pier", "--title", title]);
        let said = errors(&bench.run(&["shortcut", PIER, "--to", "desk"]).code(2));
        assert!(said.contains("no file can be called"), "{title}: {said}");
    }
    assert!(bench.picture("desk").is_empty());
}
