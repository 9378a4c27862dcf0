//! Signals that come from nothing else.

use crate::formula::{Formula, Variable};
use crate::fraction::Fraction;
use crate::graph::{Closing, Context, NodeType, Outcome, Timing};
use crate::scene::{BEYOND, Params, beyond_of};
use crate::schema::{Group, Param, PortKind, Schema, Unit, Values};
use crate::signal::{
    Decay, FormulaSignal, NoiseSignal, Polynomial, Ramp, Repeat, RepeatWay, Signal, Wave, WaveShape, keyed,
};
use std::sync::Arc;

/// Looks at a frame for the range and the mean.
const LOOKS: f64 = 4.0;

/// A signal with what it covers as facts.
pub(super) fn outcome(signal: Arc<dyn Signal>, timing: Timing) -> Outcome {
    let count = (timing.frames * LOOKS) as usize;
    let values: Vec<f64> = (0..=count).map(|i| signal.at(i as f64 / LOOKS)).collect();
    let (low, high) = values.iter().fold((f64::MAX, f64::MIN), |(low, high), x| (low.min(*x), high.max(*x)));
    let sum = signal.integral(0.0, timing.frames);
    let mean = sum.map_or_else(|| values.iter().sum::<f64>() / values.len() as f64, |sum| sum / timing.frames);
    let mut facts = vec![format!("{} … {}", plain(low), plain(high)), format!("{} on average", plain(mean))];
    let gained = signal.at(timing.frames) - signal.at(0.0);
    if gained.abs() > 1e-9 * (1.0 + high.abs().max(low.abs())) {
        facts.push(format!("{}{} a loop", if gained > 0.0 { "+" } else { "" }, plain(gained)));
    }
    Outcome { facts, ..Outcome::new(signal) }
}

/// With at most three digits after the point.
fn plain(number: f64) -> String {
    let text = format!("{number:.3}");
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text == "-0" { "0".to_owned() } else { text.to_owned() }
}

pub(super) fn schema(name: &'static str, title: &'static str, help: &'static str, params: Vec<Param>) -> Schema {
    Schema {
        name,
        title,
        group: "Signals",
        help,
        inputs: vec![],
        output: Some(PortKind::Signal),
        params,
        uses_timing: true,
    }
    .remade_over_time()
}

pub(super) const fn number(name: &'static str, label: &'static str, default: f64, help: &'static str) -> Param {
    Param::number(name, label, Group::Form, (Unit::None, default, -1e9, 1e9), help)
}

pub(super) const fn frames(
    name: &'static str,
    label: &'static str,
    default: f64,
    least: f64,
    help: &'static str,
) -> Param {
    Param::number(name, label, Group::Time, (Unit::Frames, default, least, 1e6), help)
}

/// What becomes of the loop's stretch of a signal in the loops after it.
fn with_loops(inner: Arc<dyn Signal>, way: &str, timing: Timing) -> Arc<dyn Signal> {
    let way = match way {
        "climbs" => RepeatWay::Climbing,
        "every loop" => RepeatWay::Again,
        _ => return inner,
    };
    let (before, after) = (f64::INFINITY, f64::INFINITY);
    Arc::new(Repeat { inner, from: 0.0, length: timing.frames, before, after, way })
}

/// Keys as a signal.
pub struct KeysNode;

