//! Draws block references out and gives every entity its final looks.

use super::entities::{Insert, Paint, Raw, RawShape};
use super::{Layer, Tables};
use crate::{MOST_DRAWN_OUT, MOST_ENTITIES, ReadError};
use boustrophe_core::drawing::{Drawing, Entity, Nature, Shape, Style, Text};
use boustrophe_core::geometry::{Affine, Point, Vec2};
use std::collections::HashMap;

/// Blocks within blocks at most this deep; deeper ones refer to themselves.
const DEEPEST: usize = 24;

/// What a block's entities inherit from its reference.
#[derive(Clone, Default)]
struct Outer {
    layer: String,
    colour: [u8; 3],
    line_type: String,
    width: u32,
    /// All in it is hidden: its layer is frozen, or it is invisible. A layer that is only off hides what is on it.
    hidden: bool,
    annotation: bool,
}

struct Expansion<'a> {
    tables: &'a Tables,
    drawing: &'a mut Drawing,
    styles: HashMap<Style, usize>,
    /// Entities visited, references among them: blocks that only hold blocks are bounded too.
    visited: usize,
    /// Those that stand in blocks, once for each reference.
    drawn_out: usize,
    /// Areas so far: the loops of one are filled together.
    areas: u32,
}

/// Puts every entity into the drawing, references drawn out; each entity of the file counts once.
pub(super) fn expand(raw: Vec<Raw>, tables: &Tables, drawing: &mut Drawing) -> Result<(), ReadError> {
    let mut expansion = Expansion { tables, drawing, styles: HashMap::new(), visited: 0, drawn_out: 0, areas: 0 };
    for entity in raw {
        let before = expansion.drawing.entities.len();
        let attached = entity.attached;
        let block = match &entity.shape {
            RawShape::Insert(i) => Some(i.block.clone()),
            _ => None,
        };
        expansion.add(entity, Affine::IDENTITY, &Outer::default(), 0)?;
        match block {
            Some(name) if expansion.drawing.entities.len() == before => {
                expansion.drawing.skip(&format!("INSERT of “{name}”, which is empty or missing"))
            }
            _ => expansion.drawing.read += usize::from(!attached),
        }
    }
    Ok(())
}

