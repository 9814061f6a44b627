//! Signed images of which some was altered: the signature, its certificates, and whether they are trusted.
#![no_main]

use std::io::Cursor;
use std::sync::LazyLock;

use libfuzzer_sys::arbitrary::{self, Arbitrary};
use libfuzzer_sys::fuzz_target;
use upright_spanner_image::{Signature, TrustStore};

/// Changed bytes at some positions of a signature.
#[derive(Debug, Arbitrary)]
struct Recipe {
    which: u8,
    /// Places, counted from the image's end, and bytes.
    patches: Vec<(u16, u8)>,
    /// A part that is there twice.
    doubled: Option<(u16, u8)>,
}

static SEEDS: LazyLock<Vec<Vec<u8>>> = LazyLock::new(|| {
    vec![
        include_bytes!("../../crates/image/tests/data/nested.dll").to_vec(),
        include_bytes!("../../crates/image/tests/data/chain-tsa.dll").to_vec(),
        include_bytes!("../../crates/image/tests/data/chain-undermid.dll").to_vec(),
        include_bytes!("../../crates/image/tests/data/p256-sha256.dll").to_vec(),
        include_bytes!("../../crates/image/tests/data/timestamped.dll").to_vec(),
    ]
});

static TRUST: LazyLock<TrustStore> = LazyLock::new(|| {
    let roots = include_bytes!("../../crates/image/tests/data/chain-root.pem");
    TrustStore::from_pem(roots).expect("a root")
});

fuzz_target!(|recipe: Recipe| {
    let mut bytes = SEEDS[usize::from(recipe.which) % SEEDS.len()].clone();
    if let Some((at, len)) = recipe.doubled {
        let begin = bytes.len() - 1 - usize::from(at) % bytes.len();
        let end = (begin + usize::from(len)).min(bytes.len());
        let part = bytes[begin..end].to_vec();
        bytes.splice(begin..begin, part);
    }
    let len = bytes.len();
    for (at, byte) in recipe.patches {
        bytes[len - 1 - usize::from(at) % len] = byte;
    }
    let _ = Signature::check_reader(Cursor::new(&bytes), Some(&TRUST));
});
