//! Builds that feeds have, got in the ways in which people want them.

use std::fs;

use crate::common::feeds::{Publisher, game, lens};
use crate::common::{Bench, errors, flat, output};
use serde_json::{Value, json};
use upright_spanner_sample::server::{Fault, Faults, Server};
use upright_spanner_sample::{Bits, archive};

/// The builds on the rack, the newest first.
fn on_rack(bench: &Bench) -> Vec<String> {
    let list = bench.json(&["rack", "list"]);
    let builds = list["builds"].as_array().unwrap().iter();
    builds.map(|build| build["build"].as_str().unwrap().to_owned()).collect()
}

/// A publisher with `lens` 3.1.0 and 3.2.0, and a game that has 2.9.
fn two_of_lens(bench: &Bench) -> Publisher<'_> {
    let publisher = Publisher::of_lens(bench);
    publisher.rack_lens([3, 2, 0, 0]);
    publisher.make(&["--from", "rack"]);
    publisher
}

#[test]
fn a_fit_gets_what_it_lacks_and_nothing_else() {
    let bench = Bench::empty();
    let publisher = two_of_lens(&bench);
    let server = Server::start(&bench.file("feed")).unwrap();
    publisher.added(&server.url());
    let gets = |words: &[&str]| {
        server.take_log();
        bench.ok(words);
        server.take_log().len()
    };
    // A dry run lists the downloads.
    let shown = bench.ok(&["fit", "game", "lens@3.1", "--get", "--dry-run"]);
    assert!(shown.contains("lens@3.1.0") && shown.contains("nothing was downloaded"), "{shown}");
    assert_eq!(on_rack(&bench), Vec::<String>::new());

    assert_eq!(gets(&["fit", "game", "lens@3.1", "--get"]), 1);
    assert_eq!(on_rack(&bench), ["lens@3.1.0"]);
    assert_eq!(gets(&["fit", "game", "lens@3.1.0", "--get"]), 0);
    // For a family, the builds that are newer than the rack's; and then none.
    assert_eq!(gets(&["fit", "game", "lens", "--get"]), 1);
    assert_eq!(on_rack(&bench), ["lens@3.2.0", "lens@3.1.0"]);
    assert_eq!(gets(&["fit", "game", "lens", "--get"]), 0);
    bench.ok(&["rollback", "game"]);
    // A file, or a build that only the rack has, needs no feed.
    bench.write("new/lens.dll", &lens([4, 0, 0, 0], Bits::Bits64, 1000));
    assert_eq!(gets(&["fit", "game", "new/lens.dll", "--get"]), 0);
    assert_eq!(gets(&["fit", "game", "lens", "--get"]), 0);
    assert_eq!(bench.json(&["survey", "game"])["games"][0]["components"][0]["version"], "4.0.0");

    let nothing = bench.run(&["fit", "game", "glass", "--get"]).code(2);
    assert!(errors(&nothing).contains("no feed has a build `glass`"), "{}", errors(&nothing));
    let other = bench.run(&["fit", "game", "lens@9", "--get"]).code(2);
    assert!(errors(&other).contains("lens@3.2.0"), "{}", errors(&other));
    drop(server);
    bench.ok(&["rack", "drop", "lens@3.1.0", "--anyway"]);
    let gone = bench.run(&["fit", "game", "lens@3.1.0", "--get"]).code(4);
    assert!(errors(&gone).contains("is gone on with"), "{}", errors(&gone));
    bench.run(&["fit", "game", "lens@3.1.0", "--get", "--offline"]).code(4);
    bench.ok(&["fit", "game", "lens@3.2.0", "--get", "--offline"]);
}

#[test]
fn what_lies_there_of_an_earlier_run_is_used_where_it_is_good() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let server = Server::start(&bench.file("feed")).unwrap();
    publisher.added(&server.url());
    let offer = bench.json(&["feed", "list", "lens"])["builds"][0].clone();
    let (digest, name) = (offer["blake3"].as_str().unwrap(), offer["file"].as_str().unwrap());
    let served = bench.file(&format!("feed/content/{}/{digest}", &digest[..2]));
    let whole = fs::read(&served).unwrap();
    let folder = bench.file(&format!("home/downloads/{digest}"));
    // The present bytes, and the requested start.
    let none: Vec<Option<u64>> = Vec::new();
    let zeros = vec![0; whole.len()];
    let longer = [&whole[..], b"more"].concat();
    for (file, lies, asked) in [
        ("unfinished.part", &whole[..1000], vec![Some(1000)]),
        ("unfinished.part", &whole, none.clone()),
        (name, &whole, none),
        ("unfinished.part", &zeros[..1000], vec![Some(1000), None]),
        ("unfinished.part", &zeros, vec![None]),
        ("unfinished.part", &longer, vec![None]),
        (name, &zeros, vec![None]),
        ("another", b"a stranger's", vec![None]),
    ] {
        fs::create_dir_all(&folder).unwrap();
        fs::write(folder.join(file), lies).unwrap();
        server.take_log();
        bench.ok(&["rack", "get", "lens"]);
        let log = server.take_log();
        let from: Vec<Option<u64>> = log.iter().map(|request| request.from).collect();
        assert_eq!(from, asked, "{file}, {} bytes", lies.len());
        assert_eq!(on_rack(&bench), ["lens@3.1.0"]);
        assert_eq!(bench.picture("home/downloads"), []);
        bench.ok(&["rack", "drop", "lens"]);
    }

    // A partial file of another length cannot be continued.
    fs::create_dir_all(&folder).unwrap();
    fs::write(folder.join("unfinished.part"), &whole[..1000]).unwrap();
    fs::write(&served, &longer).unwrap();
    let wrong = bench.run(&["rack", "get", "lens"]).code(4);
    assert!(errors(&wrong).contains("another length than was signed"), "{}", errors(&wrong));
    assert_eq!(fs::read(folder.join("unfinished.part")).unwrap(), whole[..1000]);
}

