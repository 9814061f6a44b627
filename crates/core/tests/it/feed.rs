//! Feeds through the core: whatever is served, a client has a state that was published, and never an older one; and what
//! parses takes anything.

use std::fs;
use std::path::{Path, PathBuf};

use jiff::SignedDuration;
use proptest::prelude::*;
use upright_spanner_core::feed::{self, Key, Piece, Secret, Signer};
use upright_spanner_core::progress::Silent;
use upright_spanner_core::{Address, Altering, FeedMake, FeedOptions, Stock, Workshop};
use upright_spanner_sample::world::copy_tree;
use upright_spanner_sample::{Bits, Pe, VersionInfo};

fn make(altering: &Altering<'_>, folder: &Path, secret: &Secret, make: FeedMake) {
    let make = FeedMake { fresh_for: SignedDuration::from_hours(48), ..make };
    let signer = Signer::Secret(secret);
    altering.make_feed(folder, &make, &signer, None, &Silent).unwrap();
}

fn files_below(folder: &Path) -> Vec<PathBuf> {
    let mut files = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() { files.extend(files_below(&path)) } else { files.push(path) }
    }
    files.sort();
    files
}

fn secret() -> Secret {
    Secret::open(&Secret::generate(None).unwrap().secret, None).unwrap()
}

/// Wine makes files slowly.
const CASES: u32 = if cfg!(windows) { 10 } else { 40 };

/// So many states are published.
const STATES: usize = 4;

/// Publishes several states, each into its own folder.
fn states(space: &Path, secret: &Secret) -> Vec<PathBuf> {
    let workshop = Workshop::open(&space.join("publisher")).unwrap();
    let folder = space.join("feed");
    let stock = space.join("stock");
    fs::create_dir_all(&stock).unwrap();
    (1..=STATES)
        .map(|at| {
            let info = VersionInfo::new([at as u16, 2, 0, 0]).with("CompanyName", "Nib");
            let library = Pe::dll(Bits::Bits64, "lens.dll").version(&info).to_bytes();
            fs::write(stock.join(format!("lens-{at}.2.0.dll")), library).unwrap();
            let from = Stock::Folder(stock.clone());
            make(
                &workshop.alter().unwrap(),
                &folder,
                secret,
                FeedMake { from, ..FeedMake::default() },
            );
            let state = space.join(format!("state-{at}"));
            copy_tree(&folder, &state).unwrap();
            state
        })
        .collect()
}

/// What somebody between publisher and client does.
#[derive(Debug, Clone)]
enum Deed {
    /// Serves a state as it was published.
    Serve(usize),
    /// Serves the signature of one state over the contents of another.
    Mix(usize, usize),
    /// Damages a served file: which, and how.
    Spoil(usize, u8),
}

fn deed() -> impl Strategy<Value = Deed> {
    prop_oneof![
        3 => (0..STATES).prop_map(Deed::Serve),
        1 => (0..STATES, 0..STATES).prop_map(|(a, b)| Deed::Mix(a, b)),
        2 => (any::<usize>(), any::<u8>()).prop_map(|(file, how)| Deed::Spoil(file, how)),
    ]
}

fn spoil(file: &Path, how: u8) {
    let mut bytes = fs::read(file).unwrap();
    match how % 4 {
        0 => bytes.truncate(bytes.len() / 2),
        1 => bytes.extend([0; 100]),
        2 => bytes.clear(),
        _ => {
            let at = usize::from(how) % bytes.len().max(1);
            if let Some(byte) = bytes.get_mut(at) {
                *byte ^= 1 << (how % 8);
            }
        }
    }
    fs::write(file, bytes).unwrap();
}

