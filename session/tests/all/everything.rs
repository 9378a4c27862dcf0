//! A scene with everything in it, in each form of file, against the table that says what these hold.

use serde_json::{Map, Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::io::Cursor;
use std::path::Path;
use std::sync::Arc;
use zickzack_core::graph::{AtOnce, Memo};
use zickzack_core::keys::Keying;
use zickzack_core::motion::{Cancel, Frames};
use zickzack_core::nodes::Registry;
use zickzack_formats::bvh::Skeleton;
use zickzack_session::{HandOff, Session};

/// Scenes of the demo whose nodes stand side by side in one.
const SCENES: [&str; 8] = [
    "two-shots",
    "moths-and-the-lamplighter",
    "stilt-walker",
    "pennant",
    "swim-ring",
    "club-juggle",
    "name-in-lights",
    "parade",
];

fn demo(name: &str) -> Value {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("../demo/{name}"));
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

/// What is in no scene of the demo: lives with colours that change, what is cut off where it has gone in, a model of one's own, and a
/// letter.
fn more() -> (Value, Value) {
    let nodes = json!({
        "x-way": { "type": "figure", "name": "Round" },
        "x-lead": { "type": "ride", "name": "Lead" },
        "x-emit": { "type": "emit", "name": "Sparks", "params": { "rate": 5, "lifetime": 0.1 } },
        "x-look": { "type": "look-by", "name": "Fading", "params": { "by": "age", "first": "#ff0000", "last": "#0000ff", "brightness": [[0, 1], [1, 0.25]] } },
        "x-sparks": { "type": "output", "name": "Sparks", "params": { "thing": "ball" } },
        "x-floor": { "type": "plane", "name": "Floor" },
        "x-throw": { "type": "launch", "name": "Dart", "params": { "start": [0, 1, 0], "velocity": [2, -3, 0] } },
        "x-stick": { "type": "stick", "name": "Sticks", "params": { "depth": 0.1, "hidden": true } },
        "x-darts": { "type": "output", "name": "Darts", "params": { "thing": "cone" } },
        "x-boat": { "type": "output", "name": "Own boat", "params": { "thing": "own model", "model": "swan-boat.glb" } },
        "x-sign": { "type": "output", "name": "Sign", "params": { "thing": "letter", "letter": "Q" } },
    });
    let threads = json!({
        "xa": { "from": "x-way", "to": "x-lead", "port": "path" }, "xb": { "from": "x-lead", "to": "x-emit", "port": "motion" },
        "xc": { "from": "x-emit", "to": "x-look", "port": "motion" }, "xd": { "from": "x-look", "to": "x-sparks", "port": "motion" },
        "xe": { "from": "x-throw", "to": "x-stick", "port": "motion" }, "xf": { "from": "x-floor", "to": "x-stick", "port": "target" },
        "xg": { "from": "x-stick", "to": "x-darts", "port": "motion" }, "xh": { "from": "x-lead", "to": "x-boat", "port": "motion" },
        "xi": { "from": "x-lead", "to": "x-sign", "port": "motion" },
    });
    (nodes, threads)
}

/// Puts a prefix before all ids of a list, and before what refers to them.
fn renamed(list: &Value, prefix: &str, refers: &[&str]) -> Map<String, Value> {
    let one = |(id, value): (&String, &Value)| {
        let mut value = value.clone();
        for field in refers {
            if let Some(id) = value.get(*field).and_then(Value::as_str) {
                value[*field] = json!(format!("{prefix}-{id}"));
            }
        }
        (format!("{prefix}-{id}"), value)
    };
    list.as_object().into_iter().flatten().map(one).collect()
}

fn everything() -> Session {
    let (mut nodes, mut threads, mut assets, mut contents) = (Map::new(), Map::new(), Map::new(), BTreeMap::new());
    for (i, name) in SCENES.iter().enumerate() {
        let scene = demo(&format!("{name}.json"));
        let prefix = format!("s{i}");
        let own = renamed(&scene["nodes"], &prefix, &[]);
        nodes.extend(own.into_iter().map(|(id, mut node)| {
            node["name"] = json!(format!("{} {i}", node["name"].as_str().unwrap()));
            node.as_object_mut().unwrap().remove("group");
            (id, node)
        }));
        threads.extend(renamed(&scene["threads"], &prefix, &["from", "to"]));
        assets.extend(scene["assets"].as_object().cloned().unwrap_or_default());
    }
    let (own_nodes, own_threads) = more();
    nodes.extend(own_nodes.as_object().unwrap().clone());
    threads.extend(own_threads.as_object().unwrap().clone());
    for file in ["swan-boat.glb"].into_iter().chain(assets.keys().map(String::as_str)).collect::<BTreeSet<_>>() {
        let bytes = std::fs::read(Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("../demo/{file}"))).unwrap();
        contents.insert(file.to_owned(), bytes);
    }
    assets.insert(
        "swan-boat.glb".to_owned(),
        json!({ "hash": zickzack_formats::files::hash(&contents["swan-boat.glb"]), "media": "model/gltf-binary" }),
    );
    let document = json!({
        "format": "zickzack-scene", "version": 1, "name": "Everything", "space": "deep", "fps": "24", "frames": 96,
        "nodes": nodes, "threads": threads, "assets": assets,
        "camera": { "position": [9, 4, 9], "target": [0, 1, 0], "lens": 35 },
    });
    let folder = std::env::temp_dir().join(format!("zickzack-everything-{}", std::process::id()));
    std::fs::create_dir_all(&folder).unwrap();
    contents.iter().for_each(|(name, bytes)| std::fs::write(folder.join(name), bytes).unwrap());
    let path = folder.join("everything.json");
    std::fs::write(&path, document.to_string()).unwrap();
    let session = Session::read(&path, Arc::new(Registry::default())).unwrap();
    std::fs::remove_dir_all(&folder).unwrap();
    session
}

