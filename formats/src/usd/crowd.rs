//! Things that are so many that they stand together.

use super::forms::{Form, MESH, shaded};
use super::values::{HalfTurn, List, Names, Tuple, Turn};
use super::{JUST, UsdError, Writer};
use std::cell::Cell;
use std::io::Write;
use std::sync::Arc;
use zickzack_core::colour::Light;
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample};
use zickzack_core::pose::angle_between;
use zickzack_core::rig::turned_towards;

/// Many things whose forms do not change.
pub struct Crowd<'a> {
    /// Where they are; made ready for the range.
    pub motion: &'a Arc<dyn Motion>,
    /// Frames, both ends included.
    pub range: Frames,
    /// Frames from one look to the next.
    pub step: f64,
    /// What things of each kind look like.
    pub forms: &'a [Form],
    /// The colour of a thing of a kind, so far on its way to its last one, and so bright.
    pub colour: &'a dyn Fn(usize, f64, f64) -> Light,
}

/// Where colours of many things are written.
#[derive(Debug, Clone, PartialEq)]
enum Colours {
    /// With each of them, over time or not.
    OfThings { change: bool },
    /// With forms, which stand once for each colour.
    OfForms,
}

impl Crowd<'_> {
    fn kind(&self, object: usize) -> usize {
        if self.motion.kinds().is_empty() { 0 } else { self.motion.kind(object) }
    }

    fn frames(&self) -> Vec<f64> {
        let steps = ((self.range.to - self.range.from + 1e-9) / self.step).floor();
        let mut frames: Vec<f64> = (0..=steps as u64).map(|i| self.range.from + i as f64 * self.step).collect();
        if frames.last().is_none_or(|last| self.range.to - last > 1e-6) {
            frames.push(self.range.to);
        }
        frames
    }

    fn sample(&self, frame: f64, columns: Columns, sample: &mut Sample, cancel: &Cancel) -> Result<(), MotionError> {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        cancel.watched(|| self.motion.sample(frame, columns, sample));
        Ok(())
    }

    fn colours(&self, sample: &Sample) -> Vec<Light> {
        let of = |object: usize| {
            let tint = sample.tints.get(object).copied().unwrap_or(0.0);
            (self.colour)(self.kind(object), tint, sample.brightness.get(object).copied().unwrap_or(1.0))
        };
        (0..self.motion.len()).map(of).collect()
    }

    /// For each frame the things that jump before the next.
    fn jumps(&self, frames: &[f64], cancel: &Cancel) -> Result<Vec<Vec<u32>>, MotionError> {
        let mut jumps = vec![Vec::new(); frames.len()];
        for object in 0..self.motion.len() {
            if cancel.cancelled() {
                return Err(MotionError::Cancelled);
            }
            for at in self.motion.breaks(object, self.range)?.iter().filter(|at| at.kind.is_jump()) {
                let next = frames.partition_point(|frame| *frame < at.frame - 1e-9);
                if (1..frames.len()).contains(&next) && jumps[next - 1].last() != Some(&(object as u32)) {
                    jumps[next - 1].push(object as u32);
                }
            }
        }
        Ok(jumps)
    }

    /// Numbers of things that are not seen from each of some frames on: that are not there, or that jump before the next.
    fn unseen(&self, (frames, jumps): (&[f64], &[Vec<u32>]), cancel: &Cancel) -> Result<Unseen, MotionError> {
        let (mut sample, mut all) = (Sample::default(), Unseen::new());
        for (frame, jumping) in frames.iter().zip(jumps) {
            self.sample(*frame, Columns::ALIVE, &mut sample, cancel)?;
            let there = |object: &u32| sample.alive[*object as usize];
            let gone: Vec<u32> = (0..self.motion.len() as u32).filter(|object| !there(object)).collect();
            let mut between = gone.clone();
            between.extend(jumping.iter().copied().filter(there));
            between.sort_unstable();
            for (frame, unseen) in [(*frame, gone), (frame + JUST, between)] {
                if all.last().is_none_or(|(_, last)| *last != unseen) {
                    all.push((frame, unseen));
                }
            }
        }
        Ok(all)
    }

    /// How far things are from where they are said to be between looks, that go straight from one to the next.
    fn missed(&self, (frames, jumps): (&[f64], &[Vec<u32>]), cancel: &Cancel) -> Result<Crowded, MotionError> {
        let columns = Columns::POSE | Columns::ALIVE;
        let mut told = Crowded { looks: frames.len(), ..Crowded::default() };
        let [mut from, mut to, mut here] = [Sample::default(), Sample::default(), Sample::default()];
        self.sample(frames[0], columns, &mut to, cancel)?;
        for (pair, jumping) in frames.windows(2).zip(jumps) {
            std::mem::swap(&mut from, &mut to);
            self.sample(pair[1], columns, &mut to, cancel)?;
            for part in BETWEEN {
                let frame = pair[0] + (pair[1] - pair[0]) * part;
                self.sample(frame, columns, &mut here, cancel)?;
                let mut jumping = jumping.iter().peekable();
                for object in 0..self.motion.len() {
                    let jumps = jumping.next_if(|next| **next as usize == object).is_some();
                    if jumps || !from.alive[object] || !here.alive[object] {
                        continue;
                    }
                    let place = from.positions[object].lerp(to.positions[object], part);
                    let off = place.distance(here.positions[object]);
                    if off > told.off.0 {
                        (told.off, told.worst.0) = ((off, frame), object);
                    }
                    let turn = turned_towards(from.orientations[object], to.orientations[object], part);
                    let off = angle_between(turn, here.orientations[object]);
                    if off > told.turned_off.0 {
                        (told.turned_off, told.worst.1) = ((off, frame), object);
                    }
                }
            }
        }
        Ok(told)
    }
}

