// Intake's third tool: what is chosen is carried over another drawing, to see whether both are to one scale.
import { LICHEN } from "/static/js/paint/inks.js";
import { over } from "/static/js/pick.js";
import { trace } from "/static/js/shapes.js";

const join = (boxes) => boxes.reduce((a, b) => [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[2], b[2]), Math.max(a[3], b[3])]);

export class Compare {
  constructor(stage) { Object.assign(this, { stage, from: null, by: null }); }
  shown() { this.from = this.by = null; }
  down(e) {
    const { view, chosen } = this.stage;
    if (e.shiftKey || e.altKey || !chosen.length || !over(chosen, ...view.mm(e.offsetX, e.offsetY), 6 / view.k)) return false;
    this.from = view.mm(e.offsetX, e.offsetY);
    return true;
  }
  move(e) {
    const [x, y] = this.stage.view.mm(e.offsetX, e.offsetY);
    this.by = [x - this.from[0], y - this.from[1]];
    this.stage.canvas.classList.add("held");
    this.stage.blit();
  }
  up(e, { moved, lost }) {
    const { stage, from } = this, at = stage.view.mm(e.offsetX, e.offsetY);
    this.from = null;
    if (!moved || lost) { this.by = null; stage.blit(); if (!moved) stage.click(e); return; }
    const mine = join(stage.chosen.map((i) => i.b)), own = this.group(from), other = this.group(at);
    if (!other || other === own) { this.by = null; stage.blit(); return; }
    // What is meant is the outline under it that comes nearest in size.
    const size = (b) => [b[2] - b[0], b[3] - b[1]], [w, h] = size(mine);
    const off = (b) => { const [bw, bh] = size(b); return Math.abs(Math.log(bw / w)) + Math.abs(Math.log(bh / h)); };
    const under = stage.scene.items.filter((i) => i.closed && within(other.box, i.b) && i.b[0] <= at[0] && i.b[2] >= at[0] && i.b[1] <= at[1] && i.b[3] >= at[1]);
    const best = under.sort((a, b) => off(a.b) - off(b.b))[0];
    if (!best) { this.by = null; stage.blit(); return; }
    // Laid over it, lower left corners together.
    this.by = [best.b[0] - mine[0], best.b[1] - mine[1]];
    stage.redraw();
    stage.tell("compared", { mine: [w, h], theirs: size(best.b), drawing: other.id, name: other.name });
  }
  group([x, y]) { return this.stage.scene.groups.find(({ box: [gx, gy, gw, gh] }) => x >= gx && x <= gx + gw && y >= gy && y <= gy + gh); }
  paint(c) {
    if (!this.by) return;
    const { view, chosen } = this.stage, path = new Path2D();
    chosen.forEach((i) => trace(path, i.d, i.closed));
    view.place(c, ...this.by); view.pen(c, LICHEN, 2.5, [7, 4]);
    c.stroke(path);
  }
}

const within = ([x, y, w, h], b) => b[0] >= x - 1e-6 && b[1] >= y - 1e-6 && b[2] <= x + w + 1e-6 && b[3] <= y + h + 1e-6;
