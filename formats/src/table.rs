//! Tables of places: CSV with two or three numbers a row.

use glam::DVec3;

/// Most rows.
pub const MOST_ROWS: usize = 20_000;
/// Farthest coordinate.
const FARTHEST: f64 = 1e9;

/// Why a text is no table of places.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TableError {
    #[error("it has no rows of numbers: each row needs x, y and z, with commas, semicolons, tabs or spaces between")]
    Empty,
    #[error("row {0} has {1} numbers: each row needs two or three, x, y and z")]
    Count(usize, usize),
    #[error("row {0}: \"{1}\" is not a number; write decimals with a point")]
    NotANumber(usize, String),
    #[error("it has more than {MOST_ROWS} rows: leave some out")]
    TooMany,
}

/// Reads the places. A first row without any number holds names: columns called x, y and z are taken in that
/// order wherever they stand, others left out. Empty rows and rows that begin with # are left out.
///
/// # Errors
/// What is empty, has rows of other lengths, words where numbers belong, or too many rows.
pub fn read(text: &str) -> Result<Vec<DVec3>, TableError> {
    let text = text.trim_start_matches('\u{feff}');
    let rows = text.lines().enumerate().map(|(index, row)| (index + 1, row.trim()));
    let mut rows = rows.filter(|(_, row)| !row.is_empty() && !row.starts_with('#')).peekable();
    let mut columns = None;
    if let Some((_, names)) = rows.next_if(|(_, row)| fields(row).iter().all(|field| number(field).is_none())) {
        let names: Vec<String> = fields(names).iter().map(|name| name.trim_matches('"').to_lowercase()).collect();
        let place = |wanted: &str| names.iter().position(|name| name == wanted);
        columns = place("x").zip(place("y")).map(|(x, y)| (x, y, place("z")));
    }
    let mut places = Vec::new();
    for (line, row) in rows {
        if places.len() == MOST_ROWS {
            return Err(TableError::TooMany);
        }
        let mut fields = fields(row);
        if let Some((x, y, z)) = columns {
            let count = fields.len();
            let chosen = [Some(x), Some(y), z].into_iter().flatten().map(|column| fields.get(column).copied());
            fields = chosen.collect::<Option<_>>().ok_or(TableError::Count(line, count))?;
        }
        let read =
            |field: &&str| number(field).ok_or_else(|| TableError::NotANumber(line, field.chars().take(40).collect()));
        let numbers: Vec<f64> = fields.iter().map(read).collect::<Result<_, _>>()?;
        places.push(match numbers[..] {
            [x, y] => DVec3::new(x, y, 0.0),
            [x, y, z] => DVec3::new(x, y, z),
            _ => return Err(TableError::Count(line, numbers.len())),
        });
    }
    if places.is_empty() { Err(TableError::Empty) } else { Ok(places) }
}

fn fields(row: &str) -> Vec<&str> {
    let separator = [';', '\t', ','].into_iter().find(|sign| row.contains(*sign));
    match separator {
        Some(sign) => row.split(sign).map(str::trim).collect(),
        None => row.split_whitespace().collect(),
    }
}

fn number(field: &str) -> Option<f64> {
    let number: f64 = field.trim_matches('"').parse().ok()?;
    (number.is_finite() && number.abs() <= FARTHEST).then_some(number)
}
