//! Words for materials, in three tongues.

/// Words for what sheets are of, and how a book of materials is likely to say it.
const STUFF: [(&str, &str); 62] = [
    ("ply", "ply"),
    ("plywood", "ply"),
    ("birch", "birch"),
    ("poplar", "poplar"),
    ("beech", "beech"),
    ("oak", "oak"),
    ("walnut", "walnut"),
    ("mdf", "mdf"),
    ("hardboard", "hardboard"),
    ("wood", "wood"),
    ("bamboo", "bamboo"),
    ("balsa", "balsa"),
    ("lime", "lime"),
    ("acrylic", "acrylic"),
    ("perspex", "acrylic"),
    ("plexi", "acrylic"),
    ("steel", "steel"),
    ("aluminium", "alumin"),
    ("aluminum", "alumin"),
    ("brass", "brass"),
    ("copper", "copper"),
    ("stainless", "stainless"),
    ("card", "card"),
    ("cardboard", "card"),
    ("paper", "paper"),
    ("leather", "leather"),
    ("felt", "felt"),
    ("cork", "cork"),
    ("slate", "slate"),
    ("sheet", "sheet"),
    ("sperrholz", "ply"),
    ("birke", "birch"),
    ("pappel", "poplar"),
    ("buche", "beech"),
    ("eiche", "oak"),
    ("acryl", "acrylic"),
    ("plexiglas", "acrylic"),
    ("stahl", "steel"),
    ("edelstahl", "stainless"),
    ("alu", "alumin"),
    ("messing", "brass"),
    ("kupfer", "copper"),
    ("pappe", "card"),
    ("karton", "card"),
    ("leder", "leather"),
    ("filz", "felt"),
    ("kork", "cork"),
    ("contreplaqué", "ply"),
    ("contreplaque", "ply"),
    ("bouleau", "birch"),
    ("peuplier", "poplar"),
    ("hêtre", "beech"),
    ("chêne", "oak"),
    ("acrylique", "acrylic"),
    ("acier", "steel"),
    ("inox", "stainless"),
    ("laiton", "brass"),
    ("cuivre", "copper"),
    ("carton", "card"),
    ("cuir", "leather"),
    ("feutre", "felt"),
    ("liège", "cork"),
];

/// What a word for a material is in the words of a book; none for other words, several for what some tongues write in one:
/// Birkensperrholz.
pub(super) fn stuffs(word: &str) -> Vec<&'static str> {
    let whole = STUFF.iter().find(|s| word == s.0 || word.strip_suffix('s') == Some(s.0));
    match whole {
        Some(s) => vec![s.1],
        None => STUFF.iter().filter(|s| s.0.chars().count() >= 5 && word.contains(s.0)).map(|s| s.1).collect(),
    }
}

/// Words that many materials go by.
pub(super) const COMMON: [&str; 3] = ["ply", "wood", "sheet"];

/// True for a word for what sheets are of.
pub(super) fn is_stuff(word: &str) -> bool {
    !stuffs(word).is_empty()
}
