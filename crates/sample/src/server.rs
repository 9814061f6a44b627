//! A web server that serves a folder, and, to order, fails in the ways in which servers and who sits between do.
//!
//! It uses sockets directly: a library keeps the promises that this server must break, such as the length of a body.

use std::fs;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::net::{SocketAddr, TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::str::FromStr;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;
use std::time::Duration;

/// A way in which it fails.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fault {
    /// `cut=PERCENT`: the connection is closed when so much of a body was sent.
    Cut(u64),
    /// `stall`: nothing more comes after half of a body.
    Stall,
    /// `slow=BYTES`: so many bytes of a body a second.
    Slow(u64),
    /// `range=ignore`: sends the whole file whatever part was requested.
    IgnoreRange,
    /// `range=wrong`: sends another part.
    WrongRange,
    /// `longer=BYTES`: so many more bytes are announced and sent.
    Longer(u64),
    /// `endless`: zeros without end, and no length is announced.
    Endless,
    /// `flip`: changes one bit of a body.
    Flip,
    /// `redirect=ADDRESS`: it is somewhere else; `loop` is here again.
    Redirect(String),
    /// `status=NUMBER`
    Status(u16),
}

impl FromStr for Fault {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let (name, value) = text.split_once('=').unwrap_or((text, ""));
        let number = || value.trim_end_matches('%').parse::<u64>().map_err(|_| text.to_owned());
        Ok(match (name, value) {
            ("cut", _) => Self::Cut(number()?),
            ("stall", "") => Self::Stall,
            ("slow", _) => Self::Slow(number()?),
            ("range", "ignore") => Self::IgnoreRange,
            ("range", "wrong") => Self::WrongRange,
            ("longer", _) => Self::Longer(number()?),
            ("endless", "") => Self::Endless,
            ("flip", "") => Self::Flip,
            ("redirect", _) => Self::Redirect(value.to_owned()),
            ("status", _) => Self::Status(u16::try_from(number()?).map_err(|_| text.to_owned())?),
            _ => return Err(format!("`{text}` is not a fault")),
        })
    }
}

/// Its faults, and when they occur.
#[derive(Debug, Clone, Default)]
pub struct Faults {
    /// What.
    pub faults: Vec<Fault>,
    /// Only if the path holds this.
    pub only: String,
    /// Only so many times; always, if it is left out.
    pub times: Option<usize>,
}

/// A request that it was sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// The requested path.
    pub path: String,
    /// The first byte of a requested part.
    pub from: Option<u64>,
    /// The program that asked.
    pub agent: String,
    /// The status that it was answered with.
    pub status: u16,
    /// How many bytes of a body were sent.
    pub sent: u64,
}

/// A server that runs until it is dropped.
#[derive(Debug)]
pub struct Server {
    address: SocketAddr,
    shared: Arc<Shared>,
}

#[derive(Debug)]
struct Shared {
    folder: PathBuf,
    faults: Mutex<Faults>,
    failed: AtomicUsize,
    log: Mutex<Vec<Request>>,
    is_over: AtomicBool,
}

impl Server {
    /// Serves a folder on a port that is free.
    ///
    /// # Errors
    /// If no port is free.
    pub fn start(folder: &Path) -> io::Result<Self> {
        Self::start_on(folder, 0)
    }

