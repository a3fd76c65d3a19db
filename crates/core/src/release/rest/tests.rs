use super::*;
use crate::decisions::Process;
use crate::geometry::Vec2;
use proptest::prelude::*;

fn plate(x: f64) -> Op {
    let path = Path::rectangle(x, 0.0, 40.0, 30.0);
    let (a, b) = (path.piece(0.0, 60.0), path.piece(60.6, 140.0));
    let line = Track { lead_in: vec![Segment::line(Point::new(x, -5.0), Point::new(x, 0.0))], runs: vec![a, b], ..Track::default() };
    Op { process: Process::Cut, placement: x as usize / 50, passes: 1, doing: Doing::Line(line), ..Op::default() }
}

proptest! {
    /// Whatever was cut before it broke off and what is cut after it make the whole, but for what the choice says.
    #[test]
    fn nothing_is_lost_and_nothing_cut_twice(finished in 0..3_usize, share in 0.02..0.98_f64) {
        let path = SheetPath { ops: vec![plate(0.0), plate(50.0), plate(100.0)], ..SheetPath::default() };
        let under_way = &path.ops[finished];
        let line = Path::new(under_way.line().runs.concat(), false);
        let along = share * line.length();
        let at = line.at(along).0;
        let whole: f64 = path.ops[finished..].iter().map(Op::length).sum();
        let again = rest(&path, finished, GoOn::Again, Joint::default());
        prop_assert!((again.ops.iter().map(Op::length).sum::<f64>() - whole).abs() < 1e-9);
        let next = rest(&path, finished, GoOn::Next, Joint::default());
        prop_assert_eq!(next.ops.len(), 2 - finished);
        let here = rest(&path, finished, GoOn::Here(Still { at, length: line.length() - along }), Joint::default());
        prop_assert!((here.ops.iter().map(Op::length).sum::<f64>() - (whole - along)).abs() < 0.01, "{along} of {whole}");
        prop_assert!(here.ops[0].start().is_some_and(|s| s.distance(at) < 1e-6) && here.ops[0].line().restarts.iter().all(Vec::is_empty));
    }
}

/// A head that was on its way to a piece of work, close by its line, had nothing burned of it; one that comes to the end of an
/// outline stands where it began.
#[test]
fn where_the_head_is_does_not_tell_what_was_burned() {
    let path = SheetPath { ops: vec![plate(0.0), plate(50.0)], ..SheetPath::default() };
    let whole: f64 = path.ops[0].line().lead_in.iter().map(Segment::length).sum::<f64>() + path.ops[0].length();
    let lit = path.ops[0].start().expect("it begins");
    let not_begun = rest(&path, 0, GoOn::Here(Still { at: lit, length: whole }), Joint::default());
    assert!(not_begun.ops.len() == 2 && not_begun.ops[0].length() == path.ops[0].length() && not_begun.ops[0].line().lead_in.len() == 1);
    let begin = path.ops[0].line().runs[0][0].start;
    let before_its_end = begin + Vec2::new(0.0, 0.4);
    let ended = rest(&path, 0, GoOn::Here(Still { at: before_its_end, length: 0.4 }), Joint::default());
    assert!(ended.ops.len() == 2 && (ended.ops[0].length() - 0.4).abs() < 1e-6, "{}", ended.ops[0].length());
    assert_eq!(rest(&path, 0, GoOn::Here(Still { at: begin, length: 0.0 }), Joint::default()).ops.len(), 1);
}

/// An overlap is burned once more before what is left, the lead comes tangentially from where its own came, or along the open kerf.
#[test]
fn what_is_left_is_joined_to_what_was_burned() {
    let path = SheetPath { ops: vec![plate(0.0)], ..SheetPath::default() };
    let line = Path::new(path.ops[0].line().runs.concat(), false);
    let still = Still { at: line.at(30.0).0, length: line.length() - 30.0 };
    let left = |lit| rest(&path, 0, GoOn::Here(still), Joint { overlap: 2.0, lit }).ops.remove(0);
    let plain = left(Relit::OnTheLine);
    assert!((plain.length() - (line.length() - 28.0)).abs() < 1e-6 && plain.line().lead_in.is_empty());
    assert!(plain.start().is_some_and(|s| s.distance(line.at(28.0).0) < 1e-6));
    let scrap = left(Relit::InTheScrap(0.5));
    let lead = &scrap.line().lead_in[0];
    // Its own came 5 mm from below on to a line that goes to the right.
    assert!(lead.end.distance(line.at(28.0).0) < 1e-6 && (lead.length() - 2.5).abs() < 1e-6, "{lead:?}");
    let kerf = left(Relit::InTheKerf(3.0));
    let lead = &kerf.line().lead_in;
    assert!(lead[0].start.distance(line.at(25.0).0) < 1e-6 && lead.last().is_some_and(|s| s.end.distance(line.at(28.0).0) < 1e-6));
    // Never back over a nick: the second run begins behind one.
    let behind = Still { at: line.at(60.5).0, length: line.length() - 60.5 };
    let left = rest(&path, 0, GoOn::Here(behind), Joint { overlap: 4.0, lit: Relit::OnTheLine });
    assert!((left.ops[0].length() - (line.length() - 60.0)).abs() < 1e-6, "{}", left.ops[0].length());
}

proptest! {
    /// However far a picture had come, the rows that are left are burned, each as often as it was still to be.
    #[test]
    fn pictures_go_on_from_the_row_where_they_stopped(rows in 1..40_usize, passes in 1..4_u32, share in 0.001..0.999_f64, dark in 0..5_usize) {
        let burn: Vec<u8> = (0..rows * 6).map(|i| if i / 6 % 5 == dark { 0 } else { 40 + (i % 6) as u8 * (i % 3) as u8 }).collect();
        let raster = std::sync::Arc::new(crate::picture::Raster { column: 0, row: 0, width: 6, height: rows, burn });
        let picture = crate::hold::PictureSweep { raster, pitch: 0.5, ..Default::default() };
        let op = Op { process: Process::Picture, passes, doing: Doing::Picture(picture), ..Op::default() };
        let lengths: Vec<f64> = op.numbered_picture_rows().map(|(_, r)| r.spans[0].1 - r.spans[0].0).collect();
        prop_assume!(!lengths.is_empty());
        let all: Vec<f64> = lengths.iter().cycle().take(lengths.len() * passes as usize).copied().collect();
        let length = all.iter().sum::<f64>() * share;
        let left = rest(&SheetPath { ops: vec![op], ..SheetPath::default() }, 0, GoOn::Here(Still { at: Point::ZERO, length }), Joint::default());
        let swept = left.ops[0].sweeps();
        // All that was still to be burned, and of the row under way what was burned of it: less than a row.
        let burned: f64 = all.iter().rev().take(swept).sum();
        prop_assert!(burned >= length - 1e-2 && burned - all[all.len() - swept] < length, "{burned} for {length}");
    }
}
