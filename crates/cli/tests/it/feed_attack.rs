//! Feeds under attack, after the usual list of attacks on updates: nothing a server sends is planted, and the earlier
//! state is kept.

use std::fs;

use crate::common::feeds::Publisher;
use crate::common::secure::Secure;
use crate::common::{Bench, errors, flat, in_time};
use jiff::SignedDuration;
use serde_json::{Value, json};
use upright_spanner_core::feed::{Secret, Signer};
use upright_spanner_core::progress::Silent;
use upright_spanner_core::{FeedMake, Workshop};
use upright_spanner_sample::server::{Fault, Faults, Server};
use upright_spanner_sample::world::copy_tree;

/// A home that has taken in a feed, and the server that everything comes from.
struct Scene {
    bench: Bench,
    server: Server,
}

impl Scene {
    fn new() -> Self {
        let bench = Bench::empty();
        let server = Server::start(&bench.file("feed")).unwrap();
        let publisher = Publisher::of_lens(&bench);
        publisher.added(&server.url());
        Self { bench, server }
    }

    fn publisher(&self) -> Publisher<'_> {
        Publisher { bench: &self.bench, folder: "feed" }
    }

    fn fail(&self, faults: &[Fault], only: &str) {
        let only = only.to_owned();
        self.server.fail(Faults { faults: faults.to_vec(), only, times: None });
    }

    /// Asserts that a refresh is refused for a reason, that the home is unchanged, and that the earlier state can be
    /// used.
    fn is_refused(&self, why: &str, code: i32) {
        let before = self.bench.picture("home/feeds");
        let refused = self.bench.run(&["feed", "refresh"]).code(code);
        let told = flat(&errors(&refused));
        assert!(told.contains(why), "{why}: {told}");
        assert_eq!(self.bench.picture("home/feeds"), before, "{why}");
        self.server.fail(Faults::default());
        let offers = self.bench.json(&["feed", "list", "lens"]);
        assert_eq!(offers["builds"][0]["build"], "lens@3.1.0", "{why}");
    }

    /// The digest of the download.
    fn file(&self) -> String {
        let offers = self.bench.json(&["feed", "list", "lens"]);
        offers["builds"][0]["blake3"].as_str().unwrap().to_owned()
    }

    /// Asserts that the download is refused for a reason, and the rack has nothing of it.
    fn is_not_got(&self, why: &str) {
        // What came before is continued, and may be all of it.
        let _ = fs::remove_dir_all(self.bench.file("home/downloads"));
        let refused = self.bench.run(&["rack", "get", "lens"]).code(4);
        let told = flat(&errors(&refused));
        assert!(told.contains(why), "{why}: {told}");
        assert_eq!(self.bench.json(&["rack", "list"])["builds"], json!([]), "{why}");
    }
}

#[test]
fn an_arbitrary_file_does_not_come_onto_the_rack() {
    let scene = Scene::new();
    let file = scene.file();
    let path = scene.bench.file(&format!("feed/content/{}/{file}", &file[..2]));
    let whole = fs::read(&path).unwrap();
    // Of the same length, of another, and nothing.
    let mut other = whole.clone();
    other.reverse();
    fs::write(&path, &other).unwrap();
    scene.is_not_got("differs from the signed one");
    fs::write(&path, &whole[..whole.len() - 1]).unwrap();
    scene.is_not_got("broke off");
    fs::write(&path, [&whole[..], b"more"].concat()).unwrap();
    scene.is_not_got("sends more than");
    fs::remove_file(&path).unwrap();
    scene.is_not_got("does not have that (status 404)");
    fs::write(&path, &whole).unwrap();
    scene.fail(&[Fault::Flip], &file);
    scene.is_not_got("differs from the signed one");
    scene.server.fail(Faults::default());
    scene.bench.ok(&["rack", "get", "lens"]);
}

#[test]
fn an_older_state_is_not_taken_in_again() {
    let scene = Scene::new();
    copy_tree(&scene.bench.file("feed"), &scene.bench.file("old")).unwrap();
    scene.publisher().make(&["--withdraw", "lens@3.1", "--why", "It flickers."]);
    scene.bench.ok(&["feed", "refresh"]);
    for name in ["feed", "old"] {
        assert!(scene.bench.file(name).is_dir());
    }
    fs::remove_dir_all(scene.bench.file("feed")).unwrap();
    copy_tree(&scene.bench.file("old"), &scene.bench.file("feed")).unwrap();
    let url = scene.server.url();
    let again = scene.bench.run(&["feed", "add", &url, "--fresh-for", "7d"]).code(3);
    assert!(errors(&again).contains("was at 2 before"), "{}", errors(&again));
    scene.is_refused("it is at number 1 there, and was at 2 before", 3);
    // Nor is one that has the same number.
    scene.publisher().make(&["--title", "Another"]);
    scene.is_refused("two different states with the number 2", 3);
    scene.bench.run(&["rack", "get", "lens"]).code(3);
}

