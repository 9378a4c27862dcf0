//! Colours: as `#rrggbb`, and as the light that they are, in which they are mixed (IEC 61966-2-1).

/// Red, green and blue, each from 0 to 1, by how much light they are.
pub type Light = [f64; 3];

/// How much light a colour `#rrggbb` is; nothing for another text.
pub fn light(colour: &str) -> Option<Light> {
    let digits = colour.strip_prefix('#').filter(|digits| digits.len() == 6 && digits.is_ascii())?;
    let mut light = [0.0; 3];
    for (i, part) in light.iter_mut().enumerate() {
        let level = f64::from(u8::from_str_radix(&digits[2 * i..2 * i + 2], 16).ok()?) / 255.0;
        *part = if level <= 0.04045 { level / 12.92 } else { libm::pow((level + 0.055) / 1.055, 2.4) };
    }
    Some(light)
}

/// The colour `#rrggbb` nearest to some light.
pub fn named(light: Light) -> String {
    let [red, green, blue] = light.map(|part| {
        let part = part.clamp(0.0, 1.0);
        let level = if part <= 0.003_130_8 { 12.92 * part } else { 1.055 * libm::pow(part, 1.0 / 2.4) - 0.055 };
        (255.0 * level).round() as u8
    });
    format!("#{red:02x}{green:02x}{blue:02x}")
}

/// So far on the way from one to another.
pub fn mixed(first: Light, last: Light, part: f64) -> Light {
    std::array::from_fn(|i| first[i] + (last[i] - first[i]) * part)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// A colour comes back from its light, and what lies between two lies between their lights.
        #[test]
        fn colours_come_back_from_their_light(levels: [u8; 3], other: [u8; 3], part in 0.0..=1.0f64) {
            let name = |[r, g, b]: [u8; 3]| format!("#{r:02x}{g:02x}{b:02x}");
            let (first, last) = (light(&name(levels)).unwrap(), light(&name(other)).unwrap());
            prop_assert_eq!(named(first), name(levels));
            let between = mixed(first, last, part);
            for i in 0..3 {
                prop_assert!(between[i] >= first[i].min(last[i]) - 1e-15 && between[i] <= first[i].max(last[i]) + 1e-15);
            }
        }

        /// Anything else is no colour.
        #[test]
        fn what_is_no_colour_is_none(text in "#?[0-9a-gé]{0,8}") {
            let fits = text.len() == 7 && text.starts_with('#') && text[1..].chars().all(|c| c.is_ascii_hexdigit());
            prop_assert_eq!(light(&text).is_some(), fits);
        }
    }
}
