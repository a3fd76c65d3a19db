// Intake's tools: a distance between two points, and a region of a page.
import { LICHEN } from "/static/js/paint/inks.js";
import { ring } from "/static/js/paint/marks.js";
import { snapped } from "/static/js/pick.js";

/** `m` begins and ends it; each click is a point, on the nearest end, middle or centre within ten pixels. */
export class Measure {
  constructor(stage) { Object.assign(this, { stage, points: null }); }
  toggle() {
    this.points = this.points ? null : [];
    this.stage.canvas.classList.toggle("measuring", Boolean(this.points));
    this.stage.redraw();
  }
  shown() { if (this.points) this.points = []; }
  leave() { if (this.points) this.toggle(); }
  key(e) { if (e.key === "m") this.toggle(); return e.key === "m"; }
  down() { return Boolean(this.points); }
  move() {}
  up(e, { moved, lost }) {
    if (moved || lost) return;
    const { view, scene } = this.stage, at = snapped(scene.items, ...view.mm(e.offsetX, e.offsetY), 10 / view.k);
    this.points = this.points.length === 2 ? [at] : [...this.points, at];
    this.stage.redraw();
    if (this.points.length < 2) return;
    const [[x0, y0], [x1, y1]] = this.points;
    const on = scene.groups.find(({ box: [gx, , gw] }) => x0 >= gx - 1e-6 && x0 <= gx + gw + 1e-6);
    this.stage.tell("measured", { length: Math.hypot(x1 - x0, y1 - y0), drawing: on?.id, x: (x0 + x1) / 2, y: (y0 + y1) / 2 });
  }
  under(c) {
    if (!this.points) return;
    const { view } = this.stage;
    ring(c, view, this.points, LICHEN);
    if (this.points.length < 2) return;
    view.place(c); view.pen(c, LICHEN, 2);
    c.beginPath(); c.moveTo(...this.points[0]); c.lineTo(...this.points[1]); c.stroke();
  }
}

/** A box drawn on a drawing is a region of it. */
export class Region {
  constructor(stage) { Object.assign(this, { stage, box: null }); }
  shown() { this.box = null; }
  boxed(box) {
    const on = this.stage.scene.groups.find(({ box: [x, y, w, h] }) => box[0] < x + w && box[2] > x && box[1] < y + h && box[3] > y);
    this.box = on ? box : null;
    this.stage.redraw();
    if (on) this.stage.tell("region", { drawing: on.id, box });
    return true;
  }
  under(c) {
    if (!this.box) return;
    const { view } = this.stage, [x0, y0, x1, y1] = this.box;
    view.place(c); view.pen(c, LICHEN, 2); c.strokeRect(x0, y0, x1 - x0, y1 - y0);
  }
}
