//! Feeds as their users see them: added after confirming their key, refreshed, and used to get builds.

use std::fs;
use std::process::Stdio;
use std::thread;
use std::time::Duration;

use crate::common::feeds::{Publisher, game, lens};
use crate::common::{Bench, errors, flat, output, wait_until};
use serde_json::{Value, json};
use upright_spanner_sample::server::{Fault, Faults, Server};
use upright_spanner_sample::world::copy_tree;
use upright_spanner_sample::{Bits, archive};

fn faults(faults: &[Fault], only: &str) -> Faults {
    Faults { faults: faults.to_vec(), only: only.to_owned(), times: None }
}

/// A server of a feed that the home has added, and the digest of the one download in it.
fn served(bench: &Bench) -> (Server, String) {
    let publisher = Publisher::of_lens(bench);
    let server = Server::start(&bench.file("feed")).unwrap();
    publisher.added(&server.url());
    let offers = bench.json(&["feed", "list", "lens"]);
    (server, offers["builds"][0]["blake3"].as_str().unwrap().to_owned())
}

#[test]
fn from_an_empty_home_to_a_fitted_game_it_takes_three_commands() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let server = Server::start(&bench.file("feed")).unwrap();
    bench.ok(&["feed", "add", &server.url(), "--key", &publisher.key()]);
    let survey = flat(&bench.ok(&["survey", "game"]));
    assert!(survey.contains("feed has 3.1"), "{survey}");
    assert!(survey.contains("The feed nib-builds, refreshed just now, has a newer build of one."));
    assert!(survey.contains("Next: spanner rack get --for game"), "{survey}");
    let fitted = bench.ok(&["fit", "game", "lens", "--get"]);
    assert!(fitted.contains("Read back: version 3.1.0"), "{fitted}");
    let library = fs::read(bench.file("game/lens.dll")).unwrap();
    assert_eq!(library, lens([3, 1, 0, 0], Bits::Bits64, 300_000));
    bench.ok(&["rollback", "game"]);
    let library = fs::read(bench.file("game/lens.dll")).unwrap();
    assert_eq!(library, lens([2, 9, 0, 0], Bits::Bits64, 1000));
}

#[test]
fn the_key_is_shown_whole_and_confirmed_once_and_is_fixed_then() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let refused = bench.run(&["feed", "add", "feed"]).code(2);
    assert!(errors(&refused).contains(&publisher.key()), "{}", errors(&refused));
    assert!(errors(&refused).contains("--key KEY"), "{}", errors(&refused));
    assert_eq!(bench.json(&["feed", "list"])["feeds"], json!([]));

    publisher.ok(&["feed", "key", "new", "other.key", "--no-passphrase"]);
    let other = bench.run(&["feed", "add", "feed", "--key", "other.key.pub"]).code(3);
    assert!(errors(&other).contains("is refused"), "{}", errors(&other));
    assert_eq!(bench.json(&["feed", "list"])["feeds"], json!([]));
    bench.run(&["feed", "add", "feed", "--key", "nonsense"]).code(2);
    bench.run(&["feed", "add", "gopher://feed", "--key", &publisher.key()]).code(2);
    for name in ["con", "../nib", "Nib builds", ""] {
        bench.run(&["feed", "add", "feed", "--key", "feed.key.pub", "--name", name]).code(2);
    }

    let added = bench.json(&["feed", "add", "feed", "--key", "feed.key.pub", "--name", "nib"]);
    assert_eq!(added["feeds"][0]["key"], publisher.key());
    let list = bench.json(&["feed", "list"]);
    assert_eq!((&list["feeds"][0]["builds"], &list["feeds"][0]["serial"]), (&json!(1), &json!(1)));
    // Asked for again, it needs no key, and says something else of it.
    let again = bench.json(&["feed", "add", "feed", "--fresh-for", "12h"]);
    assert_eq!(again["feeds"][0]["fresh_for_hours"], 12);
    assert_eq!(again["feeds"][0]["name"], "nib");
    bench.run(&["feed", "add", "feed", "--fresh-for", "soon"]).code(2);

    bench.ok(&["rack", "get", "lens"]);
    bench.json(&["feed", "forget", "nib"]);
    assert_eq!(bench.json(&["feed", "list"])["feeds"], json!([]));
    assert_eq!(bench.picture("home/feeds"), []);
    assert_eq!(bench.json(&["rack", "list"])["builds"].as_array().unwrap().len(), 1);
    bench.run(&["feed", "forget", "nib"]).code(2);
}

