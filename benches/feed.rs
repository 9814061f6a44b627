//! A feed of 10,000 builds: what a client fetches and how long that takes, against an ordinary program that fetches
//! the same files; and 200 clients at once. The system's web server serves it if there is one.

use std::fs;
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::{Value, json};
use upright_spanner_core::progress::Silent;
use upright_spanner_core::{Address, FeedOptions, Workshop};
use upright_spanner_sample::feed::Forge;
use upright_spanner_sample::server::Server;

const FAMILIES: usize = 500;
const BUILDS: usize = 20;
const SHARDS: usize = 256;
/// So many families a user has.
const OWN: usize = 20;
const CLIENTS: usize = 200;
const ROUNDS: usize = 5;

fn main() {
    let space = tempfile::tempdir().unwrap();
    let feed = space.path().join("feed");
    let key = publish(&feed);
    let (url, _serving) = serve(&feed, space.path());

    // What one client gets, and how long it takes, with the time of an ordinary program for the same files.
    let log = Server::start(&feed).unwrap();
    let own: Vec<String> = (0..OWN).map(|at| family(at * (FAMILIES / OWN))).collect();
    let mut ratios = Vec::new();
    for round in 0..ROUNDS {
        let home = space.path().join(format!("one-{round}"));
        let ours = client(&home, &log.url(), &key, &own);
        let requests = log.take_log();
        let bytes: u64 = requests.iter().map(|request| request.sent).sum();
        let began = Instant::now();
        let mut ordinary = Command::new("curl");
        ordinary.arg("--silent");
        for request in &requests {
            ordinary.args(["-o", "/dev/null"]).arg(format!("{}{}", log.url(), request.path));
        }
        assert!(ordinary.status().unwrap().success());
        let theirs = began.elapsed();
        log.take_log();

        let began = Instant::now();
        let workshop = Workshop::open(&home).unwrap();
        let known = workshop.feeds();
        let read = began.elapsed();
        assert!(own.iter().all(|family| !known.offers(family).is_empty()));
        let began = Instant::now();
        let news = workshop.fetch_news(known.feeds[0].name(), &Silent).unwrap();
        workshop.alter().unwrap().take_in(&news).unwrap();
        let asked = began.elapsed();
        let again = log.take_log();
        println!(
            "{} requests, {:.0} KB in {:.0} ms; an ordinary program {:.0} ms; read anew in {:.1} ms; without news \
             {} request, {} bytes, {:.1} ms",
            requests.len(),
            bytes as f64 / 1024.0,
            ms(ours),
            ms(theirs),
            ms(read),
            again.len(),
            again.iter().map(|request| request.sent).sum::<u64>(),
            ms(asked)
        );
        ratios.push(ours.as_secs_f64() / theirs.as_secs_f64());
    }
    ratios.sort_by(f64::total_cmp);
    println!("ours to theirs: {:.2} (median of {ROUNDS})", ratios[ROUNDS / 2]);

    let began = Instant::now();
    let times: Vec<Duration> = std::thread::scope(|scope| {
        let all: Vec<_> = (0..CLIENTS)
            .map(|at| {
                let (home, url, key, own) =
                    (space.path().join(format!("many-{at}")), &url, &key, &own);
                scope.spawn(move || {
                    let began = Instant::now();
                    client(&home, url, key, own);
                    began.elapsed()
                })
            })
            .collect();
        all.into_iter().map(|one| one.join().unwrap()).collect()
    });
    let slowest = times.iter().max().unwrap();
    println!(
        "{CLIENTS} clients at once: all done in {:.1} s, the slowest took {:.1} s",
        began.elapsed().as_secs_f64(),
        slowest.as_secs_f64()
    );
}

fn ms(time: Duration) -> f64 {
    time.as_secs_f64() * 1000.0
}

fn family(at: usize) -> String {
    format!("family-{at:03}")
}

