//! The certificates that a signature brings along: how far they reach, and whether they end at a
//! root that the user trusts.

use der::asn1::{Any, ObjectIdentifier, PrintableStringRef, TeletexStringRef, Utf8StringRef};
use der::{Encode, Tag, Tagged};
use serde::Serialize;
use x509_cert::Certificate;
use x509_cert::name::Name;
use x509_cert::spki::AlgorithmIdentifierOwned;

use super::Algorithm;
use super::key::verify_digest;

/// No real chain is longer; a longer one goes in circles.
const LONGEST: usize = 16;

/// The certificates of a signature in the file, from the signer's up.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Chain {
    /// Common names, from the signer's certificate up.
    pub names: Vec<String>,
    /// Whether it reaches a certificate that signed itself.
    pub complete: bool,
    /// Whether it ends at one of the roots that the user gave and every step up to there holds;
    /// `None` where the user gave none.
    pub trusted: Option<bool>,
}

/// Root certificates that the user trusts.
#[derive(Debug)]
pub struct TrustStore {
    roots: Vec<Certificate>,
}

impl TrustStore {
    /// Reads certificates from what is in a PEM file.
    ///
    /// # Errors
    /// Says why there are none.
    pub fn from_pem(bytes: &[u8]) -> Result<Self, String> {
        match Certificate::load_pem_chain(bytes) {
            Ok(roots) if !roots.is_empty() => Ok(Self { roots }),
            Ok(_) => Err("no certificate in it".to_owned()),
            Err(error) => Err(error.to_string()),
        }
    }

    fn issuer_of(&self, certificate: &Certificate) -> Option<&Certificate> {
        self.roots.iter().find(|root| issued(root, certificate))
    }
}

impl Chain {
    /// Follows the issuers from the signer's certificate up.
    pub(super) fn from(
        signer: &Certificate,
        among: &[Certificate],
        trust: Option<&TrustStore>,
    ) -> Self {
        let mut path = vec![signer];
        while let Some(last) = path.last().filter(|last| !self_signed(last)) {
            let issuer = among.iter().find(|other| named_issuer(other, last));
            match issuer {
                Some(issuer) if path.len() < LONGEST => path.push(issuer),
                _ => break,
            }
        }
        let trusted = trust.map(|trust| {
            let holds = |n: usize| n == 0 || issued(path[n], path[n - 1]);
            let ends =
                |n: &usize| trust.roots.contains(path[*n]) || trust.issuer_of(path[*n]).is_some();
            (0..path.len()).take_while(|&n| holds(n)).any(|n| ends(&n))
        });
        Self {
            names: path.iter().map(|certificate| subject(certificate)).collect(),
            complete: path.last().is_some_and(|last| self_signed(last)),
            trusted,
        }
    }
}

fn named_issuer(issuer: &Certificate, certificate: &Certificate) -> bool {
    issuer.tbs_certificate.subject == certificate.tbs_certificate.issuer
}

fn self_signed(certificate: &Certificate) -> bool {
    named_issuer(certificate, certificate)
}

/// Whether one certificate bears another's name as issuer and its signature.
fn issued(issuer: &Certificate, certificate: &Certificate) -> bool {
    let signature = certificate.signature.as_bytes();
    let content = certificate.tbs_certificate.to_der();
    let (Some(signature), Ok(content)) = (signature, content) else {
        return false;
    };
    let Some(algorithm) = signature_digest(&certificate.signature_algorithm) else {
        return false;
    };
    let key = &issuer.tbs_certificate.subject_public_key_info;
    named_issuer(issuer, certificate)
        && verify_digest(key, algorithm, &algorithm.digest(&content), signature) == Ok(true)
}

/// The digest inside a signature algorithm.
fn signature_digest(algorithm: &AlgorithmIdentifierOwned) -> Option<Algorithm> {
    match algorithm.oid.to_string().as_str() {
        "1.2.840.113549.1.1.5" | "1.2.840.10045.4.1" => Some(Algorithm::Sha1),
        "1.2.840.113549.1.1.11" | "1.2.840.10045.4.3.2" => Some(Algorithm::Sha256),
        "1.2.840.113549.1.1.12" | "1.2.840.10045.4.3.3" => Some(Algorithm::Sha384),
        "1.2.840.113549.1.1.13" | "1.2.840.10045.4.3.4" => Some(Algorithm::Sha512),
        _ => None,
    }
}

/// The common name of a certificate's subject.
pub(super) fn subject(certificate: &Certificate) -> String {
    name(&certificate.tbs_certificate.subject)
}

/// The common name in a distinguished name, else its organisation, else all of it.
pub(super) fn name(name: &Name) -> String {
    const COMMON_NAME: ObjectIdentifier = ObjectIdentifier::new_unwrap("2.5.4.3");
    const ORGANISATION: ObjectIdentifier = ObjectIdentifier::new_unwrap("2.5.4.10");
    let find = |wanted: ObjectIdentifier| {
        let parts = name.0.iter().flat_map(|part| part.0.iter());
        parts.filter(|part| part.oid == wanted).find_map(|part| text(&part.value))
    };
    find(COMMON_NAME).or_else(|| find(ORGANISATION)).unwrap_or_else(|| name.to_string())
}

fn text(value: &Any) -> Option<String> {
    match value.tag() {
        Tag::Utf8String => value.decode_as::<Utf8StringRef<'_>>().ok().map(|t| t.to_string()),
        Tag::PrintableString => {
            value.decode_as::<PrintableStringRef<'_>>().ok().map(|t| t.to_string())
        }
        Tag::TeletexString => value.decode_as::<TeletexStringRef<'_>>().ok().map(|t| t.to_string()),
        Tag::BmpString => {
            let units =
                value.value().chunks_exact(2).map(|pair| u16::from_be_bytes([pair[0], pair[1]]));
            Some(String::from_utf16_lossy(&units.collect::<Vec<_>>()))
        }
        _ => None,
    }
}