#[test]
fn what_a_feed_calls_otherwise_than_the_users_own_catalog_is_said() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.added("feed");
    let own = "schema = 1\n[[family]]\nid = \"glass\"\nnames = [\"lens.dll\"]\n";
    bench.write("home/catalog/own.toml", own.as_bytes());
    let got = bench.run(&["rack", "get", "lens"]).code(0);
    let told = flat(&errors(&got));
    assert!(told.contains("the feed nib calls it lens@3.1.0"), "{told}");
    assert!(told.contains("on the rack as glass@3.1.0"), "{told}");
    assert_eq!(on_rack(&bench), ["glass@3.1.0"]);
    // It is still recognised.
    let again = bench.ok(&["rack", "get", "lens"]);
    assert!(again.contains("on the rack as glass@3.1.0"), "{again}");
}

#[test]
fn a_feed_can_be_named_and_shown_and_one_that_fails_keeps_none_from_its_news() {
    let bench = Bench::empty();
    let publisher = two_of_lens(&bench);
    publisher.added("feed");
    let other = Publisher { bench: &bench, folder: "other" };
    other.make(&["--from", "downloads", "--title", "Other"]);
    let server = Server::start(&bench.file("other")).unwrap();
    bench.ok(&["feed", "add", &server.url(), "--name", "afar", "--key", &publisher.key()]);

    let names = |words: &[&str]| {
        let list = bench.json(words);
        let builds = list["builds"].as_array().unwrap().iter();
        let pair = |build: &Value| format!("{} {}", build["build"], build["feed"]);
        builds.map(|build| pair(build).replace('"', "")).collect::<Vec<_>>()
    };
    assert_eq!(names(&["feed", "list", "afar"]), ["lens@3.2.0 afar", "lens@3.1.0 afar"]);
    assert_eq!(names(&["feed", "list", "lens"]).len(), 4);
    let text = bench.ok(&["feed", "list", "NIB"]);
    assert!(text.contains("Next: spanner rack get lens@3.2.0"), "{text}");
    let unknown = bench.run(&["rack", "get", "lens", "--feed", "nobody"]).code(2);
    assert!(errors(&unknown).contains("There are: afar, nib."), "{}", errors(&unknown));
    let got = bench.json(&["rack", "get", "lens", "--feed", "afar"]);
    assert_eq!(got["builds"][0]["feed"], "afar");
    assert!(!server.take_log().is_empty());

    publisher.make(&["--title", "New"]);
    server.fail(Faults { faults: vec![Fault::Status(503)], ..Faults::default() });
    let refreshed = bench.run(&["feed", "refresh"]).code(1);
    assert!(errors(&refreshed).contains("the server has a fault (status 503)"));
    assert!(output(&refreshed).contains("nib"), "{}", output(&refreshed));
    let document = output(&bench.run(&["feed", "refresh", "--json"]).code(1));
    let document: Value = serde_json::from_str(&document).unwrap();
    assert_eq!(document["feeds"][0]["name"], "nib");
    assert_eq!(document["errors"].as_array().unwrap().len(), 1, "{document:#}");
    assert_eq!(bench.json(&["feed", "list"])["feeds"][1]["title"], "New");
    bench.run(&["feed", "refresh", "afar"]).code(4);
}

