//! Names that no one can have foreseen.

use std::hash::{BuildHasher, Hasher, RandomState};

/// How many digits such a name has: 64 bits are not guessed, and do not meet by chance.
const DIGITS: usize = 16;

/// A name of random hexadecimal digits behind a prefix.
pub(crate) fn random_name(prefix: &str) -> String {
    // Each state has its own keys, which begin with the system's randomness.
    let number = RandomState::new().build_hasher().finish();
    format!("{prefix}{number:0DIGITS$x}")
}

/// Whether a name without a prefix is of that form.
pub(crate) fn is_random_name(name: &str) -> bool {
    name.len() == DIGITS && name.bytes().all(|byte| matches!(byte, b'0'..=b'9' | b'a'..=b'f'))
}
