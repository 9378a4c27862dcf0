//! The command line as its user calls it.

use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::Arc;
use zickzack_core::motion::{Columns, Motion, Sample};

pub fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

pub fn zickzack(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_zickzack")).args(arguments).current_dir(root()).output().unwrap()
}

pub fn text(output: &Output) -> String {
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout.clone()).unwrap()
}

/// A folder of this test's own.
pub fn folder(name: &str) -> PathBuf {
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(name);
    std::fs::create_dir_all(&folder).unwrap();
    folder
}

/// The library's motion of a demo scene's output.
fn motion(scene: &str) -> Arc<dyn Motion> {
    use zickzack_core::graph::{Memo, Workshop, compile};
    let registry = zickzack_core::nodes::Registry::default();
    let json = std::fs::read_to_string(root().join("demo").join(scene)).unwrap();
    let scene = zickzack_core::scene::Scene::from_json(&json, &registry.schemas).unwrap();
    let texts =
        scene.assets.keys().map(|name| (name.clone(), Ok(std::fs::read(root().join("demo").join(name)).unwrap())));
    let files: Arc<dyn zickzack_core::graph::Assets> = Arc::new(zickzack_formats::files::Files::new(texts.collect()));
    let (memo, cancel) = (Memo::default(), Default::default());
    let workshop = Workshop { assets: &files, ..registry.workshop(&memo, &cancel) };
    compile(&scene, &workshop).ends[0].motion.clone()
}

#[test]
fn a_table_on_standard_output_holds_every_pose_exactly() {
    let table = text(&zickzack(&[
        "bake",
        "demo/lantern-round.json",
        "--output",
        "Round",
        "--to",
        "-",
        "--frames",
        "0..5",
        "--step",
        "0.25",
    ]));
    let mut lines = table.lines();
    assert!(lines.next().unwrap().starts_with("frame,output,object,alive,px,py,pz,qx,qy,qz,qw,sx,sy,sz,"));
    let motion = motion("lantern-round.json");
    let mut sample = Sample::default();
    let mut rows = 0;
    for line in lines {
        let cells: Vec<&str> = line.split(',').collect();
        let (frame, object): (f64, usize) = (cells[0].parse().unwrap(), cells[2].parse().unwrap());
        motion.sample_at(&[(object, frame)], Columns::POSE, &mut sample);
        let (p, q) = (sample.positions[0], sample.orientations[0]);
        let expected = [p.x, p.y, p.z, q.x, q.y, q.z, q.w, 1.0, 1.0, 1.0];
        for (cell, expected) in cells[4..].iter().zip(expected) {
            assert_eq!(cell.parse::<f64>().unwrap(), expected, "{line}");
        }
        assert_eq!((cells[1], cells[3]), ("Round", "1"));
        rows += 1;
    }
    assert_eq!(rows, 21 * 7);
}

#[test]
fn the_bits_do_not_depend_on_what_the_processor_can_fuse() {
    let bake = |scene: &str, masked: &str| {
        let output = Command::new(env!("CARGO_BIN_EXE_zickzack"))
            .args(["bake", scene, "--to", "-", "--step", "0.5"])
            .current_dir(root())
            .env("GLIBC_TUNABLES", masked)
            .output()
            .unwrap();
        text(&output)
    };
    for scene in ["demo/lantern-round.json", "demo/puck-on-the-boards.json"] {
        // The C library then takes its plain paths; a call that reached it would round differently.
        let masked = "glibc.cpu.hwcaps=-AVX,-AVX2,-AVX512F,-FMA,-FMA4";
        assert_eq!(bake(scene, ""), bake(scene, masked), "{scene}");
    }
}

#[test]
fn an_orbit_goes_on_until_every_thing_is_in_its_own_place() {
    let bake = ["bake", "demo/lantern-round.json", "--output", "Round", "--to", "-", "--step", "120"];
    let table = text(&zickzack(&[&bake[..], &["--orbit"]].concat()));
    let place = |frame: &str, object: &str| {
        let row = table
            .lines()
            .map(|line| line.split(',').collect::<Vec<_>>())
            .find(|row| row[0] == frame && row[2] == object);
        row.map(|row| row[4..7].iter().map(|cell| cell.parse::<f64>().unwrap()).collect::<Vec<_>>())
    };
    let apart = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
    // 9/7 of a lap in a loop: seven loops are nine laps. A table ends before the frame that is the first again.
    assert!(place("720", "0").is_some() && place("840", "0").is_none());
    let first = place("0", "0").unwrap();
    for loops in 1..7 {
        assert!(apart(&first, &place(&(120 * loops).to_string(), "0").unwrap()) > 0.1, "{loops}");
    }
    let longer = text(&zickzack(&[&bake[..], &["--frames", "840..840"]].concat()));
    let row: Vec<&str> = longer.lines().nth(1).unwrap().split(',').collect();
    let last: Vec<f64> = row[4..7].iter().map(|cell| cell.parse().unwrap()).collect();
    assert!(apart(&first, &last) < 1e-9);
}

