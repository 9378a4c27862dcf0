//! What lies in one place is little enough to be taken in.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::{fs, io};

/// Most lines of a file that is written by hand.
const MOST_LINES: usize = 450;
/// Most files beside each other.
const MOST_FILES: usize = 15;
/// Where code is.
const ROOTS: [&str; 9] = ["core", "formats", "session", "server", "cli", "e2e", "web/src", "fuzz", "scripts"];
const CODE: [&str; 5] = ["rs", "ts", "tsx", "css", "sh"];
/// Written by a program, fetched, built, or data.
const NOT_BY_HAND: [&str; 6] = ["generated", "node_modules", "target", "proptest-regressions", "starters", "seeds"];

fn walk(folder: &Path, found: &mut BTreeMap<PathBuf, Vec<PathBuf>>) -> io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        if NOT_BY_HAND.contains(&name.as_str()) {
            continue;
        }
        if path.is_dir() {
            walk(&path, found)?;
        } else if path.extension().is_some_and(|ending| CODE.contains(&&*ending.to_string_lossy())) {
            found.entry(folder.to_owned()).or_default().push(path);
        }
    }
    Ok(())
}

#[test]
fn no_file_is_long_and_no_folder_is_full() {
    let project = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut found = BTreeMap::new();
    ROOTS.iter().for_each(|root| walk(&project.join(root), &mut found).unwrap());
    assert!(found.values().map(Vec::len).sum::<usize>() > 300, "the code was found");
    let full: Vec<_> = found.iter().filter(|(_, files)| files.len() > MOST_FILES).map(|(folder, _)| folder).collect();
    assert!(full.is_empty(), "more than {MOST_FILES} files in {full:?}");
    let lines = |path: &PathBuf| fs::read_to_string(path).unwrap().lines().count();
    let long: Vec<_> = found.values().flatten().filter(|path| lines(path) > MOST_LINES).collect();
    assert!(long.is_empty(), "more than {MOST_LINES} lines in {long:?}");
}
