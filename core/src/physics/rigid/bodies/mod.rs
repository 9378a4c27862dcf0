//! Rigid bodies: worked out by rapier3d, step by step, in single precision with the same bits everywhere.

mod goals;
mod recorded;

use super::convert::{back, rotation, turn, vector};
use super::solid::{BodyForm, ground_shape};
use crate::motion::{Contact, Kept, Motion, Row};
use crate::pose::turn_between;
use crate::signal::{Driven, Thing};
use crate::surface::Surface;
use glam::{DVec3, Vec3};
use goals::{Goal, WAY, forms_of, goals, unit_of};
use rapier3d::prelude::{
    CCDSolver, CoefficientCombineRule, ColliderBuilder, ColliderHandle, CollisionPipeline, PhysicsPipeline,
    PhysicsWorld, RigidBodyBuilder, RigidBodyHandle,
};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What bodies are and what acts on them.
#[derive(Debug, Clone)]
pub struct BodiesSetup {
    /// Their forms, at least one: one for all, or one for each of the motion's kinds.
    pub forms: Vec<BodyForm>,
    /// The same of things that go their own way; none only where there are no such things.
    pub moved_forms: Vec<BodyForm>,
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
    /// Frames per second.
    pub fps: f64,
    /// The axis, 0 to 2, along which bodies do not move and about which alone they turn; nothing for every way.
    pub level: Option<usize>,
}

impl BodiesSetup {
    /// What is left of a velocity.
    fn free(&self, velocity: DVec3) -> DVec3 {
        self.level.map_or(velocity, |axis| velocity - DVec3::AXES[axis] * velocity[axis])
    }

    /// What is left of a spin.
    fn freely(&self, spin: DVec3) -> DVec3 {
        self.level.map_or(spin, |axis| DVec3::AXES[axis] * spin[axis])
    }
}

/// What takes the place of numbers of the setup where any of them changes over time; the same for all bodies.
#[derive(Debug, Clone)]
pub struct BodiesChange {
    /// Unit vector along which gravity pulls.
    pub down: DVec3,
    /// Metres per second squared.
    pub gravity: Driven,
    /// 0 to 1.
    pub bounciness: Driven,
    /// At least 0.
    pub friction: Driven,
}

impl BodiesChange {
    fn at(&self, frame: f64) -> Numbers {
        let of = |number: &Driven| number.at(frame, Thing { index: 0, count: 1 });
        Numbers {
            gravity: self.down * of(&self.gravity),
            bounciness: of(&self.bounciness),
            friction: of(&self.friction),
        }
    }
}

/// The numbers of a step.
#[derive(Clone, Copy)]
struct Numbers {
    gravity: DVec3,
    bounciness: f64,
    friction: f64,
}

/// Most steps for each frame that sizes and speeds may ask for.
const MOST_STEPS: usize = 32;
/// Part of its smallest half extent by which a body may move in a step.
const STRIDE: f64 = 0.5;
/// Metres beyond which something has flown apart.
const FARTHEST: f64 = 1e6;

/// Where bodies shall be and where the moved ones are, at the end of each step of a frame.
#[derive(Default)]
struct Intake {
    frame: usize,
    pulled: Vec<Vec<Goal>>,
    moved: Vec<Vec<Goal>>,
    numbers: Vec<Numbers>,
}

/// Two colliders.
type Pair = ((u32, u32), (u32, u32));

/// Bodies that begin as the things of a motion, against surfaces that stand and things that go their own way.
pub struct Bodies {
    setup: BodiesSetup,
    change: Option<BodiesChange>,
    /// Surfaces, each with its bounce and its grip.
    grounds: Vec<(ColliderHandle, f64, f64)>,
    bodies: Arc<dyn Motion>,
    moved: Option<Arc<dyn Motion>>,
    kind: [u8; 32],
    world: PhysicsWorld,
    handles: Vec<RigidBodyHandle>,
    carried: Vec<RigidBodyHandle>,
    /// Which body a collider is of, and what contacts call the others.
    of: BTreeMap<(u32, u32), usize>,
    names: BTreeMap<(u32, u32), &'static str>,
    /// Pairs that touch, in order.
    touching: Vec<Pair>,
    /// How all is held since something flew apart.
    held: Option<Arc<[Row]>>,
    /// Metres of a unit of the world: a power of two near the size of the smallest, so that bodies twice as large are
    /// worked out in the same numbers.
    unit: f64,
    /// From end to end of the smallest, metres.
    size: f64,
    scales: Arc<[f64]>,
    steps: usize,
    intake: Intake,
}

