//! The home's files: each is complete on its own, whatever happens to the index or to another file.

use std::fs;

use crate::common::{Bench, errors, output, overwrite};
use upright_spanner_sample::world;
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive};

const TIN: &str = "games/Tin Lighthouse";

/// A game with three changes, and its state before.
fn changed() -> (Bench, Vec<(String, Vec<u8>)>) {
    let bench = Bench::world();
    let before = bench.picture(TIN);
    bench.ok(&["rack", "add", "downloads/sharpwater-2.9.1.zip", "downloads/hushgrain-1.2.2.zip"]);
    bench.ok(&["rack", "add", "downloads/sharpwater-2026.3.0.zip"]);
    bench.ok(&["fit", TIN, "sharpwater@2.9.1"]);
    bench.ok(&["fit", TIN, "hushgrain"]);
    bench.ok(&["fit", TIN, "sharpwater@2026.3.0"]);
    (bench, before)
}

#[test]
fn the_index_may_be_lost_or_damaged_at_any_time() {
    let (bench, before) = changed();
    bench.ok(&["pin", TIN, "evenkeel", "--why", "as it is"]);
    for garbage in [None, Some(b"not a database".to_vec()), Some(vec![0; 4096])] {
        let index = bench.file("home/spanner.db");
        match &garbage {
            None => fs::remove_file(&index).unwrap(),
            Some(bytes) => fs::write(&index, bytes).unwrap(),
        }
        for journal in ["home/spanner.db-wal", "home/spanner.db-shm", "home/spanner.db-journal"] {
            let _ = fs::remove_file(bench.file(journal));
        }
        let history = bench.json(&["history"]);
        assert_eq!(history["changes"].as_array().unwrap().len(), 3);
        assert_eq!(bench.json(&["rack", "list"])["builds"].as_array().unwrap().len(), 3);
        assert!(bench.ok(&["survey", TIN]).contains("pinned"), "the pin is known");
        let kept = bench.picture("home/blobs");
        bench.ok(&["doctor", "--reclaim", "--yes"]);
        assert_eq!(bench.picture("home/blobs"), kept, "no original is called unneeded");
        bench.ok(&["rollback", "tin-lighthouse"]);
        assert!(bench.picture(TIN) == before);
        bench.ok(&["undo"]);
        fs::write(bench.file("marker"), b"").unwrap();
        let journal = bench.file("home/journal");
        for number in 4..=5 {
            fs::remove_file(journal.join(format!("{number:08}.change"))).unwrap();
        }
        fs::remove_file(bench.file("home/spanner.db")).unwrap();
    }
}

#[test]
fn a_damaged_journal_file_spoils_itself_alone_and_nothing_that_it_kept_is_removed() {
    let (bench, before) = changed();
    bench.ok(&["history"]);
    let file = bench.file("home/journal/00000001.change");
    let whole = fs::read(&file).unwrap();
    for garbage in [b"".to_vec(), b"garbage".to_vec(), whole[..whole.len() / 2].to_vec()] {
        // With the index there is a copy of it.
        fs::write(&file, &garbage).unwrap();
        let said = errors(&bench.run(&["history"]).code(1));
        assert!(said.contains("00000001.change"), "{said}");
        let said = errors(&bench.run(&["doctor", "--reclaim", "--yes", "--dry-run"]).code(0));
        assert!(said.is_empty(), "{said}");
        bench.ok(&["rollback", TIN]);
        assert!(bench.picture(TIN) == before, "with the copy everything goes back");
        bench.ok(&["undo"]);
        let said = bench.ok(&["doctor"]);
        assert!(said.contains("was restored from a copy"), "{said}");
        assert_eq!(fs::read(&file).unwrap(), whole);
        bench.ok(&["doctor"]);
    }
    // Without the index it is lost, and its content stays in the store.
    fs::write(&file, b"garbage").unwrap();
    fs::remove_file(bench.file("home/spanner.db")).unwrap();
    let kept = bench.picture("home/blobs");
    let said = output(&bench.run(&["doctor"]).code(1));
    assert!(said.contains("is still in the store; nothing is removed"), "{said}");
    bench.write("stray", b"x");
    bench.run(&["rack", "drop", "hushgrain", "--anyway"]).code(0);
    assert_eq!(bench.picture("home/blobs"), kept, "nothing is dropped while a record is missing");
    bench.ok(&["rollback", TIN, "hushgrain"]);
    let now = bench.picture(TIN);
    let differs: Vec<&String> =
        before.iter().zip(&now).filter(|(a, b)| a != b).map(|(a, _)| &a.0).collect();
    assert!(differs.iter().all(|path| path.contains("sharpwater")), "{differs:?}");
    assert!(!differs.is_empty());
}

