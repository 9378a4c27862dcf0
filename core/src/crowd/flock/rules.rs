//! What a thing of a flock wishes, and what it may do.
//!
//! Lengths are in sizes of a thing and times in seconds, so that no number is another one where a scene is larger.

use super::near::Near;
use crate::random;
use glam::Vec3;

/// How things of a flock heed each other, after Reynolds ("Flocks, Herds, and Schools", 1987) and, in that neighbours
/// count by their number, after Ballerini et al. ("Interaction ruling animal collective behavior", 2008).
#[derive(Debug, Clone, PartialEq)]
pub struct Rules {
    /// How far a thing sees, sizes, above 0.
    pub sight: f32,
    /// How many of those that it sees it heeds, the nearest.
    pub heeds: usize,
    /// The cosine of half of the angle in which it sees: −1 all round.
    pub view: f32,
    /// How far apart they like to be, sizes.
    pub apart: f32,
    /// Closer than so many sizes two middles never come, but where they begin closer; 0 for anything.
    pub closest: f32,
    /// The speed that it likes, sizes per second, above 0.
    pub ease: f32,
    /// Least and most speed, sizes per second.
    pub speeds: (f32, f32),
    /// In so many seconds it does what it wishes, above 0.
    pub reaction: f32,
    /// Most acceleration, sizes per second squared.
    pub acceleration: f32,
    /// Most turning, radians per second.
    pub turning: f32,
    /// Whether it flies with those of its own kind alone.
    pub own_kind: bool,
    /// Whether all keep their z or their y.
    pub level: Level,
    /// Another seed, other random ways where nothing else says which.
    pub seed: u64,
}

/// Along which axis nothing moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Level {
    /// Along none.
    Free,
    /// Along y.
    Height,
    /// Along z.
    Picture,
}

impl Level {
    /// What is left of a vector.
    pub const fn of(self, v: Vec3) -> Vec3 {
        match self {
            Self::Free => v,
            Self::Height => Vec3::new(v.x, 0.0, v.z),
            Self::Picture => Vec3::new(v.x, v.y, 0.0),
        }
    }
}

/// How strong each wish is at a frame: 1 asks for a change by the speed at ease where it is at its strongest.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wishes {
    /// Away from those that are closer than they like.
    pub separation: f32,
    /// To fly as the others do.
    pub alignment: f32,
    /// To where the others are.
    pub cohesion: f32,
    /// Away from those of other kinds.
    pub kinds: f32,
    /// Away from the things of another motion; below 0 to them.
    pub others: f32,
    /// Along the path.
    pub along: f32,
    /// Back to the tube round the path, or to the leader.
    pub pull: f32,
    /// Round the path or the leader, right-handed.
    pub swirl: f32,
    /// With what blows.
    pub turbulence: f32,
}

/// A thing of a flock.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bird {
    /// Sizes.
    pub place: Vec3,
    /// Sizes per second.
    pub velocity: Vec3,
    /// Where it turns to: a unit vector.
    pub heading: Vec3,
    /// How far it is along the path that it follows, in points of it.
    pub mark: u32,
}

const SIDE: u64 = 91;

/// A unit vector that no other pair of things is likely to have.
pub fn some_way(seed: u64, thing: u64, other: u64, level: Level) -> Vec3 {
    let draw = |channel| random::signed(seed, thing, SIDE + channel + (other << 8)) as f32;
    for turn in 0..16 {
        let way = level.of(Vec3::new(draw(turn * 3), draw(turn * 3 + 1), draw(turn * 3 + 2)));
        if (0.01..=1.0).contains(&way.length_squared()) {
            return way.normalize();
        }
    }
    Vec3::X
}

impl Rules {
    /// Whether a thing that looks along `heading` sees what lies there.
    pub fn sees(&self, heading: Vec3, near: &Near) -> bool {
        self.view <= -1.0 || heading.dot(near.to) >= self.view * near.squared.sqrt()
    }

    /// Away from what is near: 1 where it is at the same place, 0 from `reach` on. `who` are the thing and the other.
    pub fn away(&self, near: &Near, reach: f32, who: (usize, u32)) -> Vec3 {
        let distance = near.squared.sqrt();
        if distance >= reach {
            return Vec3::ZERO;
        }
        if distance == 0.0 {
            // Both go opposite ways.
            let (low, high) = (who.0.min(who.1 as usize), who.0.max(who.1 as usize));
            let way = some_way(self.seed, low as u64, high as u64, self.level);
            return if who.0 == low { way } else { -way };
        }
        -near.to / distance * (1.0 - distance / reach)
    }

    /// What thing `me` wishes of its velocity because of those near it, the nearest first; sizes per second.
    pub fn among(&self, me: usize, birds: &[Bird], kinds: &[u16], near: &[Near], wishes: &Wishes) -> Vec3 {
        let bird = &birds[me];
        let (mut apart, mut other_kinds) = (Vec3::ZERO, Vec3::ZERO);
        let (mut velocity, mut place, mut with) = (Vec3::ZERO, Vec3::ZERO, 0.0);
        let kind = |i: usize| kinds.get(i).copied().unwrap_or(0);
        for other in near {
            let alike = kind(me) == kind(other.index as usize);
            apart += self.away(other, self.apart, (me, other.index));
            if !alike {
                other_kinds += self.away(other, self.sight, (me, other.index));
            }
            if alike || !self.own_kind {
                velocity += birds[other.index as usize].velocity;
                place += other.to;
                with += 1.0;
            }
        }
        let mut wish = (apart * wishes.separation + other_kinds * wishes.kinds) * self.ease;
        if with > 0.0 {
            wish += (velocity / with - bird.velocity) * wishes.alignment;
            wish += place / (with * self.sight) * (wishes.cohesion * self.ease);
        }
        wish
    }

    /// The velocity after a step of so many seconds of a bird that wishes it changed so, and where it then heads.
    pub fn steered(&self, bird: &Bird, wish: Vec3, seconds: f32) -> (Vec3, Vec3) {
        let speed = bird.velocity.length();
        let at_ease = bird.heading * (self.ease - speed);
        let change = self.level.of((wish + at_ease) / self.reaction).clamp_length_max(self.acceleration);
        let wanted = bird.heading * speed + change * seconds;
        let heading = turned(bird.heading, wanted, self.turning * seconds, self.level);
        let (least, most) = self.speeds;
        // What cannot turn so fast brakes.
        let speed = wanted.dot(heading).clamp(least, most);
        (heading * speed, heading)
    }
}

/// A unit vector turned towards another by so many radians at most.
fn turned(heading: Vec3, to: Vec3, most: f32, level: Level) -> Vec3 {
    let Some(to) = to.try_normalize() else { return heading };
    if most >= std::f32::consts::PI {
        return to;
    }
    let (sine, cosine) = libm::sincosf(most);
    let along = heading.dot(to);
    if along >= cosine {
        return to;
    }
    let aside = (to - heading * along).try_normalize().unwrap_or_else(|| {
        // Right back: to its left, or to any side where that is none.
        let left = if level == Level::Picture { Vec3::Z.cross(heading) } else { Vec3::Y.cross(heading) };
        left.try_normalize().unwrap_or(Vec3::X)
    });
    (heading * cosine + aside * sine).normalize()
}
