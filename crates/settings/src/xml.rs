//! XML: attributes, and elements that hold nothing but text. The parser gives the place of each.

use std::collections::{HashMap, HashSet};
use std::ops::Range;

use roxmltree::{Document, Node, ParsingOptions};

use crate::syntax::{Entry, Fault, KeyPath, Result, Splice, Spot, Syntax};

/// XML, key by key.
pub(crate) struct Xml;

/// So many elements and texts a settings file has at most: a larger one is not edited by anyone.
const MOST_NODES: u32 = 200_000;

/// Deeper nesting is not a settings file.
const DEEPEST: usize = 100;

/// Attributes by which people tell elements of one name apart.
const NAMING: [&str; 3] = ["name", "key", "id"];

fn parse(text: &str) -> Result<Document<'_>> {
    // The parser takes more of the stack with each level.
    if depth(text) > DEEPEST {
        return Err(too_deep());
    }
    let options = ParsingOptions { allow_dtd: false, nodes_limit: MOST_NODES };
    Document::parse_with_options(text, options)
        .map_err(|error| Fault::Malformed { format: "XML", what: error.to_string() })
}

fn too_deep() -> Fault {
    Fault::Malformed { format: "XML", what: format!("it is nested more than {DEEPEST} deep") }
}

/// How deeply elements are nested, what looks like them in comments and attributes left out.
fn depth(text: &str) -> usize {
    let (mut deepest, mut depth) = (0_usize, 0_usize);
    let mut rest = text;
    while let Some((_, tag)) = rest.split_once('<') {
        let skipped = [("!--", "-->"), ("![CDATA[", "]]>"), ("?", "?>")].into_iter().find_map(
            |(start, end)| {
                let inner = tag.strip_prefix(start)?;
                Some(inner.split_once(end).map_or("", |(_, rest)| rest))
            },
        );
        if let Some(behind) = skipped {
            rest = behind;
            continue;
        }
        let mut quote = None;
        let ends = |c: char| match quote {
            Some(open) => {
                if c == open {
                    quote = None;
                }
                false
            }
            None if matches!(c, '"' | '\'') => {
                quote = Some(c);
                false
            }
            None => c == '>',
        };
        let Some(end) = tag.find(ends) else { break };
        if tag.starts_with('/') {
            depth = depth.saturating_sub(1);
        } else if !tag[..end].ends_with('/') {
            depth += 1;
            deepest = deepest.max(depth);
        }
        rest = &tag[end + 1..];
    }
    deepest
}

/// One name of a path: of an element, with what tells it from others of that name.
struct Step<'a> {
    name: &'a str,
    nth: usize,
    attribute: Option<(&'a str, &'a str)>,
}

impl<'a> Step<'a> {
    fn of(text: &'a str) -> Self {
        let plain = Self { name: text, nth: 1, attribute: None };
        let Some((name, inner)) = text.strip_suffix(']').and_then(|text| text.split_once('['))
        else {
            return plain;
        };
        match (inner.parse(), inner.split_once('=')) {
            (Ok(nth), _) => Self { name, nth, attribute: None },
            (_, Some(attribute)) => Self { name, nth: 1, attribute: Some(attribute) },
            _ => plain,
        }
    }

    fn names(&self, node: Node<'_, '_>) -> bool {
        let has = |(key, value): (&str, &str)| node.attribute(key) == Some(value);
        node.has_tag_name(self.name) && self.attribute.is_none_or(has)
    }

    fn child<'d, 'i>(&self, node: Node<'d, 'i>) -> Option<Node<'d, 'i>> {
        node.children().filter(|child| self.names(*child)).nth(self.nth.saturating_sub(1))
    }

    /// The start of an element of this name.
    fn opening(&self) -> String {
        match self.attribute {
            Some((key, value)) => format!("{} {key}=\"{}\"", self.name, escaped(value)),
            None => self.name.to_owned(),
        }
    }
}

/// The deepest element of a path that a text has.
struct Deepest<'d, 'i> {
    node: Node<'d, 'i>,
    depth: usize,
}

fn deepest<'d, 'i>(document: &'d Document<'i>, names: &[String]) -> Deepest<'d, 'i> {
    let mut found = Deepest { node: document.root(), depth: 0 };
    for name in names {
        let Some(node) = Step::of(name).child(found.node) else { break };
        found = Deepest { node, depth: found.depth + 1 };
    }
    found
}

/// The names of the elements of a path, and the attribute at its end, if it ends with one.
fn split(path: &KeyPath) -> (&[String], Option<&str>) {
    match path.key().strip_prefix('@') {
        Some(attribute) => (path.around(), Some(attribute)),
        None => (path.names(), None),
    }
}

