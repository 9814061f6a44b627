//! A game's real state: seen in its process and in logs, on games that run.

use std::fs;
use std::time::{Duration, SystemTime};

use crate::common::play::{
    PIER, Stage, glim, lens, pier, plain_reed, reed, reed_run, still_pier, writes,
};
use crate::common::{flat, output};
use serde_json::Value;
use upright_spanner_sample::Deed;

/// The evidence about a family.
fn of<'a>(document: &'a Value, family: &str) -> &'a Value {
    let proof = document.get("proof").filter(|proof| proof.is_object()).unwrap_or(document);
    let components = proof["components"].as_array().unwrap();
    let found = components.iter().find(|component| component["family"] == family);
    found.unwrap_or_else(|| panic!("no {family} in {document:#}"))
}

/// The three codes of a family: loaded, reported, and combined.
fn codes(document: &Value, family: &str) -> (String, String, String) {
    let of = of(document, family);
    let text = |key: &str| of[key].as_str().unwrap().to_owned();
    (text("loaded"), text("report"), text("verdict"))
}

fn seen(loaded: &str, report: &str, verdict: &str) -> (String, String, String) {
    (loaded.to_owned(), report.to_owned(), verdict.to_owned())
}

fn remedy(document: &Value, family: &str) -> String {
    of(document, family)["remedy"].as_str().unwrap_or_default().to_owned()
}

/// Describes the log of Reed in the catalog.
fn describe_log(stage: &Stage, file: &str) {
    let catalog = format!(
        "schema = 1\n[[family]]\nid = \"reed\"\nrole = \"extender\"\nproduct = \"Reed\"\n\
         [[family.log]]\nfile = '{file}'\nversion = 'Reed (\\d[\\d.]*)'\n\
         errors = ['^error: (.*)']\nunknown-game = 'error: (.* not supported.*)'\n"
    );
    stage.bench.write("home/catalog/mine.toml", catalog.as_bytes());
}

/// Sets the date of a file back.
fn age(stage: &Stage, file: &str, days: u64) {
    let path = stage.bench.file(file);
    let file = fs::File::options().write(true).open(path).unwrap();
    file.set_modified(SystemTime::now() - Duration::from_secs(days * 86_400)).unwrap();
}

#[test]
fn a_game_that_is_started_through_its_starter_is_proved_in_one_command() {
    let stage = Stage::new();
    stage.fit_reed([2, 4, 1, 0], "4.5.3");
    let Stage { bench, .. } = &stage;
    let document = stage.start(60, &[]);
    assert_eq!(document["start"]["what"], "reed-run.exe");
    assert_eq!(codes(&document, "reed"), seen("yes", "match", "proved"), "{document:#}");
    assert_eq!(of(&document, "reed")["log"]["version"], "2.4.1");
    assert_eq!(of(&document, "reed")["version"], "2.4.1");
    assert_eq!(document["proof"]["good"], true);

    // It is noted with the change that fitted it, wherever that is shown.
    let today = jiff::Zoned::now().strftime("%Y-%m-%d").to_string();
    let proved = format!("proved {today}");
    for words in [&["history", "pier"][..], &["check", "pier"], &["survey", "pier", "-v"]] {
        let text = output(&bench.run(words));
        assert!(text.contains(&proved), "{words:?}: {text}");
    }
    let change = bench.json(&["history", "show", "1"]);
    assert_eq!(change["changes"][0]["proofs"][0]["what"], "proved");
    let text = bench.ok(&["prove", "pier"]);
    for words in ["It runs since", "yes", "2.4.1", "proved", "\"Reed 2.4.1\"", "reed.log"] {
        assert!(text.contains(words), "{words}: {text}");
    }

    // After its end the log speaks.
    stage.stop();
    let ended = bench.json(&["prove", "pier"]);
    assert_eq!(codes(&ended, "reed"), seen("unknown", "match", "proved"));

    // After an update of the game it would have to be seen again.
    let newer = upright_spanner_sample::world::playable(still_pier().built(1_790_000_000), "4.5.4");
    fs::write(bench.file("games/Pier/Pier.exe"), newer.to_bytes()).unwrap();
    let text = output(&bench.run(&["check", "pier"]));
    assert!(text.contains(&format!("{proved}, before the game was updated")), "{text}");
}

