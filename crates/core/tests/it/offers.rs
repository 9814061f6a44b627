//! Names of builds, builds for a game, and advice, for any feeds in any number.

use std::path::Path;

use serde_json::{Value, json};
use tempfile::TempDir;
use upright_spanner_core::feed::{Feeds, Offer};
use upright_spanner_core::image::Machine;
use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::Needs;
use upright_spanner_core::version::Version;
use upright_spanner_core::{Address, FeedOptions, Workshop};
use upright_spanner_sample::feed::Forge;

/// A build of `lens` for 64-bit games, with more fields.
fn build(version: &str, more: &Value) -> Value {
    let digest = blake3::hash(format!("{version}{more}").as_bytes()).to_hex().to_string();
    let file = json!({ "name": format!("lens-{version}.zip"), "blake3": digest, "size": 1000 });
    let variant = json!([{ "library": digest, "machine": "x86_64" }]);
    let mut build = json!({ "version": version, "file": file, "variant": variant });
    for (name, value) in more.as_object().cloned().unwrap_or_default() {
        build[name] = value;
    }
    build
}

fn variant(machine: &str, more: &Value) -> Value {
    let mut variant = json!({ "library": "0".repeat(64), "machine": machine });
    for (name, value) in more.as_object().cloned().unwrap_or_default() {
        variant[name] = value;
    }
    variant
}

/// A home that has taken in feeds.
struct Scene {
    space: TempDir,
    workshop: Workshop,
}

impl Scene {
    fn new() -> Self {
        let space = tempfile::tempdir().unwrap();
        let workshop = Workshop::open(&space.path().join("home")).unwrap();
        Self { space, workshop }
    }

    /// Adds a feed of that name, which says this of `lens`.
    fn add(&self, name: &str, builds: &[Value], advice: &[Value]) {
        let listing = json!({ "id": "lens", "build": builds, "advice": advice });
        self.add_listings(name, &[(listing, None)], 1);
    }

    fn add_listings(&self, name: &str, families: &[(Value, Option<Value>)], shards: usize) {
        let folder = self.space.path().join(name);
        let forge = Forge::new(&folder).unwrap();
        forge.sign(&forge.head(families, shards).unwrap(), None).unwrap();
        let address = Address::new(&folder.to_string_lossy()).unwrap();
        let sight = self.workshop.look_at_feed(&address, None).unwrap();
        let wish = FeedOptions { name: Some(name.to_owned()), ..FeedOptions::default() };
        self.workshop.alter().unwrap().add_feed(sight, &wish, &Silent).unwrap();
        self.workshop.refresh();
    }

    /// The builds that a name means.
    fn named(&self, text: &str) -> Vec<String> {
        in_words(&self.workshop.feeds().named(text))
    }
}

