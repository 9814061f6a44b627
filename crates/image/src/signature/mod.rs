//! The signature of an image: whether its content is the signed one, and who signed it.
//!
//! Authenticode: PKCS #7 signed data in the security directory ("Windows Authenticode Portable Executable Signature
//! Format"). Whether the signer is trustworthy is a separate question: the certificate chain is checked against roots
//! only if the caller gives some.

mod algorithm;
mod chain;
mod key;
mod pkcs7;
mod status;
mod trust;

use std::io::{Read, Seek};
use std::path::Path;

use jiff::Timestamp;
use object::pe;
use schemars::JsonSchema;
use serde::Serialize;

use crate::budget::{DEEPEST_SIGNATURE, MOST_SECURITY, MOST_SIGNATURES};
use crate::error::ImageError;
use crate::file::open_plain;
use crate::headers::Headers;
use crate::source::Source;
use algorithm::Algorithm;
pub use chain::Chain;
use pkcs7::Message;
pub use status::SignatureStatus;
pub use trust::{Trust, TrustStore};

/// One signature of an image.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Signature {
    /// What became of checking it.
    pub status: SignatureStatus,
    /// Why it is broken or unreadable.
    pub reason: Option<String>,
    /// The common name of the certificate that signed; of an intact signature alone.
    pub signer: Option<String>,
    /// The common name of that certificate's issuer; of an intact signature alone.
    pub issuer: Option<String>,
    /// The common name that a signature has which is not intact: anyone may have put it there.
    pub claimed: Option<String>,
    /// The digest that the image was signed by, such as `SHA-256`.
    pub digest: Option<&'static str>,
    /// When a counter-signature says that it was signed.
    #[schemars(with = "Option<String>")]
    pub signed_at: Option<Timestamp>,
    /// The certificates in the file, from the signer's up.
    pub chain: Option<Chain>,
    /// Further signatures, each checked for itself.
    pub nested: Vec<Signature>,
}

impl Signature {
    fn without(status: SignatureStatus, reason: Option<String>) -> Self {
        Self {
            status,
            reason,
            signer: None,
            issuer: None,
            claimed: None,
            digest: None,
            signed_at: None,
            chain: None,
            nested: Vec::new(),
        }
    }

    /// Checks the signature of the plain file at `path`, reading all of it if there is one; a link is not
    /// followed.
    ///
    /// # Errors
    /// If the file cannot be read or is not an image.
    pub fn check(path: &Path, trust: Option<&TrustStore>) -> Result<Self, ImageError> {
        Self::check_reader(open_plain(path)?, trust)
    }

    /// Checks the signature of an image, from its first byte to its last.
    ///
    /// # Errors
    /// If it cannot be read or is not an image.
    pub fn check_reader(
        reader: impl Read + Seek,
        trust: Option<&TrustStore>,
    ) -> Result<Self, ImageError> {
        let mut source = Source::new(reader)?;
        let headers = Headers::read(&mut source)?;
        let Some(table) = Table::find(&headers) else {
            return Ok(Self::without(SignatureStatus::Absent, None));
        };
        let messages = match table.messages(&mut source) {
            Ok(messages) => messages,
            Err(ImageError::Unreadable(error)) => return Err(error.into()),
            Err(error) => return Ok(Self::unreadable(error.to_string())),
        };
        let left = MOST_SIGNATURES;
        let mut digests = Digests { headers: &headers, table, known: Vec::new(), left };
        let mut signatures = Vec::new();

        for bytes in messages {
            signatures.push(check_message(&bytes, &mut source, &mut digests, trust, 0)?);
        }
        let mut signatures = signatures.into_iter();
        let Some(mut first) = signatures.next() else {
            return Ok(Self::unreadable("the security directory holds no signature".to_owned()));
        };
        first.nested.extend(signatures);
        Ok(first)
    }

    fn unreadable(reason: String) -> Self {
        Self::without(SignatureStatus::Unreadable, Some(reason))
    }
}

/// Who claims to have signed, the first signature's first, taken from the signatures without checking
/// anything; each name once.
pub(super) fn claimed_signers<R: Read + Seek>(
    headers: &Headers,
    source: &mut Source<R>,
) -> Result<Vec<String>, ImageError> {
    let Some(table) = Table::find(headers) else {
        return Ok(Vec::new());
    };
    let mut names: Vec<String> = Vec::new();
    let mut left = MOST_SIGNATURES;
    for bytes in table.messages(source)? {
        add_claims(&bytes, 0, &mut left, &mut names);
    }
    Ok(names)
}

/// Adds the names that a message and those nested in it have.
fn add_claims(bytes: &[u8], depth: usize, left: &mut usize, names: &mut Vec<String>) {
    let Some(rest) = left.checked_sub(1) else { return };
    *left = rest;
    let Ok(message) = Message::parse(bytes) else { return };
    let name = message.signer_name().filter(|name| !names.contains(name));
    names.extend(name);
    if depth < DEEPEST_SIGNATURE {
        for nested in message.nested().into_iter().take(MOST_SIGNATURES) {
            add_claims(&nested, depth + 1, left, names);
        }
    }
}

