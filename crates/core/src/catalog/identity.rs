//! What a library says of itself, as far as that shows which family it belongs to.

use super::role::Role;
use crate::path::{extension, same_name, stem};
use upright_spanner_image::{Facts, Version};

/// Extensions under which libraries are dropped into games.
pub const LIBRARY_EXTENSIONS: [&str; 3] = ["dll", "asi", "ocx"];

/// The family that a file belongs to: the name that its author gave it, without extension, version
/// or case, in letters, digits and `-`.
///
/// The author's name is the resource's `OriginalFilename`, else the name that the library was linked
/// under, else the resource's `InternalName`, else the file's own.
pub fn family_of(facts: &Facts, file_name: &str) -> String {
    let original = facts.string("OriginalFilename").filter(|name| is_library_name(name));
    let linked = || facts.export_name.as_deref().filter(|name| is_library_name(name));
    let internal = || facts.string("InternalName").filter(|name| is_plain_name(name));
    let name = original.or_else(linked).or_else(internal).unwrap_or(file_name);
    let id = slug(without_version(without_extension(name)));
    if id.is_empty() { slug(stem(file_name)) } else { id }
}

/// The role of a component, from the words in its own description; `None` where they say nothing.
pub fn role_of(facts: &Facts) -> Option<Role> {
    super::role::from_words(
        ["FileDescription", "ProductName", "Comments"].map(|key| facts.string(key)),
    )
}

/// The version that a file's name is keyed to: at least three numbers that are not the file's own
/// version, as in `extender-22.4.7.dll`.
pub fn keyed_to(facts: &Facts, file_name: &str) -> Option<Version> {
    let (before, version) = Version::find_in(stem(file_name), 3)?;
    let own = facts.version().is_some_and(|own| own.same_numbers(&version));
    (!before.is_empty() && !own).then_some(version)
}

/// The versions of at least three numbers that a file's descriptions hold and that are not its own,
/// each with the statement that holds it: an extender's may be that of the game.
pub fn stated_versions(facts: &Facts) -> Vec<(&'static str, Version)> {
    const STATEMENTS: [&str; 5] =
        ["FileDescription", "ProductName", "Comments", "SpecialBuild", "PrivateBuild"];
    let own = facts.version();
    let foreign = |version: &Version| {
        version.numbers().len() > 2 && own.as_ref().is_none_or(|own| !own.same_numbers(version))
    };
    let words = STATEMENTS.into_iter().flat_map(|key| {
        let text = facts.string(key).unwrap_or_default();
        text.split([' ', '(', ')', ',', ';']).map(move |word| (key, word))
    });
    words.filter_map(|(key, word)| Some((key, word.parse().ok().filter(foreign)?))).collect()
}

/// Whether two files could be builds of one thing: the same company, or one that names none.
pub fn companies_agree(a: &Facts, b: &Facts) -> bool {
    match (a.string("CompanyName"), b.string("CompanyName")) {
        (Some(a), Some(b)) => same_name(a, b),
        _ => true,
    }
}

/// The statements of identity in which two files differ: company, product, internal name. What one
/// of them does not state says nothing, and neither does a version inside a name.
pub fn identity_differences<'a>(
    a: &'a Facts,
    b: &'a Facts,
) -> Vec<(&'static str, &'a str, &'a str)> {
    let keys =
        [("company", "CompanyName"), ("product", "ProductName"), ("internal name", "InternalName")];
    let pairs = keys.into_iter().filter_map(|(what, key)| {
        let (a, b) = (a.string(key)?.trim(), b.string(key)?.trim());
        let plain = |name: &str| slug(without_version(without_extension(name)));
        (!a.is_empty() && !b.is_empty() && plain(a) != plain(b)).then_some((what, a, b))
    });
    pairs.collect()
}

fn is_library_name(name: &str) -> bool {
    is_plain_name(name) && LIBRARY_EXTENSIONS.contains(&extension(name).as_str())
}

/// A name and not a sentence or a left-over of a template.
fn is_plain_name(name: &str) -> bool {
    let plain = |c: char| c.is_alphanumeric() || "-_.+ ".contains(c);
    name.chars().count() <= 64 && name.chars().all(plain) && name.chars().any(char::is_alphanumeric)
}

fn without_extension(name: &str) -> &str {
    if is_library_name(name) { stem(name) } else { name }
}

/// Cuts a version of at least two numbers, and what follows it, off the end of a name.
fn without_version(name: &str) -> &str {
    match Version::find_in(name, 2) {
        Some((before, _)) if !before.is_empty() => before,
        _ => name,
    }
}

/// Lower case, with `-` for everything that is neither letter nor digit.
pub fn slug(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars().flat_map(char::to_lowercase) {
        if c.is_alphanumeric() {
            out.push(c);
        } else if !out.is_empty() && !out.ends_with('-') {
            out.push('-');
        }
    }
    out.trim_end_matches('-').to_owned()
}
