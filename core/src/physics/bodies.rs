//! Rigid bodies: worked out by rapier3d, step by step, in single precision with the same bits everywhere.

use crate::motion::{Cancel, Columns, Contact, Motion, MotionError, Recording, Row, Sample};
use crate::pose::turn_between;
use crate::surface::{Shape, Surface};
use glam::{DQuat, DVec3, Quat, Vec3};
use rapier3d::prelude::{
    CoefficientCombineRule, ColliderBuilder, ColliderHandle, PhysicsWorld, RigidBodyBuilder, RigidBodyHandle, Rotation,
    SharedShape, Vector,
};
use std::collections::BTreeMap;

/// The form of bodies, about their own middle, before a thing's scale.
#[derive(Debug, Clone, PartialEq)]
pub enum BodyForm {
    /// A ball of this radius, metres.
    Ball(f64),
    /// Half its edges, metres.
    Box(DVec3),
    /// Half the length between the middles of its ends, along x, and its radius, metres.
    Capsule(f64, f64),
    /// Half its height along y, and its radius, metres.
    Disc(f64, f64),
}

impl BodyForm {
    fn shape(&self, scale: f64) -> SharedShape {
        let of = |x: f64| (x * scale) as f32;
        match self {
            Self::Ball(radius) => SharedShape::ball(of(*radius)),
            Self::Box(half) => SharedShape::cuboid(of(half.x), of(half.y), of(half.z)),
            Self::Capsule(half, radius) => SharedShape::capsule_x(of(*half), of(*radius)),
            Self::Disc(half, radius) => SharedShape::cylinder(of(*half), of(*radius)),
        }
    }

    /// Its smallest half extent, metres.
    fn smallest(&self) -> f64 {
        match self {
            Self::Ball(radius) => *radius,
            Self::Box(half) => half.min_element(),
            Self::Capsule(_, radius) => *radius,
            Self::Disc(half, radius) => half.min(*radius),
        }
    }
}

/// What bodies are and what acts on them.
#[derive(Debug, Clone)]
pub struct BodiesSetup {
    /// Their form.
    pub form: BodyForm,
    /// Kilograms per cubic metre, above 0.
    pub density: f64,
    /// 0 to 1.
    pub bounciness: f64,
    /// At least 0.
    pub friction: f64,
    /// How fast moving and turning die, per second, at least 0.
    pub damping: (f64, f64),
    /// Metres per second squared.
    pub gravity: DVec3,
    /// Seconds in which a body comes to its motion by a force; nothing for bodies that are free from the first frame on.
    pub pulled: Option<f64>,
    /// Steps for each frame; nothing for as many as sizes and speeds ask for.
    pub steps: Option<usize>,
    /// First frame; bodies begin as their motion is then.
    pub from: f64,
    /// Frames that are worked out, at least 1.
    pub frames: usize,
    /// Frames per second.
    pub fps: f64,
    /// In flat scenes bodies stay in z = 0 and turn about z only.
    pub flat: bool,
}

/// What came of it.
pub struct BodiesOutcome {
    /// The bodies.
    pub recording: Recording,
    /// Steps for each frame.
    pub steps: usize,
    /// The frame from which on it was no longer followed, since something flew apart.
    pub apart: Option<f64>,
}

/// Most steps for each frame that sizes and speeds may ask for.
const MOST_STEPS: usize = 32;
/// Part of its smallest half extent by which a body may move in a step.
const STRIDE: f64 = 0.5;
/// Metres beyond which something has flown apart.
const FARTHEST: f32 = 1e6;

/// Works out bodies that begin as the things of `bodies`, against surfaces that stand and things of `moved` that go their
/// own way, of the same form. Both are ready for all the frames.
pub fn simulate(
    setup: &BodiesSetup,
    bodies: &dyn Motion,
    moved: Option<&dyn Motion>,
    grounds: &[Surface],
    cancel: &Cancel,
) -> Result<BodiesOutcome, MotionError> {
    let mut work = Work::new(setup, bodies, moved, grounds);
    let mut rows = Vec::with_capacity((setup.frames + 1) * bodies.len());
    work.keep(&mut rows);
    let mut apart = None;
    for frame in 0..setup.frames {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        if apart.is_none() {
            work.frame(frame);
            if !work.is_sound() {
                apart = Some(setup.from + frame as f64 + 1.0);
            }
        }
        match apart {
            None => work.keep(&mut rows),
            // Held as it was before.
            Some(_) => {
                let last = rows.len() - bodies.len();
                rows.extend_from_within(last..);
                let held = rows.len() - bodies.len();
                rows[held..].iter_mut().for_each(|row| *row = row.at_rest());
            }
        }
    }
    let Work { scales, contacts, steps, .. } = work;
    Ok(BodiesOutcome { recording: Recording::new(setup.from, rows, scales, contacts), steps, apart })
}

