//! The version that a log states, to describe the log.

use std::path::Path;

use super::log::LogFile;
use super::report::Names;
use crate::catalog::Family;
use crate::path::stem;
use upright_spanner_image::{Facts, Version};

/// The line of a log that states a version of a library, and the version.
///
/// # Errors
/// If the log cannot be read.
pub(crate) fn stated_in(
    log: &Path,
    facts: &Facts,
    file_name: &str,
    family: &Family,
) -> std::io::Result<Option<(String, String)>> {
    let mut file = LogFile::named(log)?;
    let known = [facts.version(), facts.product_version()];
    let known: Vec<Version> = known.into_iter().flatten().collect();
    let product = facts.string("ProductName");
    let names =
        [&*family.id, stem(file_name)].into_iter().chain(product).chain(family.title.as_deref());
    let names = Names::new(names);
    let name = log.file_name().unwrap_or_default().to_string_lossy();
    let is_own = names.are_in(&name);
    let said = file.search(None, |lines| {
        names.said_in(lines, is_own, &known).filter(|said| said.version.is_some())
    });
    Ok(said.and_then(|said| Some((said.line?, said.version?))))
}
