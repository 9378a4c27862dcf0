//! What changes another motion.
//!
//! A [`Layer`] says how it changes poses of things that stay the same things at the same frames; [`Layered`], the one
//! adaptor, makes a motion of it. What hangs on a pose is derived there, so that no layer can leave it behind: where things
//! touch, where they are cut off, at which frames they are not smooth, what they look like.

pub mod face_travel;
pub mod face_up;
pub mod followers;
pub mod head_count;
pub mod mimic;
pub mod moved;
pub mod pivot;
pub mod rattle;
pub mod retime;
pub mod shudder;
pub mod steered;
pub mod swell;
pub mod together;
pub mod two_shots;
pub mod waver;

use super::contact::with_middles;
use super::{
    Break, Cancel, Columns, Contact, Extent, Frames, Kind, Motion, MotionError, Sample, Symmetry, as_inner, with_breaks,
};
use crate::curve::Path;
use crate::pose::{Axis, Pose, turn_between};
use crate::signal::{Thing, velocity_of};
use std::ops::Range;
use std::sync::Arc;

/// Rows of a sample: which thing each is, and at which frame.
#[derive(Clone, Copy)]
pub enum Rows<'a> {
    /// Each at a frame of its own.
    Each(&'a [(usize, f64)]),
    /// So many things from the first on, all at one frame.
    Range {
        /// Real-valued.
        frame: f64,
        /// The thing in row 0.
        first: usize,
        /// How many.
        count: usize,
    },
}

impl Rows<'_> {
    /// How many.
    pub const fn count(&self) -> usize {
        match self {
            Self::Each(at) => at.len(),
            Self::Range { count, .. } => *count,
        }
    }

    /// The thing and the frame of a row below `count()`.
    #[inline]
    pub fn get(&self, row: usize) -> (usize, f64) {
        match self {
            Self::Each(at) => at[row],
            Self::Range { frame, first, .. } => (first + row, *frame),
        }
    }

    /// All of them, in order.
    pub fn iter(&self) -> impl Iterator<Item = (usize, f64)> + '_ {
        (0..self.count()).map(|row| self.get(row))
    }

    /// All of them so many frames later.
    pub fn later(&self, frames: f64) -> Vec<(usize, f64)> {
        self.iter().map(|(object, frame)| (object, frame + frames)).collect()
    }
}

/// What the other motion has to give so that [`Who`] can tell things apart.
pub fn who_needs(inner: &dyn Motion) -> Columns {
    if inner.lives().is_some() { Columns::LIFE } else { Columns::NONE }
}

/// Whom what each thing has of its own is of: of what begins anew the birth, which comes again in each loop, whichever
/// thing lives through it.
#[derive(Clone, Copy)]
pub struct Who {
    count: usize,
}

impl Who {
    /// Those of a motion.
    pub fn of(inner: &dyn Motion) -> Self {
        Self { count: inner.lives().map_or(inner.len(), |lives| lives.births().len()) }
    }

    /// The one in a row of a sample that has what [`who_needs`] says.
    pub fn at(self, rows: Rows<'_>, row: usize, sample: &Sample) -> (Thing, f64) {
        let (object, frame) = rows.get(row);
        (Thing { index: sample.ages.get(row).map_or(object, |age| age.birth), count: self.count }, frame)
    }
}

/// Writes what follows from the pose of a row's thing, which `pose` gives so many frames later, into what was asked for: where
/// it jumps or bends, how fast it changes is that of one side.
pub(in crate::motion) fn put_pose(out: &mut Sample, row: usize, pose: impl Fn(f64) -> Pose) {
    let here = pose(0.0);
    out.positions.get_mut(row).into_iter().for_each(|position| *position = here.position);
    out.orientations.get_mut(row).into_iter().for_each(|orientation| *orientation = here.orientation);
    if !(out.velocities.is_empty() && out.travels.is_empty()) {
        let velocity = velocity_of(|later| pose(later).position, 0.0);
        out.velocities.get_mut(row).into_iter().for_each(|own| *own = velocity);
        out.travels.get_mut(row).into_iter().for_each(|travel| *travel = velocity.normalize_or_zero());
    }
    if let Some(spin) = out.spins.get_mut(row) {
        *spin = velocity_of(|later| turn_between(here.orientation, pose(later).orientation), 0.0);
    }
}

