//! Flocks: things that heed each other, worked out step by step in single precision with the same bits everywhere.

mod around;
mod near;
mod recorded;
mod rules;
mod scattered;
mod walls;

pub use around::{Chase, Measure, Side};
pub use near::{Grid, Near};
pub use rules::{Level, Rules, Wishes};
pub use scattered::{Scatter, ScatteredIn, scattered};

use crate::curve::Path;
use crate::motion::{Motion, Row};
use crate::noise::LoopingNoise;
use crate::signal::{Driven, Thing};
use around::{Around, Lead, Way, leads, places};
use glam::{DQuat, DVec3, Vec3};
use rayon::prelude::*;
use rules::{Bird, some_way};
use std::sync::Arc;
use walls::Walls;

/// How a thing begins.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Start {
    /// Metres.
    pub place: DVec3,
    /// Metres per second.
    pub velocity: DVec3,
    /// How it stays turned: which way it goes is not told by it.
    pub orientation: DQuat,
    /// Times its size, as it is shown.
    pub scale: f64,
    /// Which kind it is of.
    pub kind: u16,
}

/// What blows through a flock, in sizes of a thing.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wind {
    /// Its size is that of a cell, in sizes.
    pub noise: LoopingNoise,
    /// Frames after which it comes again.
    pub frames: f64,
}

/// Numbers that may change over time; see [`Wishes`].
#[derive(Debug, Clone)]
pub struct WishesOverTime {
    pub separation: Driven,
    pub alignment: Driven,
    pub cohesion: Driven,
    pub kinds: Driven,
    pub others: Driven,
    pub along: Driven,
    pub pull: Driven,
    pub swirl: Driven,
    pub turbulence: Driven,
}

impl WishesOverTime {
    fn at(&self, frame: f64) -> Wishes {
        let of = |number: &Driven| number.at(frame, Thing { index: 0, count: 1 }) as f32;
        Wishes {
            separation: of(&self.separation),
            alignment: of(&self.alignment),
            cohesion: of(&self.cohesion),
            kinds: of(&self.kinds),
            others: of(&self.others),
            along: of(&self.along),
            pull: of(&self.pull),
            swirl: of(&self.swirl),
            turbulence: of(&self.turbulence),
        }
    }
}

/// What a flock is and what acts on it.
#[derive(Debug, Clone)]
pub struct FlockSetup {
    /// How things heed each other.
    pub rules: Rules,
    /// Metres of a size, above 0.
    pub size: f64,
    /// Steps for each frame, at least 1.
    pub steps: usize,
    /// First frame.
    pub from: f64,
    /// Frames per second.
    pub fps: f64,
    /// How leaders are followed.
    pub chase: Chase,
    /// Sizes round a path within which nothing pulls to it.
    pub tube: f32,
    /// What blows.
    pub wind: Wind,
    /// Sizes from a surface at which things begin to turn away from it, above 0.
    pub off: f32,
}

/// What is round a flock besides itself.
#[derive(Clone, Default)]
pub struct Surroundings {
    /// What is followed.
    pub path: Option<Path>,
    /// What is chased, ready for all the frames that are worked out.
    pub leads: Option<Arc<dyn Motion>>,
    /// What is avoided or sought, ready likewise.
    pub others: Option<Arc<dyn Motion>>,
    /// Surfaces that stand.
    pub sides: Vec<Side>,
}

/// Things that heed each other and what is round them.
pub struct Flock {
    setup: FlockSetup,
    wishes: WishesOverTime,
    round: Surroundings,
    measure: Measure,
    begin: Vec<Start>,
    kinds: Vec<u16>,
    scales: Arc<[f64]>,
    birds: Vec<Bird>,
    /// How all is held since a number was none.
    held: Option<Arc<[Row]>>,
    /// The path, where it does not move.
    way: Option<Arc<Way>>,
    kind: [u8; 32],
    intake: (usize, Vec<(Around, Wishes)>),
}

/// Part of a new way of working flocks out: what was kept by another is worked out anew.
const WAY: u32 = 1;
/// Rounds in which things that begin too close are moved apart.
const ROUNDS: usize = 64;
/// What rounding may take off a gap, as a part of the distance from where numbers begin.
const ROUNDING: f32 = 4e-7;
/// Halvings after which a step that leads through a surface is not made.
const HALVINGS: u32 = 8;
/// How much stronger than all else what turns things away from a surface is.
const OFF: f32 = 2.0;
/// Things that a worker steps at once.
const AT_ONCE: usize = 128;

