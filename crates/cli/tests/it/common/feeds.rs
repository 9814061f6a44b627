//! Feeds to use and to attack: published by the built program, and signed again by hand if it would not.

use std::fs;

use assert_cmd::assert::Assert;
use serde_json::{Value, json};
use upright_spanner_sample::feed::Forge;
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive};

use super::{Bench, errors, output, started};

/// A library of the made-up family `lens`.
pub fn lens(version: [u16; 4], bits: Bits, size: usize) -> Vec<u8> {
    let info = VersionInfo::new(version)
        .with("CompanyName", "Nib")
        .with("ProductName", "Lens")
        .with("InternalName", "lens");
    let pe = Pe::dll(bits, "lens.dll").version(&info).export("lens_draw", u32::from(version[0]));
    let mut bytes = pe.to_bytes();
    // What packs to nothing is not a download that takes its time.
    let mut state = 0x9e37_79b9_u32 ^ u32::from(version[1]);
    let noise = std::iter::repeat_with(|| {
        state ^= state << 13;
        state ^= state >> 17;
        state ^= state << 5;
        state as u8
    });
    bytes.extend(noise.take(size));
    bytes
}

/// A publisher with a home of its own, beside that of a user.
pub struct Publisher<'a> {
    pub bench: &'a Bench,
    /// The folder that is served.
    pub folder: &'static str,
}

impl<'a> Publisher<'a> {
    /// With a key, and nothing published.
    pub fn new(bench: &'a Bench) -> Self {
        let publisher = Self { bench, folder: "feed" };
        publisher.ok(&["feed", "key", "new", "feed.key", "--no-passphrase"]);
        publisher
    }

    /// With `lens` in two versions, and a game that has the older one.
    pub fn of_lens(bench: &'a Bench) -> Self {
        let publisher = Self::new(bench);
        publisher.rack_lens([3, 1, 0, 0]);
        publisher.make(&["--from", "rack", "--title", "Nib builds"]);
        game(bench, "game", [2, 9, 0, 0]);
        publisher
    }

    pub fn rack_lens(&self, version: [u16; 4]) {
        let [a, b, c, _] = version;
        let notes = format!("{a}.{b}.{c}\n- Sharper.\n");
        let library = lens(version, Bits::Bits64, 300_000);
        let files: [(&str, &[u8]); 2] = [("lens.dll", &library), ("CHANGES.txt", notes.as_bytes())];
        let zip = archive::zip(&files, (2026, 2, 1));
        let path = format!("downloads/lens-{a}.{b}.{c}.zip");
        self.bench.write(&path, &zip);
        self.ok(&["rack", "add", &path]);
    }

    /// Runs the program in the publisher's home.
    pub fn run(&self, words: &[&str]) -> Assert {
        let mut program = self.bench.program(words);
        program.env("SPANNER_HOME", self.bench.file("publisher")).env("COLUMNS", "100");
        Assert::new(started(|| program.output()))
    }

    pub fn ok(&self, words: &[&str]) -> String {
        let assert = self.run(words);
        assert_eq!(assert.get_output().status.code(), Some(0), "{words:?}: {}", errors(&assert));
        output(&assert)
    }

    /// Publishes, with additional words.
    pub fn make(&self, words: &[&str]) -> String {
        self.ok(&[&["feed", "make", self.folder, "--sign-with", "feed.key"], words].concat())
    }

    pub fn key(&self) -> String {
        let text = fs::read_to_string(self.bench.file("feed.key.pub")).unwrap();
        text.lines().last().unwrap().to_owned()
    }

    /// The home that uses it has it.
    pub fn added(&self, address: &str) {
        self.bench.ok(&["feed", "add", address, "--key", &self.key(), "--name", "nib"]);
    }

    /// What writes into the feed by hand, with the publisher's key.
    pub fn forge(&self) -> Forge {
        self.forge_by("feed.key")
    }

    /// The same with another key.
    pub fn forge_by(&self, key: &str) -> Forge {
        Forge::with_key(&self.bench.file(self.folder), &self.bench.file(key)).unwrap()
    }

    /// The digest of the head that is published, and the head.
    pub fn head(&self) -> (String, Value) {
        let signature = self.bench.file(&format!("{}/feed.minisig", self.folder));
        let text = fs::read_to_string(signature).unwrap();
        let digest = text.split_whitespace().skip_while(|word| *word != "head").nth(1).unwrap();
        let head = fs::read(self.forge().path(digest)).unwrap();
        (digest.to_owned(), serde_json::from_slice(&head).unwrap())
    }

    /// Publishes the head as it is after an edit, with the shards as they are after theirs, as the serial number that
    /// follows.
    pub fn forged(&self, edit: impl FnOnce(&mut Value), edit_shards: impl Fn(&mut Value)) {
        let (forge, (_, mut head)) = (self.forge(), self.head());
        head["serial"] = json!(head["serial"].as_u64().unwrap() + 1);
        let shards = head["shards"].as_array().unwrap().clone();
        let shards = shards.iter().map(|piece| {
            let mut shard = forge.read(piece).unwrap();
            edit_shards(&mut shard);
            forge.piece(&serde_json::to_vec(&shard).unwrap()).unwrap()
        });
        head["shards"] = shards.collect();
        edit(&mut head);
        forge.sign(&head, None).unwrap();
    }
}

/// A game with `lens` of a version, in a folder that is a library root's.
pub fn game(bench: &Bench, name: &str, version: [u16; 4]) {
    let info = VersionInfo::new([4, 5, 0, 0]).with("ProductName", "Hollow Pier");
    let exe = Pe::exe(Bits::Bits64).version(&info).imports("lens.dll", &["lens_draw"]);
    let exe = exe.imports("d3d11.dll", &["D3D11CreateDevice"]);
    bench.write(&format!("{name}/HollowPier.exe"), &exe.to_bytes());
    bench.write(&format!("{name}/lens.dll"), &lens(version, Bits::Bits64, 1000));
}
