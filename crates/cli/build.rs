//! Gives the program on Windows its version resource, its icon and its manifest.

use std::env;
use std::io;

fn main() -> io::Result<()> {
    println!("cargo::rerun-if-changed=build.rs");
    println!("cargo::rerun-if-changed=windows");
    if env::var("CARGO_CFG_TARGET_OS").as_deref() != Ok("windows") {
        return Ok(());
    }
    let mut resource = winresource::WindowsResource::new();
    resource
        .set("ProductName", "Upright Spanner")
        .set("CompanyName", "Upright Spanner")
        .set("FileDescription", "Looks after the drop-in runtime components of PC games")
        .set("OriginalFilename", "spanner.exe")
        .set("InternalName", "spanner")
        .set("LegalCopyright", "MIT or Apache-2.0")
        .set_icon("windows/spanner.ico")
        .set_manifest_file("windows/spanner.manifest");
    resource.compile()
}
