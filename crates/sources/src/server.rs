//! What servers of all engines have in common: troubles in plain words, a bound on every wait, encryption.

use crate::address::{Address, Tls};
use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::crypto::{CryptoProvider, verify_tls12_signature, verify_tls13_signature};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
use rustls::{ClientConfig, DigitallySignedStruct, RootCertStore, SignatureScheme};
use std::sync::{Arc, mpsc};
use std::thread;
use std::time::Duration;
use ysomorph_core::name::Patterns;

/// What went wrong with a server.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Trouble {
    /// Nothing answers there.
    Refused,
    /// It took the connection and says nothing.
    Hangs,
    /// The user or password is wrong, or nobody may come from here.
    Login,
    /// There is no such database.
    NoDatabase,
    /// There is no such schema in it; those there are.
    NoSchema(Vec<String>),
    /// A right is missing.
    Denied,
    /// Somebody holds a lock that has to be waited for.
    Locked,
    /// The connection was lost midway.
    Lost,
    /// Encryption failed.
    Tls,
    /// Reading took too long.
    TooSlow,
    /// Anything else.
    Other,
}

/// A trouble, and what came back.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("cannot read {address}: {message}")]
pub struct ServerError {
    /// Where, without a password.
    pub address: String,
    /// What it is.
    pub trouble: Trouble,
    /// What came back.
    pub message: String,
}

impl ServerError {
    /// Whether the server merely doesn't have or give what was asked: the rest may still be read.
    pub(crate) fn costs_a_part(&self) -> bool {
        matches!(self.trouble, Trouble::Denied | Trouble::Other)
    }

    pub(crate) fn new(address: &Address, trouble: Trouble, message: &str) -> ServerError {
        ServerError { address: address.to_string(), trouble, message: address.scrubbed(message.trim()) }
    }
}

/// A message of the working thread.
enum Progress<T> {
    Connected,
    Done(Result<T, ServerError>),
}

/// Connects and works in a thread, and waits no longer than the address allows: a driver may wait for ever for a
/// server that took the connection and then says nothing.
pub(crate) fn bounded<C, T: Send + 'static>(
    address: &Address,
    connect: impl FnOnce(&Address) -> Result<C, ServerError> + Send + 'static,
    work: impl FnOnce(C, &Address) -> Result<T, ServerError> + Send + 'static,
) -> Result<T, ServerError> {
    let (sender, receiver) = mpsc::channel();
    let own = address.clone();
    thread::spawn(move || {
        let outcome = connect(&own).and_then(|connection| {
            let _ = sender.send(Progress::Connected);
            work(connection, &own)
        });
        let _ = sender.send(Progress::Done(outcome));
    });
    let wait = |limit: Duration, trouble: Trouble| {
        receiver.recv_timeout(limit).map_err(|_| {
            let message = match trouble {
                Trouble::Hangs => format!("it took the connection and didn't answer within {} s", limit.as_secs()),
                _ => format!("reading the schema took more than {} s", limit.as_secs()),
            };
            ServerError::new(address, trouble, &message)
        })
    };
    // A little more than the driver's own limit, whose message says more.
    match wait(address.connect_timeout + Duration::from_millis(500), Trouble::Hangs)? {
        Progress::Done(outcome) => outcome,
        Progress::Connected => match wait(address.read_timeout, Trouble::TooSlow)? {
            Progress::Done(outcome) => outcome,
            Progress::Connected => Err(ServerError::new(address, Trouble::Other, "it connected twice")),
        },
    }
}

/// The schemas that names and patterns stand for, each once; a plain name stands for itself, there or not.
pub(crate) fn expanded(wanted: &[String], there: &[String]) -> Vec<String> {
    let mut all: Vec<String> = Vec::new();
    for name in wanted {
        let is_pattern = name.contains(['*', '?']);
        let pattern = Patterns::from(name.as_str());
        let matching = there.iter().filter(|t| is_pattern && pattern.fit(t)).cloned();
        let found: Vec<String> = if is_pattern { matching.collect() } else { vec![name.clone()] };
        all.extend(found.into_iter().filter(|f| !all.contains(f)).collect::<Vec<_>>());
    }
    all
}

/// The trouble a connection's failure stands for.
pub(crate) fn of_io(error: &std::io::Error) -> Trouble {
    use std::io::ErrorKind;
    match error.kind() {
        ErrorKind::ConnectionRefused
        | ErrorKind::NotFound
        | ErrorKind::HostUnreachable
        | ErrorKind::NetworkUnreachable
        | ErrorKind::AddrNotAvailable => Trouble::Refused,
        ErrorKind::TimedOut | ErrorKind::WouldBlock => Trouble::Hangs,
        ErrorKind::ConnectionReset | ErrorKind::ConnectionAborted | ErrorKind::BrokenPipe | ErrorKind::UnexpectedEof => Trouble::Lost,
        _ => Trouble::Other,
    }
}

/// The encryption an address asks for; `None` for none.
pub(crate) fn tls_config(address: &Address) -> Result<Option<ClientConfig>, ServerError> {
    let failed = |message: String| ServerError::new(address, Trouble::Tls, &message);
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let builder =
        ClientConfig::builder_with_provider(provider.clone()).with_safe_default_protocol_versions().map_err(|e| failed(e.to_string()))?;
    match &address.tls {
        Tls::Off => Ok(None),
        Tls::Prefer => {
            let any = Arc::new(AnyServer(provider));
            Ok(Some(builder.dangerous().with_custom_certificate_verifier(any).with_no_client_auth()))
        }
        Tls::Verify(file) => {
            let mut roots = RootCertStore::empty();
            match file {
                None => roots.extend(webpki_roots::TLS_SERVER_ROOTS.iter().cloned()),
                Some(file) => {
                    let unreadable =
                        |e: &dyn std::fmt::Display| failed(format!("the certificates `{}` can't be read: {e}", file.display()));
                    for certificate in CertificateDer::pem_file_iter(file).map_err(|e| unreadable(&e))? {
                        let certificate = certificate.map_err(|e| unreadable(&e))?;
                        roots.add(certificate).map_err(|e| unreadable(&e))?;
                    }
                }
            }
            Ok(Some(builder.with_root_certificates(roots).with_no_client_auth()))
        }
    }
}

/// Takes any server for the right one: for connections that nobody asked to be encrypted.
#[derive(Debug)]
struct AnyServer(Arc<CryptoProvider>);

impl ServerCertVerifier for AnyServer {
    fn verify_server_cert(
        &self,
        _: &CertificateDer<'_>,
        _: &[CertificateDer<'_>],
        _: &ServerName<'_>,
        _: &[u8],
        _: UnixTime,
    ) -> Result<ServerCertVerified, rustls::Error> {
        Ok(ServerCertVerified::assertion())
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        verify_tls12_signature(message, certificate, signed, &self.0.signature_verification_algorithms)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        verify_tls13_signature(message, certificate, signed, &self.0.signature_verification_algorithms)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.0.signature_verification_algorithms.supported_schemes()
    }
}