#[test]
fn a_state_that_is_kept_back_becomes_stale() {
    let scene = Scene::new();
    let bench = &scene.bench;
    let stale = |hours: i64| {
        let workshop = Workshop::open(&bench.file("publisher")).unwrap();
        let secret = fs::read_to_string(bench.file("feed.key")).unwrap();
        let secret = Secret::open(&secret, None).unwrap();
        let fresh_for = SignedDuration::from_hours(hours);
        let make = FeedMake { fresh_for, ..FeedMake::default() };
        let altering = workshop.alter().unwrap();
        let signer = Signer::Secret(&secret);
        altering.make_feed(&bench.file("feed"), &make, &signer, None, &Silent).unwrap();
    };
    stale(-1);
    scene.is_refused("was fresh until", 1);
    // Nor by adding it again, or with a damaged state.
    let before = bench.picture("home/feeds");
    let again = bench.run(&["feed", "add", &scene.server.url()]).code(1);
    assert!(flat(&errors(&again)).contains("was fresh until"), "{}", errors(&again));
    assert_eq!(bench.picture("home/feeds"), before);
    for (name, _) in bench.picture("home/feeds/nib") {
        fs::remove_file(bench.file(&format!("home/feeds/nib/{name}"))).unwrap();
    }
    let refused = bench.run(&["feed", "refresh", "nib"]).code(1);
    assert!(flat(&errors(&refused)).contains("was fresh until"), "{}", errors(&refused));
    // A new user is told; its builds can be downloaded.
    let key = scene.publisher().key();
    let added = bench.run(&["feed", "add", "feed", "--key", &key, "--name", "late"]).code(1);
    assert!(flat(&errors(&added)).contains("the feed late is stale since"), "{}", errors(&added));
    let list = bench.run(&["feed", "list"]).code(1);
    assert!(flat(&errors(&list)).contains("spanner feed refresh late"), "{}", errors(&list));
    assert_eq!(bench.json(&["feed", "list"])["feeds"][0]["stale"], true);
    bench.run(&["feed", "refresh", "late"]).code(1);
    let survey = bench.ok(&["survey", "game"]);
    assert!(survey.contains("it is stale"), "{survey}");
    bench.ok(&["rack", "get", "lens", "--feed", "late"]);
    // A new one ends it.
    stale(24);
    bench.ok(&["feed", "refresh"]);
    bench.ok(&["feed", "list"]);
}

#[test]
fn parts_of_different_states_do_not_mix() {
    let scene = Scene::new();
    let publisher = scene.publisher();
    let (old, _) = publisher.head();
    publisher.rack_lens([3, 2, 0, 0]);
    publisher.make(&["--from", "rack"]);
    let (new, head) = publisher.head();
    let at = |digest: &str| scene.bench.file(&format!("feed/content/{}/{digest}", &digest[..2]));
    // The old head under the new one's name, and a shard of another state.
    let bytes = fs::read(at(&new)).unwrap();
    fs::write(at(&new), fs::read(at(&old)).unwrap()).unwrap();
    scene.is_refused("its content differs", 4);
    fs::write(at(&new), &bytes).unwrap();
    let shard = head["shards"][0]["blake3"].as_str().unwrap();
    let bytes = fs::read(at(shard)).unwrap();
    fs::write(at(shard), [0; 10]).unwrap();
    scene.is_refused("its content differs", 4);
    fs::write(at(shard), &bytes).unwrap();
    // A signature of one head that names another.
    let comment =
        format!("feed 1 serial 9 head {old} bytes {}", fs::metadata(at(&old)).unwrap().len());
    publisher.forge().sign(&head, Some(&comment)).unwrap();
    scene.is_refused("different serial numbers", 3);
    // A serial that the head does not have.
    let (text, mut claimed) = (serde_json::to_vec(&head).unwrap(), head.clone());
    claimed["serial"] = json!(40);
    let digest = publisher.forge().put(&text).unwrap();
    let comment = format!("feed 1 serial 40 head {digest} bytes {}", text.len());
    publisher.forge().sign(&head, Some(&comment)).unwrap();
    scene.is_refused("different serial numbers", 3);
}

