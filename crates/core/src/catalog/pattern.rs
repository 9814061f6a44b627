//! Patterns of names: `*` for any text, `?` for one character, `[ab]` or `[a-f]` for one of several, `[!ab]`
//! for one of all others; without regard to case. Libraries for this make a machine of each pattern, and a
//! catalog of ten thousand families would take hundreds of megabytes for them.

use crate::path::fold;

/// The longest pattern: no one writes a longer one by hand, and time to compare grows with its length.
const LONGEST: usize = 1000;

/// A pattern, ready to be compared with.
#[derive(Debug, Clone)]
pub enum Pattern {
    /// A text alone.
    Text(Box<str>),
    /// A text with places that may be another.
    Pieces(Box<[Piece]>),
}

/// One place in a pattern.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Piece {
    /// This character.
    One(char),
    /// Any character.
    Any,
    /// Any text.
    Many,
    /// A character in one of these ranges, or in none of them.
    OneOf(Box<[(char, char)]>, bool),
}

impl Piece {
    fn takes(&self, c: char) -> bool {
        match self {
            Self::One(own) => *own == c,
            Self::Any => true,
            Self::Many => false,
            Self::OneOf(ranges, inside) => {
                ranges.iter().any(|(from, to)| (*from..=*to).contains(&c)) == *inside
            }
        }
    }
}

impl Pattern {
    /// Reads a pattern.
    ///
    /// # Errors
    /// The reason why it is not a valid pattern.
    pub fn new(text: &str) -> Result<Self, String> {
        let wrong = |what: &str| format!("`{text}` is not a valid pattern: {what}");
        if text.chars().count() > LONGEST {
            let start: String = text.chars().take(20).collect();
            return Err(format!(
                "`{start}...` is not a valid pattern: it is longer than {LONGEST} characters"
            ));
        }

        let folded = fold(text);
        if !folded.contains(['*', '?', '[', ']', '{', '}']) {
            return Ok(Self::Text(folded.into()));
        }
        let mut pieces = Vec::new();
        let mut rest = folded.chars();
        while let Some(c) = rest.next() {
            pieces.push(match c {
                // Several say no more than one.
                '*' if pieces.last() == Some(&Piece::Many) => continue,
                '*' => Piece::Many,
                '?' => Piece::Any,
                '[' => one_of(&mut rest).ok_or_else(|| wrong("a `[` without its `]`"))?,
                '{' | '}' => return Err(wrong("write a brace as `[{]` or `[}]`")),
                c => Piece::One(c),
            });
        }

        Ok(Self::Pieces(pieces.into()))
    }

    /// Whether a text is as the pattern says.
    pub fn is_match(&self, text: &str) -> bool {
        self.is_match_folded(&fold(text))
    }

    /// The same of a text without upper case.
    pub fn is_match_folded(&self, text: &str) -> bool {
        let pieces = match self {
            Self::Text(own) => return **own == *text,
            Self::Pieces(pieces) => pieces,
        };
        let (mut at, mut rest) = (0, text.chars());
        // The start of the last `*`, and the text that it has not consumed yet.
        let mut any = None;

        loop {
            if pieces.get(at) == Some(&Piece::Many) {
                at += 1;
                any = Some((at, rest.clone()));
                continue;
            }
            let next = rest.next();
            match (pieces.get(at), next) {
                (None, None) => return true,
                (Some(piece), Some(c)) if piece.takes(c) => at += 1,
                (_, None) => return false,
                _ => {
                    let Some((begin, untaken)) = &mut any else { return false };
                    untaken.next();
                    (at, rest) = (*begin, untaken.clone());
                }
            }
        }
    }
}

/// The set in brackets; the opening bracket is consumed already.
fn one_of(rest: &mut std::str::Chars<'_>) -> Option<Piece> {
    let mut ranges = Vec::new();
    let mut inside = true;
    if let Some(others) = rest.as_str().strip_prefix(['!', '^']) {
        (*rest, inside) = (others.chars(), false);
    }
    loop {
        let from = rest.next()?;
        // A `]` right after the opening bracket is a member.
        if from == ']' && !ranges.is_empty() {
            return Some(Piece::OneOf(ranges.into(), inside));
        }
        let to = match rest.as_str().strip_prefix('-') {
            Some(behind) if !behind.starts_with(']') => {
                rest.next();
                rest.next()?
            }
            _ => from,
        };
        ranges.push((from, to));
    }
}

/// A text as a pattern that matches it alone.
pub(super) fn escape(text: &str) -> String {
    let special = |c: char| "*?[]{}".contains(c);
    text.chars().fold(String::new(), |mut out, c| {
        if special(c) {
            out.extend(['[', c, ']']);
        } else {
            out.push(c);
        }
        out
    })
}
