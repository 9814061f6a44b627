//! JSON, also as people write it: with comments and trailing commas. The parser gives the place of each value.

use std::ops::Range;

use jsonc_parser::ast::{Object, ObjectProp, Value};
use jsonc_parser::common::Ranged;
use jsonc_parser::{CollectOptions, CommentCollectionStrategy, ParseOptions, parse_to_ast};

use crate::syntax::{Entry, Fault, KeyPath, Result, Splice, Spot, Syntax, comment_above, is_bare};

/// JSON, key by key.
pub(crate) struct Json;

/// Deeper nesting is not a settings file, and would exhaust the parser's stack.
const DEEPEST: usize = 100;

/// The deepest object of a path that the text has.
struct Deepest<'a> {
    object: &'a Object<'a>,
    depth: usize,
}

fn fault(what: impl Into<String>) -> Fault {
    Fault::Malformed { format: "JSON", what: what.into() }
}

fn with_root<T>(text: &str, work: impl FnOnce(&Object<'_>) -> Result<T>) -> Result<T> {
    if depth(text) > DEEPEST {
        return Err(fault(format!("it is nested more than {DEEPEST} deep")));
    }
    let collect = CollectOptions { comments: CommentCollectionStrategy::Off, tokens: false };
    let parsed = parse_to_ast(text, &collect, &ParseOptions::default());
    match parsed.map_err(|error| fault(error.to_string()))?.value {
        Some(Value::Object(root)) => work(&root),
        _ => Err(fault("it is not one object with keys")),
    }
}

/// How deeply brackets are nested, those in texts and comments left out.
fn depth(text: &str) -> usize {
    let (mut deepest, mut depth) = (0_usize, 0_usize);
    let mut rest = text;
    while let Some(at) = rest.find(['"', '\'', '/', '{', '[', '}', ']']) {
        let c = rest.as_bytes()[at];
        rest = &rest[at + 1..];
        match c {
            b'"' | b'\'' => rest = behind_text(rest, char::from(c)),
            b'/' if rest.starts_with('/') => {
                rest = rest.split_once('\n').map_or("", |(_, rest)| rest);
            }
            b'/' if rest.starts_with('*') => {
                rest = rest[1..].split_once("*/").map_or("", |(_, rest)| rest);
            }
            b'{' | b'[' => {
                depth += 1;
                deepest = deepest.max(depth);
            }
            b'}' | b']' => depth = depth.saturating_sub(1),
            _ => {}
        }
    }
    deepest
}

/// What follows a text that has just begun.
fn behind_text(mut rest: &str, quote: char) -> &str {
    while let Some(at) = rest.find([quote, '\\']) {
        let is_escape = rest.as_bytes()[at] == b'\\';
        rest = &rest[at + 1..];
        if !is_escape {
            return rest;
        }
        let mut chars = rest.chars();
        chars.next();
        rest = chars.as_str();
    }
    ""
}

fn property<'a>(object: &'a Object<'a>, name: &str) -> Option<&'a ObjectProp<'a>> {
    // If a key is there twice, programs use the last.
    object.properties.iter().rev().find(|property| property.name.as_str() == name)
}

fn deepest<'a>(root: &'a Object<'a>, path: &KeyPath) -> Deepest<'a> {
    let mut found = Deepest { object: root, depth: 0 };
    for name in path.around() {
        let Some(Value::Object(object)) = property(found.object, name).map(|p| &p.value) else {
            break;
        };
        found = Deepest { object, depth: found.depth + 1 };
    }
    found
}

fn range(of: &impl Ranged) -> Range<usize> {
    of.start()..of.end()
}

fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

impl Syntax for Json {
    fn find(&self, text: &str, path: &KeyPath) -> Result<Spot> {
        with_root(text, |root| {
            let deepest = deepest(root, path);
            let absent = Spot::Absent { around: deepest.depth };
            if deepest.depth < path.around().len() {
                return Ok(absent);
            }
            let found = property(deepest.object, path.key());
            Ok(found.map_or(absent, |property| Spot::Value(range(&property.value))))
        })
    }

