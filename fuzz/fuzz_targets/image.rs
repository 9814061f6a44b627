//! Any bytes as an image, and images that were one before some of it was altered: facts, every import and
//! export, the version resource.
#![no_main]

use std::fs;
use std::io::Cursor;
use std::sync::LazyLock;

use libfuzzer_sys::arbitrary::{self, Arbitrary};
use libfuzzer_sys::fuzz_target;
use upright_spanner_image::{Image, icon_from_reader, rights_from_reader};
use upright_spanner_sample::{Bits, Pe, VersionInfo};

/// What an image is made from.
#[derive(Debug, Arbitrary)]
enum Recipe<'a> {
    Bytes(&'a [u8]),
    /// A real image with some bytes changed.
    Altered {
        which: u16,
        patches: Vec<Patch>,
        cut: Option<u16>,
    },
}

#[derive(Debug, Arbitrary)]
struct Patch {
    at: u16,
    /// Counted from the end, where signatures are.
    from_end: bool,
    value: u32,
    len: u8,
}

static SEEDS: LazyLock<Vec<Vec<u8>>> = LazyLock::new(|| {
    let info = VersionInfo::new([4, 1, 2, 3])
        .with("CompanyName", "Corvid Optics")
        .with("FileDescription", "Lens for far things")
        .with("OriginalFilename", "lens.dll");
    let made = |bits| {
        let image = Pe::dll(bits, "lens.dll").version(&info).export("open", 1).export("shut", 2);
        let image = image
            .manifest("<a><requestedExecutionLevel level=\"asInvoker\"/></a>")
            .icon(4, &[7; 90]);
        image.imports("winmm.dll", &["timeGetTime"]).imports("version.dll", &["VerQueryValueW"])
    };
    let mut seeds = vec![
        made(Bits::Bits64).to_bytes(),
        made(Bits::Bits32).to_bytes(),
        include_bytes!("../../crates/image/tests/data/nested.dll").to_vec(),
        include_bytes!("../../crates/image/tests/data/chain-tsa.dll").to_vec(),
        include_bytes!("../../crates/image/tests/data/chain-undermid.dll").to_vec(),
    ];
    // Real images, where somebody has some.
    let folder = std::env::var_os("SPANNER_SEEDS").and_then(|folder| fs::read_dir(folder).ok());
    let files = folder.into_iter().flatten().flatten().map(|entry| entry.path());
    seeds.extend(files.filter_map(|path| fs::read(path).ok()).filter(|bytes| !bytes.is_empty()));
    seeds
});

fn cook(recipe: Recipe<'_>) -> Vec<u8> {
    let (which, patches, cut) = match recipe {
        Recipe::Bytes(bytes) => return bytes.to_vec(),
        Recipe::Altered { which, patches, cut } => (which, patches, cut),
    };
    let mut bytes = SEEDS[usize::from(which) % SEEDS.len()].clone();
    for patch in patches {
        let at = usize::from(patch.at) % bytes.len();
        let at = if patch.from_end { bytes.len() - 1 - at } else { at };
        for (byte, new) in
            bytes[at..].iter_mut().zip(patch.value.to_le_bytes()).take(usize::from(patch.len % 5))
        {
            *byte = new;
        }
    }
    if let Some(cut) = cut {
        bytes.truncate(usize::from(cut));
    }
    bytes
}

fuzz_target!(|recipe: Recipe<'_>| {
    let bytes = cook(recipe);
    if let Ok(image) = Image::from_reader(Cursor::new(&bytes)) {
        let _ = (image.facts.version(), image.facts.product_version(), image.facts.is_debug());
    }
    let _ = rights_from_reader(Cursor::new(&bytes));
    if let Ok(Some(icon)) = icon_from_reader(Cursor::new(&bytes)) {
        assert_eq!(icon[..6], [0, 0, 1, 0, 1, 0]);
    }
});
