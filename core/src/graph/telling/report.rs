//! What is said about a compiled scene, on the command line and on the wire.

use crate::graph::closing::offers::Offer;
use crate::graph::compile::{Compiled, End, NodeResult};
use crate::graph::node::{Mend, Recorded};
use crate::graph::product::{PathProduct, Product};
use crate::graph::telling::looks::KindReport;
use crate::motion::{Cancel, Columns, Contact, Frames, Lives, Motion, MotionError, Progress, Sample};
use crate::scene::Mark;
use crate::seam::{Gap, Leap, Seam, measure, orbit};
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeMap;

/// What became of a node.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NodeReport {
    /// `worked`, `warning`, `error` or `bypassed`.
    pub state: &'static str,
    /// Sentences: the error, or the warnings.
    pub messages: Vec<String>,
    /// Derived figures worth reading.
    pub facts: Vec<String>,
    /// The angle in degrees that a closed path had left after a lap, where one is spread over it.
    pub closing: Option<f64>,
    /// What would mend what is said.
    pub mends: Vec<Mend>,
    /// The frame at which one shot cuts to another, where there are two.
    pub cut: Option<f64>,
    /// First and last frame between which a signal does something, where it is not always.
    pub span: Option<[f64; 2]>,
    /// A recording of which a part is taken.
    pub recorded: Option<Recorded>,
    /// What is wrong in formulas, and where.
    pub marks: Vec<Mark>,
    /// Milliseconds it took; 0 when it was remembered.
    pub millis: f64,
    /// How far it is, where it is worked out frame by frame and not all there.
    pub progress: Option<Progress>,
    /// Values by parameter that would say the same as now under another choice.
    pub alike: BTreeMap<&'static str, Value>,
    /// What may be named by parameter, where that is known.
    pub names: BTreeMap<&'static str, Vec<String>>,
}

impl NodeReport {
    fn of(result: &NodeResult) -> Self {
        let millis = result.micros as f64 / 1000.0;
        match result.outcome.as_ref() {
            Ok(outcome) => Self {
                state: if outcome.warnings.is_empty() { "worked" } else { "warning" },
                messages: outcome.warnings.clone(),
                facts: outcome.facts.clone(),
                closing: outcome.closing,
                mends: outcome.mends.clone(),
                cut: outcome.cut,
                span: outcome.span.map(|(from, to)| [from, to]),
                recorded: outcome.recorded.clone(),
                marks: Vec::new(),
                millis,
                progress: outcome.progress,
                alike: outcome.alike.iter().cloned().collect(),
                names: outcome.names.iter().cloned().collect(),
            },
            Err(why) => Self {
                state: "error",
                messages: vec![why.clone()],
                facts: Vec::new(),
                closing: None,
                mends: Vec::new(),
                cut: None,
                span: None,
                recorded: None,
                marks: result.marks.clone(),
                millis,
                progress: None,
                alike: BTreeMap::new(),
                names: BTreeMap::new(),
            },
        }
    }
}

/// What happens at the loop point, in the units of the interface.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SeamReport {
    /// Largest gap in position, metres.
    pub position: f64,
    /// Largest gap in velocity, metres per second.
    pub velocity: f64,
    /// Largest gap in orientation, degrees.
    pub orientation: f64,
    /// Largest gap in spin, degrees per second.
    pub spin: f64,
    /// Largest gap in what clips play, in parts of a cycle or of the way from clip to clip; absent where none are played.
    pub clip: Option<f64>,
    /// Largest gap in how things are bent, metres between joints as they lie in their thing; absent where none is.
    pub form: Option<f64>,
    /// Thing and frame of each of these.
    pub worst: BTreeMap<&'static str, Worst>,
    /// True when no gap can be seen and nothing leaps in sight.
    pub closes: bool,
    /// Things that are seen just before and just after a frame and are not where they were: the farthest
    /// [`MOST_LEAPS`].
    pub leaps: Vec<LeapReport>,
    /// How many leaps there are.
    pub leap_count: usize,
    /// How often a thing in sight turns by more than 90° at once.
    pub flips: usize,
    /// How many things go on where another one began.
    pub trading: usize,
    /// After how many loops every thing is back in its own place: 1 where none trade, absent where the loop is open
    /// or it takes more than [`LONGEST_ORBIT`].
    pub orbit: Option<u64>,
    /// Things without a certain partner.
    pub uncertain: Vec<usize>,
    /// For each thing, the thing whose beginning its end runs into; not sent.
    #[serde(skip)]
    #[cfg_attr(feature = "openapi", schema(ignore))]
    pub partners: Vec<usize>,
}

