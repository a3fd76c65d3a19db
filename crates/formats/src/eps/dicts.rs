//! Dictionaries, names, rows of values, places, and states that are kept.

use super::machine::{Done, MOST_OBJECTS, MOST_STATES, Machine, Stop, kind};
use super::scan::Object;
use boustrophe_core::geometry::{Affine, Point};
use std::collections::HashMap;
use std::rc::Rc;

impl Machine {
    pub(super) fn words(&mut self, name: &str) -> Done {
        let here = *self.open.last().unwrap_or(&0);
        match name {
            "def" | "store" => {
                let value = self.pop()?;
                match self.pop()? {
                    Object::Literal(key) | Object::Name(key) | Object::Text(key) => {
                        let known = if name == "store" {
                            self.open.iter().rev().find(|d| self.dicts[**d].contains_key(&key)).copied()
                        } else {
                            None
                        };
                        self.dicts[known.unwrap_or(here)].insert(key, value);
                        Ok(())
                    }
                    other => Err(Stop::Fault(format!("{} cannot be defined", kind(&other)))),
                }
            }
            "load" => match self.pop()? {
                Object::Literal(key) => {
                    let known = self.open.iter().rev().find_map(|d| self.dicts[*d].get(&key)).cloned();
                    // One of the operators: done when it is met.
                    self.push(known.unwrap_or_else(|| Object::Procedure(Rc::new(vec![Object::Name(key)]))))
                }
                other => self.push(other),
            },
            "begin" => match self.pop()? {
                Object::Dict(d) if self.open.len() < MOST_STATES => {
                    self.open.push(d);
                    Ok(())
                }
                _ => Err(Stop::Fault("no dictionary is there to be opened".into())),
            },
            "end" => {
                if self.open.len() > 1 {
                    self.open.pop();
                }
                Ok(())
            }
            "dict" => {
                self.number()?;
                self.dict(HashMap::new())
            }
            "currentdict" => self.push(Object::Dict(here)),
            "userdict" | "systemdict" | "globaldict" | "statusdict" => self.push(Object::Dict(0)),
            "where" => {
                let key = self.pop()?;
                let Object::Literal(key) = key else { return self.push(Object::Bool(false)) };
                match self.open.iter().rev().find(|d| self.dicts[**d].contains_key(&key)).copied() {
                    Some(d) => {
                        self.push(Object::Dict(d))?;
                        self.push(Object::Bool(true))
                    }
                    // Programs that find these show writing a line at a time, not a letter.
                    None if matches!(&*key, "xyshow" | "xshow" | "yshow") => {
                        self.push(Object::Dict(0))?;
                        self.push(Object::Bool(true))
                    }
                    None => self.push(Object::Bool(false)),
                }
            }
            "known" => {
                let (key, dict) = (self.pop()?, self.pop()?);
                let known = matches!((key, dict), (Object::Literal(k), Object::Dict(d)) if self.dicts[d].contains_key(&k));
                self.push(Object::Bool(known))
            }
            "get" => {
                let (key, of) = (self.pop()?, self.pop()?);
                let found = match (key, of) {
                    (Object::Literal(k), Object::Dict(d)) => self.dicts[d].get(&k).cloned(),
                    (Object::Number(i), Object::Array(a) | Object::Procedure(a)) if i >= 0.0 => a.get(i as usize).cloned(),
                    _ => None,
                };
                self.push(found.ok_or_else(|| Stop::Fault("it looks up what is not there".into()))?)
            }
            "put" => {
                let (value, key, of) = (self.pop()?, self.pop()?, self.pop()?);
                match (key, of) {
                    (Object::Literal(k), Object::Dict(d)) => {
                        self.dicts[d].insert(k, value);
                        Ok(())
                    }
                    // Rows of values are not changed here: none that a drawing needs is.
                    _ => Ok(()),
                }
            }
            "undef" => {
                self.pop()?;
                self.pop().map(drop)
            }
            "length" | "maxlength" => {
                let n = match self.pop()? {
                    Object::Array(a) | Object::Procedure(a) => a.len(),
                    Object::Text(t) | Object::Literal(t) | Object::Name(t) => t.len(),
                    Object::Dict(d) => self.dicts[d].len(),
                    _ => 0,
                };
                self.set(n as f64)
            }
            "array" => {
                let n = self.whole(MOST_OBJECTS)?;
                self.push(Object::Array(Rc::new(vec![Object::Null; n])))
            }
            "string" => {
                self.number()?;
                self.push(Object::Text("".into()))
            }
            "aload" => {
                let a = self.array()?;
                for v in a.iter() {
                    self.push(v.clone())?;
                }
                self.push(Object::Array(a))
            }
            "astore" => {
                let n = self.array()?.len();
                let from = self.stack.len().checked_sub(n).ok_or_else(|| Stop::Fault("it keeps more than there is".into()))?;
                let values = self.stack.split_off(from);
                self.push(Object::Array(Rc::new(values)))
            }
            "cvx" => {
                let made = match self.pop()? {
                    Object::Array(a) => Object::Procedure(a),
                    Object::Literal(n) => Object::Name(n),
                    other => other,
                };
                self.push(made)
            }
            "cvn" => {
                let made = match self.pop()? {
                    Object::Text(t) => Object::Literal(t),
                    other => other,
                };
                self.push(made)
            }
            "xcheck" => {
                let v = matches!(self.pop()?, Object::Procedure(_) | Object::Name(_));
                self.push(Object::Bool(v))
            }
            "type" => {
                let k = kind(&self.pop()?);
                self.push(Object::Name(format!("{}type", k.split(' ').next_back().unwrap_or_default()).into()))
            }
            // `bind` and what protects: nothing is changed by it here.
            _ => Ok(()),
        }
    }

