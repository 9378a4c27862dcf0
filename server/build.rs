//! The web's build is embedded, so the server is built anew when that changes.

fn main() {
    println!("cargo:rerun-if-changed=../web/dist");
    println!("cargo:rerun-if-changed=migrations");
}