/// Adds the feed to an empty home and fetches some families; returns the time.
fn client(home: &Path, url: &str, key: &str, own: &[String]) -> Duration {
    let workshop = Workshop::open(home).unwrap();
    let began = Instant::now();
    let key = upright_spanner_core::feed::Key::new(key).unwrap();
    let sight = workshop.look_at_feed(&Address::new(url).unwrap(), Some(&key)).unwrap();
    workshop.alter().unwrap().add_feed(sight, &FeedOptions::default(), &Silent).unwrap();
    workshop.refresh();
    workshop.take_in_families(&own.iter().cloned().collect(), &Silent).unwrap();
    began.elapsed()
}

/// Serves a folder by the system's web server, else by our own.
fn serve(feed: &Path, space: &Path) -> (String, Serving) {
    let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
    let text = format!(
        "daemon off; pid {0}/nginx.pid; error_log {0}/nginx.log;\n\
         events {{ worker_connections 1024; }}\n\
         http {{ access_log off; server {{ listen 127.0.0.1:{port}; root {1}; }} }}\n",
        space.display(),
        feed.display()
    );
    let config = space.join("nginx.conf");
    fs::write(&config, text).unwrap();
    let mut server = Command::new("nginx");
    server.arg("-c").arg(&config).stdout(Stdio::null()).stderr(Stdio::null());
    let Ok(server) = server.spawn() else {
        let own = Server::start(feed).unwrap();
        println!("no web server here: our own serves");
        return (own.url(), Serving::Own { _server: own });
    };
    std::thread::sleep(Duration::from_millis(500));
    (format!("http://127.0.0.1:{port}"), Serving::Systems(server, config))
}

enum Serving {
    Own { _server: Server },
    Systems(Child, PathBuf),
}

impl Drop for Serving {
    fn drop(&mut self) {
        if let Self::Systems(server, config) = self {
            // The server's child processes end with it.
            let _ = Command::new("nginx").arg("-c").arg(config).args(["-s", "stop"]).status();
            let _ = server.wait();
        }
    }
}

/// Publishes the feed, and gives its key.
fn publish(feed: &Path) -> String {
    let forge = Forge::new(feed).unwrap();
    let listing = |at: usize| {
        let (id, company) = (family(at), format!("Maker {}", at % 90));
        let known = json!({ "id": id, "names": [format!("{id}.dll")], "company": company });
        let builds = (0..BUILDS).map(|build| entry(&id, at, build));
        let catalog = format!(
            "schema = 1\n\n[[family]]\nid = \"{id}\"\nnames = [\"{id}.dll\"]\ncompany = \"{company}\"\n\
             role = \"runtime\"\n"
        );
        let listing = json!({ "id": id, "catalog": catalog, "build": builds.collect::<Vec<_>>() });
        (listing, Some(known))
    };
    let families: Vec<_> = (0..FAMILIES).map(listing).collect();
    let head = forge.head(&families, SHARDS).unwrap();
    forge.sign(&head, None).unwrap();
    forge.public
}

/// A build as real feeds list them: two variants, notes, versions of the game.
fn entry(id: &str, family: usize, build: usize) -> Value {
    let digest = |what: &str| blake3::hash(format!("{id} {build} {what}").as_bytes()).to_hex();
    let version = format!("{}.{build}.{}", 1 + family % 7, (family * build) % 31);
    let variant = |name: Option<&str>, machine: &str| {
        let mut variant = json!({ "library": digest(machine).as_str(), "machine": machine });
        variant["company"] = json!(format!("Maker {}", family % 90));
        if let Some(name) = name {
            variant["name"] = json!(name);
        }
        variant
    };
    json!({
        "version": version,
        "file": { "name": format!("{id}-{version}.zip"), "blake3": digest("file").as_str(), "size": 3_000_000 + build },
        "variant": [variant(None, "x86_64"), variant(Some("x86"), "x86")],
        "supports": format!("{}.0 - {}.5", family % 9, family % 9 + 2),
        "notes": { "name": "CHANGES.txt", "blake3": digest("notes").as_str(), "size": 4000 + build },
        "date": format!("2026-{:02}-{:02}", 1 + build % 12, 1 + family % 28),
    })
}
