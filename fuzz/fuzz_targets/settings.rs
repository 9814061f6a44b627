//! Any bytes as the user's settings, a newer build's and an older build's.
#![no_main]

use libfuzzer_sys::fuzz_target;
use upright_spanner_core::plan::merge;

fuzz_target!(|files: (&[u8], &[u8], &[u8])| {
    let (user, new, old) = files;
    let once = merge(user, new, None);
    assert!(once.bytes.len() >= user.len());
    assert_eq!(merge(&once.bytes, new, None).bytes, once.bytes);
    assert_eq!(merge(user, b"", None).bytes, user);
    let _ = merge(user, new, Some(old));
});
