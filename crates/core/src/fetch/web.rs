//! Requests to a web server.

use std::io::{self, Read};
use std::path::Path;
use std::time::Duration;

use ureq::Agent;
use ureq::http::header::{
    CONTENT_RANGE, ETAG, IF_MODIFIED_SINCE, IF_NONE_MATCH, LAST_MODIFIED, LOCATION, RANGE,
};
use ureq::http::{HeaderMap, HeaderName};
use ureq::tls::{PemItem, RootCerts, TlsConfig, parse_pem};

use super::address::{Address, redirected};
use upright_spanner_image::file::bytes_of;

/// So many hops a redirect may have: a mirror takes one or two.
const MOST_HOPS: usize = 5;

/// How long is waited for a server to be reached, to answer, and to send the next bytes.
const CONNECTING: Duration = Duration::from_secs(10);
const ANSWERING: Duration = Duration::from_secs(20);
const SILENT: Duration = Duration::from_secs(20);

/// A server's validators of a response, for asking only for newer ones.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Seen {
    pub etag: Option<String>,
    pub modified: Option<String>,
}

/// Sends requests.
#[derive(Debug)]
pub(super) struct Web {
    agent: Agent,
}

/// The header of a response.
pub(super) struct Reply {
    pub status: u16,
    /// From which byte on it sends, and how long all of it is, if it says so.
    pub range: Option<(u64, Option<u64>)>,
    pub seen: Seen,
    pub body: Box<dyn Read + Send>,
}

impl Web {
    pub fn new() -> Self {
        let config = Agent::config_builder()
            .http_status_as_error(false)
            .max_redirects(0)
            .max_redirects_will_error(false)
            .user_agent(concat!("upright-spanner/", env!("CARGO_PKG_VERSION")))
            .accept_encoding("identity")
            .max_response_header_size(32 << 10)
            .tls_config(TlsConfig::builder().root_certs(roots()).build())
            .timeout_resolve(Some(CONNECTING))
            .timeout_connect(Some(CONNECTING))
            .timeout_recv_response(Some(ANSWERING))
            .timeout_per_read(Some(SILENT))
            .timeout_per_write(Some(SILENT))
            .build();
        Self { agent: config.into() }
    }

    /// Requests the file at an address, from a byte on, or only if it differs from the known state.
    pub fn get(&self, url: &str, from: u64, seen: Option<&Seen>) -> io::Result<Reply> {
        let mut url = url.to_owned();
        for _ in 0..=MOST_HOPS {
            let mut request = self.agent.get(&url);
            if from > 0 {
                request = request.header(RANGE, format!("bytes={from}-"));
            }
            let known = seen.map(|seen| (seen.etag.as_deref(), seen.modified.as_deref()));
            match known {
                Some((Some(etag), _)) => request = request.header(IF_NONE_MATCH, etag),
                Some((None, Some(date))) => request = request.header(IF_MODIFIED_SINCE, date),
                _ => {}
            }
            let response = request.call().map_err(ureq::Error::into_io)?;
            let status = response.status().as_u16();
            let headers = response.headers();
            if matches!(status, 301 | 302 | 303 | 307 | 308) {
                let next = header(headers, &LOCATION).and_then(|to| redirected(&url, &to));
                let next = next.ok_or_else(|| wrong("it redirects to an invalid address"))?;
                if next.is_open() && !Address::Web(url).is_open() {
                    return Err(wrong("it redirects from https to http"));
                }
                url = next.to_string();
                continue;
            }
            let range = header(headers, &CONTENT_RANGE).and_then(|text| range(&text));
            let (etag, modified) = (header(headers, &ETAG), header(headers, &LAST_MODIFIED));
            let seen = Seen { etag, modified };
            let body = Box::new(response.into_body().into_reader());
            return Ok(Reply { status, range, seen, body });
        }
        Err(wrong(&format!("it redirects more than {MOST_HOPS} times")))
    }
}

/// The trusted certificates of servers: those of a file in the usual environment variable, otherwise the ones that
/// browsers have.
fn roots() -> RootCerts {
    const LONGEST: u64 = 4 << 20;
    let named = std::env::var_os("SSL_CERT_FILE").filter(|path| !path.is_empty());
    let pem = named.and_then(|path| bytes_of(Path::new(&path), LONGEST).ok()).unwrap_or_default();
    let certificates = parse_pem(&pem).filter_map(|item| match item {
        Ok(PemItem::Certificate(certificate)) => Some(certificate),
        _ => None,
    });
    let certificates: Vec<_> = certificates.collect();
    if certificates.is_empty() {
        RootCerts::WebPki
    } else {
        RootCerts::new_with_certs(&certificates)
    }
}

/// A header's text, if it is one that can be sent back.
fn header(headers: &HeaderMap, name: &HeaderName) -> Option<String> {
    const LONGEST: usize = 2048;
    let text = headers.get(name)?.to_str().ok()?;
    (text.len() <= LONGEST).then(|| text.to_owned())
}

/// `bytes 65536-131071/262144`
fn range(text: &str) -> Option<(u64, Option<u64>)> {
    let (span, all) = text.trim().strip_prefix("bytes ")?.split_once('/')?;
    let (from, _) = span.split_once('-')?;
    Some((from.trim().parse().ok()?, all.trim().parse().ok()))
}

fn wrong(why: &str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, why.to_owned())
}

/// The reason why a server's certificate is not accepted, if an error is about that.
pub(super) fn wrong_certificate(error: &io::Error) -> Option<String> {
    let text = error.to_string();
    text.split_once("invalid peer certificate: ").map(|(_, what)| what.to_owned())
}

/// What went wrong while a server was waited for, if that is what an error is about.
pub(super) fn in_words(error: &io::Error) -> Option<String> {
    let words = match error.get_ref()?.downcast_ref::<ureq::Error>()? {
        ureq::Error::Timeout(_) => "it did not answer in time",
        ureq::Error::HostNotFound => "no server with that name was found",
        ureq::Error::ConnectionFailed => "no server answers there",
        other => return Some(other.to_string()),
    };
    Some(words.to_owned())
}
