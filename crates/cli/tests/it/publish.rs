//! Feeds as those who publish them: made of the rack or of a folder, added to, taken back, signed by keys with and without
//! a pass phrase, or by the ordinary tool.

use std::fs;
use std::net::{TcpListener, TcpStream};
use std::process::{Child, Command, Stdio};
use std::thread;
use std::time::Duration;

use crate::common::feeds::{Publisher, lens};
use crate::common::play::plain_reed;
use crate::common::{Bench, errors, flat, output};
use serde_json::json;
use upright_spanner_sample::{Bits, archive};

#[test]
fn a_feed_of_the_rack_gives_others_the_same_builds() {
    let bench = Bench::world();
    let publisher = Publisher::new(&bench);
    let downloads =
        ["sharpwater-2026.3.0", "undertow-2.3.0", "brine-2.8.1-win64", "lampwright-31.6"];
    for name in downloads {
        publisher.ok(&["rack", "add", &format!("downloads/{name}.zip")]);
    }
    publisher.make(&["--from", "rack"]);
    assert_eq!(bench.picture("publisher/scratch"), [], "nothing stays of what was packed");
    publisher.ok(&["rack", "verify"]);
    publisher.added("feed");
    let families = ["sharpwater", "undertow", "brine", "lampwright"];
    bench.ok(&[&["rack", "get"], &families[..]].concat());
    // Name, variants and their files, as the publisher has them.
    let shown = |home: &str, family: &str| {
        let home = bench.file(home);
        let shown = bench.json(&["rack", "show", family, "--home", home.to_str().unwrap()]);
        let variants = shown["builds"][0]["variants"].as_array().unwrap().clone();
        variants
            .iter()
            .map(|it| json!([it["build"], it["machine"], it["sha256"], it["layout"], it["notes"]]))
            .collect::<Vec<_>>()
    };
    for family in families {
        assert_eq!(shown("home", family), shown("publisher", family), "{family}");
    }
    // Some families alone, and a repeated run.
    fs::remove_dir_all(bench.file("feed")).unwrap();
    let made = publisher.run(&[
        "feed",
        "make",
        "feed",
        "brine",
        "--from",
        "rack",
        "--sign-with",
        "feed.key",
        "--json",
    ]);
    let made: serde_json::Value = serde_json::from_str(&output(&made.code(0))).unwrap();
    assert_eq!((&made["new"], &made["serial"]), (&json!(["brine@2.8.1"]), &json!(1)));
    let before = bench.picture("feed");
    let again = publisher.make(&["brine", "--from", "rack"]);
    assert!(!again.contains("listed"), "{again}");
    let after = bench.picture("feed");
    let new = after.iter().filter(|file| !before.contains(file)).count();
    assert_eq!((new, after.len()), (2, before.len() + 1), "a head and its signature");
}

#[test]
fn several_who_publish_into_one_folder_at_once_lose_nothing_of_each_other() {
    let bench = Bench::empty();
    let publisher = Publisher::new(&bench);
    // One waits for the others, and Wine is slow.
    let many = if cfg!(windows) { 2 } else { 4 };
    for number in 1..=many {
        let home = format!("home-{number}");
        bench.write("new/lens.dll", &lens([number, 0, 0, 0], Bits::Bits64, 200_000));
        bench.ok(&["rack", "add", "new/lens.dll", "--home", &home]);
    }
    let running = (1..=many).map(|number| {
        let home = format!("home-{number}");
        let make = ["feed", "make", "feed", "--from", "rack", "--sign-with", "feed.key"];
        let mut program = bench.program(&[&make[..], &["--home", &home]].concat());
        program.stdout(Stdio::null()).stderr(Stdio::piped());
        crate::common::started(|| program.spawn())
    });
    for running in running.collect::<Vec<_>>() {
        let ended = running.wait_with_output().unwrap();
        assert!(ended.status.success(), "{}", String::from_utf8_lossy(&ended.stderr));
    }
    publisher.ok(&["feed", "check", "feed"]);
    publisher.added("feed");
    let offers = bench.json(&["feed", "list", "lens"]);
    assert_eq!(offers["builds"].as_array().unwrap().len(), usize::from(many));
    assert_eq!(bench.json(&["feed", "list"])["feeds"][0]["serial"], many);
    // If nothing is written, no folder is created either.
    let wrong = ["feed", "make", "none", "--withdraw", "lens@9", "--why", "no", "--sign-with"];
    bench.run(&[&wrong[..], &["feed.key"]].concat()).code(2);
    assert!(!bench.file("none").exists());
}