impl Expansion<'_> {
    fn add(&mut self, raw: Raw, transform: Affine, outer: &Outer, depth: usize) -> Result<(), ReadError> {
        self.visited += 1;
        self.drawn_out += usize::from(depth > 0);
        for (n, most) in [(self.visited, MOST_ENTITIES), (self.drawn_out, MOST_DRAWN_OUT)] {
            if n > most {
                return Err(ReadError::TooMany { file: self.drawing.file.clone(), most });
            }
        }
        // Entities on layer 0 of a block take the layer of the reference.
        let layer = if depth > 0 && raw.layer == "0" { outer.layer.clone() } else { raw.layer.clone() };
        let unlisted = || Layer { off: layer.eq_ignore_ascii_case("defpoints"), ..Layer::default() };
        let of_layer = self.tables.layers.get(&layer.to_lowercase()).cloned().unwrap_or_else(unlisted);
        let gone = of_layer.frozen || raw.invisible || outer.hidden;
        let looks = Outer {
            colour: match raw.paint {
                Paint::Is(c) => c,
                Paint::ByBlock if depth > 0 => outer.colour,
                _ => of_layer.colour,
            },
            line_type: match raw.line_type.as_deref() {
                None => of_layer.line_type.clone(),
                Some(t) if t.eq_ignore_ascii_case("byblock") => outer.line_type.clone(),
                Some(t) => t.to_owned(),
            },
            width: raw.width.unwrap_or(of_layer.width),
            // A reference passes on what hides all of it; what is drawn itself is hidden on a layer that is off as well.
            hidden: gone || of_layer.off && !matches!(raw.shape, RawShape::Insert(_)),
            annotation: raw.annotation || outer.annotation,
            layer,
        };
        match raw.shape {
            RawShape::Insert(insert) => self.insert(&insert, transform, &looks, depth),
            RawShape::Path { curves, closed } => {
                let style = self.style(&looks, false);
                let curves = if depth == 0 { curves } else { curves.iter().map(|c| c.transformed(transform)).collect() };
                self.drawing.entities.push(Entity::new(style, Shape::Path { curves, closed }));
                Ok(())
            }
            RawShape::Centre(curves) => {
                let style = self.known(Style { stroke: Some(looks.colour), nature: Nature::Centre, ..plain(&looks) });
                let curves = curves.iter().map(|c| c.transformed(transform)).collect();
                self.drawing.entities.push(Entity::new(style, Shape::Path { curves, closed: false }));
                Ok(())
            }
            RawShape::Lines { lines, closed } => {
                let style = self.style(&looks, false);
                for curves in lines {
                    let curves = curves.iter().map(|c| c.transformed(transform)).collect();
                    self.drawing.entities.push(Entity::new(style, Shape::Path { curves, closed }));
                }
                Ok(())
            }
            RawShape::Area(loops) => {
                let style = self.area_style(&looks);
                self.areas += 1;
                let compound = self.areas;
                for curves in loops {
                    let curves = curves.iter().map(|c| c.transformed(transform)).collect();
                    self.drawing.entities.push(Entity { style, shape: Shape::Path { curves, closed: true }, compound });
                }
                Ok(())
            }
            RawShape::Text { at, height, angle, value, anchor } => {
                let style = self.style(&looks, true);
                let along = transform * (at + Vec2::from_angle(angle)) - transform * at;
                let shape = Shape::Text(Text::anchored(transform * at, anchor, height * along.hypot(), along.atan2(), value));
                self.drawing.entities.push(Entity::new(style, shape));
                Ok(())
            }
        }
    }

    fn insert(&mut self, insert: &Insert, transform: Affine, looks: &Outer, depth: usize) -> Result<(), ReadError> {
        let Some(block) = self.tables.blocks.get(&insert.block.to_lowercase()) else { return Ok(()) };
        if depth >= DEEPEST {
            self.drawing.refuse("INSERT", format!("the block “{}” holds itself.", insert.block));
            return Ok(());
        }
        let base = Point::new(block.base.0, block.base.1).to_vec2();
        let turn = Affine::rotate(insert.angle);
        for row in 0..insert.rows {
            for column in 0..insert.columns {
                let cell = Vec2::new(f64::from(column) * insert.pitch.0, f64::from(row) * insert.pitch.1);
                let place = transform
                    * insert.plane
                    * Affine::translate(insert.at)
                    * turn
                    * Affine::translate(cell)
                    * Affine::scale_non_uniform(insert.scale.0, insert.scale.1)
                    * Affine::translate(-base);
                for entity in &block.entities {
                    self.add(entity.clone(), place, looks, depth + 1)?;
                }
            }
        }
        Ok(())
    }

    fn style(&mut self, looks: &Outer, text: bool) -> usize {
        self.known(Style { stroke: Some(looks.colour), width: looks.width, text, ..plain(looks) })
    }

    fn area_style(&mut self, looks: &Outer) -> usize {
        let nature = if looks.annotation { Nature::Annotation } else { Nature::Area };
        self.known(Style { fill: Some(looks.colour), line_type: String::new(), nature, ..plain(looks) })
    }

    fn known(&mut self, style: Style) -> usize {
        if let Some(found) = self.styles.get(&style) {
            return *found;
        }
        self.drawing.styles.push(style.clone());
        self.styles.insert(style, self.drawing.styles.len() - 1);
        self.drawing.styles.len() - 1
    }
}

/// What all styles of these looks share.
fn plain(looks: &Outer) -> Style {
    let nature = if looks.annotation { Nature::Annotation } else { Nature::Plain };
    Style { layer: looks.layer.clone(), line_type: looks.line_type.clone(), hidden: looks.hidden, nature, ..Style::default() }
}
