//! DXF R2000 (AC1015) with lines and arcs in millimetres.

use boustrophe_core::geometry::Path;
use std::fmt::Write;

/// A layer of the file: its name, indexed colour, and the paths on it.
pub struct WriteLayer<'a> {
    /// Name.
    pub name: &'a str,
    /// Indexed colour, 1 to 255.
    pub colour: u8,
    /// What lies on it.
    pub paths: Vec<Path>,
}

struct Out {
    text: String,
    handle: u32,
    /// Of the block that entities go to.
    owner: String,
}

impl Out {
    fn put(&mut self, code: i32, value: impl std::fmt::Display) {
        let _ = writeln!(self.text, "{code}\n{value}");
    }
    fn handle(&mut self) -> String {
        self.handle += 1;
        format!("{:X}", self.handle)
    }
    fn entity(&mut self, kind: &str, layer: &str, class: &str) {
        let handle = self.handle();
        self.put(0, kind);
        self.put(5, handle);
        let owner = self.owner.clone();
        self.put(330, owner);
        self.put(100, "AcDbEntity");
        self.put(8, layer);
        self.put(100, class);
    }
}

// Fixed handles of the frame; entities follow from 0x100 on.
const MODEL_SPACE: &str = "1F";
const PAPER_SPACE: &str = "1E";

/// A part that lies on the sheet in copies: a block of the file.
pub struct WriteBlock<'a> {
    /// What it is called.
    pub name: String,
    /// Its lines by layer, as it is drawn.
    pub layers: Vec<WriteLayer<'a>>,
    /// Where its copies lie: x, y, turned by so many degrees, mirrored in x before that.
    pub copies: Vec<(f64, f64, f64, bool)>,
}

/// The file: every path on its layer; circles as CIRCLE, everything else as LWPOLYLINE with bulges.
pub fn write(layers: &[WriteLayer]) -> String {
    write_with(layers, &[])
}

/// The same with parts as blocks and their copies as references to these. `layers` names all layers that are used.
pub fn write_with(layers: &[WriteLayer], parts: &[WriteBlock]) -> String {
    let mut o = Out { text: String::new(), handle: 0xff, owner: MODEL_SPACE.into() };
    header(&mut o);
    let names: Vec<(String, String)> = parts.iter().enumerate().map(|(i, p)| (o.handle(), block_name(i, &p.name))).collect();
    tables(&mut o, layers, &names);
    blocks(&mut o, parts, &names);
    o.put(0, "SECTION");
    o.put(2, "ENTITIES");
    for (part, (_, name)) in parts.iter().zip(&names) {
        for (x, y, degrees, mirrored) in &part.copies {
            o.entity("INSERT", "0", "AcDbBlockReference");
            o.put(2, name);
            for (code, value) in [(10, *x), (20, *y), (30, 0.0), (41, if *mirrored { -1.0 } else { 1.0 }), (42, 1.0), (43, 1.0)] {
                o.put(code, format!("{value:.9}"));
            }
            o.put(50, format!("{degrees:.10}"));
        }
    }
    for layer in layers {
        for path in layer.paths.iter().filter(|p| !p.segments.is_empty()) {
            entity(&mut o, layer.name, path);
        }
    }
    o.put(0, "ENDSEC");
    objects(&mut o);
    o.put(0, "EOF");
    o.text
}

fn entity(o: &mut Out, layer: &str, path: &Path) {
    if let Some((x, y, r)) = full_circle(path) {
        o.entity("CIRCLE", layer, "AcDbCircle");
        o.put(10, format!("{x:.7}"));
        o.put(20, format!("{y:.7}"));
        o.put(30, "0.0");
        o.put(40, format!("{r:.7}"));
        return;
    }
    o.entity("LWPOLYLINE", layer, "AcDbPolyline");
    o.put(90, path.segments.len() + usize::from(!path.closed));
    o.put(70, i32::from(path.closed));
    o.put(43, "0.0");
    for s in &path.segments {
        o.put(10, format!("{:.7}", s.start.x));
        o.put(20, format!("{:.7}", s.start.y));
        if !s.is_line() {
            o.put(42, format!("{:.12}", s.bulge));
        }
    }
    if let Some(last) = path.segments.last().filter(|_| !path.closed) {
        o.put(10, format!("{:.7}", last.end.x));
        o.put(20, format!("{:.7}", last.end.y));
    }
}