proptest! {
    #![proptest_config(ProptestConfig { cases: CASES, ..ProptestConfig::default() })]

    #[test]
    fn a_client_has_a_state_that_was_published_and_never_an_older_one(
        deeds in prop::collection::vec(deed(), 1..12),
    ) {
        let space = tempfile::tempdir().unwrap();
        let secret = secret();
        let states = states(space.path(), &secret);
        let served = space.path().join("served");
        copy_tree(&states[0], &served).unwrap();
        let address = Address::new(&served.to_string_lossy()).unwrap();
        let workshop = Workshop::open(&space.path().join("home")).unwrap();
        let sight = workshop.look_at_feed(&address, Some(secret.public())).unwrap();
        let wish = FeedOptions { name: Some("nib".to_owned()), ..FeedOptions::default() };
        workshop.alter().unwrap().add_feed(sight, &wish, &Silent).unwrap();

        let mut serial = 1;
        for deed in deeds {
            match deed {
                Deed::Serve(at) => {
                    fs::remove_dir_all(&served).unwrap();
                    copy_tree(&states[at], &served).unwrap();
                }
                Deed::Mix(signature, contents) => {
                    fs::remove_dir_all(&served).unwrap();
                    copy_tree(&states[contents], &served).unwrap();
                    let signature = states[signature].join("feed.minisig");
                    fs::copy(signature, served.join("feed.minisig")).unwrap();
                }
                Deed::Spoil(file, how) => {
                    let files = files_below(&served);
                    spoil(&files[file % files.len()], how);
                }
            }
            workshop.refresh();
            let feeds = workshop.feeds();
            prop_assert!(feeds.faults.is_empty());
            let fetched = workshop.fetch_news(feeds.feeds[0].name(), &Silent);
            if let Ok(fetched) = fetched {
                workshop.alter().unwrap().take_in(&fetched).unwrap();
            }
            workshop.refresh();
            let feeds = workshop.feeds();
            prop_assert!(feeds.faults.is_empty(), "{:?}", feeds.faults);
            let known = &feeds.feeds[0];
            prop_assert!(known.subscription.serial >= serial);
            serial = known.subscription.serial;
            // The state of that number, whole: as many builds as there were then.
            prop_assert_eq!(known.head.serial, serial);
            prop_assert_eq!(feeds.offers("lens").len() as u64, serial);
        }
        // The published state is accepted in the end.
        fs::remove_dir_all(&served).unwrap();
        copy_tree(&states[STATES - 1], &served).unwrap();
        workshop.refresh();
        let feeds = workshop.feeds();
        let fetched = workshop.fetch_news(feeds.feeds[0].name(), &Silent).unwrap();
        workshop.alter().unwrap().take_in(&fetched).unwrap();
        workshop.refresh();
        prop_assert_eq!(workshop.feeds().feeds[0].subscription.serial, STATES as u64);
    }
}

/// A signature, the head that it signs, and a shard with the piece that names it.
fn published(space: &Path) -> (Vec<u8>, Vec<u8>, Vec<u8>, Piece, Key) {
    let secret = secret();
    let states = states(space, &secret);
    let state = states.last().unwrap();
    let signature = fs::read(state.join("feed.minisig")).unwrap();
    let text = String::from_utf8(signature.clone()).unwrap();
    let digest = text.split_whitespace().skip_while(|word| *word != "head").nth(1).unwrap();
    let content = |digest: &str| fs::read(state.join("content").join(&digest[..2]).join(digest));
    let head = content(digest).unwrap();
    let read = feed::verified(&signature, &head, Some(secret.public())).unwrap();
    let piece = read.shards[0];
    let shard = content(&piece.blake3.to_string()).unwrap();
    assert_eq!(feed::read_listings(&shard, &piece).unwrap()[0].build.len(), STATES);
    (signature, head, shard, piece, secret.public().clone())
}

#[test]
fn no_bit_of_what_is_signed_can_be_another() {
    let space = tempfile::tempdir().unwrap();
    let (signature, head, shard, piece, key) = published(space.path());
    for (at, bit) in (0..head.len()).flat_map(|at| [(at, 0), (at, 5)]) {
        let mut other = head.clone();
        other[at] ^= 1 << bit;
        assert!(feed::verified(&signature, &other, Some(&key)).is_err(), "byte {at} of the head");
    }
    // All of a signature but the comment that says that nobody trusts it.
    let trusted = signature.iter().position(|byte| *byte == b'\n').unwrap() + 1;
    let mut believed = 0;
    for at in trusted..signature.len() {
        let mut other = signature.clone();
        other[at] ^= 1;
        believed += u32::from(feed::verified(&other, &head, Some(&key)).is_ok());
    }
    // The last character of a base64 text may have bits that say nothing.
    assert!(believed <= 2, "{believed} changed signatures were believed");
    let mut other = piece;
    other.unpacked -= 1;
    assert!(feed::read_listings(&shard, &other).is_err());
    assert!(Key::new(&key.to_file()).unwrap() == key);
}

