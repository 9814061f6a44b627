//! Fetches the file at an address, of either kind.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::sync::OnceLock;
use std::time::{Duration, Instant};

use super::address::Address;
use super::web::{Seen, Web};
use crate::content::Content;
use crate::error::{FeedError, Result};
use upright_spanner_image::file::open_plain;

/// A place that sends less than this a second for so long is given up: the slowest lines that people have send more.
const LEAST_RATE: u64 = 2 << 10;
const RATE_OVER: Duration = Duration::from_secs(20);

/// Gets bytes.
#[derive(Debug, Default)]
pub(crate) struct Client {
    /// Whether no network is used.
    offline: bool,
    web: OnceLock<Web>,
}

/// What came of asking.
#[derive(Debug)]
pub(crate) enum Answer {
    /// It is the known state.
    Same,
    /// It, and how it is marked.
    New(Vec<u8>, Seen),
}

/// A response body, from a byte on.
pub(super) struct Sent {
    pub from: u64,
    /// The length of the whole file, if it is stated.
    pub all: Option<u64>,
    pub body: Box<dyn Read + Send>,
}

impl Client {
    /// One that uses the network, or does not.
    pub fn new(offline: bool) -> Self {
        Self { offline, web: OnceLock::new() }
    }

    fn web(&self, address: &Address) -> Result<&Web> {
        if self.offline {
            return Err(FeedError::Offline { address: address.to_string() }.into());
        }
        Ok(self.web.get_or_init(Web::new))
    }

    /// Gets something that may change: never more than `most` bytes of it.
    pub fn get(&self, address: &Address, most: u64, seen: Option<&Seen>) -> Result<Answer> {
        let failed = failed(address);
        match address {
            Address::Folder(path) => {
                let file = open_plain(path).map_err(&failed)?;
                Ok(Answer::New(all_of(file, most).map_err(&failed)?, Seen::default()))
            }
            Address::Web(url) => {
                let reply = self.web(address)?.get(url, 0, seen).map_err(&failed)?;
                match reply.status {
                    304 if seen.is_some() => Ok(Answer::Same),
                    200 => {
                        let bytes = all_of(reply.body, most).map_err(&failed)?;
                        Ok(Answer::New(bytes, reply.seen))
                    }
                    status => Err(failed(refusal(status))),
                }
            }
        }
    }

    /// Fetches a file with a known digest from the first of several addresses that has it.
    pub fn get_content(
        &self,
        places: &[Address],
        name: &str,
        content: &Content,
    ) -> Result<Vec<u8>> {
        let mut first = None;
        for place in places {
            let address = place.join(name);
            let got = self.get(&address, content.size, None).and_then(|answer| match answer {
                Answer::New(bytes, _) if Content::of_bytes(&bytes) == *content => Ok(bytes),
                _ => Err(failed(&address)(io::Error::new(
                    io::ErrorKind::InvalidData,
                    "its content differs from the signed one",
                ))),
            });
            match got {
                Ok(bytes) => return Ok(bytes),
                Err(error) => first = first.or(Some(error)),
            }
        }
        Err(first.unwrap_or_else(|| FeedError::Nowhere { what: name.to_owned() }.into()))
    }

    /// Begins to get something, from a byte on if that can be had.
    pub(super) fn open(&self, address: &Address, from: u64) -> Result<Sent> {
        let failed = failed(address);
        match address {
            Address::Folder(path) => {
                let mut file: File = open_plain(path).map_err(&failed)?;
                let all = file.metadata().map_err(&failed)?.len();
                let from = file.seek(SeekFrom::Start(from.min(all))).map_err(&failed)?;
                Ok(Sent { from, all: Some(all), body: Box::new(file) })
            }
            Address::Web(url) => {
                let reply = self.web(address)?.get(url, from, None).map_err(&failed)?;
                let (from, all) = match (reply.status, reply.range) {
                    (200, _) => (0, None),
                    (206, Some((begin, all))) if begin == from => (from, all),
                    (206, _) => {
                        return Err(failed(wrong("it sends a different part than requested")));
                    }
                    (status, _) => return Err(failed(refusal(status))),
                };
                Ok(Sent { from, all, body: reply.body })
            }
        }
    }
}

/// Says that an address failed; made for `map_err`.
pub(super) fn failed(address: &Address) -> impl Fn(io::Error) -> crate::error::Error {
    let address = address.to_string();
    move |source| {
        let address = address.clone();
        match super::web::wrong_certificate(&source) {
            Some(why) => FeedError::Certificate { address, why }.into(),
            None => FeedError::Unreachable { address, why: why(&source) }.into(),
        }
    }
}

/// An error of the system or of a server in words without a full stop.
fn why(error: &io::Error) -> String {
    if error.raw_os_error().is_some() {
        return crate::error::in_words(error);
    }
    if let Some(error) = super::web::in_words(error) {
        return error;
    }
    match error.kind() {
        io::ErrorKind::TimedOut => "it did not answer in time".to_owned(),
        _ if error.to_string().contains("lookup address") => {
            "no server with that name was found".to_owned()
        }
        io::ErrorKind::UnexpectedEof => "it broke off before all was sent".to_owned(),
        _ => error.to_string(),
    }
}

pub(super) fn wrong(why: &str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, why.to_owned())
}

fn refusal(status: u16) -> io::Error {
    wrong(&match status {
        404 | 410 => format!("it does not have that (status {status})"),
        401 | 403 => format!("it refuses that (status {status})"),
        500..=599 => format!("the server has a fault (status {status})"),
        _ => format!("it answers with status {status}"),
    })
}

/// Watches how fast something comes.
pub(super) struct Pace {
    since: Instant,
    bytes: u64,
}

impl Pace {
    pub fn new() -> Self {
        Self { since: Instant::now(), bytes: 0 }
    }

    /// Notes that more has come, and fails if it is too little.
    pub fn note(&mut self, bytes: usize) -> io::Result<()> {
        self.bytes += bytes as u64;
        if self.since.elapsed() < RATE_OVER {
            return Ok(());
        }
        if self.bytes < LEAST_RATE * RATE_OVER.as_secs() {
            return Err(wrong("it sends too slowly"));
        }
        *self = Self::new();
        Ok(())
    }
}

/// Reads to the end, and fails if that is farther than `most`.
fn all_of(mut body: impl Read, most: u64) -> io::Result<Vec<u8>> {
    let mut pace = Pace::new();
    let mut bytes = Vec::new();
    let mut block = vec![0; 16 << 10];
    loop {
        let read = body.read(&mut block)?;
        if read == 0 {
            return Ok(bytes);
        }
        bytes.extend_from_slice(&block[..read]);
        if bytes.len() as u64 > most {
            return Err(wrong(&format!("it sends more than the {most} bytes that it may")));
        }
        pace.note(read)?;
    }
}