impl Flock {
    /// Things that begin so, at least one, all numbers of them finite.
    pub fn new(setup: FlockSetup, wishes: WishesOverTime, round: Surroundings, begin: Vec<Start>) -> Self {
        let measure = Measure { origin: begin[0].place, size: setup.size };
        let way = round.path.as_ref().and_then(Path::unmoving).map(|curve| Arc::new(Way::of(curve, &measure)));
        let rules = &setup.rules;
        let bird = |(i, start): (usize, &Start)| {
            let velocity = rules.level.of((start.velocity / setup.size).as_vec3());
            let heading = velocity.try_normalize().unwrap_or_else(|| some_way(rules.seed, i as u64, 0, rules.level));
            let speed = velocity.length().clamp(rules.speeds.0, rules.speeds.1);
            Bird { place: measure.place(start.place), velocity: heading * speed, heading, mark: 0 }
        };
        let mut birds: Vec<Bird> = begin.par_iter().enumerate().map(bird).collect();
        part(&mut birds, rules);
        let kinds: Vec<u16> = begin.iter().map(|start| start.kind).collect();
        let told = format!("{WAY} {setup:?} {:?}", round.sides);
        let mut hash = blake3::Hasher::new();
        hash.update(told.as_bytes());
        for number in way.iter().flat_map(|way| way.numbers()) {
            hash.update(&number.to_bits().to_le_bytes());
        }
        let scales = begin.iter().map(|start| start.scale).collect();
        let kind = *hash.finalize().as_bytes();
        let mut flock = Self {
            setup,
            wishes,
            round,
            measure,
            begin,
            kinds,
            scales,
            birds,
            held: None,
            way,
            kind,
            intake: Default::default(),
        };
        let way = flock.way_at(flock.setup.from);
        if let Some(way) = way {
            flock.birds.par_iter_mut().for_each(|bird| bird.mark = way.mark(bird.place));
        }
        flock
    }

    /// How close the closest two begin, sizes; ∞ for one alone.
    pub fn closest(&self) -> f32 {
        let places: Vec<Vec3> = self.birds.iter().map(|bird| bird.place).collect();
        let grid = Grid::of(&places, f32::INFINITY);
        let nearest = |(me, place): (usize, &Vec3)| {
            let mut found = Vec::new();
            grid.nearest(*place, (f32::INFINITY, 1), |near| near.index as usize != me, &mut found);
            found.first().map_or(f32::INFINITY, |near| near.squared.sqrt())
        };
        places.par_iter().enumerate().map(nearest).reduce(|| f32::INFINITY, f32::min)
    }

    /// How many begin on the wrong side of a surface.
    pub fn astray(&self) -> usize {
        let stray = |bird: &Bird| self.round.sides.iter().any(|side| side.clear(bird.place, &self.measure).0 < 0.0);
        self.birds.par_iter().filter(|bird| stray(bird)).count()
    }

    fn way_at(&self, frame: f64) -> Option<Arc<Way>> {
        let path = self.round.path.as_ref()?;
        self.way.clone().or_else(|| Some(Arc::new(Way::of(&path.at(frame), &self.measure))))
    }

    fn leads_at(&self, frame: f64) -> Vec<Lead> {
        let leads =
            |motion: &Arc<dyn Motion>| leads(&**motion, frame, self.setup.fps, &self.measure, self.setup.rules.level);
        self.round.leads.as_ref().map(leads).unwrap_or_default()
    }

    /// When a step of a frame begins and ends; the last one ends at the frame itself.
    fn span_of(&self, frame: usize, step: usize) -> [f64; 2] {
        let steps = self.setup.steps as f64;
        let at = |step: usize| self.setup.from + (frame as f64 - 1.0) + step as f64 / steps;
        [at(step), at(step + 1)]
    }

    fn around(&self, frame: usize, step: usize) -> (Around, Wishes) {
        let [before, after] = self.span_of(frame, step);
        let others = self.round.others.as_ref().map(|motion| places(&**motion, before, &self.measure));
        let around = Around {
            way: self.way_at(after),
            leads: [self.leads_at(before), self.leads_at(after)],
            others: others.unwrap_or_default(),
        };
        // In the middle of the step: a number that jumps at its end is not of it.
        (around, self.wishes.at(0.5 * (before + after)))
    }