/// What bodies go on from.
struct BodiesState {
    world: PhysicsWorld,
    touching: Vec<Pair>,
    held: Option<Arc<[Row]>>,
}

/// The same world: what is left out holds nothing from one step to the next.
fn copy(world: &PhysicsWorld) -> PhysicsWorld {
    PhysicsWorld {
        gravity: world.gravity,
        integration_parameters: world.integration_parameters,
        physics_pipeline: PhysicsPipeline::new(),
        collision_pipeline: CollisionPipeline::new(),
        islands: world.islands.clone(),
        broad_phase: world.broad_phase.clone(),
        narrow_phase: world.narrow_phase.clone(),
        bodies: world.bodies.clone(),
        colliders: world.colliders.clone(),
        impulse_joints: world.impulse_joints.clone(),
        multibody_joints: world.multibody_joints.clone(),
        soft_bodies: world.soft_bodies.clone(),
        ccd_solver: CCDSolver::new(),
    }
}

impl Bodies {
    /// Things of `bodies`, at least one, and of `moved`, if there is one with its forms; both ready for all the frames that are worked out.
    pub fn new(
        setup: BodiesSetup,
        bodies: Arc<dyn Motion>,
        moved: Option<Arc<dyn Motion>>,
        grounds: &[Surface],
    ) -> Self {
        let mut world = PhysicsWorld::new();
        let begin = goals(&*bodies, setup.from, setup.fps);
        let forms = forms_of(&*bodies, &setup.forms);
        let extents = |of: fn(&BodyForm) -> f64| {
            forms
                .iter()
                .zip(&begin)
                .map(|(&form, goal)| of(&setup.forms[form]) * goal.scale)
                .fold(f64::INFINITY, f64::min)
        };
        let (smallest, size) = (extents(BodyForm::smallest), extents(BodyForm::longest));
        let moved_forms = moved.as_ref().map(|moved| forms_of(&**moved, &setup.moved_forms)).unwrap_or_default();
        let fastest = begin.iter().map(|goal| goal.velocity.length()).fold(0.0, f64::max);
        // What falls through the loop gains so much.
        let falls = (2.0 * setup.gravity.length() * 10.0 * smallest).sqrt();
        let asked = ((fastest + falls) / setup.fps / (STRIDE * smallest)).ceil();
        let steps = setup.steps.unwrap_or_else(|| (asked as usize).clamp(2, MOST_STEPS));
        world.integration_parameters.dt = (1.0 / (setup.fps * steps as f64)) as f32;
        let unit = unit_of(smallest);
        world.gravity = vector(setup.gravity / unit);
        world.integration_parameters.length_unit = (4.0 * smallest / unit) as f32;
        // Numbers are written such that they are read as the same bits.
        let told = format!("{WAY} {setup:?} {grounds:?} {steps} {forms:?} {moved_forms:?}");
        let kind = *blake3::hash(told.as_bytes()).as_bytes();
        let mut work = Self {
            setup,
            change: None,
            grounds: Vec::new(),
            bodies,
            moved,
            kind,
            world,
            handles: Vec::new(),
            carried: Vec::new(),
            of: BTreeMap::new(),
            names: BTreeMap::new(),
            touching: Vec::new(),
            held: None,
            unit,
            size,
            scales: begin.iter().map(|goal| goal.scale).collect(),
            steps,
            intake: Intake::default(),
        };
        for (goal, form) in begin.into_iter().zip(forms) {
            work.add_body(goal, form);
        }
        let carried = work.moved.as_ref().map(|moved| goals(&**moved, work.setup.from, work.setup.fps));
        for (goal, form) in carried.unwrap_or_default().into_iter().zip(moved_forms) {
            let goal = goal.within(unit);
            let body = RigidBodyBuilder::kinematic_position_based().translation(vector(goal.place)).build();
            let handle = work.world.insert_body(body);
            work.world.bodies[handle].set_rotation(rotation(goal.orientation), false);
            let collider = work.collider(&work.setup.moved_forms[form], goal.scale).build();
            let added = work.world.insert_collider(collider, Some(handle));
            work.names.insert(added.into_raw_parts(), "moved");
            work.carried.push(handle);
        }
        for (i, ground) in grounds.iter().enumerate() {
            work.add_ground(ground, i);
        }
        work
    }

