//! STL: a solid as its triangles, and its flat faces laid side by side as parts.

use crate::ReadError;
use boustrophe_core::drawing::{Drawing, FileUnits};
use boustrophe_core::solid::{P3, Solid, SolidChoices};
use std::collections::HashMap;
use std::io::Cursor;
use std::sync::Arc;

/// Triangles read at most.
const MOST: usize = 1_000_000;

/// Reads a solid. Its unit is not in the file and will be asked for.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let broken = |what: String| ReadError::Broken { file: file.into(), line: 1, what };
    let damage = |e: std::io::Error| broken(format!("the solid is damaged ({e}). Export it again as STL."));
    let mut cursor = Cursor::new(bytes);
    let reader = stl_io::create_stl_reader(&mut cursor).map_err(damage)?;
    let mut mesh = Mesh::default();
    for triangle in reader {
        let t = triangle.map_err(damage)?;
        mesh.add(t.vertices.map(|v| [f64::from(v[0]), f64::from(v[1]), f64::from(v[2])]));
        if mesh.solid.triangles.len() > MOST {
            return Err(ReadError::TooMany { file: file.into(), most: crate::MOST_ENTITIES });
        }
    }
    if mesh.solid.triangles.is_empty() {
        return Err(broken("there is no triangle in it. Export the solid again as STL.".into()));
    }
    let mut drawing = Drawing::new(file, FileUnits::Unsaid);
    let stitched = mesh.solid.stitch();
    if stitched.turned > 0 {
        let (n, of) = (stitched.turned, mesh.solid.triangles.len());
        drawing.remarks.push(format!("{n} of {of} triangles were wound the other way round; they were turned so that all look outward."));
    }
    if let Some(thick) = mesh.solid.plate() {
        drawing
            .remarks
            .push(format!("It is a flat plate {} thick: one of its faces is laid, and its rim is none.", (thick * 1e3).round() / 1e3));
    }
    mesh.solid.draw(&SolidChoices::default(), 1.0, &mut drawing);
    if mesh.solid.triangles.len() <= Solid::MOST_CHOSEN {
        drawing.solid = Some(Arc::new(mesh.solid));
    }
    Ok(drawing)
}

#[derive(Default)]
struct Mesh {
    solid: Solid,
    known: HashMap<[i64; 3], usize>,
}

impl Mesh {
    fn add(&mut self, corners: [P3; 3]) {
        let sane = |v: &f64| v.is_finite() && v.abs() <= Drawing::LARGEST_NUMBER;
        if !corners.iter().flatten().all(sane) {
            return;
        }
        let ids = corners.map(|c| {
            let key = c.map(|v| (v * 1e4).round() as i64);
            *self.known.entry(key).or_insert_with(|| {
                self.solid.vertices.push(c);
                self.solid.vertices.len() - 1
            })
        });
        if ids[0] != ids[1] && ids[1] != ids[2] && ids[0] != ids[2] && self.solid.has_area(ids) {
            self.solid.triangles.push(ids);
        }
    }
}