    fn step(&mut self, frame: usize, step: usize, around: &Around, wishes: &Wishes) {
        let places: Vec<Vec3> = self.birds.iter().map(|bird| bird.place).collect();
        let grid = Grid::of(&places, self.setup.rules.sight.max(self.spacing().0));
        let others = Grid::of(&around.others, self.setup.rules.sight);
        let [before, _] = self.span_of(frame, step);
        let here = Here { around, wishes, grid: &grid, others: &others, part: before / self.setup.wind.frames };
        let mut stepped = self.birds.clone();
        let flock = &*self;
        stepped.par_chunks_mut(AT_ONCE).zip(grid.order().par_chunks(AT_ONCE)).for_each(|(birds, order)| {
            let (mut found, mut walls) = (Vec::new(), Walls::default());
            for (bird, &me) in birds.iter_mut().zip(order) {
                *bird = flock.stepped(me as usize, &here, &mut found, &mut walls);
            }
        });
        for (&index, bird) in grid.order().iter().zip(stepped) {
            self.birds[index as usize] = bird;
        }
    }

    /// Seconds of a step.
    fn seconds(&self) -> f32 {
        (1.0 / (self.setup.fps * self.setup.steps as f64)) as f32
    }

    /// A thing after a step.
    fn stepped(&self, me: usize, here: &Here<'_>, found: &mut Vec<Near>, walls: &mut Walls) -> Bird {
        let (rules, seconds) = (&self.setup.rules, self.seconds());
        let Here { around, wishes, grid, .. } = here;
        let mut bird = self.birds[me];
        let sees = |near: &Near| near.index as usize != me && rules.sees(bird.heading, near);
        grid.nearest(bird.place, (rules.sight, rules.heeds), sees, found);
        let mut wish = rules.among(me, &self.birds, &self.kinds, found, wishes);
        wish += self.of_others(me, here, found);
        if let Some(way) = &around.way {
            let (mark, ends) = way.onward(bird.mark, bird.place);
            bird.mark = mark;
            wish += way.wish(&bird, ends, (self.setup.tube, rules.ease), wishes);
        }
        let lead = self.setup.chase.whom(me, bird.place, &around.leads[0]);
        if let Some((_, lead)) = lead {
            wish += self.setup.chase.wish(&bird, lead, (rules.ease, rules.speeds.1), wishes);
        }
        if wishes.turbulence != 0.0 {
            let blows = self.setup.wind.noise.flow(bird.place.as_dvec3(), here.part).as_vec3();
            wish += blows * (wishes.turbulence * rules.ease);
        }
        let sides: Vec<(f32, Vec3)> =
            self.round.sides.iter().map(|side| side.clear(bird.place, &self.measure)).collect();
        for (clear, off) in &sides {
            let strength = (1.0 - clear / self.setup.off).clamp(0.0, 1.0);
            let against = (-bird.velocity.dot(*off)).max(0.0);
            wish += *off * (strength * OFF * (rules.ease + against));
        }
        let (velocity, heading) = rules.steered(&bird, wish, seconds);
        let step = (bird.velocity + velocity) * (0.5 * seconds);
        let fitted = self.fitted(me, (step, lead.map(|(which, _)| which)), &sides, here, walls);
        let place = bird.place + fitted;
        // What went where it wished goes on as fast as it does; what was held back as fast as it was let.
        let velocity = if fitted == step { velocity } else { fitted / seconds };
        Bird { place, velocity, heading, mark: bird.mark }
    }

    /// What a thing wishes of its velocity because of what goes its own way.
    fn of_others(&self, me: usize, here: &Here<'_>, found: &mut Vec<Near>) -> Vec3 {
        let (rules, bird) = (&self.setup.rules, &self.birds[me]);
        if here.around.others.is_empty() || here.wishes.others == 0.0 {
            return Vec3::ZERO;
        }
        here.others.nearest(bird.place, (rules.sight, rules.heeds), |near| rules.sees(bird.heading, near), found);
        let away = |near: &Near| rules.away(near, rules.sight, (me, u32::MAX - near.index));
        found.iter().map(away).fold(Vec3::ZERO, |sum, away| sum + away) * (here.wishes.others * rules.ease)
    }