/// Numbers of things that are not seen, each from a frame on.
type Unseen = Vec<(f64, Vec<u32>)>;

/// Parts of the way from one look to the next at which it is looked how far things are off.
const BETWEEN: [f64; 3] = [0.25, 0.5, 0.75];

/// What is told of many things that were written.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Crowded {
    /// Frames at which they were looked at.
    pub looks: usize,
    /// Largest distance between looks, metres, and its frame; 0 at frame 0 where there is none.
    pub off: (f64, f64),
    /// Largest angle, radians, and its frame.
    pub turned_off: (f64, f64),
    /// The numbers of the things that are so far off, and turned so far off.
    pub worst: (usize, usize),
}

impl<W: Write> Writer<W> {
    /// Many things of the Output that is open. What jumps between two looks is not seen between them.
    ///
    /// # Errors
    /// Where the motion cannot be looked at, or it cannot be written.
    pub fn crowd<E>(&mut self, crowd: &Crowd<'_>, cancel: &Cancel) -> Result<Crowded, E>
    where
        E: From<UsdError> + From<MotionError> + From<std::io::Error>,
    {
        let (frames, varies) = (crowd.frames(), crowd.motion.varies());
        let (mut sample, looks) = (Sample::default(), Columns::TINT | Columns::BRIGHTNESS);
        crowd.sample(frames[0], looks, &mut sample, cancel)?;
        let first = crowd.colours(&sample);
        let mut change = false;
        for frame in &frames[1..] {
            crowd.sample(*frame, looks, &mut sample, cancel)?;
            change |= crowd.colours(&sample) != first;
        }
        let shaded = crowd.forms.iter().any(|form| self.shades_of(*form).is_some_and(|(shades, _)| shades != [1.0]));
        let colours = if shaded && !change { Colours::OfForms } else { Colours::OfThings { change } };
        let name = self.inside.name("things");
        self.stage.begin("def PointInstancer", &name, &[])?;
        self.prototypes(crowd, (&first, &colours))?;
        // What is looked for after the lists takes about as long as one of them.
        let lists = 2.0 + if varies.contain(Columns::ORIENTATION) { 2.0 } else { 0.0 } + f64::from(change);
        let done = Cell::new(0.0);
        let pose = (crowd, &frames[..], Columns::POSE);
        let told = (&done, lists + f64::from(varies.contain(Columns::SCALE)), cancel);
        self.listed::<E>("point3f[] positions", pose, told, |sample| {
            List(sample.positions.iter().map(|at| Tuple(at.to_array()))).to_string()
        })?;
        if varies.contain(Columns::ORIENTATION) {
            self.listed::<E>("quatf[] orientationsf", pose, told, |sample| {
                List(sample.orientations.iter().map(|turn| Turn(turn.to_array()))).to_string()
            })?;
            // Readers that do not know these know the others.
            self.listed::<E>("quath[] orientations", pose, told, |sample| {
                List(sample.orientations.iter().map(|turn| HalfTurn(turn.to_array()))).to_string()
            })?;
        }
        if varies.contain(Columns::SCALE) {
            self.listed::<E>("float3[] scales", pose, told, |sample| {
                List(sample.scales.iter().map(|size| Tuple(size.to_array()))).to_string()
            })?;
        }
        if let Colours::OfThings { change } = colours {
            let written = |all: &[Light]| List(all.iter().map(|colour| Tuple(*colour))).to_string();
            self.stage.say("color3f[] primvars:displayColor (interpolation = \"vertex\")")?;
            if change {
                let of = (crowd, &frames[..], looks);
                self.listed::<E>("color3f[] primvars:displayColor", of, told, |sample| {
                    written(&crowd.colours(sample))
                })?;
            } else {
                self.stage.set("color3f[] primvars:displayColor", written(&first), &[])?;
            }
        }
        let jumps = crowd.jumps(&frames, cancel)?;
        let unseen = crowd.unseen((&frames, &jumps), cancel)?;
        if unseen.iter().any(|(_, some)| !some.is_empty()) {
            let times: Unseen = unseen.into_iter().map(|(frame, some)| (frame + self.first, some)).collect();
            self.stage.over_time("int64[] invisibleIds", times, |out, some| {
                Ok::<(), E>(write!(out, "{}", List(some.iter()))?)
            })?;
        }
        self.stage.end()?;
        Ok(crowd.missed((&frames, &jumps), cancel)?)
    }

    /// A list with a value for each thing, at each of some frames.
    fn listed<E>(
        &mut self,
        what: &str,
        (crowd, frames, columns): (&Crowd<'_>, &[f64], Columns),
        (done, lists, cancel): (&Cell<f64>, f64, &Cancel),
        written: impl Fn(&Sample) -> String,
    ) -> Result<(), E>
    where
        E: From<UsdError> + From<MotionError> + From<std::io::Error>,
    {
        let (mut sample, first) = (Sample::default(), self.first);
        self.stage.over_time(what, frames.iter().map(|frame| (frame + first, *frame)), |out, frame| {
            crowd.sample(frame, columns, &mut sample, cancel)?;
            done.set(done.get() + 1.0 / frames.len() as f64);
            cancel.reach(done.get() / lists);
            Ok::<(), E>(out.write_all(written(&sample).as_bytes())?)
        })
    }

    /// What the things of a crowd look like, and which each looks like.
    fn prototypes(&mut self, crowd: &Crowd<'_>, (first, colours): (&[Light], &Colours)) -> Result<(), UsdError> {
        let mut all: Vec<(usize, Option<Light>)> = Vec::new();
        let own = |object: usize| {
            let kind = crowd.kind(object);
            let dyed = *colours == Colours::OfForms && self.shades_of(crowd.forms[kind]).is_some();
            (kind, dyed.then(|| first[object]))
        };
        let mut known = std::collections::HashMap::<(usize, Option<[u64; 3]>), usize>::new();
        let mut numbers = Vec::with_capacity(crowd.motion.len());
        for object in 0..crowd.motion.len() {
            let own = own(object);
            let key = (own.0, own.1.map(|colour| colour.map(f64::to_bits)));
            let number = *known.entry(key).or_insert_with(|| {
                all.push(own);
                all.len() - 1
            });
            numbers.push(number);
        }
        let inside = self.stage.path();
        self.stage.begin_plain("def Scope", "forms", &[])?;
        let (mut names, mut targets) = (Names::default(), Vec::new());
        for (kind, dyed) in all {
            let form = crowd.forms[kind];
            let name = names.name(&self.forms[form.0].0.shown);
            targets.push(format!("<{inside}/forms/{}>", name.identifier));
            self.stage.begin("def Xform", &name, &[self.reference(form)])?;
            let shades = self.shades_of(form).map(|(shades, _)| shades.to_vec());
            if let Some(shades) = shades {
                self.stage.begin_plain("over", MESH, &[])?;
                match dyed {
                    Some(colour) => self.stage.set("color3f[] primvars:displayColor", shaded(colour, &shades), &[])?,
                    // Each thing has its own.
                    None => self.stage.set("color3f[] primvars:displayColor", "None", &[])?,
                }
                self.stage.end()?;
            }
            self.stage.end()?;
        }
        self.stage.end()?;
        self.stage.set("rel prototypes", List(targets.iter()), &[])?;
        Ok(self.stage.set("int[] protoIndices", List(numbers.iter()), &[])?)
    }
}