#[test]
fn nobody_is_asked_but_when_the_user_says_so() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let server = Server::start(&bench.file("feed")).unwrap();
    publisher.added(&server.url());
    let first = server.take_log();
    assert!(first.iter().all(|request| request.agent.starts_with("upright-spanner/")));
    bench.ok(&["survey", "game"]);
    bench.ok(&["check", "game"]);
    bench.ok(&["rack", "get", "lens", "--dry-run"]);
    bench.ok(&["feed", "list", "lens"]);
    bench.run(&["fit", "game", "lens", "--dry-run"]).code(2);
    assert_eq!(server.take_log(), []);
    let offline = bench.run(&["feed", "refresh", "--offline"]).code(4);
    assert!(errors(&offline).contains("offline"), "{}", errors(&offline));
    bench.run(&["rack", "get", "lens", "--offline"]).code(4);
    assert_eq!(server.take_log(), []);

    // No news is one request, which has no answer to read.
    bench.ok(&["feed", "refresh"]);
    let log = server.take_log();
    assert_eq!(log.len(), 1, "{log:?}");
    assert_eq!((log[0].path.as_str(), log[0].status, log[0].sent), ("/feed.minisig", 304, 0));

    // A feed that is refreshed automatically is refreshed when its time has come.
    bench.ok(&["feed", "add", &server.url(), "--fresh-for", "1h"]);
    server.take_log();
    bench.ok(&["survey", "game"]);
    assert_eq!(server.take_log(), []);
    let path = bench.file("home/feeds/nib.toml");
    let text = fs::read_to_string(&path).unwrap();
    let line = text.lines().find(|line| line.starts_with("refreshed")).unwrap();
    fs::write(&path, text.replace(line, "refreshed = \"2026-01-02T03:04:05Z\"")).unwrap();
    bench.ok(&["survey", "game", "--offline"]);
    assert_eq!(server.take_log(), []);
    bench.ok(&["survey", "game"]);
    assert_eq!(server.take_log().len(), 1);
}

