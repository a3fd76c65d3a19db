//! Operations as they are typed: a verb and its figures, such as `hole 6 at 10,10 corners` or `offset 3 mitre x2`.

use super::{Anchor, CornerShape, Edge, Operation, Repeat, Spot};
use crate::clean::ContourId;
use crate::drawing::Unit;
use crate::geometry::Corners;
use crate::lettering::{Align, Face, Setting};
use crate::quantity::{count, length, number};

/// Verbs with an example of what may follow, for the card that lists them.
pub const VERBS: &[(&str, &str)] = &[
    ("delete", "delete"),
    ("weld", "weld"),
    ("subtract", "subtract"),
    ("intersect", "intersect"),
    ("offset", "offset 3 mitre"),
    ("round", "round 5"),
    ("chamfer", "chamfer 3"),
    ("apart", "apart"),
    ("combine", "combine"),
    ("hole", "hole 6 at 10,10 corners"),
    ("slot", "slot 20x5 at 15,10"),
    ("tab", "tab 12/4 at 0,0 from top"),
    ("marks", "marks 101 every 1 long 3 middle 5 numbered 10 both at 5,5"),
    ("write", "write \"BEE|KEEPER\" 8 at 10,10 serif centred spaced 0.5 lines 12 fit 60x20 round 40"),
    ("move", "move 10,0"),
    ("turn", "turn 90"),
    ("mirror", "mirror copy"),
    ("array", "array 3x2 by 60,40"),
    ("align", "align centre"),
    ("widen", "widen 0.3"),
    ("thicken", "thicken 0.8"),
    ("close", "close"),
    ("centre", "centre"),
    ("reletter", "reletter \"HIVE 8\""),
];

/// Reads what was typed, on the chosen contours. The message says what is missing, with an example.
pub fn parse(typed: &str, chosen: &[ContourId]) -> Result<Operation, String> {
    let words = split(typed)?;
    let mut w = Words { words: &words, at: 0, verb: String::new() };
    w.verb = w.next().unwrap_or_default().to_lowercase();
    let contours = chosen.to_vec();
    let part = chosen.first().copied();
    let first = || part.ok_or_else(|| "choose a contour on the stage first".to_owned());
    let operation = match w.verb.as_str() {
        "delete" => Operation::Delete { contours },
        "apart" => Operation::TakeApart { contours },
        "combine" => Operation::Combine { contours },
        "weld" => Operation::Weld { contours },
        "intersect" => Operation::Intersect { contours },
        "subtract" => Operation::Subtract { from: first()?, contours: contours[1..].to_vec() },
        "offset" => w.offset(contours)?,
        "round" => Operation::Corner { contours, size: w.length("a radius")?, shape: CornerShape::Round },
        "chamfer" => Operation::Corner { contours, size: w.length("a size")?, shape: CornerShape::Chamfer },
        "hole" => {
            let diameter = w.length("a diameter")?;
            Operation::Hole { part: first()?, spot: w.rest()?.spot, diameter }
        }
        "slot" => {
            let (length, width) = w.pair("length x width", &['x', '×'])?;
            let rest = w.rest()?;
            Operation::Slot { part: first()?, spot: rest.spot, length, width, angle: rest.angle }
        }
        "tab" => {
            let (outer, hole) = w.pair("ring/hole", &['/'])?;
            Operation::Tab { part: first()?, spot: w.rest()?.spot, outer, hole }
        }
        "marks" => {
            let n = count(&w.word("a number of marks")?, 1, super::MOST_COPIES)?;
            let rest = w.rest()?;
            let pitch = rest.every.ok_or_else(|| w.missing("every PITCH"))?;
            Operation::Marks {
                part: first()?,
                spot: rest.spot,
                pitch,
                count: n,
                length: rest.long.unwrap_or(3.0),
                numbered: rest.numbered,
                angle: rest.angle,
                middle: rest.middle,
                by: rest.by,
                both: rest.both,
            }
        }
        "write" => {
            let text = w.word("the text in quotes")?;
            let height = w.length("a height")?;
            let rest = w.rest()?;
            Operation::Write { part: first()?, spot: rest.spot, text, height, face: rest.face, angle: rest.angle, setting: rest.setting }
        }
        "move" => {
            let (dx, dy) = w.pair("x,y", &[','])?;
            Operation::Move { contours, dx, dy }
        }
        "turn" => Operation::Turn { contours, degrees: number(&w.word("degrees")?)? },
        "mirror" => {
            let (mut upright, mut keep) = (false, false);
            while let Some(word) = w.next() {
                match word {
                    "up" => upright = true,
                    "copy" => keep = true,
                    other => return Err(w.strange(other)),
                }
            }
            Operation::Mirror { contours, upright, keep }
        }
        "array" => {
            let grid = w.word("columns x rows")?;
            let (columns, rows) = grid.split_once(['x', '×']).ok_or_else(|| w.missing("columns x rows"))?;
            let (columns, rows) = (count(columns, 1, super::MOST_COPIES)?, count(rows, 1, super::MOST_COPIES)?);
            let by = w.next() == Some("by");
            let (dx, dy) = if by { w.pair("x,y", &[','])? } else { return Err(w.missing("by X,Y")) };
            Operation::Array { contours, columns, rows, dx, dy }
        }
        "thicken" => Operation::Thicken { contours, width: w.length("a width")? },
        "widen" => Operation::Widen { contours, width: w.length("a width")? },
        "close" => Operation::Close { contours },
        "centre" => Operation::Centre { contours },
        "reletter" => {
            let text = w.word("the text in quotes")?;
            let face = match w.next() {
                None => Face::Outline,
                Some("in") => w.face()?,
                Some(other) => Face::named(other).ok_or_else(|| w.strange(other))?,
            };
            Operation::Reletter { contours, text, face }
        }
        "align" => Operation::Align { contours, edge: w.edge()? },
        "" => return Err("type what is to be done, such as offset 3 or hole 6 at 10,10".into()),
        other => return Err(format!("“{other}” is no operation; there are {}", VERBS.iter().map(|v| v.0).collect::<Vec<_>>().join(", "))),
    };
    if let Some(word) = w.next() {
        return Err(w.strange(word));
    }
    operation.checked()?;
    Ok(operation)
}