#[test]
fn how_old_is_said_in_words_that_people_use() {
    let bench = Bench::empty();
    Publisher::of_lens(&bench).added("feed");
    let path = bench.file("home/feeds/nib.toml");
    let text = fs::read_to_string(&path).unwrap();
    let line = text.lines().find(|line| line.starts_with("refreshed")).unwrap();
    for (hours, words) in [
        (0, "just now"),
        (1, "1 hour ago"),
        (5, "5 hours ago"),
        (30, "yesterday"),
        (100, "4 days ago"),
    ] {
        let at = jiff::Timestamp::now() - jiff::SignedDuration::from_mins(hours * 60 + 5);
        fs::write(&path, text.replace(line, &format!("refreshed = \"{at}\""))).unwrap();
        let list = bench.ok(&["feed", "list"]);
        assert!(list.contains(words), "{list}");
        let survey = flat(&bench.ok(&["survey", "game"]));
        assert!(survey.contains(&format!("refreshed {words}")), "{survey}");
    }
    for (given, words) in [
        ("1h", "after an hour"),
        ("24h", "after a day"),
        ("5h", "after 5 hours"),
        ("7d", "after 7 days"),
    ] {
        bench.ok(&["feed", "add", "feed", "--fresh-for", given]);
        let list = bench.ok(&["feed", "list", "-v"]);
        assert!(list.contains(&format!("refreshed automatically {words}")), "{list}");
    }
}

#[test]
fn a_feed_whose_families_are_new_keys_of_the_registry_says_so_when_it_is_refreshed() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.added("feed");
    let described = "schema = 1\n[[family]]\nid = \"lens\"\nnames = [\"lens.dll\"]\n\
                     [[family.setting]]\nname = \"overlay\"\nkind = \"switch\"\n\
                     registry = 'HKEY_CURRENT_USER\\Software\\Nib\\Lens'\nvalue = \"Overlay\"\n";
    bench.write("publisher/catalog/nib.toml", described.as_bytes());
    publisher.make(&["--from", "rack"]);
    let refreshed = bench.run(&["feed", "refresh"]).code(0);
    let told = flat(&errors(&refreshed));
    assert!(told.contains(r"Software\Nib\Lens") && told.contains("--registry"), "{told}");
    assert_eq!(bench.json(&["feed", "list"])["feeds"][0]["registry"], json!([]));
    // Said once: it is not a news the next time.
    assert!(!errors(&bench.run(&["feed", "refresh"]).code(0)).contains("Software"));
    bench.ok(&["feed", "add", "feed", "--registry"]);
    let granted = bench.json(&["feed", "list"])["feeds"][0]["registry"].clone();
    assert_eq!(granted, json!([r"Software\Nib\Lens"]));
}

#[test]
fn a_download_of_several_variants_is_listed_as_one_and_comes_as_one() {
    let bench = Bench::empty();
    let publisher = Publisher::new(&bench);
    let (wide, narrow) = (Bits::Bits64, Bits::Bits32);
    let pack = [
        ("x64/lens.dll", lens([3, 1, 0, 0], wide, 5000)),
        ("x86/lens.dll", lens([3, 1, 0, 0], narrow, 5000)),
    ];
    let entries: Vec<(&str, &[u8])> =
        pack.iter().map(|(name, bytes)| (*name, &bytes[..])).collect();
    bench.write("downloads/lens-3.1.0.zip", &archive::zip(&entries, (2026, 2, 1)));
    publisher.make(&["--from", "downloads"]);
    // Made again of the same, it says the same.
    assert!(!publisher.make(&["--from", "downloads"]).contains("listed"));
    publisher.added("feed");
    let offers = bench.json(&["feed", "list", "lens"])["builds"].clone();
    assert_eq!(offers.as_array().unwrap().len(), 1, "{offers:#}");
    let mut machines: Vec<&str> = offers[0]["variants"]
        .as_array()
        .unwrap()
        .iter()
        .map(|variant| variant["machine"].as_str().unwrap())
        .collect();
    machines.sort_unstable();
    assert_eq!(machines, ["x86", "x86_64"]);
    game(&bench, "game", [2, 9, 0, 0]);
    bench.ok(&["fit", "game", "lens", "--get"]);
    assert_eq!(fs::read(bench.file("game/lens.dll")).unwrap(), pack[0].1);
    let variants = bench.json(&["rack", "show", "lens"])["builds"][0]["variants"].clone();
    assert_eq!(variants.as_array().unwrap().len(), 2);
}

#[test]
fn a_feed_is_made_for_a_tool_that_signs_elsewhere() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let before = bench.picture("feed");
    let key = publisher.key();
    publisher.rack_lens([3, 2, 0, 0]);
    let made = publisher.ok(&["feed", "make", "feed", "--from", "rack", "--key", &key]);
    let command = made.lines().find(|line| line.contains("-S -m ")).unwrap_or_default();
    assert!(command.contains("feed 1 serial 2 head"), "{made}");
    // For its users nothing changes until it is signed.
    let after = bench.picture("feed");
    assert!(before.iter().all(|file| after.contains(file)));
    publisher.added("feed");
    assert_eq!(bench.json(&["feed", "list"])["feeds"][0]["serial"], 1);
    // Without a signature there is no feed.
    publisher.ok(&["feed", "make", "first", "--from", "rack", "--key", &key]);
    let unsigned = bench.run(&["feed", "add", "first", "--key", &key]).code(4);
    assert!(errors(&unsigned).contains("no feed found at"), "{}", errors(&unsigned));
    bench.run(&["feed", "make", "none", "--from", "rack"]).code(2);
}
