//! What was worked out frame by frame, as a file of the server's own: a check sum of the rest, the length of a JSON
//! header as u32, the header, then for each frame and thing ten little-endian f32.

use serde::{Deserialize, Serialize};
use std::sync::Arc;
use thiserror::Error;
use zickzack_core::motion::{Contact, Kept, Row, Take};

/// Why a file is none that can be used.
#[derive(Debug, Error)]
pub enum RecordingError {
    /// Damaged, or of something else.
    #[error("the file is damaged or no recording")]
    Damaged,
    /// The header cannot be read.
    #[error("the recording's header cannot be read: {0}")]
    Header(#[from] serde_json::Error),
}

const SUM: usize = 32;
const ROW: usize = 40;

#[derive(Serialize, Deserialize)]
struct Header {
    from: f64,
    scales: Vec<f64>,
    size: f64,
    facts: Vec<String>,
    frames: usize,
    /// The first frame of which nothing was worked out any more.
    apart: Option<usize>,
    /// By frame, where there are any.
    contacts: Vec<(usize, Vec<Contact>)>,
}

/// The bytes of a complete take.
pub fn written(take: &Take) -> Vec<u8> {
    let contacts = take.frames.iter().enumerate().filter(|(_, kept)| !kept.contacts.is_empty());
    let header = Header {
        from: take.from,
        scales: take.scales.to_vec(),
        size: take.size,
        facts: take.facts.clone(),
        frames: take.frames.len(),
        apart: take.frames.iter().position(|kept| !kept.sound),
        contacts: contacts.map(|(frame, kept)| (frame, kept.contacts.clone())).collect(),
    };
    let header = serde_json::to_vec(&header).unwrap_or_default();
    let rows = take.frames.iter().flat_map(|kept| &kept.rows[..]);
    let mut bytes = vec![0; SUM];
    bytes.reserve(4 + header.len() + ROW * take.frames.len() * take.scales.len());
    bytes.extend((header.len() as u32).to_le_bytes());
    bytes.extend(header);
    rows.flat_map(Row::numbers).for_each(|number| bytes.extend(number.to_le_bytes()));
    let sum = blake3::hash(&bytes[SUM..]);
    bytes[..SUM].copy_from_slice(sum.as_bytes());
    bytes
}

/// The take that was written.
///
/// # Errors
/// What is damaged, or of something else.
pub fn read(bytes: &[u8]) -> Result<Take, RecordingError> {
    let (sum, rest) = bytes.split_at_checked(SUM).ok_or(RecordingError::Damaged)?;
    if blake3::hash(rest).as_bytes()[..] != *sum {
        return Err(RecordingError::Damaged);
    }
    let (length, rest) = rest.split_first_chunk().ok_or(RecordingError::Damaged)?;
    let length = u32::from_le_bytes(*length) as usize;
    let (header, rows) = rest.split_at_checked(length).ok_or(RecordingError::Damaged)?;
    let header: Header = serde_json::from_slice(header)?;
    let things = header.scales.len();
    let wanted = header.frames.checked_mul(things).and_then(|rows| rows.checked_mul(ROW));
    if things == 0 || header.frames == 0 || wanted != Some(rows.len()) {
        return Err(RecordingError::Damaged);
    }
    let number = |bytes: &[u8], i: usize| f32::from_le_bytes([0, 1, 2, 3].map(|k| bytes[4 * i + k]));
    let row = |bytes: &[u8]| Row::from_numbers(std::array::from_fn(|i| number(bytes, i)));
    let mut contacts: std::collections::BTreeMap<usize, Vec<Contact>> = header.contacts.into_iter().collect();
    let frame = |(i, bytes): (usize, &[u8])| {
        Arc::new(Kept {
            rows: bytes.chunks_exact(ROW).map(row).collect(),
            contacts: contacts.remove(&i).unwrap_or_default(),
            sound: header.apart.is_none_or(|apart| i < apart),
        })
    };
    let frames = rows.chunks_exact(ROW * things).enumerate().map(frame).collect();
    Ok(Take::known(header.from, (header.scales.into(), header.size), header.facts, frames))
}