#[test]
fn who_forgets_the_starter_is_told_so() {
    let stage = Stage::new();
    stage.fit_reed([2, 4, 1, 0], "4.5.3");
    let document = stage.start(5, &["--program", "Pier.exe"]);
    assert_eq!(document["start"]["chosen"], "once");
    assert_eq!(codes(&document, "reed"), seen("no", "none", "not-loaded"));
    let remedy = remedy(&document, "reed");
    assert!(remedy.contains("without reed-run.exe"), "{remedy}");
    assert!(remedy.ends_with("spanner start pier --prove"), "{remedy}");
    stage.bench.run(&["prove", "pier"]).code(1);
    assert!(!stage.bench.file("home/proofs.toml").exists());
}

#[test]
fn an_entry_under_a_name_that_the_game_does_not_load_is_told_as_that() {
    let stage = Stage::new();
    let despite = ["--as", "dinput8.dll", "--despite", "entry-not-loaded"];
    stage.fit("glim.zip", &[("glim.dll", &glim([2, 0, 0, 0]))], &despite);
    let document = stage.start(5, &[]);
    let (loaded, _, verdict) = codes(&document, "glim");
    // Something else may have loaded the system's own.
    let is_out = ["no", "other"].contains(&&*loaded);
    assert!(is_out && ["not-loaded", "another-loaded"].contains(&&*verdict), "{document:#}");
    let remedy = remedy(&document, "glim");
    assert!(remedy.ends_with("spanner check pier --entries"), "{remedy}");
    let entries = stage.bench.ok(&["check", "pier", "--entries"]);
    assert!(entries.contains("winmm.dll"), "{entries}");
    // The check had predicted that it would not load.
    let said = flat(&stage.bench.ok(&["start", "pier", "--dry-run"]));
    assert!(said.contains("[entry-not-loaded]"), "{said}");

    stage.stop();
    stage.bench.ok(&["rollback", "pier"]);
    stage.bench.ok(&["fit", "pier", "glim.zip", "--as", "winmm.dll"]);
    let document = stage.start(30, &[]);
    assert_eq!(codes(&document, "glim"), seen("yes", "none", "loaded"), "{document:#}");
    let noted = stage.bench.ok(&["history", "pier"]);
    assert!(noted.contains("loaded 2"), "{noted}");
}

#[test]
fn an_older_library_that_is_loaded_from_another_folder_is_named() {
    let load = Deed::Load { library: "plugins\\lens.dll".to_owned() };
    let exe = upright_spanner_sample::Pe::exe(upright_spanner_sample::Bits::Bits64)
        .version(&crate::common::play::info([4, 5, 3, 0], "Nine Knots", "Pier", "Pier"))
        .does(load);
    let stage = Stage::with(&upright_spanner_sample::world::playable(exe, "4.5.3"));
    stage.put("lens.dll", &lens([1, 2, 0, 0]));
    stage.put("plugins/lens.dll", &lens([1, 2, 0, 0]));
    stage.fit("lens.zip", &[("lens.dll", &lens([1, 4, 0, 0]))], &["--place", "lens.dll"]);
    let document = stage.start(10, &[]);
    assert_eq!(codes(&document, "lens"), seen("other", "none", "another-loaded"), "{document:#}");
    assert_eq!(of(&document, "lens")["loaded_instead"], "plugins/lens.dll");
    let text = output(&stage.bench.run(&["prove", "pier"]).code(1));
    assert!(text.contains("another file loaded: plugins/lens.dll"), "{text}");
    let remedy = remedy(&document, "lens");
    assert!(remedy.ends_with("spanner fit pier lens@1.4.0"), "{remedy}");
    stage.stop();

    // If both are the fitted version, it does not matter which is loaded.
    stage.bench.ok(&["fit", "pier", "lens@1.4.0"]);
    let document = stage.start(30, &[]);
    assert_eq!(codes(&document, "lens"), seen("yes", "none", "loaded"));
}

