//! Recordings on disk, by what they were made from, within a budget.

use std::fs::{self, File};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use std::time::SystemTime;
use zickzack_core::graph::Key;
use zickzack_core::motion::Take;
use zickzack_formats::recording::{read, written};

/// A folder of recordings; those that were not looked at for longest go first when it is full.
pub struct Shelf {
    folder: Option<PathBuf>,
    /// Bytes.
    budget: u64,
    /// Bytes that lie there, as far as is known.
    filled: Mutex<Option<u64>>,
}

/// What the names of its files end with: another version keeps its own.
const ENDING: &str = concat!("-", env!("CARGO_PKG_VERSION"), ".recording");

impl Shelf {
    /// In a folder, which is made when something is put there.
    pub fn new(folder: PathBuf, budget: u64) -> Self {
        Self { folder: Some(folder), budget, filled: Mutex::new(None) }
    }

    /// One that keeps nothing.
    pub const fn nowhere() -> Self {
        Self { folder: None, budget: 0, filled: Mutex::new(None) }
    }

    /// False where nothing is kept.
    pub const fn is_kept(&self) -> bool {
        self.folder.is_some()
    }

    /// Why nothing can be put there, if so.
    pub fn trouble(&self) -> Option<String> {
        let folder = self.folder.as_ref()?;
        fs::create_dir_all(folder).err().map(|error| format!("their folder cannot be made: {error}"))
    }

    fn file(&self, key: &Key) -> Option<PathBuf> {
        Some(self.folder.as_ref()?.join(format!("{}{ENDING}", blake3::Hash::from(*key).to_hex())))
    }

    /// What lies there. What is damaged is thrown away.
    pub fn find(&self, key: &Key) -> Option<Take> {
        let path = self.file(key)?;
        let bytes = fs::read(&path).ok()?;
        match read(&bytes) {
            Ok(take) => {
                // Only how long it stays hangs on this.
                let _ = File::open(&path).and_then(|file| file.set_modified(SystemTime::now()));
                Some(take)
            }
            Err(error) => {
                tracing::warn!("{}: {error}; it is worked out anew", path.display());
                let _ = fs::remove_file(&path);
                None
            }
        }
    }

    /// Puts a complete take there. Trouble costs no more than working it out again.
    pub fn put(&self, key: &Key, take: &Take) {
        let Some(path) = self.file(key) else { return };
        if let Err(error) = self.try_put(&path, &written(take)) {
            tracing::warn!("{} cannot be kept: {error}", path.display());
        }
    }

    fn try_put(&self, path: &Path, bytes: &[u8]) -> std::io::Result<()> {
        let Some(folder) = &self.folder else { return Ok(()) };
        let size = bytes.len() as u64;
        if size > self.budget {
            return Ok(());
        }
        let mut filled = self.filled.lock().unwrap_or_else(PoisonError::into_inner);
        fs::create_dir_all(folder)?;
        // A name of its own until it is whole: whoever reads meanwhile, or after a power cut, finds all or nothing.
        let whole = path.with_extension("part");
        fs::write(&whole, bytes)?;
        fs::rename(&whole, path)?;
        let all = filled.map_or(u64::MAX, |before| before.saturating_add(size));
        *filled = Some(if all > self.budget { tidied(folder, self.budget)? } else { all });
        Ok(())
    }
}

/// Takes away what was not looked at for longest until the rest is within the budget, and gives what lies there then.
fn tidied(folder: &Path, budget: u64) -> std::io::Result<u64> {
    let mut files = Vec::new();
    for entry in fs::read_dir(folder)? {
        let entry = entry?;
        let is_ours = entry.file_name().to_string_lossy().ends_with(".recording");
        if let Some(about) = entry.metadata().ok().filter(|about| is_ours && about.is_file()) {
            files.push((about.modified()?, about.len(), entry.path()));
        }
    }
    files.sort();
    let mut all: u64 = files.iter().map(|(_, size, _)| size).sum();
    for (_, size, path) in files {
        if all <= budget {
            break;
        }
        fs::remove_file(path)?;
        all -= size;
    }
    Ok(all)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::Arc;
    use zickzack_core::motion::{Kept, Row};

    fn take(frames: usize) -> Take {
        let row = Row::from_numbers([1.5; 10]);
        let frame = |_| Arc::new(Kept { rows: Box::new([row]), contacts: Vec::new(), sound: true });
        Take::known(0.0, (Arc::new([1.0]), 1.0), Vec::new(), (0..frames).map(frame).collect())
    }

    struct Folder(PathBuf);

    impl Drop for Folder {
        fn drop(&mut self) {
            let _ = fs::remove_dir_all(&self.0);
        }
    }

    fn folder(name: &str) -> Folder {
        Folder(std::env::temp_dir().join(format!("zickzack-shelf-{}-{name}", std::process::id())))
    }

    #[test]
    fn what_was_put_there_is_found_again_and_what_is_damaged_is_not() {
        let folder = folder("found");
        let shelf = Shelf::new(folder.0.clone(), 1 << 20);
        assert!(shelf.find(&[7; 32]).is_none());
        shelf.put(&[7; 32], &take(5));
        assert_eq!(shelf.find(&[7; 32]).unwrap().frames, take(5).frames);
        assert!(shelf.find(&[8; 32]).is_none());
        // As after a restart.
        assert!(Shelf::new(folder.0.clone(), 1 << 20).find(&[7; 32]).is_some());
        let path = shelf.file(&[7; 32]).unwrap();
        let mut bytes = fs::read(&path).unwrap();
        bytes[60] ^= 1;
        fs::write(&path, bytes).unwrap();
        assert!(shelf.find(&[7; 32]).is_none());
        assert!(!path.exists());
    }

    #[test]
    fn it_stays_within_its_budget_and_keeps_what_was_looked_at_last() {
        let folder = folder("budget");
        let one = written(&take(20)).len() as u64;
        let shelf = Shelf::new(folder.0.clone(), 3 * one + one / 2);
        let key = |i: u8| [i; 32];
        for i in 0..3 {
            shelf.put(&key(i), &take(20));
            // Looked at so many minutes ago, the first longest ago.
            let before = SystemTime::now() - std::time::Duration::from_secs(600 - 60 * u64::from(i));
            File::open(shelf.file(&key(i)).unwrap()).unwrap().set_modified(before).unwrap();
        }
        assert!(shelf.find(&key(0)).is_some());
        shelf.put(&key(3), &take(20));
        let left: Vec<u8> = (0..4).filter(|&i| shelf.file(&key(i)).unwrap().exists()).collect();
        assert_eq!(left, [0, 2, 3]);
        // What is larger than all of it is not kept, and harms nothing.
        shelf.put(&key(9), &take(1000));
        assert!(shelf.find(&key(9)).is_none() && shelf.find(&key(3)).is_some());
        Shelf::nowhere().put(&key(1), &take(3));
        assert!(Shelf::nowhere().find(&key(1)).is_none());
    }
}
