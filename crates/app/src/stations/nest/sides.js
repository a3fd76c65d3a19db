// A side laid along another copy's side, by two clicks: the side that goes, then the side that it goes along.
import { after, lying, moved } from "/static/js/shapes.js";

/** The straight side of a copy that is nearest to a place of its sheet: its ends, that nearest to the place first, and the way out of
 * the copy; null for a copy without straight sides. */
export function sideOf(scene, copy, x, y) {
  const d = lying(copy.pose, scene.parts[copy.part].outline);
  let best = null, twice = 0;
  for (let i = 2; i < d.length; i += 3) {
    const [x0, y0, bulge, x1, y1] = d.slice(i - 2, i + 3), dx = x1 - x0, dy = y1 - y0, long = Math.hypot(dx, dy);
    twice += x0 * y1 - x1 * y0;
    if (Math.abs(bulge) > 1e-9 || long < 1e-6) continue;
    const t = Math.max(0, Math.min(1, ((x - x0) * dx + (y - y0) * dy) / (long * long))), far = Math.hypot(x - x0 - dx * t, y - y0 - dy * t);
    if (!best || far < best.far) best = { far, ends: t < 0.5 ? [[x0, y0], [x1, y1]] : [[x1, y1], [x0, y0]], right: [dy / long, -dx / long] };
  }
  // What lies to the right of a side that goes round anticlockwise is outside.
  return best && { ends: best.ends, out: best.right.map((v) => v * Math.sign(twice)) };
}

/** The motion that lays one side along another with a gap between them, mm: the ends that were clicked near lie beside each other, or,
 * where the sides would only meet there, one side's other end. */
export function alongside(mine, theirs, gap) {
  const turn = Math.atan2(-theirs.out[1], -theirs.out[0]) - Math.atan2(mine.out[1], mine.out[0]), [s, c] = [Math.sin(turn), Math.cos(turn)];
  const turned = [c, s, -s, c, 0, 0], way = ([a, b]) => [b[0] - a[0], b[1] - a[1]];
  const [mx, my] = way(mine.ends.map((p) => moved(turned, ...p))), [tx, ty] = way(theirs.ends);
  const [ax, ay] = moved(turned, ...mine.ends[mx * tx + my * ty < 0 ? 1 : 0]), [bx, by] = theirs.ends[0];
  return after([1, 0, 0, 1, bx + theirs.out[0] * gap - ax, by + theirs.out[1] * gap - ay], turned);
}
