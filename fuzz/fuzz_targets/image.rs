//! Any bytes as an image: facts, every import and export, the signature.
#![no_main]

use std::io::Cursor;

use libfuzzer_sys::fuzz_target;
use upright_spanner_core::image::{Image, Signature};

fuzz_target!(|bytes: &[u8]| {
    if let Ok(image) = Image::from_reader(Cursor::new(bytes)) {
        let _ = (image.facts.version(), image.facts.product_version(), image.facts.is_debug());
    }
    let _ = Signature::check_reader(Cursor::new(bytes), None);
});
