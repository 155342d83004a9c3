//! A real browser, driven by the open WebDriver protocol. Without one these tests say so and pass; with `YSOMORPH_REQUIRE_BROWSER=1` they fail instead.

use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};

/// The name of an element's reference in the protocol.
const ELEMENT: &str = "element-6066-11e4-a52e-4f735466cecf";

pub struct Driver {
    child: Child,
    port: u16,
    /// It ends where nobody listens to what it tells.
    _told: std::io::Lines<BufReader<std::process::ChildStdout>>,
}

/// A window of its own, with its own cookies.
pub struct Window<'d> {
    driver: &'d Driver,
    session: String,
}

impl Drop for Driver {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Drop for Window<'_> {
    fn drop(&mut self) {
        let _ = self.driver.call("DELETE", &format!("/session/{}", self.session), &Value::Null);
    }
}

impl Driver {
    /// A driver on a port of its own; nothing where there is none.
    pub fn start() -> Option<Driver> {
        let mut command = Command::new("chromedriver");
        let started = command.args(["--port=0"]).stdout(Stdio::piped()).stderr(Stdio::null()).spawn();
        let Ok(mut child) = started else {
            assert!(std::env::var("YSOMORPH_REQUIRE_BROWSER").is_err(), "no chromedriver was found");
            eprintln!("skipped: no browser driver");
            return None;
        };
        let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
        let told = lines
            .by_ref()
            .map_while(Result::ok)
            .find_map(|line| Some(line.split("successfully on port ").nth(1)?.trim_end_matches('.').to_owned()));
        let port = told.and_then(|port| port.parse().ok()).expect("the driver tells its port");
        Some(Driver { child, port, _told: lines })
    }

    pub fn window(&self) -> Window<'_> {
        let arguments = ["--headless=new", "--no-sandbox", "--disable-gpu", "--window-size=1280,800"];
        let wanted = json!({ "capabilities": { "alwaysMatch": { "goog:chromeOptions": { "args": arguments } } } });
        // On a machine that is busy a browser may not come up in time.
        let begun = (0..3).find_map(|_| self.asked("POST", "/session", &wanted).ok());
        let begun = begun.unwrap_or_else(|| self.call("POST", "/session", &wanted));
        let session = begun["sessionId"].as_str().unwrap().to_owned();
        Window { driver: self, session }
    }

    fn call(&self, method: &str, path: &str, body: &Value) -> Value {
        self.asked(method, path, body).unwrap_or_else(|error| panic!("{method} {path}: {error}"))
    }

    /// What comes back, or the error that the driver tells.
    fn asked(&self, method: &str, path: &str, body: &Value) -> Result<Value, Value> {
        let body = if body.is_null() { String::new() } else { body.to_string() };
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).unwrap();
        let head = format!(
            "{method} {path} HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: {}\r\nConnection: close\r\n\r\n",
            body.len()
        );
        stream.write_all((head + &body).as_bytes()).unwrap();
        stream.set_read_timeout(Some(std::time::Duration::from_secs(60))).unwrap();
        // It leaves the door open behind an answer.
        let mut answer = BufReader::new(stream);
        let mut length = 0;
        loop {
            let mut line = String::new();
            answer.read_line(&mut line).unwrap();
            match line.trim_end().split_once(':') {
                Some((name, value)) if name.eq_ignore_ascii_case("content-length") => length = value.trim().parse().unwrap(),
                None if line.trim_end().is_empty() => break,
                _ => {}
            }
        }
        let mut bytes = vec![0; length];
        answer.read_exact(&mut bytes).unwrap();
        let body = String::from_utf8(bytes).unwrap();
        let value: Value = serde_json::from_str(&body).unwrap_or_else(|e| panic!("{method} {path}: {e}: {body}"));
        if value["value"]["error"].is_null() { Ok(value["value"].clone()) } else { Err(value["value"].clone()) }
    }
}

impl Window<'_> {
    fn call(&self, method: &str, path: &str, body: &Value) -> Value {
        self.driver.call(method, &format!("/session/{}{path}", self.session), body)
    }

    pub fn open(&self, address: &str) {
        self.call("POST", "/url", &json!({ "url": address }));
    }

    pub fn address(&self) -> String {
        self.call("GET", "/url", &Value::Null).as_str().unwrap().to_owned()
    }

    /// The text of the page as people read it.
    pub fn text(&self) -> String {
        self.script("return document.body.innerText")
    }

    /// What a script returns, as text.
    pub fn script(&self, script: &str) -> String {
        let value = self.call("POST", "/execute/sync", &json!({ "script": script, "args": [] }));
        value.as_str().map_or_else(|| value.to_string(), str::to_owned)
    }

    /// Clicks an element as a person does: where it stands.
    pub fn click(&self, selector: &str) {
        self.act(&json!({ "using": "css selector", "value": selector }), &[("click", json!({}))]);
    }

    /// Clicks a link by a part of what it says.
    pub fn follow(&self, text: &str) {
        self.act(&json!({ "using": "partial link text", "value": text }), &[("click", json!({}))]);
    }

    /// Types into an element, in place of what stands there.
    pub fn fill(&self, selector: &str, text: &str) {
        self.act(&json!({ "using": "css selector", "value": selector }), &[("clear", json!({})), ("value", json!({ "text": text }))]);
    }

    /// Does something to an element: from the beginning where the page is drawn anew under the hand.
    fn act(&self, what: &Value, steps: &[(&str, Value)]) {
        for attempt in 0.. {
            let found = self.call("POST", "/element", what);
            let element = found[ELEMENT].as_str().unwrap();
            let act = |(step, body): &(&str, Value)| {
                self.driver.asked("POST", &format!("/session/{}/element/{element}/{step}", self.session), body)
            };
            match steps.iter().try_for_each(|step| act(step).map(drop)) {
                Ok(()) => return,
                Err(error) if error["error"] == "stale element reference" && attempt < 5 => {}
                Err(error) => panic!("{what}: {error}"),
            }
        }
    }

    /// Presses keys where the focus is.
    pub fn press(&self, keys: &str) {
        let actions: Vec<Value> =
            keys.chars().flat_map(|key| ["keyDown", "keyUp"].map(|kind| json!({ "type": kind, "value": key.to_string() }))).collect();
        self.call("POST", "/actions", &json!({ "actions": [{ "type": "key", "id": "keyboard", "actions": actions }] }));
    }

    /// Waits until a script says true.
    #[track_caller]
    pub fn wait(&self, script: &str) {
        for _ in 0..600 {
            if self.script(script) == "true" {
                return;
            }
            std::thread::sleep(std::time::Duration::from_millis(50));
        }
        panic!("never: {script}\n{}", self.text());
    }
}