#[test]
fn a_feed_is_found_by_what_people_type_and_errors_lead_to_it() {
    let bench = Bench::empty();
    let none = bench.run(&["rack", "get", "lens"]).code(2);
    assert!(
        errors(&none).contains("No feed has been added: spanner feed add"),
        "{}",
        errors(&none)
    );
    let publisher = Publisher::of_lens(&bench);
    let server = Server::start(&bench.file("feed")).unwrap();
    let wrong = format!("{}/stable", server.url());
    for address in ["nowhere", &wrong] {
        let absent = bench.run(&["feed", "add", address]).code(4);
        let told = flat(&errors(&absent));
        assert!(told.contains("no feed found at") && told.contains("feed.minisig"), "{told}");
    }
    let addresses = |feeds: &Value| {
        let feeds = feeds["feeds"].as_array().unwrap().iter();
        feeds.map(|feed| feed["address"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    let key = publisher.key();
    for typed in [format!("{}/", server.url()), format!("{}/feed.minisig", server.url())] {
        bench.ok(&["feed", "add", &typed, "--key", &key]);
    }
    assert_eq!(addresses(&bench.json(&["feed", "list"])), [server.url()]);
    bench.ok(&["feed", "forget", "nib-builds"]);
    for typed in ["feed", "feed/", "./feed/feed.minisig"] {
        bench.ok(&["feed", "add", typed, "--key", &key]);
    }
    let list = bench.json(&["feed", "list"]);
    assert_eq!(addresses(&list).len(), 1, "{list:#}");
}

#[test]
fn a_proxy_of_the_environment_is_asked() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let proxy = Server::start(&bench.file("feed")).unwrap();
    let key = publisher.key();
    let add = |variable: &str| {
        let mut program =
            bench.program(&["feed", "add", "http://builds.invalid/feed", "--key", &key]);
        program.env(variable, proxy.url());
        crate::common::in_time(program, 60).code(4)
    };
    // It is not a proxy and sends nothing; but it sees the requested server.
    for variable in ["http_proxy", "ALL_PROXY"] {
        add(variable);
        let log = proxy.take_log();
        assert!(log.len() == 1 && log[0].path.contains("builds.invalid"), "{variable}: {log:?}");
    }
    add("SOME_PROXY");
    assert_eq!(proxy.take_log(), []);
}

#[test]
fn a_refresh_says_what_is_new_and_checks_know_it() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.added("feed");
    assert!(bench.ok(&["feed", "refresh"]).contains("nib: nothing new."));
    publisher.rack_lens([3, 2, 0, 0]);
    publisher.make(&["--from", "rack"]);
    let refreshed = bench.json(&["feed", "refresh", "nib"]);
    assert_eq!(refreshed["feeds"][0]["new"], json!(["lens@3.2.0"]));
    let survey = bench.json(&["survey", "game"]);
    let component = &survey["games"][0]["components"][0];
    assert_eq!(component["offered"], json!({ "build": "lens@3.2.0", "feed": "nib" }));
    let check = flat(&bench.ok(&["check", "game"]));
    assert!(check.contains("feed has 3.2.0, refreshed just now"), "{check}");
    bench.ok(&["rack", "get", "lens@3.2"]);
    let survey = flat(&bench.ok(&["survey", "game"]));
    assert!(survey.contains("rack has 3.2") && !survey.contains("feed has"), "{survey}");
    let errors = errors(&bench.run(&["fit", "game", "lens@3.1.0", "--dry-run"]).code(2));
    assert!(flat(&errors).contains("Get it first: spanner rack get lens@3.1.0"), "{errors}");
    bench.run(&["feed", "refresh", "other"]).code(2);
    bench.run(&["rack", "get", "lens@7.0"]).code(2);
    bench.run(&["rack", "get", "nothing"]).code(2);
    bench.run(&["feed", "list", "nothing"]).code(2);
}

#[test]
fn several_builds_come_at_once_and_each_variant_for_who_needs_it() {
    let bench = Bench::empty();
    let publisher = Publisher::new(&bench);
    for (name, bits) in [("x64", Bits::Bits64), ("x86", Bits::Bits32)] {
        let zip = archive::zip(&[("lens.dll", &lens([3, 1, 0, 0], bits, 5000))], (2026, 2, 1));
        bench.write(&format!("downloads/lens-3.1.0-{name}.zip"), &zip);
    }
    publisher.make(&["--from", "downloads"]);
    game(&bench, "game", [2, 9, 0, 0]);
    publisher.added("feed");
    let offers = bench.json(&["feed", "list", "lens"]);
    assert_eq!(offers["builds"].as_array().unwrap().len(), 2);
    let got = bench.json(&["rack", "get", "--for", "game"]);
    assert_eq!(got["builds"].as_array().unwrap().len(), 1);
    assert_eq!(got["builds"][0]["variants"][0]["machine"], "x86_64");
    assert_eq!(got["builds"][0]["added"], true);
    bench.ok(&["fit", "game", "lens@3.1.0"]);
    let got = bench.json(&["rack", "get", "lens@3.1.0"]);
    let added = got["builds"].as_array().unwrap().iter().map(|build| build["added"].clone());
    assert_eq!(added.filter(|added| *added == json!(true)).count(), 1);
    let again = bench.ok(&["rack", "get", "lens"]);
    assert_eq!(again.matches("on the rack").count(), 2, "{again}");
    assert!(bench.ok(&["rack", "get", "--for", "game"]).contains("No feed has anything newer"));
    assert_eq!(bench.picture("home/downloads"), []);
}

#[test]
fn one_of_several_that_cannot_be_had_keeps_none_of_the_others_away() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.rack_lens([3, 2, 0, 0]);
    publisher.rack_lens([3, 3, 0, 0]);
    publisher.make(&["--from", "rack"]);
    let server = Server::start(&bench.file("feed")).unwrap();
    publisher.added(&server.url());
    let offers = bench.json(&["feed", "list", "lens"]);
    let file = offers["builds"][1]["blake3"].as_str().unwrap();
    server.fail(faults(&[Fault::Status(404)], file));
    let wanted = ["rack", "get", "lens@3.1.0", "lens@3.2.0", "lens@3.3.0"];
    let got = bench.run(&wanted).code(1);
    let told = errors(&got);
    assert!(told.contains("does not have that") && told.contains(file), "{told}");
    let on_rack = || {
        let builds = bench.json(&["rack", "list"])["builds"].clone();
        let builds = builds.as_array().unwrap().iter().map(|it| it["build"].clone());
        builds.collect::<Vec<_>>()
    };
    assert_eq!(on_rack(), ["lens@3.3.0", "lens@3.1.0"]);
    let got = bench.run(&[&wanted[..], &["--json"]].concat()).code(4);
    assert!(flat(&output(&got)).contains("does not have that"), "{}", output(&got));
    server.fail(Faults::default());
    server.take_log();
    bench.ok(&wanted);
    assert_eq!(server.take_log().len(), 1, "what is on the rack is not got again");
    assert_eq!(on_rack(), ["lens@3.3.0", "lens@3.2.0", "lens@3.1.0"]);
}