    /// Serves a folder on a port.
    ///
    /// # Errors
    /// If the port is taken.
    pub fn start_on(folder: &Path, port: u16) -> io::Result<Self> {
        let listener = TcpListener::bind(("127.0.0.1", port))?;
        let address = listener.local_addr()?;
        let shared = Arc::new(Shared {
            folder: folder.to_owned(),
            faults: Mutex::default(),
            failed: AtomicUsize::new(0),
            log: Mutex::default(),
            is_over: AtomicBool::new(false),
        });
        let serving = shared.clone();
        thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                if serving.is_over.load(Ordering::SeqCst) {
                    break;
                }
                let serving = serving.clone();
                thread::spawn(move || drop(serving.converse(&stream)));
            }
        });
        Ok(Self { address, shared })
    }

    /// Its address, without a final slash.
    pub fn url(&self) -> String {
        format!("http://{}", self.address)
    }

    /// If it listens.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// Lets it fail from now on, or no more.
    pub fn fail(&self, faults: Faults) {
        self.shared.failed.store(0, Ordering::SeqCst);
        *self.shared.faults.lock().unwrap_or_else(PoisonError::into_inner) = faults;
    }

    /// The requests since the last call.
    pub fn take_log(&self) -> Vec<Request> {
        std::mem::take(&mut *self.shared.log.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        self.shared.is_over.store(true, Ordering::SeqCst);
        // One more, so that it looks up.
        drop(TcpStream::connect(self.address));
    }
}

/// A client's request.
struct Asked {
    path: String,
    range: Option<u64>,
    agent: String,
    known: Option<String>,
}

impl Shared {
    /// Answers what one client asks for, one after the other.
    fn converse(&self, stream: &TcpStream) -> io::Result<()> {
        stream.set_nodelay(true)?;
        let mut reader = BufReader::new(stream);
        while let Some(asked) = ask(&mut reader)? {
            if !self.answer(stream, &asked)? || self.is_over.load(Ordering::SeqCst) {
                break;
            }
        }
        Ok(())
    }

    /// Answers one request; gives whether the connection is good for another.
    fn answer(&self, mut stream: &TcpStream, asked: &Asked) -> io::Result<bool> {
        let faults = self.faults_for(&asked.path);
        let has = |fault: &Fault| faults.contains(fault);
        for fault in &faults {
            match fault {
                Fault::Redirect(to) => {
                    let to = if to == "loop" { &asked.path } else { to };
                    self.log(asked, 302, 0);
                    let head = format!(
                        "HTTP/1.1 302 Found\r\nLocation: {to}\r\nContent-Length: 0\r\n\r\n"
                    );
                    return stream.write_all(head.as_bytes()).map(|()| true);
                }
                Fault::Status(status) => return self.refuse(stream, asked, *status),
                _ => {}
            }
        }
        let Some(mut body) = self.read(&asked.path) else { return self.refuse(stream, asked, 404) };
        let tag = format!("\"{:08x}-{}\"", crc32fast::hash(&body), body.len());
        if asked.known.as_ref() == Some(&tag) {
            self.log(asked, 304, 0);
            let head = format!("HTTP/1.1 304 Not Modified\r\nETag: {tag}\r\n\r\n");
            return stream.write_all(head.as_bytes()).map(|()| true);
        }
        if has(&Fault::Flip) {
            if let Some(byte) = body.get_mut(0) {
                *byte ^= 1;
            }
        }
        let all = body.len() as u64;
        let from = asked.range.filter(|from| *from < all && !has(&Fault::IgnoreRange));
        let (status, range) = match from {
            Some(from) => {
                let begin = if has(&Fault::WrongRange) { from.saturating_sub(1) } else { from };
                body.drain(..begin as usize);
                (206, format!("Content-Range: bytes {begin}-{}/{all}\r\n", all - 1))
            }
            None => (200, String::new()),
        };
        for fault in &faults {
            if let Fault::Longer(more) = fault {
                body.resize(body.len() + *more as usize, 0);
            }
        }
        let length = if has(&Fault::Endless) {
            "Connection: close\r\n".to_owned()
        } else {
            format!("Content-Length: {}\r\n", body.len())
        };
        let word = if status == 200 { "OK" } else { "Partial Content" };
        let head = format!("HTTP/1.1 {status} {word}\r\nETag: {tag}\r\n{range}{length}\r\n");
        stream.write_all(head.as_bytes())?;
        let (sent, goes_on) = self.send(stream, &body, &faults);
        self.log(asked, status, sent);
        Ok(goes_on)
    }