/// Columns of a table by name: what stands in them, each once.
fn columns(table: &str) -> BTreeMap<String, BTreeSet<String>> {
    let mut lines = table.lines();
    let names: Vec<&str> = lines.next().unwrap().split(',').collect();
    let mut found: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for line in lines {
        for (name, value) in names.iter().zip(line.split(',')) {
            if !value.is_empty() {
                found.entry((*name).to_owned()).or_default().insert(value.to_owned());
            }
        }
    }
    found
}

/// By Output, how bright its first thing is.
fn lit(table: &str) -> BTreeMap<String, BTreeSet<String>> {
    let mut rows = table.lines().map(|line| line.split(',').collect::<Vec<_>>());
    let heading = rows.next().unwrap();
    let column = |name: &str| heading.iter().position(|own| *own == name).unwrap();
    let (output, object, bright) = (column("output"), column("object"), column("brightness"));
    let mut found: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for row in rows.filter(|row| row[object] == "0") {
        found.entry(row[output].to_owned()).or_default().insert(row[bright].to_owned());
    }
    found
}

struct Files {
    /// USD as text, and what its reader says of it at some frames.
    text: String,
    stage: Value,
    /// The header of the GLB, and the file.
    header: Value,
    model: gltf::Gltf,
    table: BTreeMap<String, BTreeSet<String>>,
    contacts: BTreeMap<String, BTreeSet<String>>,
    /// Joints of things.
    bones: Vec<Skeleton>,
    /// How bright the first thing of each Output is.
    lit: BTreeMap<String, BTreeSet<String>>,
}

impl Files {
    fn of(session: &Session) -> Self {
        let (memo, cancel) = (Memo::default(), Cancel::default());
        let compiled = session.compile(&memo, &AtOnce, &cancel);
        let hand_off = HandOff::of(session, &compiled, |_| true);
        assert!(hand_off.broken().is_empty(), "{:?}", hand_off.broken());
        // A cut, a hit and a change of shots lie in it.
        let range = Frames { from: 8.0, to: 52.0 };
        let (mut model, mut table, mut contacts, mut text) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
        hand_off.write_usda((range, Keying::Every(4.0)), &mut text, &cancel).unwrap();
        hand_off.write_glb((range, Keying::Every(4.0)), Cursor::new(Vec::new()), &mut model, &cancel).unwrap();
        hand_off.write_csv(range, 4.0, &mut table, &cancel).unwrap();
        hand_off.write_contacts(range, &mut contacts, &cancel).unwrap();
        let bones = |(output, object): (&str, usize)| {
            let number = hand_off.outputs().iter().position(|(name, _)| name == output).unwrap();
            let mut text = Vec::new();
            hand_off.write_bvh((number, object), (range, 4.0), &mut text, &cancel).unwrap();
            zickzack_formats::bvh::read(&String::from_utf8(text).unwrap()).unwrap()
        };
        Self {
            bones: [("Walkers 2", 0), ("Moths 1", 0), ("Streamer 3", 0)].map(bones).into(),
            stage: crate::stages::read(&text, "usda", &[8.0, 20.0, 36.0, 52.0]),
            text: String::from_utf8(text).unwrap(),
            header: crate::header(&model),
            model: gltf::Gltf::from_slice(&model).unwrap(),
            lit: lit(&String::from_utf8_lossy(&table)),
            table: columns(&String::from_utf8(table).unwrap()),
            contacts: columns(&String::from_utf8(contacts).unwrap()),
        }
    }