#[cfg(unix)]
#[test]
fn who_stops_a_download_is_told_how_it_goes_on() {
    let bench = Bench::empty();
    let (server, file) = served(&bench);
    server.fail(faults(&[Fault::Slow(50_000)], &file));
    let mut program = bench.program(&["rack", "get", "lens"]);
    program.stdout(Stdio::null()).stderr(Stdio::piped());
    let running = program.spawn().unwrap();
    let part = bench.file(&format!("home/downloads/{file}/unfinished.part"));
    wait_until("first bytes", || fs::metadata(&part).is_ok_and(|part| part.len() > 0));
    let number = running.id().to_string();
    assert!(std::process::Command::new("kill").args(["-INT", &number]).status().unwrap().success());
    let ended = running.wait_with_output().unwrap();
    let told = flat(&String::from_utf8_lossy(&ended.stderr));
    assert_eq!(ended.status.code(), Some(130), "{told}");
    assert!(told.contains("Stopped. The received part is kept"), "{told}");
    assert!(fs::metadata(&part).unwrap().len() > 0);
    server.fail(Faults::default());
    bench.ok(&["rack", "get", "lens"]);
    // The stopped request may be logged late: when the server notices that nobody listens.
    assert!(server.take_log().iter().any(|request| request.from.is_some()));
}

#[test]
fn what_was_begun_is_gone_on_with_at_the_byte() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let server = Server::start(&bench.file("feed")).unwrap();
    publisher.added(&server.url());
    let file = bench.json(&["feed", "list", "lens"])["builds"][0].clone();
    let (digest, size) = (file["blake3"].as_str().unwrap(), file["size"].as_u64().unwrap());
    server.fail(faults(&[Fault::Cut(60)], digest));
    let broken = bench.run(&["rack", "get", "lens"]).code(4);
    assert!(errors(&broken).contains("broke off"), "{}", errors(&broken));
    assert_eq!(bench.json(&["rack", "list"])["builds"], json!([]));
    server.fail(Faults::default());
    server.take_log();
    bench.ok(&["rack", "get", "lens"]);
    let log = server.take_log();
    assert_eq!(log.len(), 1, "{log:?}");
    let lost = size * 60 / 100 - log[0].from.unwrap();
    assert!(lost <= 64 << 10, "{lost} bytes were got twice");
    assert_eq!((log[0].status, log[0].sent), (206, size - log[0].from.unwrap()));
    assert_eq!(bench.picture("home/downloads"), []);
}

/// Faults of a server with range requests.
#[test]
fn a_server_that_knows_no_parts_or_sends_others_harms_nothing() {
    for (fault, ends) in [(Fault::IgnoreRange, 0), (Fault::WrongRange, 4)] {
        let bench = Bench::empty();
        let publisher = Publisher::of_lens(&bench);
        let server = Server::start(&bench.file("feed")).unwrap();
        publisher.added(&server.url());
        let file = bench.json(&["feed", "list", "lens"])["builds"][0].clone();
        let digest = file["blake3"].as_str().unwrap();
        server.fail(faults(&[Fault::Cut(30)], digest));
        bench.run(&["rack", "get", "lens"]).code(4);
        server.fail(faults(&[fault], digest));
        bench.run(&["rack", "get", "lens"]).code(ends);
        server.fail(Faults::default());
        bench.ok(&["rack", "get", "lens"]);
        assert!(bench.ok(&["rack", "verify"]).contains("as it should be"));
    }
}

