//! `try`: the application as it is served, by plain requests and in a real browser.

mod attempts;
mod driver;
mod exchange;
mod journey;
mod pages;
mod records;
mod saving;

use crate::servers::{BOTH, Place};
use crate::support::{Project, program};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};

/// The demo on a database of each engine; on a server's where one answers.
pub fn everywhere() -> Vec<(Project, Option<Place>)> {
    let servers = BOTH.into_iter().filter_map(Place::new).map(|place| (Project::demo(Some(&place)), Some(place)));
    std::iter::once((Project::demo(None), None)).chain(servers).collect()
}

/// A program that serves, ended when it is dropped.
pub struct Served {
    child: Child,
    pub port: u16,
    pub key: String,
}

/// An answer.
#[derive(Debug)]
pub struct Got {
    pub status: u16,
    pub head: String,
    pub body: String,
    /// The body as it came.
    pub bytes: Vec<u8>,
}

impl Drop for Served {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Served {
    pub fn start(project: &Project, arguments: &[&str]) -> Served {
        let mut command = Command::new(program());
        command.arg("-C").arg(project.dir.path()).arg("try").args(arguments);
        let mut child = command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::inherit()).spawn().unwrap();
        let lines = BufReader::new(child.stdout.take().unwrap()).lines();
        let address = lines.map_while(Result::ok).find(|line| line.starts_with("http://")).expect("it tells its address");
        let (host, key) = address.split_once("/?key=").unwrap();
        let port = host.rsplit_once(':').unwrap().1.parse().unwrap();
        Served { child, port, key: key.to_owned() }
    }

    /// What anything at all gets back.
    pub fn raw(&self, request: &str) -> Got {
        self.raw_bytes(request.as_bytes())
    }

    fn raw_bytes(&self, request: &[u8]) -> Got {
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).unwrap();
        stream.set_read_timeout(Some(std::time::Duration::from_secs(60))).unwrap();
        // Who is refused early may find the door shut.
        let _ = stream.write_all(request);
        let mut bytes = Vec::new();
        let _ = stream.read_to_end(&mut bytes);
        let text = String::from_utf8_lossy(&bytes).into_owned();
        let (head, body) = text.split_once("\r\n\r\n").unwrap_or((&text, ""));
        let status = head.split(' ').nth(1).and_then(|word| word.parse().ok()).unwrap_or(0);
        let start = bytes.windows(4).position(|four| four == b"\r\n\r\n").map_or(bytes.len(), |at| at + 4);
        Got { status, head: head.to_owned(), body: body.to_owned(), bytes: bytes[start..].to_vec() }
    }

    /// A request as a browser makes it that was let in; `view` is who looks, as the cookie keeps it.
    pub fn get(&self, path: &str, view: &str) -> Got {
        let cookie = format!("ysomorph_key={}; ysomorph_viewer={view}", self.key);
        self.raw(&format!("GET {path} HTTP/1.1\r\nHost: 127.0.0.1:{}\r\nCookie: {cookie}\r\nConnection: close\r\n\r\n", self.port))
    }

    /// A form that is sent.
    pub fn post(&self, path: &str, form: &[(&str, &str)]) -> Got {
        self.post_as(path, form, "")
    }

    /// A form that is sent by somebody, as the cookie keeps them.
    pub fn post_as(&self, path: &str, form: &[(&str, &str)], view: &str) -> Got {
        let fields: Vec<String> = form.iter().map(|(name, value)| format!("{}={}", encoded(name), encoded(value))).collect();
        let body = fields.join("&");
        self.raw(&format!(
            "POST {path} HTTP/1.1\r\nHost: 127.0.0.1:{}\r\nCookie: ysomorph_key={}; ysomorph_viewer={view}\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: {}\r\nConnection: close\r\n\r\n{body}",
            self.port,
            self.key,
            body.len()
        ))
    }

    /// A file that is sent to be imported.
    pub fn upload(&self, path: &str, form: &[(&str, &str)], file: &[u8], view: &str) -> Got {
        self.upload_as("file", path, form, file, view)
    }

    /// A file that is sent with a form, under the name of a control.
    pub fn upload_as(&self, control: &str, path: &str, form: &[(&str, &str)], file: &[u8], view: &str) -> Got {
        let line = "--between";
        let mut body: Vec<u8> = Vec::new();
        for (name, value) in form {
            body.extend(format!("{line}\r\nContent-Disposition: form-data; name=\"{name}\"\r\n\r\n{value}\r\n").bytes());
        }
        let head = format!(
            "{line}\r\nContent-Disposition: form-data; name=\"{control}\"; filename=\"../../etc/x.csv\"\r\nContent-Type: text/csv\r\n\r\n"
        );
        body.extend([head.as_bytes(), file, format!("\r\n{line}--\r\n").as_bytes()].concat());
        let head = format!(
            "POST {path} HTTP/1.1\r\nHost: 127.0.0.1:{}\r\nCookie: ysomorph_key={}; ysomorph_viewer={view}\r\nContent-Type: multipart/form-data; boundary=between\r\nContent-Length: {}\r\nConnection: close\r\n\r\n",
            self.port,
            self.key,
            body.len()
        );
        self.raw_bytes(&[head.as_bytes(), &body].concat())
    }

    /// What every form of its pages carries.
    pub fn token(&self) -> String {
        let page = self.get("/now/", "");
        let page = self.get(header(&page.head, "location").unwrap_or("/now/"), "");
        between(&page.body, "name=\"token\" value=\"", "\"").expect("a form").to_owned()
    }
}

/// A header's value.
pub fn header<'h>(head: &'h str, name: &str) -> Option<&'h str> {
    let lines = head.lines().filter_map(|line| line.split_once(": "));
    lines.into_iter().find(|(own, _)| own.eq_ignore_ascii_case(name)).map(|(_, value)| value)
}

/// What stands between two texts, where both are there.
pub fn between<'t>(text: &'t str, before: &str, after: &str) -> Option<&'t str> {
    let rest = &text[text.find(before)? + before.len()..];
    Some(&rest[..rest.find(after)?])
}

/// A text as it stands in an address.
pub fn encoded(text: &str) -> String {
    text.bytes().map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") }).collect()
}

/// A text of a page as people read it.
pub fn unescaped(text: &str) -> String {
    text.replace("&lt;", "<").replace("&gt;", ">").replace("&quot;", "\"").replace("&amp;", "&")
}
