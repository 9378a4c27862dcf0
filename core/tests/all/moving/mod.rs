//! Motions, and what changes them.

mod blocks;
mod compare;
mod crowd;
mod cut_off;
mod facing;
mod following;
mod impacts;
mod leaping;
mod lives;
mod ride;
mod riding;
mod staying;
mod touching;
