//! Formulas: the rules of GLSL against the same expressions in Rust, and every wrong text with its place.

use proptest::prelude::*;
use zickzack_core::formula::{FUNCTIONS, Formula, Inputs, MOST_LETTERS, Variable, Workspace};

fn value(text: &str) -> f64 {
    Formula::parse(text).unwrap_or_else(|error| panic!("{text}: {error}")).value(&Inputs::default())
}

/// An expression as text, and what it gives.
#[derive(Debug, Clone)]
struct Known {
    text: String,
    value: f64,
    /// How strongly its outermost sign binds; higher is stronger.
    binds: u8,
}

impl Known {
    fn in_brackets_unless(&self, binds: u8) -> String {
        if self.binds >= binds { self.text.clone() } else { format!("({})", self.text) }
    }
}

/// Expressions written with as few brackets as GLSL's order of signs allows.
fn known() -> impl Strategy<Value = Known> {
    let leaf = (0.0..20.0f64).prop_map(|value| Known { text: format!("{value:?}"), value, binds: 9 });
    leaf.prop_recursive(5, 40, 3, |inner| {
        let two = (inner.clone(), inner.clone());
        prop_oneof![
            (two.clone(), 0..4usize).prop_map(|((a, b), sign)| {
                let (name, binds) = [("+", 4), ("-", 4), ("*", 5), ("/", 5)][sign];
                let text = format!("{} {name} {}", a.in_brackets_unless(binds), b.in_brackets_unless(binds + 1));
                let value = match sign {
                    0 => a.value + b.value,
                    1 => a.value - b.value,
                    2 => a.value * b.value,
                    _ => a.value / b.value,
                };
                Known { text, value, binds }
            }),
            inner.clone().prop_map(|a| Known {
                text: format!("-{}", a.in_brackets_unless(6)),
                value: -a.value,
                binds: 6
            }),
            (two.clone(), inner.clone()).prop_map(|((a, b), c)| Known {
                text: format!("{} < {} ? {} : {}", a.in_brackets_unless(4), b.in_brackets_unless(4), c.text, a.text),
                value: if a.value < b.value { c.value } else { a.value },
                binds: 0,
            }),
            two.clone().prop_map(|(a, b)| Known {
                text: format!("mod({}, {})", a.text, b.text),
                value: a.value - b.value * (a.value / b.value).floor(),
                binds: 9,
            }),
            (two, inner).prop_map(|((a, b), c)| Known {
                text: format!("mix({}, {}, {})", a.text, b.text, c.text),
                value: a.value * (1.0 - c.value) + b.value * c.value,
                binds: 9,
            }),
        ]
    })
}

proptest! {
    #[test]
    fn an_expression_gives_what_it_gives_in_rust(known in known()) {
        prop_assume!(known.text.len() <= MOST_LETTERS);
        let depth = known.text.chars().fold((0_i32, 0), |(now, most), c| {
            let now = now + i32::from(c == '(') - i32::from(c == ')');
            (now, most.max(now))
        });
        prop_assume!(depth.1 <= 40);
        let found = value(&known.text);
        prop_assert!(found == known.value || found.is_nan() && known.value.is_nan(), "{} = {found}, not {}", known.text, known.value);
    }

    #[test]
    fn a_block_gives_what_its_values_give_one_by_one(frames in prop::collection::vec(-500.0..500.0f64, 1..400)) {
        let formula = Formula::parse("sin(frame * 0.1) + (fract(frame / 7.0) < 0.5 ? index : pow(abs(frame), 0.3))").unwrap();
        let mut together = vec![0.0; frames.len()];
        let inputs = Inputs::default().with(Variable::Index, 3.0);
        formula.evaluate(&inputs.with_each(Variable::Frame, &frames), &mut Workspace::default(), &mut together);
        for (frame, together) in frames.iter().zip(together) {
            prop_assert_eq!(formula.value(&inputs.with(Variable::Frame, *frame)), together);
        }
    }

    #[test]
    fn any_text_is_read_or_refused_within_it(text in "[a-z0-9+*/(),.?:<>=!&|^% 🎈-]{0,60}") {
        if let Err(error) = Formula::parse(&text) {
            prop_assert!(error.at <= text.chars().count() && error.length >= 1, "{error:?}");
            prop_assert!(error.message.ends_with('.') && !error.message.starts_with(char::is_lowercase) || error.message.contains(" is a function") || error.message.contains(" takes "), "{}", error.message);
        }
    }
}