/// Where a gap is largest.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Worst {
    /// Which thing, from 0.
    pub object: usize,
    /// Real-valued frame after the loop's end.
    pub frame: f64,
}

/// A thing that is somewhere else at once.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LeapReport {
    /// Which thing, from 0.
    pub object: usize,
    /// Real-valued frame of the loop.
    pub frame: f64,
    /// How far.
    pub metres: f64,
    /// By how much it turns.
    pub degrees: f64,
}

/// Most leaps that are listed one by one.
pub const MOST_LEAPS: usize = 100;

/// Gaps up to this (m, m/s, rad, rad/s) count as closed.
const CLOSED: f64 = 1e-6;
/// Most loops of an orbit.
pub const LONGEST_ORBIT: u64 = 10_000;

impl From<&Leap> for LeapReport {
    fn from(leap: &Leap) -> Self {
        let Leap { object, frame, metres, turn } = *leap;
        Self { object, frame, metres, degrees: turn.to_degrees() }
    }
}

impl From<&Seam> for SeamReport {
    fn from(seam: &Seam) -> Self {
        let worst = |gap: &Gap| Worst { object: gap.object, frame: gap.frame };
        Self {
            position: seam.position.amount,
            velocity: seam.velocity.amount,
            orientation: seam.orientation.amount.to_degrees(),
            spin: seam.spin.amount.to_degrees(),
            clip: seam.clip.map(|gap| gap.amount),
            form: seam.form.map(|gap| gap.amount),
            worst: [
                ("position", worst(&seam.position)),
                ("velocity", worst(&seam.velocity)),
                ("orientation", worst(&seam.orientation)),
                ("spin", worst(&seam.spin)),
            ]
            .into_iter()
            .chain(seam.clip.iter().map(|gap| ("clip", worst(gap))))
            .chain(seam.form.iter().map(|gap| ("form", worst(gap))))
            .collect(),
            closes: seam.closes(CLOSED),
            leaps: seam.leaps.leaps.iter().take(MOST_LEAPS).map(LeapReport::from).collect(),
            leap_count: seam.leaps.leaps.len(),
            flips: seam.leaps.flips,
            trading: seam.trading,
            orbit: if seam.meets(CLOSED) { orbit(&seam.partners, LONGEST_ORBIT) } else { None },
            uncertain: seam.uncertain.clone(),
            partners: seam.partners.clone(),
        }
    }
}

/// What is said about a motion that can be looked at.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct EndReport {
    /// Id of its node.
    pub node: String,
    /// Given name of its node.
    pub name: String,
    /// True when it is handed off.
    pub output: bool,
    /// How many things.
    pub things: usize,
    /// The loop point.
    pub seam: SeamReport,
    /// What would close it, when it does not.
    pub offers: Vec<Offer>,
    /// Contacts of the loop, the first [`MOST_CONTACTS`] of them.
    pub contacts: Vec<Contact>,
    /// How many contacts faster than 1 cm/s there are in all.
    pub contact_count: usize,
    /// The kinds that things are of; none where all are as the Output says.
    pub kinds: Vec<KindReport>,
    /// True when the things ride on a path.
    pub on_path: bool,
    /// Each thing's place on its path at frame 0, in laps modulo 1; empty without a path, and for
    /// more than [`MOST_PHASES`] things.
    pub phases: Vec<f64>,
    /// For more things: how many that are there are in each of [`DENSITY_BINS`] equal parts of a lap at frame 0, as a
    /// share of the fullest.
    pub density: Vec<f64>,
    /// Births and lives, where things begin anew.
    pub lives: Option<LivesReport>,
}

/// Births and lives in the loop.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LivesReport {
    /// Births in a loop.
    pub births: usize,
    /// Frames that the longest life lasts.
    pub longest: f64,
    /// The least that are there at a time.
    pub least: usize,
    /// The most.
    pub most: usize,
    /// How many are born in each of [`DENSITY_BINS`] equal parts of the loop.
    pub born: Vec<usize>,
    /// How many are there in the middle of each of these parts.
    pub there: Vec<usize>,
}

impl LivesReport {
    fn of(lives: &Lives, frames: f64) -> Self {
        let (least, most) = lives.there();
        let mut born = vec![0; DENSITY_BINS];
        for birth in lives.births() {
            born[((birth.frame / frames * DENSITY_BINS as f64) as usize).min(DENSITY_BINS - 1)] += 1;
        }
        let middle = |i: usize| (i as f64 + 0.5) * frames / DENSITY_BINS as f64;
        let there = (0..DENSITY_BINS).map(|i| lives.alive(middle(i))).collect();
        Self { births: lives.births().len(), longest: lives.longest(), least, most, born, there }
    }
}