/// On Windows a library that is loaded cannot be replaced.
#[cfg(unix)]
#[test]
fn a_library_that_was_replaced_while_the_game_runs_is_not_what_runs() {
    let stage = Stage::new();
    stage.put("lens.dll", &lens([1, 2, 0, 0]));
    stage.run(PIER, &[]);
    // Another file replaces the one that is mapped.
    stage.bench.write("new.dll", &lens([1, 4, 0, 0]).to_bytes());
    fs::rename(stage.bench.file("new.dll"), stage.bench.file("games/Pier/lens.dll")).unwrap();
    let document = stage.bench.json(&["prove", "pier", "lens"]);
    assert_eq!(codes(&document, "lens"), seen("other", "none", "another-loaded"));
}

#[test]
fn a_log_from_last_week_proves_nothing() {
    let stage = Stage::new();
    let (dll, run) = (plain_reed([2, 4, 1, 0]), reed_run("4.5.3"));
    stage.fit("reed.zip", &[("reed-4.5.3.dll", &dll), ("reed-run.exe", &run)], &[]);
    stage.bench.write(&format!("{PIER}/reed.log"), b"Reed 2.4.1\r\n");
    age(&stage, "games/Pier/reed.log", 7);
    // Not described, it is not even looked at.
    let document = stage.start(30, &[]);
    assert_eq!(codes(&document, "reed"), seen("yes", "none", "loaded"));
    stage.stop();

    describe_log(&stage, "reed.log");
    let document = stage.start(4, &[]);
    assert_eq!(codes(&document, "reed"), seen("yes", "stale", "stale-log"));
    let text = output(&stage.bench.run(&["prove", "pier"]).code(1));
    assert!(text.contains("log older than the start"), "{text}");
    assert!(remedy(&document, "reed").ends_with("spanner start pier --prove"));
}

#[test]
fn what_a_log_says_is_compared_with_what_was_fitted() {
    let stage = Stage::new();
    describe_log(&stage, "{exe-dir}/reed.log");
    let before = "Reed 2.4.1\r\nerror: of an earlier start\r\n";
    for (said, report, verdict) in [
        ("Reed 2.4.1\r\nready\r\n", "match", "proved"),
        ("Reed 2.4\r\nready\r\n", "match", "proved"),
        ("Reed 2.3.9\r\nready\r\n", "other", "reports-other"),
        ("Reed 2.4.1\r\nerror: no scripts\r\n", "error", "reports-error"),
        ("something else\r\n", "none", "loaded"),
    ] {
        let dll = plain_reed([2, 4, 1, 0]).does(writes("reed.log", &format!("{before}{said}")));
        let files = [("reed-4.5.3.dll", &dll), ("reed-run.exe", &reed_run("4.5.3"))];
        let is_else = said.starts_with("something");
        let files = if is_else {
            let dll = plain_reed([2, 4, 1, 0]).does(writes("reed.log", said));
            vec![("reed-4.5.3.dll", dll), ("reed-run.exe", reed_run("4.5.3"))]
        } else {
            files.map(|(name, image)| (name, image.clone())).to_vec()
        };
        for (name, image) in &files {
            stage.put(name, image);
        }
        let document = stage.start(if is_else { 4 } else { 30 }, &[]);
        assert_eq!(codes(&document, "reed"), seen("yes", report, verdict), "{said}");
        stage.stop();
    }
    // The error is quoted, with the path of the log.
    let dll =
        plain_reed([2, 4, 1, 0]).does(writes("reed.log", "Reed 2.4.1\r\nerror: no scripts\r\n"));
    stage.put("reed-4.5.3.dll", &dll);
    let text = output(&{
        stage.bench.ok(&["start", PIER, "--dry-run"]);
        stage.bench.run(&["start", PIER, "--prove", "--within", "30"]).code(1)
    });
    assert!(text.contains("reports an error: \"no scripts\""), "{text}");
    assert!(flat(&text).contains("reed.log"), "{text}");
}

#[test]
fn an_extender_that_does_not_know_the_game_leads_to_the_build_that_does() {
    let stage = Stage::new();
    stage.put("reed-4.5.3.dll", &reed([2, 4, 1, 0], "4.5.2"));
    stage.put("reed-run.exe", &reed_run("4.5.3"));
    let document = stage.start(30, &[]);
    assert_eq!(codes(&document, "reed").2, "reports-error", "{document:#}");
    let log = &of(&document, "reed")["log"];
    assert_eq!(log["unknown_game"], true);
    assert_eq!(log["described"], false);
    assert!(log["error"].as_str().unwrap().contains("is not supported"), "{log:#}");
    let remedy = remedy(&document, "reed");
    assert!(remedy.contains("spanner check pier reed"), "{remedy}");
}

