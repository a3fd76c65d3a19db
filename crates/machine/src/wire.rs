//! What a line to a controller is laid over.

use std::future::Future;
use std::io;
use std::pin::Pin;
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::TcpStream;

/// Bytes there and back.
pub trait Wire: AsyncRead + AsyncWrite + Send + Unpin {}

impl<T: AsyncRead + AsyncWrite + Send + Unpin> Wire for T {}

/// A wire that is being laid.
pub type Laying<'a> = Pin<Box<dyn Future<Output = io::Result<Box<dyn Wire>>> + Send + 'a>>;

/// Lays wires to addresses.
pub trait Dial: Send + Sync {
    /// A new wire to whoever answers at this address.
    fn dial<'a>(&'a self, address: &'a str) -> Laying<'a>;
}

/// The network.
pub(crate) struct Tcp;

impl Dial for Tcp {
    fn dial<'a>(&'a self, address: &'a str) -> Laying<'a> {
        Box::pin(async move {
            let stream = TcpStream::connect(address).await?;
            stream.set_nodelay(true)?;
            Ok(Box::new(stream) as Box<dyn Wire>)
        })
    }
}