    fn node(&self, name: &str) -> Option<gltf::Node<'_>> {
        self.model.nodes().find(|node| node.name() == Some(name))
    }

    /// True where some node whose name passes is moved in a way.
    fn moves(&self, named: impl Fn(&str) -> bool, how: gltf::animation::Property) -> bool {
        let mut all = self.model.animations().flat_map(|animation| animation.channels().collect::<Vec<_>>());
        all.any(|channel| channel.target().property() == how && channel.target().node().name().is_some_and(&named))
    }

    /// True where a thing of an Output is carried by a skin of so many joints, some of which move.
    fn skinned(&self, thing: &str, joints: usize) -> bool {
        let Some(skin) = self.node(&format!("{thing} mesh")).and_then(|node| node.skin()) else { return false };
        let numbers: Vec<usize> = skin.joints().map(|joint| joint.index()).collect();
        let mut all = self.model.animations().flat_map(|animation| animation.channels().collect::<Vec<_>>());
        numbers.len() >= joints && all.any(|channel| numbers.contains(&channel.target().node().index()))
    }

    /// True where the scales of some node are nothing at some key, and something at another.
    fn comes_and_goes(&self) -> bool {
        let scales = self.model.animations().flat_map(|animation| animation.channels().collect::<Vec<_>>());
        let mut scales = scales.filter(|channel| channel.target().property() == gltf::animation::Property::Scale);
        scales.any(|channel| {
            let reader = channel.reader(|_| self.model.blob.as_deref());
            let gltf::animation::util::ReadOutputs::Scales(all) = reader.read_outputs().unwrap() else { return false };
            let all: Vec<bool> = all.map(|scale| scale == [0.0; 3]).collect();
            all.contains(&true) && all.contains(&false)
        })
    }

    /// True where two keys of a place are less than a hundredth of a frame apart.
    fn jumps(&self) -> bool {
        let all = self.model.animations().flat_map(|animation| animation.channels().collect::<Vec<_>>());
        let mut places = all.filter(|channel| channel.target().property() == gltf::animation::Property::Translation);
        places.any(|channel| {
            let times: Vec<f32> = channel.reader(|_| self.model.blob.as_deref()).read_inputs().unwrap().collect();
            times.windows(2).any(|pair| pair[1] - pair[0] < 0.01 / 24.0)
        })
    }

    /// Of a thing in the stage what its reader says, and how its pose and the corners and colours of its first mesh change.
    fn stood(&self, output: &str, object: usize) -> (&Value, [bool; 3]) {
        let thing = &self.stage["outputs"][output]["things"][format!("{output} {object}")];
        let changes = |all: &Value| all.as_array().is_some_and(|all| all.iter().any(|one| *one != all[0]));
        let mesh = &thing["meshes"][0];
        (thing, [changes(&thing["poses"]), changes(&mesh["corners"]), changes(&mesh["colours"])])
    }

    fn triangles(&self, output: &str) -> Option<usize> {
        let (thing, _) = self.stood(output, 1);
        thing["meshes"][0]["triangles"].as_u64().map(|count| count as usize)
    }

    /// How many joints a thing of the stage hangs on, where it is not the same all the time.
    fn joints(&self, output: &str) -> usize {
        let (thing, [_, moved, _]) = self.stood(output, 1);
        thing["joints"].as_u64().filter(|_| moved).unwrap_or_default() as usize
    }

    /// True where some thing of the stage is seen at some of the frames and not at others.
    fn stands_and_goes(&self) -> bool {
        let outputs = self.stage["outputs"].as_object().unwrap().values();
        let mut things = outputs.flat_map(|output| output["things"].as_object().unwrap().values());
        things.any(|thing| ["true", "false"].iter().all(|word| thing["seen"].to_string().contains(word)))
    }

    /// True where two time codes of the stage are less than a hundredth of a frame apart.
    fn stands_and_jumps(&self) -> bool {
        let time = |line: &str| line.trim().split_once(": (")?.0.parse::<f64>().ok();
        let times: Vec<Option<f64>> = self.text.lines().map(time).collect();
        times.windows(2).any(|pair| matches!(pair, [Some(a), Some(b)] if b > a && b - a < 0.01))
    }

    /// Outputs of which some thing is so bright once, and not so bright at another time.
    fn brightened(&self) -> Vec<&str> {
        let lit = |output: &&str| self.lit[*output].len() > 1;
        self.lit.keys().map(String::as_str).filter(lit).collect()
    }

    fn mesh(&self, thing: &str) -> Option<String> {
        self.node(thing)?.mesh()?.name().map(str::to_owned)
    }

    /// Whether a column of a table has more than one value.
    fn varies(table: &BTreeMap<String, BTreeSet<String>>, column: &str) -> bool {
        table.get(column).is_some_and(|values| values.len() > 1)
    }
}