#[test]
fn anything_can_be_read_as_a_feed() {
    let space = tempfile::tempdir().unwrap();
    let (signature, head, shard, piece, key) = published(space.path());
    let mut runner = proptest::test_runner::TestRunner::default();
    let any = (prop::collection::vec(any::<u8>(), 0..400), any::<usize>(), any::<usize>());
    let tried = runner.run(&any, |(bytes, at, length)| {
        let altered = |whole: &[u8]| {
            let mut out = whole.to_vec();
            let at = at % (out.len() + 1);
            let end = (at + length % 50).min(out.len());
            out.splice(at..end, bytes.iter().copied().take(length % 60));
            out
        };
        let _ = feed::verified(&bytes, &bytes, None);
        let _ = feed::verified(&altered(&signature), &head, Some(&key));
        let _ = feed::verified(&signature, &altered(&head), None);
        let _ = feed::read_listings(&bytes, &piece);
        let _ = feed::read_listings(&altered(&shard), &piece);
        // As if the text in it had been altered and packed again.
        let text = altered(&zstd::decode_all(&shard[..]).unwrap());
        let packed = zstd::encode_all(&text[..], 1).unwrap();
        let other = Piece { unpacked: text.len() as u64, ..piece };
        let _ = feed::read_listings(&packed, &other);
        let _ = Key::new(&String::from_utf8_lossy(&bytes));
        let _ = Secret::open(&String::from_utf8_lossy(&altered(&signature)), None);
        Ok(())
    });
    tried.unwrap();
}

/// What somebody may type as the place of a feed.
fn place() -> impl Strategy<Value = String> {
    let web = "https?://[ab ?#/.]{0,8}";
    // Windows reads paths with odd ends in its own ways, and holds no files under them.
    #[cfg(windows)]
    return prop_oneof![web, r"[ab]([ab .]{0,3}[ab])?([/\\][ab]{1,2}){0,3}[/\\]?"];
    #[cfg(unix)]
    return prop_oneof![web, r"[ab \n.:/\\\[\]]{0,12}", any::<String>()];
}

proptest! {
    /// A feed is found again by its stored address.
    #[test]
    fn an_address_that_is_written_down_is_the_same_when_it_is_read(text in place()) {
        if let Ok(address) = Address::new(&text) {
            prop_assert_eq!(Address::new(&address.to_string()).ok(), Some(address));
        }
    }
}

#[test]
fn an_address_is_a_host_and_a_path_or_a_folder() {
    let code = |text: &str| Address::new(text).map_err(|error| error.code());
    let long = format!("https://nib.example/{}", "a".repeat(3000));
    for wrong in [
        "",
        "  ",
        "ftp://nib.example/feed",
        "https://",
        "https:///feed",
        "https://user@nib.example/feed",
        "https://nib.example/feed?x=1",
        "https://nib.example/feed#there",
        "https://nib.example/a feed",
        "https://nib.example/\u{202e}deef",
        "https://nib.example/<feed>",
        "https://nib.example/a\\feed",
        &long,
    ] {
        assert_eq!(code(wrong), Err("path"), "{wrong}");
    }
    let web = |text: &str| Address::Web(text.to_owned());
    assert_eq!(
        Address::new(" HTTPS://nib.example:8443/feed// ").unwrap(),
        web("HTTPS://nib.example:8443/feed")
    );
    assert_eq!(Address::new("http://[::1]:80/feed").unwrap(), web("http://[::1]:80/feed"));
    assert!(Address::web("feed").is_err(), "a feed names no folders as its mirrors");
}

#[test]
fn of_the_path_of_a_feed_every_character_counts() {
    let space = tempfile::tempdir().unwrap();
    let folder = space.path().join(if cfg!(windows) { "a feed" } else { " a feed\n " });
    let address = Address::new(&folder.to_string_lossy()).unwrap();
    assert_eq!(address, Address::Folder(folder));
}
