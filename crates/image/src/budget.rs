//! What reading one image may cost, whatever its bytes say.
//!
//! Real images stay far below these limits. A table above one is a fault of the image and reported; the other tables
//! still count. Together they keep an image below 16 MB of memory and 0.2 s, except for reading the whole file for a
//! digest.

/// Windows loads no image with more than 96 sections.
pub(crate) const MOST_SECTIONS: usize = 256;

/// Libraries that an image imports from: the largest programs name some 300.
pub(crate) const MOST_LIBRARIES: usize = 2048;

/// Symbols that it imports from all of them: the largest programs name some 20,000.
pub(crate) const MOST_SYMBOLS: usize = 1 << 16;

/// Functions that it offers, and names of them: an ordinal has 16 bits, and linkers end there.
pub(crate) const MOST_EXPORTS: usize = 1 << 16;

/// Entries of the resource directory on the way to the version resources: a type for each kind of
/// resource, and a few names and languages of one.
pub(crate) const MOST_NODES: usize = 4096;

/// Version resources, one a language: Windows knows some 200 languages, real images have one or two.
pub(crate) const MOST_LANGUAGES: usize = 64;

/// Bytes of all version resources together: one is about 1 KB.
pub(crate) const MOST_RESOURCE: usize = 1 << 20;

/// Strings in all version resources together: one has about ten.
pub(crate) const MOST_STRINGS: usize = 4096;

/// A longer name is not that of a library or symbol: mangled names reach 2,000 bytes.
pub(crate) const LONGEST_NAME: usize = 4096;

/// Bytes of names that are kept: 65,536 mangled names have some 6 MB.
pub(crate) const MOST_TEXT: u64 = 8 << 20;

/// Bytes that are read for tables: of the largest real image some 10 MB.
pub(crate) const MOST_READ: u64 = 64 << 20;

/// The blocks in memory at a time: names are close together, so few blocks are read twice.
pub(crate) const MOST_BLOCKS: usize = 64;

/// Bytes of a security directory: a signature has about 10 KB, and 6 KB more for each megabyte of the file if it
/// names the digest of each page.
pub(crate) const MOST_SECURITY: u64 = 2 << 20;

/// Signatures of one image, nested ones included: real images have one to three.
pub(crate) const MOST_SIGNATURES: usize = 16;

/// Real signatures are nested once.
pub(crate) const DEEPEST_SIGNATURE: usize = 3;