    /// How far off another must be not to be reached in a step, and what two keep between them; sizes.
    fn spacing(&self) -> (f32, f32) {
        let rules = &self.setup.rules;
        (rules.closest + 2.0 * rules.speeds.1 * self.seconds(), rules.closest)
    }

    /// A step that leads past no leader, too close to nobody and through no surface.
    fn fitted(
        &self,
        me: usize,
        (step, lead): (Vec3, Option<usize>),
        sides: &[(f32, Vec3)],
        here: &Here<'_>,
        walls: &mut Walls,
    ) -> Vec3 {
        let bird = &self.birds[me];
        let mut step = step;
        let [before, after] = &here.around.leads;
        let barriers = lead.and_then(|which| self.setup.chase.barrier(bird.place, &before[which], &after[which]));
        walls.clear();
        if let Some((ahead, most)) = barriers {
            // A leader that comes back drives it back, as fast as it can go.
            let beyond = (step.dot(ahead) - most).max(0.0);
            step = (step - ahead * beyond).clamp_length_max(self.setup.rules.speeds.1 * self.seconds());
            walls.add(ahead, most.max(step.dot(ahead)));
        }
        let (reach, closest) = self.spacing();
        let slack = ROUNDING * bird.place.abs().max_element().max(1.0);
        if closest > 0.0 {
            here.grid.within(bird.place, reach, |near| {
                if near.index as usize != me && near.squared > 0.0 {
                    let distance = near.squared.sqrt();
                    walls.add(near.to / distance, 0.5 * (distance - closest) - slack);
                }
            });
        }
        for (clear, off) in sides.iter().filter(|(clear, _)| *clear >= 0.0) {
            walls.add(-*off, *clear);
        }
        let mut fitted = walls.fit(step);
        for (side, _) in self.round.sides.iter().zip(sides).filter(|(_, (clear, _))| *clear >= 0.0) {
            let through = |step: Vec3| side.clear(bird.place + step, &self.measure).0 < 0.0;
            let mut halvings = 0;
            while through(fitted) {
                halvings += 1;
                fitted = if halvings > HALVINGS { Vec3::ZERO } else { fitted * 0.5 };
                if halvings > HALVINGS {
                    break;
                }
            }
        }
        fitted
    }

    fn rows(&self) -> Vec<Row> {
        let by = self.setup.size / self.setup.fps;
        let row = |(bird, start): (&Bird, &Start)| {
            let velocity = (bird.velocity.as_dvec3() * by).as_vec3();
            Row::new(self.measure.back(bird.place).as_vec3(), start.orientation.as_quat(), velocity)
        };
        self.birds.iter().zip(&self.begin).map(row).collect()
    }
}

/// What a step is made with.
struct Here<'a> {
    around: &'a Around,
    wishes: &'a Wishes,
    grid: &'a Grid,
    others: &'a Grid,
    /// Part of the time after which what blows comes again.
    part: f64,
}

/// Moves what begins too close apart, by half of what each two lack, as often as it helps.
fn part(birds: &mut [Bird], rules: &Rules) {
    if rules.closest <= 0.0 {
        return;
    }
    // A little more than is asked for: what is just enough is not, after rounding.
    let (enough, wanted) = (rules.closest * 1.0005, rules.closest * 1.001);
    for _ in 0..ROUNDS {
        let places: Vec<Vec3> = birds.iter().map(|bird| bird.place).collect();
        let grid = Grid::of(&places, wanted);
        let lacks = |(me, place): (usize, &Vec3)| {
            let mut by = Vec3::ZERO;
            grid.within(*place, wanted, |near| {
                if near.index as usize == me {
                    return;
                }
                let distance = near.squared.sqrt();
                if distance < enough {
                    let off = rules.away(&near, f32::INFINITY, (me, near.index));
                    by += rules.level.of(off) * (0.5 * (wanted - distance));
                }
            });
            by
        };
        let moves: Vec<Vec3> = places.par_iter().enumerate().map(lacks).collect();
        if moves.iter().all(|by| *by == Vec3::ZERO) {
            return;
        }
        birds.iter_mut().zip(moves).for_each(|(bird, by)| bird.place += by);
    }
}
