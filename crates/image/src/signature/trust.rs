//! Whether the certificates of a signature lead to a trusted root. A library finds and checks the paths; this file
//! has the key types that it lacks, the required purposes, and the reasons in words.

use std::collections::{HashMap, HashSet};

use der::asn1::{Any, ObjectIdentifier};
use der::{Decode, Encode};
use jiff::Timestamp;
use rustls_pki_types::pem::PemObject;
use rustls_pki_types::{
    AlgorithmIdentifier, CertificateDer, InvalidSignature, SignatureVerificationAlgorithm,
    TrustAnchor, UnixTime, alg_id,
};
use schemars::JsonSchema;
use serde::Serialize;
use webpki::{
    EndEntityCert, Error, ExtendedKeyUsageValidator, KeyPurposeId, KeyPurposeIdIter,
    RequiredEkuNotFoundContext, VerifiedPath,
};
use x509_cert::Certificate;
use x509_cert::ext::pkix::{ExtendedKeyUsage, KeyUsage};
use x509_cert::name::Name;
use x509_cert::spki::SubjectPublicKeyInfoRef;

use super::algorithm::Algorithm;
use super::key::{Curve, rsa_bits, verify_public};

/// Whether a signature can be trusted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(tag = "verdict", content = "reason", rename_all = "kebab-case")]
pub enum Trust {
    /// Its certificate leads to a root that is trusted.
    Trusted,
    /// That is proven wrong: why.
    NotTrusted(String),
    /// It could not be found out: why.
    NotChecked(String),
}

/// Root certificates that are trusted.
#[derive(Debug)]
pub struct TrustStore {
    roots: Vec<CertificateDer<'static>>,
}

impl TrustStore {
    /// Parses the certificates of a PEM file.
    ///
    /// # Errors
    /// The reason why there are none.
    pub fn from_pem(bytes: &[u8]) -> Result<Self, String> {
        let roots = CertificateDer::pem_slice_iter(bytes).collect::<Result<Vec<_>, _>>();
        let roots = roots.map_err(|error| error.to_string())?;
        if roots.is_empty() {
            return Err("no certificate in it".to_owned());
        }
        for (number, root) in (1..).zip(&roots) {
            webpki::anchor_from_trusted_cert(root)
                .map_err(|error| format!("certificate {number} cannot be used ({error:?})"))?;
        }
        Ok(Self { roots })
    }

    /// The certificates that the system trusts, if it can be asked.
    #[cfg(windows)]
    pub fn of_system() -> Option<Self> {
        let store = schannel::cert_store::CertStore::open_current_user("ROOT").ok()?;
        let roots: Vec<_> =
            store.certs().map(|root| CertificateDer::from(root.to_der().to_vec())).collect();
        (!roots.is_empty()).then_some(Self { roots })
    }

    /// The certificates that the system trusts, if it can be asked.
    #[cfg(not(windows))]
    pub fn of_system() -> Option<Self> {
        None
    }

    fn anchors(&self) -> Vec<TrustAnchor<'_>> {
        self.roots.iter().filter_map(|root| webpki::anchor_from_trusted_cert(root).ok()).collect()
    }
}

/// The purpose of a signing certificate.
#[derive(Debug, Clone, Copy)]
pub(super) enum Purpose {
    Programs,
    Times,
}

impl Purpose {
    fn oid(self) -> &'static [u8] {
        match self {
            Self::Programs => &[0x2B, 6, 1, 5, 5, 7, 3, 3],
            Self::Times => &[0x2B, 6, 1, 5, 5, 7, 3, 8],
        }
    }

    fn id(self) -> ObjectIdentifier {
        match self {
            Self::Programs => ObjectIdentifier::new_unwrap("1.3.6.1.5.5.7.3.3"),
            Self::Times => ObjectIdentifier::new_unwrap("1.3.6.1.5.5.7.3.8"),
        }
    }

    fn what(self) -> &'static str {
        match self {
            Self::Programs => "programs",
            Self::Times => "times",
        }
    }
}

