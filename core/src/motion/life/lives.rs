//! Which life each thing has at a frame, in closed form: any frame is asked for by itself, without those before it.

/// A birth, once or in each loop.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Birth {
    /// Frame, from 0 up to the loop's length.
    pub frame: f64,
    /// Frames that the life lasts, at least 0.
    pub lasts: f64,
    /// Things have lives of one group only: those that look the same.
    pub group: u32,
}

/// A life at a frame.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Life {
    /// Which of the births it began with, by their number in the list that was given.
    pub birth: usize,
    /// The frame at which it began.
    pub from: f64,
    /// How many frames it lasts.
    pub lasts: f64,
    /// Loops after the first one in which it began.
    pub lap: i64,
}

/// Births of one group, and the things that take turns for them.
#[derive(Debug, Clone, PartialEq)]
struct Turns {
    /// In order of frames.
    births: Vec<u32>,
    /// Their frames.
    frames: Vec<f64>,
    /// The first of its things.
    first: usize,
    /// How many things take turns.
    things: usize,
}

/// When things are born, how long they live, and who has which life.
///
/// Where births repeat with the loop, life g of a group is its birth g mod n, ⌊g / n⌋ loops later. Things take turns: the
/// i-th of a group has every life g ≡ i (mod m), with the least m for which a thing's life is over before its next begins.
/// So what is born late in the loop lives on at its start, and nothing has to be worked out before it.
#[derive(Debug, Clone, PartialEq)]
pub struct Lives {
    births: Vec<Birth>,
    /// Frames of a loop.
    period: f64,
    /// Whether births repeat with the loop.
    again: bool,
    groups: Vec<Turns>,
    /// The group of each thing.
    group_of: Vec<u32>,
    /// The group of each birth, and which of that group's births it is.
    seats: Vec<(u32, u32)>,
}

impl Lives {
    /// Lives of these births; `again` where they repeat every `period` frames, which is more than 0.
    pub fn new(births: Vec<Birth>, period: f64, again: bool) -> Self {
        let mut order: Vec<u32> = (0..births.len() as u32).collect();
        order.sort_by(|&a, &b| births[a as usize].frame.total_cmp(&births[b as usize].frame).then(a.cmp(&b)));
        let most = births.iter().map(|birth| birth.group as usize + 1).max().unwrap_or(0);
        let mut sorted: Vec<Vec<u32>> = vec![Vec::new(); most];
        order.into_iter().for_each(|birth| sorted[births[birth as usize].group as usize].push(birth));
        let seats = vec![(0, 0); births.len()];
        let mut lives = Self { births, period, again, groups: Vec::new(), group_of: Vec::new(), seats };
        for births in sorted.into_iter().filter(|births| !births.is_empty()) {
            let group = lives.groups.len() as u32;
            births.iter().zip(0..).for_each(|(&birth, place)| lives.seats[birth as usize] = (group, place));
            let frames = births.iter().map(|&birth| lives.births[birth as usize].frame).collect();
            let mut turns = Turns { births, frames, first: lives.group_of.len(), things: 0 };
            turns.things = lives.fewest(&turns);
            lives.group_of.resize(turns.first + turns.things, group);
            lives.groups.push(turns);
        }
        lives
    }

    /// The same, where they take at most so many things.
    ///
    /// # Errors
    /// How many they would take where that is more.
    pub fn within(births: Vec<Birth>, period: f64, again: bool, most: usize) -> Result<Self, f64> {
        let longest = births.iter().map(|birth| birth.lasts).fold(0.0, f64::max);
        // In each loop that the longest lasts, and in the one that it begins in, all are born once.
        let loops = if again { (longest / period).floor() } else { 0.0 };
        let least = births.len() as f64 * loops;
        if least > most as f64 {
            return Err(least);
        }
        let lives = Self::new(births, period, again);
        if lives.things() > most { Err(lives.things() as f64) } else { Ok(lives) }
    }

    /// The fewest things that can take turns for the births of a group, at least one.
    fn fewest(&self, turns: &Turns) -> usize {
        // While a life lasts that many others begin, itself among them.
        let needs = |g: usize| {
            let birth = &self.births[turns.births[g] as usize];
            self.begun(turns, birth.frame + birth.lasts, false) - g as i64
        };
        let most = (0..turns.births.len()).map(needs).max().unwrap_or(0).max(1) as usize;
        if self.again { most } else { most.min(turns.births.len()) }
    }

    /// How many lives of a group have begun before a frame, or up to it where `by` is set, counted from the first of the
    /// loop at frame 0 on; less than 0 before it where births repeat.
    fn begun(&self, turns: &Turns, frame: f64, by: bool) -> i64 {
        let lap = if self.again { (frame / self.period).floor() } else { 0.0 };
        let within = frame - lap * self.period;
        let begun = turns.frames.partition_point(|&birth| birth < within || (by && birth == within));
        lap as i64 * turns.births.len() as i64 + begun as i64
    }

    /// How many things there are.
    pub fn things(&self) -> usize {
        self.group_of.len()
    }

    /// The births, as they were given.
    pub fn births(&self) -> &[Birth] {
        &self.births
    }

    /// Frames of a loop.
    pub const fn period(&self) -> f64 {
        self.period
    }