/// Checks one message and those nested in it.
fn check_message<R: Read + Seek>(
    bytes: &[u8],
    source: &mut Source<R>,
    digests: &mut Digests<'_>,
    trust: Option<&TrustStore>,
    depth: usize,
) -> Result<Signature, ImageError> {
    match digests.left.checked_sub(1) {
        Some(left) => digests.left = left,
        None => return Ok(Signature::unreadable("there are too many signatures".to_owned())),
    }
    let message = match Message::parse(bytes) {
        Ok(message) => message,
        Err(reason) => return Ok(Signature::unreadable(reason)),
    };
    let mut signature = Signature::without(SignatureStatus::Intact, None);
    let stamp = message.stamp();
    signature.signed_at = stamp.as_ref().map(|stamp| stamp.at);

    let verdict = match message.image_digest() {
        Err(reason) => Err((SignatureStatus::Unreadable, reason)),
        Ok((algorithm, stated)) => {
            signature.digest = Some(algorithm.name());
            if digests.of(algorithm, source)? == stated {
                message.verify()
            } else {
                let reason = "the file's content differs from the signed one".to_owned();
                Err((SignatureStatus::Broken, reason))
            }
        }
    };
    if let Err((status, reason)) = verdict {
        (signature.status, signature.reason) = (status, Some(reason));
    }

    // A name is the signer's only if it is proven that he signed this.
    let named = (message.signer_name(), message.issuer_name());
    if signature.status == SignatureStatus::Intact {
        (signature.signer, signature.issuer) = named;
    } else {
        signature.claimed = named.0;
    }

    signature.chain = message.chain(signature.status, stamp.as_ref(), trust);
    if depth < DEEPEST_SIGNATURE {
        for nested in message.nested().into_iter().take(MOST_SIGNATURES) {
            signature.nested.push(check_message(&nested, source, digests, trust, depth + 1)?);
        }
    }

    Ok(signature)
}

/// The security directory, the only one whose address is an offset in the file.
#[derive(Clone, Copy)]
struct Table {
    start: u64,
    len: u64,
}

impl Table {
    fn find(headers: &Headers) -> Option<Self> {
        let directory = headers.directory(pe::IMAGE_DIRECTORY_ENTRY_SECURITY)?;
        let len = u64::from(directory.len);
        (len > 0).then(|| Self { start: u64::from(directory.address), len })
    }

    /// The PKCS #7 messages in it (`WIN_CERTIFICATE` of type 2), padding and all.
    fn messages<R: Read + Seek>(self, source: &mut Source<R>) -> Result<Vec<Vec<u8>>, ImageError> {
        const WHAT: &str = "the security directory";
        const SIGNED_DATA: u16 = 2;
        if self.len > MOST_SECURITY {
            return Err(ImageError::excessive(WHAT));
        }

        let bytes = source.bytes(self.start, self.len, WHAT)?;
        let mut out = Vec::new();
        let mut at = 0;
        while let Some(head) = bytes.get(at..at + 8) {
            let len = u32::from_le_bytes([head[0], head[1], head[2], head[3]]) as usize;
            let kind = u16::from_le_bytes([head[6], head[7]]);
            let content = len.checked_sub(8).and_then(|len| bytes.get(at + 8..at + 8 + len));
            let content = content.ok_or(ImageError::malformed(WHAT))?;
            if kind == SIGNED_DATA && out.len() < MOST_SIGNATURES {
                out.push(content.to_vec());
            }
            at = (at + len).next_multiple_of(8);
        }

        Ok(out)
    }
}

/// Digests of the image, each computed once.
struct Digests<'a> {
    headers: &'a Headers,
    table: Table,
    known: Vec<(Algorithm, Box<[u8]>)>,
    /// Signatures that may still be checked, nested ones included.
    left: usize,
}

impl Digests<'_> {
    fn of<R: Read + Seek>(
        &mut self,
        algorithm: Algorithm,
        source: &mut Source<R>,
    ) -> Result<Box<[u8]>, ImageError> {
        if let Some((_, digest)) = self.known.iter().find(|(known, _)| *known == algorithm) {
            return Ok(digest.clone());
        }
        let mut hasher = algorithm.hasher();
        // Everything but the checksum, the directory entry that leads to the signature, and the
        // signature itself, which all come about after signing.
        let checksum = self.headers.checksum_at;
        let entry = self.headers.security_entry_at;
        let ranges = [
            (0, checksum),
            (checksum + 4, entry),
            (entry + 8, self.table.start),
            (self.table.start + self.table.len, source.len()),
        ];
        for (start, end) in ranges {
            source.each_chunk(start, end, |chunk| hasher.update(chunk))?;
        }

        let digest = hasher.finalize();
        self.known.push((algorithm, digest.clone()));
        Ok(digest)
    }
}
