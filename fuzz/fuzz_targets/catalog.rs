//! Any text as a catalog file, as a layout, as a change log, as a version.
#![no_main]

use std::path::Path;

use libfuzzer_sys::fuzz_target;
use upright_spanner_core::catalog::parse;
use upright_spanner_core::rack::{LayoutFile, since};
use upright_spanner_core::version::Version;

fuzz_target!(|text: &str| {
    match parse(Path::new("catalog.toml"), text) {
        Ok(families) => assert!(families.iter().all(|family| !family.criteria.is_empty())),
        Err(error) => assert!(error.line >= 1 && error.line <= text.matches('\n').count() + 1),
    }
    if let Ok(layout) = LayoutFile::parse(Path::new("layout.toml"), text) {
        assert_eq!(LayoutFile::parse(Path::new("layout.toml"), &layout.to_text()), Ok(layout));
    }
    if let Ok(version) = text.parse::<Version>() {
        assert_eq!(version.to_string().parse::<Version>(), Ok(version.clone()));
        let said = since(text, &version, &version);
        assert!(said.is_none_or(|said| said.lines().count() <= text.lines().count()));
    }
});
