//! The digests that images are signed by.

use sha1::Sha1;
use sha2::digest::DynDigest;
use sha2::{Sha256, Sha384, Sha512};

/// A digest algorithm that images are signed by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Algorithm {
    Sha1,
    Sha256,
    Sha384,
    Sha512,
}

impl Algorithm {
    pub fn name(self) -> &'static str {
        match self {
            Self::Sha1 => "SHA-1",
            Self::Sha256 => "SHA-256",
            Self::Sha384 => "SHA-384",
            Self::Sha512 => "SHA-512",
        }
    }

    pub fn hasher(self) -> Box<dyn DynDigest> {
        match self {
            Self::Sha1 => Box::<Sha1>::default(),
            Self::Sha256 => Box::<Sha256>::default(),
            Self::Sha384 => Box::<Sha384>::default(),
            Self::Sha512 => Box::<Sha512>::default(),
        }
    }

    /// The digest of some bytes.
    pub fn digest(self, bytes: &[u8]) -> Box<[u8]> {
        let mut hasher = self.hasher();
        hasher.update(bytes);
        hasher.finalize()
    }
}
