//! How things look, and what is not known here.

use super::machine::{Done, Machine, Stop, byte};
use super::scan::Object;
use std::collections::HashMap;
use std::rc::Rc;

impl Machine {
    /// How things look, what is of no matter to a cut, and what is not known here.
    pub(super) fn looks(&mut self, name: &str) -> Done {
        match name {
            "setgray" => {
                let v = self.number()?;
                self.now.colour = [byte(v); 3];
            }
            // How many figures a colour has; a pattern's or a table's has one that is no shade.
            "setcolorspace" => {
                let space = match self.pop()? {
                    Object::Array(a) => a.first().cloned().unwrap_or(Object::Null),
                    other => other,
                };
                let name = if let Object::Literal(n) | Object::Name(n) = &space { n.to_string() } else { String::new() };
                self.now.space = match name.as_str() {
                    "DeviceRGB" | "CIEBasedABC" => 3,
                    "DeviceCMYK" | "CIEBasedDEFG" => 4,
                    _ => 1,
                };
                self.now.colour = [0; 3];
            }
            "setcolor" => match self.now.space {
                3 => self.looks("setrgbcolor")?,
                4 => self.looks("setcmykcolor")?,
                _ => {
                    let shade = self.pop()?;
                    self.now.colour = [if let Object::Number(v) = shade { byte(v) } else { 0 }; 3];
                }
            },
            "setrgbcolor" => self.now.colour = self.numbers::<3>()?.map(byte),
            "setcmykcolor" => {
                let [c, m, y, k] = self.numbers()?;
                self.now.colour = [c, m, y].map(|v| byte((1.0 - v) * (1.0 - k)));
            }
            "sethsbcolor" => {
                let [h, s, v] = self.numbers()?;
                // The six sides of the colour circle.
                let on = |shift: f64| {
                    let k = (shift + h * 6.0).rem_euclid(6.0);
                    byte(v - v * s * k.min(4.0 - k).clamp(0.0, 1.0))
                };
                self.now.colour = [on(5.0), on(3.0), on(1.0)];
            }
            "setlinewidth" => self.now.width = self.number()?.abs(),
            "setdash" => {
                self.number()?;
                let of = self.array()?;
                let all: Vec<String> =
                    of.iter().filter_map(|o| if let Object::Number(v) = o { Some(v.to_string()) } else { None }).take(12).collect();
                self.now.dashes = all.join(" ");
            }
            "currentgray" | "currentlinewidth" => {
                self.set(if name == "currentgray" { f64::from(self.now.colour[1]) / 255.0 } else { self.now.width })?
            }
            "currentrgbcolor" => {
                for c in self.now.colour {
                    self.set(f64::from(c) / 255.0)?;
                }
            }
            "setlinecap"
            | "setlinejoin"
            | "setmiterlimit"
            | "setflat"
            | "setstrokeadjust"
            | "setoverprint"
            | "setpacking"
            | "setglobal"
            | "setpagedevice"
            | "setfont"
            | "print"
            | "="
            | "=="
            | "setcachedevice"
            | "flush"
            | "pstack"
            | "setoverprintmode"
            | "settransfer"
            | "setblackgeneration"
            | "setundercolorremoval"
            | "sethalftone" => {
                if !matches!(name, "flush" | "pstack") {
                    self.pop()?;
                }
            }
            "showpage" | "copypage" | "erasepage" | "flushfile" | "nulldevice" | "currentpacking" | "initgraphics" => {}
            // A font has nothing in it here but the names that programs look for.
            "findfont" => {
                let name = self.pop()?;
                let encoding = Object::Array(Rc::new(Vec::new()));
                self.dict(HashMap::from([
                    ("FontName".into(), name),
                    ("Encoding".into(), encoding),
                    ("FontType".into(), Object::Number(1.0)),
                ]))?;
            }
            "scalefont" | "makefont" => {
                if name == "scalefont" {
                    self.now.font = self.number()?;
                } else {
                    self.now.font = self.matrix()?.determinant().abs().sqrt();
                }
            }
            // By a size, or by a matrix (PostScript Language Reference, third edition, 8.2).
            "selectfont" => {
                let by_matrix = matches!(self.stack.last(), Some(Object::Array(_)));
                self.now.font = if by_matrix { self.matrix()?.determinant().abs().sqrt() } else { self.number()? };
                self.pop()?;
            }
            "definefont" => {
                let font = self.pop()?;
                self.pop()?;
                self.push(font)?;
            }
            "StandardEncoding" | "ISOLatin1Encoding" => self.push(Object::Array(Rc::new(Vec::new())))?,
            "currentfont" => self.dict(HashMap::from([("FontType".into(), Object::Number(1.0))]))?,
            "glyphshow" => {
                self.pop()?;
                self.drawing.skip("letter of a font in the file");
            }
            "show" => self.write()?,
            // The same with letters moved apart: they stand where they stand, and are one line.
            "ashow" | "widthshow" | "awidthshow" => {
                let line = self.pop()?;
                for _ in 0..if name == "ashow" {
                    2
                } else if name == "widthshow" {
                    3
                } else {
                    5
                } {
                    self.number()?;
                }
                self.push(line)?;
                self.write()?;
            }
            "xyshow" | "xshow" | "yshow" => {
                let by = self.array()?;
                self.write()?;
                let by = by.iter().map(|o| if let Object::Number(v) = o { *v } else { 0.0 });
                let mut to = self.here()?;
                for (i, v) in by.enumerate() {
                    if name == "yshow" || name == "xyshow" && i % 2 == 1 { to.y += v } else { to.x += v }
                }
                self.there(to)?;
                self.now.at = Some(to);
            }
            "stringwidth" => {
                self.pop()?;
                self.set(0.0)?;
                self.set(0.0)?;
            }
            "image" | "imagemask" | "colorimage" | "shfill" => {
                return Err(Stop::Fault(format!("it holds a picture or a shade (“{name}”), which is not read from PostScript")));
            }
            other => return Err(Stop::Fault(format!("“{}” is not understood", other.chars().take(40).collect::<String>()))),
        }
        Ok(())
    }
}
