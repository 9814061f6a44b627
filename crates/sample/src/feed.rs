//! Writes feeds by hand: of any size, and with content that the program itself would not write.

use std::fs;
use std::io::{self, Cursor};
use std::path::{Path, PathBuf};

use minisign::{KeyPair, SecretKey, SecretKeyBox};
use serde_json::{Value, json};

/// A feed's folder, and the key that signs it.
#[derive(Debug)]
pub struct Forge {
    folder: PathBuf,
    key: SecretKey,
    /// The public key.
    pub public: String,
}

/// Makes an error of the signing library one of the system.
fn failed(error: impl std::fmt::Display) -> io::Error {
    io::Error::other(error.to_string())
}

impl Forge {
    /// With a key that is made for it.
    ///
    /// # Errors
    /// If the system gives no random numbers.
    pub fn new(folder: &Path) -> io::Result<Self> {
        let pair = KeyPair::generate_unencrypted_keypair().map_err(failed)?;
        Ok(Self { folder: folder.to_owned(), key: pair.sk, public: pair.pk.to_base64() })
    }

    /// With the key in a file, which no pass phrase locks.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn with_key(folder: &Path, key: &Path) -> io::Result<Self> {
        let text = fs::read_to_string(key)?;
        let held = SecretKeyBox::from_string(&text).map_err(failed)?;
        let key = held.into_unencrypted_secret_key().map_err(failed)?;
        let public = minisign::PublicKey::from_secret_key(&key).map_err(failed)?.to_base64();
        Ok(Self { folder: folder.to_owned(), key, public })
    }

    /// The file of a content.
    pub fn path(&self, digest: &str) -> PathBuf {
        self.folder.join("content").join(&digest[..2]).join(digest)
    }

    /// Writes a content, and gives its digest.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn put(&self, bytes: &[u8]) -> io::Result<String> {
        let digest = blake3::hash(bytes).to_hex().to_string();
        let path = self.path(&digest);
        if let Some(around) = path.parent() {
            fs::create_dir_all(around)?;
        }
        fs::write(path, bytes)?;
        Ok(digest)
    }

    /// Writes a part of a feed, and gives how a head names it.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn piece(&self, text: &[u8]) -> io::Result<Value> {
        let packed = zstd::encode_all(Cursor::new(text), 9)?;
        let digest = self.put(&packed)?;
        Ok(json!({ "blake3": digest, "size": packed.len(), "unpacked": text.len() }))
    }

    /// Reads a part that a head names.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn read(&self, piece: &Value) -> io::Result<Value> {
        let digest = piece["blake3"].as_str().unwrap_or_default();
        let text = zstd::decode_all(Cursor::new(fs::read(self.path(digest))?))?;
        Ok(serde_json::from_slice(&text)?)
    }

    /// The head of families, spread over so many shards, a power of two: each a listing, and how it is recognised, if
    /// a catalog says that.
    ///
    /// # Errors
    /// If its parts cannot be written.
    pub fn head(&self, families: &[(Value, Option<Value>)], shards: usize) -> io::Result<Value> {
        let mut spread: Vec<Vec<&Value>> = vec![Vec::new(); shards];
        let mut builds = 0;
        for (listing, _) in families {
            let id = listing["id"].as_str().unwrap_or_default();
            let at = usize::from(blake3::hash(id.as_bytes()).as_bytes()[0]) & (shards - 1);
            builds += listing["build"].as_array().map_or(0, Vec::len);
            spread[at].push(listing);
        }
        let shards = spread.into_iter().map(|family| {
            self.piece(&serde_json::to_vec(&json!({ "schema": 1, "family": family }))?)
        });
        let shards: Vec<Value> = shards.collect::<io::Result<_>>()?;
        let known: Vec<&Value> = families.iter().filter_map(|(_, known)| known.as_ref()).collect();
        let now = jiff::Timestamp::now();
        Ok(json!({
            "schema": 1,
            "serial": 1,
            "title": "By hand",
            "made": now,
            "fresh-until": now + jiff::SignedDuration::from_hours(24),
            "key": self.public,
            "family-count": families.len(),
            "build-count": builds,
            "families": self.piece(&serde_json::to_vec(&known)?)?,
            "shards": shards,
        }))
    }

    /// Signs a head, with the comment that is due or another.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn sign(&self, head: &Value, comment: Option<&str>) -> io::Result<()> {
        let text = serde_json::to_vec(head)?;
        let digest = self.put(&text)?;
        let due = format!("feed 1 serial {} head {digest} bytes {}", head["serial"], text.len());
        let comment = Some(comment.unwrap_or(&due));
        let signed = minisign::sign(None, &self.key, Cursor::new(&text), comment, None);
        fs::write(self.folder.join("feed.minisig"), signed.map_err(failed)?.into_string())
    }
}