#[test]
fn another_place_is_tried_where_one_does_not_have_a_file_or_has_a_bad_one() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let mirror = Server::start(&bench.file("feed")).unwrap();
    let server = Server::start(&bench.file("feed")).unwrap();
    publisher.make(&["--mirror", &mirror.url()]);
    publisher.added(&server.url());
    let file = bench.json(&["feed", "list", "lens"])["builds"][0].clone();
    let digest = file["blake3"].as_str().unwrap();
    mirror.take_log();
    server.fail(faults(&[Fault::Status(404)], digest));
    bench.ok(&["rack", "get", "lens"]);
    assert_eq!(mirror.take_log().len(), 1);

    // One that breaks off in the middle: the other has the rest.
    bench.ok(&["rack", "drop", "lens"]);
    server.fail(faults(&[Fault::Cut(50)], digest));
    bench.ok(&["rack", "get", "lens"]);
    let log = mirror.take_log();
    assert!(log.len() == 1 && log[0].from.unwrap() > 0, "{log:?}");
    // Parts of a feed come from elsewhere too.
    publisher.rack_lens([3, 2, 0, 0]);
    publisher.make(&["--from", "rack", "--mirror", &mirror.url()]);
    server.fail(faults(&[Fault::Status(500)], "/content/"));
    bench.ok(&["feed", "refresh"]);
    assert!(mirror.take_log().len() >= 2);
}

#[test]
fn what_is_to_be_had_by_hand_is_known_when_it_comes() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.ok(&["rack", "add", "downloads/lens-3.1.0.zip", "--supports", "4.5.*"]);
    let zip = fs::read(bench.file("downloads/lens-3.1.0.zip")).unwrap();
    fs::remove_dir_all(bench.file("feed")).unwrap();
    bench.write("catalog/lens.txt", b"");
    publisher.make(&[
        "--from",
        "downloads",
        "--page",
        "lens@3.1.0=https://files.example/lens?id=7",
    ]);
    let contents = bench.picture("feed").into_iter().map(|(_, content)| content);
    assert!(contents.into_iter().all(|content| content != zip), "the file is in the feed");
    publisher.added("feed");
    let notes = bench.ok(&["rack", "notes", "lens@3.1.0"]);
    assert!(notes.contains("Sharper"), "{notes}");
    let page = bench.run(&["rack", "get", "lens"]).code(1);
    assert!(output(&page).contains("\n  https://files.example/lens?id=7\n"), "{}", output(&page));
    assert!(output(&page).contains("Then: spanner rack add lens-3.1.0.zip"), "{}", output(&page));
    let added = flat(&bench.ok(&["rack", "add", "downloads/lens-3.1.0.zip"]));
    assert!(added.contains("The feed nib knows lens-3.1.0.zip"), "{added}");
    let shown = bench.json(&["rack", "show", "lens@3.1.0"]);
    assert_eq!(shown["builds"][0]["variants"][0]["supports"], "4.5.*", "{shown}");
    // Its supported versions stay with it.
    bench.ok(&["feed", "forget", "nib"]);
    let shown = bench.json(&["rack", "show", "lens@3.1.0"]);
    assert_eq!(shown["builds"][0]["variants"][0]["supports"], "4.5.*");
}

