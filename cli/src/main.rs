//! draft
fn main() {}