#[test]
fn of_a_package_of_several_families_only_what_is_named_is_passed_on() {
    let bench = Bench::empty();
    let publisher = Publisher::new(&bench);
    let reed = plain_reed([2, 4, 1, 0]).to_bytes();
    let lens = lens([3, 1, 0, 0], Bits::Bits64, 5000);
    let pack = archive::zip(&[("lens.dll", &lens), ("reed.dll", &reed)], (2026, 2, 1));
    bench.write("downloads/pack.zip", &pack);
    publisher.ok(&["rack", "add", "downloads/pack.zip", "--apart"]);
    publisher.make(&["lens", "--from", "rack"]);
    publisher.added("feed");
    bench.ok(&["rack", "get", "lens"]);
    let builds = bench.json(&["rack", "list"])["builds"].clone();
    assert_eq!(builds.as_array().unwrap().len(), 1, "{builds:#}");
    assert_eq!(builds[0]["build"], "lens@3.1.0");
    let holds = |bytes: &[u8]| {
        let mut files = bench.picture("home/blobs").into_iter();
        files.any(|(_, content)| content == bytes)
    };
    assert!(holds(&lens) && !holds(&reed));
}

#[test]
fn a_folder_with_downloads_becomes_a_feed_as_it_is() {
    let bench = Bench::empty();
    let publisher = Publisher::new(&bench);
    let zip = archive::zip(&[("lens.dll", &lens([3, 1, 0, 0], Bits::Bits64, 5000))], (2026, 2, 1));
    bench.write("kept/lens-3.1.0.zip", &zip);
    bench.write("kept/lens.dll", &lens([3, 2, 0, 0], Bits::Bits32, 5000));
    bench.write("kept/readme.txt", b"no build");
    bench.write("kept/broken.zip", b"PK\x03\x04 cut off");
    let words = ["feed", "make", "feed", "--from", "kept", "--sign-with", "feed.key"];
    let made = publisher.run(&words).code(1);
    let told = flat(&errors(&made));
    assert!(told.contains("left out") && told.contains("broken.zip"), "{told}");
    publisher.added("feed");
    let offers = bench.json(&["feed", "list", "lens"]);
    let builds = offers["builds"].as_array().unwrap();
    let files: Vec<_> = builds.iter().map(|it| (&it["build"], &it["file"])).collect();
    let expected =
        [(json!("lens@3.2.0"), json!("lens.dll")), (json!("lens@3.1.0"), json!("lens-3.1.0.zip"))];
    assert_eq!(files, expected.iter().map(|(a, b)| (a, b)).collect::<Vec<_>>());
    assert!(bench.picture("feed").iter().any(|(_, content)| *content == zip));
}

#[test]
fn layouts_and_what_the_rack_says_go_along() {
    let bench = Bench::empty();
    let publisher = Publisher::new(&bench);
    publisher.rack_lens([3, 1, 0, 0]);
    let layout = "schema = 2\nfamily = \"lens\"\n[[file]]\nfrom = \"lens.dll\"\nbay = \"root\"\n\
                  to = \"looks/lens.dll\"\npolicy = \"replace\"\n";
    bench.write("layout.toml", layout.as_bytes());
    let add = ["rack", "add", "downloads/lens-3.1.0.zip", "--layout", "layout.toml"];
    publisher.ok(&[&add[..], &["--supports", "4.5.*"]].concat());
    publisher.make(&["--from", "rack"]);
    publisher.added("feed");
    bench.ok(&["rack", "get", "lens"]);
    let layout = bench.ok(&["rack", "show", "lens", "--layout"]);
    assert!(layout.contains("to = \"looks/lens.dll\""), "{layout}");
    let shown = bench.json(&["rack", "show", "lens"]);
    assert_eq!(shown["builds"][0]["variants"][0]["supports"], "4.5.*");
    let notes = bench.ok(&["rack", "notes", "lens"]);
    assert_eq!(notes.matches("Sharper").count(), 1, "{notes}");
}

#[test]
fn what_is_said_of_builds_must_be_in_the_feed() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let make = |words: &[&str]| {
        publisher.run(&[&["feed", "make", "feed", "--sign-with", "feed.key"], words].concat())
    };
    make(&["--withdraw", "lens@9.9", "--why", "no"]).code(2);
    make(&["--withdraw", "lens@3.1.0"]).code(2);
    make(&["--page", "lens@9.9=https://files.example/lens"]).code(2);
    make(&["--page", "lens@3.1.0=not-an-address"]).code(2);
    make(&["--mirror", "ftp://files.example"]).code(2);
    make(&["--fresh-for", "long"]).code(2);
    publisher.run(&["feed", "make", "feed"]).code(2);
    publisher.run(&["feed", "make", "feed", "--sign-with", "missing.key"]).code(2);
    bench.write("not-a.key", b"nothing");
    publisher.run(&["feed", "make", "feed", "--sign-with", "not-a.key"]).code(2);
    publisher.run(&["feed", "key", "new", "feed.key", "--no-passphrase"]).code(2);
    // A family may be published for its description in a catalog.
    let described = "schema = 1\n[[family]]\nid = \"gloom\"\nnames = [\"gloom.dll\"]\n";
    bench.write("publisher/catalog/own.toml", described.as_bytes());
    let words = ["feed", "make", "known", "gloom", "--from", "rack", "--sign-with", "feed.key"];
    assert!(publisher.ok(&words).contains("0 builds of 1 family"));
    bench.ok(&["feed", "add", "known", "--key", "feed.key.pub"]);
    assert_eq!(bench.json(&["family", "list"])["families"][0]["id"], "gloom");
    // Nothing of the rest came into the feed.
    let (_, head) = publisher.head();
    assert_eq!(head["serial"], 1);
    publisher.ok(&["feed", "check", "feed"]);
}