#[test]
fn every_scene_of_the_demo_that_loops_has_a_seam_of_0() {
    for scene in [
        "barrel-run",
        "club-juggle",
        "garland",
        "helter-skelter-embers",
        "kite-shoal",
        "lantern-round",
        "light-writer",
        "moths-and-the-lamplighter",
        "name-filled-with-lights",
        "name-in-lights",
        "parade",
        "pennant",
        "swim-ring",
        "ring-toss",
        "ropeway",
        "two-shots",
        "wild-sled",
    ] {
        let told: Value = serde_json::from_str(&text(&zickzack(&["check", &format!("demo/{scene}.json")]))).unwrap();
        for output in told["outputs"].as_array().unwrap() {
            for what in ["position", "velocity", "orientation"] {
                assert!(output["seam"][what].as_f64().unwrap() <= 1e-9, "{scene}: {}", output["seam"]);
            }
            for what in ["clip", "form"] {
                assert!(output["seam"][what].as_f64().unwrap_or(0.0) <= 1e-9, "{scene}: {}", output["seam"]);
            }
            assert_eq!(output["seam"]["closes"], true, "{scene}: {}", output["seam"]);
            assert!(output["seam"]["leaps"].as_array().unwrap().is_empty(), "{scene}: {}", output["seam"]);
        }
        let messages =
            told["nodes"].as_object().unwrap().values().map(|node| node["messages"].as_array().unwrap().len());
        assert_eq!(messages.sum::<usize>(), 0, "{scene} has nothing to warn of");
    }
}

#[test]
fn shown_frame_numbers_start_where_the_scene_says() {
    let table = text(&zickzack(&["bake", "demo/puck-on-the-boards.json", "--to", "-"]));
    assert!(table.lines().nth(1).unwrap().starts_with("1,Puck,0,1,-1.3,-0.62,0,"));
    assert!(table.lines().last().unwrap().starts_with("96,"));
}

#[test]
fn check_reports_the_seam_and_fails_only_for_wrong_scenes() {
    let puck = zickzack(&["check", "demo/puck-on-the-boards.json"]);
    let told: Value = serde_json::from_str(&text(&puck)).unwrap();
    let seam = &told["outputs"][0]["seam"];
    assert!(["position", "velocity", "orientation", "spin"].iter().all(|key| seam[key].is_number()), "{seam}");
    assert!(seam["position"].as_f64().unwrap() > 1.0 && seam["closes"] == false);
    let round: Value = serde_json::from_str(&text(&zickzack(&["check", "demo/lantern-round.json"]))).unwrap();
    assert_eq!(round["outputs"][0]["seam"]["closes"], true);
    let folder = folder("check");
    let mut scene: Value =
        serde_json::from_str(&std::fs::read_to_string(root().join("demo/puck-on-the-boards.json")).unwrap()).unwrap();
    for (name, change, words) in [
        ("later.json", ("version", Value::from(7)), "later version"),
        ("frames.json", ("frames", Value::from(-1)), "frames"),
    ] {
        let kept = scene[change.0].clone();
        scene[change.0] = change.1;
        std::fs::write(folder.join(name), scene.to_string()).unwrap();
        scene[change.0] = kept;
        let output = zickzack(&["check", folder.join(name).to_str().unwrap()]);
        assert_eq!(output.status.code(), Some(1));
        let told: Value = serde_json::from_slice(&output.stdout).unwrap();
        assert!(told["error"].as_str().unwrap().contains(words), "{told}");
    }
    let mut lantern: Value =
        serde_json::from_str(&std::fs::read_to_string(root().join("demo/lantern-round.json")).unwrap()).unwrap();
    lantern["nodes"]["promenade"]["params"]["shape"] = "gone".into();
    std::fs::write(folder.join("shape.json"), lantern.to_string()).unwrap();
    std::fs::copy(root().join("demo/promenade.svg"), folder.join("promenade.svg")).unwrap();
    let output = zickzack(&["check", folder.join("shape.json").to_str().unwrap()]);
    assert_eq!(output.status.code(), Some(1));
    let told: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert!(told["nodes"]["promenade"]["messages"][0].as_str().unwrap().contains("no shape \"gone\""));
    std::fs::write(folder.join("promenade.svg"), "<svg/>").unwrap();
    let told = String::from_utf8(zickzack(&["check", folder.join("shape.json").to_str().unwrap()]).stdout).unwrap();
    assert!(told.contains("not the one that the scene was saved with"), "{told}");
}

