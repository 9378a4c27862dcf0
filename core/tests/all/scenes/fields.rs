//! The parameters of a node as fields: what is read is what was declared and what was given.

use crate::cases::cases;
use glam::DVec3;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::sync::{Arc, Mutex};
use zickzack_core::fraction::Fraction;

use zickzack_core::graph::{Context, Maker, Memo, NodeType, Outcome, Own, compile};
use zickzack_core::motion::Cancel;
use zickzack_core::nodes::Registry;
use zickzack_core::scene::{Fields, Given, Numbers, Scene};
use zickzack_core::schema::{Choice, Group, Param, PortKind, Schema, Unit, Values};
use zickzack_core::signal::{Constant, Driven, Thing};
use zickzack_core::{choice, fields};

choice! {
    /// Where a lantern hangs.
    enum Hook {
        Eaves = "under the eaves",
        Pole = "on a pole",
        String = "on a string",
    }
}

fields! {
    /// What several share.
    struct Hung {
        hook: Hook = Param::choice("hangs", Group::Form, Hook::WORDS, "Where it hangs."),
        pole_height: f64 = Param::number("pole", Group::Form, (Unit::Metres, 3.0, -9.0, 20.0), "How high that is."),
    }
}

fields! {
    /// One of each kind.
    struct LanternFields {
        hung: Hung => Hung::params(),
        flames: usize = Param::whole("flames", Group::Form, (2, 0, 50), "How many flames."),
        swings: (Fraction, String) = Param::new(
            "swings",
            Group::Time,
            Values::Fraction { unit: Unit::None, default: "1/2", min: -50.0, max: 50.0 },
            "How often it swings in a loop.",
        ),
        lit: bool = Param::flag("lit", Group::Look, true, "Whether it is lit."),
        at: DVec3 = Param::vector("place", Group::Form, (Unit::Metres, [1.0, 2.0, 3.0]), "Where it is."),
        glow: (Driven, Given) = Param::number("glow", Group::Look, (Unit::None, 0.5, 0.0, 1.0), "How bright.").per_thing(),
        hooks: Vec<Hook> = Param::new(
            "hooks",
            Group::Form,
            Values::Several { options: Hook::WORDS, default: &["on a pole"] },
            "Where it may hang.",
        ),
        levels: Numbers = Param::new("levels", Group::Form, Values::Text { default: "0 1" }, "Some numbers."),
    }
}

/// What was read, in words.
#[derive(Default, Clone)]
struct Lantern(Arc<Mutex<Vec<String>>>);

impl Maker for Lantern {
    type Own = LanternFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "paper-lantern",
            title: "Paper lantern",
            group: "Signals",
            help: "Reads what it is told.",
            inputs: vec![],
            output: Some(PortKind::Signal),
            params: LanternFields::params(),
            uses_timing: false,
        }
    }

    fn evaluate(&self, own: &LanternFields, _: &Context<'_>) -> Result<Outcome, String> {
        let glow = own.glow.0.at(12.0, Thing { index: 1, count: 4 });
        let said = format!(
            "{} {:?} {} {} {} {} {:?} {glow:?} {} {:?} {:?}",
            own.hung.hook.word(),
            own.hung.pole_height,
            own.flames,
            own.swings.0,
            own.swings.1,
            own.lit,
            own.at.to_array(),
            own.glow.1.0.clone().unwrap_or_default(),
            own.hooks.iter().map(|hook| hook.word()).collect::<Vec<_>>(),
            own.levels.within(10.0)?
        );
        self.0.lock().unwrap().push(said);
        Ok(Outcome::new(Arc::new(Constant(glow)) as Arc<dyn zickzack_core::signal::Signal>))
    }

    fn fitted_by(&self, own: &Own<'_, LanternFields>) -> Option<&'static str> {
        own.lit.then_some(Hung::pole_height())
    }
}

/// What a lantern with these parameters reads.
fn read(params: &Value) -> Result<String, String> {
    let lantern = Lantern::default();
    let mut registry = Registry::default();
    registry.schemas.push(NodeType::schema(&lantern));
    registry.types.push(Arc::new(lantern.clone()));
    let document = json!({
        "format": "zickzack-scene", "version": 1, "name": "Eaves", "space": "deep", "fps": "24", "frames": 48,
        "nodes": { "lantern": { "type": "paper-lantern", "name": "Lantern", "params": params } }, "threads": {}
    });
    let scene = Scene::from_value(document, &registry.schemas).map_err(|error| error.to_string())?;
    compile(&scene, &registry.workshop(&Memo::default(), &Cancel::default()));
    let said = lantern.0.lock().unwrap().first().cloned();
    said.ok_or_else(|| "it was not read".to_owned())
}

