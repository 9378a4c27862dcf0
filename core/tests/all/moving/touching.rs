//! Contacts stay with the things that they are of, whatever lies between them and what is looked at.

use crate::cases::cases;
use crate::common::scenes::compiled;
use crate::random::{params, tamed};
use proptest::prelude::*;
use serde_json::{Value, json};
use zickzack_core::graph::Product;
use zickzack_core::motion::{BreakKind, Cancel, Columns, Frames, Motion, Sample, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::schema::PortKind;

const FRAMES: u32 = 72;

/// Nodes that touch something: their types, and their parameters.
fn sources() -> Vec<(&'static str, Value)> {
    let throw = json!({
        "start": [-4.5, 1.2, 0], "velocity": [2.6, 5.2, 0.4], "size": 0.25, "bounciness": 0.78, "middle": [0, 3, 0],
        "extent": [14, 6, 8]
    });
    vec![("launch", throw), ("settle", json!({})), ("trundle", json!({}))]
}

/// Something that touches, and nodes that each take what the one before them gives.
fn touching() -> impl Strategy<Value = Value> {
    let registry = Registry::default();
    let wraps = |port: &zickzack_core::schema::Port| port.kind == PortKind::Motion;
    let layers: Vec<_> = registry
        .schemas
        .iter()
        .filter(|schema| schema.output == Some(PortKind::Motion) && schema.inputs.iter().any(wraps))
        .map(|schema| {
            let ports: Vec<String> =
                schema.inputs.iter().filter(|port| wraps(port)).map(|port| port.name.to_owned()).collect();
            (Just((schema.name.to_owned(), ports)), params(schema, 0.4), any::<bool>())
        })
        .collect();
    let output = params(registry.schemas.iter().find(|schema| schema.name == "output").unwrap(), 0.5);
    let layers = prop::collection::vec(prop::sample::select(layers).prop_flat_map(|layer| layer), 1..4);
    (prop::sample::select(sources()), layers, output).prop_map(|((kind, how), layers, output)| {
        let mut nodes = json!({
            "source": { "type": kind, "name": "Source", "params": how },
            "path": { "type": "figure", "name": "Path" },
            "other": { "type": "ride", "name": "Other" },
        });
        let mut threads = json!({ "path": { "from": "path", "to": "other", "port": "path" } });
        let mut before = "source".to_owned();
        for (i, ((kind, ports), params, turned)) in layers.into_iter().enumerate() {
            let id = format!("n{i}");
            nodes[&id] = json!({ "type": kind, "name": kind, "params": tamed(Value::Object(params)) });
            for (j, port) in ports.iter().enumerate() {
                // Of two, either is what is touching.
                let from = if (j == 0) != (turned && ports.len() > 1) { before.as_str() } else { "other" };
                threads[format!("{id}{port}")] = json!({ "from": from, "to": id, "port": port });
            }
            before = id;
        }
        nodes["out"] = json!({ "type": "output", "name": "Out", "params": tamed(Value::Object(output)) });
        threads["out"] = json!({ "from": before, "to": "out", "port": "motion" });
        json!({
            "format": "zickzack-scene", "version": 1, "name": "Touching", "fps": "24", "frames": FRAMES, "space": "deep",
            "nodes": nodes, "threads": threads,
        })
    })
}

fn stays_with_its_thing(name: &str, motion: &dyn Motion, range: Frames) -> Result<usize, TestCaseError> {
    let mut sample = Sample::default();
    let contacts = motion.contacts(range);
    for contact in &contacts {
        prop_assert!(contact.object < motion.len(), "{name}: {contact:?}");
        let near = Frames { from: contact.frame - 1e-6, to: contact.frame + 1e-6 };
        let leaps = motion
            .breaks(contact.object, near)
            .is_ok_and(|all| all.iter().any(|b| matches!(b.kind, BreakKind::Anew | BreakKind::Jump)));
        if leaps {
            continue;
        }
        motion.sample_at(&[(contact.object, contact.frame)], Columns::POSITION, &mut sample);
        let place = sample.positions[0];
        let off = place.distance(contact.middle);
        prop_assert!(off <= 1e-9 * (1.0 + place.length()), "{name}: off by {off} m: {place} and {contact:?}");
    }
    Ok(contacts.len())
}

proptest! {
    #![proptest_config(cases(150))]

    #[test]
    fn at_a_contact_its_middle_is_where_the_thing_is(document in touching()) {
        let (compiled, range) = (compiled(document), Frames { from: 0.0, to: f64::from(FRAMES) });
        let of_nodes = compiled.nodes.iter().filter_map(|(id, result)| Some((id, result.product()?)));
        let of_nodes = of_nodes.filter_map(|(id, product)| match product {
            Product::Motion(motion) => Some((id, motion)),
            _ => None,
        });
        for (id, motion) in of_nodes.chain(compiled.ends.iter().map(|end| (&end.name, &end.motion))) {
            let Ok(ready) = prepared(motion, range, &Cancel::default()) else { continue };
            let contacts = stays_with_its_thing(id, &*ready, range)?;
            prop_assert!(contacts > 0 || id != "source", "nothing touches");
        }
    }
}

/// A ball that is thrown, after nodes of these types with these parameters.
fn thrown(layers: &[(&str, Value)]) -> Value {
    let (_, throw) = sources().swap_remove(0);
    let mut nodes = json!({ "n0": { "type": "launch", "name": "Ball", "params": throw } });
    let mut threads = json!({});
    for (i, (kind, params)) in layers.iter().enumerate() {
        let id = format!("n{}", i + 1);
        nodes[&id] = json!({ "type": kind, "name": kind, "params": params });
        threads[&id] = json!({ "from": format!("n{i}"), "to": id, "port": "motion" });
    }
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Thrown", "fps": "24", "frames": FRAMES, "space": "deep",
        "nodes": nodes, "threads": threads,
    })
}