/// What a layer lies over, and where within the frames asked for that is not smooth.
#[derive(Clone, Copy)]
pub struct Below<'a> {
    /// The other motion.
    pub inner: &'a dyn Motion,
    /// Breaks of the thing asked about.
    pub breaks: &'a [Break],
}

/// What becomes of a place in space that a thing touches, or is cut off along, when a layer moves the thing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Touched {
    /// Things are moved against what they touch: it stays where it is.
    Stays,
    /// What is touched goes along with the thing's middle.
    GoesAlong,
    /// All of space is moved as one, and [`Layer::touch`] says where to.
    MovesAsOne,
}

/// How one motion changes another that has the same things at the same frames.
pub trait Layer: Send + Sync + Sized + 'static {
    /// The columns that it may change, of those that [`Motion::varies`] speaks of.
    fn changes(&self) -> Columns;

    /// What the other motion has to give for these columns.
    fn needs(&self, inner: &dyn Motion, columns: Columns) -> Columns {
        let _ = inner;
        columns
    }

    /// Changes what `inner` gave for `needs(columns)`: makes of it what `columns` asks for. More columns may be left in
    /// `out`; where things are cut off is not its business.
    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample);

    /// Frames before and after those that are sampled at which it asks the other motion.
    fn margin(&self) -> f64 {
        0.0
    }

    /// The frames at which it asks the other motion when it is sampled in `range`.
    fn asks(&self, range: Frames) -> Frames {
        range.widened(self.margin())
    }

    /// This layer made ready for `range` over `inner`, which is, or `None` where it is as it stands.
    ///
    /// # Errors
    /// What it asks besides takes too much, or was cancelled.
    fn prepare(&self, inner: &dyn Motion, range: Frames, cancel: &Cancel) -> Result<Option<Self>, MotionError> {
        let _ = (inner, range, cancel);
        Ok(None)
    }

    /// Where within `range` it is not smooth itself, in any order; what is `below` it need not be told again.
    ///
    /// # Errors
    /// `TooMuch` beyond [`MOST_BREAKS`](super::MOST_BREAKS).
    fn breaks(&self, below: Below<'_>, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let _ = (below, object, range);
        Ok(Vec::new())
    }

    /// What becomes of what is touched.
    fn touched(&self) -> Touched {
        Touched::GoesAlong
    }

    /// A contact where all is moved as one.
    fn touch(&self, contact: Contact) -> Contact {
        contact
    }

    /// The path of what it makes.
    fn path<'a>(&'a self, inner: &'a dyn Motion) -> Option<&'a Path> {
        inner.path()
    }

    /// This layer over `inner`, which has the same lives as the motion that it was made for, shared out otherwise among
    /// things; `None` where things have something of their own in all of their lives.
    fn over_shared(self: &Arc<Self>, inner: &dyn Motion) -> Option<Arc<Self>> {
        let _ = inner;
        Some(self.clone())
    }

    /// See [`Motion::look`].
    fn look(&self, inner: &dyn Motion, object: usize) -> u64 {
        inner.look(object)
    }

    /// See [`Motion::kinds`].
    fn kinds<'a>(&'a self, inner: &'a dyn Motion) -> &'a [Kind] {
        inner.kinds()
    }

    /// See [`Motion::kind`].
    fn kind(&self, inner: &dyn Motion, object: usize) -> usize {
        inner.kind(object)
    }

    /// See [`Motion::symmetry`].
    fn symmetry(&self, inner: &dyn Motion, object: usize) -> Option<Symmetry> {
        inner.symmetry(object)
    }
}

/// Another motion with a layer over it.
pub struct Layered<L> {
    inner: Arc<dyn Motion>,
    layer: Arc<L>,
}