#[test]
fn what_is_left_out_is_read_as_its_default() {
    let said = read(&json!({})).unwrap();
    assert_eq!(said, r#"under the eaves 3.0 2 1/2 1/2 true [1.0, 2.0, 3.0] 0.5 null ["on a pole"] [0.0, 1.0]"#);
}

#[test]
fn the_names_of_fields_are_those_of_documents() {
    let names: Vec<&str> = LanternFields::params().iter().map(|param| param.name).collect();
    assert_eq!(names, ["hook", "pole-height", "flames", "swings", "lit", "at", "glow", "hooks", "levels"]);
    assert_eq!((Hung::pole_height(), LanternFields::glow()), ("pole-height", "glow"));
}

fields! {
    /// A whole number that is read as a word.
    struct Crossed {
        flames: Hook = Param::whole("flames", Group::Form, (2, 0, 50), "How many flames."),
    }
}

#[test]
#[should_panic(expected = "flames")]
fn what_cannot_be_read_from_what_it_declares_is_found() {
    Crossed::params();
}

/// Declares nothing of what it reads.
struct Silent;

impl Maker for Silent {
    type Own = Hung;

    fn schema(&self) -> Schema {
        Schema { name: "silent", params: vec![], ..Maker::schema(&Lantern::default()) }
    }

    fn evaluate(&self, own: &Hung, _: &Context<'_>) -> Result<Outcome, String> {
        Err(format!("{} {}", own.hook.word(), own.pole_height))
    }
}

#[test]
#[should_panic(expected = "silent declares other parameters than it reads")]
fn who_does_not_declare_what_it_reads_is_found() {
    NodeType::schema(&Silent);
}

proptest! {
    #![proptest_config(cases(64))]

    #[test]
    fn what_is_given_is_what_is_read(
        hook in prop::sample::select(Hook::WORDS), high in -9.0..20.0f64, flames in 0..50usize, up in -99..99i64,
        down in 2..9i64, lit: bool, at in prop::array::uniform3(-9.0..9.0f64), glow in 0.0..1.0f64, by in 0..3usize,
        hooks in prop::sample::subsequence(Hook::WORDS.to_vec(), 0..=3),
    ) {
        // As a plain number, as a formula of the thing, and as a formula that is one number.
        let (given, seen) = match by {
            0 => (json!(glow), glow),
            1 => (json!({ "formula": "index / count" }), 0.25),
            _ => (json!({ "formula": format!("{glow:?}") }), glow),
        };
        let said = read(&json!({
            "hook": hook, "pole-height": high, "flames": flames, "swings": format!("{up}/{down}"), "lit": lit, "at": at,
            "glow": given, "hooks": hooks, "levels": format!("{}; -3", flames % 9),
        })).unwrap();
        let fraction = Fraction::new(up, down).unwrap();
        let levels = [(flames % 9) as f64, -3.0];
        prop_assert_eq!(
            said,
            format!("{hook} {high:?} {flames} {fraction} {up}/{down} {lit} {at:?} {seen:?} {given} {hooks:?} {levels:?}")
        );
    }
}

/// Whether one value of a parameter may be this word, as conditions name it.
fn may_be(values: &Values, word: &str) -> bool {
    match values {
        Values::Choice { options, .. } => options.contains(&word),
        Values::Flag { .. } => matches!(word, "true" | "false"),
        _ => false,
    }
}

/// What is asked for only where another parameter has one of some values names one that is there, and values it can have.
#[test]
fn what_conditions_name_is_there_and_can_be_so() {
    let mut conditions = 0;
    for schema in Registry::default().schemas.iter() {
        let of_params = schema.params.iter().filter_map(|param| Some((param.name, param.only_when?)));
        let of_ports = schema.inputs.iter().filter_map(|port| Some((port.name, port.only_when?)));
        for (what, (name, words)) in of_params.chain(of_ports) {
            let place = format!("{what} of {}", schema.name);
            let asked = schema.param(name).unwrap_or_else(|| panic!("{place} asks for {name:?}, which is not there"));
            assert!(!words.is_empty(), "{place} is never asked for");
            for word in words {
                assert!(may_be(&asked.values, word), "{place}: {name:?} is never {word:?}");
            }
            conditions += 1;
        }
    }
    assert!(conditions > 90, "only {conditions} were looked at");
}
