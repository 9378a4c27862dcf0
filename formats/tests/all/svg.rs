//! SVG: against kurbo's own path reader where both speak of the same thing, and refusals.

use crate::cases::cases;
use glam::DVec3;
use kurbo::{BezPath, ParamCurveArclen, Shape};
use proptest::prelude::*;
use zickzack_core::curve::{Curve, Segment, Strand};
use zickzack_formats::svg::{SvgError, read};

fn drawing(body: &str) -> String {
    format!("<svg xmlns=\"http://www.w3.org/2000/svg\" xmlns:xlink=\"http://www.w3.org/1999/xlink\">{body}</svg>")
}

fn curve(body: &str) -> Curve {
    let outlines = read(&drawing(body)).unwrap();
    let strands = outlines.into_iter().map(|outline| Strand::new(outline.segments, outline.closed).unwrap());
    Curve::new(strands.collect()).unwrap()
}

/// A path command with random numbers, absolute or relative, of every kind. Smooth commands follow one of
/// their own kind: after another kind kurbo reflects a control point that the standard does not.
fn command() -> impl Strategy<Value = String> {
    let n = -50.0..50.0f64;
    let two = (n.clone(), n.clone());
    prop_oneof![
        two.clone().prop_map(|(x, y)| format!("L{x} {y}")),
        two.clone().prop_map(|(x, y)| format!("l{x},{y}")),
        n.clone().prop_map(|x| format!("H{x}")),
        n.clone().prop_map(|x| format!("v{x}")),
        (two.clone(), two.clone(), two.clone())
            .prop_map(|(a, b, c)| format!("C{} {} {} {} {} {}", a.0, a.1, b.0, b.1, c.0, c.1)),
        (two.clone(), two.clone()).prop_map(|(a, b)| format!("c1 2 3 4 5 6s{} {} {} {}", a.0, a.1, b.0, b.1)),
        (two.clone(), two.clone()).prop_map(|(a, b)| format!("Q{} {} {} {}", a.0, a.1, b.0, b.1)),
        two.clone().prop_map(|(x, y)| format!("q4 3 2 1t{x} {y}")),
        (1.0..40.0f64, 1.0..40.0f64, 0.0..360.0f64, any::<bool>(), any::<bool>(), two).prop_map(
            |(rx, ry, turn, large, sweep, (x, y))| format!(
                "A{rx} {ry} {turn} {} {} {x} {y}",
                u8::from(large),
                u8::from(sweep)
            )
        ),
    ]
}

proptest! {
    #![proptest_config(cases(128))]

    #[test]
    fn every_path_command_gives_the_line_that_kurbo_gives(commands in prop::collection::vec(command(), 1..8), closes: bool) {
        let data = format!("M3 4 {}{}", commands.join(" "), if closes { " Z" } else { "" });
        let theirs = BezPath::from_svg(&data).unwrap();
        let ours = read(&drawing(&format!("<path d=\"{data}\"/>"))).unwrap();
        prop_assert_eq!(ours.len(), 1);
        let strand = Strand::new(ours[0].segments.clone(), false).unwrap();
        let length: f64 = theirs.segments().map(|segment| segment.arclen(1e-9)).sum();
        prop_assert!((strand.length() / length - 1.0).abs() < 1e-3, "{data}: {} {length}", strand.length());
        let (bounds, size) = (theirs.bounding_box(), 1e-3 * length);
        for i in 0..=200 {
            let p = strand.at(strand.length() * f64::from(i) / 200.0).point;
            prop_assert!(p.x >= bounds.x0 - size && p.x <= bounds.x1 + size && -p.y >= bounds.y0 - size && -p.y <= bounds.y1 + size);
        }
    }

    #[test]
    fn no_text_makes_reading_panic(text in "\\PC{0,120}", data in "[MLHVCSQTAZmlhvcsqtaz0-9 .,+-]{0,60}") {
        let _ = read(&text);
        let _ = read(&drawing(&format!("<path d=\"{data}\"/><rect width=\"{data}\" height=\"4\"/><g transform=\"{data}\"/>")));
    }
}

#[test]
fn basic_shapes_become_paths_of_the_right_length() {
    let tau = std::f64::consts::TAU;
    let cases = [
        ("<rect x='1' y='2' width='30' height='10'/>", 80.0),
        ("<rect width='30' height='10' rx='2'/>", 80.0 - 16.0 + 2.0 * tau),
        ("<circle cx='5' cy='5' r='7'/>", 7.0 * tau),
        ("<line x1='0' y1='0' x2='3' y2='4'/>", 5.0),
        ("<polyline points='0,0 3,4 3,10'/>", 11.0),
        ("<polygon points='0 0 3 4 3 0'/>", 12.0),
        ("<circle r='1mm'/>", tau * 96.0 / 25.4),
        ("<g transform='translate(4 5) rotate(30) scale(2)'><circle r='7'/></g>", 14.0 * tau),
        ("<g transform='scale(-3 3)'><circle r='1'/></g>", 3.0 * tau),
        ("<defs><path id='p' d='M0 0H5'/></defs><use href='#p' x='9'/><use xlink:href='#p'/>", 10.0),
    ];
    for (body, length) in cases {
        assert!((curve(body).length() / length - 1.0).abs() < 1e-9, "{body}: {}", curve(body).length());
    }
    // 4·a·E(e) of an ellipse with half axes 5 and 3, by a series that has converged to ten digits.
    let ellipse = curve("<ellipse rx='5' ry='3'/>").length();
    assert!((ellipse / 25.526_998_863_4 - 1.0).abs() < 1e-6, "{ellipse}");
}