/// If the text of an element is written: between its tags, if it has two.
fn inner(text: &str, node: Node<'_, '_>) -> Option<Range<usize>> {
    let all = node.range();
    if text[..all.end].ends_with("/>") {
        return None;
    }
    let end = text[..all.end].rfind("</")?;
    let start = node.first_child().map_or(end, |child| child.range().start);
    Some(start..end)
}

/// Whether an element holds text alone.
fn is_leaf(node: Node<'_, '_>) -> bool {
    node.children().all(|child| child.is_text())
}

/// Whether an element contains nothing but the child that leads to a key, and the attributes that a path selects it
/// by.
fn is_all(node: Node<'_, '_>, step: &Step<'_>) -> bool {
    let children = node.children().filter(|child| !is_blank(*child)).count();
    children == 1 && is_bare(node, step, 0)
}

/// Whether an element has no attributes except those that a path selects it by, and `more` others.
fn is_bare(node: Node<'_, '_>, step: &Step<'_>, more: usize) -> bool {
    node.attributes().len() == usize::from(step.attribute.is_some()) + more
}

fn is_blank(node: Node<'_, '_>) -> bool {
    node.is_text() && node.text().is_none_or(|text| text.trim().is_empty())
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// The position for another attribute of an element.
fn behind_attributes(text: &str, node: Node<'_, '_>) -> usize {
    let start = node.range().start;
    let name = |text: &str| text.find(|c: char| c.is_whitespace() || matches!(c, '>' | '/'));
    let name = name(&text[start..]).map_or(start, |len| start + len);
    node.attributes().next_back().map_or(name, |attribute| attribute.range().end)
}

/// What takes an element out, with the blanks that set it apart from the one before.
fn element_out(text: &str, node: Node<'_, '_>) -> Splice {
    let at = node.range();
    let before = node.prev_sibling_element().map(|before| before.range().end);
    let start = before.filter(|before| text[*before..at.start].trim().is_empty());
    Splice::remove(start.unwrap_or(at.start)..at.end)
}

impl Syntax for Xml {
    fn find(&self, text: &str, path: &KeyPath) -> Result<Spot> {
        let document = parse(text)?;
        let (names, attribute) = split(path);
        let Deepest { node, depth } = deepest(&document, names);
        let absent = Spot::Absent { around: depth };
        if depth < names.len() {
            return Ok(absent);
        }
        let at = match attribute {
            Some(name) => node.attribute_node(name).map(|attribute| attribute.range_value()),
            None if is_leaf(node) => inner(text, node),
            None => None,
        };
        Ok(at.map_or(absent, Spot::Value))
    }

    fn put_in(&self, text: &str, path: &KeyPath, value: &str) -> Result<Splice> {
        let document = parse(text)?;
        let (names, attribute) = split(path);
        let Deepest { node, depth } = deepest(&document, names);
        let cannot =
            || Fault::CannotHold(format!("{path} cannot be added beside the present content"));
        let is_closed = text[..node.range().end].ends_with("/>");
        if depth == names.len() {
            return match attribute {
                Some(name) => {
                    let at = behind_attributes(text, node);
                    Ok(Splice::insert(at, format!(" {name}=\"{value}\"")))
                }
                None if is_closed && !node.is_root() => {
                    let end = node.range().end;
                    let name = Step::of(path.key()).name;
                    Ok(Splice { at: end - 2..end, with: format!(">{value}</{name}>") })
                }
                None => Err(cannot()),
            };
        }
        if depth == 0 || is_closed {
            return Err(cannot());
        }

        let missing: Vec<Step<'_>> = names[depth..].iter().map(|name| Step::of(name)).collect();
        let (last, outer) = missing.split_last().ok_or_else(cannot)?;
        let mut new = match attribute {
            Some(name) => format!("<{} {name}=\"{value}\"/>", last.opening()),
            None => format!("<{}>{value}</{}>", last.opening(), last.name),
        };
        for step in outer.iter().rev() {
            new = format!("<{}>{new}</{}>", step.opening(), step.name);
        }
        match (node.last_element_child(), inner(text, node)) {
            (Some(last), _) => {
                let at = last.range();
                let blank = text[..at.start].len() - text[..at.start].trim_end().len();
                let blank = &text[at.start - blank..at.start];
                Ok(Splice::insert(at.end, format!("{blank}{new}")))
            }
            (None, Some(inner)) => Ok(Splice::insert(inner.start, new)),
            (None, None) => Err(cannot()),
        }
    }

    fn take_out(&self, text: &str, path: &KeyPath, around: usize) -> Result<Vec<Splice>> {
        let document = parse(text)?;
        let (names, attribute) = split(path);
        let Deepest { mut node, depth } = deepest(&document, names);
        if depth < names.len() {
            return Ok(Vec::new());
        }
        let step = |depth: usize| Step::of(&names[depth - 1]);
        let end = node.range().end;
        let out = match attribute {
            Some(name) => {
                let Some(own) = node.attribute_node(name) else { return Ok(Vec::new()) };
                let start = text[..own.range().start].trim_end().len();
                let is_all = node.children().next().is_none() && is_bare(node, &step(depth), 1);
                if depth <= around || !is_all {
                    return Ok(vec![Splice::remove(start..own.range().end)]);
                }
                depth
            }
            None if around >= depth => {
                let Some(inner) = inner(text, node) else { return Ok(Vec::new()) };
                return Ok(vec![Splice { at: inner.start - 1..end, with: "/>".to_owned() }]);
            }
            None => depth,
        };

        for depth in (around + 1..out).rev() {
            let Some(parent) = node.parent_element().filter(|p| is_all(*p, &step(depth))) else {
                break;
            };
            node = parent;
        }
        Ok(vec![element_out(text, node)])
    }

    fn entries(&self, text: &str) -> Result<Vec<Entry>> {
        let document = parse(text)?;
        let mut entries = Vec::new();
        let root = document.root_element();
        collect(text, root, &mut vec![root.tag_name().name().to_owned()], &mut entries);
        Ok(entries)
    }

    fn plain(&self, value: &str) -> String {
        let wrapped = format!("<v>{value}</v>");
        let parsed = Document::parse(&wrapped).ok();
        let text = parsed.and_then(|parsed| parsed.root_element().text().map(str::to_owned));
        text.unwrap_or_default()
    }

    fn written(&self, plain: &str, _: Option<&str>) -> String {
        escaped(plain)
    }
}

/// The keys of an element and of those in it.
fn collect(text: &str, node: Node<'_, '_>, around: &mut Vec<String>, entries: &mut Vec<Entry>) {
    let comment = comment_before(node);
    let told_by = around.last().map(|name| Step::of(name)).and_then(|step| step.attribute);
    let told_by = told_by.map(|(key, _)| key.to_owned());
    let mut enter = |names: Vec<String>, at: Range<usize>| {
        if let Some(path) = KeyPath::new(names) {
            entries.push(Entry {
                path,
                value: text[at.clone()].to_owned(),
                comment: comment.clone(),
                at,
            });
        }
    };
    for attribute in node.attributes().filter(|attribute| attribute.namespace().is_none()) {
        if told_by.as_deref() != Some(attribute.name()) {
            let names = around.iter().cloned().chain([format!("@{}", attribute.name())]);
            enter(names.collect(), attribute.range_value());
        }
    }
    // Blanks alone only set the tags apart.
    let is_value = |at: &Range<usize>| at.is_empty() || !text[at.clone()].trim().is_empty();
    if let Some(at) = inner(text, node).filter(|at| is_leaf(node) && is_value(at)) {
        enter(around.clone(), at);
    }

    for (name, child) in told_apart(node) {
        around.push(name);
        collect(text, child, around, entries);
        around.pop();
    }
}

/// The elements in an element, each with a name that tells it from the others.
fn told_apart<'d, 'i>(node: Node<'d, 'i>) -> Vec<(String, Node<'d, 'i>)> {
    let mut by_name: HashMap<&str, Vec<Node<'d, 'i>>> = HashMap::new();
    let children: Vec<Node<'d, 'i>> = node.children().filter(Node::is_element).collect();
    for child in &children {
        by_name.entry(child.tag_name().name()).or_default().push(*child);
    }
    let mut names = HashMap::new();
    for (name, twins) in by_name {
        let tells = |key: &&&str| {
            let values: HashSet<_> =
                twins.iter().filter_map(|twin| twin.attribute(**key)).collect();
            let are_plain =
                values.iter().all(|value| !value.contains([']', '\n', '\r']) && !value.is_empty());
            values.len() == twins.len() && are_plain
        };
        let key = NAMING.iter().find(tells);
        for (at, twin) in twins.iter().enumerate() {
            let told = key.and_then(|key| Some(format!("{name}[{key}={}]", twin.attribute(*key)?)));
            let told = told.unwrap_or_else(|| {
                if at == 0 { name.to_owned() } else { format!("{name}[{}]", at + 1) }
            });
            names.insert(twin.id(), told);
        }
    }
    children.into_iter().filter_map(|child| Some((names.remove(&child.id())?, child))).collect()
}

/// The comment right before an element.
fn comment_before(node: Node<'_, '_>) -> String {
    let before = node.prev_siblings().skip(1).find(|before| !is_blank(*before));
    let comment = before.filter(Node::is_comment).and_then(|comment| comment.text());
    comment.unwrap_or_default().split_whitespace().collect::<Vec<_>>().join(" ")
}