    /// The same while numbers change; those of the setup then only say how finely it is worked out.
    #[must_use]
    pub fn changing(mut self, change: Option<BodiesChange>) -> Self {
        self.change = change;
        self
    }

    /// The first thing at the first frame whose smallest half extent is below so many metres, or is no number; and whether
    /// it is one of those that go their own way.
    pub fn vanishing(&self, least: f64) -> Option<(usize, bool)> {
        let BodiesSetup { forms, moved_forms, from, fps, .. } = &self.setup;
        let first = |motion: &dyn Motion, forms: &[BodyForm]| {
            let kinds = forms_of(motion, forms);
            let things = goals(motion, *from, *fps).into_iter().zip(kinds);
            let mut sizes = things.map(|(goal, form)| forms[form].smallest() * goal.scale);
            sizes.position(|size| size.is_nan() || size < least)
        };
        let bodies = first(&*self.bodies, forms).map(|object| (object, false));
        bodies
            .or_else(|| self.moved.as_ref().and_then(|moved| first(&**moved, moved_forms)).map(|object| (object, true)))
    }

    /// Steps for each frame.
    pub const fn steps(&self) -> usize {
        self.steps
    }

    fn collider(&self, form: &BodyForm, scale: f64) -> ColliderBuilder {
        ColliderBuilder::new(form.shape(scale))
            .density(self.setup.density as f32)
            .restitution(self.setup.bounciness as f32)
            .friction(self.setup.friction as f32)
    }

    fn add_body(&mut self, goal: Goal, form: usize) {
        let (setup, Goal { place, orientation, velocity, spin, scale }) = (&self.setup, goal.within(self.unit));
        let mut body = RigidBodyBuilder::dynamic()
            .translation(vector(place))
            .linvel(vector(setup.free(velocity)))
            .angvel(vector(setup.freely(spin)))
            .linear_damping(setup.damping.0 as f32)
            .angular_damping(setup.damping.1 as f32)
            .can_sleep(false)
            .ccd_enabled(true);
        if let Some(axis) = setup.level {
            let others = [0, 1, 2].map(|i| i != axis);
            body = body
                .enabled_translations(others[0], others[1], others[2])
                .enabled_rotations(!others[0], !others[1], !others[2]);
        }
        let handle = self.world.insert_body(body.build());
        self.world.bodies[handle].set_rotation(rotation(orientation), false);
        let collider = self.collider(&self.setup.forms[form], scale).build();
        let added = self.world.insert_collider(collider, Some(handle));
        self.of.insert(added.into_raw_parts(), self.handles.len());
        self.handles.push(handle);
    }

    fn add_ground(&mut self, ground: &Surface, number: usize) {
        let handle =
            self.world.insert_body(RigidBodyBuilder::fixed().translation(vector(ground.position / self.unit)).build());
        self.world.bodies[handle].set_rotation(rotation(ground.orientation), false);
        let collider = ColliderBuilder::new(ground_shape(&ground.shape, self.unit))
            .restitution((self.setup.bounciness * ground.bounce).min(1.0) as f32)
            .friction((self.setup.friction * ground.grip) as f32)
            .restitution_combine_rule(CoefficientCombineRule::Max)
            .friction_combine_rule(CoefficientCombineRule::Max);
        let added = self.world.insert_collider(collider.build(), Some(handle));
        self.grounds.push((added, ground.bounce, ground.grip));
        let name = if number == 0 { "ground" } else { "second" };
        self.names.insert(added.into_raw_parts(), name);
    }

    /// When a step of a frame ends.
    fn end_of(&self, frame: usize, step: usize) -> f64 {
        self.setup.from + frame as f64 - 1.0 + (step + 1) as f64 / self.steps as f64
    }

    /// All steps on the way to a frame, and what began to touch meanwhile.
    fn work_out(&mut self, frame: usize) -> Vec<Contact> {
        let intake = std::mem::take(&mut self.intake);
        debug_assert_eq!(intake.frame, frame, "asked for what it takes in first");
        let mut contacts = Vec::new();
        for step in 0..self.steps {
            if let (Some(time), Some(goals)) = (self.setup.pulled, intake.pulled.get(step)) {
                self.pull(goals, time);
            }
            for (handle, goal) in self.carried.iter().zip(intake.moved.get(step).into_iter().flatten()) {
                let (body, goal) = (&mut self.world.bodies[*handle], goal.within(self.unit));
                body.set_next_kinematic_translation(vector(goal.place));
                body.set_next_kinematic_rotation(rotation(goal.orientation));
            }
            if let Some(numbers) = intake.numbers.get(step) {
                self.set(numbers);
            }
            self.world.step();
            self.listen(self.end_of(frame, step), &mut contacts);
        }
        contacts
    }

