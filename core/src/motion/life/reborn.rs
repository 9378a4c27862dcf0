//! A motion whose things begin anew.

use super::lives::{Life, Lives};
use crate::curve::Path;
use crate::motion::{
    Age, Break, BreakKind, Cancel, Columns, Contact, Cut, Extent, Frames, Kind, MOST_BREAKS, Motion, MotionError,
    Outside, Sample, Symmetry, carried, prepared, with_breaks,
};
use crate::pose::Axis;
use glam::DVec3;
use std::ops::Range;
use std::sync::Arc;

/// What is asked of a [`Course`]: what was born with a birth, and when.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Moment {
    /// The number of the birth within a loop.
    pub birth: usize,
    /// The frame at which it was born, that of its own loop.
    pub born: f64,
    /// Frames since then, at least 0.
    pub age: f64,
    /// The frame itself; where the life is over, or has not begun, that of its end or beginning.
    pub frame: f64,
}

/// What things do from their birth on.
pub trait Course: Send + Sync {
    /// Poses and more of things: one row per moment. See [`Motion::sample_at`].
    fn sample(&self, at: &[Moment], columns: Columns, out: &mut Sample);

    /// See [`Motion::varies`].
    fn varies(&self) -> Columns {
        Columns::POSITION
    }

    /// Made ready for births within `born` and ages within `ages`; `None` where it is.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks.
    fn prepare(&self, born: Frames, ages: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Course>>, MotionError> {
        let _ = (born, ages, cancel);
        Ok(None)
    }

    /// Where within a stretch of ages it is not smooth, as ages, in order.
    ///
    /// # Errors
    /// `TooMuch` beyond [`MOST_BREAKS`].
    fn breaks(&self, birth: usize, born: f64, ages: Frames) -> Result<Vec<Break>, MotionError> {
        let _ = (birth, born, ages);
        Ok(Vec::new())
    }

    /// After how many births they do the same again.
    fn things(&self) -> usize;

    /// What its things touch within a stretch of ages, in every loop: frames are ages.
    fn contacts(&self, ages: Frames) -> Vec<Contact> {
        let _ = ages;
        Vec::new()
    }

    /// A contact of a thing as it is in a life that began at a frame, but for its place and its thing's.
    fn touched(&self, moment: Moment, contact: Contact) -> Contact {
        let _ = moment;
        contact
    }

    /// See [`Motion::path`].
    fn path(&self) -> Option<&Path> {
        None
    }

    /// See [`Motion::facing`].
    fn facing(&self) -> Option<(Axis, Axis)> {
        None
    }

    /// See [`Motion::kinds`].
    fn kinds(&self) -> &[Kind] {
        &[]
    }

    /// See [`Motion::kind`].
    fn kind(&self, birth: usize) -> usize {
        let _ = birth;
        0
    }

    /// See [`Motion::symmetry`].
    fn symmetry(&self, birth: usize) -> Option<Symmetry> {
        let _ = birth;
        None
    }
}

/// Each thing of another motion, from frame 0 on, is what is done from a birth on; they take turns where there are more
/// births than things.
pub struct EachAnew(pub Arc<dyn Motion>);

impl EachAnew {
    fn object(&self, birth: usize) -> usize {
        birth % self.things()
    }
}

impl Course for EachAnew {
    fn sample(&self, at: &[Moment], columns: Columns, out: &mut Sample) {
        let at: Vec<(usize, f64)> = at.iter().map(|moment| (self.object(moment.birth), moment.age)).collect();
        self.0.sample_at(&at, columns, out);
    }

    fn varies(&self) -> Columns {
        self.0.varies()
    }

