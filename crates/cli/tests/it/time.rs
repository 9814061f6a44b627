//! Through time: undo, earlier points, what drifted, swaps made by hand, components taken out.

use std::fs;

use crate::common::{Bench, errors, flat, output, overwrite};
use upright_spanner_sample::world::{self, Graphics};
use upright_spanner_sample::{Bits, Pe, VersionInfo};

const KITE: &str = "games/Kite Harbour";
const SALT: &str = "games/Saltglass Drift";

fn racked() -> Bench {
    let bench = Bench::world();
    for zip in ["brine-2.8.1-win64", "undertow-2.3.0", "sharpwater-2.9.1", "sharpwater-2026.3.0"] {
        bench.ok(&["rack", "add", &format!("downloads/{zip}.zip")]);
    }
    bench
}

/// The changes in `history`: summary and present state.
fn history(bench: &Bench) -> Vec<String> {
    let document = bench.json(&["history"]);
    let changes = document["changes"].as_array().unwrap().iter();
    changes.map(|c| format!("{}: {}", c["summary"], c["now"]).replace('"', "")).collect()
}

/// The state of each managed file of a game.
fn drift(bench: &Bench, game: &str) -> Vec<String> {
    let document = bench.json(&["drift", game]);
    let files = document["games"][0]["drift"]["files"].as_array().unwrap().iter();
    files.map(|f| format!("{} {} {}", f["path"], f["state"], f["than"]).replace('"', "")).collect()
}

#[test]
fn an_undo_is_a_change_that_can_be_undone_and_nothing_is_pulled_from_under_another() {
    let bench = racked();
    let tin = "games/Tin Lighthouse";
    let shipped = bench.picture(tin);
    bench.ok(&["fit", tin, "sharpwater@2.9.1"]);
    let first = bench.picture(tin);
    bench.ok(&["fit", tin, "sharpwater@2026.3.0"]);
    let second = bench.picture(tin);
    let said = errors(&bench.run(&["undo", "1"]).code(3));
    assert!(said.contains("since change 2 (fit sharpwater@2026.3.0) altered its files"), "{said}");
    bench.ok(&["undo"]);
    assert!(bench.picture(tin) == first);
    bench.ok(&["undo", "3"]);
    assert!(bench.picture(tin) == second, "the undoing was undone");
    assert_eq!(
        history(&bench),
        [
            "fit sharpwater@2.9.1: replaced",
            "fit sharpwater@2026.3.0: in force",
            "undo 2 (fit sharpwater@2026.3.0): -",
            "undo 3 (undo 2 (fit sharpwater@2026.3.0)): -",
        ]
    );
    bench.ok(&["undo"]);
    bench.ok(&["undo"]);
    assert!(bench.picture(tin) == shipped, "one after the other, back to the start");
    assert!(bench.ok(&["undo"]).contains("nothing to undo"));
    let one = bench.ok(&["history", "show", "2"]);
    assert!(one.contains("2.9.1") && one.contains("2026.3.0") && one.contains("undone"), "{one}");
    assert!(one.contains("TinLighthouse.exe, version 1.4.2"), "{one}");
    assert!(errors(&bench.run(&["undo", "99"]).code(2)).contains("unknown change 99"));
}

#[test]
fn rollback_goes_to_any_point_that_is_named() {
    let bench = racked();
    let tin = "games/Tin Lighthouse";
    let shipped = bench.picture(tin);
    bench.ok(&["fit", tin, "sharpwater@2.9.1"]);
    let first = bench.picture(tin);
    bench.ok(&["fit", tin, "sharpwater@2026.3.0"]);
    let second = bench.picture(tin);
    for (point, wanted) in [("1", &first), ("2", &second), ("0", &shipped), ("2", &second)] {
        bench.ok(&["rollback", tin, "--to", point]);
        assert!(bench.picture(tin) == *wanted, "to {point}");
    }
    bench.ok(&["rollback", tin, "--to", "1999-12-31"]);
    assert!(bench.picture(tin) == shipped, "a day before everything");
    bench.ok(&["rollback", tin, "--to", "2"]);
    bench.ok(&["rollback", tin, "--to", "2999-01-01", "--dry-run"]);
    for wrong in ["77", "soon"] {
        bench.run(&["rollback", tin, "--to", wrong]).code(2);
    }
    bench.ok(&["rollback", tin]);
    assert!(bench.picture(tin) == shipped);
}