/// GLSL ES 3.00, chapter 8: what each function gives at a place or two.
#[test]
fn functions_are_those_of_glsl() {
    let known = [
        ("fract(-1.25)", 0.75),
        ("mod(-1.0, 3.0)", 2.0),
        ("sign(-2.0)", -1.0),
        ("step(1.0, 1.0)", 1.0),
        ("smoothstep(0.0, 2.0, 1.0)", 0.5),
        ("clamp(5.0, 0.0, 1.0)", 1.0),
        ("mix(2.0, 4.0, 0.25)", 2.5),
        ("roundEven(2.5)", 2.0),
        ("trunc(-1.7)", -1.0),
        ("inversesqrt(4.0)", 0.5),
        ("exp2(3.0)", 8.0),
        ("log2(8.0)", 3.0),
        ("atan(1.0, -1.0)", 2.356_194_490_192_345),
        ("atan(1.0)", std::f64::consts::FRAC_PI_4),
        ("radians(180.0)", std::f64::consts::PI),
        ("degrees(pi)", 180.0),
        ("min(1.0, 2.0)", 1.0),
        ("max(1.0, 2.0)", 2.0),
        ("2 / 4", 0.5),
        ("7.f * 2", 14.0),
        ("1e2 - .5", 99.5),
        ("true && !false ? 1 : 2", 1.0),
        ("true ^^ true ? 1 : 2", 2.0),
        ("1 < 2 == true ? 3 : 4", 3.0),
        ("0 == 1 || 1 != 2 ? 5 : 6", 5.0),
    ];
    for (text, expected) in known {
        assert!((value(text) - expected).abs() < 1e-12, "{text} = {}", value(text));
    }
    for (name, function) in FUNCTIONS {
        let given = vec!["0.5"; function.takes()].join(", ");
        assert!(Formula::parse(&format!("{name}({given})")).is_ok(), "{name}");
    }
}

#[test]
fn what_is_wrong_is_marked_where_it_is() {
    let cases = [
        ("", 0, "empty"),
        ("1 +", 3, "ends too early"),
        ("sin(lop)", 4, "no \"lop\""),
        ("2 ^ 3", 2, "pow(x, y)"),
        ("7 % 2", 2, "mod(x, y)"),
        ("clamp(1, 2)", 0, "takes 3 numbers, and 2 are given"),
        ("sin", 0, "is a function"),
        ("blub(1)", 0, "no function"),
        ("1 < 2", 0, "yes or no"),
        ("1 ? 2 : 3", 0, "compare it"),
        ("🎈 + 1", 0, "cannot be read"),
        ("1,5", 1, "comma"),
        ("(1", 2, "ends too early"),
        ("1)", 1, "bracket"),
        ("frame = 2", 6, "=="),
    ];
    for (text, at, about) in cases {
        let error = Formula::parse(text).expect_err(text);
        assert!(error.at == at && error.message.contains(about), "{text}: {error:?}");
    }
    assert!(Formula::parse(&"(".repeat(900)).is_err() && Formula::parse(&"-".repeat(999)).is_err());
    assert_eq!(value(&format!("{}1.0", "-".repeat(996))), 1.0);
    assert!(Formula::parse(&"1+".repeat(600)).expect_err("too long").message.contains("1000"));
}

#[test]
fn what_is_asked_for_twice_is_asked_for_once() {
    let formula = Formula::parse("frame + frame * frame + dice").unwrap();
    assert_eq!(formula.uses(), [Variable::Frame, Variable::Dice]);
    assert_eq!(formula.asks_beyond(&[Variable::Frame]), Some(Variable::Dice));
}
