//! One PKCS #7 message of a signature: its content, its signer, and whether it is valid (RFC 2315 and RFC 5652;
//! attributes by Authenticode and RFC 3161).

use cms::content_info::ContentInfo;
use cms::signed_data::{EncapsulatedContentInfo, SignerIdentifier, SignerInfo};
use der::asn1::{Any, GeneralizedTime, ObjectIdentifier, OctetString, UtcTime};
use der::{Decode, Encode, Reader, SliceReader, Tag, Tagged};
use jiff::Timestamp;
use x509_cert::Certificate;
use x509_cert::attr::Attributes;
use x509_cert::spki::AlgorithmIdentifierOwned;

use super::algorithm::Algorithm;
use super::chain::{self, Chain};
use super::key::verify_digest;
use super::status::SignatureStatus;
use super::trust::{self, Doubt, Purpose, Read, Trust, TrustStore};

const SIGNED_DATA: ObjectIdentifier = oid("1.2.840.113549.1.7.2");
const INDIRECT_DATA: ObjectIdentifier = oid("1.3.6.1.4.1.311.2.1.4");
const MESSAGE_DIGEST: ObjectIdentifier = oid("1.2.840.113549.1.9.4");
const SIGNING_TIME: ObjectIdentifier = oid("1.2.840.113549.1.9.5");
const COUNTER_SIGNATURE: ObjectIdentifier = oid("1.2.840.113549.1.9.6");
const TIMESTAMP_TOKEN: ObjectIdentifier = oid("1.3.6.1.4.1.311.3.3.1");
const NESTED_SIGNATURE: ObjectIdentifier = oid("1.3.6.1.4.1.311.2.4.1");

const fn oid(text: &str) -> ObjectIdentifier {
    ObjectIdentifier::new_unwrap(text)
}

/// A parsed message.
pub(super) struct Message {
    content: EncapsulatedContentInfo,
    /// Each as it was read, and its bytes.
    certificates: Vec<Read>,
    signer: SignerInfo,
    /// The signed attributes as they are in the file. The set should be ordered, and some signers' is not: these
    /// signed it as they wrote it.
    signed_attributes: Option<Vec<u8>>,
}

/// When a signature was made, by the word of someone else.
pub(super) struct Stamp {
    pub at: Timestamp,
    signer: Read,
    others: Vec<Read>,
}

type Verdict = Result<(), (SignatureStatus, String)>;

impl Message {
    /// Parses a message; bytes behind it are padding. Certificates of an unknown kind are skipped, unless the
    /// signer's is among them.
    pub fn parse(bytes: &[u8]) -> Result<Self, String> {
        let unreadable = |error: der::Error| format!("the signature cannot be parsed ({error})");
        let mut reader = SliceReader::new(bytes).map_err(unreadable)?;
        let info: ContentInfo = reader.decode().map_err(unreadable)?;
        if info.content_type != SIGNED_DATA {
            return Err("the signature is not signed data".to_owned());
        }

        // SignedData: version, digest algorithms, content, certificates [0], lists [1], signers.
        let fields = parts(info.content.value()).map_err(unreadable)?;
        let [_, _, content, optional @ .., signers] = &fields[..] else {
            return Err("the signature lacks parts".to_owned());
        };
        let content = content.decode_as().map_err(unreadable)?;
        let certificates = match tagged(optional, 0) {
            Some(set) => parts(set.value()).map_err(unreadable)?,
            None => Vec::new(),
        };
        let read = |one: &Any| Some((one.decode_as().ok()?, one.to_der().ok()?));
        let certificates = certificates.iter().filter_map(read).collect();
        let signers = parts(signers.value()).map_err(unreadable)?;
        let [signer] = &signers[..] else {
            return Err("the signature does not have exactly one signer".to_owned());
        };
        let attributes = parts(signer.value()).map_err(unreadable)?;
        let signed_attributes = tagged(&attributes, 0)
            .map(|attributes| Any::new(Tag::Set, attributes.value())?.to_der())
            .transpose()
            .map_err(unreadable)?;
        let signer = signer.decode_as().map_err(unreadable)?;
        Ok(Self { content, certificates, signer, signed_attributes })
    }