#[test]
fn wrong_calls_say_what_to_do_and_leave_no_file_behind() {
    let folder = folder("bake");
    let goal = folder.join("out.glb");
    let goal = goal.to_str().unwrap();
    for (arguments, words) in [
        (vec!["bake", "demo/lantern-round.json", "--to", "x.obj"], ".usdz or .bvh"),
        (vec!["bake", "demo/lantern-round.json", "--to", goal, "--frames", "9..3"], "two numbers"),
        (vec!["bake", "demo/lantern-round.json", "--to", goal, "--frames", "0..NaN"], "two numbers"),
        (vec!["bake", "demo/lantern-round.json", "--to", goal, "--frames", "0..9", "--orbit"], "cannot be used with"),
        (vec!["bake", "demo/puck-on-the-boards.json", "--to", goal, "--orbit"], "does not close"),
        (vec!["bake", "demo/lantern-round.json", "--to", goal, "--step", "0"], "above 0"),
        (vec!["bake", "demo/lantern-round.json", "--to", goal, "--tolerance", "-1"], "above 0"),
        (vec!["bake", "demo/lantern-round.json", "--to", goal, "--angle", "1"], "--tolerance"),
        (vec!["bake", "demo/lantern-round.json", "--to", goal, "--tolerance", "1", "--angle", "0"], "above 0"),
        (vec!["bake", "demo/lantern-round.json", "--to", goal, "--output", "Nobody"], "no working output named"),
        (vec!["bake", "demo/nothing.json", "--to", goal], "cannot be opened"),
        (vec!["bake", "demo/promenade.svg", "--to", goal], "not a scene file"),
    ] {
        let output = zickzack(&arguments);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(!output.status.success() && said.contains(words), "{arguments:?}: {said}");
        let parts: Vec<&str> = said.trim().split(": ").collect();
        assert!(parts.windows(2).all(|pair| pair[0] != pair[1]), "said twice: {said}");
    }
    assert_eq!(std::fs::read_dir(&folder).unwrap().count(), 0);
}

#[test]
fn several_scenes_go_into_a_folder_side_by_side_and_one_that_fails_holds_up_no_other() {
    let folder = folder("several");
    let _ = std::fs::remove_dir_all(&folder);
    let into = folder.join("all");
    let into = into.to_str().unwrap();
    let scenes = ["demo/two-shots.json", "demo/nothing.json", "demo/light-writer.json", "demo/puck-on-the-boards.json"];
    let arguments = [&["bake"], &scenes[..], &["--to", into, "--form", "csv", "--jobs", "3"]].concat();
    let output = zickzack(&arguments);
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(!output.status.success() && said.contains("1 of 4 scenes could not be written"), "{said}");
    assert!(said.contains("demo/nothing.json: not written: "), "{said}");
    let mut names: Vec<String> =
        std::fs::read_dir(into).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    assert_eq!(names, ["light-writer.csv", "puck-on-the-boards.csv", "two-shots.csv"]);
    for scene in ["two-shots", "light-writer", "puck-on-the-boards"] {
        let alone = text(&zickzack(&["bake", &format!("demo/{scene}.json"), "--to", "-"]));
        assert!(said.contains(&format!("{scene}.csv")), "{said}");
        assert_eq!(std::fs::read_to_string(Path::new(into).join(format!("{scene}.csv"))).unwrap(), alone);
    }
    for (more, words) in [
        (vec!["demo/two-shots.json", "demo/two-shots.json", "--to", into], "the same name"),
        (vec!["demo/two-shots.json", "demo/light-writer.json", "--to", "-"], "for one scene"),
        (vec!["demo/two-shots.json", "demo/light-writer.json", "--contacts", "c.csv"], "for one scene"),
        (vec!["demo/two-shots.json", "--to", into, "--contacts", "c.csv"], "for one scene"),
        (vec!["demo/two-shots.json", "--to", "a.glb", "--form", "csv"], "by its ending"),
        (vec!["demo/two-shots.json", "--to", "-", "--report"], "beside a file"),
        (vec!["demo/stilt-walker.json", "--to", "a.glb", "--thing", "2"], "for BVH"),
        (vec!["demo/stilt-walker.json", "--to", into, "--thing", "2"], "for BVH"),
    ] {
        let output = zickzack(&[vec!["bake"], more].concat());
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(!output.status.success() && said.contains(words), "{said}");
    }
}

