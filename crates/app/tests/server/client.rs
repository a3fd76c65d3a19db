//! A shop as a process, and a client that speaks HTTP over sockets: nothing of ours but the binary.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// A shop that runs as a process of its own.
pub struct Shop {
    pub process: Child,
    /// `host:port`.
    pub address: String,
    pub data: tempfile::TempDir,
}

impl Shop {
    pub fn open(more: &[&str]) -> Self {
        Self::over(tempfile::tempdir().expect("a folder"), more)
    }

    /// The demo shop.
    pub fn demo() -> Self {
        Self::with("demo", tempfile::tempdir().expect("a folder"), &[])
    }

    pub fn over(data: tempfile::TempDir, more: &[&str]) -> Self {
        Self::with("serve", data, more)
    }

    fn with(command: &str, data: tempfile::TempDir, more: &[&str]) -> Self {
        let (process, address) = started(
            Command::new(env!("CARGO_BIN_EXE_boustrophe"))
                .args([command, "--listen", "127.0.0.1:0"])
                .args(more)
                .arg("--data")
                .arg(data.path()),
        );
        Self { process, address, data }
    }

    /// Kills the shop and opens it again over the same data.
    pub fn reopen(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
        let mut command = Command::new(env!("CARGO_BIN_EXE_boustrophe"));
        (self.process, self.address) = started(command.args(["serve", "--listen", "127.0.0.1:0"]).arg("--data").arg(self.data.path()));
    }

    /// Answer to a request.
    pub fn ask(&self, method: &str, path: &str, headers: &[(&str, &str)], body: &[u8]) -> Answer {
        ask(&self.address, method, path, headers, body)
    }
    pub fn get(&self, path: &str) -> Answer {
        self.ask("GET", path, &[], b"")
    }
    pub fn post(&self, path: &str, fields: &[(&str, &str)]) -> Answer {
        let body: Vec<String> = fields.iter().map(|(k, v)| format!("{}={}", escaped(k), escaped(v))).collect();
        self.ask("POST", path, &[("content-type", "application/x-www-form-urlencoded")], body.join("&").as_bytes())
    }
    /// Drops files on a page.
    pub fn upload(&self, path: &str, files: &[(&str, &[u8])]) -> Answer {
        let mut body = Vec::new();
        for (name, bytes) in files {
            body.extend(format!("--bee\r\ncontent-disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n").bytes());
            body.extend_from_slice(bytes);
            body.extend(b"\r\n");
        }
        body.extend(b"--bee--\r\n");
        self.ask("POST", path, &[("content-type", "multipart/form-data; boundary=bee")], &body)
    }
    /// A new job; its number.
    pub fn job(&self, name: &str) -> u32 {
        let to = self.post("/jobs", &[("name", name)]).header("location");
        to.split('/').nth(2).and_then(|n| n.parse().ok()).unwrap_or_else(|| panic!("a job: {to}"))
    }
    /// The revision that a job's page shows.
    pub fn revision(&self, job: u32) -> u32 {
        let page = self.get(&format!("/jobs/{job}/nest")).text();
        page.split("data-revision=\"")
            .nth(1)
            .and_then(|t| t.split('"').next())
            .and_then(|n| n.parse().ok())
            .unwrap_or_else(|| panic!("{page}"))
    }
    /// Resident memory of the server now and at its most, MB.
    pub fn memory(&self) -> u64 {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.process.id())).expect("its status");
        let line = status.lines().find(|l| l.starts_with("VmHWM")).expect("its peak");
        line.split_whitespace().nth(1).and_then(|n| n.parse::<u64>().ok()).expect("a number") / 1024
    }
}