/// Poses and velocities of a motion at a frame, metres and seconds.
fn poses(motion: &dyn Motion, frame: f64, fps: f64) -> Vec<(DVec3, DQuat, DVec3, DVec3, f64)> {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSE | Columns::VELOCITY | Columns::SPIN, &mut sample);
    let one = |i: usize| {
        let (velocity, spin) = (sample.velocities[i] * fps, sample.spins[i] * fps);
        (sample.positions[i], sample.orientations[i], velocity, spin, sample.scales[i].x)
    };
    (0..motion.len()).map(one).collect()
}

struct Work<'a> {
    setup: &'a BodiesSetup,
    bodies: &'a dyn Motion,
    moved: Option<&'a dyn Motion>,
    world: PhysicsWorld,
    handles: Vec<RigidBodyHandle>,
    carried: Vec<RigidBodyHandle>,
    /// Which body a collider is of, and what contacts call the others.
    of: BTreeMap<(u32, u32), usize>,
    names: BTreeMap<(u32, u32), String>,
    /// Pairs that touch.
    touching: Vec<((u32, u32), (u32, u32))>,
    contacts: Vec<Contact>,
    scales: Vec<f64>,
    steps: usize,
}

fn vector(v: DVec3) -> Vector {
    let v = v.as_vec3();
    Vector::new(v.x, v.y, v.z)
}

fn back(v: Vector) -> Vec3 {
    Vec3::new(v.x, v.y, v.z)
}

fn rotation(q: DQuat) -> Rotation {
    let q = q.as_quat();
    Rotation::from_xyzw(q.x, q.y, q.z, q.w)
}

fn turn(q: &Rotation) -> Quat {
    Quat::from_xyzw(q.x, q.y, q.z, q.w)
}

impl<'a> Work<'a> {
    fn new(setup: &'a BodiesSetup, bodies: &'a dyn Motion, moved: Option<&'a dyn Motion>, grounds: &[Surface]) -> Self {
        let mut world = PhysicsWorld::new();
        world.gravity = vector(setup.gravity);
        let begin = poses(bodies, setup.from, setup.fps);
        let sizes = begin.iter().map(|(.., scale)| setup.form.smallest() * scale);
        let smallest = sizes.fold(f64::INFINITY, f64::min);
        let fastest = begin.iter().map(|(_, _, velocity, ..)| velocity.length()).fold(0.0, f64::max);
        // What falls through the loop gains so much.
        let falls = (2.0 * setup.gravity.length() * 10.0 * smallest).sqrt();
        let asked = ((fastest + falls) / setup.fps / (STRIDE * smallest)).ceil();
        let steps = setup.steps.unwrap_or_else(|| (asked as usize).clamp(2, MOST_STEPS));
        world.integration_parameters.dt = (1.0 / (setup.fps * steps as f64)) as f32;
        world.integration_parameters.length_unit = (4.0 * smallest) as f32;
        let mut work = Self {
            setup,
            bodies,
            moved,
            world,
            handles: Vec::new(),
            carried: Vec::new(),
            of: BTreeMap::new(),
            names: BTreeMap::new(),
            touching: Vec::new(),
            contacts: Vec::new(),
            scales: begin.iter().map(|(.., scale)| *scale).collect(),
            steps,
        };
        for (place, orientation, velocity, spin, scale) in begin {
            work.add_body(place, orientation, velocity, spin, scale);
        }
        let carried = moved.map(|moved| poses(moved, setup.from, setup.fps)).unwrap_or_default();
        for (place, orientation, _, _, scale) in carried {
            let body = RigidBodyBuilder::kinematic_position_based().translation(vector(place)).build();
            let handle = work.world.insert_body(body);
            work.world.bodies[handle].set_rotation(rotation(orientation), false);
            let collider = work.collider(scale).build();
            let added = work.world.insert_collider(collider, Some(handle));
            work.names.insert(added.into_raw_parts(), "moved".to_owned());
            work.carried.push(handle);
        }
        for (i, ground) in grounds.iter().enumerate() {
            work.add_ground(ground, i);
        }
        work
    }