#[test]
fn contacts_in_a_file_are_those_of_the_motion() {
    let folder = folder("contacts");
    let goal = folder.join("contacts.csv");
    let bake = ["bake", "demo/puck-on-the-boards.json", "--contacts", goal.to_str().unwrap()];
    assert_eq!(text(&zickzack(&bake)), "");
    let table = std::fs::read_to_string(&goal).unwrap();
    let motion = motion("puck-on-the-boards.json");
    // All of the loop, its last frame too, which tables of poses leave out.
    let contacts = motion.contacts(zickzack_core::motion::Frames { from: 0.0, to: 96.0 });
    assert!(contacts.len() > 3);
    assert_eq!(table.lines().count(), 1 + contacts.len());
    for (line, contact) in table.lines().skip(1).zip(&contacts) {
        let cells: Vec<&str> = line.split(',').collect();
        let number = |i: usize| cells[i].parse::<f64>().unwrap();
        assert_eq!(number(0), contact.frame + 1.0, "shown frames begin at 1");
        assert_eq!(cells[3], contact.other);
        assert_eq!([number(4), number(5), number(6)], contact.place.to_array());
        assert_eq!([number(7), number(8), number(9)], contact.normal.to_array());
        assert_eq!([number(10), number(11), number(12)], contact.impulse.to_array());
        assert_eq!([number(13), number(14)], [contact.speed_in, contact.speed_out]);
    }
}

#[test]
fn all_nodes_are_printed_as_json_each_once_and_described() {
    let nodes: Value = serde_json::from_str(&text(&zickzack(&["nodes"]))).unwrap();
    let names: Vec<&str> = nodes.as_array().unwrap().iter().map(|node| node["name"].as_str().unwrap()).collect();
    let registry = zickzack_core::nodes::Registry::default();
    assert!(names.iter().all(|name| registry.schemas.iter().any(|schema| schema.name == *name)));
    assert_eq!(names.len(), registry.types.len());
    assert_eq!(names.iter().collect::<std::collections::HashSet<_>>().len(), names.len());
    for node in nodes.as_array().unwrap() {
        let helps = node["params"].as_array().unwrap().iter().map(|param| &param["help"]);
        assert!(helps.chain([&node["help"]]).all(|help| !help.as_str().unwrap().is_empty()), "{node}");
    }
}

#[test]
fn the_page_draws_the_things_that_files_hold() {
    let page = std::fs::read_to_string(root().join("web/src/bench/view/scene3d/shapes/things.json")).unwrap();
    let same = text(&zickzack(&["things"])) == page;
    assert!(same, "renew them: zickzack things > web/src/bench/view/scene3d/shapes/things.json");
}

#[test]
fn the_page_of_the_format_has_the_tables_of_all_node_types_and_keeps_what_is_written_by_hand() {
    let page = std::fs::read_to_string(root().join("docs/scene-format.md")).unwrap();
    let into = folder("page").join("page.md");
    let written = |page: &str| {
        std::fs::write(&into, page).unwrap();
        let output = zickzack(&["nodes", "--into", into.to_str().unwrap()]);
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        std::fs::read_to_string(&into).unwrap()
    };
    assert!(written(&page) == page, "bring it up to date: zickzack nodes --into docs/scene-format.md");
    // A row that is missing comes back, and a whole section; what was written by hand is not touched.
    let row = page.lines().find(|line| line.starts_with("| `riders` |")).unwrap();
    assert!(written(&page.replace(&format!("{row}\n"), "")) == page);
    let section = page.split("\n### ").find(|section| section.starts_with("ball\n")).unwrap();
    assert!(written(&page.replace(&format!("\n### {section}"), "")) == page);
    let by_hand =
        page.replace("### Formulas\n", "### Formulas\nBy hand.\n").replace("hangs is a catenary", "hangs sags");
    assert!(by_hand != page && written(&by_hand) == by_hand);
    // A type that is not there is not passed over.
    std::fs::write(&into, page.replace("\n### ball\n", "\n### bell\n")).unwrap();
    let output = zickzack(&["nodes", "--into", into.to_str().unwrap()]);
    assert!(!output.status.success() && String::from_utf8_lossy(&output.stderr).contains("\"bell\""));
}