impl Drop for Shop {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

/// Starts something that says on its first line where it answers.
pub fn started(command: &mut Command) -> (Child, String) {
    let mut process = command.env("RUST_LOG", "warn").stdout(Stdio::piped()).spawn().expect("it starts");
    let mut line = String::new();
    BufReader::new(process.stdout.take().expect("its output")).read_line(&mut line).expect("it says where");
    let address = line.split_whitespace().find(|w| w.contains("127.0.0.1:")).expect("an address");
    (process, address.trim_start_matches("http://").trim_end_matches('/').to_owned())
}

fn escaped(text: &str) -> String {
    text.bytes().map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") }).collect()
}

/// What came back.
pub struct Answer {
    pub status: u16,
    head: String,
    pub body: Vec<u8>,
}

impl Answer {
    pub fn text(&self) -> String {
        String::from_utf8_lossy(&self.body).into_owned()
    }
    pub fn header(&self, name: &str) -> String {
        let line = self.head.lines().find(|l| l.to_lowercase().starts_with(&format!("{name}:")));
        line.and_then(|l| l.split_once(':')).map(|l| l.1.trim().to_owned()).unwrap_or_default()
    }
    /// The sentence of a page that says that something was not done.
    pub fn sentence(&self) -> String {
        let page = self.text();
        page.split("id=\"sentence\"").nth(1).and_then(|t| t.split('>').nth(1)).and_then(|t| t.split('<').next()).unwrap_or("").to_owned()
    }
}

pub fn ask(address: &str, method: &str, path: &str, headers: &[(&str, &str)], body: &[u8]) -> Answer {
    try_ask(address, method, path, headers, body).unwrap_or_else(|e| panic!("{method} {path}: {e}"))
}

pub fn try_ask(address: &str, method: &str, path: &str, headers: &[(&str, &str)], body: &[u8]) -> std::io::Result<Answer> {
    let mut stream = TcpStream::connect(address)?;
    stream.set_read_timeout(Some(Duration::from_secs(90)))?;
    let mut head = format!("{method} {path} HTTP/1.1\r\nconnection: close\r\ncontent-length: {}\r\n", body.len());
    if !headers.iter().any(|h| h.0 == "host") {
        head += &format!("host: {address}\r\n");
    }
    headers.iter().for_each(|(k, v)| head += &format!("{k}: {v}\r\n"));
    stream.write_all((head + "\r\n").as_bytes())?;
    // A refused body may not be read to its end.
    let _ = stream.write_all(body);
    let mut all = Vec::new();
    let read = stream.read_to_end(&mut all);
    let split = all.windows(4).position(|w| w == b"\r\n\r\n");
    let Some(split) = split else { return Err(read.err().unwrap_or_else(|| std::io::ErrorKind::UnexpectedEof.into())) };
    let head = String::from_utf8_lossy(&all[..split]).into_owned();
    let status = head.split(' ').nth(1).and_then(|s| s.parse().ok()).ok_or(std::io::ErrorKind::InvalidData)?;
    let mut body = all[split + 4..].to_vec();
    if head.to_lowercase().contains("transfer-encoding: chunked") {
        body = dechunked(&body);
    }
    Ok(Answer { status, head, body })
}

fn dechunked(mut rest: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    while let Some(end) = rest.windows(2).position(|w| w == b"\r\n") {
        let size = usize::from_str_radix(String::from_utf8_lossy(&rest[..end]).trim(), 16).unwrap_or(0);
        if size == 0 || end + 2 + size > rest.len() {
            break;
        }
        out.extend_from_slice(&rest[end + 2..end + 2 + size]);
        rest = &rest[(end + 4 + size).min(rest.len())..];
    }
    out
}

/// A drawing of the demo.
pub fn demo(name: &str) -> Vec<u8> {
    std::fs::read(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name)).expect("a demo drawing")
}

/// The fields of a form on a page, by the form's action and a word that it holds.
pub fn field(page: &str, after: &str, name: &str) -> String {
    let from = page.find(after).unwrap_or_else(|| panic!("“{after}” is on the page"));
    let at = page[from..].find(&format!("name=\"{name}\"")).unwrap_or_else(|| panic!("{name} after {after}")) + from;
    page[at..].split("value=\"").nth(1).and_then(|v| v.split('"').next()).unwrap_or("").to_owned()
}