#[test]
fn a_log_cannot_steer_the_terminal_and_is_never_altered() {
    let stage = Stage::new();
    let evil = "\u{1b}[31mReed\u{1b}[0m 2.4.1 \u{1b}]0;owned\u{7}\u{202e}gnp.exe\r\n\
                fatal: \u{9b}2J\u{200b}\u{2066}boom\u{8}\u{8}\r\n";
    let dll = plain_reed([2, 4, 1, 0]).does(writes("reed.log", evil));
    let files = [("reed-4.5.3.dll", &dll), ("reed-run.exe", &reed_run("4.5.3"))];
    stage.fit("reed.zip", &files, &[]);
    let document = stage.start(30, &[]);
    assert_eq!(codes(&document, "reed"), seen("yes", "error", "reports-error"));
    assert_eq!(of(&document, "reed")["log"]["version"], "2.4.1");
    let log = stage.bench.file("games/Pier/reed.log");
    let before = (fs::read(&log).unwrap(), fs::metadata(&log).unwrap().modified().unwrap());

    for words in [&["prove", "pier"][..], &["prove", "pier", "--json"], &["prove", "pier", "-v"]] {
        let text = output(&stage.bench.run(words).code(1));
        let steers = |c: char| {
            c.is_control() && c != '\n'
                || ['\u{202e}', '\u{200b}', '\u{2066}', '\u{9b}'].contains(&c)
        };
        assert!(!text.contains(steers), "{text:?}");
    }
    assert_eq!(before, (fs::read(&log).unwrap(), fs::metadata(&log).unwrap().modified().unwrap()));
}

#[test]
fn a_game_that_ends_at_once_is_told_as_that_and_its_log_still_speaks() {
    let load = Deed::Load { library: "%SAMPLE_LOADS%".to_owned() };
    let set = Deed::Set { name: "SAMPLE_GAME".to_owned(), value: "4.5.3".to_owned() };
    let stage = Stage::with(&still_pier().does(set).does(load));
    stage.fit_reed([2, 4, 1, 0], "4.5.3");
    let document = stage.start(30, &[]);
    assert_eq!(codes(&document, "reed").1, "match", "{document:#}");
    assert_eq!(codes(&document, "reed").2, "proved", "{document:#}");
    assert_eq!(document["proof"]["runs"], false);
}

#[test]
fn two_games_at_once_are_told_apart() {
    let mut stage = Stage::new();
    stage.add("games/Quay", &pier());
    stage.fit_reed([2, 4, 1, 0], "4.5.3");
    // The same files under the same names, but started without the starter.
    for name in ["reed-4.5.3.dll", "reed-run.exe"] {
        let from = stage.bench.file(&format!("{PIER}/{name}"));
        fs::copy(from, stage.bench.file(&format!("games/Quay/{name}"))).unwrap();
    }
    stage.bench.ok(&["game", "set", "quay", "--executable", "Pier.exe"]);
    stage.run("games/Quay", &["--program", "Pier.exe"]);
    let document = stage.start(60, &[]);
    assert_eq!(codes(&document, "reed"), seen("yes", "match", "proved"));
    let other = stage.bench.json(&["prove", "quay"]);
    assert_eq!(codes(&other, "reed").0, "no", "{other:#}");
    assert_eq!(other["processes"].as_array().unwrap().len(), 1);
}