    fn prepare(&self, _: Frames, ages: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Course>>, MotionError> {
        let ready = prepared(&self.0, ages, cancel)?;
        Ok((!Arc::ptr_eq(&ready, &self.0)).then(|| -> Arc<dyn Course> { Arc::new(Self(ready)) }))
    }

    fn breaks(&self, birth: usize, _: f64, ages: Frames) -> Result<Vec<Break>, MotionError> {
        self.0.breaks(self.object(birth), ages)
    }

    fn things(&self) -> usize {
        self.0.len().max(1)
    }

    fn contacts(&self, ages: Frames) -> Vec<Contact> {
        self.0.contacts(ages)
    }

    fn path(&self) -> Option<&Path> {
        self.0.path()
    }

    fn facing(&self) -> Option<(Axis, Axis)> {
        self.0.facing()
    }

    fn kinds(&self) -> &[Kind] {
        self.0.kinds()
    }

    fn kind(&self, birth: usize) -> usize {
        self.0.kind(self.object(birth))
    }

    fn symmetry(&self, birth: usize) -> Option<Symmetry> {
        self.0.symmetry(self.object(birth))
    }
}

/// Things that begin anew: each does, from each of its births on, what a [`Course`] says, and is there as long as that
/// life lasts. In closed form as far as the course is.
#[derive(Clone)]
pub struct Reborn {
    course: Arc<dyn Course>,
    lives: Arc<Lives>,
    /// Frames in which things grow to their size after their birth.
    grows: f64,
    /// Frames in which they shrink to nothing before their end.
    shrinks: f64,
}

impl Reborn {
    /// Births that look otherwise are had by other things, so that each thing looks the same in all its lives. Things grow
    /// and shrink in so many frames, at least 0.
    pub fn new(course: Arc<dyn Course>, lives: &Lives, (grows, shrinks): (f64, f64)) -> Self {
        let lives = lives.grouped(|birth| course.kind(birth) as u32);
        Self { course, lives: Arc::new(lives), grows, shrinks }
    }

    /// The factor on a thing's size at an age of its life.
    fn grown(&self, age: f64, lasts: f64) -> f64 {
        let part = |frames: f64, of: f64| if frames < of { eased((frames / of).max(0.0)) } else { 1.0 };
        part(age, self.grows) * part(lasts - age, self.shrinks)
    }

    fn fill(&self, rows: impl Iterator<Item = (usize, f64)>, columns: Columns, out: &mut Sample) {
        let mut looking = self.lives.looking();
        let lived = |(thing, frame): (usize, f64)| {
            let (life, lives) = looking.at(thing, frame);
            let age = (frame - life.from).clamp(0.0, life.lasts);
            let frame = if lives { frame } else { life.from + age };
            (Moment { birth: life.birth, born: life.from, age, frame }, life.lasts, lives)
        };
        let rows: Vec<(Moment, f64, bool)> = rows.map(lived).collect();
        let moments: Vec<Moment> = rows.iter().map(|(moment, ..)| *moment).collect();
        self.course.sample(&moments, columns.without(Columns::LIFE), out);
        let grows = self.grows > 0.0 || self.shrinks > 0.0;
        for (row, &(moment, lasts, lives)) in rows.iter().enumerate() {
            if let (true, Some(scale)) = (grows, out.scales.get_mut(row)) {
                *scale *= self.grown(moment.age, lasts);
            }
            if lives {
                continue;
            }
            // What is not there rests.
            out.alive.get_mut(row).into_iter().for_each(|alive| *alive = false);
            out.velocities.get_mut(row).into_iter().for_each(|velocity| *velocity = DVec3::ZERO);
            out.spins.get_mut(row).into_iter().for_each(|spin| *spin = DVec3::ZERO);
            out.places.get_mut(row).into_iter().for_each(|place| place.rate = 0.0);
            out.cuts.get_mut(row).into_iter().for_each(|cut| *cut = Cut::default());
        }
        if columns.contain(Columns::LIFE) {
            out.ages.clear();
            let age =
                |&(moment, lasts, _): &(Moment, f64, bool)| Age { birth: moment.birth, frames: moment.age, lasts };
            out.ages.extend(rows.iter().map(age));
        }
    }

    /// Lives of a thing that are lived within a stretch of frames.
    fn lived(&self, thing: usize, range: Frames) -> impl Iterator<Item = Life> + '_ {
        let lives = self.lives.begin(thing, range.from - self.lives.longest(), range.to);
        lives.filter(move |life| life.from + life.lasts >= range.from)
    }
}

/// From 0 to 1 without a jump in slope.
fn eased(x: f64) -> f64 {
    x * x * (3.0 - 2.0 * x)
}

impl Motion for Reborn {
    fn len(&self) -> usize {
        self.lives.things()
    }