/// Words, quoted text as one.
fn split(typed: &str) -> Result<Vec<String>, String> {
    let mut out = Vec::new();
    let mut rest = typed.trim();
    while !rest.is_empty() {
        if let Some(quoted) = rest.strip_prefix(['"', '“', '”']) {
            let end = quoted.find(['"', '”', '“']).ok_or("the quotes are not closed")?;
            out.push(quoted[..end].to_owned());
            rest = quoted[end..].trim_start_matches(['"', '”', '“']).trim_start();
        } else {
            let end = rest.find(char::is_whitespace).unwrap_or(rest.len());
            out.push(rest[..end].to_owned());
            rest = rest[end..].trim_start();
        }
    }
    Ok(out)
}

struct Words<'a> {
    words: &'a [String],
    at: usize,
    verb: String,
}

/// What may follow the figures of an addition, in any order.
#[derive(Default)]
struct Rest {
    spot: Spot,
    angle: f64,
    every: Option<f64>,
    long: Option<f64>,
    numbered: u32,
    middle: u32,
    by: u32,
    both: bool,
    face: Face,
    setting: Setting,
}

impl<'a> Words<'a> {
    fn face(&mut self) -> Result<Face, String> {
        let name = self.word("a face's name")?;
        Face::named(&name).ok_or_else(|| {
            let all = Face::all().into_iter().map(Face::name).collect::<Vec<_>>().join(", ");
            format!("there is no face “{name}”; there are {all}")
        })
    }
    fn next(&mut self) -> Option<&'a str> {
        let word = self.words.get(self.at)?;
        self.at += 1;
        Some(word)
    }
    fn example(&self) -> &'static str {
        VERBS.iter().find(|v| v.0 == self.verb).map_or("", |v| v.1)
    }
    fn missing(&self, what: &str) -> String {
        format!("{} needs {what}, as in: {}", self.verb, self.example())
    }
    fn strange(&self, word: &str) -> String {
        format!("“{word}” is not understood here; it goes like: {}", self.example())
    }
    fn word(&mut self, what: &str) -> Result<String, String> {
        self.next().map(str::to_owned).ok_or_else(|| self.missing(what))
    }
    fn length(&mut self, what: &str) -> Result<f64, String> {
        length(&self.word(what)?, Unit::Mm)
    }
    fn pair(&mut self, what: &str, by: &[char]) -> Result<(f64, f64), String> {
        let word = self.word(what)?;
        let (a, b) = word.split_once(by).ok_or_else(|| self.missing(what))?;
        Ok((length(a, Unit::Mm)?, length(b, Unit::Mm)?))
    }
    fn edge(&mut self) -> Result<Edge, String> {
        match self.word("an edge")?.as_str() {
            "left" => Ok(Edge::Left),
            "right" => Ok(Edge::Right),
            "top" => Ok(Edge::Top),
            "bottom" => Ok(Edge::Bottom),
            "centre" | "center" => Ok(Edge::Centre),
            "above" => Ok(Edge::CentreX),
            "beside" => Ok(Edge::CentreY),
            other => Err(format!("“{other}” is no edge; use left, right, top, bottom, centre, above or beside")),
        }
    }

    fn offset(&mut self, contours: Vec<ContourId>) -> Result<Operation, String> {
        let by = self.length("a distance")?;
        let (mut corners, mut rings, mut keep) = (Corners::Round, 1, true);
        while let Some(word) = self.next() {
            match word {
                "round" => corners = Corners::Round,
                "mitre" => corners = Corners::Mitre,
                "cut" => corners = Corners::Cut,
                "move" => keep = false,
                x if x.starts_with('x') => rings = count(&x[1..], 1, 200)?,
                other => return Err(self.strange(other)),
            }
        }
        Ok(Operation::Offset { contours, by, corners, rings, keep })
    }

    fn rest(&mut self) -> Result<Rest, String> {
        let mut rest = Rest::default();
        while let Some(word) = self.next() {
            match word {
                "at" => (rest.spot.x, rest.spot.y) = self.pair("x,y", &[','])?,
                "from" => rest.spot.anchor = self.anchor()?,
                "corners" => rest.spot.repeat = Repeat::Corners,
                "across" => rest.spot.repeat = Repeat::Across,
                "updown" => rest.spot.repeat = Repeat::UpAndDown,
                "turned" => rest.angle = number(&self.word("degrees")?)?,
                "every" => rest.every = Some(self.length("a pitch")?),
                "long" => rest.long = Some(self.length("a length")?),
                "numbered" => rest.numbered = count(&self.word("a number")?, 1, 1000)?,
                "middle" => rest.middle = count(&self.word("a number")?, 1, 1000)?,
                "by" => rest.by = count(&self.word("a number")?, 1, 100_000)?,
                "both" => rest.both = true,
                other if self.verb == "write" => self.set(other, &mut rest)?,
                other => return Err(self.strange(other)),
            }
        }
        Ok(rest)
    }

    /// How writing is set: `serif`, `in "Bee sans"`, `centred`, `spaced 0.5`, `lines 12`, `fit 60x20`, `round -40`.
    fn set(&mut self, word: &str, rest: &mut Rest) -> Result<(), String> {
        let s = &mut rest.setting;
        match word {
            "left" => s.align = Align::Left,
            "centred" | "centered" => s.align = Align::Middle,
            "right" => s.align = Align::Right,
            "spaced" => s.spaced = self.length("a distance")?,
            "lines" => s.lines = self.length("a distance from line to line")?,
            "round" => s.round = self.length("a radius")?,
            "fit" => {
                let room = self.word("a width, or a width x height")?;
                s.fit = match room.split_once(['x', '×']) {
                    Some((w, h)) => (length(w, Unit::Mm)?, length(h, Unit::Mm)?),
                    None => (length(&room, Unit::Mm)?, 0.0),
                };
            }
            "in" => rest.face = self.face()?,
            other => rest.face = Face::named(other).ok_or_else(|| self.strange(other))?,
        }
        rest.setting.checked()
    }

    fn anchor(&mut self) -> Result<Anchor, String> {
        match self.word("a corner or edge")?.as_str() {
            "lower-left" => Ok(Anchor::LowerLeft),
            "lower-right" => Ok(Anchor::LowerRight),
            "upper-left" => Ok(Anchor::UpperLeft),
            "upper-right" => Ok(Anchor::UpperRight),
            "centre" | "center" => Ok(Anchor::Centre),
            "left" => Ok(Anchor::Left),
            "right" => Ok(Anchor::Right),
            "bottom" => Ok(Anchor::Bottom),
            "top" => Ok(Anchor::Top),
            other => Err(format!(
                "“{other}” is no place to measure from; use lower-left, lower-right, upper-left, upper-right, centre, left, right, bottom or top"
            )),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const ONE: [ContourId; 1] = [ContourId(7)];
    const TWO: [ContourId; 2] = [ContourId(7), ContourId(8)];

    #[test]
    fn every_example_is_understood() {
        for (verb, example) in VERBS {
            assert!(parse(example, &TWO).is_ok(), "{verb}: {:?}", parse(example, &TWO));
        }
    }

    #[test]
    fn writing_is_set_by_words() {
        let Ok(Operation::Write { face, setting, .. }) =
            parse("write \"A|B\" 8 in Serif right spaced 1/2in fit 60 round -40 lines 3*4", &ONE)
        else {
            panic!("writing")
        };
        let meant = Setting { align: Align::Right, spaced: 12.7, lines: 12.0, fit: (60.0, 0.0), round: -40.0 };
        assert_eq!((face, setting), (Face::Serif, meant));
        assert!(parse("write \"A\" 8 in gothic", &ONE).expect_err("no such face").contains("condensed"));
        assert!(parse("hole 6 serif", &ONE).is_err() && parse("write \"A\" 8 fit 0x-3", &ONE).is_err());
    }

    #[test]
    fn figures_take_units_and_sums() {
        let Ok(Operation::Hole { diameter, spot, .. }) = parse("hole 1/4in at 2*5,10mm from upper-right across", &ONE) else {
            panic!("a hole")
        };
        assert!((diameter - 6.35).abs() < 1e-9);
        assert_eq!((spot.anchor, spot.x, spot.y, spot.repeat), (Anchor::UpperRight, 10.0, 10.0, Repeat::Across));
        assert_eq!(
            parse("offset -2 cut x3 move", &ONE),
            Ok(Operation::Offset { contours: ONE.to_vec(), by: -2.0, corners: Corners::Cut, rings: 3, keep: false })
        );
        assert!(
            matches!(parse("write \"two words\" 5 outline turned 90", &ONE), Ok(Operation::Write { text, angle, .. }) if text == "two words" && angle == 90.0)
        );
    }

    #[test]
    fn what_is_wrong_is_said_with_an_example() {
        for (typed, chosen, said) in [
            ("", &ONE[..], "type what is to be done"),
            ("glue", &ONE, "“glue” is no operation"),
            ("hole", &ONE, "hole 6 at 10,10"),
            ("hole six", &ONE, "six"),
            ("hole 6 at 10", &ONE, "x,y"),
            ("hole 6 at 10,10", &[], "choose a contour"),
            ("offset 3 blue", &ONE, "“blue” is not understood"),
            ("weld", &ONE, "two contours"),
            ("write \"open 5", &ONE, "quotes"),
            ("array 3x2", &ONE, "by X,Y"),
            ("slot 5x20 at 1,1", &ONE, "cannot be"),
        ] {
            let error = parse(typed, chosen).expect_err(typed);
            assert!(error.contains(said), "{typed}: {error}");
        }
    }
}