#[test]
fn advice_keeps_from_builds_and_is_told_of_those_that_are_there() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.rack_lens([3, 2, 0, 0]);
    publisher.make(&["--from", "rack"]);
    publisher.added("feed");
    bench.ok(&["rack", "get", "lens@3.2.0"]);
    bench.ok(&["fit", "game", "lens"]);
    publisher.make(&["--withdraw", "lens@3.2", "--why", "It flickers."]);
    publisher.make(&[
        "--advise-against",
        "lens@3.1",
        "--with-game",
        "4.5.*",
        "--why",
        "It is dark.",
    ]);
    bench.ok(&["feed", "refresh"]);

    let check = bench.run(&["check", "game"]).code(1);
    let told = flat(&output(&check));
    assert!(told.contains("lens@3.2") && told.contains("[withdrawn]"), "{told}");
    assert!(told.contains("It flickers."), "{told}");
    bench.ok(&["rollback", "game"]);
    let refused = bench.run(&["fit", "game", "lens@3.2.0"]).code(3);
    assert!(output(&refused).contains("[withdrawn]"), "{}", output(&refused));
    bench.ok(&["fit", "game", "lens@3.2.0", "--despite", "withdrawn"]);
    bench.ok(&["rollback", "game"]);

    // It may be for one game: that is reported, and stops it for others.
    let got = bench.ok(&["rack", "get", "lens@3.1.0"]);
    assert!(got.contains("fails with version 4.5.* of the game: It is dark."), "{got}");
    let against = bench.run(&["fit", "game", "lens@3.1.0"]).code(3);
    let told = flat(&output(&against));
    assert!(told.contains("fails with version 4.5.* of the game"), "{told}");
    assert!(told.contains("It is dark.") && told.contains("[advised-against]"), "{told}");
    // A survey, or a family without a version, leads to neither.
    bench.ok(&["rack", "drop", "lens@3.1.0", "--anyway"]);
    bench.ok(&["rack", "drop", "lens@3.2.0", "--anyway"]);
    let survey = bench.json(&["survey", "game"]);
    assert_eq!(survey["games"][0]["components"][0]["offered"], Value::Null);
    let offers = bench.json(&["feed", "list", "lens"]);
    let advice = |at: usize| offers["builds"][at]["advice"][0]["what"].clone();
    assert_eq!((advice(0), advice(1)), (json!("withdrawn"), json!("fails")));
    bench.run(&["explain", "withdrawn"]).code(0);

    // It can be taken back, and be about one game alone.
    let offered = || {
        bench.ok(&["feed", "refresh"]);
        let survey = bench.json(&["survey", "game"]);
        survey["games"][0]["components"][0]["offered"]["build"].clone()
    };
    publisher.make(&["--lift", "lens@3.2"]);
    assert_eq!(offered(), "lens@3.2.0");
    let against = ["--advise-against", "lens@3.2.0", "--why", "It stops.", "--with-program"];
    publisher.make(&[&against[..], &["Other.exe"]].concat());
    assert_eq!(offered(), "lens@3.2.0");
    publisher.make(&[&against[..], &["HOLLOWPIER.exe", "--with-game", "4.5"]].concat());
    assert_eq!(offered(), Value::Null);
    let listed = bench.ok(&["feed", "list", "lens"]);
    assert!(listed.contains("lens@3.2.0: fails with Other.exe: It stops."), "{listed}");
    assert!(listed.contains("fails with version 4.5 of HOLLOWPIER.exe: It stops."), "{listed}");
    publisher.make(&["--lift", "lens@3.1.0"]);
    assert_eq!(offered(), "lens@3.1.0");
    publisher.run(&["feed", "make", "feed", "--sign-with", "feed.key", "--lift", "lens@9"]).code(2);
}

#[test]
fn remedies_name_what_a_feed_has() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.ok(&["rack", "add", "downloads/lens-3.1.0.zip", "--supports", "4.0 - 4.5"]);
    publisher.rack_lens([3, 2, 0, 0]);
    publisher.ok(&["rack", "add", "downloads/lens-3.2.0.zip", "--supports", ">=4.6"]);
    publisher.make(&["--from", "rack"]);
    publisher.added("feed");
    // The newest is for another version of the game.
    let survey = bench.json(&["survey", "game"]);
    assert_eq!(survey["games"][0]["components"][0]["offered"]["build"], "lens@3.1.0");
    bench.ok(&["rack", "get", "lens@3.2.0"]);
    let stopped = bench.run(&["fit", "game", "lens@3.2.0", "--dry-run"]).code(3);
    let told = flat(&output(&stopped));
    assert!(told.contains("[exe-unsupported] A build for 4.5.0 is in the feed nib"), "{told}");
    assert!(told.contains(": spanner rack get lens@3.1.0"), "{told}");
    bench.ok(&["rack", "get", "lens@3.1.0"]);
    bench.ok(&["fit", "game", "lens"]);
    // A feed's later statements about a present build count.
    publisher.ok(&["rack", "add", "downloads/lens-3.1.0.zip", "--supports", "4.0 - 4.4"]);
    publisher.make(&[]);
    bench.ok(&["feed", "refresh"]);
    let told = flat(&output(&bench.run(&["check", "game"]).code(1)));
    assert!(told.contains("[exe-unsupported]"), "{told}");
}

#[test]
fn families_of_a_feed_are_recognised_and_the_users_own_stand_over_them() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let described = r#"
schema = 1
[[family]]
id = "nib-lens"
title = "Nib Lens"
role = "upscaler"
names = ["lens.dll"]
company = "Nib"

[[family.setting]]
name = "sharpness"
kind = "number"
file = "lens.ini"
key = "Sharpness"

