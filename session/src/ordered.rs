//! A file as it was ordered, of whatever form.

use crate::{HandOff, HandOffError, Report};
use std::io::{self, Read, Seek, Write};
use zickzack_core::keys::{FileForm, Keying, Tally};
use zickzack_core::motion::{Cancel, Frames};

/// What a file is to hold, and how.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Order {
    /// What kind of file.
    pub form: FileForm,
    /// Frames that count from 0, both ends included.
    pub range: Frames,
    /// Frames from row to row of what has rows, above 0.
    pub step: f64,
    /// Of what has keys.
    pub keying: Keying,
    /// Number of the thing, from 0, of what holds only one.
    pub thing: usize,
}

impl HandOff<'_> {
    /// Writes what was ordered, and says what the keys of each Output are, in their order; nothing of what has none. `aside` gives an
    /// empty place for what is put down on the way. How far it has come is said to `cancel`.
    ///
    /// # Errors
    /// Where a motion cannot be looked at, a model is not there, the file would be larger than its form allows, what is to
    /// be in a file of one thing is not known, or `aside` or `out` do not take what is written.
    pub fn write<A: Read + Write + Seek>(
        &self,
        order: &Order,
        aside: impl FnOnce() -> io::Result<A>,
        out: &mut (impl Write + Seek),
        cancel: &Cancel,
    ) -> Result<Vec<Tally>, HandOffError> {
        let (range, keys) = (order.range, (order.range, order.keying));
        cancel.span(0.0, 1.0);
        let tallies = match order.form {
            FileForm::Table => self.write_csv(range, order.step, &mut *out, cancel).map(|()| Vec::new())?,
            FileForm::Contacts => self.write_contacts(range, &mut *out, cancel).map(|()| Vec::new())?,
            FileForm::Model => self.write_glb(keys, aside()?, out, cancel)?,
            FileForm::Stage => self.write_usda(keys, &mut *out, cancel)?,
            FileForm::Package => self.write_usdz(keys, aside()?, &mut *out, cancel)?,
            FileForm::Joints => {
                let output = self.one_with_joints(range, cancel)?;
                self.write_bvh((output, order.thing), (range, order.step), &mut *out, cancel)?;
                Vec::new()
            }
        };
        out.flush()?;
        cancel.span(0.0, 1.0);
        cancel.reach(1.0);
        Ok(tallies)
    }

    /// What is told of a file that was written as ordered, and reads it back where that is done.
    ///
    /// # Errors
    /// Where a motion cannot be looked at, or the file cannot be read or lacks a thing.
    pub fn told(
        &self,
        order: &Order,
        (tallies, written): (&[Tally], impl Read + Seek),
        cancel: &Cancel,
    ) -> Result<Report, HandOffError> {
        cancel.span(0.0, 1.0);
        match order.form {
            FileForm::Model => self.report_glb((order.range, tallies), written, cancel),
            form => self.report(form, (order.range, tallies), cancel),
        }
    }
}