    /// Sends a body, as far as the faults let it; gives how much of it, and whether the connection is good for more.
    fn send(&self, mut stream: &TcpStream, body: &[u8], faults: &[Fault]) -> (u64, bool) {
        let mut until = body.len();
        let mut pace = None;
        let (mut stalls, mut ends) = (false, false);
        for fault in faults {
            match fault {
                Fault::Cut(percent) => (until, ends) = (body.len() * *percent as usize / 100, true),
                Fault::Stall => (until, stalls) = (body.len() / 2, true),
                Fault::Slow(bytes) => pace = Some(*bytes as usize),
                _ => {}
            }
        }
        let mut sent = 0;
        let piece = pace.map_or(64 << 10, |pace| pace.div_ceil(20).max(1));
        for part in body[..until].chunks(piece) {
            if stream.write_all(part).is_err() {
                return (sent, false);
            }
            sent += part.len() as u64;
            if pace.is_some() {
                thread::sleep(Duration::from_millis(50));
            }
        }
        while faults.contains(&Fault::Endless) && !self.is_over.load(Ordering::SeqCst) {
            if stream.write_all(&[0; 16 << 10]).is_err() {
                return (sent, false);
            }
            sent += 16 << 10;
        }
        while stalls && !self.is_over.load(Ordering::SeqCst) {
            thread::sleep(Duration::from_millis(50));
        }
        (sent, !ends && !stalls)
    }

    fn refuse(&self, mut stream: &TcpStream, asked: &Asked, status: u16) -> io::Result<bool> {
        self.log(asked, status, 0);
        let head = format!("HTTP/1.1 {status} No\r\nContent-Length: 0\r\n\r\n");
        stream.write_all(head.as_bytes()).map(|()| true)
    }

    fn faults_for(&self, path: &str) -> Vec<Fault> {
        let faults = self.faults.lock().unwrap_or_else(PoisonError::into_inner);
        let is_meant = !faults.faults.is_empty() && path.contains(&faults.only);
        let before = |most| self.failed.fetch_add(1, Ordering::SeqCst) < most;
        if is_meant && faults.times.is_none_or(before) { faults.faults.clone() } else { Vec::new() }
    }

    fn read(&self, path: &str) -> Option<Vec<u8>> {
        let mut file = self.folder.clone();
        for part in path.split('/').filter(|part| !part.is_empty()) {
            if part.starts_with('.') || part.contains(['\\', ':']) {
                return None;
            }
            file.push(part);
        }
        fs::read(file).ok()
    }

    fn log(&self, asked: &Asked, status: u16, sent: u64) {
        let Asked { path, range, agent, .. } = asked;
        let request =
            Request { path: path.clone(), from: *range, agent: agent.clone(), status, sent };
        self.log.lock().unwrap_or_else(PoisonError::into_inner).push(request);
    }
}

/// Reads a request; nothing if the client has no more to ask.
fn ask(reader: &mut impl BufRead) -> io::Result<Option<Asked>> {
    const LONGEST: u64 = 16 << 10;
    let mut reader = reader.take(LONGEST);
    let mut line = String::new();
    if reader.read_line(&mut line)? == 0 {
        return Ok(None);
    }
    let path = line.split_whitespace().nth(1).unwrap_or_default().to_owned();
    let mut asked = Asked { path, range: None, agent: String::new(), known: None };
    loop {
        line.clear();
        if reader.read_line(&mut line)? == 0 || line.trim().is_empty() {
            return Ok(Some(asked));
        }
        let (name, value) = line.split_once(':').unwrap_or((&line, ""));
        let value = value.trim();
        match name.to_ascii_lowercase().as_str() {
            "range" => {
                let from = value.strip_prefix("bytes=").and_then(|it| it.strip_suffix('-'));
                asked.range = from.and_then(|from| from.parse().ok());
            }
            "user-agent" => value.clone_into(&mut asked.agent),
            "if-none-match" => asked.known = Some(value.to_owned()),
            _ => {}
        }
    }
}