[[family.setting]]
name = "overlay"
kind = "switch"
registry = 'HKEY_CURRENT_USER\Software\Nib\Lens'
value = "Overlay"

[[family.setting]]
name = "loader"
environment = "NIB_LOADER"
"#;
    bench.write("publisher/catalog/nib.toml", described.as_bytes());
    fs::remove_dir_all(bench.file("feed")).unwrap();
    publisher.make(&["--from", "downloads"]);
    let added = bench.run(&["feed", "add", "feed", "--key", &publisher.key(), "--name", "nib"]);
    assert!(flat(&errors(&added.code(0))).contains(r"below Software\Nib\Lens are left out"));
    let families = bench.json(&["family", "list"]);
    assert_eq!(families["families"][0]["id"], "nib-lens");
    let survey = bench.json(&["survey", "game"]);
    let component = &survey["games"][0]["components"][0];
    assert_eq!(
        (&component["family"], &component["role"]),
        (&json!("nib-lens"), &json!("upscaler"))
    );
    let settings = |bench: &Bench| {
        let tuned = bench.json(&["tune", "game", "nib-lens"]);
        let settings = tuned["settings"].as_array().unwrap().clone();
        settings.iter().map(|it| it["name"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    // Settings that the user has not granted, or that a feed may never have, are left out.
    assert_eq!(settings(&bench), ["sharpness"]);
    bench.ok(&["feed", "add", "feed", "--registry"]);
    assert_eq!(settings(&bench), ["sharpness", "overlay"]);
    // Earlier statements are kept.
    let again = bench.json(&["feed", "add", "feed", "--fresh-for", "7d"]);
    assert_eq!(again["feeds"][0]["registry"], json!([r"Software\Nib\Lens"]));
    let again = bench.json(&["feed", "add", "feed", "--name", "lens-builds"]);
    assert_eq!(again["feeds"][0]["fresh_for_hours"], 168);
    assert_eq!(settings(&bench), ["sharpness", "overlay"]);
    bench.ok(&["family", "learn", "game/lens.dll", "--role", "denoiser"]);
    bench.ok(&["family", "show", "nib-lens"]);
    let survey = bench.json(&["survey", "game"]);
    assert_eq!(survey["games"][0]["components"][0]["role"], "denoiser");
    assert_eq!(settings(&bench), ["sharpness", "overlay"]);
}

#[test]
fn it_is_whole_wherever_it_is_killed() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let server = Server::start(&bench.file("feed")).unwrap();
    publisher.added(&server.url());
    server.fail(faults(&[Fault::Slow(600_000)], ""));
    let kill = |words: &[&str], after: u64| {
        let mut program = bench.program(words);
        program.stdout(Stdio::null()).stderr(Stdio::null());
        let mut running = crate::common::started(|| program.spawn());
        thread::sleep(Duration::from_millis(after));
        let _ = running.kill();
        let _ = running.wait();
    };
    // Wine starts a program slowly.
    let (few, step) = if cfg!(windows) { (3, 120) } else { (10, 45) };
    for after in (5..700).step_by(step) {
        kill(&["rack", "get", "lens"], after);
        assert!(bench.ok(&["rack", "verify"]).contains("as it should be"));
        bench.ok(&["feed", "list", "lens"]);
        let _ = bench.run(&["rack", "drop", "lens"]);
    }
    for (at, after) in (5..250).step_by(250 / few).enumerate() {
        publisher.rack_lens([4, at as u16, 0, 0]);
        publisher.make(&["--from", "rack"]);
        kill(&["feed", "refresh"], after);
        bench.ok(&["feed", "list", "lens"]);
    }
    server.fail(Faults::default());
    bench.ok(&["feed", "refresh"]);
    bench.ok(&["rack", "get", "lens@3.1.0"]);
    assert!(bench.ok(&["feed", "list", "lens"]).contains("lens@4.2.0"));
}

#[test]
fn two_runs_that_get_the_same_end_well() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let server = Server::start(&bench.file("feed")).unwrap();
    publisher.added(&server.url());
    let start = || {
        let mut program = bench.program(&["rack", "get", "lens"]);
        program.stdout(Stdio::null()).stderr(Stdio::piped());
        crate::common::started(|| program.spawn())
    };
    let both = [start(), start()];
    for running in both {
        let ended = running.wait_with_output().unwrap();
        assert!(ended.status.success(), "{}", String::from_utf8_lossy(&ended.stderr));
    }
    assert_eq!(bench.json(&["rack", "list"])["builds"].as_array().unwrap().len(), 1);
    assert!(bench.ok(&["rack", "verify"]).contains("as it should be"));
}

