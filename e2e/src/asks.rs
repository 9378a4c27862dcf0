//! Requests to a server, without a page.

use anyhow::{Context, Result, anyhow, ensure};
use bytes::Bytes;
use serde_json::Value;
use std::time::Duration;

/// How long an answer may take.
const PATIENCE: Duration = Duration::from_secs(120);

/// Requests to a server.
#[derive(Clone)]
pub struct Asks {
    /// Its address.
    pub base: String,
}

impl Asks {
    /// The answer as JSON; nothing of an empty one.
    ///
    /// # Errors
    /// Where it is no success.
    pub async fn ask(&self, method: &str, path: &str, body: Option<&Value>) -> Result<Value> {
        let bytes = self.bytes(method, path, body).await?;
        if bytes.is_empty() { Ok(Value::Null) } else { Ok(serde_json::from_slice(&bytes)?) }
    }

    /// What the server tells of itself by this name.
    ///
    /// # Errors
    /// Where it does not.
    pub async fn told(&self, name: &str) -> Result<f64> {
        let bytes = self.bytes("GET", "/metrics", None).await?;
        let text = String::from_utf8_lossy(&bytes);
        let line = text.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix(' '));
        Ok(line.with_context(|| format!("{name} is not told"))?.parse()?)
    }

    /// The answer as it is.
    ///
    /// # Errors
    /// Where it is no success.
    pub async fn bytes(&self, method: &str, path: &str, body: Option<&Value>) -> Result<Bytes> {
        let request = awc::Client::default()
            .request(method.parse()?, format!("{}{path}", self.base))
            .timeout(PATIENCE)
            .force_close();
        let sent = match body {
            Some(body) => request.send_json(body).await,
            None => request.send().await,
        };
        let mut answer = sent.map_err(|error| anyhow!("{method} {path}: {error}"))?;
        let bytes = answer.body().limit(256 << 20).await.map_err(|error| anyhow!("{method} {path}: {error}"))?;
        ensure!(
            answer.status().is_success(),
            "{method} {path}: {} {}",
            answer.status(),
            String::from_utf8_lossy(&bytes)
        );
        Ok(bytes)
    }

    /// Brings in a scene, and gives its number.
    ///
    /// # Errors
    /// Where it is refused.
    pub async fn bring_in(&self, scene: &Value) -> Result<String> {
        let made = self.ask("POST", "/api/scenes/bring-in", Some(scene)).await?;
        Ok(made["id"].as_str().context("no id")?.to_owned())
    }
}