/// A game in its own box, in which its folder is somewhere else and nothing has the path that it has outside.
#[cfg(target_os = "linux")]
#[test]
#[ignore = "needs the right to make a box"]
fn a_game_that_runs_in_a_box_is_proved_though_its_files_have_other_paths_there() {
    use std::os::unix::fs::PermissionsExt;
    let stage = Stage::new();
    stage.fit_reed([2, 4, 1, 0], "4.5.3");
    let bench = &stage.bench;
    fs::create_dir(bench.file("box")).unwrap();
    let play = crate::common::play::stand_in();
    let inside =
        "mount --bind \"$1\" box && mount -t tmpfs none games && cd box && exec \"$2\" \"$PWD/$3\"";
    let text = format!(
        "#!/bin/sh\ncd '{}'\nexec unshare -rm sh -c '{inside}' box \"$(dirname \"$1\")\" '{}' \"$(basename \"$1\")\"\n",
        bench.path().display(),
        play.display()
    );
    bench.write("boxed.sh", text.as_bytes());
    let script = bench.file("boxed.sh");
    fs::set_permissions(&script, fs::Permissions::from_mode(0o755)).unwrap();
    bench.ok(&["game", "set", "pier", "--run-with", &format!("\"{}\"", script.display())]);
    let document = stage.start(30, &[]);
    assert_eq!(codes(&document, "reed"), seen("yes", "match", "proved"), "{document:#}");
    let process = &document["proof"]["processes"][0]["pid"];
    let maps = fs::read_to_string(format!("/proc/{process}/maps")).unwrap();
    assert!(maps.contains("/box/reed-4.5.3.dll") && !maps.contains(PIER), "{maps}");
}

#[test]
fn the_process_of_an_online_game_is_looked_into_only_when_asked() {
    let stage = Stage::new();
    stage.bench.ok(&["game", "set", "pier", "--online", "yes"]);
    stage.fit_reed([2, 4, 1, 0], "4.5.3");
    let document = stage.start(30, &[]);
    assert_eq!(codes(&document, "reed"), seen("unknown", "match", "proved"));
    assert_eq!(document["proof"]["processes"].as_array().unwrap().len(), 0);
    let text = flat(&stage.bench.ok(&["prove", "pier"]));
    assert!(text.contains("played online, so its process was not looked into"), "{text}");
    let inside = stage.bench.json(&["prove", "pier", "--look-inside"]);
    assert_eq!(codes(&inside, "reed"), seen("yes", "match", "proved"));
}

#[test]
fn logs_are_read_however_they_are_written() {
    let stage = Stage::new();
    stage.put("reed-4.5.3.dll", &plain_reed([2, 4, 1, 0]));
    describe_log(&stage, "logs/reed-*.log");
    let utf16 = |text: &str| -> Vec<u8> {
        let units = std::iter::once(0xFEFF).chain(text.encode_utf16());
        units.flat_map(u16::to_le_bytes).collect()
    };
    let filler = "something that is said again and again\r\n";
    let said = "Reed 2.4.1\r\n";
    let huge = |end: &str| format!("{said}{}{end}", filler.repeat(3 << 20 >> 5));
    let at = |name: &str| format!("{PIER}/logs/{name}");
    for (name, bytes, report) in [
        ("reed-1.log", said.as_bytes().to_vec(), "match"),
        ("reed-1.log", utf16(&huge("")), "match"),
        ("reed-1.log", utf16(said), "match"),
        ("reed-1.log", huge("error: late\r\n").into_bytes(), "error"),
        ("reed-1.log", [&b"\xff\xfe\x00broken \xd8\x00"[..], &[0; 99]].concat(), "none"),
        ("reed-1.log", Vec::new(), "none"),
        ("other.log", said.as_bytes().to_vec(), "none"),
    ] {
        let path = stage.bench.file(&at(name));
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(&path, bytes).unwrap();
        let document = stage.bench.json(&["prove", "pier", "reed"]);
        assert_eq!(codes(&document, "reed").1, report, "{name}");
        fs::remove_file(path).unwrap();
    }

    // Of several the newest that says something counts.
    fs::write(stage.bench.file(&at("reed-2026-03-04.log")), "Reed 2.0.0\r\n").unwrap();
    age(&stage, &at("reed-2026-03-04.log"), 1);
    fs::write(stage.bench.file(&at("reed-2026-03-05.log")), said).unwrap();
    fs::write(stage.bench.file(&at("reed-2026-03-06.log")), "").unwrap();
    let document = stage.bench.json(&["prove", "pier", "reed"]);
    assert_eq!(codes(&document, "reed").1, "match");
}