#[test]
fn a_pass_phrase_comes_from_a_file_or_the_environment() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.run(&["feed", "key", "new", "locked.key"]).code(2);
    bench.write("phrase.txt", "quiet harbour\n".as_bytes());
    publisher.ok(&["feed", "key", "new", "locked.key", "--passphrase-file", "phrase.txt"]);
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = fs::metadata(bench.file("locked.key")).unwrap().permissions().mode();
        assert_eq!(mode & 0o777, 0o600);
    }
    let words = ["feed", "make", "second", "--from", "rack", "--sign-with", "locked.key"];
    let asked = publisher.run(&words).code(2);
    assert!(errors(&asked).contains("--passphrase-file FILE"), "{}", errors(&asked));
    publisher.ok(&[&words[..], &["--passphrase-file", "phrase.txt"]].concat());
    let with = |phrase: &str| {
        let mut program = bench.program(&words);
        program.env("SPANNER_HOME", bench.file("publisher")).env("SPANNER_PASSPHRASE", phrase);
        program.stderr(Stdio::null()).status().unwrap().code()
    };
    assert_eq!((with("quiet harbour"), with("loud harbour")), (Some(0), Some(2)));
    let checked = publisher.ok(&["feed", "check", "second", "--key", "locked.key.pub"]);
    assert!(checked.contains("number 2"), "{checked}");
}

#[test]
fn checking_finds_what_a_client_would_stumble_over() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let checked = publisher.ok(&["feed", "check", "feed", "--key", "feed.key.pub"]);
    assert!(checked.contains("Everything in it is as it was signed."), "{checked}");
    publisher.ok(&["feed", "key", "new", "other.key", "--no-passphrase"]);
    publisher.run(&["feed", "check", "feed", "--key", "other.key.pub"]).code(3);
    bench.write("feed/content/00/0000", b"left behind");
    publisher.make(&["--withdraw", "lens@3.1.0", "--why", "It flickers."]);
    let checked = publisher.ok(&["feed", "check", "feed"]);
    assert!(checked.contains("files in it that the newest state does not name"), "{checked}");
    let pruned = publisher.make(&["--prune"]);
    assert!(pruned.contains("removed that nothing names any more"), "{pruned}");
    let document = publisher.run(&["feed", "check", "feed", "--json"]).code(0);
    let document: serde_json::Value = serde_json::from_str(&output(&document)).unwrap();
    assert_eq!((&document["unknown"], &document["wrong"]), (&json!(0), &json!([])));

    let largest = bench.picture("feed").into_iter().max_by_key(|(_, bytes)| bytes.len()).unwrap();
    fs::write(bench.file(&format!("feed/{}", largest.0)), b"damaged").unwrap();
    let wrong = publisher.run(&["feed", "check", "feed"]).code(1);
    assert!(output(&wrong).contains("is damaged"), "{}", output(&wrong));
    fs::remove_file(bench.file(&format!("feed/{}", largest.0))).unwrap();
    let wrong = publisher.run(&["feed", "check", "feed"]).code(1);
    assert!(output(&wrong).contains("is missing"), "{}", output(&wrong));
    fs::write(bench.file("feed/feed.minisig"), b"nothing").unwrap();
    publisher.run(&["feed", "check", "feed"]).code(3);
    publisher.run(&["feed", "make", "feed", "--sign-with", "feed.key"]).code(3);
    publisher.run(&["feed", "check", "nowhere"]).code(4);
}

#[test]
fn who_reads_while_it_is_made_has_one_state_or_the_next() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.added("feed");
    thread::scope(|scope| {
        let making = scope.spawn(|| {
            for at in 0..12 {
                publisher.make(&["--title", &format!("State {at}")]);
            }
        });
        while !making.is_finished() {
            bench.ok(&["feed", "refresh"]);
        }
    });
    bench.ok(&["feed", "refresh"]);
    assert_eq!(bench.json(&["feed", "list"])["feeds"][0]["serial"], 13);
}