    fn put_in(&self, text: &str, path: &KeyPath, value: &str) -> Result<Splice> {
        with_root(text, |root| {
            let Deepest { object, depth } = deepest(root, path);
            if property(object, &path.names()[depth]).is_some() {
                let what = format!("{path} cannot be added beside the present content");
                return Err(Fault::CannotHold(what));
            }
            let (names, ends) = (&path.names()[depth..], path.names().len() - depth - 1);
            let names: Vec<String> =
                names.iter().map(|name| format!("{}: ", quoted(name))).collect();
            let new = format!("{}{value}{}", names.join("{"), "}".repeat(ends));
            Ok(match object.properties.last() {
                Some(last) => {
                    let at = last.start();
                    let blank = text[..at].len() - text[..at].trim_end().len();
                    // Behind a comment the blank does not tell how keys are set apart.
                    let blank = &text[at - blank..at];
                    Splice::insert(last.end(), format!(",{blank}{new}"))
                }
                None => Splice::insert(object.start() + 1, new),
            })
        })
    }

    fn take_out(&self, text: &str, path: &KeyPath, around: usize) -> Result<Vec<Splice>> {
        with_root(text, |root| {
            // The outermost that would be empty goes.
            let mut objects = vec![root];
            for name in path.around() {
                let last = objects[objects.len() - 1];
                let Some(Value::Object(object)) = property(last, name).map(|p| &p.value) else {
                    return Ok(Vec::new());
                };
                objects.push(object);
            }
            let mut depth = path.around().len();
            while depth > around && objects[depth].properties.len() == 1 {
                depth -= 1;
            }

            let object = objects[depth];
            let Some(goes) = property(object, &path.names()[depth]) else { return Ok(Vec::new()) };
            let at = object.properties.iter().position(|other| other.start() == goes.start());
            let at = at.unwrap_or_default();
            let before = at.checked_sub(1).map(|before| object.properties[before].end());
            let behind = object.properties.get(at + 1).map(ObjectProp::start);
            Ok(vec![Splice::remove(match (before, behind) {
                (Some(before), _) if text[before..goes.start()].trim() == "," => before..goes.end(),
                (_, Some(behind)) if text[goes.end()..behind].trim() == "," => goes.start()..behind,
                // Comments in between are kept, and one comma is removed.
                (Some(before), _) => {
                    let comma =
                        text[before..goes.start()].find(',').map_or(before, |at| before + at);
                    return Ok(vec![Splice::remove(comma..comma + 1), Splice::remove(range(goes))]);
                }
                (None, Some(behind)) => {
                    let comma = text[goes.end()..behind].find(',');
                    let comma = comma.map_or(goes.end(), |at| goes.end() + at);
                    return Ok(vec![Splice::remove(range(goes)), Splice::remove(comma..comma + 1)]);
                }
                (None, None) => {
                    let behind = &text[goes.end()..object.end() - 1];
                    let comma =
                        behind.trim_start().starts_with(',').then(|| behind.find(',')).flatten();
                    goes.start()..goes.end() + comma.map_or(0, |at| at + 1)
                }
            })])
        })
    }

    fn entries(&self, text: &str) -> Result<Vec<Entry>> {
        with_root(text, |root| {
            let mut entries = Vec::new();
            collect(text, root, &mut Vec::new(), &mut entries);
            Ok(entries)
        })
    }

    fn plain(&self, value: &str) -> String {
        serde_json::from_str::<String>(value).unwrap_or_else(|_| value.to_owned())
    }

    fn written(&self, plain: &str, like: Option<&str>) -> String {
        let is_text = like.is_some_and(|like| like.starts_with('"'));
        if !is_text && is_bare(plain) { plain.to_owned() } else { quoted(plain) }
    }
}

fn collect(text: &str, object: &Object<'_>, around: &mut Vec<String>, entries: &mut Vec<Entry>) {
    for property in &object.properties {
        around.push(property.name.as_str().to_owned());
        if let Value::Object(inner) = &property.value {
            collect(text, inner, around, entries);
        } else if let Some(path) = KeyPath::new(around.iter().cloned()) {
            let comment = comment_above(text, property.start(), &["//"]);
            let at = range(&property.value);
            entries.push(Entry { path, value: text[at.clone()].to_owned(), comment, at });
        }
        around.pop();
    }
}