/// A link among the logs could lead anywhere.
#[cfg(unix)]
#[test]
fn a_link_in_the_place_of_a_log_is_not_followed() {
    let stage = Stage::new();
    stage.put("reed-4.5.3.dll", &plain_reed([2, 4, 1, 0]));
    describe_log(&stage, "logs/reed.log");
    stage.bench.write("secret/reed.log", b"Reed 2.4.1\n");
    std::os::unix::fs::symlink(stage.bench.file("secret"), stage.bench.file("games/Pier/logs"))
        .unwrap();
    let document = stage.bench.json(&["prove", "pier", "reed"]);
    assert_eq!(codes(&document, "reed").1, "none");
    fs::remove_file(stage.bench.file("games/Pier/logs")).unwrap();
    fs::create_dir(stage.bench.file("games/Pier/logs")).unwrap();
    let log = stage.bench.file("games/Pier/logs/reed.log");
    std::os::unix::fs::symlink(stage.bench.file("secret/reed.log"), &log).unwrap();
    assert_eq!(codes(&stage.bench.json(&["prove", "pier", "reed"]), "reed").1, "none");
    fs::remove_file(&log).unwrap();
    fs::write(&log, "Reed 2.4.1\n").unwrap();
    assert_eq!(codes(&stage.bench.json(&["prove", "pier", "reed"]), "reed").1, "match");
}

#[test]
fn a_log_is_described_from_a_sample() {
    let stage = Stage::new();
    let text =
        "[2026-03-05 11:20:31] Reed runtime 2.4.1 (release)\r\n[2026-03-05 11:20:32] ready\r\n";
    let dll = plain_reed([2, 4, 1, 0]).does(writes("reed-20260305.txt", text));
    let files = [("reed-4.5.3.dll", &dll), ("reed-run.exe", &reed_run("4.5.3"))];
    stage.fit("reed.zip", &files, &[]);
    stage.start(30, &[]);
    stage.stop();

    let (dll, log) = ("games/Pier/reed-4.5.3.dll", "games/Pier/reed-20260305.txt");
    let shown = stage.bench.ok(&["family", "learn", dll, "--log", log]);
    assert!(shown.contains("reed"), "{shown}");
    let catalog = fs::read_to_string(stage.bench.file("home/catalog/learned.toml")).unwrap();
    assert!(catalog.contains("file = \"reed-*.txt\""), "{catalog}");
    assert!(
        catalog.contains(r"Reed\\s+runtime\\s+(\\d+") || catalog.contains(r"Reed\s+runtime\s+(\d+"),
        "{catalog}"
    );
    let document = stage.bench.json(&["prove", "pier"]);
    assert_eq!(codes(&document, "reed").1, "match");
    assert_eq!(of(&document, "reed")["log"]["described"], true);
    // Once more takes its place.
    stage.bench.ok(&["family", "learn", dll, "--log", log]);
    let again = fs::read_to_string(stage.bench.file("home/catalog/learned.toml")).unwrap();
    assert_eq!(catalog, again);

    stage.bench.write("elsewhere/reed.log", text.as_bytes());
    let refused = stage.bench.run(&["family", "learn", dll, "--log", "elsewhere/reed.log"]);
    let said = flat(&crate::common::errors(&refused.code(2)));
    assert!(said.contains("neither beside the file nor in a folder of its game"), "{said}");
}

#[test]
fn a_catalog_says_where_its_log_is_wrong() {
    let stage = Stage::new();
    for (log, wrong) in [
        ("file = ''", "the name of a file is expected"),
        ("file = 'a*/b.log'", "the name of a file is expected"),
        ("file = 'b.log'\nversion = '('", "is not a regular expression"),
        ("file = 'b.log'\nencoding = 'morse'", "`morse` is not an encoding"),
        ("file = 'b.log'\ncolour = 'red'", "unknown field `colour`"),
    ] {
        let text = format!(
            "schema = 1\n[[family]]\nid = \"reed\"\nproduct = \"Reed\"\n[[family.log]]\n{log}\n"
        );
        stage.bench.write("home/catalog/mine.toml", text.as_bytes());
        let said = crate::common::errors(&stage.bench.run(&["family", "list"]).code(1));
        let said = flat(&said);
        assert!(said.contains(wrong) && said.contains("mine.toml"), "{log}: {said}");
    }
}