    fn collider(&self, scale: f64) -> ColliderBuilder {
        ColliderBuilder::new(self.setup.form.shape(scale))
            .density(self.setup.density as f32)
            .restitution(self.setup.bounciness as f32)
            .friction(self.setup.friction as f32)
    }

    fn add_body(&mut self, place: DVec3, orientation: DQuat, velocity: DVec3, spin: DVec3, scale: f64) {
        let setup = self.setup;
        let mut body = RigidBodyBuilder::dynamic()
            .translation(vector(place))
            .linvel(vector(velocity))
            .angvel(vector(spin))
            .linear_damping(setup.damping.0 as f32)
            .angular_damping(setup.damping.1 as f32)
            .can_sleep(false)
            .ccd_enabled(true);
        if setup.flat {
            body = body.enabled_translations(true, true, false).enabled_rotations(false, false, true);
        }
        let handle = self.world.insert_body(body.build());
        self.world.bodies[handle].set_rotation(rotation(orientation), false);
        let collider = self.collider(scale).build();
        let added = self.world.insert_collider(collider, Some(handle));
        self.of.insert(added.into_raw_parts(), self.handles.len());
        self.handles.push(handle);
    }

    fn add_ground(&mut self, ground: &Surface, number: usize) {
        let shape = match &*ground.shape {
            Shape::Plane { .. } => SharedShape::halfspace(Vector::Y),
            Shape::Ball { radius } => SharedShape::ball(*radius as f32),
            Shape::Box { half } => SharedShape::cuboid(half.x as f32, half.y as f32, half.z as f32),
            Shape::Torus { radius, tube } => {
                let ring = |u: f64, v: f64| {
                    let far = radius + tube * libm::cos(v);
                    DVec3::new(far * libm::cos(u), tube * libm::sin(v), far * libm::sin(u))
                };
                mesh(64, 24, &ring)
            }
            Shape::Lathe(profile) => {
                let points = profile.points().to_vec();
                let turned = move |u: f64, v: f64| {
                    let part = v / std::f64::consts::TAU * (points.len() - 1) as f64;
                    let i = (part.floor() as usize).min(points.len() - 2);
                    let p = points[i].lerp(points[i + 1], part - i as f64);
                    DVec3::new(p.x * libm::cos(u), p.y, p.x * libm::sin(u))
                };
                let rows = (profile.points().len() - 1).max(1);
                mesh(64, rows, &turned)
            }
        };
        let handle = self.world.insert_body(RigidBodyBuilder::fixed().translation(vector(ground.position)).build());
        self.world.bodies[handle].set_rotation(rotation(ground.orientation), false);
        let collider = ColliderBuilder::new(shape)
            .restitution((self.setup.bounciness * ground.bounce).min(1.0) as f32)
            .friction((self.setup.friction * ground.grip) as f32)
            .restitution_combine_rule(CoefficientCombineRule::Max)
            .friction_combine_rule(CoefficientCombineRule::Max);
        let added = self.world.insert_collider(collider.build(), Some(handle));
        let name = if number == 0 { "ground" } else { "second" };
        self.names.insert(added.into_raw_parts(), name.to_owned());
    }

    /// All steps of a frame.
    fn frame(&mut self, frame: usize) {
        for step in 0..self.steps {
            let end = self.setup.from + frame as f64 + (step + 1) as f64 / self.steps as f64;
            if let Some(time) = self.setup.pulled {
                self.pull(end, time);
            }
            if let Some(moved) = self.moved {
                let there = poses(moved, end, self.setup.fps);
                for (handle, (place, orientation, ..)) in self.carried.iter().zip(there) {
                    let body = &mut self.world.bodies[*handle];
                    body.set_next_kinematic_translation(vector(place));
                    body.set_next_kinematic_rotation(rotation(orientation));
                }
            }
            self.world.step();
            self.listen(end);
        }
    }

