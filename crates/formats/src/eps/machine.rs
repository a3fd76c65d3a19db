//! The stacks, the dictionaries and the operators.

use super::scan::{Object, Scanner};
use boustrophe_core::drawing::Drawing;
use boustrophe_core::geometry::{Affine, Point};
use kurbo::BezPath;
use std::collections::HashMap;
use std::rc::Rc;

/// Steps at most: so many, and so many more for each byte. An honest drawing takes a few for each of its words.
const MOST_STEPS: (u64, u64) = (3_000_000, 60);
/// Objects on the stack at most, procedures that call each other, states of graphics, dictionaries.
pub(super) const MOST_OBJECTS: usize = 100_000;
const DEEPEST: usize = 120;
pub(super) const MOST_STATES: usize = 500;
const MOST_DICTS: usize = 20_000;
/// Points of one path at most.
pub(super) const MOST_POINTS: usize = 4_000_000;

/// Why it stopped.
pub(super) enum Stop {
    /// It cannot go on.
    Fault(String),
    /// `exit`.
    Exit,
    /// `stop`, or the end of the drawing.
    End,
}

impl From<String> for Stop {
    fn from(what: String) -> Self {
        Self::Fault(what)
    }
}

pub(super) type Done = Result<(), Stop>;

#[derive(Clone)]
pub(super) struct Graphics {
    pub(super) place: Affine,
    pub(super) colour: [u8; 3],
    /// Figures of a colour as `setcolor` takes it.
    pub(super) space: u8,
    pub(super) width: f64,
    pub(super) dashes: String,
    pub(super) path: BezPath,
    pub(super) at: Option<Point>,
    pub(super) clips: Vec<Rc<BezPath>>,
    pub(super) font: f64,
}

pub struct Machine {
    pub(super) stack: Vec<Object>,
    pub(super) dicts: Vec<HashMap<Rc<str>, Object>>,
    /// Dictionaries in force, the last first.
    pub(super) open: Vec<usize>,
    pub(super) now: Graphics,
    pub(super) states: Vec<Graphics>,
    pub(super) steps: u64,
    pub(super) most: u64,
    pub(super) depth: usize,
    pub(super) drawing: Drawing,
    pub(super) compounds: u32,
}

pub(super) fn byte(v: f64) -> u8 {
    (v.clamp(0.0, 1.0) * 255.0).round() as u8
}

impl Machine {
    pub fn new(drawing: Drawing) -> Self {
        let now = Graphics {
            place: Affine::IDENTITY,
            colour: [0; 3],
            space: 1,
            width: 1.0,
            dashes: String::new(),
            path: BezPath::new(),
            at: None,
            clips: Vec::new(),
            font: 1.0,
        };
        Self {
            stack: Vec::new(),
            dicts: vec![HashMap::from([("languagelevel".into(), Object::Number(3.0)), ("product".into(), Object::Text("".into()))])],
            open: vec![0],
            now,
            states: Vec::new(),
            steps: 0,
            most: MOST_STEPS.0,
            depth: 0,
            drawing,
            compounds: 0,
        }
    }

    pub fn drawn(self) -> Drawing {
        self.drawing
    }

    /// Runs a whole program. The fault is told with the line it was met in.
    pub fn run(&mut self, bytes: &[u8]) -> Result<(), (usize, String)> {
        self.most = MOST_STEPS.0 + MOST_STEPS.1 * bytes.len() as u64;
        let mut scanner = Scanner::new(bytes);
        loop {
            let object = match scanner.next() {
                Ok(Some(object)) => object,
                Ok(None) => return Ok(()),
                Err(what) => return Err((scanner.line, what)),
            };
            // Data that follows in the file itself is no program.
            if object == Object::Name("eexec".into()) || object == Object::Name("currentfile".into()) {
                scanner.skip_data(b"~>");
                self.drawing.skip("data within the file");
                continue;
            }
            match self.see(&object) {
                Ok(()) => {}
                Err(Stop::End) => return Ok(()),
                Err(Stop::Exit) => {}
                Err(Stop::Fault(what)) => return Err((scanner.line, what)),
            }
        }
    }

    /// What is read, or stands in a procedure: names are done, the rest is put on the stack.
    pub(super) fn see(&mut self, object: &Object) -> Done {
        self.steps += 1;
        if self.steps > self.most {
            return Err(Stop::Fault("it runs on and on; it is a program and not a drawing".into()));
        }
        match object {
            Object::Name(name) => self.name(name),
            other => self.push(other.clone()),
        }
    }

    pub(super) fn push(&mut self, object: Object) -> Done {
        if self.stack.len() >= MOST_OBJECTS {
            return Err(Stop::Fault("it puts down more than it takes up again".into()));
        }
        self.stack.push(object);
        Ok(())
    }

