//! Downloads from servers that misbehave: only signed files are added to the rack.

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};

use jiff::SignedDuration;
use proptest::prelude::*;
use upright_spanner_core::feed::{Secret, Signer};
use upright_spanner_core::progress::{Progress, Silent};
use upright_spanner_core::{Address, Download, FeedMake, FeedOptions, Stock, Workshop};
use upright_spanner_sample::server::{Fault, Faults, Request, Server};
use upright_spanner_sample::{Bits, Pe, VersionInfo};

/// Wine makes files slowly.
const CASES: u32 = if cfg!(windows) { 8 } else { 24 };

/// The bytes that are written at a time, and may be downloaded twice.
const BLOCK: u64 = 64 << 10;

/// A publisher with one build, a feed that two servers have, and a home that has taken it in.
struct Scene {
    workshop: Workshop,
    home: PathBuf,
    servers: [Server; 2],
    download: Download,
    _space: tempfile::TempDir,
}

impl Scene {
    fn new() -> Self {
        let space = tempfile::tempdir().unwrap();
        let (from, feed) = (space.path().join("from"), space.path().join("feed"));
        fs::create_dir_all(&from).unwrap();
        let info = VersionInfo::new([3, 1, 0, 0]).with("CompanyName", "Nib");
        let library = Pe::dll(Bits::Bits64, "lens.dll").version(&info.with("ProductName", "Lens"));
        let mut bytes = library.to_bytes();
        bytes.extend((0..300_000_u32).flat_map(u32::to_le_bytes));
        fs::write(from.join("lens.dll"), bytes).unwrap();

        fs::create_dir_all(&feed).unwrap();
        let servers = [&feed, &feed].map(|feed| Server::start(feed).unwrap());
        let text = Secret::generate(None).unwrap().secret;
        let secret = Secret::open(&text, None).unwrap();
        let make = FeedMake {
            from: Stock::Folder(from),
            mirrors: Some(vec![servers[1].url()]),
            fresh_for: SignedDuration::from_hours(24),
            ..FeedMake::default()
        };
        let publisher = Workshop::open(&space.path().join("publisher")).unwrap();
        let signer = Signer::Secret(&secret);
        publisher.alter().unwrap().make_feed(&feed, &make, &signer, None, &Silent).unwrap();

        let home = space.path().join("home");
        let workshop = Workshop::open(&home).unwrap();
        let address = Address::new(&servers[0].url()).unwrap();
        let sight = workshop.look_at_feed(&address, Some(secret.public())).unwrap();
        workshop.alter().unwrap().add_feed(sight, &FeedOptions::default(), &Silent).unwrap();
        workshop.refresh();
        let download = workshop.downloads(&["lens".to_owned()], None, &Silent).unwrap().remove(0);
        let scene = Self { workshop, home, servers, download, _space: space };
        scene.take_logs();
        scene
    }

    /// Makes both fail for requests of the download itself.
    fn fail(&self, faults: &[Vec<Fault>; 2]) {
        for (server, faults) in self.servers.iter().zip(faults) {
            let only = self.download.entry.file.blake3.to_string();
            server.fail(Faults { faults: faults.clone(), only, times: None });
        }
    }

    fn take_logs(&self) -> Vec<Request> {
        self.servers.iter().flat_map(Server::take_log).collect()
    }

    /// Gets it onto the rack; says whether that went well.
    fn get(&self) -> bool {
        let got = self.workshop.download(std::slice::from_ref(&self.download), &Silent).remove(0);
        let Ok(got) = got else { return false };
        self.workshop.alter().unwrap().add_downloaded(got.unwrap(), &Silent).unwrap();
        self.workshop.refresh();
        true
    }

    /// The unfinished download.
    fn part(&self) -> PathBuf {
        let folder = self.download.entry.file.blake3.to_string();
        self.home.join("downloads").join(folder).join("unfinished.part")
    }

    fn has(&self) -> u64 {
        fs::metadata(self.part()).map_or(0, |part| part.len())
    }
}

/// Who wants it to stop as soon as something has come.
#[derive(Default)]
struct Impatient(AtomicBool);

