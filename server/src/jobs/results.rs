//! Where files lie that were written: a folder, or what speaks S3.

use crate::store::jobs;
use futures_util::TryStreamExt;
use object_store::aws::{AmazonS3Builder, AmazonS3ConfigKey};
use object_store::local::LocalFileSystem;
use object_store::memory::InMemory;
use object_store::path::Path;
use object_store::prefix::PrefixStore;
use object_store::{ObjectStore, ObjectStoreExt};
use sqlx::PgPool;
use std::fs::{self, File};
use std::path::PathBuf;
use std::sync::Arc;
use std::time::{Duration, SystemTime};
use tokio::io::AsyncReadExt;

/// A store of files, by keys that are nobody's names.
pub struct Results {
    store: Arc<dyn ObjectStore>,
    /// Where it is a folder.
    folder: Option<PathBuf>,
    /// The most bytes that may lie there.
    pub most: u64,
}

/// Why a file cannot be read: it is not there, or the store does not give it.
#[derive(Debug, thiserror::Error)]
pub enum Unread {
    #[error("The file is not there any more: order it again.")]
    Gone,
    #[error("The store of files does not give it ({0}): try again later.")]
    Trouble(String),
}

/// Bytes that are sent at a time where a file is sent in parts; what speaks S3 takes no smaller ones.
const PART: usize = 8 << 20;
/// What the address of a store begins with that is no folder.
const S3: &str = "s3://";
/// How old what nobody wants must be to be thrown away: what is being written is younger.
const STRAY: Duration = Duration::from_secs(6 * 3600);

impl Results {
    /// In memory, for a process alone.
    pub fn in_memory() -> Self {
        Self { store: Arc::new(InMemory::new()), folder: None, most: u64::MAX }
    }

    /// In a folder, which is made where there is none, or at `s3://bucket/prefix`, with what `environment` says of who may do so:
    /// `AWS_ACCESS_KEY_ID`, `AWS_SECRET_ACCESS_KEY`, `AWS_REGION`, `AWS_ENDPOINT_URL`, `AWS_ALLOW_HTTP`.
    ///
    /// # Errors
    /// A sentence where the folder cannot be made or written to, or the address is none.
    pub fn open(place: &str, most: u64, environment: impl Iterator<Item = (String, String)>) -> Result<Self, String> {
        if let Some(rest) = place.strip_prefix(S3) {
            let (bucket, prefix) = rest.split_once('/').unwrap_or((rest, ""));
            // Which cryptography it speaks with is the process's to say; said again it is the same.
            let _ = rustls::crypto::ring::default_provider().install_default();
            let known = environment.filter_map(|(name, value)| {
                let name = name.strip_prefix("AWS_").map(|_| name.to_ascii_lowercase())?;
                Some((name.parse::<AmazonS3ConfigKey>().ok()?, value))
            });
            let builder = known.fold(AmazonS3Builder::new(), |builder, (key, value)| builder.with_config(key, value));
            let built = builder.with_bucket_name(bucket).build();
            let store = built.map_err(|error| format!("the store of files at {place} cannot be used: {error}"))?;
            let prefix = Path::from(prefix);
            return Ok(Self { store: Arc::new(PrefixStore::new(store, prefix)), folder: None, most });
        }
        let wrong = |error: &dyn std::fmt::Display| format!("the folder {place} for files cannot be used: {error}");
        let folder = PathBuf::from(place);
        fs::create_dir_all(&folder).map_err(|error| wrong(&error))?;
        // Known before anybody waits for a file that cannot be put there.
        tempfile::tempfile_in(&folder).map_err(|error| wrong(&error))?;
        let store = LocalFileSystem::new_with_prefix(&folder).map_err(|error| wrong(&error))?;
        Ok(Self { store: Arc::new(store), folder: Some(folder), most })
    }

    /// Why nothing can be put there, as far as a look at its folder tells.
    pub fn trouble(&self) -> Option<String> {
        let folder = self.folder.as_ref()?;
        tempfile::tempfile_in(folder).err().map(|error| format!("nothing can be put into their folder: {error}"))
    }

