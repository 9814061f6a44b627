//! Public keys of certificates, and whether they made a signature.

use der::asn1::ObjectIdentifier;
use rsa::pkcs1::DecodeRsaPublicKey;
use rsa::{Pkcs1v15Sign, RsaPublicKey};
use sha1::Sha1;
use sha2::{Sha256, Sha384, Sha512};
use x509_cert::spki::SubjectPublicKeyInfoOwned;

use super::algorithm::Algorithm;

/// The curves that keys of certificates are on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Curve {
    P256,
    P384,
}

/// Whether `signature` is the key's over a digest; an error if the kind of key is not known.
pub(super) fn verify_digest(
    key: &SubjectPublicKeyInfoOwned,
    algorithm: Algorithm,
    digest: &[u8],
    signature: &[u8],
) -> Result<bool, String> {
    const RSA: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.1.1");
    const ELLIPTIC: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.10045.2.1");
    const P256: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.10045.3.1.7");
    const P384: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.3.132.0.34");
    let public = key.subject_public_key.as_bytes().ok_or("the signer's key is damaged")?;
    let curve = || key.algorithm.parameters.as_ref()?.decode_as::<ObjectIdentifier>().ok();
    let curve = match key.algorithm.oid {
        RSA => None,
        ELLIPTIC if curve() == Some(P256) => Some(Curve::P256),
        ELLIPTIC if curve() == Some(P384) => Some(Curve::P384),
        other => {
            return Err(format!("the signer's key is of a kind that is not supported ({other})"));
        }
    };
    verify_public(public, curve, algorithm, digest, signature)
}

/// The same of the key itself: on a curve, or of RSA.
pub(super) fn verify_public(
    public: &[u8],
    curve: Option<Curve>,
    algorithm: Algorithm,
    digest: &[u8],
    signature: &[u8],
) -> Result<bool, String> {
    let unusable =
        |error: &dyn std::fmt::Display| format!("the signer's key cannot be used ({error})");
    match curve {
        None => {
            let key = RsaPublicKey::from_pkcs1_der(public).map_err(|error| unusable(&error))?;
            let scheme = match algorithm {
                Algorithm::Sha1 => Pkcs1v15Sign::new::<Sha1>(),
                Algorithm::Sha256 => Pkcs1v15Sign::new::<Sha256>(),
                Algorithm::Sha384 => Pkcs1v15Sign::new::<Sha384>(),
                Algorithm::Sha512 => Pkcs1v15Sign::new::<Sha512>(),
            };
            Ok(key.verify(scheme, digest, signature).is_ok())
        }
        Some(Curve::P256) => {
            use p256::ecdsa::signature::hazmat::PrehashVerifier;
            let key = p256::ecdsa::VerifyingKey::from_sec1_bytes(public);
            let key = key.map_err(|error| unusable(&error))?;
            let signature = p256::ecdsa::DerSignature::from_bytes(signature);
            Ok(signature.is_ok_and(|signature| key.verify_prehash(digest, &signature).is_ok()))
        }
        Some(Curve::P384) => {
            use p384::ecdsa::signature::hazmat::PrehashVerifier;
            let key = p384::ecdsa::VerifyingKey::from_sec1_bytes(public);
            let key = key.map_err(|error| unusable(&error))?;
            let signature = p384::ecdsa::DerSignature::from_bytes(signature);
            Ok(signature.is_ok_and(|signature| key.verify_prehash(digest, &signature).is_ok()))
        }
    }
}

/// How many bits the modulus of an RSA key has, if it is one.
pub(super) fn rsa_bits(public: &[u8]) -> Option<usize> {
    let key = rsa::pkcs1::RsaPublicKey::try_from(public).ok()?;
    let modulus = key.modulus.as_bytes();
    let leading = modulus.first()?.leading_zeros() as usize;
    Some(modulus.len() * 8 - leading)
}