impl Progress for Impatient {
    fn begin(&self, _: &str, _: Option<u64>) {}

    fn end(&self) {}

    fn advance(&self, by: u64) {
        self.0.fetch_or(by > 0, Ordering::SeqCst);
    }

    fn is_stopped(&self) -> bool {
        self.0.load(Ordering::SeqCst)
    }
}

#[test]
fn a_download_that_is_to_stop_keeps_what_has_come() {
    let scene = Scene::new();
    let wanted = std::slice::from_ref(&scene.download);
    let stopped = scene.workshop.download(wanted, &Impatient::default()).remove(0).unwrap_err();
    assert_eq!(stopped.code(), "stopped");
    let asked = scene.take_logs();
    assert!(scene.has() > 0 && scene.has() < scene.download.entry.file.size);
    assert_eq!(asked.len(), 1, "no other place is asked for it");
    assert!(scene.get());
}

fn is_empty(folder: &Path) -> bool {
    fs::read_dir(folder).map_or(true, |mut entries| entries.next().is_none())
}

fn fault() -> impl Strategy<Value = Fault> {
    prop_oneof![
        (0..100_u64).prop_map(Fault::Cut),
        Just(Fault::IgnoreRange),
        Just(Fault::WrongRange),
        (1..10_000_u64).prop_map(Fault::Longer),
        Just(Fault::Endless),
        Just(Fault::Flip),
        Just(Fault::Redirect("loop".to_owned())),
        Just(Fault::Redirect("/feed.minisig".to_owned())),
        prop_oneof![Just(403_u16), Just(404), Just(416), Just(500)].prop_map(Fault::Status),
    ]
}

fn faults() -> impl Strategy<Value = [Vec<Fault>; 2]> {
    let some = || prop::collection::vec(fault(), 0..3);
    (some(), some()).prop_map(|(first, second)| [first, second])
}

proptest! {
    #![proptest_config(ProptestConfig { cases: CASES, ..ProptestConfig::default() })]

    #[test]
    fn what_comes_onto_the_rack_is_what_was_signed(attempts in prop::collection::vec(faults(), 1..5)) {
        let scene = Scene::new();
        let mut is_got = false;
        for faults in &attempts {
            scene.fail(faults);
            is_got = scene.get();
            prop_assert!(!is_got || faults.iter().any(|own| own != &[Fault::Status(404)]));
            let builds = scene.workshop.builds().unwrap();
            prop_assert_eq!(builds.len(), usize::from(is_got));
            prop_assert!(scene.has() <= scene.download.entry.file.size);
            if is_got {
                break;
            }
        }
        if !is_got {
            scene.fail(&[Vec::new(), Vec::new()]);
            prop_assert!(scene.get());
        }
        let builds = scene.workshop.builds().unwrap();
        prop_assert_eq!(builds[0].source.blake3, scene.download.entry.file.blake3);
        prop_assert_eq!(builds[0].file.content, scene.download.entry.file.content());
        prop_assert!(scene.workshop.verify_rack(&Silent).unwrap().is_empty());
        prop_assert!(is_empty(&scene.home.join("downloads")));
    }

    #[test]
    fn what_has_come_is_not_asked_for_again(cuts in prop::collection::vec(1..100_u64, 1..6)) {
        let scene = Scene::new();
        let size = scene.download.entry.file.size;
        for percent in cuts {
            // Neither has all that it announces.
            scene.fail(&[vec![Fault::Cut(percent)], vec![Fault::Status(404)]]);
            let before = scene.has();
            if scene.get() {
                prop_assert!(before == size, "it was all there");
                return Ok(());
            }
            let asked = scene.take_logs();
            prop_assert_eq!(asked[0].from.unwrap_or(0), before);
            // Received bytes are kept, except those not written yet.
            prop_assert!(scene.has() + BLOCK >= before + asked[0].sent, "{asked:?}");
        }
        scene.fail(&[Vec::new(), Vec::new()]);
        let before = scene.has();
        prop_assert!(scene.get());
        let asked = scene.take_logs();
        prop_assert_eq!((asked.len(), asked[0].sent), (1, size - before));
    }
}
