//! How things are said.

/// With a capital letter and a full stop.
pub fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    let first: String = letters.next().into_iter().flat_map(char::to_uppercase).collect();
    format!("{first}{}.", letters.as_str().trim_end_matches('.'))
}

/// So many of something: "1 thing", "2 things".
pub fn counted(number: usize, what: &str) -> String {
    format!("{number} {what}{}", if number == 1 { "" } else { "s" })
}