    /// True where births repeat with the loop.
    pub const fn again(&self) -> bool {
        self.again
    }

    /// Frames of the longest life.
    pub fn longest(&self) -> f64 {
        self.births.iter().map(|birth| birth.lasts).fold(0.0, f64::max)
    }

    /// Life g of a group.
    fn life(&self, turns: &Turns, g: i64) -> Life {
        let count = turns.births.len() as i64;
        let (lap, birth) = (g.div_euclid(count), turns.births[g.rem_euclid(count) as usize] as usize);
        let Birth { frame, lasts, .. } = self.births[birth];
        Life { birth, from: frame + lap as f64 * self.period, lasts, lap }
    }

    /// The life that a thing has at a frame, or had last; before its first, where births do not repeat, that one. And
    /// whether it lives: from the frame of its birth up to its end, that end not included.
    pub fn at(&self, thing: usize, frame: f64) -> (Life, bool) {
        self.looking().at(thing, frame)
    }

    /// Looks lives up one after the other: quicker where many are asked for at one frame.
    pub const fn looking(&self) -> Looking<'_> {
        Looking { lives: self, last: None }
    }

    /// Lives of a thing that begin in `from ..= to`, in order.
    pub fn begin(&self, thing: usize, from: f64, to: f64) -> impl Iterator<Item = Life> + '_ {
        let turns = &self.groups[self.group_of[thing] as usize];
        let (turn, things) = ((thing - turns.first) as i64, turns.things as i64);
        let (low, high) = (self.begun(turns, from, false), self.begun(turns, to, true));
        let first = low + (turn - low).rem_euclid(things);
        (first..high).step_by(things as usize).map(|g| self.life(turns, g))
    }

    /// The thing that has a birth's life of a loop.
    pub fn thing_of(&self, birth: usize, lap: i64) -> usize {
        let (group, place) = self.seats[birth];
        let turns = &self.groups[group as usize];
        let g = i64::from(place) + lap * turns.births.len() as i64;
        turns.first + g.rem_euclid(turns.things as i64) as usize
    }

    /// The thing that has, `loops` loops earlier, the life that this one has.
    pub fn partner(&self, thing: usize, loops: i64) -> usize {
        let turns = &self.groups[self.group_of[thing] as usize];
        if !self.again {
            return thing;
        }
        let turn = (thing - turns.first) as i64 - loops * turns.births.len() as i64;
        turns.first + turn.rem_euclid(turns.things as i64) as usize
    }

    /// How many are alive at a frame.
    pub fn alive(&self, frame: f64) -> usize {
        (0..self.things()).filter(|&thing| self.at(thing, frame).1).count()
    }

    /// The least and the most that are alive at a time within a loop.
    pub fn there(&self) -> (usize, usize) {
        let mut changes: Vec<(f64, i64)> = Vec::with_capacity(2 * self.births.len());
        for birth in &self.births {
            let end = birth.frame + birth.lasts;
            let end = if self.again { end - (end / self.period).floor() * self.period } else { end };
            changes.extend([(birth.frame, 1), (end, -1)]);
        }
        // What ends at a frame is no longer there when others begin.
        changes.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let mut now = self.alive(0.0) as i64;
        let (mut low, mut high) = (now, now);
        let within = changes.iter().filter(|(frame, _)| *frame > 0.0 && *frame < self.period);
        let mut last = 0.0;
        for &(frame, change) in within {
            if frame > last {
                (low, high) = (low.min(now), high.max(now));
                last = frame;
            }
            now += change;
        }
        (low.min(now).max(0) as usize, high.max(now).max(0) as usize)
    }

    /// One of the births whose lives a thing has.
    pub fn first_birth(&self, thing: usize) -> usize {
        self.groups[self.group_of[thing] as usize].births[0] as usize
    }

    /// The same births and lives, shared out so that each thing only has those of one group of these.
    pub fn grouped(&self, group: impl Fn(usize) -> u32) -> Self {
        let births = self.births.iter().enumerate().map(|(i, birth)| Birth { group: group(i), ..*birth }).collect();
        Self::new(births, self.period, self.again)
    }
}

/// Looks lives up and remembers what holds for all things of a group at a frame.
pub struct Looking<'a> {
    lives: &'a Lives,
    /// The group, the frame, and the last life that had begun by then.
    last: Option<(u32, f64, i64)>,
}

impl Looking<'_> {
    /// See [`Lives::at`].
    #[inline]
    pub fn at(&mut self, thing: usize, frame: f64) -> (Life, bool) {
        let Self { lives, last } = self;
        let group = lives.group_of[thing];
        let turns = &lives.groups[group as usize];
        let (turn, things) = ((thing - turns.first) as i64, turns.things as i64);
        let begun = match *last {
            Some((known, at, begun)) if known == group && at == frame => begun,
            _ => lives.begun(turns, frame, true) - 1,
        };
        *last = Some((group, frame, begun));
        let mut g = begun - (begun - turn).rem_euclid(things);
        if !lives.again && g < 0 {
            g = turn;
        }
        let life = lives.life(turns, g);
        (life, frame >= life.from && frame < life.from + life.lasts)
    }
}
