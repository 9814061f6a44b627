//! The certificates that a signature brings along, and how far they reach.

use der::asn1::{Any, ObjectIdentifier, PrintableStringRef, TeletexStringRef, Utf8StringRef};
use der::{Tag, Tagged};
use schemars::JsonSchema;
use serde::Serialize;
use x509_cert::Certificate;
use x509_cert::name::Name;

use super::trust::{Read, Trust};

/// No real chain is longer; a longer one goes in circles.
const LONGEST: usize = 16;

/// The certificates of a signature in the file, from the signer's up.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Chain {
    /// Common names, from the signer's certificate up.
    pub names: Vec<String>,
    /// Whether it reaches a certificate that signed itself.
    pub complete: bool,
    /// Whether it is trusted; `None` if that was not found out, or no one said whom to trust.
    pub trusted: Option<bool>,
    /// The same with the reason; `None` if no one said whom to trust.
    pub trust: Option<Trust>,
}

impl Chain {
    /// Follows the issuers from the signer's certificate up.
    pub(super) fn from(signer: &Certificate, among: &[Read], trust: Option<Trust>) -> Self {
        let mut path = vec![signer];
        while let Some(last) = path.last().filter(|last| !self_signed(last)) {
            let issuer =
                among.iter().map(|(other, _)| other).find(|other| named_issuer(other, last));
            match issuer {
                Some(issuer) if path.len() < LONGEST => path.push(issuer),
                _ => break,
            }
        }

        Self {
            names: path.iter().map(|certificate| subject(certificate)).collect(),
            complete: path.last().is_some_and(|last| self_signed(last)),
            trusted: trust.as_ref().and_then(|trust| match trust {
                Trust::Trusted => Some(true),
                Trust::NotTrusted(_) => Some(false),
                Trust::NotChecked(_) => None,
            }),
            trust,
        }
    }
}

fn named_issuer(issuer: &Certificate, certificate: &Certificate) -> bool {
    issuer.tbs_certificate.subject == certificate.tbs_certificate.issuer
}

fn self_signed(certificate: &Certificate) -> bool {
    named_issuer(certificate, certificate)
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
