//! A page without a browser: what it says and hears over its live connection, and what it would show.

mod screen;

pub use screen::{Screen, baked};

use anyhow::{Result, anyhow, bail};
use awc::ws::{Codec, Frame, Message};
use awc::{BoxedSocket, Client};
use bytes::Bytes;
use futures_util::{SinkExt, StreamExt};
use serde_json::{Value, json};
use std::time::Duration;

/// What came over a live connection.
pub enum Heard {
    /// A message.
    Said(Value),
    /// A binary block: its header, and its numbers.
    Block(Value, Numbers),
}

/// A page's end of a live connection.
pub struct Live {
    socket: actix_codec::Framed<BoxedSocket, Codec>,
}

/// Largest message that a page takes, bytes.
const LARGEST: usize = 64 << 20;

impl Live {
    /// Connects to a scene of the server at `base` and says hello. It has to run where actix runs.
    pub async fn open(base: &str, scene: &str, client: &str) -> Result<Self> {
        let url = format!("{}/api/scenes/{scene}/live", base.replacen("http", "ws", 1));
        let connect = Client::default().ws(url).max_frame_size(LARGEST).connect();
        let (_, socket) = connect.await.map_err(|error| anyhow!("no live connection: {error}"))?;
        let mut live = Self { socket };
        live.say(&json!({ "kind": "hello", "client": client })).await?;
        Ok(live)
    }

    /// Says something.
    pub async fn say(&mut self, message: &Value) -> Result<()> {
        let sent = self.socket.send(Message::Text(message.to_string().into())).await;
        sent.map_err(|error| anyhow!("the connection broke: {error}"))
    }

    /// The next that comes; none within `patience`.
    pub async fn heard(&mut self, patience: Duration) -> Result<Option<Heard>> {
        let until = tokio::time::Instant::now() + patience;
        loop {
            let Ok(next) = tokio::time::timeout_at(until, self.socket.next()).await else { return Ok(None) };
            match next {
                Some(Ok(Frame::Text(text))) => return Ok(Some(Heard::Said(serde_json::from_slice(&text)?))),
                Some(Ok(Frame::Binary(bytes))) => return decoded(bytes).map(Some),
                Some(Ok(Frame::Ping(bytes))) => {
                    let sent = self.socket.send(Message::Pong(bytes)).await;
                    sent.map_err(|error| anyhow!("the connection broke: {error}"))?;
                }
                Some(Ok(Frame::Close(why))) => bail!("closed: {why:?}"),
                Some(Ok(_)) => {}
                Some(Err(error)) => bail!("the connection broke: {error}"),
                None => bail!("the connection ended"),
            }
        }
    }
}

/// The numbers of a block as they came: most are never looked at.
pub struct Numbers(Bytes);

impl Numbers {
    /// All of them.
    pub fn all(&self) -> Vec<f32> {
        let number = |part: &[u8]| part.iter().rev().fold(0_u32, |bits, &byte| bits << 8 | u32::from(byte));
        self.0.chunks_exact(4).map(|part| f32::from_bits(number(part))).collect()
    }
}

fn decoded(mut bytes: Bytes) -> Result<Heard> {
    let cut = || anyhow!("a block that is cut off");
    let length = bytes.get(..4).ok_or_else(cut)?.try_into().map(u32::from_le_bytes)? as usize;
    let header = serde_json::from_slice(bytes.get(4..4 + length).ok_or_else(cut)?)?;
    Ok(Heard::Block(header, Numbers(bytes.split_off(4 + length))))
}