    pub(super) fn places(&mut self, name: &str) -> Done {
        let six = |a: Affine| Object::Array(Rc::new(a.as_coeffs().map(Object::Number).to_vec()));
        // With a matrix on top they are about that one and leave the drawing where it is.
        let own = match (name, self.stack.last()) {
            ("translate" | "scale" | "rotate" | "transform" | "itransform" | "dtransform" | "idtransform", Some(Object::Array(_))) => {
                Some(self.matrix()?)
            }
            _ => None,
        };
        match name {
            "matrix" => self.push(six(Affine::IDENTITY)),
            "identmatrix" | "defaultmatrix" => {
                self.pop()?;
                self.push(six(Affine::IDENTITY))
            }
            "concatmatrix" => {
                self.pop()?;
                let (b, a) = (self.matrix()?, self.matrix()?);
                self.push(six(b * a))
            }
            "invertmatrix" => {
                self.pop()?;
                let a = self.matrix()?;
                if a.determinant() == 0.0 {
                    return Err(Stop::Fault("a matrix of it cannot be turned round".into()));
                }
                self.push(six(a.inverse()))
            }
            "currentmatrix" => {
                self.pop()?;
                self.push(six(self.now.place))
            }
            "setmatrix" => {
                self.now.place = self.matrix()?;
                Ok(())
            }
            "initmatrix" => {
                self.now.place = Affine::IDENTITY;
                Ok(())
            }
            "concat" => {
                let m = self.matrix()?;
                self.turn(m)
            }
            "translate" => {
                let [x, y] = self.numbers()?;
                let by = Affine::translate((x, y));
                if own.is_some() { self.push(six(by)) } else { self.turn(by) }
            }
            "scale" => {
                let [x, y] = self.numbers()?;
                let by = Affine::scale_non_uniform(x, y);
                if own.is_some() { self.push(six(by)) } else { self.turn(by) }
            }
            "rotate" => {
                let a = self.number()?;
                let by = Affine::rotate(a.to_radians());
                if own.is_some() { self.push(six(by)) } else { self.turn(by) }
            }
            _ => {
                let [x, y] = self.numbers()?;
                let place = own.unwrap_or(self.now.place);
                let back = name.contains("id") || name == "itransform";
                if back && place.determinant() == 0.0 {
                    return Err(Stop::Fault("a matrix of it cannot be turned round".into()));
                }
                let to = if back { place.inverse() } else { place };
                let p =
                    if name.contains("dtransform") { (to * Point::new(x, y) - to * Point::ZERO).to_point() } else { to * Point::new(x, y) };
                self.set(p.x)?;
                self.set(p.y)
            }
        }
    }

    pub(super) fn turn(&mut self, by: Affine) -> Done {
        let place = self.now.place * by;
        if !place.as_coeffs().iter().all(|v| v.is_finite() && v.abs() < 1e12) || place.determinant() == 0.0 {
            return Err(Stop::Fault("it squeezes the drawing into nothing".into()));
        }
        self.now.place = place;
        Ok(())
    }

    pub(super) fn keep(&mut self, name: &str) -> Done {
        match name {
            "gsave" | "save" => {
                if self.states.len() >= MOST_STATES {
                    return Err(Stop::Fault("it keeps more states than it takes back".into()));
                }
                self.states.push(self.now.clone());
                if name == "save" { self.push(Object::Null) } else { Ok(()) }
            }
            _ => {
                if name == "restore" {
                    self.pop()?;
                }
                if let Some(before) = self.states.pop() {
                    self.now = before;
                }
                Ok(())
            }
        }
    }
}