#[test]
fn data_without_an_end_is_not_read() {
    let scene = Scene::new();
    scene.publisher().make(&["--title", "New"]);
    let (head, _) = scene.publisher().head();
    for fault in [Fault::Endless, Fault::Longer(300_000)] {
        scene.fail(std::slice::from_ref(&fault), "feed.minisig");
        scene.is_refused("sends more than the 4096 bytes", 4);
        scene.fail(std::slice::from_ref(&fault), &head);
        scene.is_refused("sends more than", 4);
        let file = scene.file();
        scene.fail(&[fault], &file);
        scene.is_not_got("sends more than");
        scene.server.fail(Faults::default());
    }
}

#[test]
fn another_key_is_not_believed() {
    let scene = Scene::new();
    let publisher = scene.publisher();
    publisher.ok(&["feed", "key", "new", "other.key", "--no-passphrase"]);
    let (_, mut head) = publisher.head();
    head["serial"] = json!(5);
    // A head that names the publisher's key, signed by another; and one that names that other.
    publisher.forge_by("other.key").sign(&head, None).unwrap();
    scene.is_refused("not by the key that it names", 3);
    let other = fs::read_to_string(scene.bench.file("other.key.pub")).unwrap();
    head["key"] = json!(other.lines().last().unwrap());
    publisher.forge_by("other.key").sign(&head, None).unwrap();
    scene.is_refused("the one that was confirmed is", 3);
    // One that says that the publisher's key had led to it.
    head["successors"] =
        json!([{ "key": head["key"], "signature": "untrusted comment: no\nnothing" }]);
    publisher.forge_by("other.key").sign(&head, None).unwrap();
    scene.is_refused("the one that was confirmed is", 3);
    // The publisher himself continues.
    head["serial"] = json!(6);
    let own = publisher.key();
    head["key"] = json!(own);
    head["successors"] = json!([]);
    publisher.forge().sign(&head, None).unwrap();
    scene.bench.ok(&["feed", "refresh"]);
}

#[test]
fn a_key_that_changes_is_named_by_the_one_before() {
    let scene = Scene::new();
    let (bench, publisher) = (&scene.bench, scene.publisher());
    for name in ["second.key", "third.key"] {
        publisher.ok(&["feed", "key", "new", name, "--no-passphrase"]);
    }
    let make = |words: &[&str]| publisher.run(&[&["feed", "make", "feed"], words].concat());
    make(&["--sign-with", "second.key"]).code(2);
    make(&["--sign-with", "second.key", "--replacing", "third.key"]).code(2);
    make(&["--sign-with", "second.key", "--replacing", "feed.key"]).code(0);
    // Who has slept over one change, or two, follows all the same.
    copy_tree(&bench.file("home"), &bench.file("sleeper")).unwrap();
    bench.ok(&["feed", "refresh"]);
    make(&["--sign-with", "third.key", "--replacing", "second.key"]).code(0);
    bench.ok(&["feed", "refresh"]);
    let third = fs::read_to_string(bench.file("third.key.pub")).unwrap();
    let list = bench.json(&["feed", "list"]);
    assert_eq!(list["feeds"][0]["key"], third.lines().last().unwrap());
    let sleeper = bench.file("sleeper");
    bench.ok(&["feed", "refresh", "--home", sleeper.to_str().unwrap()]);
    // The old key signs no more.
    let (_, mut head) = publisher.head();
    head["serial"] = json!(head["serial"].as_u64().unwrap() + 1);
    head["key"] = json!(publisher.key());
    publisher.forge().sign(&head, None).unwrap();
    scene.is_refused("the one that was confirmed is", 3);
}