/// Any use at all.
const ANY_USE: &[u8] = &[0x55, 0x1D, 0x25, 0];

/// Of issuers: they may leave open what their certificates are for.
impl ExtendedKeyUsageValidator for Purpose {
    fn validate(&self, uses: KeyPurposeIdIter<'_, '_>) -> Result<(), Error> {
        let mut is_open = true;
        for known in uses {
            let known = known?;
            if known == KeyPurposeId::new(self.oid()) || known == KeyPurposeId::new(ANY_USE) {
                return Ok(());
            }
            is_open = false;
        }

        if is_open {
            return Ok(());
        }
        let required = webpki::KeyUsage::required(self.oid());
        Err(Error::RequiredEkuNotFoundContext(RequiredEkuNotFoundContext {
            required,
            present: Vec::new(),
        }))
    }
}

/// Why a certificate is not trusted.
pub(super) enum Doubt {
    /// Something else is proven.
    Wrong(String),
    /// It is too old: at an earlier moment it would be trusted.
    Expired(String),
    /// It could not be found out.
    Unknown(String),
}

impl From<Doubt> for Trust {
    fn from(doubt: Doubt) -> Self {
        match doubt {
            Doubt::Wrong(why) | Doubt::Expired(why) => Self::NotTrusted(why),
            Doubt::Unknown(why) => Self::NotChecked(why),
        }
    }
}

/// A certificate as it was read, and its bytes.
pub(super) type Read = (Certificate, Vec<u8>);