fn in_words(offers: &[Offer<'_>]) -> Vec<String> {
    offers.iter().map(|offer| format!("{} of {}", offer.id(), offer.feed.name())).collect()
}

fn newest(feeds: &Feeds, machine: Machine, game: Option<&str>, edition: Option<&str>) -> String {
    let version: Option<Version> = game.map(|version| version.parse().unwrap());
    let needs =
        Needs { machine: Some(machine), version: version.as_ref(), edition, ..Needs::default() };
    feeds.newest_for("lens", &needs).map_or_else(|| "none".to_owned(), |offer| offer.id())
}

#[test]
fn names_mean_what_people_type() {
    let scene = Scene::new();
    let versions = ["0.31.4.0", "3.1.0", "3.2.0", "4.0.0-beta.1"];
    scene.add("nib", &versions.map(|version| build(version, &json!({}))), &[]);
    assert_eq!(scene.named("lens"), ["lens@3.2.0 of nib"]);
    assert_eq!(scene.named("LENS@3.1"), ["lens@3.1.0 of nib"]);
    assert_eq!(scene.named("lens@3.1.0.0"), ["lens@3.1.0 of nib"]);
    assert_eq!(scene.named("lens@31.4"), ["lens@0.31.4.0 of nib"]);
    assert_eq!(scene.named("lens@4.0.0-beta.1"), ["lens@4.0.0-beta.1 of nib"]);
    assert_eq!(scene.named("lens@9"), Vec::<String>::new());
    assert_eq!(scene.named("lens@3.1.0+x86"), Vec::<String>::new());
    assert_eq!(scene.named("glow"), Vec::<String>::new());
    assert_eq!(scene.named(""), Vec::<String>::new());
}

#[test]
fn the_newest_for_a_game_is_for_its_machine_version_and_edition() {
    let scene = Scene::new();
    let x86 = json!([variant("x86", &json!({ "name": "x86" }))]);
    let both = json!([variant("x86_64", &json!({})), variant("x86", &json!({ "name": "x86" }))]);
    let keyed = json!([variant("x86_64", &json!({ "key": "4.6.1" }))]);
    let boxed = json!([variant("x86_64", &json!({ "edition": "disc" }))]);
    let builds = [
        build("1.0.0", &json!({ "variant": both })),
        build("2.0.0", &json!({ "variant": x86 })),
        build("3.0.0", &json!({ "supports": "4.0 - 4.4" })),
        build("4.0.0", &json!({ "variant": keyed })),
        build("5.0.0", &json!({ "variant": boxed })),
    ];
    scene.add("nib", &builds, &[]);
    let feeds = scene.workshop.feeds();
    assert_eq!(newest(&feeds, Machine::X86, None, None), "lens@2.0.0");
    assert_eq!(newest(&feeds, Machine::X86_64, None, None), "lens@5.0.0");
    assert_eq!(newest(&feeds, Machine::X86_64, Some("4.6.1"), Some("harbour")), "lens@4.0.0");
    assert_eq!(newest(&feeds, Machine::X86_64, Some("4.3.9"), Some("harbour")), "lens@3.0.0");
    assert_eq!(newest(&feeds, Machine::X86_64, Some("4.9"), Some("harbour")), "lens@1.0.0");
    assert_eq!(newest(&feeds, Machine::X86_64, Some("4.9"), Some("Disc")), "lens@5.0.0");
    assert_eq!(newest(&feeds, Machine::Arm64, None, None), "none");

    // Only a stated support counts.
    let version: Version = "4.3.9".parse().unwrap();
    let needs = Needs { version: Some(&version), ..Needs::default() };
    assert_eq!(feeds.supporting("lens", &needs).unwrap().id(), "lens@3.0.0");
    let other: Version = "5.1".parse().unwrap();
    let needs = Needs { version: Some(&other), ..Needs::default() };
    assert!(feeds.supporting("lens", &needs).is_none());
}

#[test]
fn advice_is_about_some_builds_in_some_games() {
    let scene = Scene::new();
    let builds = ["1.0.0", "2.0.0", "3.0.0"].map(|version| build(version, &json!({})));
    let advice = [
        json!({ "builds": "3.0.0", "what": "withdrawn", "why": "It flickers." }),
        json!({ "builds": "2.*", "what": "fails", "game": "4.5 - 4.6", "why": "It is dark." }),
        json!({ "builds": "1.0.0", "variant": "x86", "what": "fails", "why": "It stays away." }),
        json!({ "builds": "2.1", "what": "fails", "program": "Pier.exe", "why": "It is slow." }),
        json!({ "builds": "2.2", "what": "fails", "game": "1.*", "program": "Pier.exe", "why": "It stops." }),
    ];
    scene.add("nib", &builds, &advice);
    let feeds = scene.workshop.feeds();
    assert_eq!(newest(&feeds, Machine::X86_64, None, None), "lens@2.0.0");
    assert_eq!(newest(&feeds, Machine::X86_64, Some("4.5.3"), None), "lens@1.0.0");
    let said_with = |version: &str, variant, game: Option<&str>, program: Option<&str>| {
        let (version, game) = (version.parse().unwrap(), game.map(|game| game.parse().unwrap()));
        let needs = Needs { version: game.as_ref(), program, ..Needs::default() };
        let advice = feeds.advice("Lens", Some(&version), variant, &needs);
        advice.map(|advised| advised.advice.why.clone()).collect::<Vec<_>>()
    };
    let said = |version, variant, game| said_with(version, variant, game, None);
    assert_eq!(said("3.0.0", None, None), ["It flickers."]);
    assert_eq!(said("2.7.1", None, Some("4.5.0")), ["It is dark."]);
    assert_eq!(said("2.7.1", None, None), Vec::<String>::new());
    assert_eq!(said("1.0.0", Some("X86"), None), ["It stays away."]);
    assert_eq!(said("1.0.0", None, None), Vec::<String>::new());
    // The version of one game is nothing to another.
    assert_eq!(said_with("2.1", None, Some("7.0"), Some("pier.EXE")), ["It is slow."]);
    assert_eq!(said_with("2.1", None, Some("7.0"), Some("quay.exe")), Vec::<String>::new());
    assert_eq!(said_with("2.2", None, Some("1.4"), Some("pier.exe")), ["It stops."]);
    assert_eq!(said_with("2.2", None, Some("1.4"), Some("quay.exe")), Vec::<String>::new());
    assert_eq!(said_with("2.2", None, Some("2.0"), Some("pier.exe")), Vec::<String>::new());
    assert_eq!(said_with("2.2", None, None, Some("pier.exe")), Vec::<String>::new());
    // A withdrawn build is meant by a name without a version only if there is no other.
    assert_eq!(scene.named("lens"), ["lens@2.0.0 of nib"]);
    let alone = Scene::new();
    alone.add("nib", &builds[2..], &advice[..1]);
    assert_eq!(alone.named("lens"), ["lens@3.0.0 of nib"]);
    let downloads = alone.workshop.downloads(&["lens".to_owned()], None, &Silent).unwrap();
    assert_eq!(downloads[0].findings()[0].code, "withdrawn");
}

#[test]
fn of_several_feeds_one_counts_for_a_version_and_all_for_a_file() {
    let scene = Scene::new();
    let shared = build("2.0.0", &json!({}));
    scene.add("anchor", &[shared.clone(), build("3.0.0", &json!({ "date": "2026-01-02" }))], &[]);
    scene.add("nib", &[shared, build("3.0.0", &json!({})), build("3.1.0", &json!({}))], &[]);
    assert_eq!(scene.named("lens"), ["lens@3.1.0 of nib"]);
    assert_eq!(scene.named("lens@3.0.0"), ["lens@3.0.0 of anchor", "lens@3.0.0 of nib"]);
    let got = |spec: &str, feed: Option<&str>| {
        let downloads = scene.workshop.downloads(&[spec.to_owned()], feed, &Silent).unwrap();
        downloads.iter().map(|it| format!("{} of {}", it.id, it.feed)).collect::<Vec<_>>()
    };
    assert_eq!(got("lens@3.0.0", None), ["lens@3.0.0 of anchor"]);
    assert_eq!(got("lens@3.0.0", Some("nib")), ["lens@3.0.0 of nib"]);
    assert_eq!(got("lens@2.0.0", None), ["lens@2.0.0 of anchor"]);
    let missing = scene.workshop.downloads(&["lens".to_owned()], Some("gone"), &Silent);
    assert_eq!(missing.unwrap_err().code(), "unknown-feed");
}

#[test]
fn of_a_large_feed_what_is_asked_for_is_taken_in() {
    let scene = Scene::new();
    let listing = |at: usize| {
        let id = format!("family-{at:03}");
        let builds = (0..60).map(|n| {
            let digest = blake3::hash(format!("{at} {n}").as_bytes()).to_hex().to_string();
            let notes = json!({ "name": "notes.txt", "blake3": digest, "size": 100 });
            build(&format!("1.{n}.{at}"), &json!({ "notes": notes }))
        });
        let known = json!({ "id": id, "names": [format!("{id}.dll")] });
        (json!({ "id": id, "build": builds.collect::<Vec<_>>() }), Some(known))
    };
    scene.add_listings("large", &(0..150).map(listing).collect::<Vec<_>>(), 128);
    let taken = |feeds: &Feeds| feeds.feeds[0].listings().count();
    let feeds = scene.workshop.feeds();
    assert_eq!((taken(&feeds), feeds.feeds[0].head.build_count), (0, 9000));
    // The recognition of families is known for all of them.
    assert_eq!(scene.workshop.catalog().families().len(), 150);
    let downloads = scene.workshop.downloads(&["family-077@1.3.77".to_owned()], None, &Silent);
    assert_eq!(downloads.unwrap()[0].id, "family-077@1.3.77");
    let feeds = scene.workshop.feeds();
    assert!(taken(&feeds) > 0 && taken(&feeds) < 20, "{}", taken(&feeds));
    // A refresh without news keeps it.
    let fetched = scene.workshop.fetch_news(feeds.feeds[0].name(), &Silent).unwrap();
    assert!(!scene.workshop.alter().unwrap().take_in(&fetched).unwrap().is_news);
    scene.workshop.refresh();
    assert!(!scene.workshop.feeds().offers("family-077").is_empty());
    let unknown = scene.workshop.downloads(&["nothing".to_owned()], None, &Silent);
    assert_eq!(unknown.unwrap_err().code(), "unknown-build");
}

#[test]
fn a_listing_in_a_shard_where_nobody_looks_is_not_found() {
    let scene = Scene::new();
    let folder = scene.space.path().join("nib");
    let forge = Forge::new(&folder).unwrap();
    let listing = json!({ "id": "lens", "build": [build("1.0.0", &json!({}))] });
    let mut head = forge.head(&[(listing, None)], 2).unwrap();
    let shards = head["shards"].as_array().unwrap().iter().rev().cloned().collect();
    head["shards"] = Value::Array(shards);
    forge.sign(&head, None).unwrap();
    let checked = scene.workshop.check_feed(Path::new(&folder), None, &Silent);
    assert!(checked.unwrap_err().to_string().contains("where nobody looks for it"));
    let address = Address::new(&folder.to_string_lossy()).unwrap();
    let sight = scene.workshop.look_at_feed(&address, None).unwrap();
    scene.workshop.alter().unwrap().add_feed(sight, &FeedOptions::default(), &Silent).unwrap();
    scene.workshop.refresh();
    assert!(scene.workshop.feeds().offers("lens").is_empty());
}