#[test]
fn what_is_missing_or_not_there_is_said() {
    let stage = Stage::new();
    stage.fit_reed([2, 4, 1, 0], "4.5.3");
    let said = crate::common::errors(&stage.bench.run(&["prove", "pier", "lamp"]).code(2));
    assert!(said.contains("has no lamp"), "{said}");
    fs::remove_file(stage.bench.file("games/Pier/reed-4.5.3.dll")).unwrap();
    let document = stage.bench.json(&["prove", "pier"]);
    let remedy = remedy(&document, "reed");
    assert!(remedy.ends_with("spanner refit pier reed"), "{remedy}");
    stage.bench.ok(&["refit", "pier", "reed"]);
    let document = stage.bench.json(&["prove", "pier"]);
    assert_eq!(codes(&document, "reed"), seen("unknown", "none", "not-seen"));

    // A damaged file of proofs is named, and moved aside by the next proof.
    stage.start(30, &[]);
    let damaged = b"schema = 1\n[[proof]]\nchange = 'x'\n";
    stage.bench.write("home/proofs.toml", damaged);
    let history = stage.bench.run(&["history", "pier"]).code(0);
    assert!(crate::common::errors(&history).contains("proofs.toml:3"), "the line is named");
    assert!(!crate::common::output(&history).contains("proved"));
    assert!(stage.bench.json(&["doctor", "--dry-run"])["proofs"].is_string());
    assert_eq!(fs::read(stage.bench.file("home/proofs.toml")).unwrap(), damaged);
    stage.bench.ok(&["prove", "pier"]);
    assert!(stage.bench.ok(&["history", "pier"]).contains("proved"));
    let names = fs::read_dir(stage.bench.file("home")).unwrap();
    let names = names.map(|entry| entry.unwrap().file_name().into_string().unwrap());
    let aside: Vec<String> =
        names.filter(|name| name.starts_with("proofs.toml.damaged-")).collect();
    let [aside] = &aside[..] else { panic!("{aside:?}") };
    assert_eq!(fs::read(stage.bench.file(&format!("home/{aside}"))).unwrap(), damaged);

    // One that a newer version wrote is left alone.
    let newer = b"schema = 2\nanything = true\n";
    stage.bench.write("home/proofs.toml", newer);
    stage.bench.ok(&["prove", "pier"]);
    assert_eq!(fs::read(stage.bench.file("home/proofs.toml")).unwrap(), newer);
}

/// The folders of the user are those of the prefix, if a game has one.
#[cfg(unix)]
#[test]
fn logs_in_the_users_documents_are_found_and_read_in_the_prefix() {
    let stage = Stage::new();
    let bench = &stage.bench;
    let folders = r"Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Shell Folders";
    let registry = format!(
        "WINE REGISTRY Version 2\n\n[{folders}] 1\n\"Personal\"=\"C:\\\\users\\\\ada\\\\Documents\"\n"
    );
    bench.write("prefix/user.reg", registry.as_bytes());
    bench.write("prefix/drive_c/users/ada/Documents/notes.txt", b"Reed 1.0.0");
    bench.ok(&["game", "set", "pier", "--prefix", "prefix"]);
    let log = bench.file("prefix/drive_c/users/ada/Documents/Pier/logs/session.txt");
    fs::create_dir_all(log.parent().unwrap()).unwrap();
    stage.put("reed-4.5.3.dll", &plain_reed([2, 4, 1, 0]));
    stage.run(PIER, &[]);
    fs::write(&log, "something\nReed script extender 2.4.1 attached\n").unwrap();

    // By its words, in a folder that has the game's name.
    let document = bench.json(&["prove", "pier", "reed"]);
    assert_eq!(codes(&document, "reed").1, "match", "{document:#}");
    let found = of(&document, "reed")["log"]["path"].as_str().unwrap();
    assert!(found.ends_with("Documents/Pier/logs/session.txt"), "{found}");

    // And as it is described.
    describe_log(&stage, "{documents}/{exe-name}/logs/sess*.txt");
    fs::write(&log, "Reed 2.4.1\n").unwrap();
    let document = bench.json(&["prove", "pier", "reed"]);
    assert_eq!(codes(&document, "reed").1, "match", "{document:#}");
    assert_eq!(of(&document, "reed")["log"]["described"], true);

    // It can be described from its present place.
    fs::remove_file(bench.file("home/catalog/mine.toml")).unwrap();
    let (dll, log) = ("games/Pier/reed-4.5.3.dll", log.to_string_lossy().into_owned());
    bench.ok(&["family", "learn", dll, "--log", &log]);
    let catalog = fs::read_to_string(bench.file("home/catalog/learned.toml")).unwrap();
    assert!(catalog.contains("file = \"{documents}/Pier/logs/session.txt\""), "{catalog}");
}