    fn extent(&self) -> Extent {
        // A loop later another thing has the life that this one has now.
        Extent { from: 0.0, to: self.lives.period(), outside: Outside::RunsOn }
    }

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let longest = self.lives.longest();
        let born = Frames { from: range.from - longest, to: range.to };
        let ready = self.course.prepare(born, Frames { from: 0.0, to: longest }, cancel)?;
        Ok(ready.map(|course| -> Arc<dyn Motion> { Arc::new(Self { course, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        self.fill(at.iter().copied(), columns, out);
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        self.fill(objects.map(|object| (object, frame)), columns, out);
    }

    fn varies(&self) -> Columns {
        let grows = self.grows > 0.0 || self.shrinks > 0.0;
        let scale = if grows { Columns::SCALE } else { Columns::NONE };
        self.course.varies() | Columns::ALIVE | scale
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let mut breaks = Vec::new();
        for life in self.lived(object, range) {
            if breaks.len() > MOST_BREAKS {
                return Err(MotionError::TooMuch(format!(
                    "A thing begins anew more than {MOST_BREAKS} times in these frames: let things live longer, or fewer be born."
                )));
            }
            breaks.push(Break { frame: life.from, kind: BreakKind::Anew });
            let end = life.lasts.min(range.to - life.from);
            let ages = Frames { from: (range.from - life.from).max(0.0), to: end };
            if ages.to > ages.from {
                let within = self.course.breaks(life.birth, life.from, ages)?;
                breaks.extend(within.iter().map(|found| Break { frame: life.from + found.frame, kind: found.kind }));
            }
        }
        breaks.retain(|found| range.holds(found.frame));
        Ok(with_breaks(breaks, []))
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let lives = &self.lives;
        let of = self.course.contacts(Frames { from: 0.0, to: lives.longest() });
        let things = self.course.things();
        let mut by_thing: Vec<Vec<&Contact>> = vec![Vec::new(); things];
        of.iter().for_each(|contact| by_thing[contact.object].push(contact));
        let mut contacts = Vec::new();
        for (birth, given) in lives.births().iter().enumerate() {
            for contact in by_thing[birth % things].iter().filter(|contact| contact.frame < given.lasts) {
                let first = given.frame + contact.frame;
                let (from, to) = ((range.from - first) / lives.period(), (range.to - first) / lives.period());
                let (from, to) = (from.ceil() as i64, to.floor() as i64);
                let (from, to) = if lives.again() { (from, to) } else { (from.max(0), to.min(0)) };
                contacts.extend((from..=to).map(|lap| {
                    let born = given.frame + lap as f64 * lives.period();
                    let (object, age) = (lives.thing_of(birth, lap), contact.frame);
                    let contact = Contact { object, frame: born + age, ..(*contact).clone() };
                    self.course.touched(Moment { birth, born, age, frame: born + age }, contact)
                }));
            }
        }
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame).then(a.object.cmp(&b.object)));
        carried(self, contacts)
    }

    fn path(&self) -> Option<&Path> {
        self.course.path()
    }

    fn facing(&self) -> Option<(Axis, Axis)> {
        self.course.facing()
    }

    fn look(&self, object: usize) -> u64 {
        // What else differs between lives goes from thing to thing with them.
        self.course.kind(self.lives.first_birth(object)) as u64
    }

    fn kinds(&self) -> &[Kind] {
        self.course.kinds()
    }

    fn kind(&self, object: usize) -> usize {
        self.course.kind(self.lives.first_birth(object))
    }

    fn symmetry(&self, object: usize) -> Option<Symmetry> {
        self.course.symmetry(self.lives.first_birth(object))
    }

    fn lives(&self) -> Option<&Lives> {
        Some(&self.lives)
    }

    fn shared_by(&self, group: &[u32]) -> Option<Arc<dyn Motion>> {
        let kinds = self.course.kinds().len().max(1) as u32;
        let lives = self.lives.grouped(|birth| group[birth] * kinds + self.lives.births()[birth].group);
        Some(Arc::new(Self { lives: Arc::new(lives), ..self.clone() }))
    }
}
