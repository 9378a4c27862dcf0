//! Tables of places: what is written comes back, and anything else is refused with its row.

use glam::DVec3;
use proptest::prelude::*;
use zickzack_formats::table::{TableError, read};

proptest! {
    #[test]
    fn places_come_back_as_they_were_written(
        places in prop::collection::vec((-1e6..1e6f64, -1e6..1e6f64, -1e6..1e6f64), 1..50),
        separator in prop::sample::select(vec![",", ";", "\t", " ", ", "]),
        names in prop::bool::ANY,
    ) {
        let mut text = if names { format!("x{separator}y{separator}z\n") } else { String::new() };
        for (x, y, z) in &places {
            text += &format!("{x}{separator}{y}{separator}{z}\n\n");
        }
        let expected: Vec<DVec3> = places.into_iter().map(DVec3::from).collect();
        prop_assert_eq!(read(&text).unwrap(), expected);
    }

    #[test]
    fn any_text_is_read_or_refused_without_panic(text in "[0-9a-z.,; \n\t\"#-]{0,200}") {
        if let Ok(places) = read(&text) {
            prop_assert!(places.iter().all(|place| place.is_finite()));
        }
    }
}

#[test]
fn named_columns_are_found_wherever_they_stand() {
    let found = read("\u{feff}frame,\"Z\",x,y\n0,3,1,2\n1,6,4,5\n").unwrap();
    assert_eq!(found, [DVec3::new(1.0, 2.0, 3.0), DVec3::new(4.0, 5.0, 6.0)]);
}

#[test]
fn what_is_wrong_is_named_with_its_row() {
    assert_eq!(read("1,2,3\n4,five,6"), Err(TableError::NotANumber(2, "five".to_owned())));
    assert_eq!(read("1,2,3,4"), Err(TableError::Count(1, 4)));
    assert_eq!(read("x,y\n1"), Err(TableError::Count(2, 1)));
    assert_eq!(read("x,y,z\n"), Err(TableError::Empty));
    assert_eq!(read("1,2,NaN"), Err(TableError::NotANumber(1, "NaN".to_owned())));
}
