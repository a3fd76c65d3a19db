//! Numbers in sentences.

/// `1 line`, `3 lines`.
pub fn counted(n: usize, one: &str, many: &str) -> String {
    if n == 1 { format!("1 {one}") } else { format!("{n} {many}") }
}