    /// Sets what acts from now on. Colliders are told only what is new to them.
    fn set(&mut self, numbers: &Numbers) {
        self.world.gravity = vector(numbers.gravity / self.unit);
        let handles: Vec<ColliderHandle> = self.world.colliders.iter().map(|(handle, _)| handle).collect();
        for handle in handles {
            let ground = self.grounds.iter().find(|(ground, ..)| *ground == handle);
            let (bounce, grip) = ground.map_or((1.0, 1.0), |(_, bounce, grip)| (*bounce, *grip));
            let bounciness = (numbers.bounciness * bounce).min(1.0) as f32;
            let friction = (numbers.friction * grip) as f32;
            let collider = &self.world.colliders[handle];
            if collider.restitution() != bounciness || collider.friction() != friction {
                let collider = &mut self.world.colliders[handle];
                collider.set_restitution(bounciness);
                collider.set_friction(friction);
            }
        }
    }

    /// A spring that neither swings nor depends on mass: v̇ = (x′ − x)/τ² + 2(v′ − v)/τ, by its value at the step's end.
    fn pull(&mut self, goals: &[Goal], time: f64) {
        let dt = f64::from(self.world.integration_parameters.dt);
        let rate = 1.0 / time;
        let soft = 1.0 / (1.0 + 2.0 * rate * dt + rate * rate * dt * dt);
        for (handle, goal) in self.handles.iter().zip(goals) {
            let Goal { place, orientation, velocity, spin, .. } = goal.within(self.unit);
            let body = &mut self.world.bodies[*handle];
            let (x, v, w) = (back(body.translation()), back(body.linvel()), back(body.angvel()));
            let here = turn(body.rotation()).as_dquat().normalize();
            let pulled =
                |off: DVec3, from: Vec3, to: DVec3| (from.as_dvec3() + (off * rate + to * 2.0) * (rate * dt)) * soft;
            body.set_linvel(vector(self.setup.free(pulled(place - x.as_dvec3(), v, velocity))), true);
            body.set_angvel(vector(self.setup.freely(pulled(turn_between(here, orientation), w, spin))), true);
        }
    }

    /// Notes what has begun to touch.
    fn listen(&mut self, frame: f64, contacts: &mut Vec<Contact>) {
        let mut now = Vec::new();
        for pair in self.world.contact_pairs() {
            if !pair.has_any_active_contact() {
                continue;
            }
            let ends = [pair.collider1, pair.collider2].map(ColliderHandle::into_raw_parts);
            now.push((ends[0], ends[1]));
            if self.touching.binary_search(&(ends[0], ends[1])).is_ok() {
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
                    (Some(name), _) => (*name).to_owned(),
                    (None, Some(other)) => format!("thing {}", other + 1),
                    _ => String::new(),
                };
                let body = &self.world.bodies[self.handles[object]];
                let speed = f64::from(back(body.linvel()).length()) * self.unit;
                let change = impulse.length() / f64::from(body.mass()).max(1e-30) * self.unit;
                contacts.push(Contact {
                    object,
                    other: name,
                    frame,
                    place: back(place).as_dvec3() * self.unit,
                    middle: back(body.translation()).as_dvec3() * self.unit,
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

    fn rows(&self) -> Box<[Row]> {
        let row = |handle: &RigidBodyHandle| {
            let body = &self.world.bodies[*handle];
            let velocity = back(body.linvel()) * self.unit as f32 * (1.0 / self.setup.fps) as f32;
            Row::new(back(body.translation()) * self.unit as f32, turn(body.rotation()), velocity)
        };
        self.handles.iter().map(row).collect()
    }

    /// As it was before something flew apart.
    fn hold(&self) -> Kept {
        let rows = self.held.iter().flat_map(|rows| rows.iter().copied()).collect();
        Kept { rows, contacts: Vec::new(), sound: false }
    }

    /// False where something has flown apart.
    fn is_sound(&self) -> bool {
        self.handles.iter().all(|handle| {
            let body = &self.world.bodies[*handle];
            let (x, v) = (back(body.translation()), back(body.linvel()));
            x.is_finite()
                && v.is_finite()
                && f64::from(x.abs().max_element()) * self.unit < FARTHEST
                && turn(body.rotation()).is_finite()
        })
    }
}