impl NodeType for KeysNode {
    fn schema(&self) -> Schema {
        schema(
            "keys",
            "Keys",
            "Values at frames that you set, with a curve between them; draw it in the Traces.",
            vec![
                Param::new("keys", "keys", Group::Time, Values::Keys, "Its keys: move them in the Traces."),
                Param::choice(
                    "beyond",
                    "beyond",
                    Group::Time,
                    BEYOND,
                    "What happens before the first key and after the last.",
                ),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let keys = params.keys("keys");
        let beyond = beyond_of(&params.text("beyond"), context.timing.frames);
        let mut outcome = outcome(keyed(&keys, beyond), context.timing);
        if keys.is_empty() {
            outcome.warnings.push("It has no keys yet, so it is 0: press K, or double-click in the Traces.".to_owned());
        }
        Ok(outcome)
    }
}

/// A wave.
pub struct WaveNode;

const SHAPES: &[&str] = &["sine", "triangle", "saw", "square", "pulse"];
const COUNTS: &[&str] = &["periods per loop", "frames per period"];

impl NodeType for WaveNode {
    fn schema(&self) -> Schema {
        schema(
            "wave",
            "Wave",
            "Goes up and down for ever, a whole number of times in the loop unless you ask otherwise.",
            vec![
                Param::choice("shape", "shape", Group::Form, SHAPES, "The form of one period."),
                Param::number(
                    "width",
                    "width",
                    Group::Form,
                    (Unit::None, 0.25, 0.0, 1.0),
                    "For which part of its period it is up.",
                )
                .only_when("shape", &["pulse"]),
                number("middle", "middle", 0.0, "What it goes up and down about."),
                number("amount", "amount", 1.0, "How far it goes to either side."),
                Param::choice("given", "length given as", Group::Time, COUNTS, "How the length of a period is set."),
                Param::whole(
                    "periods",
                    "periods",
                    Group::Time,
                    (1, 1, 100_000),
                    "How often it goes up and down in a loop.",
                )
                .only_when("given", &["periods per loop"]),
                Param::number(
                    "period",
                    "period",
                    Group::Time,
                    (Unit::Frames, 24.0, 0.01, 1e6),
                    "Frames from one up to the next.",
                )
                .only_when("given", &["frames per period"]),
                number("phase", "ahead", 0.0, "By which part of a period it is ahead."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let shape = match params.text("shape").as_str() {
            "triangle" => WaveShape::Triangle,
            "saw" => WaveShape::Saw,
            "square" => WaveShape::Pulse(0.5),
            "pulse" => WaveShape::Pulse(params.number("width")),
            _ => WaveShape::Sine,
        };
        let free = params.text("given") == COUNTS[1];
        let period = if free { params.number("period") } else { timing.frames / params.whole("periods") as f64 };
        let wave = Wave {
            shape,
            period,
            phase: params.number("phase"),
            middle: params.number("middle"),
            amount: params.number("amount"),
        };
        let mut outcome = outcome(Arc::new(wave), timing);
        outcome.facts.push(format!("{} frames a period", plain(period)));
        if free {
            let period = Fraction::near(period);
            outcome.offers = Some(Arc::new(move |_| vec![Closing::Period(period)]));
        }
        Ok(outcome)
    }
}

/// Smooth random values.
pub struct NoiseNode;

impl NodeType for NoiseNode {
    fn schema(&self) -> Schema {
        schema(
            "noise",
            "Noise",
            "Smooth random values; they loop unless you ask otherwise.",
            vec![
                number("middle", "middle", 0.0, "What it wanders about."),
                number("amount", "amount", 1.0, "How far it goes to either side, about."),
                Param::whole(
                    "octaves",
                    "octaves",
                    Group::Form,
                    (2, 1, 8),
                    "How many layers, each finer than the one before it.",
                ),
                frames("period", "period", 24.0, 0.1, "Frames from one hump to the next, about."),
                frames("start", "ahead", 0.0, -1e6, "Frames by which it is ahead."),
                Param::flag("looping", "loops", Group::Time, true, "Whether its end runs into its beginning."),
                Param::whole(
                    "seed",
                    "seed",
                    Group::Spread,
                    (1, 0, 1_000_000_000),
                    "Another number gives other values.",
                ),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let noise = NoiseSignal::new(
            (params.number("middle"), params.number("amount")),
            (params.number("period"), params.number("start")),
            u32::try_from(params.whole("octaves")).unwrap_or(1),
            params.whole("seed").unsigned_abs(),
            params.flag("looping").then_some(timing.frames),
        );
        Ok(outcome(Arc::new(noise), timing))
    }
}

/// A fall.
pub struct DecayNode;

impl NodeType for DecayNode {
    fn schema(&self) -> Schema {
        schema(
            "decay",
            "Decay",
            "Falls off quickly at first, then ever more slowly: by half of what is left again and again.",
            vec![
                number("from", "from", 1.0, "Its value before it falls."),
                number("to", "to", 0.0, "What it comes to in the end."),
                frames("start", "start", 0.0, -1e6, "The frame at which it begins to fall."),
                frames("half", "half in", 12.0, 0.01, "Frames in which it falls by half."),
                Param::flag("again", "every loop", Group::Time, true, "Whether it begins again in every loop."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let start = params.number("start");
        let inner: Arc<dyn Signal> = Arc::new(Decay {
            from: params.number("from"),
            to: params.number("to"),
            start,
            half: params.number("half"),
        });
        let again = Repeat {
            inner: inner.clone(),
            from: start,
            length: timing.frames,
            before: f64::INFINITY,
            after: f64::INFINITY,
            way: RepeatWay::Again,
        };
        Ok(outcome(if params.flag("again") { Arc::new(again) } else { inner }, timing))
    }
}

/// From one value to another.
pub struct RampNode;

const LOOPS: &[&str] = &["climbs", "every loop", "holds"];

impl NodeType for RampNode {
    fn schema(&self) -> Schema {
        schema(
            "ramp",
            "Ramp",
            "Goes from one value to another.",
            vec![
                number("from", "from", 0.0, "Where it begins."),
                number("to", "to", 1.0, "Where it ends."),
                Param::choice(
                    "shape",
                    "shape",
                    Group::Form,
                    &["even", "soft"],
                    "Whether it leaves and arrives softly.",
                ),
                Param::choice("over", "over", Group::Time, &["the loop", "some frames"], "How long it takes."),
                frames("start", "start", 0.0, -1e6, "The frame at which it leaves.")
                    .only_when("over", &["some frames"]),
                frames("length", "length", 24.0, 0.0, "Frames until it is there.").only_when("over", &["some frames"]),
                Param::choice("beyond", "beyond", Group::Time, LOOPS, "What it does in the loops after this one."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let some = params.text("over") == "some frames";
        let (start, length) =
            if some { (params.number("start"), params.number("length")) } else { (0.0, timing.frames) };
        let soft = params.text("shape") == "soft";
        let ramp = Ramp { from: params.number("from"), to: params.number("to"), start, length, soft };
        Ok(outcome(with_loops(Arc::new(ramp), &params.text("beyond"), timing), timing))
    }
}

/// A sum of powers.
pub struct PolynomialNode;

const UNITS: &[&str] = &["loops", "seconds", "frames"];
const POWERS_BEYOND: &[&str] = &["climbs", "every loop", "runs on"];
const MOST_POWERS: usize = 16;

impl NodeType for PolynomialNode {
    fn schema(&self) -> Schema {
        schema(
            "polynomial",
            "Polynomial",
            "A sum of powers of the time.",
            vec![
                Param::new(
                    "factors",
                    "factors",
                    Group::Form,
                    Values::Text { default: "0 1" },
                    "The factors of 1, t, t², t³ …, with spaces between.",
                ),
                Param::choice("unit", "time in", Group::Time, UNITS, "In what the time t is counted."),
                Param::choice(
                    "beyond",
                    "beyond",
                    Group::Time,
                    POWERS_BEYOND,
                    "What it does in the loops after this one.",
                ),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let coefficients = params.numbers("factors", 1e9)?;
        if coefficients.len() > MOST_POWERS {
            return Err(format!("{} factors are too many: use at most {MOST_POWERS}.", coefficients.len()));
        }
        let unit = match params.text("unit").as_str() {
            "seconds" => timing.fps,
            "frames" => 1.0,
            _ => timing.frames,
        };
        let polynomial = Arc::new(Polynomial { coefficients, unit });
        Ok(outcome(with_loops(polynomial, &params.text("beyond"), timing), timing))
    }
}

/// A formula of the time.
pub struct FormulaNode;

impl NodeType for FormulaNode {
    fn schema(&self) -> Schema {
        schema(
            "formula",
            "Formula",
            "What a formula of the time gives.",
            vec![Param::new(
                "formula",
                "formula",
                Group::Form,
                Values::Formula { unit: Unit::None, default: "sin(tau * loop)" },
                "May use frame, time and loop.",
            )],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let signal = formula(&context.params, context.timing)?;
        Ok(outcome(Arc::new(signal), context.timing))
    }
}

fn formula(params: &Params<'_>, timing: Timing) -> Result<FormulaSignal, String> {
    let formula =
        Formula::parse(&params.text("formula")).map_err(|error| format!("In the formula: {}", error.message))?;
    if let Some(asked) = formula.asks_beyond(&[Variable::Frame, Variable::Time, Variable::Loop]) {
        return Err(format!("A signal is the same for all things: {} means nothing here.", asked.name()));
    }
    let signal = FormulaSignal::new(formula, timing.clock());
    match (0..=timing.frames as usize).find(|frame| !signal.gives_a_number(*frame as f64)) {
        Some(frame) => {
            Err(format!("The formula gives no number at frame {frame}: look for a root or a division there."))
        }
        None => Ok(signal),
    }
}