#[test]
fn what_the_launcher_did_is_told_and_refit_puts_the_build_back() {
    let bench = racked();
    let dll = bench.file(&format!("{KITE}/System/brine.dll"));
    let font = bench.file(&format!("{KITE}/System/saltlamp.dll"));
    let shipped = fs::read(&dll).unwrap();
    bench.ok(&["fit", KITE, "brine"]);
    let fitted = fs::read(&dll).unwrap();
    assert!(bench.ok(&["drift", KITE]).contains("Everything is as it was left"));
    let mixer = "System/quern.dll fitted null";
    let put = |version: [u16; 4], seed: &str| {
        fs::write(&dll, world::brine(version).text(seed).to_bytes()).unwrap();
    };
    for (version, than) in
        [([2, 0, 9, 0], "older"), ([2, 8, 1, 0], "same"), ([2, 9, 0, 0], "newer")]
    {
        put(version, "brought by an update");
        let wanted = format!("System/brine.dll overwritten {than}");
        assert_eq!(drift(&bench, KITE)[0], wanted);
        assert!(drift(&bench, KITE).contains(&mixer.to_owned()));
    }
    fs::remove_file(&font).unwrap();
    let text = output(&bench.run(&["drift", KITE]).code(1));
    assert!(text.contains("missing") && text.contains("newer"), "{text}");
    assert!(text.contains("Next: spanner refit kite-harbour --dry-run"), "{text}");
    let brought = fs::read(&dll).unwrap();
    let planned = bench.json(&["refit", "--dry-run"]);
    assert_eq!(planned["games"][0]["steps"].as_array().unwrap().len(), 2);
    bench.ok(&["refit", KITE]);
    assert!(fs::read(&dll).unwrap() == fitted && font.exists());
    // The launcher's file is the shipped one now; the old original is history.
    bench.ok(&["rollback", KITE, "brine"]);
    assert!(fs::read(&dll).unwrap() == brought);
    bench.ok(&["rollback", KITE, "brine", "--to", "0"]);
    assert!(fs::read(&dll).unwrap() == shipped, "unless that very point is named");
}

#[test]
fn a_newer_file_of_the_launcher_is_not_rolled_over_but_when_told() {
    let bench = racked();
    let dll = bench.file(&format!("{KITE}/System/brine.dll"));
    bench.ok(&["fit", KITE, "brine"]);
    let newer = world::brine([3, 0, 0, 0]).to_bytes();
    fs::write(&dll, &newer).unwrap();
    let said = flat(&output(&bench.run(&["rollback", KITE]).code(1)));
    assert!(
        said.contains("System/brine.dll was left alone: version 2.8.1 was put there"),
        "{said}"
    );
    assert!(fs::read(&dll).unwrap() == newer);
    let said = flat(&output(&bench.run(&["rollback", KITE, "--to", "0"]).code(1)));
    assert!(said.contains("it is kept, and replaced as you asked"), "{said}");
    bench.ok(&["undo"]);
    assert!(fs::read(&dll).unwrap() == newer, "and nothing of it is lost");
}

#[test]
fn an_update_of_the_executable_is_told_with_what_it_does_to_each_build() {
    let bench = Bench::world();
    let moss = "games/Moss & Meridian";
    bench.ok(&["rack", "add", "downloads/lampwright-31.4.zip", "downloads/lampwright-31.6.zip"]);
    bench.ok(&["fit", moss, "lampwright"]);
    let exe = world::game_exe(Bits::Bits32, "Moss & Meridian", "Fernway", [22, 4, 9, 0]);
    bench.write(&format!("{moss}/MossMeridian.exe"), &exe.to_bytes());
    let said = flat(&output(&bench.run(&["drift", moss]).code(1)));
    assert!(
        said.contains("The game was updated: MossMeridian.exe was 22.4.7 and is 22.4.9."),
        "{said}"
    );
    assert!(
        said.contains("[keyed-elsewhere] Use lampwright@31.6.0+x86, which supports 22.4.9"),
        "{said}"
    );
    // A build that would not work any more is not restored without a finding.
    let dll = format!("{moss}/lampwright-22.4.7.dll");
    fs::write(bench.file(&dll), b"broken").unwrap();
    bench.run(&["refit", moss]).code(3);
    fs::remove_file(bench.file(&dll)).unwrap();
    bench.run(&["refit", moss]).code(3);
    bench.ok(&["refit", moss, "--despite", "keyed-elsewhere"]);
    bench.ok(&["fit", moss, "lampwright"]);
    assert!(bench.file(&format!("{moss}/lampwright-22.4.9.dll")).exists());
    assert!(!bench.file(&dll).exists());
}

