//! Recordings as files.

use glam::{DVec3, Quat, Vec3};
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::motion::{Contact, Kept, Row, Take};
use zickzack_formats::recording::{read, written};

fn contact(object: usize, frame: f64) -> Contact {
    let v = DVec3::new(frame, 0.1, 1.0 / 3.0);
    let (speed_in, speed_out) = (frame * 0.7, 0.3);
    Contact {
        object,
        other: "ground".to_owned(),
        frame,
        place: v,
        middle: v * 2.0,
        normal: DVec3::Y,
        impulse: v,
        speed_in,
        speed_out,
    }
}

fn take(things: usize, frames: usize, apart: usize, seed: f32) -> Take {
    let row = |frame: usize, object: usize| {
        let x = (frame * things + object) as f32 * seed;
        Row::new(Vec3::new(x, -x, 0.1 * x), Quat::from_rotation_y(x), Vec3::splat(x / 3.0))
    };
    let frame = |frame: usize| {
        Arc::new(Kept {
            rows: (0..things).map(|object| row(frame, object)).collect(),
            contacts: (0..frame % 3).map(|i| contact(i % things, frame as f64 - 1.0 / (i + 2) as f64)).collect(),
            sound: frame < apart,
        })
    };
    let scales = (0..things).map(|i| 1.0 + i as f64 / 3.0).collect();
    Take::known(-3.25, (scales, 0.7), vec!["4 steps a frame".to_owned()], (0..frames).map(frame).collect())
}

proptest! {
    #[test]
    fn what_was_written_is_read_as_the_same_bits(things in 1usize..6, frames in 1usize..9, apart in 0usize..12, seed in -9.0..9.0f32) {
        let kept = take(things, frames, apart, seed);
        let back = read(&written(&kept)).unwrap();
        prop_assert_eq!(&back.frames, &kept.frames);
        prop_assert_eq!((&back.scales, back.size), (&kept.scales, kept.size));
        prop_assert_eq!((back.from, back.of, &back.facts), (kept.from, kept.of, &kept.facts));
        prop_assert!(back.is_complete());
    }

    #[test]
    fn what_is_damaged_is_refused(at in 0usize..2000, bit in 0u8..8, cut in 0usize..2000) {
        let bytes = written(&take(3, 5, 9, 0.7));
        let mut flipped = bytes.clone();
        let at = at % bytes.len();
        flipped[at] ^= 1 << bit;
        prop_assert!(read(&flipped).is_err());
        prop_assert!(read(&bytes[..cut % bytes.len()]).is_err());
    }
}