/// Checks the certificate that made a signature at a moment, with others that may be among its issuers.
pub(super) fn check(
    signer: &Read,
    others: &[Read],
    purpose: Purpose,
    at: Timestamp,
    store: &TrustStore,
) -> Result<(), Doubt> {
    expect_purpose(&signer.0, purpose)?;
    let seconds = u64::try_from(at.as_second()).unwrap_or_default();
    let time = UnixTime::since_unix_epoch(std::time::Duration::from_secs(seconds));
    let der = CertificateDer::from(&*signer.1);
    let others_der: Vec<_> =
        few_of_a_name(others).map(|(_, der)| CertificateDer::from(&**der)).collect();
    let anchors = store.anchors();
    let issuers_may_issue = |path: &VerifiedPath<'_>| {
        let issuers = path.intermediate_certificates();
        let may = issuers.map(|issuer| Certificate::from_der(&issuer.der()).map(|c| may_issue(&c)));
        let all = may.collect::<Result<Vec<_>, _>>().map_err(|_| Error::BadDer)?;
        if all.contains(&false) { Err(Error::EndEntityUsedAsCa) } else { Ok(()) }
    };

    let checked = EndEntityCert::try_from(&der).and_then(|certificate| {
        let path = Some(&issuers_may_issue as &dyn Fn(&VerifiedPath<'_>) -> Result<(), Error>);
        certificate
            .verify_for_usage(&ALGORITHMS, &anchors, &others_der, time, purpose, None, path)
            .map(drop)
    });
    checked.map_err(|error| match error {
        // A key that is too short proves nothing, and that nothing was proven is not proven either.
        Error::InvalidSignatureForPublicKey if has_short_key(signer, others, &anchors) => {
            Doubt::Unknown(format!("a key among its issuers' is shorter than {SHORTEST} bits"))
        }
        error => in_words(&error, purpose),
    })
}

/// So many certificates of one name are tried, and so many in all: each more doubles the paths.
const MOST_OF_A_NAME: usize = 3;
const MOST_CERTIFICATES: usize = 64;

/// The first few certificates of each name: real ones were issued again once or twice.
fn few_of_a_name(all: &[Read]) -> impl Iterator<Item = &Read> {
    let mut seen = HashMap::new();
    let few = all.iter().filter(move |(certificate, _)| {
        let name = certificate.tbs_certificate.subject.to_der().unwrap_or_default();
        let count = seen.entry(name).or_insert(0);
        *count += 1;
        *count <= MOST_OF_A_NAME
    });
    few.take(MOST_CERTIFICATES)
}

/// Fails if a certificate is not for this purpose, whoever issued it.
fn expect_purpose(certificate: &Certificate, purpose: Purpose) -> Result<(), Doubt> {
    let certificate = &certificate.tbs_certificate;
    let unclear = |_| Doubt::Unknown("its certificate does not state its purpose clearly".into());
    let uses = certificate.get::<ExtendedKeyUsage>().map_err(unclear)?;
    let key = certificate.get::<KeyUsage>().map_err(unclear)?;
    let is_for = |(_, uses): (bool, ExtendedKeyUsage)| uses.0.contains(&purpose.id());
    let may_sign = key.is_none_or(|(_, key)| key.digital_signature() || key.non_repudiation());
    if uses.is_some_and(is_for) && may_sign {
        return Ok(());
    }
    Err(Doubt::Wrong(format!("its certificate is not one for signing {}", purpose.what())))
}

/// Whether a certificate may issue others, as far as it says what its key is for.
fn may_issue(certificate: &Certificate) -> bool {
    let key = certificate.tbs_certificate.get::<KeyUsage>();
    key.is_ok_and(|key| key.is_none_or(|(_, key)| key.key_cert_sign()))
}

/// The shortest RSA key that counts, in bits: shorter ones are no longer issued for programs.
const SHORTEST: usize = 2048;

/// Whether a certificate that another names as its issuer has such a key; other roots have nothing to do
/// with it.
fn has_short_key(signer: &Read, others: &[Read], anchors: &[TrustAnchor<'_>]) -> bool {
    let all = others.iter().chain([signer]);
    let named: HashSet<Vec<u8>> =
        all.filter_map(|(certificate, _)| name_of(&certificate.tbs_certificate.issuer)).collect();
    let is_short = |key: &[u8]| rsa_bits(key).is_some_and(|bits| bits < SHORTEST);
    let of_issuer = |(issuer, _): &Read| {
        let key = issuer.tbs_certificate.subject_public_key_info.subject_public_key.as_bytes();
        key.is_some_and(is_short)
    };
    // An anchor's has the parts of the key without what holds them together.
    let of_anchor = |anchor: &TrustAnchor<'_>| {
        let spki = webpki::spki_for_anchor(anchor);
        let key = SubjectPublicKeyInfoRef::from_der(&spki).ok();
        key.and_then(|key| key.subject_public_key.as_bytes().map(is_short)).unwrap_or_default()
    };
    let is_named = |name: Option<Vec<u8>>| name.is_some_and(|name| named.contains(&name));

    others
        .iter()
        .any(|other| is_named(name_of(&other.0.tbs_certificate.subject)) && of_issuer(other))
        || anchors.iter().any(|anchor| named.contains(anchor.subject.as_ref()) && of_anchor(anchor))
}

/// A name as anchors have it: without what holds its parts together.
fn name_of(name: &Name) -> Option<Vec<u8>> {
    let whole = Any::encode_from(name).ok()?;
    Some(whole.value().to_vec())
}

/// The trust that follows from an error of the library: proven, disproven or unknown.
fn in_words(error: &Error, purpose: Purpose) -> Doubt {
    let date = |time: &UnixTime| {
        let seconds = i64::try_from(time.as_secs()).unwrap_or(i64::MAX);
        let date = Timestamp::from_second(seconds).map(|at| at.strftime("%Y-%m-%d").to_string());
        date.unwrap_or_else(|_| "no date".to_owned())
    };
    let not_trusted = Doubt::Wrong;
    let not_checked = |why: &str| Doubt::Unknown(why.to_owned());

    match error {
        Error::CertExpired { not_after, .. } => {
            Doubt::Expired(format!("a certificate of it expired on {}", date(not_after)))
        }
        Error::CertNotValidYet { not_before, .. } => {
            not_trusted(format!("a certificate of it holds only from {} on", date(not_before)))
        }
        Error::InvalidSignatureForPublicKey | Error::SignatureAlgorithmMismatch => {
            not_trusted("a certificate of it was not made by the issuer it names".to_owned())
        }
        Error::RequiredEkuNotFoundContext(_) | Error::EmptyEkuExtension => {
            not_trusted(format!("an issuer of it may not issue for signing {}", purpose.what()))
        }
        Error::CaUsedAsEndEntity => not_trusted("its certificate is for issuing others".to_owned()),
        Error::EndEntityUsedAsCa | Error::PathLenConstraintViolated => {
            not_trusted("a certificate of it was issued by one that may not issue any".to_owned())
        }
        Error::NameConstraintViolation => {
            not_trusted("an issuer of it may not issue for that name".to_owned())
        }
        Error::InvalidCertValidity => {
            not_trusted("a certificate of it expires before it begins".to_owned())
        }
        Error::CertRevoked | Error::CertDistrusted => {
            not_trusted("a certificate of it was revoked".to_owned())
        }
        Error::UnknownIssuer => not_checked("its root is not trusted here"),
        Error::UnsupportedSignatureAlgorithmContext(_)
        | Error::UnsupportedSignatureAlgorithmForPublicKeyContext(_) => {
            not_checked("a certificate of it is signed in a weak or unknown way")
        }
        Error::UnsupportedCriticalExtension => {
            not_checked("a certificate of it has an unknown condition")
        }
        Error::MaximumPathBuildCallsExceeded
        | Error::MaximumPathDepthExceeded
        | Error::MaximumSignatureChecksExceeded
        | Error::MaximumNameConstraintComparisonsExceeded => {
            not_checked("it has too many certificates")
        }
        _ => not_checked("a certificate of it cannot be read"),
    }
}

/// A kind of key with a kind of signature that it makes.
#[derive(Debug)]
struct Kind {
    key: AlgorithmIdentifier,
    signature: AlgorithmIdentifier,
    digest: Algorithm,
    curve: Option<Curve>,
}

impl SignatureVerificationAlgorithm for Kind {
    fn verify_signature(
        &self,
        public_key: &[u8],
        message: &[u8],
        signature: &[u8],
    ) -> Result<(), InvalidSignature> {
        let digest = self.digest.digest(message);
        let is_short =
            self.curve.is_none() && rsa_bits(public_key).is_none_or(|bits| bits < SHORTEST);
        let verified = verify_public(public_key, self.curve, self.digest, &digest, signature);
        if !is_short && verified == Ok(true) { Ok(()) } else { Err(InvalidSignature) }
    }

    fn public_key_alg_id(&self) -> AlgorithmIdentifier {
        self.key
    }

    fn signature_alg_id(&self) -> AlgorithmIdentifier {
        self.signature
    }
}

const fn rsa(signature: AlgorithmIdentifier, digest: Algorithm) -> Kind {
    Kind { key: alg_id::RSA_ENCRYPTION, signature, digest, curve: None }
}

const fn on_curve(curve: Curve, signature: AlgorithmIdentifier, digest: Algorithm) -> Kind {
    let key = match curve {
        Curve::P256 => alg_id::ECDSA_P256,
        Curve::P384 => alg_id::ECDSA_P384,
    };
    Kind { key, signature, digest, curve: Some(curve) }
}

/// What certificates are signed by. SHA-1 is not among it: it proves nothing any more.
const ALGORITHMS: [&dyn SignatureVerificationAlgorithm; 7] = [
    &rsa(alg_id::RSA_PKCS1_SHA256, Algorithm::Sha256),
    &rsa(alg_id::RSA_PKCS1_SHA384, Algorithm::Sha384),
    &rsa(alg_id::RSA_PKCS1_SHA512, Algorithm::Sha512),
    &on_curve(Curve::P256, alg_id::ECDSA_SHA256, Algorithm::Sha256),
    &on_curve(Curve::P256, alg_id::ECDSA_SHA384, Algorithm::Sha384),
    &on_curve(Curve::P384, alg_id::ECDSA_SHA256, Algorithm::Sha256),
    &on_curve(Curve::P384, alg_id::ECDSA_SHA384, Algorithm::Sha384),
];
