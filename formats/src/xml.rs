//! How much XML a reader is given: it compares every attribute of an element with every other, and every namespace with
//! all that hold at its place.

/// Most attributes of one element.
pub const MOST_ATTRIBUTES: usize = 1000;
/// Most declarations of namespaces in a file.
pub const MOST_NAMESPACES: usize = 1000;

/// What of a text is more than a reader takes in little time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TooMuch {
    /// One element has too many attributes.
    Attributes,
    /// There are too many declarations of namespaces.
    Namespaces,
}

/// Looks over a text without understanding it: what it counts is never less than what there is.
pub fn too_much(text: &str) -> Option<TooMuch> {
    if text.matches("xmlns").nth(MOST_NAMESPACES).is_some() {
        return Some(TooMuch::Namespaces);
    }
    let mut rest = text;
    while let Some(start) = rest.find('<') {
        rest = &rest[start..];
        let skips = [("<!--", "-->"), ("<![CDATA[", "]]>"), ("<?", "?>")];
        if let Some((begin, end)) = skips.iter().find(|(begin, _)| rest.starts_with(begin)) {
            let inside = &rest[begin.len()..];
            rest = inside.find(end).map_or("", |at| &inside[at + end.len()..]);
            continue;
        }
        let (mut quote, mut attributes, mut end) = (None, 0, rest.len());
        for (at, byte) in rest.bytes().enumerate() {
            match (quote, byte) {
                (Some(open), _) if byte == open => quote = None,
                (Some(_), _) => {}
                (None, b'"' | b'\'') => quote = Some(byte),
                (None, b'=') => attributes += 1,
                (None, b'>') => {
                    end = at + 1;
                    break;
                }
                (None, _) => {}
            }
        }
        if attributes > MOST_ATTRIBUTES {
            return Some(TooMuch::Attributes);
        }
        rest = &rest[end..];
    }
    None
}