#[test]
fn swaps_made_by_hand_are_adopted_with_their_originals() {
    let bench = Bench::world();
    let bin = "games/Tin Lighthouse/Lantern/Game/Binaries/x64";
    let (live, aside) = (format!("{bin}/hushgrain.dll"), format!("{bin}/hushgrain.dll.bak"));
    let original = fs::read(bench.file(&live)).unwrap();
    fs::rename(bench.file(&live), bench.file(&aside)).unwrap();
    let newer = world::graphics(Graphics::Denoiser, [1, 2, 2, 0], Bits::Bits64).to_bytes();
    bench.write(&live, &newer);
    fs::copy(bench.file(&live), bench.file(&format!("{bin}/hushgrain - Copy.dll"))).unwrap();
    let before = bench.picture("games/Tin Lighthouse");
    let said = bench.ok(&["adopt", "games/Tin Lighthouse"]);
    assert!(said.contains("original  1.0.3") && said.contains("live      1.2.2"), "{said}");
    assert!(said.contains("hushgrain - Copy.dll"), "other copies are listed: {said}");
    assert!(bench.picture("games/Tin Lighthouse") == before, "nothing is touched");
    assert!(bench.ok(&["survey", "games/Tin Lighthouse"]).contains("fitted"));
    bench.ok(&["rollback", "games/Tin Lighthouse"]);
    assert!(fs::read(bench.file(&live)).unwrap() == original);
    bench.ok(&["undo"]);
    assert!(fs::read(bench.file(&live)).unwrap() == newer);
    assert!(bench.ok(&["adopt", "games/Tin Lighthouse"]).contains("No hand-made backups found"));

    let bench = Bench::world();
    fs::rename(bench.file(&live), bench.file(&aside)).unwrap();
    bench.write(&live, &newer);
    let done = bench.json(&["adopt", "games/Tin Lighthouse", "--remove-copies"]);
    assert_eq!(done["swaps"][0]["original"]["version"], "1.0.3");
    assert_eq!(done["removal"]["change"]["steps"][0]["after"], serde_json::Value::Null);
    assert!(!bench.file(&aside).exists());
    bench.ok(&["rollback", "games/Tin Lighthouse", "hushgrain", "--to", "0"]);
    assert!(fs::read(bench.file(&live)).unwrap() == original);
}

#[test]
fn a_component_is_taken_out_for_now_and_comes_back_exactly() {
    let bench = racked();
    let before = bench.picture(SALT);
    bench.ok(&["park", SALT, "undertow"]);
    assert!(!bench.file(&format!("{SALT}/bin/winmm.dll")).exists(), "put there by hand");
    assert!(bench.file(&format!("{SALT}/bin/undertow.ini")).exists(), "settings stay");
    bench.ok(&["unpark", SALT, "undertow"]);
    assert!(bench.picture(SALT) == before);
    bench.ok(&["fit", SALT, "undertow"]);
    let fitted = bench.picture(SALT);
    bench.ok(&["park", SALT, "undertow"]);
    bench.ok(&["unpark", SALT, "undertow"]);
    assert!(bench.picture(SALT) == fitted);
    assert!(errors(&bench.run(&["unpark", SALT, "undertow"]).code(2)).contains("is not parked"));
    let said = errors(&bench.run(&["park", KITE, "brine"]).code(2));
    assert!(said.contains("brine is what Kite Harbour itself brought"), "{said}");
    bench.ok(&["fit", KITE, "brine"]);
    bench.ok(&["park", KITE, "brine"]);
    let back = bench.json(&["inspect", &format!("{KITE}/System/brine.dll")]);
    assert_eq!(back["images"][0]["file_version"], "2.0.3.0", "a game's own goes back to it");
}

#[test]
fn what_was_parked_is_checked_again_after_an_update() {
    let bench = Bench::world();
    let moss = "games/Moss & Meridian";
    bench.ok(&["rack", "add", "downloads/lampwright-31.4.zip"]);
    bench.ok(&["fit", moss, "lampwright"]);
    bench.ok(&["park", moss, "lampwright"]);
    let exe = world::game_exe(Bits::Bits32, "Moss & Meridian", "Fernway", [22, 4, 9, 0]);
    bench.write(&format!("{moss}/MossMeridian.exe"), &exe.to_bytes());
    let said = output(&bench.run(&["unpark", moss, "lampwright"]).code(3));
    assert!(said.contains("[keyed-elsewhere]"), "{said}");
    bench.ok(&["unpark", moss, "lampwright", "--despite", "keyed-elsewhere"]);
    assert!(bench.file(&format!("{moss}/Data/rules/lamp-core.rule")).exists());
}