    pub(super) fn name(&mut self, name: &Rc<str>) -> Done {
        let known = self.open.iter().rev().find_map(|d| self.dicts[*d].get(name)).cloned();
        match known {
            Some(Object::Procedure(body)) => self.call(&body),
            Some(value) => self.push(value),
            None => self.operator(name),
        }
    }

    pub(super) fn call(&mut self, body: &Rc<Vec<Object>>) -> Done {
        if self.depth >= DEEPEST {
            return Err(Stop::Fault(format!("its procedures call each other more than {DEEPEST} deep")));
        }
        self.depth += 1;
        let done = body.iter().try_for_each(|o| self.see(o));
        self.depth -= 1;
        done
    }

    pub(super) fn pop(&mut self) -> Result<Object, Stop> {
        self.stack.pop().ok_or_else(|| Stop::Fault("an operator finds nothing to work on".into()))
    }
    pub(super) fn number(&mut self) -> Result<f64, Stop> {
        match self.pop()? {
            Object::Number(v) => Ok(v),
            other => Err(Stop::Fault(format!("a number was wanted and {} was there", kind(&other)))),
        }
    }
    pub(super) fn numbers<const K: usize>(&mut self) -> Result<[f64; K], Stop> {
        let mut out = [0.0; K];
        for v in out.iter_mut().rev() {
            *v = self.number()?;
        }
        Ok(out)
    }
    pub(super) fn bool(&mut self) -> Result<bool, Stop> {
        match self.pop()? {
            Object::Bool(v) => Ok(v),
            Object::Number(v) => Ok(v != 0.0),
            other => Err(Stop::Fault(format!("true or false was wanted and {} was there", kind(&other)))),
        }
    }
    pub(super) fn procedure(&mut self) -> Result<Rc<Vec<Object>>, Stop> {
        match self.pop()? {
            Object::Procedure(body) => Ok(body),
            other => Err(Stop::Fault(format!("a procedure was wanted and {} was there", kind(&other)))),
        }
    }
    pub(super) fn whole(&mut self, most: usize) -> Result<usize, Stop> {
        let v = self.number()?;
        if v >= 0.0 && v <= most as f64 { Ok(v as usize) } else { Err(Stop::Fault(format!("{v} is no number that would do there"))) }
    }
    pub(super) fn array(&mut self) -> Result<Rc<Vec<Object>>, Stop> {
        match self.pop()? {
            Object::Array(a) | Object::Procedure(a) => Ok(a),
            other => Err(Stop::Fault(format!("a row of values was wanted and {} was there", kind(&other)))),
        }
    }
    pub(super) fn matrix(&mut self) -> Result<Affine, Stop> {
        let of: Vec<f64> = self.array()?.iter().filter_map(|o| if let Object::Number(v) = o { Some(*v) } else { None }).collect();
        let six: [f64; 6] = of.try_into().map_err(|_| Stop::Fault("a matrix has six numbers".into()))?;
        Ok(Affine::new(six))
    }
    pub(super) fn set(&mut self, v: f64) -> Done {
        if v.is_finite() { self.push(Object::Number(v)) } else { Err(Stop::Fault("a sum has no answer".into())) }
    }