    /// The digest of the image that the message states (`SpcIndirectDataContent`).
    pub fn image_digest(&self) -> Result<(Algorithm, Box<[u8]>), String> {
        let unreadable =
            |error: der::Error| format!("the signed content cannot be parsed ({error})");
        if self.content.econtent_type != INDIRECT_DATA {
            return Err("the signed content is not the digest of an image".to_owned());
        }
        let content = self.content()?;
        let mut reader = SliceReader::new(content).map_err(unreadable)?;
        let _what: Any = reader.decode().map_err(unreadable)?;
        let digest_info: Any = reader.decode().map_err(unreadable)?;
        let mut reader = SliceReader::new(digest_info.value()).map_err(unreadable)?;
        let algorithm: AlgorithmIdentifierOwned = reader.decode().map_err(unreadable)?;
        let digest: OctetString = reader.decode().map_err(unreadable)?;
        Ok((digest_algorithm(&algorithm)?, digest.as_bytes().into()))
    }

    /// Whether the signer's certificate signed the content.
    pub fn verify(&self) -> Verdict {
        let unreadable = |reason| (SignatureStatus::Unreadable, reason);
        let (certificate, _) = self
            .signer_certificate()
            .ok_or_else(|| unreadable("the signer's certificate is not in the file".to_owned()))?;
        let content = self.content().map_err(unreadable)?;
        verify_signer(&self.signer, self.signed_attributes.as_deref(), content, certificate)
    }

    pub fn signer_name(&self) -> Option<String> {
        self.signer_certificate().map(|(certificate, _)| chain::subject(certificate))
    }

    pub fn issuer_name(&self) -> Option<String> {
        let (certificate, _) = self.signer_certificate()?;
        Some(chain::name(&certificate.tbs_certificate.issuer))
    }

    /// The certificates; `status` is what became of the signature, and `stamp` what says when it was made.
    pub fn chain(
        &self,
        status: SignatureStatus,
        stamp: Option<&Stamp>,
        store: Option<&TrustStore>,
    ) -> Option<Chain> {
        let signer = self.signer_certificate()?;
        let trust = store.map(|store| match status {
            SignatureStatus::Intact => self.trust(signer, stamp, store),
            SignatureStatus::Broken => Trust::NotTrusted("the signature is broken".to_owned()),
            _ => Trust::NotChecked("the signature cannot be read".to_owned()),
        });
        Some(Chain::from(&signer.0, &self.certificates, trust))
    }

    /// A time counts only where who states it is trusted too; else the signer's certificate has to hold now.
    fn trust(&self, signer: &Read, stamp: Option<&Stamp>, store: &TrustStore) -> Trust {
        let of_stamp = stamp.map(|stamp| {
            trust::check(&stamp.signer, &stamp.others, Purpose::Times, stamp.at, store)
        });
        let at = match (stamp, &of_stamp) {
            (Some(stamp), Some(Ok(()))) => stamp.at,
            _ => Timestamp::now(),
        };
        let checked = trust::check(signer, &self.certificates, Purpose::Programs, at, store);
        match (checked, of_stamp) {
            (Ok(()), _) => Trust::Trusted,
            // It may have been signed in time.
            (Err(Doubt::Expired(why)), Some(Err(Doubt::Unknown(stamp)))) => {
                Trust::NotChecked(format!("{why}; the certificate of the timestamp: {stamp}"))
            }
            (Err(Doubt::Expired(why)), Some(Err(Doubt::Wrong(stamp) | Doubt::Expired(stamp)))) => {
                Trust::NotTrusted(format!("{why}, and the time of signing does not count: {stamp}"))
            }
            (Err(doubt), _) => doubt.into(),
        }
    }

