//! Which contacts of a track few keys keep.

use super::track::{Instant, Track};
use crate::motion::BreakKind;
use glam::DVec3;

/// Indices of the contacts after which the thing leaves by more than the tolerance before the next, and of those at which
/// a way that is straight before and after bends by more than that.
pub(super) fn kept_contacts(track: &Track, tolerance: f64) -> Vec<usize> {
    let is_contact = |instant: &Instant| instant.broken == Some(BreakKind::Contact);
    let contacts: Vec<usize> = (0..track.instants.len()).filter(|&i| is_contact(&track.instants[i])).collect();
    let last = track.instants.len() - 1;
    let ends = contacts.iter().skip(1).copied().chain([last]);
    let place = |i: usize| track.instants[i].left.pose.position;
    let away = |a: usize, b: usize| (place(a) - place(b)).abs().max_element() > tolerance;
    // In a corner several come one right after the other: how the way bends there is seen from farther away.
    let neighbour = |near: &mut dyn Iterator<Item = usize>, k: usize, end: usize| {
        let near: Vec<usize> = near.take(CORNER).collect();
        // What dies away at one place has none that is farther: the next one counts.
        let next = near.first().copied().unwrap_or(end);
        near.into_iter().find(|&i| away(i, contacts[k])).unwrap_or(next)
    };
    let before = |k: usize| neighbour(&mut contacts[..k].iter().rev().copied(), k, 0);
    let after = |k: usize| neighbour(&mut contacts[k + 1..].iter().copied(), k, last);
    let bends = |from: usize, at: usize, to: usize| {
        let [a, b, c] = [from, at, to].map(|i| &track.instants[i]);
        let part = (b.frame - a.frame) / (c.frame - a.frame);
        let chord = a.right.pose.position.lerp(c.left.pose.position, part);
        (b.right.pose.position - chord).abs().max_element() > tolerance
    };
    let kept = |&((k, &at), to): &((usize, &usize), usize)| {
        let (from, next) = (before(k), after(k));
        leaves(&track.instants[at..=to], tolerance) || (from < at && at < next && bends(from, at, next))
    };
    contacts.iter().enumerate().zip(ends).filter(kept).map(|((_, &at), _)| at).collect()
}

/// Most contacts on either side of one that may come at one place with it, in a corner.
const CORNER: usize = 8;

/// True when the flight bulges off the chord between its ends by more than the tolerance. Between
/// instants the bulge of the Hermite cubic counts too, for flights shorter than a quarter frame.
fn leaves(flight: &[Instant], tolerance: f64) -> bool {
    let (a, b) = (&flight[0], &flight[flight.len() - 1]);
    let length = b.frame - a.frame;
    let chord = |frame: f64| a.right.pose.position.lerp(b.left.pose.position, (frame - a.frame) / length);
    let middle = (a.right.velocity - b.left.velocity) * (length / 8.0);
    let bulge = |offset: DVec3| offset.abs().max_element() > tolerance;
    let whole_is_flight = flight.len() == 2;
    (whole_is_flight && bulge(middle))
        || flight.iter().any(|instant| bulge(instant.right.pose.position - chord(instant.frame)))
}
