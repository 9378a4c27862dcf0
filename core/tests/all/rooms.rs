//! The map of rooms in `docs/architecture.md` is the one that the code has.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

/// The names that begin the rows of the table below a heading of the map, in order.
fn mapped(heading: &str) -> Vec<String> {
    let map = fs::read_to_string(project().join("docs/architecture.md")).unwrap();
    let (_, section) = map.split_once(&format!("## {heading}\n")).expect("the heading");
    let section = section.split("\n#").next().unwrap();
    let rows = section.lines().filter_map(|line| line.strip_prefix("| `")?.split_once('`'));
    rows.map(|(name, _)| name.trim_end_matches('/').to_owned()).collect()
}

fn files(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            files(&path, found);
        } else if path.extension().is_some_and(|ending| ending == "rs") {
            found.push(path);
        }
    }
}

/// The rooms that a file's code names, without its comments and its own tests.
fn named(text: &str) -> BTreeSet<String> {
    let code = text.split("#[cfg(test)]").next().unwrap();
    // A macro of a room stands at the root of the crate, from where the room gives it on.
    let macros = |line: &str| line.strip_prefix("pub use crate::").is_some_and(|rest| !rest.contains("::"));
    let lines = code.lines().filter(|line| !line.trim_start().starts_with("//") && !macros(line));
    let mut found = BTreeSet::new();
    for rest in lines.flat_map(|line| line.split("crate::").skip(1)) {
        assert!(!rest.starts_with('{'), "rooms are named one by one: crate::{rest}");
        let name: String = rest.chars().take_while(|c| c.is_ascii_alphanumeric() || *c == '_').collect();
        found.insert(name);
    }
    found
}

/// By room of the core, the rooms that it uses.
fn uses() -> BTreeMap<String, BTreeSet<String>> {
    let source = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut all = Vec::new();
    files(&source, &mut all);
    let mut uses: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for path in all {
        let within = path.strip_prefix(&source).unwrap();
        let room = within.iter().next().unwrap().to_string_lossy().trim_end_matches(".rs").to_owned();
        if room == "lib" {
            continue;
        }
        let mut named = named(&fs::read_to_string(&path).unwrap());
        named.remove(&room);
        uses.entry(room).or_default().extend(named);
    }
    uses
}

#[test]
fn a_room_uses_only_rooms_above_it_and_all_are_on_the_map() {
    let (map, uses) = (mapped("Rooms of the core"), uses());
    let there: BTreeSet<&String> = uses.keys().collect();
    assert_eq!(there, map.iter().collect(), "the rooms, and those of the map");
    let above = |room: &str| &map[..map.iter().position(|name| name == room).unwrap()];
    for (room, used) in &uses {
        // A macro is named as what it is in the crate.
        let below: Vec<_> = used.iter().filter(|used| map.contains(used) && !above(room).contains(used)).collect();
        assert!(below.is_empty(), "{room} uses {below:?}, which do not stand above it");
    }
}

/// Rooms that know nothing of nodes and documents, so that they are of use without them.
#[test]
fn rooms_of_the_domain_know_no_document() {
    let (map, uses) = (mapped("Rooms of the core"), uses());
    let first = map.iter().position(|room| room == "schema").unwrap();
    assert!(map[first..].iter().eq(["schema", "scene", "graph", "nodes"]));
    for room in &map[..first] {
        let known: Vec<_> = uses[room].iter().filter(|used| map[first..].contains(used)).collect();
        assert!(known.is_empty(), "{room} knows {known:?}");
    }
}

/// What crates hang on each other: none of them on one that stands below it.
#[test]
fn a_crate_uses_only_crates_above_it() {
    let order = ["core", "formats", "session", "server", "cli"];
    let crates = mapped("Crates and folders");
    assert!(order.iter().all(|name| crates.contains(&(*name).to_owned())), "{crates:?}");
    for (i, name) in order.iter().enumerate() {
        let manifest = fs::read_to_string(project().join(name).join("Cargo.toml")).unwrap();
        let (_, dependencies) = manifest.split_once("[dependencies]").unwrap();
        let dependencies = dependencies.split("\n[").next().unwrap();
        for below in &order[i..] {
            assert!(!dependencies.contains(&format!("path = \"../{below}\"")), "{name} hangs on {below}");
        }
    }
}
