//! Signatures hold where nothing was altered and break where anything was.

use std::fs;
use std::io::Cursor;
use std::path::{Path, PathBuf};

use upright_spanner_core::image::{Facts, Signature, SignatureStatus};
use upright_spanner_core::inspect::read_trust;
use upright_spanner_sample::{Bits, Pe};

fn data(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data").join(name)
}

fn check(bytes: &[u8]) -> Signature {
    Signature::check_reader(Cursor::new(bytes), None).unwrap()
}

#[test]
fn each_kind_of_key_and_digest_is_verified() {
    for (file, key, digest) in [
        ("rsa-sha1.dll", "rsa", "SHA-1"),
        ("rsa-sha256.dll", "rsa", "SHA-256"),
        ("p256-sha256.dll", "p256", "SHA-256"),
        ("p384-sha384.dll", "p384", "SHA-384"),
    ] {
        let signature = Signature::check(&data(file), None).unwrap();
        assert_eq!(
            (signature.status, &signature.reason),
            (SignatureStatus::Intact, &None),
            "{file}"
        );
        assert_eq!(signature.signer, Some(format!("Corvid Optics Signing {key}")));
        assert_eq!(signature.issuer, Some(format!("Corvid Optics Root {key}")));
        assert_eq!(signature.digest, Some(digest));
        let chain = signature.chain.unwrap();
        assert!(chain.complete, "{file}");
        assert_eq!(chain.trusted, None, "nobody said whom to trust");
        assert_eq!(Facts::read(&data(file)).unwrap().signer, signature.signer);
    }
}

#[test]
fn an_image_without_a_signature_has_none() {
    let signature = check(&Pe::dll(Bits::Bits64, "a.dll").to_bytes());
    assert_eq!(signature.status, SignatureStatus::Absent);
}

#[test]
fn a_nested_signature_is_checked_for_itself() {
    let mut bytes = fs::read(data("nested.dll")).unwrap();
    let signature = check(&bytes);
    assert_eq!((signature.status, signature.digest), (SignatureStatus::Intact, Some("SHA-1")));
    let [inner] = &signature.nested[..] else { panic!("one nested signature") };
    assert_eq!((inner.status, inner.digest), (SignatureStatus::Intact, Some("SHA-256")));
    bytes[600] ^= 1;
    let signature = check(&bytes);
    assert_eq!(signature.status, SignatureStatus::Broken);
    assert_eq!(signature.nested[0].status, SignatureStatus::Broken);
}

#[test]
fn the_time_of_signing_is_what_the_counter_signature_says() {
    let signature = Signature::check(&data("timestamped.dll"), None).unwrap();
    assert_eq!(signature.signed_at.unwrap().to_string(), "2025-10-09T08:53:20Z");
    assert_eq!(check(&fs::read(data("rsa-sha256.dll")).unwrap()).signed_at, None);
}

#[test]
fn a_root_that_the_user_trusts_is_told_from_one_that_he_does_not() {
    let trusts = |root: &str, file: &str| {
        let store = read_trust(&data(root)).unwrap();
        Signature::check(&data(file), Some(&store)).unwrap().chain.unwrap().trusted
    };
    assert_eq!(trusts("root-rsa.pem", "rsa-sha256.dll"), Some(true));
    assert_eq!(trusts("root-rsa.pem", "rsa-sha256-alone.dll"), Some(true));
    assert_eq!(trusts("root-p256.pem", "rsa-sha256.dll"), Some(false));
    assert_eq!(trusts("root-p384.pem", "p384-sha384.dll"), Some(true));
    assert!(read_trust(&data("README.md")).is_err());
}

#[test]
fn no_byte_of_the_image_can_be_altered_unseen() {
    let bytes = fs::read(data("p256-sha256.dll")).unwrap();
    let nt = u32::from_le_bytes(bytes[60..64].try_into().unwrap()) as usize;
    let (checksum, entry) = (nt + 24 + 64, nt + 24 + 112 + 32);
    let signed_len = u32::from_le_bytes(bytes[entry..entry + 4].try_into().unwrap()) as usize;
    for at in 0..signed_len {
        let excepted = (checksum..checksum + 4).contains(&at) || (entry..entry + 8).contains(&at);
        if excepted {
            continue;
        }
        let mut altered = bytes.clone();
        altered[at] ^= 0x10;
        // Damage to the headers may leave no image, or none with a signature to check.
        if let Ok(signature) = Signature::check_reader(Cursor::new(&altered), None) {
            assert_ne!(signature.status, SignatureStatus::Intact, "byte {at} of {signed_len}");
        }
    }
    let mut longer = bytes.clone();
    longer.extend_from_slice(b"appended");
    assert_eq!(check(&longer).status, SignatureStatus::Broken);
}

#[test]
fn no_byte_of_the_signature_trips_the_reader() {
    let bytes = fs::read(data("nested.dll")).unwrap();
    for at in (3500..bytes.len()).step_by(7) {
        for flip in [0x01, 0x80, 0xFF] {
            let mut altered = bytes.clone();
            altered[at] ^= flip;
            let _ = Signature::check_reader(Cursor::new(&altered), None);
        }
    }
}
