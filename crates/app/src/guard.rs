//! Who may ask what: only browsers that came to this shop by one of its own names, and only its own pages change anything.

use crate::error::AppError;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderName, HeaderValue, Method, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::sync::Arc;

/// The names under which the shop is reached, with the port it listens on.
#[derive(Clone, Debug)]
pub struct Names {
    hosts: Vec<String>,
    port: u16,
}

impl Names {
    /// `localhost`, loopback addresses, the address that is listened on, and further names.
    pub fn new(listen: std::net::SocketAddr, further: &[String]) -> Self {
        let mut hosts = vec!["localhost".to_owned(), "127.0.0.1".into(), "[::1]".into()];
        if !listen.ip().is_unspecified() {
            hosts.push(if listen.is_ipv6() { format!("[{}]", listen.ip()) } else { listen.ip().to_string() });
        }
        hosts.extend(further.iter().map(|h| h.to_ascii_lowercase()));
        Self { hosts, port: listen.port() }
    }

    /// True for `name` or `name:port`; a further name may come with any port, for what stands before the shop may have its own.
    fn ours(&self, host: &str) -> bool {
        let host = host.to_ascii_lowercase();
        let colon = host.rfind(':').filter(|i| !host[*i..].contains(']'));
        let (name, port) = colon.map_or((host.as_str(), None), |i| (&host[..i], host[i + 1..].parse::<u16>().ok()));
        match self.hosts.iter().position(|h| h == name) {
            Some(i) if i < 3 => colon.is_none() || port == Some(self.port),
            Some(_) => colon.is_none() || port.is_some(),
            None => false,
        }
    }

    /// True for an origin that the shop was told of: scheme, name and port. Under its own names it speaks plainly; what stands before
    /// it under a further name may speak over TLS, and is then the very host that was asked.
    fn is_origin(&self, origin: &str, host: &str) -> bool {
        match origin.split_once("://") {
            Some(("http", name)) => self.ours(name),
            Some(("https", name)) => self.ours(name) && !self.own(name) && name.eq_ignore_ascii_case(host),
            _ => false,
        }
    }

    /// True for a name of this computer itself.
    fn own(&self, host: &str) -> bool {
        let host = host.to_ascii_lowercase();
        self.hosts.iter().take(3).any(|h| host == *h || host.strip_prefix(h.as_str()).is_some_and(|rest| rest.starts_with(':')))
    }

    /// Why a request is not taken; `None` where it is.
    fn refused(&self, method: &Method, uri_host: Option<&str>, headers: &HeaderMap) -> Option<&'static str> {
        let text = |name: HeaderName| headers.get(name).map(|v| v.to_str().unwrap_or("?"));
        let host = text(header::HOST).or(uri_host);
        if !host.is_some_and(|h| self.ours(h)) {
            return Some("this shop is not known under that name; open it by the address it said, or add the name with --host");
        }
        if matches!(*method, Method::GET | Method::HEAD | Method::OPTIONS) {
            return None;
        }
        let foreign = "this came from another site and was not done";
        match text(header::ORIGIN) {
            Some(origin) if !self.is_origin(origin, host.unwrap_or_default()) => return Some(foreign),
            _ => {}
        }
        match text(HeaderName::from_static("sec-fetch-site")) {
            Some("same-origin" | "none") | None => None,
            Some(_) => Some(foreign),
        }
    }
}

/// Nothing from elsewhere is loaded, and no other site may change anything here.
pub async fn guard(State(names): State<Arc<Names>>, request: Request, next: Next) -> Response {
    let host = request.uri().authority().map(|a| a.as_str().to_owned());
    let mut response = match names.refused(request.method(), host.as_deref(), request.headers()) {
        Some(why) => AppError::Foreign(why).into_response(),
        None => next.run(request).await,
    };
    let policy = "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";
    for (name, value) in [
        ("content-security-policy", policy),
        ("x-content-type-options", "nosniff"),
        ("referrer-policy", "same-origin"),
        ("cross-origin-resource-policy", "same-origin"),
    ] {
        response.headers_mut().insert(HeaderName::from_static(name), HeaderValue::from_static(value));
    }
    response
}

#[cfg(test)]
mod tests {
    use super::*;

    fn asked(method: Method, headers: &[(&'static str, &str)]) -> bool {
        let names = Names::new(([127, 0, 0, 1], 7878).into(), &["shop.lan".into()]);
        let mut map = HeaderMap::new();
        for (k, v) in headers {
            map.insert(*k, HeaderValue::from_str(v).expect("a header"));
        }
        names.refused(&method, None, &map).is_none()
    }

    #[test]
    fn only_our_own_pages_change_anything() {
        for host in ["localhost:7878", "127.0.0.1:7878", "[::1]:7878", "LOCALHOST:7878", "shop.lan", "shop.lan:80"] {
            assert!(asked(Method::GET, &[("host", host)]), "{host}");
        }
        for host in ["evil.example", "evil.example:7878", "localhost:80", "localhost.evil.example:7878", "127.0.0.1.evil.example", ""] {
            assert!(!asked(Method::GET, &[("host", host)]), "{host}");
        }
        assert!(!asked(Method::GET, &[]), "no name at all");
        let ours = ("host", "localhost:7878");
        assert!(asked(Method::POST, &[ours, ("origin", "http://localhost:7878"), ("sec-fetch-site", "same-origin")]));
        assert!(asked(Method::POST, &[ours]), "a client that is no browser");
        for (k, v) in [
            ("origin", "http://evil.example"),
            ("origin", "null"),
            ("origin", "http://localhost:9999"),
            ("origin", "https://localhost:7878"),
            ("origin", "https://shop.lan"),
            ("origin", "ftp://localhost:7878"),
            ("sec-fetch-site", "cross-site"),
            ("sec-fetch-site", "same-site"),
        ] {
            assert!(!asked(Method::POST, &[ours, (k, v)]), "{k} {v}");
            assert!(!asked(Method::DELETE, &[ours, (k, v)]), "{k} {v}");
        }
        // Reached under a rebound name the page's origin and host agree, and are still not ours.
        assert!(!asked(
            Method::POST,
            &[("host", "evil.example:7878"), ("origin", "http://evil.example:7878"), ("sec-fetch-site", "same-origin")]
        ));
    }
}
