//! What the things of a motion are: kinds by weight, sizes, colours.

use crate::colour::{Light, light, mixed};
use crate::motion::layer::{Layer, Layered, Rows};
use crate::motion::look::form::Own;
use crate::motion::{Bend, Columns, Dents, Glyph, Lives, Motion, Sample, Walk};
use crate::pose::Axis;
use crate::random;
use crate::rig::Animated;
use crate::signal::{Driven, Thing};
use glam::DVec3;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A kind of thing, and how pictures show it.
#[derive(Debug, Clone, PartialEq)]
pub struct Kind {
    /// How often it is chosen, against the others' weights; at least 0.
    pub weight: f64,
    /// Factor on a thing's size.
    pub scale: f64,
    /// After one of so many equal parts of a turn it looks the same: 1 only after the whole, 0 at any time.
    pub symmetry: u32,
    /// The word for how it is shown; empty for as it is shown without kinds.
    pub thing: String,
    /// The letter that it is, where it is one.
    pub letter: String,
    /// `#rrggbb`, or empty.
    pub colour: String,
    /// The colour at the other end of the scale of colours, or empty.
    pub last: String,
    /// The model whose clips it plays, instead of what it is shown as otherwise.
    pub animated: Option<Arc<Animated>>,
    /// How it is bent, instead of what it is shown as otherwise.
    pub bent: Option<Own<Bend>>,
    /// How it is dented, instead of what it is shown as otherwise.
    pub dented: Option<Own<Dents>>,
    /// How it walks, instead of what it is shown as otherwise.
    pub walked: Option<Own<Walk>>,
    /// Its form as a letter with a size of its own, instead of what it is shown as otherwise.
    pub glyph: Option<Arc<Glyph>>,
}

impl Kind {
    /// As things are without kinds.
    pub const PLAIN: Self = Self {
        weight: 1.0,
        scale: 1.0,
        symmetry: 1,
        thing: String::new(),
        letter: String::new(),
        colour: String::new(),
        last: String::new(),
        animated: None,
        bent: None,
        dented: None,
        walked: None,
        glyph: None,
    };

    /// How much light its colour is, so far on its way to its last; nothing where it has none.
    pub fn light(&self, tint: f64) -> Option<Light> {
        let first = light(&self.colour)?;
        Some(light(&self.last).map_or(first, |last| mixed(first, last, tint)))
    }

    /// This kind where a thing was of another: what is empty stays as it was.
    fn over(self, before: &Self) -> Self {
        let kept = |own: String, before: &String| if own.is_empty() { before.clone() } else { own };
        // What is shown as something else keeps no form that it had of its own.
        let moved = self.animated.is_some() || self.walked.is_some();
        let formed = self.bent.is_some() || self.dented.is_some() || self.glyph.is_some();
        let own = !self.thing.is_empty() || moved || formed;
        let form = if own { &self } else { before };
        Self {
            animated: form.animated.clone(),
            bent: form.bent.clone(),
            dented: form.dented.clone(),
            walked: form.walked.clone(),
            glyph: form.glyph.clone(),
            last: if self.colour.is_empty() { before.last.clone() } else { self.last },
            thing: kept(self.thing, &before.thing),
            letter: kept(self.letter, &before.letter),
            colour: kept(self.colour, &before.colour),
            ..self
        }
    }
}

/// Kinds laid over those of a motion, where what is empty stays as it was; and which of them every thing is.
pub(in crate::motion) fn laid_over(motion: &dyn Motion, own: &[Kind], of: &[u32]) -> (Vec<Kind>, Vec<u32>) {
    if motion.kinds().is_empty() {
        return (own.to_vec(), of.to_vec());
    }
    let (mut all, mut known) = (Vec::new(), BTreeMap::new());
    let kind = |(object, own_kind): (usize, &u32)| {
        let before = motion.kind(object);
        *known.entry((before, *own_kind)).or_insert_with(|| {
            all.push(own[*own_kind as usize].clone().over(&motion.kinds()[before]));
            all.len() as u32 - 1
        })
    };
    let of = of.iter().enumerate().map(kind).collect();
    (all, of)
}

/// Things look the same after a turn about an axis of their own.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Symmetry {
    /// In the thing's own axes.
    pub axis: DVec3,
    /// By one of so many equal parts of a turn; 0 for any turn.
    pub order: u32,
}

