//! Any bytes as a download: a library, a zip or a 7z.
#![no_main]

use std::fs;

use libfuzzer_sys::fuzz_target;
use upright_spanner_core::catalog::Catalog;
use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::{Limits, Parcel, Told};

fuzz_target!(|bytes: &[u8]| {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("download");
    fs::write(&path, bytes).expect("a file");
    let limits = Limits { entries: 100, unpacked: 1 << 20 };
    if let Ok(parcel) = Parcel::open(&path, &Catalog::default(), &Told::default(), &[], &limits, &Silent) {
        assert!(!parcel.builds.is_empty());
    }
});