#[test]
fn a_stranger_s_catalog_leads_to_no_log_outside_of_its_game() {
    let stage = Stage::new();
    let bench = &stage.bench;
    stage.put("reed-4.5.3.dll", &plain_reed([2, 4, 1, 0]));
    bench.write("games/secret.log", b"Reed 2.4.1\n");
    for file in ["{documents}/reed.log", "{root}/../secret.log", "../secret.log", "/etc/passwd"] {
        let catalog = format!(
            "schema = 1\n[[family]]\nid = \"reed\"\nproduct = \"Reed\"\n\
             [[family.log]]\nfile = '{file}'\nversion = 'Reed (\\d\\S*)'\n"
        );
        bench.write("games/Pier/spanner-families.toml", catalog.as_bytes());
        let document = bench.json(&["prove", "pier", "reed"]);
        assert_eq!(codes(&document, "reed").1, "none", "{file}: {document:#}");
    }
    let catalog = "schema = 1\n[[family]]\nid = \"reed\"\nproduct = \"Reed\"\n\
        [[family.log]]\nfile = 'reed.log'\nversion = 'Reed (\\d\\S*)'\n";
    bench.write("games/Pier/spanner-families.toml", catalog.as_bytes());
    fs::write(bench.file("games/Pier/reed.log"), "Reed 2.4.1\n").unwrap();
    assert_eq!(codes(&bench.json(&["prove", "pier", "reed"]), "reed").1, "match");
}

#[test]
fn what_is_no_file_in_the_place_of_a_log_is_passed_over() {
    let stage = Stage::new();
    let bench = &stage.bench;
    stage.put("reed-4.5.3.dll", &plain_reed([2, 4, 1, 0]));
    describe_log(&stage, "reed*.log");
    fs::create_dir(bench.file("games/Pier/reed.log")).unwrap();
    assert_eq!(codes(&bench.json(&["prove", "pier", "reed"]), "reed").1, "none");
    #[cfg(unix)]
    {
        // No one writes into a pipe, and no one waits for that.
        let pipe = bench.file("games/Pier/reed-pipe.log");
        assert!(std::process::Command::new("mkfifo").arg(&pipe).status().unwrap().success());
        let words = ["prove", "pier", "reed", "--json"];
        let ended = crate::common::in_time(bench.program(&words), 30).code(1);
        assert!(output(&ended).contains("\"report\": \"none\""));
        let learn =
            ["family", "learn", "games/Pier/reed-4.5.3.dll", "--log", "games/Pier/reed-pipe.log"];
        crate::common::in_time(bench.program(&learn), 30).failure();
    }
    // The file beside it is still read.
    fs::write(bench.file("games/Pier/reed-1.log"), "Reed 2.4.1\n").unwrap();
    assert_eq!(codes(&bench.json(&["prove", "pier", "reed"]), "reed").1, "match");
}

#[test]
fn many_at_once_prove_the_same_and_note_it_once() {
    let stage = Stage::new();
    stage.fit_reed([2, 4, 1, 0], "4.5.3");
    stage.start(60, &[]);
    std::thread::scope(|scope| {
        let proofs: Vec<_> =
            (0..6).map(|_| scope.spawn(|| stage.bench.json(&["prove", "pier"]))).collect();
        for proof in proofs {
            assert_eq!(codes(&proof.join().unwrap(), "reed"), seen("yes", "match", "proved"));
        }
    });
    let noted = fs::read_to_string(stage.bench.file("home/proofs.toml")).unwrap();
    assert_eq!(noted.matches("[[proof]]").count(), 1, "{noted}");
    // A fit that comes after it has nothing proved yet.
    stage.stop();
    stage.fit_reed([2, 4, 2, 0], "4.5.3");
    let history = stage.bench.ok(&["history", "pier"]);
    let latest = history.lines().find(|line| line.contains("reed@2.4.2")).unwrap();
    assert!(!latest.contains("proved"), "{history}");
    assert!(!output(&stage.bench.run(&["check", "pier"])).contains("AT WORK"));
}
