//! Speed check: the neighbours of a flock, found in its grid and in a k-d tree by the same workers, and a whole step.
//! Run with `cargo bench -p zickzack-core`; prints ratios of the best times of one run.

use glam::{DVec3, Vec3};
use kiddo::{ImmutableKdTree, SquaredEuclidean};
use rayon::prelude::*;
use std::hint::black_box;
use std::num::NonZero;
use std::time::{Duration, Instant};
use zickzack_core::crowd::{
    Chase, Flock, FlockSetup, Grid, Level, Near, Rules, Scatter, ScatteredIn, Surroundings, Wind, WishesOverTime,
    scattered,
};
use zickzack_core::motion::{Cancel, record};
use zickzack_core::noise::LoopingNoise;
use zickzack_core::signal::Driven;

const SIGHT: f32 = 8.0;
const HEEDS: usize = 7;
const ROUNDS: usize = 5;
/// Sizes from side to side of a ball that holds a thousand.
const THOUSAND: f64 = 36.0;
const STEPS: usize = 5;

fn best(mut work: impl FnMut()) -> Duration {
    let one = |()| {
        let begun = Instant::now();
        work();
        begun.elapsed()
    };
    std::iter::repeat_n((), ROUNDS).map(one).min().unwrap_or_default()
}

fn flock(count: usize) -> Flock {
    let rules = Rules {
        sight: SIGHT,
        heeds: HEEDS,
        view: -1.0,
        apart: 3.0,
        closest: 0.0,
        ease: 10.0,
        speeds: (5.0, 20.0),
        reaction: 0.3,
        acceleration: 120.0,
        turning: 4.0,
        own_kind: false,
        level: Level::Free,
        seed: 5,
    };
    let setup = FlockSetup {
        rules,
        size: 1.0,
        steps: 1,
        from: 0.0,
        fps: 24.0,
        chase: Chase { in_turn: false, reach: f32::INFINITY, behind: 3.0, overtakes: true },
        tube: 3.0,
        wind: Wind { noise: LoopingNoise { seed: 5, size: 12.0, pace: 4.0, octaves: 1 }, frames: 96.0 },
        off: 4.0,
    };
    let of = Driven::Fixed;
    let wishes = WishesOverTime {
        separation: of(1.5),
        alignment: of(1.0),
        cohesion: of(1.0),
        kinds: of(0.0),
        others: of(0.0),
        along: of(0.0),
        pull: of(0.0),
        swirl: of(0.0),
        turbulence: of(0.0),
    };
    Flock::new(setup, wishes, Surroundings::default(), starts(count))
}

fn starts(count: usize) -> Vec<zickzack_core::crowd::Start> {
    let room = ScatteredIn {
        kind: Scatter::Ball,
        middle: DVec3::ZERO,
        extent: DVec3::splat(THOUSAND * libm::cbrt(count as f64 / 1000.0)),
        curve: None,
        radius: 0.0,
        surface: None,
    };
    scattered(count, &room, DVec3::X, 10.0, (Level::Free, 3))
}

fn by_grid(places: &[Vec3]) -> usize {
    let grid = Grid::of(places, SIGHT);
    let of = |found: &mut Vec<Near>, &me: &u32| {
        grid.nearest(places[me as usize], (SIGHT, HEEDS), |near| near.index != me, found);
        found.len()
    };
    grid.order().par_iter().with_min_len(128).map_init(Vec::new, of).sum()
}

fn by_tree(places: &[[f32; 3]]) -> usize {
    let tree: ImmutableKdTree<f32, 3> = ImmutableKdTree::new_from_slice(places);
    let most = NonZero::new(HEEDS + 1).unwrap_or(NonZero::<usize>::MIN);
    let of = |place: &[f32; 3]| {
        // Itself is the nearest.
        tree.nearest_n_within::<SquaredEuclidean>(place, SIGHT * SIGHT, most, true).len() - 1
    };
    places.par_iter().with_min_len(128).map(of).sum()
}

fn main() {
    let mut step_before = None;
    for count in [10_000, 100_000] {
        let places: Vec<Vec3> = starts(count).iter().map(|start| start.place.as_vec3()).collect();
        let rows: Vec<[f32; 3]> = places.iter().map(|place| place.to_array()).collect();
        let (of_grid, of_tree) = (by_grid(&places), by_tree(&rows));
        println!("{count} things, {of_grid} neighbours in the grid, {of_tree} in the tree");
        let grid = best(|| {
            black_box(by_grid(&places));
        });
        let tree = best(|| {
            black_box(by_tree(&rows));
        });
        let step = best(|| {
            let take = record(&mut flock(count), (0.0, STEPS + 1), &[], &Cancel::default(), &mut |_| ());
            drop(black_box(take));
        }) / STEPS as u32;
        let ratio = |a: Duration, b: Duration| a.as_secs_f64() / b.as_secs_f64();
        println!("  grid {grid:.1?}, tree {tree:.1?}: {:.2} times as fast", ratio(tree, grid));
        println!(
            "  a whole step {step:.1?}; with the tree's neighbours it would be {:.2} times as long",
            ratio(step + tree - grid, step)
        );
        if let Some(before) = step_before {
            println!("  ten times as many take {:.1} times as long", ratio(step, before));
        }
        let alone = rayon::ThreadPoolBuilder::new().num_threads(1).build().map(|pool| {
            pool.install(|| {
                best(|| {
                    black_box(by_grid(&places));
                })
            })
        });
        if let Ok(alone) = alone {
            println!("  one worker {alone:.1?}: all are {:.2} times as fast", ratio(alone, grid));
        }
        step_before = Some(step);
    }
}