#[test]
fn the_doctor_finds_what_is_damaged_and_clears_what_was_left_behind() {
    let bench = racked();
    bench.ok(&["fit", KITE, "brine"]);
    assert!(bench.ok(&["doctor", "--deep"]).contains("All is well"));
    // A file with a name like ours is not ours: the journal decides.
    bench.write(&format!("{KITE}/System/.spanner-0123456789abcdef"), b"the user's own");
    bench.ok(&["doctor"]);
    assert!(bench.file(&format!("{KITE}/System/.spanner-0123456789abcdef")).exists());
    let journal = fs::read_to_string(bench.file("home/journal/00000001.change")).unwrap();
    let spare = journal.split(".spanner-").nth(1).unwrap()[..16].to_owned();
    bench.write(&format!("{KITE}/System/.spanner-{spare}"), b"left");
    let said = bench.ok(&["doctor", "--dry-run"]);
    assert!(said.contains(&format!(".spanner-{spare} would be removed")), "{said}");
    bench.ok(&["doctor"]);
    assert!(!bench.file(&format!("{KITE}/System/.spanner-{spare}")).exists());
    let change = bench.json(&["history"]);
    let kept = change["changes"][0]["steps"][0]["before"]["blake3"].as_str().unwrap().to_owned();
    let blob = bench.file(&format!("home/blobs/{}/{kept}", &kept[..2]));
    let mut bytes = fs::read(&blob).unwrap();
    bytes[1000] ^= 1;
    overwrite(&blob, &bytes);
    bench.ok(&["doctor"]);
    let said = output(&bench.run(&["doctor", "--deep"]).code(1));
    assert!(said.contains("is missing or damaged; change 1 of kite-harbour needs it"), "{said}");
    let said = errors(&bench.run(&["rollback", KITE]).code(4));
    assert!(said.contains("is damaged or missing"), "{said}");
}

#[test]
fn what_nothing_needs_is_shown_and_dropped_only_when_told() {
    let bench = racked();
    let stored = bench.picture("home/blobs").len();
    let stray = b"nothing needs this";
    let content = upright_spanner_core::content::Content::of_bytes(stray).blake3.to_string();
    bench.write(&format!("home/blobs/{}/{content}", &content[..2]), stray);
    let said = bench.ok(&["doctor", "--reclaim"]);
    assert!(said.contains("18 B of") && said.contains("--reclaim --yes"), "{said}");
    assert_eq!(bench.picture("home/blobs").len(), stored + 1);
    let said = errors(&bench.run(&["doctor", "--reclaim", "--yes"]).code(3));
    assert!(said.contains("no record names 1 of the stored contents"), "{said}");
    assert_eq!(bench.picture("home/blobs").len(), stored + 1, "a record may be lost");
    bench.ok(&["doctor", "--reclaim", "--yes", "--despite", "unmentioned"]);
    assert_eq!(bench.picture("home/blobs").len(), stored);
}

#[test]
fn a_game_is_wound_back_by_folders_in_order_and_forward_again() {
    let bench = Bench::world();
    let before = bench.picture(KITE);
    let older = world::game_exe(Bits::Bits64, "Kite Harbour", "Paper Quay Games", [1, 0, 7, 0]);
    bench.write("older-1/System/KiteHarbour.exe", b"half a download");
    bench.write("older-1/maps/HARBOUR.map", b"the older map");
    bench.write("older-1/Old/Deep/readme.txt", b"new in no release");
    bench.write("older-2/System/KiteHarbour.exe", &older.to_bytes());
    let words = ["wind", KITE, "--from", "older-1", "--from", "older-2"];
    let mut dry = words.to_vec();
    dry.push("--dry-run");
    assert!(bench.ok(&dry).contains("1.0.9 → 1.0.7"));
    assert!(bench.picture(KITE) == before);
    bench.ok(&words);
    let exe = bench.json(&["inspect", &format!("{KITE}/System/KiteHarbour.exe")]);
    assert_eq!(exe["images"][0]["file_version"], "1.0.7.0", "the last folder counts");
    assert_eq!(
        fs::read(bench.file(&format!("{KITE}/Maps/harbour.map"))).unwrap(),
        b"the older map"
    );
    assert!(bench.ok(&words).contains("Every file is there already"));
    bench.ok(&["undo"]);
    assert!(bench.picture(KITE) == before);
    assert!(!bench.file(&format!("{KITE}/Old")).exists());
}

