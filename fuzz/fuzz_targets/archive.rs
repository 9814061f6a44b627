//! Any bytes as a download, and archives whose structure is right but whose content is not.
#![no_main]

use std::fs;
use std::sync::Once;

use libfuzzer_sys::arbitrary::{self, Arbitrary};
use libfuzzer_sys::fuzz_target;
use upright_spanner_core::guard::is_contained;
use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::{Limits, PackageContext, PackageOptions, Parcel};
use upright_spanner_sample::archive::{
    ZipFile, ZipHeader, seven_zip, seven_zip_list, tar_of, zip_of,
};

/// The recipe of a download.
#[derive(Debug, Arbitrary)]
enum Recipe<'a> {
    Bytes(&'a [u8]),
    /// A 7z of which the checksums fit.
    SevenZip {
        packed: &'a [u8],
        list: &'a [u8],
    },
    /// The same with a list of contents that is one, but for some bytes.
    Listed {
        packed: &'a [u8],
        method: Method,
        properties: [u8; 5],
        unpacked: u16,
        names: Vec<(&'a str, u16)>,
        patches: Vec<(u8, u8)>,
        /// Whether the list is packed itself.
        twice: bool,
    },
    Zip(Vec<File<'a>>),
    /// A tar of names, kinds, stated sizes, and contents; the sizes are right if none are given.
    Tar(Vec<(&'a [u8], u8, Option<u64>, &'a [u8])>),
}

#[derive(Debug, Arbitrary)]
enum Method {
    Copy,
    Lzma,
    Lzma2,
    Delta,
    Code,
    Password,
}

impl Method {
    fn id(&self) -> &'static [u8] {
        match self {
            Self::Copy => &[0],
            Self::Lzma => &[3, 1, 1],
            Self::Lzma2 => &[0x21],
            Self::Delta => &[3],
            Self::Code => &[3, 3, 1, 3],
            Self::Password => &[6, 0xF1, 7, 1],
        }
    }
}

/// A file of a zip that says the truth but for some of it.
#[derive(Debug, Arbitrary)]
struct File<'a> {
    name: &'a str,
    content: &'a [u8],
    before: Option<Header<'a>>,
    listed: Option<Header<'a>>,
    at: Option<u32>,
}

#[derive(Debug, Arbitrary)]
struct Header<'a> {
    name: &'a [u8],
    flags: u16,
    method: u16,
    checksum: u32,
    packed: u32,
    unpacked: u32,
    extra: &'a [u8],
}

impl From<Header<'_>> for ZipHeader {
    fn from(header: Header<'_>) -> Self {
        Self {
            name: header.name.to_vec(),
            flags: header.flags,
            method: header.method,
            checksum: header.checksum,
            packed: header.packed,
            unpacked: header.unpacked,
            extra: header.extra.to_vec(),
        }
    }
}

fn cook(recipe: Recipe<'_>) -> Vec<u8> {
    match recipe {
        Recipe::Bytes(bytes) => bytes.to_vec(),
        Recipe::SevenZip { packed, list } => seven_zip(packed, list),
        Recipe::Listed { packed, method, properties, unpacked, names, patches, twice } => {
            let files: Vec<(&str, u64)> =
                names.iter().map(|(name, len)| (*name, u64::from(*len))).collect();
            let sizes = (packed.len() as u64, u64::from(unpacked));
            let mut list = seven_zip_list(method.id(), &properties, sizes, &files);
            for (at, value) in patches {
                let len = list.len();
                list[usize::from(at) % len] = value;
            }
            if !twice {
                return seven_zip(packed, &list);
            }
            // The list is among the packed bytes, and another list gives its position.
            let len = list.len() as u64;
            let mut around = seven_zip_list(&[0], &[], (len, len), &[("", len)]);
            around.truncate(around.len().saturating_sub(8));
            around[0] = 0x17;
            around.remove(1);
            seven_zip(&list, &around)
        }
        Recipe::Tar(files) => {
            let files = files.into_iter().map(|(name, kind, size, content)| {
                (name, kind, size.unwrap_or(content.len() as u64), content)
            });
            tar_of(&files.collect::<Vec<_>>())
        }
        Recipe::Zip(files) => {
            let files = files.into_iter().map(|file| {
                let mut made = ZipFile::of(file.name, file.content);
                made.at = file.at;
                if let Some(before) = file.before {
                    made.before = before.into();
                }
                if let Some(listed) = file.listed {
                    made.listed = listed.into();
                }
                made
            });
            zip_of(&files.collect::<Vec<_>>())
        }
    }
}

/// A panic that the program catches does not count.
fn pass_over_contained_panics() {
    static SET: Once = Once::new();
    SET.call_once(|| {
        let usual = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |panic| {
            if !is_contained() {
                usual(panic);
            }
        }));
    });
}

fuzz_target!(|recipe: Recipe<'_>| {
    pass_over_contained_panics();
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("download");
    fs::write(&path, cook(recipe)).expect("a file");
    let limits = Limits { entries: 100, unpacked: 1 << 20, dictionary: 1 << 22 };
    let scratch = folder.path().join("scratch");
    let context = PackageContext { limits, scratch, ..PackageContext::default() };
    if let Ok(parcel) = Parcel::open(&path, &PackageOptions::default(), &context, &Silent) {
        assert!(!parcel.builds.is_empty());
    }
});