/// What a thing's place on the scale of colours, 0 to 1, comes from.
#[derive(Debug, Clone, PartialEq)]
pub enum Tint {
    /// Its number: the first has 0, the last has 1.
    Index,
    /// Its place on its path, or else in the loop of so many frames.
    Phase { frames: f64 },
    /// Its speed: 1 at so many metres per frame and above.
    Speed { full: f64 },
    /// The frames since it was at the start of its path, or else since frame 0: 1 at so many and above.
    Age { full: f64 },
    /// A number from 0 to 1 that may change over time and from thing to thing.
    Given(Driven),
}

/// Which kind things are of, how large they are and of which colour.
pub struct OfKinds {
    own: Vec<Kind>,
    /// Which of its kinds each thing is.
    of: Vec<u32>,
    /// Which of its kinds each birth is, where things have lives; none where they have not.
    of_births: Vec<u32>,
    /// Kinds laid over those that things were before.
    kinds: Vec<Kind>,
    /// Which of those each thing is.
    kind_of: Vec<u32>,
    /// By birth where things have lives, else by thing.
    scales: Vec<f64>,
    axis: DVec3,
    tint: Option<Tint>,
}

/// Says of every thing of another motion which kind it is, how large and of which colour.
pub type Kinds = Layered<OfKinds>;

const KIND: u64 = 31;
const SCALE: u64 = 32;

/// Which kind each of `count` things is, where there are as many of each as its share of all: whole ones first, and
/// those left over to the largest remainders (Hare and Niemeyer). Which things they are is by chance.
fn dealt(kinds: &[Kind], count: usize, seed: u64) -> Vec<u32> {
    let whole: f64 = kinds.iter().map(|kind| kind.weight).sum();
    let shares: Vec<f64> = kinds.iter().map(|kind| kind.weight / whole * count as f64).collect();
    let mut counts: Vec<usize> = shares.iter().map(|share| share.floor() as usize).collect();
    let mut by_rest: Vec<usize> = (0..kinds.len()).filter(|&i| kinds[i].weight > 0.0).collect();
    by_rest.sort_by(|&a, &b| (shares[b] - shares[b].floor()).total_cmp(&(shares[a] - shares[a].floor())));
    let left = count.saturating_sub(counts.iter().sum());
    by_rest.iter().cycle().take(left).for_each(|&i| counts[i] += 1);
    let mut order: Vec<usize> = (0..count).collect();
    order.sort_by(|&a, &b| {
        random::unit(seed, a as u64, KIND).total_cmp(&random::unit(seed, b as u64, KIND)).then(a.cmp(&b))
    });
    let mut of = vec![0; count];
    let kinds = counts.iter().enumerate().flat_map(|(kind, &count)| std::iter::repeat_n(kind as u32, count));
    order.into_iter().zip(kinds).for_each(|(object, kind)| of[object] = kind);
    of
}

impl Kinds {
    /// A kind is chosen for each thing by the weights of `kinds`, at least one of which is above 0; sizes vary by
    /// ±`spread` of themselves, 0 to below 1. By chance object i keeps its kind and size when the count changes; where
    /// kinds are shared `exactly` there are as many of each as its weight says, to the nearest whole one. `axis` is the
    /// one about which kinds are symmetric. Of what begins anew kinds and sizes are of births, and each thing only has
    /// lives of one kind; `None` where its lives cannot be shared out so.
    pub fn new(
        inner: Arc<dyn Motion>,
        kinds: Vec<Kind>,
        (spread, seed, exactly): (f64, u64, bool),
        axis: Axis,
        tint: Option<Tint>,
    ) -> Option<Self> {
        let count = inner.lives().map_or(inner.len(), |lives| lives.births().len());
        let whole: f64 = kinds.iter().map(|kind| kind.weight).sum();
        let chosen = |object: u64| {
            let mut left = random::unit(seed, object, KIND) * whole;
            let found = kinds.iter().position(|kind| {
                left -= kind.weight;
                left < 0.0
            });
            // Rounding may leave a little beyond the last.
            found.or_else(|| kinds.iter().rposition(|kind| kind.weight > 0.0)).unwrap_or(0)
        };
        let of: Vec<u32> = if exactly {
            dealt(&kinds, count, seed)
        } else {
            (0..count as u64).map(|object| chosen(object) as u32).collect()
        };
        let scale = |object: u64| 1.0 + spread * random::signed(seed, object, SCALE);
        let scales = of.iter().zip(0..).map(|(kind, object)| kinds[*kind as usize].scale * scale(object)).collect();
        let inner = if inner.lives().is_some() { inner.shared_by(&of)? } else { inner };
        let (of, of_births) = match inner.lives() {
            Some(lives) => (of_things(lives, &of), of),
            None => (of, Vec::new()),
        };
        let (laid, kind_of) = laid_over(&*inner, &kinds, &of);
        let kinds = OfKinds { own: kinds, of, of_births, kinds: laid, kind_of, scales, axis: axis.vector(), tint };
        Some(Self::over(inner, kinds))
    }
}

