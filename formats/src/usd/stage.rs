//! A stage in text, written from its first line to its last, so that nothing is held.

use super::values::{Name, text};
use std::fmt::Display;
use std::io::{self, Write};

/// A stage that is written prim by prim.
pub(super) struct Stage<W> {
    out: W,
    /// Names of prims that are open, from the root on.
    open: Vec<String>,
}

/// What a stage says of itself.
#[derive(Debug, Clone, PartialEq)]
pub struct Head<'a> {
    /// The name of the scene, any text.
    pub title: &'a str,
    /// Frames a second.
    pub fps: f64,
    /// The number that the frame 0 is shown as.
    pub first: f64,
    /// First and last frame, counted from 0.
    pub frames: [f64; 2],
}

impl<W: Write> Stage<W> {
    /// Metres, y upwards, a time code for each frame.
    pub fn new(mut out: W, head: &Head<'_>, root: &str) -> io::Result<Self> {
        let Head { title, fps, first, frames } = head;
        writeln!(out, "#usda 1.0\n(")?;
        writeln!(out, "    defaultPrim = {}", text(root))?;
        writeln!(out, "    customLayerData = {{\n        string title = {}", text(title))?;
        writeln!(out, "        string generator = \"Zickzack\"\n    }}")?;
        writeln!(out, "    startTimeCode = {}\n    endTimeCode = {}", frames[0] + first, frames[1] + first)?;
        writeln!(out, "    timeCodesPerSecond = {fps}\n    framesPerSecond = {fps}")?;
        writeln!(out, "    metersPerUnit = 1\n    upAxis = \"Y\"\n)\n")?;
        Ok(Self { out, open: Vec::new() })
    }

    fn indent(&mut self) -> io::Result<()> {
        (0..self.open.len()).try_for_each(|_| self.out.write_all(b"    "))
    }

    /// Opens a prim, with what else is said of it; `kind` is how it is there and its schema.
    pub fn begin(&mut self, kind: &str, name: &Name, more: &[String]) -> io::Result<()> {
        self.indent()?;
        write!(self.out, "{kind} \"{}\"", name.identifier)?;
        let shown = (name.shown != name.identifier).then(|| format!("displayName = {}", text(&name.shown)));
        let mut all = shown.iter().chain(more).peekable();
        if all.peek().is_some() {
            writeln!(self.out, " (")?;
            for line in all {
                self.indent()?;
                writeln!(self.out, "    {line}")?;
            }
            self.indent()?;
            write!(self.out, ")")?;
        }
        writeln!(self.out)?;
        self.indent()?;
        writeln!(self.out, "{{")?;
        self.open.push(name.identifier.clone());
        Ok(())
    }

    /// The same for one whose name is an identifier.
    pub fn begin_plain(&mut self, kind: &str, name: &str, more: &[String]) -> io::Result<()> {
        self.begin(kind, &Name { identifier: name.to_owned(), shown: name.to_owned() }, more)
    }

    /// Closes the prim that was opened last.
    pub fn end(&mut self) -> io::Result<()> {
        self.open.pop();
        self.indent()?;
        writeln!(self.out, "}}")
    }

    /// The path of the prim that is open.
    pub fn path(&self) -> String {
        self.open.iter().map(|name| format!("/{name}")).collect()
    }

    /// An attribute that stays, with what more is said of it.
    pub fn set(&mut self, what: &str, value: impl Display, more: &[&str]) -> io::Result<()> {
        self.indent()?;
        write!(self.out, "{what} = {value}")?;
        if !more.is_empty() {
            writeln!(self.out, " (")?;
            for line in more {
                self.indent()?;
                writeln!(self.out, "    {line}")?;
            }
            self.indent()?;
            write!(self.out, ")")?;
        }
        writeln!(self.out)
    }

    /// An attribute without a value.
    pub fn say(&mut self, what: &str) -> io::Result<()> {
        self.indent()?;
        writeln!(self.out, "{what}")
    }

    /// An attribute over time: what it is at each of some time codes.
    pub fn over_time<T, E: From<io::Error>>(
        &mut self,
        what: &str,
        times: impl IntoIterator<Item = (f64, T)>,
        mut value: impl FnMut(&mut W, T) -> Result<(), E>,
    ) -> Result<(), E> {
        self.indent()?;
        writeln!(self.out, "{what}.timeSamples = {{")?;
        for (time, of) in times {
            self.indent()?;
            write!(self.out, "    {time}: ")?;
            value(&mut self.out, of)?;
            writeln!(self.out, ",")?;
        }
        self.indent()?;
        writeln!(self.out, "}}")?;
        Ok(())
    }

    /// What it was written to; all prims are closed.
    pub fn finish(mut self) -> io::Result<W> {
        self.out.flush()?;
        Ok(self.out)
    }
}