    pub(super) fn operator(&mut self, name: &str) -> Done {
        match name {
            "]" | ">>" => self.gather(name == ">>"),
            "mark" => self.push(Object::Mark),
            "true" | "false" => self.push(Object::Bool(name == "true")),
            "null" => self.push(Object::Null),
            "pop" | "clear" | "cleartomark" | "dup" | "exch" | "copy" | "index" | "roll" | "count" | "counttomark" => self.shuffle(name),
            "add" | "sub" | "mul" | "div" | "idiv" | "mod" | "atan" | "exp" | "bitshift" => {
                let [a, b] = self.numbers()?;
                self.set(match name {
                    "add" => a + b,
                    "sub" => a - b,
                    "mul" => a * b,
                    "div" => a / b,
                    "idiv" => (a / b).trunc(),
                    "mod" => a % b,
                    "exp" => a.powf(b),
                    "bitshift" => (a * b.clamp(-60.0, 60.0).exp2()).floor(),
                    _ => a.atan2(b).to_degrees().rem_euclid(360.0),
                })
            }
            "neg" | "abs" | "sqrt" | "sin" | "cos" | "ln" | "log" | "round" | "floor" | "ceiling" | "truncate" | "cvi" | "cvr" => {
                let v = self.number()?;
                self.set(match name {
                    "neg" => -v,
                    "abs" => v.abs(),
                    "sqrt" => v.sqrt(),
                    "sin" => v.to_radians().sin(),
                    "cos" => v.to_radians().cos(),
                    "ln" => v.ln(),
                    "log" => v.log10(),
                    "round" => (v + 0.5).floor(),
                    "floor" => v.floor(),
                    "ceiling" => v.ceil(),
                    "truncate" | "cvi" => v.trunc(),
                    _ => v,
                })
            }
            "eq" | "ne" => {
                let (b, a) = (self.pop()?, self.pop()?);
                self.push(Object::Bool(same(&a, &b) == (name == "eq")))
            }
            "gt" | "ge" | "lt" | "le" => {
                let [a, b] = self.numbers()?;
                self.push(Object::Bool(match name {
                    "gt" => a > b,
                    "ge" => a >= b,
                    "lt" => a < b,
                    _ => a <= b,
                }))
            }
            "and" | "or" | "xor" => {
                let whole =
                    |o: Option<&Object>| if let Some(Object::Number(v)) = o { (v.fract() == 0.0).then_some(*v as i64) } else { None };
                let n = self.stack.len();
                if let (Some(a), Some(b)) = (whole(self.stack.get(n.wrapping_sub(2))), whole(self.stack.last())) {
                    self.stack.truncate(n - 2);
                    return self.set(match name {
                        "and" => a & b,
                        "or" => a | b,
                        _ => a ^ b,
                    } as f64);
                }
                let (b, a) = (self.bool()?, self.bool()?);
                self.push(Object::Bool(match name {
                    "and" => a && b,
                    "or" => a || b,
                    _ => a != b,
                }))
            }
            "not" => {
                let v = self.bool()?;
                self.push(Object::Bool(!v))
            }
            "if" | "ifelse" | "for" | "repeat" | "loop" | "forall" | "exec" | "exit" | "stopped" | "stop" | "quit" => self.flow(name),
            "def" | "store" | "load" | "begin" | "end" | "dict" | "where" | "known" | "get" | "put" | "bind" | "length" | "array"
            | "currentdict" | "userdict" | "systemdict" | "globaldict" | "statusdict" | "aload" | "astore" | "cvx" | "cvn" | "xcheck"
            | "type" | "readonly" | "executeonly" | "noaccess" | "undef" | "maxlength" | "string" => self.words(name),
            "matrix" | "identmatrix" | "defaultmatrix" | "concatmatrix" | "invertmatrix" | "currentmatrix" | "setmatrix" | "concat"
            | "translate" | "scale" | "rotate" | "initmatrix" | "transform" | "itransform" | "dtransform" | "idtransform" => {
                self.places(name)
            }
            "newpath" | "moveto" | "rmoveto" | "lineto" | "rlineto" | "curveto" | "rcurveto" | "closepath" | "arc" | "arcn"
            | "rectstroke" | "rectfill" | "rectclip" | "currentpoint" | "stroke" | "fill" | "eofill" | "clip" | "eoclip" | "initclip"
            | "pathbbox" | "flattenpath" | "reversepath" => self.path(name),
            "gsave" | "grestore" | "save" | "restore" | "grestoreall" => self.keep(name),
            _ => self.looks(name),
        }
    }

    /// What stands between a mark and the top becomes an array or a dictionary.
    pub(super) fn gather(&mut self, dict: bool) -> Done {
        let from =
            self.stack.iter().rposition(|o| *o == Object::Mark).ok_or_else(|| Stop::Fault("a row ends that was not begun".into()))?;
        let values = self.stack.split_off(from + 1);
        self.stack.pop();
        if !dict {
            return self.push(Object::Array(Rc::new(values)));
        }
        let mut made = HashMap::new();
        for pair in values.chunks(2) {
            if let [Object::Literal(key), value] = pair {
                made.insert(Rc::clone(key), value.clone());
            }
        }
        self.dict(made)
    }

    pub(super) fn dict(&mut self, made: HashMap<Rc<str>, Object>) -> Done {
        if self.dicts.len() >= MOST_DICTS {
            return Err(Stop::Fault("it makes more dictionaries than a drawing needs".into()));
        }
        self.dicts.push(made);
        self.push(Object::Dict(self.dicts.len() - 1))
    }
}

pub(super) fn kind(o: &Object) -> &'static str {
    match o {
        Object::Number(_) => "a number",
        Object::Bool(_) => "a boolean",
        Object::Name(_) | Object::Literal(_) => "a name",
        Object::Text(_) => "a string",
        Object::Procedure(_) | Object::Array(_) => "an array",
        Object::Dict(_) => "a dict",
        Object::Mark => "a mark",
        Object::Null => "nothing",
    }
}

fn same(a: &Object, b: &Object) -> bool {
    match (a, b) {
        (Object::Name(a) | Object::Literal(a) | Object::Text(a), Object::Name(b) | Object::Literal(b) | Object::Text(b)) => a == b,
        _ => a == b,
    }
}
