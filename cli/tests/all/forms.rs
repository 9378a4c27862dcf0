//! Forms of file beside tables and GLB, from the command line.

use crate::command_line::{folder, root, text, zickzack};
use serde_json::{Value, json};
use std::process::Command;

/// Scenes of the demo: meshes, letters, kinds and colours; models of one's own; crowds; what is bent, walks, plays clips, is dented.
const SCENES: [&str; 9] = [
    "lantern-round",
    "puck-on-the-boards",
    "bumper-boats",
    "ring-toss",
    "two-shots",
    "pennant",
    "stilt-walker",
    "swim-ring",
    "moths-and-the-lamplighter",
];

/// Into a folder by `--form`, each with its report; the format's validators have nothing to say of any. Needs what `./test` installs.
#[test]
fn the_validators_of_usd_have_nothing_to_say() {
    let folder = folder("stages");
    let some = [SCENES[0], SCENES[5], SCENES[7]];
    for (form, more, names) in
        [("usdz", &["--tolerance", "0.001"][..], &SCENES[..]), ("usda", &["--step", "2"][..], &some[..])]
    {
        let into = folder.join(form);
        let scenes: Vec<String> = names.iter().map(|name| format!("demo/{name}.json")).collect();
        let scenes: Vec<&str> = scenes.iter().map(String::as_str).collect();
        let arguments =
            [&["bake"], &scenes[..], &["--to", into.to_str().unwrap(), "--form", form, "--report"], more].concat();
        text(&zickzack(&arguments));
        for name in names {
            let report = std::fs::read_to_string(into.join(format!("{name}.report.json"))).unwrap();
            let report: Value = serde_json::from_str(&report).unwrap();
            assert_eq!(report["form"], form);
            for output in report["outputs"].as_array().unwrap() {
                let [place, turn, ..] = &output["keys"].as_array().unwrap()[..] else { panic!("{output}") };
                assert_eq!((&place["of"], &turn["of"]), (&json!("position"), &json!("orientation")));
                let missed = place["missed"]["error"].as_f64().unwrap();
                // Many things stand together, at every step.
                let together = output["things"].as_u64().unwrap() > 64;
                assert!(form == "usda" || together || missed <= 0.001, "{name}: {output}");
            }
            let read = Command::new("/usr/bin/python3")
                .arg(root().join("scripts/read-usd.py"))
                .arg(into.join(format!("{name}.{form}")))
                .env("PYTHONPATH", root().join(".zickzack/usd"))
                .output()
                .unwrap();
            assert!(read.status.success(), "{name}: {}", String::from_utf8_lossy(&read.stderr));
            let told: Value = serde_json::from_slice(&read.stdout).unwrap();
            assert_eq!(told["complaints"], json!([]), "{name}");
            let named = |output: &Value| told["outputs"][output["name"].as_str().unwrap()].is_object();
            assert!(report["outputs"].as_array().unwrap().iter().all(named), "{name}");
        }
    }
}

/// A BVH file holds the thing that is asked for, or the first; of what is left out alone its own Output is told.
#[test]
fn joints_of_one_thing_go_into_a_file() {
    let folder = folder("bones");
    let goal = folder.join("walker.bvh");
    let bake =
        |more: &[&str]| zickzack(&[&["bake", "demo/stilt-walker.json", "--to", goal.to_str().unwrap()], more].concat());
    for (more, root) in [(&[][..], "Walkers_1"), (&["--thing", "2"][..], "Walkers_2")] {
        let output = bake(more);
        text(&output);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(said.lines().count(), 1, "{said}");
        assert!(said.contains("other things"), "{said}");
        let joints = std::fs::read_to_string(&goal).unwrap();
        assert!(joints.starts_with(&format!("HIERARCHY\nROOT {root}\n")), "{joints}");
    }
    for (more, words) in [(["--thing", "0"], "counts from 1"), (["--thing", "99"], "no thing 99")] {
        let output = bake(&more);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(!output.status.success() && said.contains(words), "{said}");
    }
}