#[test]
fn who_comes_second_does_not_download_what_the_first_has_put_on_the_rack() {
    let bench = Bench::empty();
    let (server, file) = served(&bench);
    server.take_log();
    // Longer than a program takes to start on a busy machine, and shorter than one waits for another.
    server.fail(faults(&[Fault::Slow(60_000)], &file));
    let start = || {
        let mut program = bench.program(&["rack", "get", "lens"]);
        program.stdout(Stdio::null()).stderr(Stdio::piped());
        crate::common::started(|| program.spawn())
    };
    let first = start();
    let part = bench.file(&format!("home/downloads/{file}/unfinished.part"));
    wait_until("a download", || part.is_file());
    let second = start();
    for (running, said) in [(first, false), (second, true)] {
        let ended = running.wait_with_output().unwrap();
        let told = String::from_utf8_lossy(&ended.stderr).into_owned();
        assert!(ended.status.success(), "{told}");
        assert_eq!(flat(&told).contains("was added to the rack by another run"), said, "{told}");
    }
    assert_eq!(server.take_log().len(), 1);
    assert_eq!(bench.picture("home/downloads"), []);
}

/// Damages everything that was taken in of the feed `nib`.
fn damage(bench: &Bench) {
    for (name, _) in bench.picture("home/feeds/nib") {
        fs::write(bench.file(&format!("home/feeds/nib/{name}")), b"damaged").unwrap();
    }
}

#[test]
fn a_home_half_gone_says_so_and_is_mended_by_a_refresh() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.added("feed");
    let whole = bench.picture("home/feeds/nib");
    let refreshed = "spanner feed refresh nib";
    damage(&bench);
    let list = bench.run(&["feed", "list"]).code(1);
    assert!(flat(&errors(&list)).contains(refreshed), "{}", errors(&list));
    bench.ok(&["survey", "game"]);
    let ill = bench.run(&["doctor"]).code(1);
    assert!(output(&ill).contains(refreshed), "{}", output(&ill));
    bench.ok(&["feed", "refresh"]);
    assert_eq!(bench.picture("home/feeds/nib"), whole);
    bench.ok(&["doctor"]);

    // Its last state still counts: its serial number, its name, and its key.
    let older = bench.file("older");
    copy_tree(&bench.file("feed"), &older).unwrap();
    publisher.make(&["--title", "Newer"]);
    bench.ok(&["feed", "refresh"]);
    damage(&bench);
    let newer = bench.file("newer");
    fs::rename(bench.file("feed"), &newer).unwrap();
    fs::rename(&older, bench.file("feed")).unwrap();
    for command in [&["feed", "refresh", "nib"][..], &["feed", "add", "feed"]] {
        let refused = bench.run(command).code(3);
        assert!(flat(&errors(&refused)).contains("was at 2 before"), "{}", errors(&refused));
    }
    bench.run(&["feed", "add", "newer", "--key", &publisher.key(), "--name", "nib"]).code(2);
    fs::rename(bench.file("feed"), &older).unwrap();
    fs::rename(&newer, bench.file("feed")).unwrap();
    bench.ok(&["feed", "add", "feed"]);
    assert_eq!(bench.json(&["feed", "list"])["feeds"][0]["title"], "Newer");
}

#[test]
fn a_feed_of_which_nothing_can_be_read_is_forgotten_and_added_again() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.added("feed");
    fs::write(bench.file("home/feeds/nib.toml"), "schema = 7").unwrap();
    let list = bench.run(&["feed", "list"]).code(1);
    assert!(flat(&errors(&list)).contains("spanner feed forget nib"), "{}", errors(&list));
    bench.ok(&["survey", "game"]);
    bench.run(&["doctor"]).code(1);
    // Its file is not written over by another that would be called so.
    let add = ["feed", "add", "feed", "--key", &publisher.key(), "--name", "nib"];
    let taken = bench.run(&add).code(2);
    assert!(errors(&taken).contains("spanner feed forget nib"), "{}", errors(&taken));
    bench.ok(&["feed", "forget", "nib"]);
    bench.ok(&["doctor"]);
    publisher.added("feed");
    bench.ok(&["feed", "list"]);
}