/// Most contacts that are listed one by one.
pub const MOST_CONTACTS: usize = 1000;
/// Slower contacts are part of coming to rest and are not counted, metres per second.
pub const SLOWEST_SEEN: f64 = 0.01;
/// Most phases that are listed one by one.
pub const MOST_PHASES: usize = 200;
/// Parts of a lap in which the things of a crowd are counted.
pub const DENSITY_BINS: usize = 120;

impl EndReport {
    /// Measures one end.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks.
    pub fn of(end: &End, frames: f64, fps: f64, cancel: &Cancel) -> Result<Self, MotionError> {
        let seam = SeamReport::from(&measure(&end.motion, frames, fps, cancel)?);
        let (phases, there) = phases(&*end.motion);
        let crowd = phases.len() > MOST_PHASES;
        let mut contacts = end.motion.contacts(Frames { from: 0.0, to: frames });
        let contact_count = contacts.iter().filter(|contact| contact.speed_in >= SLOWEST_SEEN).count();
        contacts.truncate(MOST_CONTACTS);
        Ok(Self {
            node: end.node.clone(),
            name: end.name.clone(),
            output: end.output,
            things: end.motion.len(),
            offers: offers(end, &seam),
            seam,
            contacts,
            contact_count,
            kinds: end.motion.kinds().iter().map(KindReport::from).collect(),
            on_path: end.motion.path().is_some(),
            lives: end.motion.lives().map(|lives| LivesReport::of(lives, frames)),
            density: if crowd { density(&phases, &there) } else { Vec::new() },
            phases: if crowd { Vec::new() } else { phases },
        })
    }
}

/// What would close it: of what leaps, what keeps it from leaping.
fn offers(end: &End, seam: &SeamReport) -> Vec<Offer> {
    let leaps = if seam.leap_count > 0 { end.unleaping.clone() } else { Vec::new() };
    let meets = seam.closes || (seam.leap_count > 0 && seam.orbit.is_some());
    let closing = if meets { Vec::new() } else { end.offers.clone() };
    leaps.into_iter().chain(closing).collect()
}

/// Each thing's place on its path at frame 0, in laps from 0 up to 1, and whether it is there.
fn phases(motion: &dyn Motion) -> (Vec<f64>, Vec<bool>) {
    // What begins anew is elsewhere a loop later: it has no place of its own.
    if motion.path().is_none() || motion.lives().is_some() {
        return (Vec::new(), Vec::new());
    }
    let mut sample = Sample::default();
    motion.sample(0.0, Columns::PLACE | Columns::ALIVE, &mut sample);
    (sample.places.iter().map(|place| place.laps - place.laps.floor()).collect(), sample.alive)
}

/// Of what is there.
fn density(phases: &[f64], there: &[bool]) -> Vec<f64> {
    let mut counts = vec![0.0; DENSITY_BINS];
    for (phase, _) in phases.iter().zip(there).filter(|(_, there)| **there) {
        counts[((phase * DENSITY_BINS as f64) as usize).min(DENSITY_BINS - 1)] += 1.0;
    }
    let most = counts.iter().copied().fold(1.0, f64::max);
    counts.iter().map(|count| count / most).collect()
}

/// Reports on every node of a compiled scene.
pub fn report(compiled: &Compiled) -> BTreeMap<String, NodeReport> {
    let told = |id: &String, result: &NodeResult| match NodeReport::of(result) {
        // That a bypassed node does nothing is what was asked for.
        told if compiled.bypassed.contains(id) => NodeReport { state: "bypassed", messages: Vec::new(), ..told },
        told => told,
    };
    let told = |id: &String, result: &NodeResult| {
        let mut told = told(id, result);
        told.mends.extend(compiled.mends.get(id).into_iter().flatten().cloned());
        if let Some(meeting) = compiled.meetings.get(id).filter(|_| ["worked", "warning"].contains(&told.state)) {
            told.state = "warning";
            told.messages.push(meeting.clone());
        }
        told
    };
    compiled.nodes.iter().map(|(id, result)| (id.clone(), told(id, result))).collect()
}

impl Compiled {
    /// The path that a node gives, if it does.
    pub fn path(&self, node: &str) -> Option<&PathProduct> {
        match self.nodes.get(node)?.product()? {
            Product::Path(product) => Some(product),
            Product::Motion(_) | Product::Surface(_) | Product::Signal(_) => None,
        }
    }
}
