//! Where a sheet lies on the bed, and where on it a program has its zero.
//!
//! Three systems of coordinates, all in mm with y away from the operator: the *sheet's*, from the lower left corner of its box, in
//! which everything is worked out; the *program's*, from its zero; the *bed's*, from the machine's own corner. A sheet that is laid
//! askew is turned in the latter two.

use crate::geometry::{Affine, Point, Vec2};
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// Which point of the sheet is the program's zero.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Zero {
    #[default]
    LowerLeft,
    LowerRight,
    UpperRight,
    UpperLeft,
    Centre,
    /// A point of its own, mm from the lower left corner.
    At(Point),
}

impl Zero {
    /// Those that every sheet has, with the words for them.
    pub const NAMED: [(Self, &'static str, &'static str); 5] = [
        (Self::LowerLeft, "lower-left", "lower left corner"),
        (Self::LowerRight, "lower-right", "lower right corner"),
        (Self::UpperRight, "upper-right", "upper right corner"),
        (Self::UpperLeft, "upper-left", "upper left corner"),
        (Self::Centre, "centre", "centre"),
    ];

    /// Where it is on a sheet of this size, mm.
    pub fn on(self, (w, h): (f64, f64)) -> Point {
        match self {
            Self::LowerLeft => Point::ZERO,
            Self::LowerRight => Point::new(w, 0.0),
            Self::UpperRight => Point::new(w, h),
            Self::UpperLeft => Point::new(0.0, h),
            Self::Centre => Point::new(w / 2.0, h / 2.0),
            Self::At(p) => p,
        }
    }

    /// In words, of the sheet.
    pub fn words(self) -> String {
        match self {
            Self::At(p) => format!("point {}, {} mm from the lower left corner", tenths(p.x), tenths(p.y)),
            named => Self::NAMED.iter().find(|n| n.0 == named).map_or_else(String::new, |n| n.2.to_owned()),
        }
    }
}

fn tenths(v: f64) -> f64 {
    (v * 10.0).round() / 10.0
}

/// Where a sheet lies, and where its program's zero is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Pose {
    /// The program's zero on the sheet, mm.
    pub zero: Point,
    /// The lower left corner of the sheet's box on the bed, mm.
    pub at: Point,
    /// How far the sheet is turned on the bed, radians anticlockwise.
    pub turn: f64,
}

/// Points that fit no better than this, or than this share of their distance, are not the same two, mm.
const SAME: (f64, f64) = (0.5, 0.003);
/// Two points that are no further apart tell no angle, mm.
const APART: f64 = 20.0;

impl Pose {
    /// The sheet's points on the bed.
    pub fn to_bed(&self) -> Affine {
        Affine::translate(self.at.to_vec2()) * Affine::rotate(self.turn)
    }
    /// The sheet's points in the program.
    pub fn to_program(&self) -> Affine {
        Affine::rotate(self.turn) * Affine::translate(-self.zero.to_vec2())
    }
    /// The program's points on the sheet.
    pub fn to_sheet(&self) -> Affine {
        Affine::translate(self.zero.to_vec2()) * Affine::rotate(-self.turn)
    }
    /// The program's zero on the bed, mm.
    pub fn zero_on_bed(&self) -> Point {
        self.to_bed() * self.zero
    }
    /// True where the sheet is turned.
    pub fn is_turned(&self) -> bool {
        self.turn != 0.0
    }
    /// True where the sheet does not lie at the bed's own corner as it is drawn.
    pub fn is_moved(&self) -> bool {
        self.at != Point::ZERO || self.is_turned()
    }
    /// True where the program's points are the sheet's.
    pub fn is_plain(&self) -> bool {
        self.zero == Point::ZERO && !self.is_turned()
    }
    /// How far it is from a point of the sheet in a direction (a unit vector) to the edge of a bed of this size, mm.
    pub fn room(&self, p: Point, way: Vec2, bed: (f64, f64)) -> f64 {
        let q = self.to_bed() * p;
        let way = turned(way, self.turn);
        let free = |at: f64, w: f64, most: f64| match w {
            w if w > 1e-9 => (most - at) / w,
            w if w < -1e-9 => -at / w,
            _ => f64::INFINITY,
        };
        free(q.x, way.x, bed.0).min(free(q.y, way.y, bed.1)).max(0.0)
    }