#[test]
fn what_a_publisher_may_not_say_is_refused_whole() {
    let scene = Scene::new();
    let publisher = scene.publisher();
    let signature = scene.bench.file("feed/feed.minisig");
    let own = fs::read(&signature).unwrap();
    let set = |document: &mut Value, pointer: &str, value: &Value| {
        let (around, name) = pointer.rsplit_once('/').unwrap();
        if let Some(around) = document.pointer_mut(around) {
            around[name] = value.clone();
        }
    };
    let families = [
        ("leads out of the folder", "/build/0/file/name", json!("a/../../evil.dll")),
        ("is not the name of a file", "/build/0/file/name", json!("below/lens.zip")),
        ("nul.zip", "/build/0/file/name", json!("nul.zip")),
        ("is not a version", "/build/0/version", json!("3\u{1b}[2J")),
        ("is not a version", "/build/0/version", json!("3 --despite all")),
        ("is not the id of a family", "/id", json!("../lens")),
        ("is damaged", "/build/0/run", json!("evil.exe")),
        ("is not the address of a feed", "/build/0/page", json!("file:///etc/passwd")),
        ("more than", "/build/0/file/size", json!(u64::MAX)),
        ("variants", "/build/0/variant", json!([])),
    ];
    for (why, pointer, value) in families {
        fs::write(&signature, &own).unwrap();
        publisher.forged(|_| {}, |shard| set(shard, &format!("/family/0{pointer}"), &value));
        scene.is_refused(why, 3);
    }
    let (_, head) = publisher.head();
    let shard = &head["shards"][0];
    let heads = [
        ("shards", "/shards", json!(vec![shard; 257])),
        ("power of two", "/shards", json!(vec![shard; 3])),
        ("bytes, more than", "/shards/0/size", json!(1_u64 << 40)),
        ("differs from its declared length", "/shards/0/unpacked", json!(10)),
        ("format", "/schema", json!(2)),
        ("characters in its title", "/title", json!("x".repeat(5000))),
    ];
    for (why, pointer, value) in heads {
        fs::write(&signature, &own).unwrap();
        publisher.forged(|head| set(head, pointer, &value), |_| {});
        scene.is_refused(why, 3);
    }
    // A piece that unpacks to much more than it says.
    fs::write(&signature, &own).unwrap();
    let bomb = publisher.forge().piece(&vec![b' '; 40 << 20]).unwrap();
    publisher.forged(|head| head["shards"] = json!([bomb]), |_| {});
    scene.is_refused("more than", 3);
    fs::write(&signature, &own).unwrap();
    publisher.forged(
        |head| {
            head["shards"] = json!([bomb]);
            head["shards"][0]["unpacked"] = json!(1000);
        },
        |_| {},
    );
    scene.is_refused("differs from its declared length", 3);
}

#[test]
fn texts_of_a_feed_do_not_steer_the_terminal() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    publisher.forged(
        |head| head["title"] = json!("Nib\u{1b}[2J\u{202e}sdliub"),
        |shard| {
            shard["family"][0]["advice"] = json!([{
                "builds": "3.1", "what": "withdrawn", "why": "gone\u{1b}]0;x\u{7} \u{200b}"
            }]);
        },
    );
    let shown = bench.run(&["feed", "add", "feed"]).code(2);
    let added = bench.run(&["feed", "add", "feed", "--key", &publisher.key()]).code(0);
    let told = [
        errors(&shown),
        errors(&added),
        bench.ok(&["feed", "list", "-v"]),
        bench.ok(&["feed", "list", "lens"]),
        errors(&bench.run(&["rack", "get", "lens"]).code(3)),
    ];
    for text in told {
        assert!(!text.contains(['\u{1b}', '\u{7}', '\u{202e}', '\u{200b}']), "{text:?}");
    }
}

#[test]
fn redirects_end_and_lead_to_no_place_where_anybody_listens_in() {
    let scene = Scene::new();
    scene.publisher().make(&["--title", "New"]);
    scene.fail(&[Fault::Redirect("loop".to_owned())], "feed.minisig");
    scene.is_refused("redirects more than 5 times", 4);
    scene.fail(&[Fault::Redirect("file:///etc/passwd".to_owned())], "feed.minisig");
    scene.is_refused("redirects to an invalid address", 4);
    // If it leads to the right place, it is followed, whatever way that is written.
    let other = Server::start(&scene.bench.file("feed")).unwrap();
    fs::create_dir(scene.bench.file("feed/copy")).unwrap();
    let signature = scene.bench.file("feed/feed.minisig");
    fs::copy(&signature, scene.bench.file("feed/copy/feed.minisig")).unwrap();
    let there = format!("//{}/copy/feed.minisig", other.address());
    for to in ["copy/feed.minisig", "/copy/feed.minisig", &there, "copy/feed.minisig#head"] {
        scene.server.take_log();
        let faults = vec![Fault::Redirect(to.to_owned())];
        scene.server.fail(Faults { faults, only: "/feed.minisig".to_owned(), times: Some(1) });
        let (url, key) = (scene.server.url(), scene.publisher().key());
        scene.bench.ok(&["feed", "add", &url, "--key", &key, "--name", "nib"]);
        let log = [scene.server.take_log(), other.take_log()].concat();
        assert!(log.iter().any(|request| request.path == "/copy/feed.minisig"), "{to}: {log:?}");
    }
    scene.fail(&[Fault::Redirect(format!("{}/feed.minisig", other.url()))], "feed.minisig");
    scene.bench.ok(&["feed", "refresh"]);
    let file = scene.file();
    let path = format!("/content/{}/{file}", &file[..2]);
    scene.fail(&[Fault::Redirect(format!("{}{path}", other.url()))], &file);
    scene.bench.ok(&["rack", "get", "lens"]);
}