/// A form of file, in the order of the table.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Form {
    Glb,
    Usd,
    Bvh,
    Csv,
    Contacts,
}

/// Whether a form of file has what a row of the table names.
fn has(files: &Files, row: &str, form: Form) -> bool {
    match form {
        Form::Glb => in_glb(files, row),
        Form::Usd => in_usd(files, row),
        Form::Bvh => in_bvh(files, row),
        Form::Csv => in_table(&files.table, row),
        Form::Contacts => in_table(&files.contacts, row),
    }
}

fn in_glb(files: &Files, row: &str) -> bool {
    use gltf::animation::Property::{MorphTargetWeights, Rotation, Translation};
    let children = |name: &str| files.node(name).is_some_and(|node| node.children().count() > 0);
    match row {
        "place, turn, size" => files.moves(|name| name.starts_with("Moths"), Translation),
        "when a thing is there" => files.comes_and_goes(),
        "jumps" | "contacts" => files.jumps(),
        "what a thing is shown as" => files.mesh("Darts 1") == Some("cone".to_owned()),
        "a model of one's own" => children("Own boat 1 model"),
        "a letter" => files.mesh("Sign 1") == Some("letter Q".to_owned()),
        "colour" => files.model.materials().count() > 3,
        "brightness" => files.header.to_string().contains("animation_pointer"),
        "which life, how old" => files.header.to_string().contains("age"),
        "what is cut off" => files.header.to_string().contains("cut_"),
        "models that play clips" => {
            files.node("Moths 1 1 model").is_some()
                && files.moves(|name| name.to_lowercase().contains("wing"), Rotation)
        }
        "what walks" => children("Walkers 2 1 model"),
        "what is bent" => files.skinned("Pennant 3 1", 9) && files.skinned("Streamer 3 1", 9),
        "what is dented" => files.moves(|name| name == "Ring 4 1", MorphTargetWeights),
        "the path that things are on" => files.node("Own boat path").is_some(),
        "tethers" => files.moves(|name| name.contains("line"), MorphTargetWeights),
        "the camera" => files.model.cameras().count() == 1,
        "names" => files.node("Darts 1").is_some(),
        "frame rate, first frame" => files.header["scenes"][0]["extras"]["first_frame"] == 8.0,
        other => panic!("nothing is known of \"{other}\": say here how it is seen"),
    }
}

fn in_usd(files: &Files, row: &str) -> bool {
    let count = |mesh: &zickzack_core::mesh::Mesh| Some(mesh.triangles.len());
    let line = |name: &str| &files.stage["lines"][name]["points"];
    match row {
        "place, turn, size" => files.stood("Moths 1", 1).1[0],
        "when a thing is there" => files.stands_and_goes(),
        "jumps" => files.stands_and_jumps(),
        "what a thing is shown as" => files.triangles("Darts") == count(&zickzack_core::mesh::thing("cone").unwrap()),
        "a model of one's own" => files.triangles("Own boat").is_some_and(|count| count > 20),
        "a letter" => files.triangles("Sign") == count(&zickzack_core::mesh::letter("Q").unwrap()),
        "colour" => files.stood("Sparks", 1).1[2],
        "brightness" => {
            let bright = files.brightened();
            bright.iter().any(|output| files.stood(output, 1).1[2])
        }
        "which life, how old" => files.text.contains("age"),
        "what is cut off" => files.text.contains("cut_"),
        "models that play clips" => files.joints("Moths 1") > 1,
        "what walks" => files.joints("Walkers 2") > 9,
        "what is bent" => files.joints("Pennant 3") > 8 && files.joints("Streamer 3") > 8,
        "what is dented" => files.stood("Ring 4", 1).1[1],
        "the path that things are on" => line("Own boat path").is_array(),
        "tethers" => {
            let mut names = files.stage["lines"].as_object().unwrap().keys();
            names.any(|name| name.contains("line") && line(name)[0] != line(name)[2])
        }
        "the camera" => files.stage["camera"].is_object(),
        "contacts" => files.text.contains("speed_in"),
        "names" => files.stood("Darts", 1).0.is_object(),
        "frame rate, first frame" => files.stage["first"] == 8.0 && files.stage["fps"] == 24.0,
        other => panic!("nothing is known of \"{other}\": say here how it is seen"),
    }
}

