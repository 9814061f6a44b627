//! A web server behind TLS, which has made its certificate itself.

use std::io::{self, BufRead, BufReader, Read, Write};
use std::net::{Shutdown, SocketAddr, TcpListener, TcpStream};
use std::sync::Arc;
use std::thread;

use rustls::crypto::ring::default_provider;
use rustls::pki_types::PrivateKeyDer;
use rustls::{ServerConfig, ServerConnection, StreamOwned};

/// Listens until the test ends.
pub struct Secure {
    address: SocketAddr,
    certificate: String,
}

impl Secure {
    /// Answers requests through another server.
    pub fn before(behind: SocketAddr) -> Self {
        let own = rcgen::generate_simple_self_signed(["127.0.0.1".to_owned()]).unwrap();
        let key = PrivateKeyDer::Pkcs8(own.signing_key.serialize_der().into());
        let config = ServerConfig::builder_with_provider(Arc::new(default_provider()))
            .with_safe_default_protocol_versions()
            .unwrap()
            .with_no_client_auth()
            .with_single_cert(vec![own.cert.der().clone()], key)
            .unwrap();
        let config = Arc::new(config);
        let listener = TcpListener::bind(("127.0.0.1", 0)).unwrap();
        let address = listener.local_addr().unwrap();
        thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                let config = config.clone();
                thread::spawn(move || drop(converse(stream, config, behind)));
            }
        });
        Self { address, certificate: own.cert.pem() }
    }

    pub fn url(&self) -> String {
        format!("https://{}", self.address)
    }

    /// Its certificate.
    pub fn certificate(&self) -> &str {
        &self.certificate
    }
}

/// Hands one request after the other on, each over its own connection.
fn converse(stream: TcpStream, config: Arc<ServerConfig>, behind: SocketAddr) -> io::Result<()> {
    let connection = ServerConnection::new(config).map_err(io::Error::other)?;
    let mut client = BufReader::new(StreamOwned::new(connection, stream));
    loop {
        let mut request = Vec::new();
        while !request.ends_with(b"\r\n\r\n") {
            if client.read_until(b'\n', &mut request)? == 0 {
                return Ok(());
            }
        }
        let mut server = TcpStream::connect(behind)?;
        server.write_all(&request)?;
        server.shutdown(Shutdown::Write)?;
        let mut block = [0; 16 << 10];
        loop {
            let read = server.read(&mut block)?;
            if read == 0 {
                break;
            }
            client.get_mut().write_all(&block[..read])?;
        }
        client.get_mut().flush()?;
    }
}
