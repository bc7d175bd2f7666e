//! Sets `has_browser` if the tests of report pages can run; without it they are listed as ignored.

use std::env;

fn main() {
    println!("cargo::rerun-if-changed=build.rs");
    println!("cargo::rerun-if-env-changed=PATH");
    println!("cargo::rustc-check-cfg=cfg(has_browser)");
    let path = env::var_os("PATH").unwrap_or_default();
    let is_there = |name: &str| env::split_paths(&path).any(|folder| folder.join(name).is_file());
    if is_there("chromium") && is_there("chromedriver") {
        println!("cargo::rustc-cfg=has_browser");
    }
}