/// In the joints of a walker, of what plays clips, and of what is bent.
fn in_bvh(files: &Files, row: &str) -> bool {
    let all = &files.bones;
    let moved = |file: &Skeleton, joint: usize| file.at(0).nth(joint) != file.at(file.frames() - 1).nth(joint);
    let joints = |file: &Skeleton| (1..file.joints.len()).any(|joint| moved(file, joint));
    match row {
        "place, turn, size" => all.iter().all(|file| moved(file, 0)),
        "jumps" => all[1].frames() > 10,
        "what walks" => joints(&all[0]),
        "models that play clips" => joints(&all[1]),
        "what is bent" => joints(&all[2]),
        "names" => {
            all[0].joints[0].name == "Walkers_2_1" && all[1].joints.iter().any(|joint| joint.name.contains("wing"))
        }
        "frame rate, first frame" => all.iter().all(|file| (file.seconds - 4.0 / 24.0).abs() < 1e-12),
        // Nothing but joints can be in it.
        _ => false,
    }
}

/// In a table of poses, or of contacts.
fn in_table(table: &BTreeMap<String, BTreeSet<String>>, row: &str) -> bool {
    let varies = |column: &str| Files::varies(table, column);
    let whole = |columns: &[&str]| columns.iter().all(|column| varies(column));
    match row {
        "place, turn, size" => whole(&["px", "qw", "sx"]),
        "when a thing is there" => varies("alive"),
        // It has a row for each step, whatever comes between.
        "jumps" => whole(&["alive", "px"]),
        "what a thing is shown as" => varies("kind"),
        "a model of one's own" => varies("model"),
        "a letter" => table.get("kind").is_some_and(|kinds| kinds.len() > 1),
        "colour" => varies("colour"),
        "brightness" => varies("brightness"),
        "which life, how old" => whole(&["life", "age"]),
        "what is cut off" => table.contains_key("cut_at"),
        "models that play clips" => whole(&["clip", "phase"]),
        "what walks" => varies("step"),
        "what is bent" => varies("joint"),
        "what is dented" => varies("dent"),
        "the path that things are on" => varies("path"),
        "tethers" => varies("tether"),
        "the camera" => varies("camera"),
        "contacts" => table.contains_key("speed_in") && varies("frame"),
        "names" => varies("object"),
        "frame rate, first frame" => varies("frame"),
        other => panic!("nothing is known of \"{other}\": say here how it is seen"),
    }
}

/// Each row of the table is true for each form: what it says to be held is there, and what is left out is not.
#[test]
fn the_table_says_what_files_hold() {
    let page = std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../docs/hand-off.md")).unwrap();
    let table = page.split("| of a motion |").nth(1).unwrap().split("\n\n").next().unwrap();
    let files = Files::of(&everything());
    let mut rows = 0;
    for line in table.lines().skip(2) {
        let cells: Vec<&str> = line.trim_matches('|').split('|').map(str::trim).collect();
        let [row, forms @ ..] = &cells[..] else { panic!("{line}") };
        let order = [Form::Glb, Form::Usd, Form::Bvh, Form::Csv, Form::Contacts];
        assert_eq!(forms.len(), order.len(), "{line}");
        for (form, said) in order.into_iter().zip(forms) {
            let held = !said.starts_with("left out");
            assert_eq!(has(&files, row, form), held, "{row}, {form:?}: \"{said}\"");
        }
        rows += 1;
    }
    assert!(rows >= 19, "{rows} rows");
}