/// Centre and radius when the path is one circle of two half arcs.
fn full_circle(path: &Path) -> Option<(f64, f64, f64)> {
    let [a, b] = path.segments.as_slice() else { return None };
    let halves = (a.bulge.abs() - 1.0).abs() < 1e-9 && (a.bulge - b.bulge).abs() < 1e-9;
    (path.closed && halves).then(|| (a.center().x, a.center().y, a.radius()))
}

fn header(o: &mut Out) {
    o.put(0, "SECTION");
    o.put(2, "HEADER");
    for (name, code, value) in [
        ("$ACADVER", 1, "AC1015"),
        ("$DWGCODEPAGE", 3, "ANSI_1252"),
        ("$INSUNITS", 70, "4"),
        ("$MEASUREMENT", 70, "1"),
        ("$HANDSEED", 5, "FFFFFF"),
    ] {
        o.put(9, name);
        o.put(code, value);
    }
    o.put(0, "ENDSEC");
}

fn table(o: &mut Out, name: &str, handle: &str, entries: usize) {
    o.put(0, "TABLE");
    o.put(2, name);
    o.put(5, handle);
    o.put(330, "0");
    o.put(100, "AcDbSymbolTable");
    o.put(70, entries);
}

/// Tables of symbols: their word, their own handle, and the class of their records.
const TABLES: [(&str, &str, &str); 6] = [
    ("LTYPE", "5", "AcDbLinetypeTableRecord"),
    ("LAYER", "2", "AcDbLayerTableRecord"),
    ("STYLE", "3", "AcDbTextStyleTableRecord"),
    ("APPID", "9", "AcDbRegAppTableRecord"),
    ("DIMSTYLE", "A", "AcDbDimStyleTableRecord"),
    ("BLOCK_RECORD", "1", "AcDbBlockTableRecord"),
];

/// The head of a record in one of the tables of symbols.
fn record(o: &mut Out, kind: &str, handle: &str, name: &str) {
    let (_, owner, class) = TABLES.into_iter().find(|t| t.0 == kind).unwrap_or((kind, "0", ""));
    o.put(0, kind);
    o.put(if kind == "DIMSTYLE" { 105 } else { 5 }, handle);
    o.put(330, owner);
    o.put(100, "AcDbSymbolTableRecord");
    o.put(100, class);
    o.put(2, name);
}

/// Letters, digits and underscores, told apart by a number.
fn block_name(i: usize, name: &str) -> String {
    let clean: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).take(40).collect();
    format!("PART_{}_{clean}", i + 1)
}

