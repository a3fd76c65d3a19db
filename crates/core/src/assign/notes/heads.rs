//! What the columns of a parts list are headed by.

/// What a column says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Column {
    /// The number of a row.
    Item,
    /// What the part is called.
    Name,
    /// How many of it.
    Copies,
    /// What it is made of.
    Material,
    /// How thick.
    Thickness,
}

/// What columns are headed by, in three tongues.
const HEADS: [(Column, &[&str]); 5] = [
    (
        Column::Item,
        &[
            "item", "pos", "position", "nr", "no", "#", "rep", "rép", "repère", "mark", "find", "teil-nr", "item no", "pos nr", "n°",
            "part no",
        ],
    ),
    (
        Column::Copies,
        &[
            "qty",
            "quantity",
            "quant",
            "menge",
            "anzahl",
            "stück",
            "stk",
            "qté",
            "qte",
            "quantité",
            "nombre",
            "nb",
            "off",
            "no off",
            "req'd",
            "pcs",
            "ea",
            "stückzahl",
        ],
    ),
    (Column::Material, &["material", "werkstoff", "matière", "matériau", "mat", "mat'l", "stock"]),
    (Column::Thickness, &["thk", "thickness", "t", "dicke", "stärke", "ép", "ep", "épaisseur", "epaisseur"]),
    (
        Column::Name,
        &[
            "name",
            "description",
            "benennung",
            "bezeichnung",
            "désignation",
            "designation",
            "part",
            "part name",
            "title",
            "desc",
            "teil",
            "pièce",
        ],
    ),
];

/// What a word heads; `None` for others.
pub fn heads(value: &str) -> Option<Column> {
    let lower = value.to_lowercase();
    let bare = lower.split(['(', '[', '/']).next().unwrap_or_default();
    let bare = bare.trim_end_matches(" mm").replace(['.', ':'], "");
    let bare = bare.split_whitespace().collect::<Vec<_>>().join(" ");
    HEADS.iter().find(|(_, words)| words.contains(&bare.as_str())).map(|h| h.0)
}
