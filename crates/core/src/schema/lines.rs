//! JSON laid out for people and version control: the outer levels one key a line, lists of records one record a
//! line, and everything inside a record on its line.

use serde::Serialize;
use serde_json::Serializer;
use serde_json::ser::Formatter;
use std::io;

/// Objects down to this depth have a line for each key.
const OUTER: usize = 3;

/// Records in lists down to this depth have a line of their own.
const LINED: usize = 4;

/// Writes a value in this layout.
pub(super) fn to_string(value: &impl Serialize) -> String {
    let mut out = Vec::new();
    let mut serializer = Serializer::with_formatter(&mut out, Lines::default());
    // Writing plain values into memory can't fail.
    let _ = value.serialize(&mut serializer);
    out.push(b'\n');
    String::from_utf8(out).unwrap_or_default()
}

/// What is open: an object, or a list and whether its members stand on lines of their own.
#[derive(Clone, Copy)]
enum Open {
    Object { empty: bool },
    List { lined: bool, empty: bool },
}

#[derive(Default)]
struct Lines {
    open: Vec<Open>,
}

impl Lines {
    fn outer(&self) -> bool {
        self.open.len() <= OUTER
    }

    fn line<W: ?Sized + io::Write>(&self, out: &mut W, depth: usize) -> io::Result<()> {
        out.write_all(b"\n")?;
        (0..depth).try_for_each(|_| out.write_all(b"  "))
    }
}

impl Formatter for Lines {
    fn begin_array<W: ?Sized + io::Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.open.push(Open::List { lined: false, empty: true });
        out.write_all(b"[")
    }

    fn begin_array_value<W: ?Sized + io::Write>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        if let Some(Open::List { lined, empty }) = self.open.last_mut() {
            *empty = false;
            if !first {
                // A record begins its own line; what comes is known only when it does.
                out.write_all(if *lined { b"," } else { b", " })?;
            }
        }
        Ok(())
    }

    fn end_array<W: ?Sized + io::Write>(&mut self, out: &mut W) -> io::Result<()> {
        if let Some(Open::List { lined: true, empty: false }) = self.open.pop() {
            self.line(out, self.open.len())?;
        }
        out.write_all(b"]")
    }

    fn begin_object<W: ?Sized + io::Write>(&mut self, out: &mut W) -> io::Result<()> {
        let depth = self.open.len();
        match self.open.last_mut() {
            Some(Open::List { lined, .. }) if depth <= LINED => {
                *lined = true;
                self.line(out, depth)?;
            }
            _ => {}
        }
        self.open.push(Open::Object { empty: true });
        out.write_all(b"{")
    }

    fn begin_object_key<W: ?Sized + io::Write>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        if let Some(Open::Object { empty }) = self.open.last_mut() {
            *empty = false;
        }
        if !first {
            out.write_all(b",")?;
        }
        if self.outer() { self.line(out, self.open.len()) } else { out.write_all(b" ") }
    }

    fn begin_object_value<W: ?Sized + io::Write>(&mut self, out: &mut W) -> io::Result<()> {
        out.write_all(b": ")
    }

    fn end_object<W: ?Sized + io::Write>(&mut self, out: &mut W) -> io::Result<()> {
        let outer = self.outer();
        if let Some(Open::Object { empty: false }) = self.open.pop() {
            if outer { self.line(out, self.open.len())? } else { out.write_all(b" ")? }
        }
        out.write_all(b"}")
    }
}