    /// The signatures inside this one.
    pub fn nested(&self) -> Vec<Vec<u8>> {
        self.unsigned(NESTED_SIGNATURE).iter().filter_map(|value| value.to_der().ok()).collect()
    }

    /// The time that a valid counter-signature states for this signature.
    pub fn stamp(&self) -> Option<Stamp> {
        let token =
            self.unsigned(TIMESTAMP_TOKEN).into_iter().find_map(|value| self.token_stamp(&value));
        token.or_else(|| {
            let counters = self.unsigned(COUNTER_SIGNATURE);
            counters.into_iter().find_map(|value| self.counter_stamp(&value))
        })
    }

    /// RFC 3161: its own message over the digest of our signature.
    fn token_stamp(&self, value: &Any) -> Option<Stamp> {
        let message = Self::parse(&value.to_der().ok()?).ok()?;
        message.verify().ok()?;
        let content = message.content.econtent.as_ref()?;
        let info = content.decode_as::<OctetString>().ok()?;
        let outer = Any::from_der(info.as_bytes()).ok()?;
        let mut reader = SliceReader::new(outer.value()).ok()?;
        let _version: Any = reader.decode().ok()?;
        let _policy: ObjectIdentifier = reader.decode().ok()?;
        let imprint: Any = reader.decode().ok()?;
        let _serial: Any = reader.decode().ok()?;
        let time: Any = reader.decode().ok()?;
        let mut reader = SliceReader::new(imprint.value()).ok()?;
        let algorithm: AlgorithmIdentifierOwned = reader.decode().ok()?;
        let stated: OctetString = reader.decode().ok()?;
        let digest = digest_algorithm(&algorithm).ok()?.digest(self.signer.signature.as_bytes());
        if *digest != *stated.as_bytes() {
            return None;
        }
        let (at, signer) = (moment(&time)?, message.signer_certificate()?.clone());
        Some(Stamp { at, signer, others: message.certificates })
    }

    /// PKCS #9: another signer's signature over our signature.
    fn counter_stamp(&self, value: &Any) -> Option<Stamp> {
        let counter: SignerInfo = value.decode_as().ok()?;
        let signer = find_certificate(&counter, &self.certificates)?;
        let signature = self.signer.signature.as_bytes();
        verify_signer(&counter, None, signature, &signer.0).ok()?;
        let attributes = counter.signed_attrs.as_ref()?;
        let time = attributes.iter().find(|attribute| attribute.oid == SIGNING_TIME)?;
        let at = moment(time.values.get(0)?)?;
        Some(Stamp { at, signer: signer.clone(), others: self.certificates.clone() })
    }

    fn signer_certificate(&self) -> Option<&Read> {
        find_certificate(&self.signer, &self.certificates)
    }

    /// The bytes that were signed: in an image's signature the content without its tag and length,
    /// in a token the octets.
    fn content(&self) -> Result<&[u8], String> {
        let content = self.content.econtent.as_ref();
        content.map(Any::value).ok_or_else(|| "the signature does not state its content".to_owned())
    }

    fn unsigned(&self, wanted: ObjectIdentifier) -> Vec<Any> {
        let attributes = self.signer.unsigned_attrs.iter().flat_map(Attributes::iter);
        let wanted = attributes.filter(|attribute| attribute.oid == wanted);
        wanted.flat_map(|attribute| attribute.values.iter().cloned()).collect()
    }
}

fn find_certificate<'a>(signer: &SignerInfo, among: &'a [Read]) -> Option<&'a Read> {
    match &signer.sid {
        SignerIdentifier::IssuerAndSerialNumber(wanted) => among.iter().find(|(certificate, _)| {
            let certificate = &certificate.tbs_certificate;
            certificate.serial_number == wanted.serial_number && certificate.issuer == wanted.issuer
        }),
        SignerIdentifier::SubjectKeyIdentifier(wanted) => among.iter().find(|(certificate, _)| {
            let found =
                certificate.tbs_certificate.get::<x509_cert::ext::pkix::SubjectKeyIdentifier>();
            found.is_ok_and(|found| found.is_some_and(|(_, found)| found == *wanted))
        }),
    }
}

