//! The tables of node types in the page that describes documents.

use anyhow::{Context, Result, bail};
use zickzack_core::schema::{Drives, Param, Schema, Spaces, Values};

/// Between these lines of the page stands what is written from the node types; what stands around it is written by hand.
const FROM: &str = "<!-- from the node types -->";
const TO: &str = "<!-- to here -->";

/// The page with the tables of all node types as they are now: the list of them, and the section of each, to which what
/// is said there by hand is kept.
///
/// # Errors
/// Where the page has no list, or a type of the page is not known any more.
pub fn brought_up_to_date(page: &str, schemas: &[Schema]) -> Result<String> {
    let (before, rest) = page.split_once("\n## Nodes\n").context("the page has no part \"## Nodes\"")?;
    let (chapter, after) = rest.split_once("\n## ").context("nothing comes after the part \"## Nodes\"")?;
    let mut sections = chapter.split("\n### ");
    let list = sections.next().and_then(|list| list.split_once(TO)).map_or("", |(_, by_hand)| by_hand.trim_end());
    let (nodes, general): (Vec<&str>, Vec<&str>) = sections.partition(|section| is_type(heading(section)));
    if let Some(gone) = nodes.iter().find(|own| schemas.iter().all(|schema| heading(own) != schema.name)) {
        bail!("there is no node type \"{}\"", heading(gone));
    }
    let mut text = format!("{before}\n## Nodes\n\n{FROM}\n{}{TO}{list}\n", listed(schemas));
    for section in general {
        text += &format!("\n### {}\n", section.trim_end());
    }
    for schema in schemas {
        let own = nodes.iter().find(|section| heading(section) == schema.name);
        let by_hand = own.and_then(|section| section.split_once(TO)).map_or("", |(_, by_hand)| by_hand.trim());
        text += &format!("\n### {}\n{FROM}\n{}{TO}\n", schema.name, described(schema));
        if !by_hand.is_empty() {
            text += &format!("\n{by_hand}\n");
        }
    }
    Ok(format!("{text}\n## {after}"))
}

fn heading(section: &str) -> &str {
    section.lines().next().unwrap_or_default()
}

/// Types are written small, other headings are not.
fn is_type(heading: &str) -> bool {
    heading.starts_with(|letter: char| letter.is_ascii_lowercase())
}

fn listed(schemas: &[Schema]) -> String {
    let mut list = "| type | takes | gives |\n|---|---|---|\n".to_owned();
    for schema in schemas {
        let takes: Vec<String> =
            schema.inputs.iter().map(|port| format!("`{}` ({})", port.name, port.kind.name())).collect();
        let gives = schema.output.map_or("(handed off)", |kind| kind.name());
        list += &format!("| `{}` | {} | {gives} |\n", schema.name, takes.join(", "));
    }
    list
}

/// What a type does, what it takes, and a row for each of its parameters.
fn described(schema: &Schema) -> String {
    let mut text = format!("{}\n", schema.help);
    for port in &schema.inputs {
        let open = if port.optional { "; may be left open" } else { "" };
        text +=
            &format!("- port `{}` ({}{open}{}): {}\n", port.name, port.kind.name(), when(port.only_when), port.help);
    }
    if schema.params.is_empty() {
        return text;
    }
    text += "\n| parameter | default | meaning |\n|---|---|---|\n";
    for param in &schema.params {
        let default = param.values.default();
        text += &format!("| `{}` | `{default}` | {}{} |\n", param.name, param.help, more(param));
    }
    text
}

fn when(only_when: Option<(&str, &[&str])>) -> String {
    let Some((name, values)) = only_when else { return String::new() };
    let values: Vec<String> = values.iter().map(|value| format!("`{value}`")).collect();
    format!("; when `{name}` is {}", values.join(" or "))
}

/// What a parameter takes, and when it counts.
fn more(param: &Param) -> String {
    let mut more = takes(&param.values);
    more += &when(param.only_when);
    more += match param.spaces {
        Spaces::Both => "",
        Spaces::Deep => "; in deep scenes",
        Spaces::Flat => "; in flat scenes",
    };
    more += match param.drives {
        _ if !param.takes_formula() => "",
        Drives::Fixed => "",
        Drives::OverTime => "; T",
        Drives::PerThing => "; T, P",
    };
    let more = more.trim_start_matches("; ");
    let mut letters = more.chars();
    letters.next().map_or_else(String::new, |first| format!(" {}{}.", first.to_uppercase(), letters.as_str()))
}

fn takes(values: &Values) -> String {
    let range =
        |(min, max): (f64, f64), unit: &str| format!("{} to {} {unit}", plain(min), plain(max)).trim_end().to_owned();
    let words = |options: &[&str]| options.iter().map(|word| format!("`{word}`")).collect::<Vec<_>>().join(", ");
    match values {
        Values::Number { unit, min, max, .. } => range((*min, *max), unit.symbol()),
        Values::Whole { min, max, .. } => format!("a whole number, {min} to {max}"),
        Values::Fraction { unit, min, max, .. } => {
            format!("a fraction as text, {}", range((*min, *max), unit.symbol()))
        }
        Values::Choice { options, .. } => format!("one of {}", words(options)),
        Values::Several { options, .. } => format!("a list of some of {}", words(options)),
        Values::Flag { .. } => String::new(),
        Values::Vector { unit, .. } => match unit.symbol() {
            "" => "three numbers".to_owned(),
            unit => format!("three numbers in {unit}"),
        },
        Values::Points => r#"points in order, at least two, each `{ "id", "at": [x, y, z], "kind", "in", "out" }`"#.to_owned(),
        Values::MovedPoints => r#"points put elsewhere: `{ "id": "STRAND.POINT", "at": [x, y, z] }`, counted from 0"#.to_owned(),
        Values::PerThing { unit, min, max } => {
            format!("by number from 0: `{{ \"id\": \"3\", \"value\": 0.1 }}`, {}", range((*min, *max), unit.symbol()))
        }
        Values::Drawn { min, max, .. } => {
            format!("points `[part, number]` in order, parts from 0 to 1, numbers {}", range((*min, *max), ""))
        }
        Values::Looks { .. } => {
            r##"by number from 0: `{ "id": "3", "thing": "lantern", "letter": "Z", "colour": "#c8421a", "scale": 1.5 }`"##
                .to_owned()
        },
        Values::Asset { media } => format!("the name of a file in `assets`, `{media}`"),
        Values::Text { .. } => "a text".to_owned(),
        Values::Formula { .. } => "a formula as text".to_owned(),
        Values::Kinds { .. } => "a list of kinds".to_owned(),
        Values::Colour { .. } => "a colour as `#rrggbb`".to_owned(),
        Values::Keys => "a list of keys".to_owned(),
    }
}

/// With an exponent where there would be many zeros.
fn plain(number: f64) -> String {
    let size = number.abs();
    if size >= 1e6 || (size > 0.0 && size < 1e-3) { format!("{number:e}") } else { format!("{number}") }
}