    /// Puts a whole file there; nothing of it is there under its key before all is.
    ///
    /// # Errors
    /// What the store says.
    pub async fn put(&self, key: &str, file: File) -> Result<(), String> {
        let told = |error: object_store::Error| error.to_string();
        let (mut file, key) = (tokio::fs::File::from_std(file), Path::from(key));
        let first = part(&mut file).await?;
        if first.len() < PART {
            return self.store.put(&key, first.into()).await.map(drop).map_err(told);
        }
        let mut upload = self.store.put_multipart(&key).await.map_err(told)?;
        let mut next = first;
        let sent = loop {
            if next.is_empty() {
                break upload.complete().await.map(drop).map_err(told);
            }
            if let Err(error) = upload.put_part(next.into()).await {
                break Err(told(error));
            }
            match part(&mut file).await {
                Ok(more) => next = more,
                Err(why) => break Err(why),
            }
        };
        if sent.is_err() {
            // The first reason is the one to tell.
            let _ = upload.abort().await;
        }
        sent
    }

    /// How many bytes it has, and they.
    ///
    /// # Errors
    /// Where it is not there, or the store does not give it.
    pub async fn get(
        &self,
        key: &str,
    ) -> Result<(u64, impl futures_util::Stream<Item = std::io::Result<actix_web::web::Bytes>> + use<>), Unread> {
        let found = self.store.get(&Path::from(key)).await.map_err(|error| match error {
            object_store::Error::NotFound { .. } => Unread::Gone,
            other => Unread::Trouble(other.to_string()),
        })?;
        Ok((found.meta.size, found.into_stream().map_err(std::io::Error::other)))
    }

    /// Takes it away; what is not there is no trouble.
    pub async fn remove(&self, key: &str) {
        match self.store.delete(&Path::from(key)).await {
            Ok(()) | Err(object_store::Error::NotFound { .. }) => {}
            // It is found again as what nobody wants.
            Err(error) => tracing::warn!("{key} cannot be thrown away: {error}"),
        }
    }

    /// Throws away files of jobs, oldest first, until the rest fits.
    pub async fn fit(&self, pool: &PgPool) {
        match jobs::tidy(pool, i64::try_from(self.most).unwrap_or(i64::MAX)).await {
            Ok(keys) => {
                for key in keys {
                    self.remove(&key).await;
                }
            }
            // The next one that comes makes room as well.
            Err(error) => tracing::warn!("no room is made for files: {error}"),
        }
    }

    /// Keys of all that has lain there for long.
    ///
    /// # Errors
    /// What the store says.
    pub async fn old(&self) -> Result<Vec<String>, String> {
        let before = chrono::Utc::now() - STRAY;
        let all: Vec<_> = self.store.list(None).try_collect().await.map_err(|error| error.to_string())?;
        Ok(all.into_iter().filter(|it| it.last_modified < before).map(|it| it.location.to_string()).collect())
    }

    /// Takes away what was begun long ago and never came to be a file.
    pub fn tidy(&self) {
        let Some(folder) = &self.folder else { return };
        let Ok(entries) = fs::read_dir(folder) else { return };
        for entry in entries.filter_map(Result::ok) {
            let name = entry.file_name().to_string_lossy().into_owned();
            // The store lets half a file lie beside, with a number behind its name.
            let half = name.rsplit_once('#').is_some_and(|(_, number)| number.parse::<u32>().is_ok());
            let written = entry.metadata().and_then(|about| about.modified());
            let old = written.is_ok_and(|at| SystemTime::now().duration_since(at).is_ok_and(|age| age > STRAY));
            if half && old {
                let _ = fs::remove_file(entry.path());
            }
        }
    }
}

/// The next part of a file; a short one is the last.
async fn part(file: &mut tokio::fs::File) -> Result<Vec<u8>, String> {
    let mut part = Vec::with_capacity(PART);
    file.take(PART as u64).read_to_end(&mut part).await.map_err(|error| error.to_string())?;
    Ok(part)
}