impl<L> Clone for Layered<L> {
    fn clone(&self) -> Self {
        Self { inner: self.inner.clone(), layer: self.layer.clone() }
    }
}

impl<L: Layer> Layered<L> {
    /// `layer` over `inner`.
    pub fn over(inner: Arc<dyn Motion>, layer: L) -> Self {
        Self { inner, layer: Arc::new(layer) }
    }

    /// What lies over the other motion.
    pub fn layer(&self) -> &L {
        &self.layer
    }

    /// True where things are asked to be cut off, are, and stand otherwise against what cuts them.
    fn cuts(&self, columns: Columns) -> bool {
        columns.contain(Columns::CUT)
            && self.inner.varies().contain(Columns::CUT)
            && self.layer.changes().touch(Columns::STANCE)
            && self.layer.touched() != Touched::MovesAsOne
    }

    /// Rows of what `give` takes from the other motion.
    fn fill(&self, rows: Rows<'_>, columns: Columns, out: &mut Sample, give: impl FnOnce(Columns, &mut Sample)) {
        let cuts = self.cuts(columns);
        let wanted = if cuts { columns | Columns::STANCE } else { columns };
        give(self.layer.needs(&*self.inner, wanted), out);
        let before: Vec<Pose> = if cuts { (0..rows.count()).map(|row| out.pose(row)).collect() } else { Vec::new() };
        self.layer.change(&*self.inner, rows, wanted, out);
        for (row, before) in before.into_iter().enumerate() {
            out.cuts[row] = out.cuts[row].of_moved(before, out.pose(row));
        }
        out.keep(columns);
    }
}

impl<L: Layer> Motion for Layered<L> {
    as_inner!(len, extent, facing, lives);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let ready = self.inner.prepare(self.layer.asks(range), cancel)?;
        let inner = ready.clone().unwrap_or_else(|| self.inner.clone());
        let layer = self.layer.prepare(&*inner, range, cancel)?;
        if ready.is_none() && layer.is_none() {
            return Ok(None);
        }
        Ok(Some(Arc::new(Self { inner, layer: layer.map_or_else(|| self.layer.clone(), Arc::new) })))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        self.fill(Rows::Each(at), columns, out, |needs, out| self.inner.sample_at(at, needs, out));
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        let rows = Rows::Range { frame, first: objects.start, count: objects.len() };
        self.fill(rows, columns, out, |needs, out| self.inner.sample_range(frame, objects, needs, out));
    }

    fn varies(&self) -> Columns {
        self.inner.varies() | self.layer.changes()
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let known = self.inner.breaks(object, range)?;
        let own = self.layer.breaks(Below { inner: &*self.inner, breaks: &known }, object, range)?;
        Ok(with_breaks(known, own))
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let contacts = self.inner.contacts(range);
        if !self.layer.changes().contain(Columns::POSITION) {
            return contacts;
        }
        match self.layer.touched() {
            Touched::MovesAsOne => contacts.into_iter().map(|contact| self.layer.touch(contact)).collect(),
            Touched::Stays => with_middles(self, contacts, |_, _| ()),
            Touched::GoesAlong => with_middles(self, contacts, |contact, by| contact.place += by),
        }
    }

    fn path(&self) -> Option<&Path> {
        self.layer.path(&*self.inner)
    }

    fn look(&self, object: usize) -> u64 {
        self.layer.look(&*self.inner, object)
    }

    fn kinds(&self) -> &[Kind] {
        self.layer.kinds(&*self.inner)
    }

    fn kind(&self, object: usize) -> usize {
        self.layer.kind(&*self.inner, object)
    }

    fn symmetry(&self, object: usize) -> Option<Symmetry> {
        self.layer.symmetry(&*self.inner, object)
    }

    fn shared_by(&self, group: &[u32]) -> Option<Arc<dyn Motion>> {
        let inner = self.inner.shared_by(group)?;
        Some(Arc::new(Self { layer: self.layer.over_shared(&*inner)?, inner }))
    }
}
