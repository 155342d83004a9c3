//! The dialogue of `decide`, on a terminal that `script` of util-linux makes.

use crate::support::{Project, program};
use std::io::{Read, Write};
use std::process::{Child, ChildStdin, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

/// A terminal with the program in it.
struct Terminal {
    child: Child,
    keys: ChildStdin,
    screen: Receiver<Vec<u8>>,
}

impl Terminal {
    /// Runs `decide`; `None`, with a line that says so, where there is no `script`.
    fn decide(project: &Project) -> Option<Terminal> {
        let command = format!("'{}' -C '{}' decide", program().display(), project.dir.path().display());
        let mut script = Command::new("script");
        script.args(["-qec", &command, "/dev/null"]).env("TERM", "xterm").stdin(Stdio::piped()).stdout(Stdio::piped());
        let Ok(mut child) = script.spawn() else {
            println!("skipped: there is no `script` to make a terminal");
            return None;
        };
        let (keys, mut out) = (child.stdin.take().unwrap(), child.stdout.take().unwrap());
        let (drawn, screen) = channel();
        std::thread::spawn(move || {
            let mut bytes = [0; 4096];
            while let Ok(count @ 1..) = out.read(&mut bytes) {
                if drawn.send(bytes[..count].to_vec()).is_err() {
                    break;
                }
            }
        });
        Some(Terminal { child, keys, screen })
    }

    /// Reads until the last line of a screen is there: all that was drawn.
    fn drawn(&mut self) -> String {
        let mut seen = String::new();
        while !seen.contains("q leave") {
            match self.screen.recv_timeout(PATIENCE) {
                Ok(bytes) => seen.push_str(&String::from_utf8_lossy(&bytes)),
                Err(error) => {
                    let _ = self.child.kill();
                    panic!("no more is drawn ({error}):\n{seen}");
                }
            }
        }
        seen
    }

    fn press(&mut self, keys: &str) {
        self.keys.write_all(keys.as_bytes()).unwrap();
        self.keys.flush().unwrap();
    }

    /// What is left on the screen at the end, and the exit status.
    fn ended(mut self) -> (String, i32) {
        let mut rest = String::new();
        while let Ok(bytes) = self.screen.recv_timeout(PATIENCE) {
            rest.push_str(&String::from_utf8_lossy(&bytes));
        }
        (rest, self.child.wait().unwrap().code().unwrap())
    }
}

/// How long a screen may take, on a machine that does much else.
const PATIENCE: Duration = Duration::from_secs(30);

const SQL: &str = "CREATE TABLE yard (id INTEGER PRIMARY KEY, name TEXT NOT NULL, postcode TEXT);";

#[test]
fn questions_are_answered_by_keys_and_can_be_left_at_any_point() {
    let project = Project::new(SQL);
    project.sql("ALTER TABLE yard RENAME COLUMN postcode TO postal_code; CREATE TABLE a (id INTEGER PRIMARY KEY); CREATE TABLE b (id INTEGER PRIMARY KEY)");
    let Some(mut terminal) = Terminal::decide(&project) else { return };
    // The likeliest first, with what the marked choice would do.
    let screen = terminal.drawn();
    assert!(screen.contains("Question 1 of 3") && screen.contains("rename/yard.postcode") && screen.contains("> 1"), "{screen}");
    assert!(screen.contains("What postal_code does") && screen.contains("yard/field/postcode/column"), "{screen}");
    terminal.press("\x1b[B");
    let screen = terminal.drawn();
    assert!(screen.contains("> 2") && screen.contains("sets aside") && screen.contains("yard/page/list"), "{screen}");
    terminal.press("1");
    terminal.drawn();
    terminal.press("\r");
    let screen = terminal.drawn();
    assert!(screen.contains("Question 1 of 2") && screen.contains("table/a"), "{screen}");
    terminal.press("q");
    let (rest, code) = terminal.ended();
    assert!(rest.contains("Taken: rename/yard.postcode is answered postal_code.") && rest.contains("2 questions are open"), "{rest}");
    assert_eq!(code, 1);
    assert!(project.read("decisions.toml").contains("postal_code"));
    // Taken up again: one key for the same answer to all that is like it.
    let mut terminal = Terminal::decide(&project).unwrap();
    terminal.drawn();
    terminal.press("n");
    assert!(terminal.drawn().contains("table/b"));
    terminal.press("3");
    terminal.drawn();
    terminal.press("a");
    let (rest, code) = terminal.ended();
    assert_eq!((rest.matches("is answered later").count(), code), (2, 0), "{rest}");
    // Nothing open: no dialogue.
    let (rest, code) = Terminal::decide(&project).unwrap().ended();
    assert!(rest.contains("No open questions") && code == 0, "{rest}");
}
