//! Signatures hold if nothing was altered and break where anything was.

use std::fs;
use std::io::Cursor;
use std::path::{Path, PathBuf};

use upright_spanner_image::{Facts, Signature, SignatureStatus, Trust, TrustStore};
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
        assert_eq!(chain.trusted, None, "no one said whom to trust");
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
    let facts = Facts::from_reader(Cursor::new(&bytes)).unwrap();
    let named = [&signature, inner].map(|signature| signature.signer.clone().unwrap());
    assert_eq!(facts.signer.as_ref(), Some(&named[0]));
    assert!(named.iter().all(|name| facts.signers.contains(name)), "{:?}", facts.signers);
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
        let store = TrustStore::from_pem(&fs::read(data(root)).unwrap()).unwrap();
        Signature::check(&data(file), Some(&store)).unwrap().chain.unwrap().trusted
    };
    assert_eq!(trusts("root-rsa.pem", "rsa-sha256.dll"), Some(true));
    assert_eq!(trusts("root-rsa.pem", "rsa-sha256-alone.dll"), Some(true));
    assert_eq!(trusts("root-p256.pem", "rsa-sha256.dll"), None, "nothing is proven wrong");
    assert_eq!(trusts("root-p384.pem", "p384-sha384.dll"), Some(true));
    assert!(TrustStore::from_pem(&fs::read(data("README.md")).unwrap()).is_err());
}

#[test]
fn a_chain_is_trusted_only_as_far_as_each_certificate_may_do_what_it_did() {
    let trust = |root: &str, file: &str| {
        let store = TrustStore::from_pem(&fs::read(data(root)).unwrap()).unwrap();
        let signature = Signature::check(&data(file), Some(&store)).unwrap();
        assert_eq!(signature.status, SignatureStatus::Intact, "{file}");
        signature.chain.unwrap().trust.unwrap()
    };
    for file in ["chain-signer.dll", "chain-undermid.dll", "chain-tsa.dll"] {
        assert_eq!(trust("chain-root.pem", file), Trust::Trusted, "{file}");
    }
    for (file, wanted) in [
        ("chain-server.dll", "not one for signing programs"),
        ("chain-encrypt.dll", "not one for signing programs"),
        ("chain-fallen.dll", "issued by one that may not issue any"),
        ("chain-under.dll", "issued by one that may not issue any"),
        ("chain-underweb.dll", "an issuer of it may not issue for signing programs"),
        ("chain-forged.dll", "not made by the issuer it names"),
        ("chain-old.dll", "expired on 2025-06-01"),
    ] {
        let Trust::NotTrusted(why) = trust("chain-root.pem", file) else { panic!("{file}") };
        assert!(why.contains(wanted), "{file}: {why}");
    }
    // An unrelated short key does not change the result.
    let roots = ["chain-root.pem", "chain-short.pem"].map(|root| fs::read(data(root)).unwrap());
    let store = TrustStore::from_pem(&roots.concat()).unwrap();
    let forged = Signature::check(&data("chain-forged.dll"), Some(&store)).unwrap();
    assert!(matches!(forged.chain.unwrap().trust, Some(Trust::NotTrusted(_))));
    for (root, file, wanted) in [
        ("root-rsa.pem", "chain-signer.dll", "its root is not trusted"),
        ("chain-root.pem", "chain-condition.dll", "an unknown condition"),
        ("chain-root.pem", "chain-sha1.dll", "signed in a weak or unknown way"),
        ("chain-root.pem", "chain-strangetsa.dll", "the certificate of the timestamp: its root"),
        ("chain-short.pem", "chain-weak.dll", "shorter than 2048 bits"),
    ] {
        let Trust::NotChecked(why) = trust(root, file) else { panic!("{file}") };
        assert!(why.contains(wanted), "{file}: {why}");
    }
}