/// Runs only if an ordinary web server is installed: only common features are needed.
#[test]
#[ignore = "needs an ordinary web server"]
fn an_ordinary_web_server_serves_a_feed() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
    let folder = bench.path().display();
    let text = format!(
        "daemon off; pid {folder}/pid; error_log {folder}/errors;\nevents {{ }}\n\
         http {{ log_format short '$request_uri $status $http_range $bytes_sent';\n\
         access_log {folder}/log short;\nserver {{ listen 127.0.0.1:{port}; root {folder}/feed; }} }}\n"
    );
    bench.write("server.conf", text.as_bytes());
    let mut server = Command::new("nginx");
    server.arg("-c").arg(bench.file("server.conf")).stderr(Stdio::null());
    let server = Running(server.spawn().unwrap());
    let reached = |_: &u32| {
        thread::sleep(Duration::from_millis(50));
        TcpStream::connect(("127.0.0.1", port)).is_ok()
    };
    assert!((0..100).any(|at| reached(&at)), "the server does not answer");

    publisher.added(&format!("http://127.0.0.1:{port}"));
    bench.ok(&["feed", "refresh"]);
    let offers = bench.json(&["feed", "list", "lens"]);
    let digest = offers["builds"][0]["blake3"].as_str().unwrap().to_owned();
    let whole = fs::read(bench.file(&format!("feed/content/{}/{digest}", &digest[..2]))).unwrap();
    bench.write(&format!("home/downloads/{digest}/unfinished.part"), &whole[..100_000]);
    bench.ok(&["rack", "get", "lens"]);
    publisher.rack_lens([3, 2, 0, 0]);
    publisher.make(&["--from", "rack"]);
    assert!(bench.ok(&["feed", "refresh"]).contains("new: lens@3.2.0"));
    drop(server);
    let log = fs::read_to_string(bench.file("log")).unwrap();
    assert!(log.contains("/feed.minisig 304 - "), "{log}");
    assert!(log.contains(&format!("{digest} 206 bytes=100000- ")), "{log}");
}

/// A program that ends with the test.
struct Running(Child);

impl Drop for Running {
    fn drop(&mut self) {
        // Its child processes end when it is asked to stop, not when it is killed.
        let ended = Command::new("kill").arg(self.0.id().to_string()).status();
        if !ended.is_ok_and(|ended| ended.success()) {
            let _ = self.0.kill();
        }
        let _ = self.0.wait();
    }
}

/// Runs only if the ordinary tool is installed: it signs a feed, and verifies one of ours.
#[test]
#[ignore = "needs the ordinary signing tool"]
fn the_ordinary_tool_signs_and_verifies_feeds() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let tool = |words: &[&str]| {
        let mut tool = Command::new("minisign");
        let ended = tool.args(words).current_dir(bench.path()).output().unwrap();
        let told = String::from_utf8_lossy(&ended.stderr).into_owned();
        (ended.status.success(), String::from_utf8_lossy(&ended.stdout).into_owned() + &told)
    };
    let (digest, _) = publisher.head();
    let head = format!("feed/content/{}/{digest}", &digest[..2]);
    let (is_good, told) =
        tool(&["-V", "-m", &head, "-x", "feed/feed.minisig", "-p", "feed.key.pub"]);
    assert!(is_good && told.contains("feed 1 serial 1 head"), "{told}");

    // A key of the tool, used by ours; then a feed that the tool itself signs.
    let (is_made, told) = tool(&["-G", "-W", "-p", "tool.pub", "-s", "tool.key"]);
    assert!(is_made, "{told}");
    publisher.ok(&["feed", "make", "theirs", "--from", "rack", "--sign-with", "tool.key"]);
    publisher.ok(&["feed", "check", "theirs", "--key", "tool.pub"]);
    let made = publisher.ok(&["feed", "make", "theirs", "--key", "tool.pub", "--json"]);
    let made: serde_json::Value = serde_json::from_str(&made).unwrap();
    let text = |name: &str| made[name].as_str().unwrap().to_owned();
    let (head, signature) = (text("head"), text("signature"));
    // Until it is signed, it is as it was.
    assert!(publisher.ok(&["feed", "check", "theirs"]).contains("number 1:"));
    let signed =
        tool(&["-S", "-s", "tool.key", "-m", &head, "-x", &signature, "-t", &text("comment")]);
    assert!(signed.0, "{}", signed.1);
    assert!(publisher.ok(&["feed", "check", "theirs", "--key", "tool.pub"]).contains("number 2:"));
    let key = fs::read_to_string(bench.file("tool.pub")).unwrap();
    bench.ok(&["feed", "add", "theirs", "--key", key.lines().last().unwrap()]);
    bench.ok(&["rack", "get", "lens"]);
}
