//! Keys and signatures of feeds, in the open format of minisign: a publisher may as well sign with the ordinary
//! tool, and anybody can verify with it.

use std::fmt;
use std::io::Cursor;

use base64::prelude::{BASE64_STANDARD, Engine as _};
use minisign::{KeyPair, PublicKey, SecretKey, SecretKeyBox, SignatureBox};
use serde::{Deserialize, Serialize};

use crate::error::{FeedError, Result};

/// A key in base64 has 56 characters, a file with one a comment more.
const LONGEST_KEY: usize = 1024;

/// A public key, which identifies a feed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Key(String);

impl Key {
    /// Reads a key: its base64, or the text of a file that holds it.
    ///
    /// # Errors
    /// If it is not valid.
    pub fn new(text: &str) -> Result<Self> {
        let wrong = || {
            FeedError::Key {
            what: "that is not a public key".to_owned(),
            remedy: "Give the line of 56 characters that its publisher names, or the file that holds it."
                .into(),
        }
        };
        let lines = || text.lines().map(str::trim).filter(|line| !line.is_empty());
        let line = lines().next_back().filter(|_| text.len() <= LONGEST_KEY).ok_or_else(wrong)?;
        PublicKey::from_base64(line).map_err(|_| wrong())?;
        Ok(Self(line.to_owned()))
    }

    /// The key as the file that the ordinary tool reads.
    pub fn to_file(&self) -> String {
        format!("untrusted comment: public key of a feed\n{}\n", self.0)
    }

    /// Whether it has signed some bytes; returns the signature's comment.
    pub(super) fn verifies(&self, bytes: &[u8], signature: &SignatureBox) -> bool {
        let key = PublicKey::from_base64(&self.0);
        // Quietly, without a copy of the bytes, and of either kind of signature.
        let verify = |key: &PublicKey| {
            minisign::verify(key, signature, Cursor::new(bytes), true, false, true)
        };
        key.is_ok_and(|key| verify(&key).is_ok())
    }
}

impl fmt::Display for Key {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl TryFrom<String> for Key {
    type Error = crate::error::Error;

    fn try_from(text: String) -> Result<Self> {
        Self::new(&text)
    }
}

impl From<Key> for String {
    fn from(key: Key) -> Self {
        key.0
    }
}

/// A secret key, opened.
pub struct Secret {
    key: SecretKey,
    public: Key,
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "the secret key of {}", self.public)
    }
}

/// Files of a new pair of keys.
#[derive(Debug)]
pub struct NewKey {
    /// The public key.
    pub public: Key,
    /// The text of the file with the secret one.
    pub secret: String,
}

impl Secret {
    /// Whether a file with a secret key needs a pass phrase.
    ///
    /// # Errors
    /// If it holds no secret key.
    pub fn is_locked(text: &str) -> Result<bool> {
        // The kinds of signature, of lock and of checksum begin it: `Ed`, nothing or `Sc`, `B2`, in base64.
        let starts = |mark: &str| text.lines().any(|line| line.trim().starts_with(mark));
        match (starts("RWRTY0Iy"), starts("RWQAAEIy")) {
            (true, _) => Ok(true),
            (_, true) => Ok(false),
            _ => Err(not_secret().into()),
        }
    }

    /// Opens the text of a file with a secret key. A pass phrase makes that take a while, and, if the ordinary tool
    /// made it, a gigabyte of memory.
    ///
    /// # Errors
    /// If it holds none, or the pass phrase is not the one.
    pub fn open(text: &str, pass_phrase: Option<String>) -> Result<Self> {
        let key = if Self::is_locked(text)? {
            let held = SecretKeyBox::from_string(text).map_err(|_| not_secret())?;
            // Without a passphrase the library would ask for one.
            held.into_secret_key(Some(pass_phrase.unwrap_or_default()))
        } else {
            // The ordinary tool gives such a key no checksum, which the library expects of a file.
            let line = text.lines().nth(1).unwrap_or_default().trim();
            let bytes = BASE64_STANDARD.decode(line).map_err(|_| not_secret())?;
            SecretKey::from_bytes(&bytes)
        };
        let key = key.map_err(|_| FeedError::Key {
            what: "the secret key does not open with that pass phrase".to_owned(),
            remedy: "Give the pass phrase that the key was made with.".into(),
        })?;
        let public = PublicKey::from_secret_key(&key).map_err(|_| not_secret())?;
        Ok(Self { public: Key::new(&public.to_base64())?, key })
    }

    /// Makes a new pair, locked by a pass phrase if one is given.
    ///
    /// # Errors
    /// If the system gives no random numbers.
    pub fn generate(pass_phrase: Option<String>) -> Result<NewKey> {
        let made = |error: minisign::PError| FeedError::Key {
            what: format!("no key could be made: {error}"),
            remedy: "Try again.".into(),
        };
        let pair = match pass_phrase {
            Some(pass_phrase) => KeyPair::generate_encrypted_keypair(Some(pass_phrase)),
            None => KeyPair::generate_unencrypted_keypair(),
        };
        let pair = pair.map_err(made)?;
        let secret = pair.sk.to_box(Some("secret key of a feed")).map_err(made)?.into_string();
        Ok(NewKey { public: Key::new(&pair.pk.to_base64())?, secret })
    }

    /// The public key that belongs to it.
    pub fn public(&self) -> &Key {
        &self.public
    }

    /// Signs some bytes and a comment; returns the text of a signature file.
    pub(super) fn sign(&self, bytes: &[u8], comment: &str) -> Result<String> {
        let signed: Result<SignatureBox, _> = minisign::sign(
            None,
            &self.key,
            Cursor::new(bytes),
            Some(comment),
            Some("signature of a feed"),
        );
        let signed = signed.map_err(|error| FeedError::Key {
            what: format!("it could not be signed: {error}"),
            remedy: "Give the secret key of a pair.".into(),
        })?;
        Ok(signed.into_string())
    }
}

fn not_secret() -> FeedError {
    FeedError::Key {
        what: "that is not a secret key".to_owned(),
        remedy: (
            "Give the file with the secret key, or make a pair",
            crate::remedy::Action::MakeKey,
        )
            .into(),
    }
}

/// An old key's statement about the key that follows it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Successor {
    /// The new key.
    pub key: Key,
    /// The old key's signature of the sentence that names the new one.
    pub signature: String,
}

/// The sentence that an old key signs.
fn sentence(key: &Key) -> String {
    format!("The key of the feed is from now on {key}\n")
}

impl Successor {
    /// Makes the old key name the new one.
    pub(super) fn named_by(old: &Secret, key: &Key) -> Result<Self> {
        let signature = old.sign(sentence(key).as_bytes(), "the next key of a feed")?;
        Ok(Self { key: key.clone(), signature })
    }

    fn is_named_by(&self, old: &Key) -> bool {
        let signature = SignatureBox::from_string(&self.signature);
        signature.is_ok_and(|signature| old.verifies(sentence(&self.key).as_bytes(), &signature))
    }
}

/// Whether a key leads to another: it is the same, or each key on the way names the next.
pub(super) fn leads_to(from: &Key, to: &Key, successors: &[Successor]) -> bool {
    let mut known = vec![from];
    // Each pass may find the next; one for each is enough whatever their order.
    for _ in 0..successors.len() {
        let next = |it: &&Successor| {
            !known.contains(&&it.key) && known.iter().any(|old| it.is_named_by(old))
        };
        let Some(next) = successors.iter().find(next) else { break };
        known.push(&next.key);
    }
    known.contains(&to)
}