/// The consecutive values.
fn parts(bytes: &[u8]) -> der::Result<Vec<Any>> {
    let mut reader = SliceReader::new(bytes)?;
    let mut out = Vec::new();
    while !reader.is_finished() {
        out.push(reader.decode()?);
    }
    Ok(out)
}

/// The field with a context-specific tag, as optional fields have.
fn tagged(fields: &[Any], number: u8) -> Option<&Any> {
    const CONSTRUCTED: u8 = 0xA0;
    fields.iter().find(|field| field.tag().octet() == CONSTRUCTED | number)
}

/// Checks a signer's digest of the content and its signature over that; `raw` is the set of signed attributes as
/// written, if it may differ from how it should be.
fn verify_signer(
    signer: &SignerInfo,
    raw: Option<&[u8]>,
    content: &[u8],
    certificate: &Certificate,
) -> Verdict {
    let unreadable = |reason: String| (SignatureStatus::Unreadable, reason);
    let broken = |reason: &str| (SignatureStatus::Broken, reason.to_owned());
    let algorithm = digest_algorithm(&signer.digest_alg).map_err(unreadable)?;
    let signed = match &signer.signed_attrs {
        None => algorithm.digest(content),
        Some(attributes) => {
            let stated = attributes.iter().find(|attribute| attribute.oid == MESSAGE_DIGEST);
            let stated = stated.and_then(|attribute| attribute.values.get(0));
            let stated = stated.ok_or_else(|| broken("the signature states no digest"))?;
            if stated.value() != &*algorithm.digest(content) {
                return Err(broken("the signed statement was altered"));
            }
            // The signed bytes are those of the attributes as a set, not of the field that contains them.
            match raw {
                Some(raw) => algorithm.digest(raw),
                None => algorithm
                    .digest(&attributes.to_der().map_err(|error| unreadable(error.to_string()))?),
            }
        }
    };

    let key = &certificate.tbs_certificate.subject_public_key_info;
    match verify_digest(key, algorithm, &signed, signer.signature.as_bytes()) {
        Ok(true) => Ok(()),
        Ok(false) => Err(broken("the signer's certificate did not make this signature")),
        Err(reason) => Err(unreadable(reason)),
    }
}

fn digest_algorithm(algorithm: &AlgorithmIdentifierOwned) -> Result<Algorithm, String> {
    match algorithm.oid.to_string().as_str() {
        "1.3.14.3.2.26" => Ok(Algorithm::Sha1),
        "2.16.840.1.101.3.4.2.1" => Ok(Algorithm::Sha256),
        "2.16.840.1.101.3.4.2.2" => Ok(Algorithm::Sha384),
        "2.16.840.1.101.3.4.2.3" => Ok(Algorithm::Sha512),
        "1.2.840.113549.2.5" => Err("it is signed with MD5, which proves nothing".to_owned()),
        other => Err(format!("it is signed with a digest that is not supported ({other})")),
    }
}

fn moment(time: &Any) -> Option<Timestamp> {
    let since_1970 = match time.tag() {
        Tag::UtcTime => time.decode_as::<UtcTime>().ok()?.to_unix_duration(),
        // Tokens may state fractions of a second, which the strict decoder does not take.
        Tag::GeneralizedTime => whole_seconds(time)?.to_unix_duration(),
        _ => return None,
    };
    Timestamp::from_second(i64::try_from(since_1970.as_secs()).ok()?).ok()
}

fn whole_seconds(time: &Any) -> Option<GeneralizedTime> {
    let text = std::str::from_utf8(time.value()).ok()?;
    let whole = format!("{}Z", text.trim_end_matches('Z').split('.').next()?);
    let value = Any::new(Tag::GeneralizedTime, whole.into_bytes()).ok()?;
    value.decode_as().ok()
}