#[test]
fn a_smooth_command_reflects_only_a_control_point_of_its_own_kind() {
    let same = |a: &str, b: &str| {
        let [a, b] = [a, b].map(|data| read(&drawing(&format!("<path d='{data}'/>"))).unwrap()[0].segments.clone());
        a == b
    };
    assert!(same("M0 0 C1 1 2 1 3 0 S5 -1 6 0", "M0 0 C1 1 2 1 3 0 C4 -1 5 -1 6 0"));
    assert!(same("M0 0 Q1 1 3 0 S5 -1 6 0", "M0 0 Q1 1 3 0 C3 0 5 -1 6 0"));
    assert!(same("M0 0 C1 1 2 1 3 0 T6 0", "M0 0 C1 1 2 1 3 0 Q3 0 6 0"));
    assert!(same("M0 0 Q1 1 3 0 T6 0", "M0 0 Q1 1 3 0 Q5 -1 6 0"));
}

#[test]
fn circles_stay_circular_arcs_and_y_points_up() {
    let outlines = read(&drawing("<path id='a' d='M0 0 A5 5 0 0 1 10 0'/><circle r='2'/>")).unwrap();
    let circular = |s: &Segment| matches!(s, Segment::Arc { .. });
    assert!(outlines.iter().all(|outline| outline.segments.iter().all(circular)));
    // Sweep 1 goes over the top of the page, which is up in the scene.
    let strand = Strand::new(outlines[0].segments.clone(), false).unwrap();
    let top = strand.at(strand.length() / 2.0).point;
    assert!(top.distance(DVec3::new(5.0, 5.0, 0.0)) < 1e-9, "{top}");
    assert_eq!(outlines[0].id, "a");
}

#[test]
fn what_cannot_be_ridden_on_says_why() {
    let deep = "<g>".repeat(200) + &"</g>".repeat(200);
    let loops = "<g id='a'><use href='#a'/><use href='#a'/></g>".to_owned();
    assert_eq!(read(""), Err(SvgError::Empty));
    assert!(matches!(read("<svg"), Err(SvgError::Xml(_))));
    assert_eq!(read("<html/>"), Err(SvgError::NotSvg));
    assert_eq!(read(&drawing("<text>hello</text>")), Err(SvgError::NoShapes));
    assert_eq!(read(&drawing(&deep)), Err(SvgError::TooDeep));
    assert_eq!(read(&drawing(&loops)), Err(SvgError::TooDeep));
    assert_eq!(read("<!DOCTYPE svg SYSTEM 'http://fair.example/x.dtd'><svg/>"), Err(SvgError::Outside));
    assert!(matches!(read(&drawing("<use href='other.svg#p'/>")), Err(SvgError::OutsideReference { line: 1, .. })));
    assert!(matches!(read(&drawing("<path d='M0 0 L'/>")), Err(SvgError::Element { .. })));
    assert!(matches!(read(&drawing("<circle r='50%'/>")), Err(SvgError::Element { .. })));
    assert!(matches!(read(&"x".repeat(9_000_000)), Err(SvgError::TooLarge(_))));
    // A reader that compares each of these with each other would take a minute.
    let many = |count: usize, name: &str| (0..count).map(|i| format!(" {name}{i}=\"1\"")).collect::<String>();
    let path = |more: &str| drawing(&format!("<path d='M0 0 L9 9'{more}/>"));
    assert_eq!(read(&path(&many(100_000, "a"))), Err(SvgError::TooManyAttributes));
    assert_eq!(read(&path(&many(20_000, "xmlns:a"))), Err(SvgError::TooManyNamespaces));
    assert_eq!(read(&path(&many(900, "a"))).unwrap().len(), 1);
    // What only looks like attributes is none.
    let hidden = format!("<!--{0}--><?other {0}?><style><![CDATA[<{0}]]></style>", many(5000, "a"));
    assert_eq!(read(&drawing(&format!("{hidden}<path d='M0 0 L9 9'/>"))).unwrap().len(), 1);
    assert_eq!(read(&path(&format!(" id='{}'", "=".repeat(5000)))).unwrap().len(), 1);
    let many = format!("<path d='M0 0{}'/>", "h1v1".repeat(30_000));
    assert_eq!(read(&drawing(&many)), Err(SvgError::TooManySegments));
}
