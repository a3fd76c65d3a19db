//! What is wrong with the shop's data, as every page says it.

use std::sync::OnceLock;

static DAMAGE: OnceLock<String> = OnceLock::new();

/// Has every page say it.
pub fn tell(data: &std::path::Path, what: &str) {
    let folder = data.display();
    let words = format!(
        "The data of this shop in {folder} are damaged ({what}). It is open for reading only, and its machines are not spoken to. Copy that folder as it is before anything else; fetch programs and papers from the jobs' releases; then open the last good copy with --data, or make a new file of what can be read with sqlite3 shop.sqlite .recover."
    );
    eprintln!("boustrophe: {words}");
    let _ = DAMAGE.set(words);
}

/// What every page says.
pub fn told() -> Option<&'static str> {
    DAMAGE.get().map(String::as_str)
}