    /// Where a sheet lies of which two points were found on the bed. Fails where these cannot be the same two points.
    pub fn aligned(on_sheet: [Point; 2], on_bed: [Point; 2]) -> Result<(Point, f64), String> {
        let (s, b) = (on_sheet[1] - on_sheet[0], on_bed[1] - on_bed[0]);
        let (drawn, found) = (s.hypot(), b.hypot());
        if drawn < APART || found < APART {
            return Err(format!("two points {drawn:.1} mm apart tell no angle; take two that are at least {APART} mm apart"));
        }
        if (drawn - found).abs() > SAME.0.max(SAME.1 * drawn) {
            return Err(format!(
                "the two points are {drawn:.1} mm apart on the sheet and {found:.1} mm on the bed: they are not the same two. Take them anew"
            ));
        }
        let mut turn = b.atan2() - s.atan2();
        turn -= (turn / TAU).round() * TAU;
        // What is less than a hundredth of a millimetre across the sheet is how exactly it was clicked.
        let turn = if turn.abs() * drawn < 0.01 { 0.0 } else { turn };
        // The middle of both goes where the middle of both was found: what is off is shared.
        let middle = |p: [Point; 2]| p[0].midpoint(p[1]);
        let at = middle(on_bed) - turned(middle(on_sheet).to_vec2(), turn);
        Ok((at, turn))
    }
}

fn turned(v: Vec2, turn: f64) -> Vec2 {
    let (sin, cos) = turn.sin_cos();
    Vec2::new(v.x * cos - v.y * sin, v.x * sin + v.y * cos)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn p(x: f64, y: f64) -> Point {
        Point::new(x, y)
    }

    #[test]
    fn zeros_stand_at_the_corners_and_in_the_middle() {
        let size = (600.0, 400.0);
        let at =
            [Zero::LowerLeft, Zero::LowerRight, Zero::UpperRight, Zero::UpperLeft, Zero::Centre, Zero::At(p(7.0, 9.0))].map(|z| z.on(size));
        assert_eq!(at, [p(0.0, 0.0), p(600.0, 0.0), p(600.0, 400.0), p(0.0, 400.0), p(300.0, 200.0), p(7.0, 9.0)]);
    }

    proptest! {
        /// Bed, sheet and program say the same of every point.
        #[test]
        fn all_three_agree(zero in (0.0..600.0_f64, 0.0..400.0_f64), at in (-50.0..300.0_f64, -50.0..300.0_f64), turn in -3.1..3.1_f64, q in (0.0..600.0_f64, 0.0..400.0_f64)) {
            let pose = Pose { zero: p(zero.0, zero.1), at: p(at.0, at.1), turn };
            let on_sheet = p(q.0, q.1);
            let in_program = pose.to_program() * on_sheet;
            prop_assert!((pose.to_sheet() * in_program).distance(on_sheet) < 1e-9);
            prop_assert!((pose.zero_on_bed() + in_program.to_vec2()).distance(pose.to_bed() * on_sheet) < 1e-9);
        }

        /// Two points found on the bed tell how the sheet lies, whatever two.
        #[test]
        fn two_points_tell_how_it_lies(at in (0.0..300.0_f64, 0.0..300.0_f64), turn in -3.1..3.1_f64, a in (0.0..200.0_f64, 0.0..200.0_f64), b in (300.0..600.0_f64, 0.0..400.0_f64), off in -0.2..0.2_f64) {
            let pose = Pose { zero: Point::ZERO, at: p(at.0, at.1), turn };
            let (a, b) = (p(a.0, a.1), p(b.0, b.1));
            let (found, askew) = Pose::aligned([a, b], [pose.to_bed() * a, pose.to_bed() * b]).expect("the same two");
            let again = Pose { zero: Point::ZERO, at: found, turn: askew };
            for q in [a, b, p(600.0, 400.0)] {
                prop_assert!((again.to_bed() * q).distance(pose.to_bed() * q) < 0.05);
            }
            // A point clicked a little beside it moves the sheet a little.
            let (near, _) = Pose::aligned([a, b], [pose.to_bed() * a + Vec2::new(off, 0.0), pose.to_bed() * b]).expect("near enough");
            prop_assert!(near.distance(found) < 1.0);
            // Two other points are refused, unless they happen to be as far apart.
            let other = pose.to_bed() * b + Vec2::new(40.0, 40.0);
            let differ = (other.distance(pose.to_bed() * a) - (b - a).hypot()).abs();
            prop_assert!(differ < 3.0 || Pose::aligned([a, b], [pose.to_bed() * a, other]).is_err());
        }
    }

    #[test]
    fn room_is_what_is_left_of_the_bed() {
        let pose = Pose { at: p(100.0, 50.0), ..Pose::default() };
        assert_eq!(pose.room(p(0.0, 0.0), Vec2::new(-1.0, 0.0), (900.0, 600.0)), 100.0);
        assert_eq!(pose.room(p(700.0, 0.0), Vec2::new(1.0, 0.0), (900.0, 600.0)), 100.0);
        let quarter = Pose { at: p(500.0, 0.0), turn: TAU / 4.0, ..Pose::default() };
        // The sheet's right is away from the operator.
        assert!((quarter.room(p(0.0, 0.0), Vec2::new(1.0, 0.0), (900.0, 600.0)) - 600.0).abs() < 1e-9);
        assert!(Pose::aligned([p(0.0, 0.0), p(5.0, 0.0)], [p(0.0, 0.0), p(5.0, 0.0)]).is_err());
    }
}