    /// A spring that neither swings nor depends on mass: v̇ = (x′ − x)/τ² + 2(v′ − v)/τ, by its value at the step's end.
    fn pull(&mut self, end: f64, time: f64) {
        let dt = f64::from(self.world.integration_parameters.dt);
        let goals = poses(self.bodies, end, self.setup.fps);
        let rate = 1.0 / time;
        let soft = 1.0 / (1.0 + 2.0 * rate * dt + rate * rate * dt * dt);
        for (handle, (place, orientation, velocity, spin, _)) in self.handles.iter().zip(goals) {
            let body = &mut self.world.bodies[*handle];
            let (x, v, w) = (back(body.translation()), back(body.linvel()), back(body.angvel()));
            let here = turn(body.rotation()).as_dquat().normalize();
            let pulled =
                |off: DVec3, from: Vec3, to: DVec3| (from.as_dvec3() + (off * rate + to * 2.0) * (rate * dt)) * soft;
            body.set_linvel(vector(pulled(place - x.as_dvec3(), v, velocity)), true);
            body.set_angvel(vector(pulled(turn_between(here, orientation), w, spin)), true);
        }
    }

    /// Notes what has begun to touch.
    fn listen(&mut self, frame: f64) {
        let mut now = Vec::new();
        for pair in self.world.contact_pairs() {
            if !pair.has_any_active_contact() {
                continue;
            }
            let ends = [pair.collider1, pair.collider2].map(ColliderHandle::into_raw_parts);
            now.push((ends[0], ends[1]));
            if self.touching.contains(&(ends[0], ends[1])) {
                continue;
            }
            let Some((manifold, contact)) = pair.find_deepest_contact() else { continue };
            let first = &self.world.colliders[pair.collider1];
            let place = first.position().transform_point(contact.local_p1);
            let normal = back(first.position().rotation * manifold.local_n1).as_dvec3().normalize_or_zero();
            let impulse = back(pair.total_impulse()).as_dvec3();
            for (side, sign) in [(0, -1.0), (1, 1.0)] {
                let (Some(&object), other) = (self.of.get(&ends[side]), ends[1 - side]) else { continue };
                let name = match (self.names.get(&other), self.of.get(&other)) {
                    (Some(name), _) => name.clone(),
                    (None, Some(other)) => format!("thing {}", other + 1),
                    _ => String::new(),
                };
                let body = &self.world.bodies[self.handles[object]];
                let speed = f64::from(back(body.linvel()).length());
                let change = impulse.length() / f64::from(body.mass()).max(1e-30);
                self.contacts.push(Contact {
                    object,
                    other: name,
                    frame,
                    place: back(place).as_dvec3(),
                    middle: back(body.translation()).as_dvec3(),
                    normal: normal * sign,
                    impulse: normal * (sign * change),
                    speed_in: speed,
                    speed_out: speed,
                });
            }
        }
        now.sort_unstable();
        self.touching = now;
    }

    fn keep(&self, rows: &mut Vec<Row>) {
        rows.extend(self.handles.iter().map(|handle| {
            let body = &self.world.bodies[*handle];
            let velocity = back(body.linvel()) * (1.0 / self.setup.fps) as f32;
            Row::new(back(body.translation()), turn(body.rotation()), velocity)
        }));
    }

    /// False where something has flown apart.
    fn is_sound(&self) -> bool {
        self.handles.iter().all(|handle| {
            let body = &self.world.bodies[*handle];
            let (x, v) = (back(body.translation()), back(body.linvel()));
            x.is_finite() && v.is_finite() && x.abs().max_element() < FARTHEST && turn(body.rotation()).is_finite()
        })
    }
}

/// A grid of triangles over a surface of two angles.
fn mesh(around: usize, along: usize, of: &dyn Fn(f64, f64) -> DVec3) -> SharedShape {
    use std::f64::consts::TAU;
    let mut points = Vec::with_capacity((around + 1) * (along + 1));
    for i in 0..=around {
        for j in 0..=along {
            points.push(vector(of(TAU * i as f64 / around as f64, TAU * j as f64 / along as f64)));
        }
    }
    let at = |i: usize, j: usize| (i * (along + 1) + j) as u32;
    let mut sides = Vec::with_capacity(2 * around * along);
    for i in 0..around {
        for j in 0..along {
            sides.push([at(i, j), at(i + 1, j), at(i + 1, j + 1)]);
            sides.push([at(i, j), at(i + 1, j + 1), at(i, j + 1)]);
        }
    }
    // Only an empty mesh is refused, and this one has sides.
    SharedShape::trimesh(points, sides).unwrap_or_else(|_| SharedShape::ball(1e-3))
}