/// Where it bounces, what shudders is at once ahead on another way: it is said that it leaps there, and by how much.
#[test]
fn what_shudders_along_its_travel_leaps_where_it_bounces() {
    let range = Frames { from: 0.0, to: f64::from(FRAMES) };
    let compiled = compiled(thrown(&[("shudder", json!({ "shape": "swings", "amount": 0.3, "every": 11 }))]));
    let motion = &compiled.ends[0].motion;
    let contacts = motion.contacts(range);
    let jumps: Vec<f64> =
        motion.breaks(0, range).unwrap().into_iter().filter(|b| b.kind == BreakKind::Jump).map(|b| b.frame).collect();
    let mut sample = Sample::default();
    let mut leaps = 0;
    for contact in contacts.iter().filter(|contact| contact.frame < range.to) {
        motion.sample_at(&[-1e-7, 1e-7].map(|by| (0, contact.frame + by)), Columns::POSITION, &mut sample);
        let leaps_here = sample.positions[0].distance(sample.positions[1]) > 1e-4;
        assert_eq!(leaps_here, jumps.contains(&contact.frame), "{contact:?}");
        leaps += usize::from(leaps_here);
    }
    assert!(leaps > 1, "{leaps} of {}", contacts.len());
}

/// What blends into its beginning tells how it travels also where nobody asks how fast.
#[test]
fn what_is_blended_into_its_beginning_shudders_along_its_travel() {
    let layers = [("close-loop", json!({ "way": "blend" })), ("shudder", json!({ "shape": "swings" }))];
    let compiled = compiled(thrown(&layers));
    let mut sample = Sample::default();
    compiled.ends[0].motion.sample(0.5, Columns::POSE, &mut sample);
    assert!(sample.positions[0].is_finite());
}

/// The speeds and the impulse of a contact are those of what is seen, also where time runs at another pace or back.
#[test]
fn contacts_are_as_fast_as_what_is_seen() {
    let range = Frames { from: 0.0, to: f64::from(FRAMES) };
    for layers in [
        vec![],
        vec![("retime", json!({ "way": "speed", "speed": "1/2" }))],
        vec![("retime", json!({ "way": "there and back" }))],
    ] {
        let compiled = compiled(thrown(&layers));
        let ready = prepared(&compiled.ends[0].motion, range, &Cancel::default()).unwrap();
        let contacts = ready.contacts(range);
        assert!(!contacts.is_empty());
        let mut sample = Sample::default();
        for contact in contacts.iter().filter(|contact| contact.frame > 1.0 && contact.frame < range.to - 1.0) {
            let beside = [-1e-6, 1e-6].map(|by| (contact.object, contact.frame + by));
            ready.sample_at(&beside, Columns::VELOCITY, &mut sample);
            let [came, goes] = [0, 1].map(|row| sample.velocities[row] * 24.0);
            assert!((came.length() - contact.speed_in).abs() < 1e-4, "{came} {contact:?}");
            assert!((goes.length() - contact.speed_out).abs() < 1e-4, "{goes} {contact:?}");
            assert!((goes - came).distance(contact.impulse) < 1e-4, "{came} {goes} {contact:?}");
        }
    }
}