#[test]
fn a_server_behind_tls_must_be_known_and_is_not_left_for_one_in_the_open() {
    let bench = Bench::empty();
    let publisher = Publisher::of_lens(&bench);
    let open = Server::start(&bench.file("feed")).unwrap();
    let secure = Secure::before(open.address());
    let certificate = bench.file("certificate.pem");
    fs::write(&certificate, secure.certificate()).unwrap();
    let run = |words: &[&str]| {
        let mut program = bench.program(words);
        program.env("SSL_CERT_FILE", &certificate);
        in_time(program, 60)
    };
    let (url, key) = (secure.url(), publisher.key());
    let add = ["feed", "add", &url, "--name", "nib", "--key", &key];
    let unknown = bench.run(&add).code(4);
    let told = flat(&errors(&unknown));
    assert!(told.contains("the server's certificate is not trusted"), "{told}");
    assert!(told.contains("in the variable SSL_CERT_FILE"), "{told}");
    assert_eq!(open.take_log(), []);
    run(&add).code(0);
    run(&["rack", "get", "lens"]).code(0);
    bench.ok(&["rack", "drop", "lens", "--yes"]);

    publisher.make(&["--title", "New"]);
    let before = bench.picture("home/feeds");
    let offers = bench.json(&["feed", "list", "lens"]);
    let file = offers["builds"][0]["blake3"].as_str().unwrap();
    let paths = ["/feed.minisig".to_owned(), format!("/content/{}/{file}", &file[..2])];
    for (path, command) in paths.iter().zip([&["feed", "refresh"][..], &["rack", "get", "lens"]]) {
        let to = format!("{}{path}", open.url());
        let faults = vec![Fault::Redirect(to)];
        open.fail(Faults { faults, only: path.clone(), times: Some(1) });
        let refused = run(command).code(4);
        assert!(errors(&refused).contains("from https to http"), "{}", errors(&refused));
        assert_eq!(bench.picture("home/feeds"), before);
        assert_eq!(bench.json(&["rack", "list"])["builds"], json!([]));
    }

    // The other way, and within it, they are followed.
    for _ in 0..2 {
        let faults = vec![Fault::Redirect(format!("{url}/feed.minisig"))];
        open.fail(Faults { faults, only: "feed.minisig".to_owned(), times: Some(1) });
        run(&["feed", "refresh"]).code(0);
    }
    let plain = open.url();
    let faults = vec![Fault::Redirect(format!("{url}/feed.minisig"))];
    open.fail(Faults { faults, only: "feed.minisig".to_owned(), times: Some(1) });
    run(&["feed", "add", &plain, "--name", "open", "--key", &key]).code(0);
    run(&["rack", "get", "lens"]).code(0);
}

#[test]
fn a_server_that_stalls_or_drips_is_given_up() {
    let scene = Scene::new();
    scene.publisher().make(&["--title", "New"]);
    let file = scene.file();
    let (slow, stalled) = (Scene::new(), Scene::new());
    slow.publisher().make(&["--title", "New"]);
    // Side by side, since each waits as long as people would.
    std::thread::scope(|scope| {
        scope.spawn(|| {
            scene.fail(&[Fault::Stall], "feed.minisig");
            scene.is_refused("did not answer in time", 4);
        });
        scope.spawn(|| {
            stalled.fail(&[Fault::Stall], &file);
            stalled.is_not_got("did not answer in time");
        });
        scope.spawn(|| {
            slow.fail(&[Fault::Slow(10)], "/content/");
            slow.is_refused("sends too slowly", 4);
        });
    });
}

#[test]
fn what_a_feed_does_not_name_is_not_looked_at() {
    let scene = Scene::new();
    scene.bench.write("feed/content/00/evil.dll", b"MZ");
    scene.bench.write("feed/catalog/evil.toml", b"schema = 1");
    scene.publisher().make(&["--title", "New"]);
    scene.server.take_log();
    scene.bench.ok(&["feed", "refresh"]);
    scene.bench.ok(&["rack", "get", "lens"]);
    assert!(scene.server.take_log().iter().all(|request| !request.path.contains("evil")));
    let home = scene.bench.picture("home");
    assert!(home.iter().all(|(name, content)| !name.contains("evil") && content != b"MZ"));
}
