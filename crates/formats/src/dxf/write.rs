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
        self.put(330, MODEL_SPACE);
        self.put(100, "AcDbEntity");
        self.put(8, layer);
        self.put(100, class);
    }
}

// Fixed handles of the frame; entities follow from 0x100 on.
const MODEL_SPACE: &str = "1F";
const PAPER_SPACE: &str = "1E";

/// The file: every path on its layer; circles as CIRCLE, everything else as LWPOLYLINE with bulges.
pub fn write(layers: &[WriteLayer]) -> String {
    let mut o = Out { text: String::new(), handle: 0xff };
    header(&mut o);
    tables(&mut o, layers);
    blocks(&mut o);
    o.put(0, "SECTION");
    o.put(2, "ENTITIES");
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

fn record(o: &mut Out, kind: &str, handle: &str, owner: &str, class: &str, name: &str) {
    o.put(0, kind);
    o.put(if kind == "DIMSTYLE" { 105 } else { 5 }, handle);
    o.put(330, owner);
    o.put(100, "AcDbSymbolTableRecord");
    o.put(100, class);
    o.put(2, name);
}

fn tables(o: &mut Out, layers: &[WriteLayer]) {
    o.put(0, "SECTION");
    o.put(2, "TABLES");
    table(o, "VPORT", "8", 0);
    o.put(0, "ENDTAB");
    table(o, "LTYPE", "5", 3);
    for (handle, name) in [("14", "ByBlock"), ("15", "ByLayer"), ("16", "Continuous")] {
        record(o, "LTYPE", handle, "5", "AcDbLinetypeTableRecord", name);
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
        record(o, "LAYER", &handle, "2", "AcDbLayerTableRecord", name);
        o.put(70, 0);
        o.put(62, colour);
        o.put(6, "Continuous");
        o.put(390, "F");
    }
    o.put(0, "ENDTAB");
    table(o, "STYLE", "3", 1);
    record(o, "STYLE", "11", "3", "AcDbTextStyleTableRecord", "Standard");
    for (code, value) in [(70, "0"), (40, "0.0"), (41, "1.0"), (50, "0.0"), (71, "0"), (42, "2.5"), (3, "txt"), (4, "")] {
        o.put(code, value);
    }
    o.put(0, "ENDTAB");
    for (name, handle) in [("VIEW", "6"), ("UCS", "7")] {
        table(o, name, handle, 0);
        o.put(0, "ENDTAB");
    }
    table(o, "APPID", "9", 1);
    record(o, "APPID", "12", "9", "AcDbRegAppTableRecord", "ACAD");
    o.put(70, 0);
    o.put(0, "ENDTAB");
    table(o, "DIMSTYLE", "A", 1);
    o.put(100, "AcDbDimStyleTable");
    record(o, "DIMSTYLE", "27", "A", "AcDbDimStyleTableRecord", "Standard");
    o.put(70, 0);
    o.put(0, "ENDTAB");
    table(o, "BLOCK_RECORD", "1", 2);
    for (handle, name) in [(MODEL_SPACE, "*Model_Space"), (PAPER_SPACE, "*Paper_Space")] {
        record(o, "BLOCK_RECORD", handle, "1", "AcDbBlockTableRecord", name);
    }
    o.put(0, "ENDTAB");
    o.put(0, "ENDSEC");
}

fn blocks(o: &mut Out) {
    o.put(0, "SECTION");
    o.put(2, "BLOCKS");
    for (owner, name, begin, end) in [(MODEL_SPACE, "*Model_Space", "20", "21"), (PAPER_SPACE, "*Paper_Space", "1C", "1D")] {
        for (kind, handle, class) in [("BLOCK", begin, "AcDbBlockBegin"), ("ENDBLK", end, "AcDbBlockEnd")] {
            o.put(0, kind);
            o.put(5, handle);
            o.put(330, owner);
            o.put(100, "AcDbEntity");
            o.put(8, "0");
            o.put(100, class);
            if kind == "BLOCK" {
                o.put(2, name);
                o.put(70, 0);
                for code in [10, 20, 30] {
                    o.put(code, "0.0");
                }
                o.put(3, name);
                o.put(1, "");
            }
        }
    }
    o.put(0, "ENDSEC");
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
