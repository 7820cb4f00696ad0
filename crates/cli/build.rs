//! The sample files are part of the program, so a change in them builds it anew.

fn main() {
    println!("cargo:rerun-if-changed=../../demo");
}