/// Keys before and after, and degrees, that a reduced bake says.
fn said_of_keys(angle: &str) -> (usize, usize, f64) {
    let folder = folder(&format!("angle-{angle}"));
    let goal = folder.join("out.glb");
    let goal = goal.to_str().unwrap();
    let output = zickzack(&["bake", "demo/club-juggle.json", "--to", goal, "--tolerance", "0.001", "--angle", angle]);
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(output.status.success(), "{said}");
    let (_, counts) = said.split_once(": ").unwrap();
    let (before, rest) = counts.split_once(" → ").unwrap();
    let (after, rest) = rest.split_once(" keys").unwrap();
    let (_, rest) = rest.split_once(" and ").unwrap();
    let (degrees, _) = rest.split_once('°').unwrap();
    (before.parse().unwrap(), after.parse().unwrap(), degrees.parse().unwrap())
}

#[test]
fn a_reduced_bake_says_what_is_left_and_stays_within_the_angle_that_is_asked_for() {
    let (fine, coarse) = (said_of_keys("0.01"), said_of_keys("10"));
    assert_eq!(fine.0, coarse.0);
    assert!(coarse.1 < fine.1 && fine.1 < fine.0, "{fine:?} {coarse:?}");
    assert!(fine.2 <= 0.01 + 5e-4 && coarse.2 <= 10.0 && coarse.2 > 0.1, "{fine:?} {coarse:?}");
}

/// Beside each file, also in a folder, stands what is told of it.
#[test]
fn a_report_stands_beside_each_file() {
    let folder = folder("reports");
    let into = folder.join("all");
    let into = into.to_str().unwrap();
    text(&zickzack(&[
        "bake",
        "demo/two-shots.json",
        "demo/stilt-walker.json",
        "--to",
        into,
        "--tolerance",
        "0.01",
        "--report",
    ]));
    text(&zickzack(&["bake", "demo/stilt-walker.json", "--to", &format!("{into}/table.csv"), "--report"]));
    let read = |name: &str| -> serde_json::Value {
        let path = Path::new(into).join(format!("{name}.report.json"));
        serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
    };
    for name in ["two-shots", "stilt-walker"] {
        let report = read(name);
        assert_eq!(report["form"], "glb");
        for output in report["outputs"].as_array().unwrap() {
            let [place, turn, size] = &output["read_back"].as_array().unwrap()[..] else { panic!("{output}") };
            assert!(place["error"].as_f64().unwrap() <= 0.0101 && place["unit"] == "m", "{output}");
            assert!(
                turn["unit"] == "°" && size["unit"] == "" && output["left_out"] == serde_json::json!([]),
                "{output}"
            );
        }
    }
    let joints = &read("stilt-walker")["outputs"][0]["keys"][3];
    let missed = joints["missed"]["error"].as_f64().unwrap();
    assert!(joints["of"] == "joints" && missed > 0.0 && missed <= 0.01, "{joints}");
    let table = read("table");
    assert_eq!(table["outputs"][0]["left_out"], serde_json::json!(["what walks"]));
    assert_eq!(table["outputs"][0]["read_back"], serde_json::json!([]));
}

/// Needs the web's packages, which `./test` installs.
#[test]
fn the_khronos_validator_finds_no_error_and_no_warning() {
    let folder = folder("validator");
    let mut files = Vec::new();
    // Meshes, letters, kinds and colours; models of one's own; what is bent, walks, plays clips, is dented; lines that move.
    let rigid = ["lantern-round", "puck-on-the-boards", "bumper-boats", "late-arrival", "ring-toss", "two-shots"];
    let changing = ["pennant", "stilt-walker", "moths-and-the-lamplighter", "swim-ring"];
    for scene in rigid.into_iter().chain(changing) {
        for (kind, more) in [("reduced", &["--tolerance", "0.001"][..]), ("dense", &["--step", "2"][..])] {
            let goal = folder.join(format!("{scene}-{kind}.glb"));
            let source = format!("demo/{scene}.json");
            let mut arguments = vec!["bake", &source, "--to", goal.to_str().unwrap()];
            arguments.extend(more);
            text(&zickzack(&arguments));
            files.push(goal);
        }
    }
    let validate = root().join("web/scripts/validate-glb.mjs");
    let output = Command::new("node").arg(validate).args(&files).output().expect("node runs");
    assert!(
        output.status.success(),
        "{}{}",
        String::from_utf8_lossy(&output.stdout),
        String::from_utf8_lossy(&output.stderr)
    );
}
