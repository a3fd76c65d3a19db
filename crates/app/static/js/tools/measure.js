// Measuring, at every station: distances, radii and angles, from where a click finds an end, a middle, a centre or an edge.
import { arcOf, lengthOf, nearest } from "../measures.js";
import { LICHEN, PAPER } from "../paint/inks.js";
import { ring } from "../paint/marks.js";
import { pick, snapped } from "../pick.js";
import { inverse, moved } from "../shapes.js";

/** A click finds what is within so many pixels. */
const REACH = 10;

/** Where a place of the stage lies on a line, by the share of its length; null where it does not, but is a middle or another's end. */
function onto(item, [x, y]) {
  const { distance, share } = nearest(item.d, ...moved(inverse(item.m), x - item.dx, y - item.dy));
  return distance < 1e-6 ? { item, share } : null;
}

/** The way between two places of one line, both ways where it is closed. */
function along([first, second]) {
  if (!first || !second || first.item !== second.item) return [];
  const whole = lengthOf(first.item.d), one = Math.abs(second.share - first.share) * whole, d = first.item.d;
  const closed = Math.hypot(d[0] - d.at(-2), d[1] - d.at(-1)) < 1e-6;
  return [`along it ${one.toFixed(3)} mm`, ...(closed ? [`the other way ${(whole - one).toFixed(3)} mm`] : [])];
}

/** `m` begins and ends it, Escape ends it; each click is a point. Two points give a distance, and where they lie on one contour the way
 * along it; a third an angle; a point on an arc its radius as well. */
export class Measure {
  constructor(stage) { Object.assign(this, { stage, points: null, arc: null, on: [] }); }
  toggle() {
    this.points = this.points ? null : [];
    this.arc = null;
    this.on = [];
    this.stage.canvas.classList.toggle("measuring", Boolean(this.points));
    this.stage.redraw();
  }
  shown() { if (this.points) { this.points = []; this.arc = null; this.on = []; } }
  leave() { if (this.points) this.toggle(); }
  none() { if (this.points) this.toggle(); }
  cursor() { return this.points ? "crosshair" : null; }
  get table() { return [{ chords: "m M", shown: "m", words: "measure: distances, angles, radii, along a contour", act: () => this.toggle() }]; }
  down() { return Boolean(this.points); }
  move() {}

  /** The place that a click means: an end, a middle or a centre near by, else the nearest place of an edge; and the arc that it is on. */
  place(e) {
    const { view, scene } = this.stage, [x, y] = view.mm(e.offsetX, e.offsetY), near = REACH / view.k;
    const at = snapped(scene.items, x, y, near), found = pick(scene.items, x, y, near);
    if (!found) return { at, arc: null, on: null };
    const { item } = found, d = item.d, n = 3 * found.segment;
    const arc = arcOf(d[n], d[n + 1], d[n + 2], d[n + 3], d[n + 4]);
    const [a, b, c, dd, ee, f] = item.m, world = ([px, py]) => [a * px + c * py + ee + item.dx, b * px + dd * py + f + item.dy];
    const round = arc && { r: arc.r, middle: world([arc.cx, arc.cy]) };
    if (at[0] !== x || at[1] !== y) return { at, arc: round, on: onto(item, at) };
    const on = arc ? [arc.cx + arc.r * Math.cos(arc.from + arc.sweep * found.on), arc.cy + arc.r * Math.sin(arc.from + arc.sweep * found.on)] : [d[n] + (d[n + 3] - d[n]) * found.on, d[n + 1] + (d[n + 4] - d[n + 1]) * found.on];
    return { at: world(on), arc: round, on: { item, share: found.share } };
  }

  up(e, { moved: dragged, lost }) {
    if (dragged || lost || !this.points) return;
    const { at, arc, on: where } = this.place(e), anew = this.points.length === 3;
    this.points = anew ? [at] : [...this.points, at];
    this.on = anew ? [where] : [...this.on, where];
    this.arc = arc;
    this.stage.redraw();
    if (this.points.length !== 2) return;
    const [[x0, y0], [x1, y1]] = this.points, { scene } = this.stage;
    const on = scene.groups.find(({ box: [gx, , gw] }) => x0 >= gx - 1e-6 && x0 <= gx + gw + 1e-6);
    this.stage.tell("measured", { length: Math.hypot(x1 - x0, y1 - y0), drawing: on?.id, x: (x0 + x1) / 2, y: (y0 + y1) / 2 });
  }

  /** What was found, in figures. */
  words() {
    const [a, b, c] = this.points, mm = (v) => v.toFixed(3), out = [];
    if (b) out.push(`${mm(Math.hypot(b[0] - a[0], b[1] - a[1]))} mm`, `x ${mm(Math.abs(b[0] - a[0]))}  y ${mm(Math.abs(b[1] - a[1]))}`);
    if (c) {
      const turn = Math.abs(Math.atan2(a[1] - b[1], a[0] - b[0]) - Math.atan2(c[1] - b[1], c[0] - b[0])), angle = Math.min(turn, 2 * Math.PI - turn);
      out.push(`${((angle * 180) / Math.PI).toFixed(2)}°`);
    } else if (b) out.push(`${((((Math.atan2(b[1] - a[1], b[0] - a[0]) * 180) / Math.PI) + 360) % 360).toFixed(2)}° from x`);
    if (b && !c) out.push(...along(this.on));
    if (this.arc) out.push(`radius ${mm(this.arc.r)}`);
    return out;
  }

  under(c) {
    if (!this.points) return;
    const { view } = this.stage;
    ring(c, view, this.points, LICHEN);
    if (this.points.length > 1) {
      view.place(c); view.pen(c, LICHEN, 2);
      c.beginPath(); this.points.forEach((p, n) => (n ? c.lineTo(...p) : c.moveTo(...p))); c.stroke();
    }
    const words = this.points.length ? this.words() : [];
    if (!words.length) return;
    const [ox, oy] = view.pixels(c), [x, y] = this.points.at(-1), px = ox + x * view.k + 14, py = oy - y * view.k - 12;
    c.font = "12px 'Spline Sans Mono', monospace"; c.setLineDash([]);
    const wide = Math.max(...words.map((w) => c.measureText(w).width));
    c.fillStyle = PAPER; c.fillRect(px - 5, py - 13, wide + 10, 16 * words.length + 4);
    c.fillStyle = "#22292b"; words.forEach((w, n) => c.fillText(w, px, py + 16 * n));
  }
}
