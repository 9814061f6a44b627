//! TOML: the parser gives the place of each key and value, and lines or the bytes of a value are exchanged.

use std::ops::Range;

use toml_edit::{Document, Item, Key, TableLike, Value};

use crate::syntax::{
    Entry, Fault, KeyPath, Result, Splice, Spot, Syntax, comment_above, is_bare, lines_around,
    new_line, without_all,
};

/// TOML, key by key.
pub(crate) struct Toml;

/// The deepest table of a path that the text has.
struct Deepest<'a> {
    table: &'a dyn TableLike,
    item: &'a Item,
    /// How many names of the path lead to it.
    depth: usize,
    /// How many of these have their own heading, or are written inline.
    around: usize,
}

fn parse(text: &str) -> Result<Document<&str>> {
    Document::parse(text).map_err(|error| {
        let what = error.to_string().lines().next().unwrap_or_default().to_owned();
        Fault::Malformed { format: "TOML", what }
    })
}

fn deepest<'a>(document: &'a Document<&str>, path: &KeyPath) -> Deepest<'a> {
    let root = document.as_item();
    let mut found = Deepest { table: document.as_table(), item: root, depth: 0, around: 0 };
    for (at, name) in path.around().iter().enumerate() {
        let Some(item) = found.table.get(name) else { break };
        let Some(table) = item.as_table_like() else { break };
        let depth = at + 1;
        let has_own =
            item.as_table().is_none_or(|table| !table.is_implicit() && !table.is_dotted());
        let around = if has_own { depth } else { found.around };
        found = Deepest { table, item, depth, around };
    }
    found
}

/// The end of the last value under a table's own heading, including inline tables and dotted keys.
fn last_value(table: &dyn TableLike) -> Option<usize> {
    let ends = table.iter().filter_map(|(_, item)| match item {
        Item::Value(value) => value.span().map(|span| span.end),
        Item::Table(inner) if inner.is_dotted() => last_value(inner),
        _ => None,
    });
    ends.max()
}

fn line_end_behind(text: &str, at: usize) -> usize {
    text[at..].find('\n').map_or(text.len(), |end| at + end + 1)
}

impl Syntax for Toml {
    fn find(&self, text: &str, path: &KeyPath) -> Result<Spot> {
        let document = parse(text)?;
        let deepest = deepest(&document, path);
        let absent = Spot::Absent { around: deepest.around };
        if deepest.depth < path.around().len() {
            return Ok(absent);
        }
        let value = deepest.table.get(path.key()).and_then(Item::as_value);
        Ok(value.and_then(Value::span).map_or(absent, Spot::Value))
    }

    fn put_in(&self, text: &str, path: &KeyPath, value: &str) -> Result<Splice> {
        let document = parse(text)?;
        let deepest = deepest(&document, path);
        let quoted = |name: &String| Key::new(name).to_string();
        let line = format!("{} = {value}", quoted(&path.key().to_owned()));
        let is_taken = deepest.table.contains_key(&path.names()[deepest.depth]);
        let is_inline = deepest.item.is_inline_table();
        if is_taken || is_inline {
            let what = format!("{path} cannot be added beside the present content");
            return Err(Fault::CannotHold(what));
        }

        let has_heading = deepest.around == deepest.depth;
        if deepest.depth == path.around().len() && has_heading {
            if let Some(end) = last_value(deepest.table) {
                return Ok(new_line(text, line_end_behind(text, end), &line));
            }
            let heading = deepest.item.as_table().and_then(toml_edit::Table::span);
            return Ok(match heading.filter(|_| deepest.depth > 0) {
                Some(heading) => new_line(text, line_end_behind(text, heading.start), &line),
                None => new_line(text, 0, &line),
            });
        }
        let heading: Vec<String> = path.around().iter().map(quoted).collect();
        Ok(new_line(text, text.len(), &format!("[{}]\n{line}", heading.join("."))))
    }

    fn take_out(&self, text: &str, path: &KeyPath, around: usize) -> Result<Vec<Splice>> {
        let document = parse(text)?;
        let deepest = deepest(&document, path);
        let Some((key, item)) = deepest.table.get_key_value(path.key()) else {
            return Ok(Vec::new());
        };
        let (Some(start), Some(end)) = (key.span(), item.span()) else { return Ok(Vec::new()) };
        if deepest.item.is_inline_table() {
            let what = format!("{path} cannot be taken out of a table in one line");
            return Err(Fault::CannotHold(what));
        }

        let mut lines = vec![lines_around(text, start.start..end.end)];
        let heading = deepest.item.as_table().and_then(toml_edit::Table::span);
        // Tables in it have their own headings.
        let stays = |(name, item): (&str, &Item)| {
            name != path.key() && item.as_table().is_none_or(toml_edit::Table::is_dotted)
        };
        let is_last = around < deepest.depth && !deepest.table.iter().any(stays);
        if let Some(heading) = heading.filter(|_| is_last && deepest.around == deepest.depth) {
            lines.push(heading_line(text, &heading));
        }
        Ok(without_all(text, lines))
    }

    fn entries(&self, text: &str) -> Result<Vec<Entry>> {
        let document = parse(text)?;
        let mut entries = Vec::new();
        collect(text, document.as_table(), &mut Vec::new(), &mut entries);
        entries.sort_by_key(|(at, _)| *at);
        Ok(entries.into_iter().map(|(_, entry)| entry).collect())
    }

    fn plain(&self, value: &str) -> String {
        let parsed = value.parse::<Value>().ok();
        parsed.as_ref().and_then(Value::as_str).unwrap_or(value).to_owned()
    }

    fn written(&self, plain: &str, like: Option<&str>) -> String {
        let like = like.and_then(|like| like.parse::<Value>().ok());
        let is_text = like.as_ref().is_some_and(Value::is_str);
        let is_value = || {
            is_bare(plain) && plain != "null" || like.is_some() && plain.parse::<Value>().is_ok()
        };
        if !is_text && is_value() { plain.to_owned() } else { Value::from(plain).to_string() }
    }
}

fn heading_line(text: &str, heading: &Range<usize>) -> Range<usize> {
    lines_around(text, heading.start..heading.start)
}

/// The values of a table and its sub-tables, with their positions.
fn collect(
    text: &str,
    table: &dyn TableLike,
    around: &mut Vec<String>,
    entries: &mut Vec<(usize, Entry)>,
) {
    for (name, item) in table.iter() {
        around.push(name.to_owned());
        if let Some(inner) = item.as_table_like() {
            collect(text, inner, around, entries);
        } else if let (Some(at), Some(path)) =
            (item.as_value().and_then(Value::span), KeyPath::new(around.iter().cloned()))
        {
            let comment = comment_above(text, at.start, &["#"]);
            entries
                .push((at.start, Entry { path, value: text[at.clone()].to_owned(), comment, at }));
        }
        around.pop();
    }
}