fn tables(o: &mut Out, layers: &[WriteLayer], parts: &[(String, String)]) {
    o.put(0, "SECTION");
    o.put(2, "TABLES");
    table(o, "VPORT", "8", 0);
    o.put(0, "ENDTAB");
    table(o, "LTYPE", "5", 3);
    for (handle, name) in [("14", "ByBlock"), ("15", "ByLayer"), ("16", "Continuous")] {
        record(o, "LTYPE", handle, name);
        o.put(70, 0);
        o.put(3, "");
        o.put(72, 65);
        o.put(73, 0);
        o.put(40, "0.0");
    }
    o.put(0, "ENDTAB");
    table(o, "LAYER", "2", layers.len() + 1);
    for (name, colour) in std::iter::once(("0", 7)).chain(layers.iter().map(|l| (l.name, l.colour))) {
        let handle = if name == "0" { "10".to_owned() } else { o.handle() };
        record(o, "LAYER", &handle, name);
        o.put(70, 0);
        o.put(62, colour);
        o.put(6, "Continuous");
        o.put(390, "F");
    }
    o.put(0, "ENDTAB");
    table(o, "STYLE", "3", 1);
    record(o, "STYLE", "11", "Standard");
    for (code, value) in [(70, "0"), (40, "0.0"), (41, "1.0"), (50, "0.0"), (71, "0"), (42, "2.5"), (3, "txt"), (4, "")] {
        o.put(code, value);
    }
    o.put(0, "ENDTAB");
    for (name, handle) in [("VIEW", "6"), ("UCS", "7")] {
        table(o, name, handle, 0);
        o.put(0, "ENDTAB");
    }
    table(o, "APPID", "9", 1);
    record(o, "APPID", "12", "ACAD");
    o.put(70, 0);
    o.put(0, "ENDTAB");
    table(o, "DIMSTYLE", "A", 1);
    o.put(100, "AcDbDimStyleTable");
    record(o, "DIMSTYLE", "27", "Standard");
    o.put(70, 0);
    o.put(0, "ENDTAB");
    table(o, "BLOCK_RECORD", "1", 2 + parts.len());
    let spaces = [(MODEL_SPACE, "*Model_Space"), (PAPER_SPACE, "*Paper_Space")];
    for (handle, name) in spaces.into_iter().chain(parts.iter().map(|(h, n)| (h.as_str(), n.as_str()))) {
        record(o, "BLOCK_RECORD", handle, name);
    }
    o.put(0, "ENDTAB");
    o.put(0, "ENDSEC");
}

fn blocks(o: &mut Out, parts: &[WriteBlock], names: &[(String, String)]) {
    o.put(0, "SECTION");
    o.put(2, "BLOCKS");
    for (owner, name, begin, end) in [(MODEL_SPACE, "*Model_Space", "20", "21"), (PAPER_SPACE, "*Paper_Space", "1C", "1D")] {
        block_begin(o, owner, name, begin);
        block_end(o, owner, end);
    }
    for (part, (owner, name)) in parts.iter().zip(names) {
        let (begin, end) = (o.handle(), o.handle());
        block_begin(o, owner, name, &begin);
        owner.clone_into(&mut o.owner);
        for layer in &part.layers {
            layer.paths.iter().filter(|p| !p.segments.is_empty()).for_each(|p| entity(o, layer.name, p));
        }
        MODEL_SPACE.clone_into(&mut o.owner);
        block_end(o, owner, &end);
    }
    o.put(0, "ENDSEC");
}

fn block_begin(o: &mut Out, owner: &str, name: &str, handle: &str) {
    block_mark(o, owner, "BLOCK", handle, "AcDbBlockBegin");
    o.put(2, name);
    o.put(70, 0);
    for code in [10, 20, 30] {
        o.put(code, "0.0");
    }
    o.put(3, name);
    o.put(1, "");
}

fn block_end(o: &mut Out, owner: &str, handle: &str) {
    block_mark(o, owner, "ENDBLK", handle, "AcDbBlockEnd");
}

fn block_mark(o: &mut Out, owner: &str, kind: &str, handle: &str, class: &str) {
    o.put(0, kind);
    o.put(5, handle);
    o.put(330, owner);
    o.put(100, "AcDbEntity");
    o.put(8, "0");
    o.put(100, class);
}

fn objects(o: &mut Out) {
    o.put(0, "SECTION");
    o.put(2, "OBJECTS");
    for (handle, owner, entry) in [("C", "0", Some(("ACAD_GROUP", "D"))), ("D", "C", None)] {
        o.put(0, "DICTIONARY");
        o.put(5, handle);
        o.put(330, owner);
        o.put(100, "AcDbDictionary");
        o.put(281, 1);
        if let Some((name, to)) = entry {
            o.put(3, name);
            o.put(350, to);
        }
    }
    o.put(0, "ENDSEC");
}