/// What each thing is, by what its births are.
fn of_things(lives: &Lives, of_births: &[u32]) -> Vec<u32> {
    (0..lives.things()).map(|thing| of_births[lives.first_birth(thing)]).collect()
}

impl OfKinds {
    /// How many things, or births where they have lives, there are of each of its kinds.
    pub fn counts(&self) -> Vec<usize> {
        let mut counts = vec![0; self.own.len()];
        let of = if self.of_births.is_empty() { &self.of } else { &self.of_births };
        of.iter().for_each(|kind| counts[*kind as usize] += 1);
        counts
    }

    fn tint(&self, (object, frame): (usize, f64), count: usize, row: usize, sample: &Sample) -> f64 {
        let age = sample.ages.get(row);
        let (object, count) = age.map_or((object, count), |age| (age.birth, self.of_births.len()));
        let place = sample.places.get(row);
        let laps = place.map(|place| place.laps - place.laps.floor());
        match &self.tint {
            None => 0.0,
            Some(Tint::Given(share)) => share.at(frame, Thing { index: object, count }).clamp(0.0, 1.0),
            Some(Tint::Index) => object as f64 / (count.max(2) - 1) as f64,
            Some(Tint::Phase { frames }) => laps.unwrap_or(frame / frames - (frame / frames).floor()),
            Some(Tint::Speed { full }) => (sample.velocities[row].length() / full).min(1.0),
            Some(Tint::Age { full }) => {
                let speed = sample.velocities[row].length();
                let age = match place {
                    _ if age.is_some() => age.map_or(0.0, |age| age.frames),
                    Some(place) if speed > 0.0 => place.s / speed,
                    Some(_) => *full,
                    None => frame.max(0.0),
                };
                (age / full).min(1.0)
            }
        }
    }
}

impl Layer for OfKinds {
    fn changes(&self) -> Columns {
        Columns::SCALE
    }

    fn needs(&self, inner: &dyn Motion, columns: Columns) -> Columns {
        let own = columns.without(Columns::TINT);
        let of_births = inner.lives().is_some() && columns.touch(Columns::SCALE | Columns::TINT);
        let own = if of_births { own | Columns::LIFE } else { own };
        if !columns.contain(Columns::TINT) {
            return own;
        }
        let place = if inner.path().is_some() { Columns::PLACE } else { Columns::NONE };
        match self.tint {
            None | Some(Tint::Index | Tint::Given(_)) => own,
            Some(Tint::Phase { .. }) => own | place,
            Some(Tint::Speed { .. }) => own | Columns::VELOCITY,
            Some(Tint::Age { .. }) => own | Columns::VELOCITY | place,
        }
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        let ages = &out.ages;
        let who = |row: usize| ages.get(row).map_or_else(|| rows.get(row).0, |age| age.birth);
        out.scales.iter_mut().enumerate().for_each(|(row, scale)| *scale *= self.scales[who(row)]);
        if columns.contain(Columns::TINT) {
            let count = inner.len();
            out.tints = (0..rows.count()).map(|row| self.tint(rows.get(row), count, row, out)).collect();
        }
    }

    fn over_shared(self: &Arc<Self>, inner: &dyn Motion) -> Option<Arc<Self>> {
        let of = of_things(inner.lives()?, &self.of_births);
        let (kinds, kind_of) = laid_over(inner, &self.own, &of);
        let of_births = self.of_births.clone();
        let (own, scales, tint) = (self.own.clone(), self.scales.clone(), self.tint.clone());
        Some(Arc::new(Self { own, of, of_births, kinds, kind_of, scales, axis: self.axis, tint }))
    }

    fn look(&self, inner: &dyn Motion, object: usize) -> u64 {
        // What has lives goes from thing to thing with its size.
        let scale = if self.of_births.is_empty() { self.scales[object].to_bits() } else { 0 };
        let own = random::bits(u64::from(self.of[object]), scale, KIND);
        random::bits(inner.look(object), own, KIND)
    }

    fn kinds<'a>(&'a self, _: &'a dyn Motion) -> &'a [Kind] {
        &self.kinds
    }

    fn kind(&self, _: &dyn Motion, object: usize) -> usize {
        self.kind_of[object] as usize
    }

    fn symmetry(&self, inner: &dyn Motion, object: usize) -> Option<Symmetry> {
        let order = self.own[self.of[object] as usize].symmetry;
        if order == 1 { inner.symmetry(object) } else { Some(Symmetry { axis: self.axis, order }) }
    }
}