#[test]
fn an_original_is_found_by_hand_with_nothing_but_the_files() {
    let (bench, before) = changed();
    let text = fs::read_to_string(bench.file("home/journal/00000002.change")).unwrap();
    let stored = text.lines().find(|line| line.contains(r#"{"stored":"#)).unwrap();
    for word in ["hushgrain.dll", r#""label":"1.0.3""#, "modified"] {
        assert!(stored.contains(word), "{stored}");
    }
    let digest = stored.split(r#""blake3":""#).nth(1).unwrap().split('"').next().unwrap();
    let original = fs::read(bench.file(&format!("home/blobs/{}/{digest}", &digest[..2]))).unwrap();
    assert!(
        before.iter().any(|(path, bytes)| path.ends_with("hushgrain.dll") && *bytes == original)
    );
}

#[test]
fn what_the_user_said_can_be_read_and_mended_and_is_never_overwritten_unread() {
    let (bench, _) = changed();
    bench.ok(&["game", "set", TIN, "--edition", "harbour"]);
    let file = bench.file("home/games.toml");
    let text = fs::read_to_string(&file).unwrap();
    assert!(text.contains(r#"edition = "harbour""#), "{text}");
    fs::write(&file, text.replace("harbour", "cliff")).unwrap();
    assert_eq!(bench.json(&["game", "show", TIN])["game"]["settings"]["edition"], "cliff");
    let broken = text.replace("edition", "editon");
    fs::write(&file, &broken).unwrap();
    let said = errors(&bench.run(&["survey", "games"]).code(0));
    assert!(said.contains("games.toml") && said.contains("editon"), "{said}");
    bench.run(&["pin", TIN, "hushgrain", "--why", "x"]).code(4);
    assert_eq!(fs::read_to_string(&file).unwrap(), broken, "what cannot be read is left alone");
    bench.ok(&["rollback", TIN]);
    let said = output(&bench.run(&["doctor"]).code(1));
    assert!(said.contains("editon"), "{said}");
}

#[test]
fn a_build_that_never_arrived_in_full_is_cleared_away_and_a_damaged_label_is_named() {
    let (bench, _) = changed();
    let labels = || -> Vec<_> {
        let labels = fs::read_dir(bench.file("home/rack")).unwrap();
        labels.map(|entry| entry.unwrap().path()).collect()
    };
    let label = labels().into_iter().find(|path| path.to_string_lossy().contains("hush")).unwrap();
    let text = fs::read_to_string(&label).unwrap();
    fs::write(&label, text.replacen("hushgrain", "hushgrin", 1)).unwrap();
    let said = output(&bench.run(&["doctor"]).code(1));
    assert!(said.contains("rack:") && said.contains("Add that build again"), "{said}");
    assert_eq!(bench.json(&["rack", "list"])["builds"].as_array().unwrap().len(), 2);
    let stray = upright_spanner_core::content::Content::of_bytes(b"stray").blake3.to_string();
    bench.write(&format!("home/blobs/{}/{stray}", &stray[..2]), b"stray");
    let reclaim = ["doctor", "--reclaim", "--yes", "--despite", "unmentioned"];
    let said = errors(&bench.run(&reclaim).code(3));
    assert!(said.contains("cannot be read"), "{said}");
    bench.ok(&["rack", "add", "downloads/hushgrain-1.2.2.zip"]);
    assert_eq!(bench.json(&["rack", "list"])["builds"].as_array().unwrap().len(), 3);

    // Killed after everything was stored and before that was noted; a line that was cut off or is damaged is the
    // same. If all of a build is stored, it is on the rack.
    let label = labels().into_iter().find(|path| path.to_string_lossy().contains("2-9-1")).unwrap();
    let whole = fs::read_to_string(&label).unwrap();
    let arrived = whole.find("{\"arrived").unwrap();
    let announced = &whole[..=whole[..arrived].rfind('\n').unwrap()];
    let stored = bench.picture("home/blobs");
    for text in [announced, &whole[..arrived + 4], &whole.replace("arrived", "arrivid")] {
        fs::write(&label, text).unwrap();
        assert_eq!(bench.json(&["rack", "list"])["builds"].as_array().unwrap().len(), 3);
        assert!(bench.ok(&["doctor", "--dry-run"]).contains("which is not noted"), "{text}");
        assert!(bench.ok(&["doctor"]).contains("all of the build is stored, which is noted now"));
        assert!(!bench.ok(&["doctor"]).contains("noted"), "{text}");
        assert!(bench.picture("home/blobs") == stored);
    }

    // A file of a newer version is not understood, and is left as it is.
    let moved = r#"{"moved":{"at":"2026-01-01T00:00:00Z"}}"#;
    let sum = upright_spanner_core::content::Content::of_bytes(moved.as_bytes()).blake3.to_string();
    fs::write(&label, format!("{whole}{} {moved}\n", &sum[..16])).unwrap();
    assert!(output(&bench.run(&["doctor"]).code(1)).contains("unknown variant `moved`"));
    assert_eq!(bench.json(&["rack", "list"])["builds"].as_array().unwrap().len(), 2);

    // Killed before its contents were all there.
    fs::write(&label, announced).unwrap();
    let text = fs::read_to_string(&label).unwrap();
    // The first digest is that of the package.
    let content = text.split("\"blake3\":\"").nth(2).unwrap()[..64].to_owned();
    let content = bench.file(&format!("home/blobs/{}/{content}", &content[..2]));
    crate::common::free(&content);
    fs::remove_file(content).unwrap();
    // A change put it into the game, and the output tells so.
    let said = output(&bench.run(&["doctor"]).code(1));
    assert!(!label.exists() && said.contains("needs it"), "{said}");
}

#[test]
fn names_that_windows_cannot_hold_are_refused_with_words_and_harm_nothing() {
    if cfg!(windows) {
        return;
    }
    let (bench, _) = changed();
    bench.write("older/Lantern/note 12:30.txt", b"noon");
    let said = errors(&bench.run(&["wind", TIN, "--from", "older"]).code(4));
    assert!(said.contains("note 12:30.txt") && said.contains("stream of a file"), "{said}");
    fs::remove_file(bench.file("older/Lantern/note 12:30.txt")).unwrap();
    bench.write("older/Lantern/Noon.txt", b"one");
    bench.write("older/Lantern/noon.TXT", b"two");
    let said = crate::common::flat(&errors(&bench.run(&["wind", TIN, "--from", "older"]).code(4)));
    assert!(said.contains("differ only in case") && said.contains("take it out"), "{said}");
    assert!(!bench.file(&format!("{TIN}/Lantern/Noon.txt")).exists());
    bench.write(&format!("{TIN}/odd?.dll"), &Pe::dll(Bits::Bits64, "odd.dll").to_bytes());
    let survey = bench.run(&["survey", TIN]).code(1);
    assert!(errors(&survey).contains("it is skipped: Windows has no names with"));
    assert!(output(&survey).contains("sharpwater"));
    let odd = bench.run(&["fit", TIN, "sharpwater@2.9.1", "--as", "con.dll"]).code(2);
    assert!(errors(&odd).contains("it is the name of a device"));
    bench.ok(&["history"]);
    bench.ok(&["rollback", TIN]);
    bench.ok(&["doctor"]);
}

#[test]
fn a_game_that_was_moved_takes_its_history_along() {
    let (bench, before) = changed();
    let (from, to) = (bench.file(TIN), bench.file("elsewhere/Tin Lighthouse"));
    fs::create_dir_all(bench.file("elsewhere")).unwrap();
    fs::rename(&from, &to).unwrap();
    let said = errors(&bench.run(&["drift", "tin-lighthouse"]).code(1));
    assert!(said.contains("which is missing") && said.contains("--root FOLDER"), "{said}");
    assert_eq!(bench.json(&["history", "tin-lighthouse"])["changes"].as_array().unwrap().len(), 3);
    let said = errors(&bench.run(&["survey", "elsewhere"]).code(0));
    assert!(said.contains("spanner game set tin-lighthouse --root"), "{said}");
    let said = errors(&bench.run(&["rollback", "elsewhere/Tin Lighthouse"]).code(0));
    assert!(said.contains("looks like Tin Lighthouse"), "no one is there to answer: {said}");
    bench.ok(&["game", "set", "tin-lighthouse", "--root", "elsewhere/Tin Lighthouse"]);
    assert!(bench.ok(&["drift", "tin-lighthouse"]).contains("Everything is as it was left"));
    // Moved once more, the question is answered.
    fs::rename(&to, bench.file("Lighthouse")).unwrap();
    let words = fs::read(bench.file("home/games.toml")).unwrap();
    let said = errors(&bench.run(&["rollback", "Lighthouse", "--dry-run", "--yes"]).code(0));
    assert!(said.contains("looks like Tin Lighthouse"), "{said}");
    assert_eq!(fs::read(bench.file("home/games.toml")).unwrap(), words, "a dry run notes nothing");
    bench.ok(&["rollback", "Lighthouse", "--yes"]);
    assert!(bench.picture("Lighthouse") == before);
    assert!(bench.ok(&["drift", "tin-lighthouse"]).contains("Everything is as it was left"));
    bench.ok(&["doctor"]);
}

#[test]
fn every_command_says_that_a_game_is_gone_and_how_to_say_where_it_is() {
    let (bench, _) = changed();
    fs::rename(bench.file(TIN), bench.file("away")).unwrap();
    let commands: [&[&str]; 12] = [
        &["survey", "tin-lighthouse"],
        &["check", "tin-lighthouse"],
        &["drift", "tin-lighthouse"],
        &["game", "show", "tin-lighthouse"],
        &["fit", "tin-lighthouse", "sharpwater@2.9.1"],
        &["fit", "tin-lighthouse", "sharpwater@2.9.1", "--dry-run"],
        &["park", "tin-lighthouse", "sharpwater"],
        &["unpark", "tin-lighthouse", "sharpwater"],
        &["refit", "tin-lighthouse"],
        &["adopt", "tin-lighthouse"],
        &["rollback", "tin-lighthouse"],
        &["undo"],
    ];
    for words in commands {
        let said = errors(&bench.run(words).code(1));
        assert!(said.contains("which is missing"), "{words:?}: {said}");
        assert!(said.contains("spanner game set tin-lighthouse --root"), "{words:?}: {said}");
        let mut words = words.to_vec();
        words.push("--json");
        let document: serde_json::Value =
            serde_json::from_slice(&bench.run(&words).code(1).get_output().stdout).unwrap();
        assert_eq!(document["error"]["code"], "game-gone", "{words:?}");
    }
    assert_eq!(bench.json(&["history", "tin-lighthouse"])["changes"].as_array().unwrap().len(), 3);
    bench.ok(&["game", "set", "tin-lighthouse", "--root", "away"]);
    bench.ok(&["undo"]);
    bench.ok(&["rollback", "tin-lighthouse"]);
}

#[test]
fn a_bay_that_was_moved_takes_its_history_along() {
    let bench = Bench::empty();
    let info = VersionInfo::new([2, 0, 0, 0]).with("FileDescription", "Glim plugin loader");
    let loader = Pe::dll(Bits::Bits64, "glim.dll").version(&info).to_bytes();
    let exe = world::game_exe(Bits::Bits64, "Pier", "Nine Knots", [1, 0, 0, 0]).padding(0);
    bench.write("games/Pier/Pier.exe", &exe.to_bytes());
    bench.write("glim.zip", &archive::zip(&[("glim.dll", &loader)], (2026, 1, 1)));
    bench.write("client/readme.txt", b"theirs");
    let before = bench.picture("client");
    bench.ok(&["rack", "add", "glim.zip"]);
    let layout = bench.ok(&["rack", "show", "glim", "--layout"]);
    bench.write("mine.toml", layout.replace(r#"bay = "exe""#, r#"bay = "second""#).as_bytes());
    bench.ok(&["rack", "add", "glim.zip", "--layout", "mine.toml"]);
    bench.ok(&["game", "set", "games/Pier", "--bay", "second=client"]);
    bench.ok(&["fit", "pier", "glim", "--despite", "entry-not-loaded"]);
    assert!(bench.file("client/glim.dll").exists());
    fs::rename(bench.file("client"), bench.file("moved")).unwrap();
    bench.ok(&["game", "set", "pier", "--bay", "second=moved"]);
    bench.ok(&["rollback", "pier"]);
    assert_eq!(bench.picture("moved"), before);
}

#[test]
fn a_stored_original_that_is_damaged_is_said_before_anything_is_touched() {
    let (bench, _) = changed();
    let now = bench.picture(TIN);
    let history = bench.json(&["history"]);
    let kept = history["changes"][0]["steps"][0]["before"]["blake3"].as_str().unwrap().to_owned();
    let blob = bench.file(&format!("home/blobs/{}/{kept}", &kept[..2]));
    let mut bytes = fs::read(&blob).unwrap();
    bytes[900] ^= 1;
    overwrite(&blob, &bytes);
    let said = errors(&bench.run(&["rollback", TIN, "sharpwater"]).code(4));
    assert!(said.contains("is damaged or missing"), "{said}");
    assert!(bench.picture(TIN) == now);
    bench.ok(&["rollback", TIN, "hushgrain"]);
}

/// Windows copies the roaming folder over networks: the home of a machine is in its local one.
#[cfg(windows)]
#[test]
fn the_home_is_of_this_machine_alone() {
    let bench = Bench::empty();
    let mut doctor = bench.program(&["doctor", "--dry-run", "--json"]);
    doctor.env_remove("SPANNER_HOME");
    let output = crate::common::started(|| doctor.output());
    let document: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    let home = document["home"].as_str().unwrap();
    assert!(home.contains("/Local/"), "{home}");
}

#[test]
fn nothing_is_fitted_while_pins_cannot_be_read_but_going_back_works() {
    let (bench, before) = changed();
    let broken = b"schema = 1\n[[pin]\n";
    bench.write("home/games.toml", broken);
    let fit = bench.run(&["fit", "games/Tin Lighthouse", "sharpwater"]).code(4);
    assert!(errors(&fit).contains("games.toml:2"), "{}", errors(&fit));
    bench.ok(&["rollback", "games/Tin Lighthouse"]);
    assert!(bench.picture("games/Tin Lighthouse") == before);
    assert_eq!(fs::read(bench.file("home/games.toml")).unwrap(), broken);
}
