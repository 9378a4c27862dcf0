//! What a contact does to a thing that is thrown.

use super::footing::ALONG;
use super::{BALL, Course, Footing, Mode, Other, Solver, Struck, Support};
use glam::DVec3;

/// Contacts within one frame beyond which the motion is taken to have stopped.
const CONTACTS_PER_FRAME: usize = 4096;
/// Seconds of flight below which the rest of a series of bounces is taken at its limit: under gravity on earth they
/// rise by a ten-millionth of a millimetre.
const LIMIT_FLIGHT: f64 = 1e-5;

impl Solver<'_> {
    /// Across × −e; along, at most μ(1+e) times the speed across is lost, and of a ball at most what makes it grip.
    pub(super) fn touch(&mut self, support: Support) -> bool {
        let (gap, normal) = self.gap(support, self.place);
        let (e, friction) = (self.bounciness(support), self.friction(support, self.time));
        let before = self.velocity;
        let across = (-before.dot(normal)).max(0.0);
        match support {
            Support::Side(side) => self.place[side.axis().0] = self.setup.bounds.side(side),
            Support::Face(_) => self.place -= normal * gap,
        }
        self.velocity = before - normal * before.dot(normal);
        self.rub(normal, friction * (1.0 + e) * across);
        self.velocity += normal * (e * across);
        let lay_on = self.footing();
        let footing = lay_on.and_then(|footing| self.kept(footing, support, before, e));
        self.mode = footing.map_or(Mode::Flies, Mode::Slides);
        self.settle_or_fly(support, normal, e * across, footing, lay_on);
        self.travel = self.velocity.try_normalize().unwrap_or(self.travel);
        self.note(Some(support), normal, before)
    }

    /// What of its footing it stays on when it is thrown back by something beside it. Where that would drive it into
    /// what it lies on, it is thrown back along that, so much slower; where into both, as it came.
    fn kept(&mut self, footing: Footing, struck: Support, before: DVec3, e: f64) -> Option<Footing> {
        let speed = before.length();
        let off = |this: &Self, support: Support| this.velocity.dot(this.gap(support, this.place).1);
        let driven = |this: &Self| footing.supports().find(|support| off(this, *support) < -ALONG * speed);
        if let Some(into) = driven(self) {
            let pair = Footing { one: struck, other: Some(into) };
            let line = self.seat(pair, self.place, before).line?;
            let along = line * self.velocity.dot(line);
            let across = before - line * before.dot(line);
            self.velocity = along - across * e;
            if driven(self).is_some() {
                self.velocity = before * -e;
            }
        }
        let stays = |support: &Support| off(self, *support).abs() <= ALONG * speed;
        let mut left = footing.supports().filter(stays);
        let one = left.next()?;
        Some(Footing { one, other: left.next() })
    }

    /// Friction along what is touched, of so much change of velocity at most.
    pub(super) fn rub(&mut self, normal: DVec3, most: f64) {
        if !self.balls() {
            self.velocity = slowed(self.velocity, most);
            return;
        }
        let radius = self.setup.rolling_radius;
        let slip = self.velocity - normal * self.velocity.dot(normal) - self.spin.cross(normal) * radius;
        let by = (slip.length() / (1.0 + 1.0 / BALL)).min(most);
        let change = slip.normalize_or_zero() * -by;
        self.velocity += change;
        self.spin -= normal.cross(change) / (BALL * radius);
    }

    pub(super) fn note(&mut self, on: Option<Support>, normal: DVec3, before: DVec3) -> bool {
        let frame = self.setup.start_frame + self.time * self.setup.fps;
        let on = on.map(|support| match support {
            Support::Side(side) => Other::Side(side),
            Support::Face(i) => Other::Obstacle(self.faces[i].obstacle),
        });
        self.struck.push(Struck {
            on,
            frame,
            middle: self.place,
            normal,
            impulse: self.velocity - before,
            speed_in: before.length(),
            speed_out: self.velocity.length(),
        });
        self.too_many(frame)
    }

    /// It stays where it was thrown to.
    pub(super) fn stay(&mut self) {
        let before = self.velocity;
        self.velocity = DVec3::ZERO;
        self.spin = DVec3::ZERO;
        self.mode = Mode::Lies;
        let up = (-self.forecast.air(self.time).gravity).try_normalize().unwrap_or(-before.normalize_or_zero());
        self.note(None, up, before);
    }

    /// Takes what is left of ever shorter bounces at its limit: time T/(1−e) of the next flight T, and along the side
    /// the friction of all their contacts. Beside what it lies on, or lay on and leaves for no longer, it lies on both from
    /// then on.
    fn settle_or_fly(
        &mut self,
        support: Support,
        normal: DVec3,
        leaving: f64,
        footing: Option<Footing>,
        lay_on: Option<Footing>,
    ) {
        let e = self.bounciness(support);
        let pressing = self.pressing(support, footing);
        // What comes along at no angle to speak of does not bounce at all.
        let grazes = leaving <= ALONG * self.velocity.length();
        if pressing < 0.0 || (pressing == 0.0 && !grazes) || (e >= 1.0 && !grazes) {
            return;
        }
        let flight = if grazes { 0.0 } else { 2.0 * leaving / pressing };
        if flight > LIMIT_FLIGHT {
            return;
        }
        let footing = footing.or_else(|| lay_on.filter(|lay_on| self.barely_leaves(*lay_on)));
        let left = (1.0 - e).max(f64::MIN_POSITIVE);
        self.velocity -= normal * self.velocity.dot(normal);
        let Some(joined) = self.joined(support, footing) else {
            // Held by three it stays there.
            self.velocity = DVec3::ZERO;
            self.spin = DVec3::ZERO;
            self.mode = Mode::Lies;
            return;
        };
        let seat = self.seat(joined, self.place, self.velocity);
        self.velocity = seat.level(self.velocity);
        self.mode = Mode::Slides(joined);
        if flight > 0.0 && joined.supports().all(|support| self.is_flat(support)) {
            self.goes_on_for(flight / left, seat.level(seat.free));
        }
        if flight > 0.0 {
            self.rub(normal, self.friction(support, self.time) * (1.0 + e) * leaving / left);
        }
    }

    /// True where it leaves something for a hop that is taken as none.
    fn barely_leaves(&self, footing: Footing) -> bool {
        footing.supports().all(|support| {
            let off = self.velocity.dot(self.gap(support, self.place).1);
            2.0 * off <= LIMIT_FLIGHT * self.pressing(support, None)
        })
    }

    /// Goes on along what it lies on for so many seconds with nothing rubbing, pulled along by what acts in the air too;
    /// where something comes before that, it stays where it is and comes to that from here.
    fn goes_on_for(&mut self, seconds: f64, acceleration: DVec3) {
        let course = Course::Parabola { velocity: self.velocity, acceleration };
        if self.next_event(&course, None).is_some_and(|(after, _)| after <= seconds) {
            return;
        }
        let travel = self.velocity.try_normalize().unwrap_or(self.travel);
        let piece = self.piece(course, DVec3::ZERO, travel);
        self.time += seconds;
        self.place = piece.place(self.time);
        self.velocity = piece.velocity(self.time);
        self.turn = piece.orientation(self.time);
        self.pieces.push(piece);
    }

    /// False, and at rest from here on, when contacts come too fast or are too many.
    pub(super) fn too_many(&mut self, frame: f64) -> bool {
        let count = self.struck.len();
        let fast = count > CONTACTS_PER_FRAME && frame - self.struck[count - CONTACTS_PER_FRAME].frame < 1.0;
        if fast || count >= self.most_contacts {
            return self.held();
        }
        true
    }

    /// It is held from here on, and that is said.
    pub(super) fn held(&mut self) -> bool {
        self.capped = Some(self.setup.start_frame + self.time * self.setup.fps);
        self.spin = DVec3::ZERO;
        self.joined = false;
        let lies = Course::Parabola { velocity: DVec3::ZERO, acceleration: DVec3::ZERO };
        let piece = self.piece(lies, DVec3::ZERO, self.travel);
        self.pieces.push(piece);
        false
    }
}

fn slowed(velocity: DVec3, by: f64) -> DVec3 {
    let speed = velocity.length();
    if speed <= by { DVec3::ZERO } else { velocity * (1.0 - by / speed) }
}
