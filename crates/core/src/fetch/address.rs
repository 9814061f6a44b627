//! The location of a feed: the address of a web server, or a folder.

use std::fmt;
use std::path::PathBuf;

use crate::error::{FeedError, Result};
use crate::path::slashes;

/// The longest address that is taken; browsers and servers give up at about so many.
const LONGEST: usize = 2048;

/// A place that files can be had from by their names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Address {
    /// `http` or `https`, without a final slash.
    Web(String),
    /// A folder of this machine, or one that it reaches as such.
    Folder(PathBuf),
}

impl Address {
    /// Reads an address as a user types it; a folder becomes absolute.
    ///
    /// # Errors
    /// If it is neither the address of a web server nor a path.
    pub fn new(text: &str) -> Result<Self> {
        if text.contains("://") {
            return Self::web(text);
        }
        // Of a path every character counts: there are folders whose names end with a blank.
        if text.trim().is_empty() {
            return Err(wrong(text, "it is empty"));
        }
        let absolute = std::path::absolute(text).map_err(|_| wrong(text, "it is not a path"))?;
        // A final slash makes no other folder of it.
        Ok(Self::Folder(absolute.components().collect()))
    }

    /// Reads the address of a web server: the only kind that a feed may name.
    ///
    /// # Errors
    /// If it is something else.
    pub fn web(text: &str) -> Result<Self> {
        let text = text.trim();
        if text.contains(['?', '#']) {
            return Err(wrong(text, "expected a host and a path, and nothing else"));
        }
        Self::page(text).map(|url| Self::Web(url.trim_end_matches('/').to_owned()))
    }

    /// Reads the address of a page, which may hold a question and a place in the page.
    ///
    /// # Errors
    /// If it is not valid.
    pub(crate) fn page(text: &str) -> Result<&str> {
        let text = text.trim();
        if text.len() > LONGEST {
            return Err(wrong(&text.chars().take(64).collect::<String>(), "it is too long"));
        }
        let lower = text.to_ascii_lowercase();
        let rest = lower.strip_prefix("https://").or_else(|| lower.strip_prefix("http://"));
        let Some(rest) = rest else {
            return Err(wrong(text, "it begins with neither https:// nor http://"));
        };
        let is_odd = |c: char| !c.is_ascii_graphic() || "\"<>\\^`{|}".contains(c);
        if text.contains(is_odd) {
            return Err(wrong(text, "no address has such characters"));
        }
        let host = rest.split(['/', '?', '#']).next().unwrap_or_default();
        if host.is_empty() || host.contains('@') {
            return Err(wrong(text, "expected a host, and no name of a user"));
        }
        Ok(text)
    }

    /// The file `name` there: a path of letters and digits that this program makes.
    pub(crate) fn join(&self, name: &str) -> Self {
        match self {
            Self::Web(base) => Self::Web(format!("{base}/{name}")),
            Self::Folder(base) => Self::Folder(base.join(name)),
        }
    }

    /// Whether others can read the traffic.
    pub(crate) fn is_open(&self) -> bool {
        matches!(self, Self::Web(url) if is_plain(url))
    }

    /// Whether it is reached over a network.
    pub fn is_web(&self) -> bool {
        matches!(self, Self::Web(_))
    }
}

fn is_plain(url: &str) -> bool {
    url.get(..7).is_some_and(|start| start.eq_ignore_ascii_case("http://"))
}

fn wrong(text: &str, why: &str) -> crate::error::Error {
    FeedError::Address { address: text.to_owned(), why: why.to_owned() }.into()
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Web(url) => f.write_str(url),
            Self::Folder(path) => f.write_str(&slashes(path)),
        }
    }
}

/// If a redirect leads that came from a page; nothing if that is not an address.
pub(super) fn redirected(from: &str, location: &str) -> Option<Address> {
    let location = location.split('#').next().unwrap_or_default();
    let scheme_end = from.find("://")? + 3;
    let host_end = from[scheme_end..].find('/').map_or(from.len(), |at| scheme_end + at);
    let to = if location.contains("://") {
        location.to_owned()
    } else if let Some(rest) = location.strip_prefix("//") {
        format!("{}{rest}", &from[..scheme_end])
    } else if location.starts_with('/') {
        format!("{}{location}", &from[..host_end])
    } else {
        let folder = from[host_end..].rfind('/').map_or(host_end, |at| host_end + at);
        format!("{}/{location}", &from[..folder])
    };
    // What servers redirect to may ask something, as for a mirror.
    Address::page(&to).ok()?;
    Some(Address::Web(to))
}