#[test]
fn the_name_in_a_signature_that_is_not_intact_is_nobodys() {
    let mut bytes = fs::read(data("chain-signer.dll")).unwrap();
    bytes[600] ^= 1;
    let store = TrustStore::from_pem(&fs::read(data("chain-root.pem")).unwrap()).unwrap();
    let signature = Signature::check_reader(Cursor::new(&bytes), Some(&store)).unwrap();
    assert_eq!(signature.status, SignatureStatus::Broken);
    assert_eq!((&signature.signer, &signature.issuer), (&None, &None));
    assert_eq!(signature.claimed.as_deref(), Some("Corvid Optics signer"));
    assert!(matches!(signature.chain.unwrap().trust, Some(Trust::NotTrusted(_))));
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

/// One field of a signature: its tag, and where its content is.
fn field(bytes: &[u8], at: usize) -> (u8, std::ops::Range<usize>) {
    let (len, head) = match bytes[at + 1] {
        long @ 0x80.. => {
            let count = usize::from(long & 0x7F);
            let digits = &bytes[at + 2..at + 2 + count];
            (digits.iter().fold(0, |len, digit| len << 8 | usize::from(*digit)), 2 + count)
        }
        short => (usize::from(short), 2),
    };
    (bytes[at], at + head..at + head + len)
}

fn write_field(tag: u8, content: &[u8]) -> Vec<u8> {
    // All here are long: the length has as many digits as it needs.
    let len = u32::try_from(content.len()).unwrap().to_be_bytes();
    let digits = &len[len.iter().position(|digit| *digit > 0).unwrap()..];
    [&[tag, 0x80 | digits.len() as u8][..], digits, content].concat()
}

/// A signed image with the last certificate of its signature so many times.
fn with_certificates(image: &[u8], count: usize) -> Vec<u8> {
    const CERTIFICATES: u8 = 0xA0;
    let nt = u32::from_le_bytes(image[60..64].try_into().unwrap()) as usize;
    let entry = nt + 24 + 112 + 32;
    let start = u32::from_le_bytes(image[entry..entry + 4].try_into().unwrap()) as usize;
    let message = &image[start + 8..];
    let (_, info) = field(message, 0);
    let (_, kind) = field(message, info.start);
    let (_, wrapped) = field(message, kind.end);
    let (_, signed) = field(message, wrapped.start);
    let (mut parts, mut at) = (Vec::new(), signed.start);
    while at < signed.end {
        let (tag, content) = field(message, at);
        if tag == CERTIFICATES {
            let (mut last, mut next) = (content.start, content.start);
            while next < content.end {
                last = next;
                next = field(message, next).1.end;
            }
            let more = message[last..next].repeat(count);
            parts.extend(write_field(tag, &[&message[content.clone()], &more].concat()));
        } else {
            parts.extend(&message[at..content.end]);
        }
        at = content.end;
    }
    let outer = write_field(0xA0, &write_field(0x30, &parts));
    let message = write_field(0x30, &[&message[info.start..kind.end], &outer].concat());
    let len = (message.len() + 8).next_multiple_of(8);
    let mut made = image[..start].to_vec();
    made.extend(u32::try_from(len).unwrap().to_le_bytes());
    made.extend([0x00, 0x02, 0x02, 0x00]);
    made.extend(&message);
    made.resize(start + len, 0);
    made[entry + 4..entry + 8].copy_from_slice(&u32::try_from(len).unwrap().to_le_bytes());
    made
}

#[test]
fn certificates_that_lead_in_circles_are_followed_for_a_while() {
    let whole = fs::read(data("rsa-sha256.dll")).unwrap();
    // Its last certificate is one that issued itself.
    let circles = with_certificates(&whole, 1500);
    for (root, trusted) in [("root-rsa.pem", Some(true)), ("root-p256.pem", None)] {
        let store = TrustStore::from_pem(&fs::read(data(root)).unwrap()).unwrap();
        let signature = Signature::check_reader(Cursor::new(&circles), Some(&store)).unwrap();
        assert_eq!(signature.status, SignatureStatus::Intact);
        assert_eq!(signature.chain.unwrap().trusted, trusted, "{root}");
    }
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
