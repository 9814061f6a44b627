//! The identity that a library states, as far as it shows the family.

use super::role::Role;
use crate::path::{extension, same_name, stem};
use upright_spanner_image::system::can_be_stood_in;
use upright_spanner_image::{Facts, Version};

/// Extensions under which libraries are dropped into games.
pub const LIBRARY_EXTENSIONS: [&str; 3] = ["dll", "asi", "ocx"];

/// The family that a file belongs to: the name that its author gave it, without extension, version
/// or case, in letters, digits and `-`.
///
/// The author's name is the resource's `OriginalFilename`, else the name that the library was linked under, else the
/// resource's `InternalName`, else the name of the file. A file with the name of a Windows system library that is not
/// the system's own is named after its product.
pub fn family_of(facts: &Facts, file_name: &str) -> String {
    let original = facts.string("OriginalFilename").filter(|name| is_library_name(name));
    let linked = || facts.export_name.as_deref().filter(|name| is_library_name(name));
    let internal = || facts.string("InternalName").filter(|name| is_plain_name(name));
    let name = original.or_else(linked).or_else(internal).unwrap_or_else(|| stem(file_name));
    let is_entry = can_be_stood_in(name) || name == stem(file_name) && can_be_stood_in(file_name);
    let product = facts.string("ProductName").filter(|_| is_entry && !is_windows(facts));
    let id = match product.map(slug) {
        Some(product) if !product.is_empty() => product,
        _ => slug(without_version(without_extension(name))),
    };
    if id.is_empty() { slug(stem(file_name)) } else { id }
}

/// The role of a component, from the words in its own description; `None` if they say nothing.
pub fn role_of(facts: &Facts) -> Option<Role> {
    super::role::from_words(
        ["FileDescription", "ProductName", "Comments"].map(|key| facts.string(key)),
    )
}

/// The version of the game that a file's name is keyed to.
pub fn keyed_to(facts: &Facts, file_name: &str) -> Option<Version> {
    keyed_beside(facts.version().as_ref(), file_name)
}

/// The version that a name is keyed to, of something whose own version may be known: at least three numbers that
/// are not those of that version, as in `extender-22.4.7.dll`, or two with which it does not begin.
pub fn keyed_beside(own: Option<&Version>, file_name: &str) -> Option<Version> {
    let (before, version) = Version::find_in(stem(file_name), 2)?;
    let is_key = match version.numbers().len() {
        2 => own.is_some_and(|own| !own.begins_with(&version)),
        _ => own.is_none_or(|own| !own.same_numbers(&version)),
    };
    (!before.is_empty() && is_key).then_some(version)
}

/// Whether a library is by the maker of Windows.
pub fn is_windows(facts: &Facts) -> bool {
    let company = facts.string("CompanyName").unwrap_or_default();
    company.to_lowercase().contains("microsoft")
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
        (Some(a), Some(b)) => same_maker(a, b),
        _ => true,
    }
}

/// Whether two names are those of one maker, however spelled: with years or marks, with the form of the
/// company or without, in full or in short.
pub fn same_maker(a: &str, b: &str) -> bool {
    // Legal forms of companies, and words around a name in a copyright notice.
    const FORMS: [&str; 28] = [
        "ab",
        "ag",
        "all",
        "and",
        "bv",
        "by",
        "c",
        "co",
        "company",
        "copyright",
        "corp",
        "corporation",
        "gmbh",
        "inc",
        "incorporated",
        "kg",
        "limited",
        "llc",
        "ltd",
        "oy",
        "plc",
        "pty",
        "reserved",
        "rights",
        "sa",
        "sas",
        "srl",
        "the",
    ];
    let telling = |name: &str| {
        let words = words(name).into_iter().filter(|word| !FORMS.contains(&word.as_str()));
        words.collect::<Vec<String>>()
    };
    let (own, other) = (telling(a), telling(b));
    if own.is_empty() || other.is_empty() {
        return same_name(a.trim(), b.trim());
    }
    let is_in = |some: &[String], all: &[String]| some.iter().all(|word| all.contains(word));
    is_in(&own, &other) || is_in(&other, &own)
}

/// The words of a name in lower case, without marks and years.
fn words(name: &str) -> Vec<String> {
    let name = ["(c)", "(r)", "(tm)", "(C)", "(R)", "(TM)"]
        .iter()
        .fold(name.to_owned(), |name, mark| name.replace(mark, " "));
    let parts = name.split(|c: char| !c.is_alphanumeric()).map(str::to_lowercase);
    parts.filter(|word| !word.is_empty() && !is_year(word)).collect()
}

fn is_year(word: &str) -> bool {
    word.len() == 4 && word.parse().is_ok_and(|year: u16| (1980..2100).contains(&year))
}

/// The statements of identity in which two files differ: company, product, internal name. What one
/// of them does not state says nothing, and neither do a version, a year or a mark in a name.
pub fn identity_differences<'a>(
    a: &'a Facts,
    b: &'a Facts,
) -> Vec<(&'static str, &'a str, &'a str)> {
    let keys =
        [("company", "CompanyName"), ("product", "ProductName"), ("internal name", "InternalName")];
    let pairs = keys.into_iter().filter_map(|(what, key)| {
        let (own, other) = (a.string(key)?.trim(), b.string(key)?.trim());
        let agree = match key {
            "CompanyName" => same_maker(own, other),
            _ => plain(own) == plain(other),
        };
        (!own.is_empty() && !other.is_empty() && !agree).then_some((what, own, other))
    });
    pairs.collect()
}

/// A name without what changes from build to build: extension, version, years, marks, numbers, `The`.
fn plain(name: &str) -> Vec<String> {
    let mut words = words(without_version(without_extension(name)));
    words.retain(|word| word != "the" && !word.chars().all(|c| c.is_ascii_digit()));
    words
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