#[test]
fn contents_that_stand_in_several_places_or_change_places_are_kept_like_others() {
    let bench = Bench::world();
    let old: Vec<String> = (0..9).map(|n| format!("{KITE}/Maps/old-{n}.map")).collect();
    for (n, path) in old.iter().enumerate() {
        // Three contents, three places each.
        bench.write(path, format!("the old map {}", n % 3).as_bytes());
    }
    bench.write(&format!("{KITE}/Maps/left.map"), b"left");
    bench.write(&format!("{KITE}/Maps/right.map"), b"right");
    let before = bench.picture(KITE);
    for n in 0..9 {
        let content = format!("the new map {}", n % 2);
        bench.write(&format!("older/Maps/old-{n}.map"), content.as_bytes());
    }
    bench.write("older/Maps/left.map", b"right");
    bench.write("older/Maps/right.map", b"left");
    bench.ok(&["wind", KITE, "--from", "older"]);
    for n in 0..9 {
        let now = fs::read(bench.file(&format!("{KITE}/Maps/old-{n}.map"))).unwrap();
        assert_eq!(String::from_utf8(now).unwrap(), format!("the new map {}", n % 2));
    }
    assert_eq!(fs::read(bench.file(&format!("{KITE}/Maps/left.map"))).unwrap(), b"right");
    let merged = bench.picture(KITE);
    assert!(bench.ok(&["doctor", "--deep"]).contains("All is well"));
    bench.ok(&["undo"]);
    assert!(bench.picture(KITE) == before);
    bench.ok(&["undo", "2"]);
    assert!(bench.picture(KITE) == merged);
    // The wound release is the shipped one.
    bench.ok(&["rollback", KITE]);
    assert!(bench.picture(KITE) == merged);
    bench.ok(&["rollback", KITE, "--to", "0"]);
    assert!(bench.picture(KITE) == before);
}

#[test]
fn a_watch_reports_what_happens_as_it_happens() {
    use std::io::{BufRead, BufReader};
    use std::sync::mpsc;
    use std::time::Duration;

    let bench = racked();
    bench.ok(&["fit", KITE, "brine"]);
    let mut watch = bench.program(&["drift", KITE, "--watch"]);
    watch.stdout(std::process::Stdio::piped());
    let mut watch = crate::common::started(|| watch.spawn());
    let (sender, lines) = mpsc::channel();
    let output = BufReader::new(watch.stdout.take().unwrap());
    std::thread::spawn(move || {
        for line in output.lines().map_while(Result::ok) {
            if sender.send(line).is_err() {
                return;
            }
        }
    });
    let wait_for = |wanted: &str| {
        loop {
            let line = lines.recv_timeout(Duration::from_secs(60));
            match line {
                Ok(line) if line.contains(wanted) => return true,
                Ok(_) => {}
                Err(_) => return false,
            }
        }
    };
    let began = wait_for("Watching.");
    let dll = bench.file(&format!("{KITE}/System/brine.dll"));
    fs::write(&dll, world::brine([2, 9, 0, 0]).to_bytes()).unwrap();
    let told = wait_for("overwritten");
    watch.kill().unwrap();
    watch.wait().unwrap();
    assert!(began, "it did not begin to watch");
    assert!(told, "it did not tell");
}

#[test]
fn a_family_may_have_any_id_and_is_not_confused_with_a_part_of_the_game() {
    for id in ["saves", "hold", "game-files", "game", "compat", "compatibility", "shortcut"] {
        let bench = Bench::empty();
        let library = |version: [u16; 4]| {
            let info = VersionInfo::new(version).with("CompanyName", "Nib").with("ProductName", id);
            Pe::dll(Bits::Bits64, &format!("{id}.dll")).version(&info).export("glim", 9).to_bytes()
        };
        let file = format!("games/Pier/{id}.dll");
        bench.write("games/Pier/pier.exe", &Pe::exe(Bits::Bits64).to_bytes());
        bench.write(&file, &library([1, 0, 0, 0]));
        bench.write(&format!("new/{id}.dll"), &library([2, 0, 0, 0]));
        let content = || fs::read(bench.file(&file)).unwrap();
        bench.ok(&["rack", "add", "new", "--family", id]);

        bench.ok(&["fit", "games/Pier", id]);
        assert_eq!(content(), library([2, 0, 0, 0]), "{id}");
        let drift = bench.json(&["drift", "games/Pier"]);
        let row = &drift["games"][0]["drift"]["files"][0];
        assert_eq!((&row["owner"], &row["family"]), (&"component".into(), &id.into()), "{drift}");
        bench.ok(&["rollback", "games/Pier", id]);
        assert_eq!(content(), library([1, 0, 0, 0]), "{id} by its name");

        bench.ok(&["fit", "games/Pier", id]);
        bench.ok(&["rollback", "games/Pier"]);
        assert_eq!(content(), library([1, 0, 0, 0]), "{id} with everything");
    }
}
