// What works at every station: choosing by click and by box, and moving the view. A tool has down, move, up, key and paint,
// each where it needs it; the first whose `down` takes the pointer has it until it is let go.
import { LICHEN } from "../paint/inks.js";
import { inBox, pick } from "../pick.js";

/** A box drawn with Shift takes what it touches; drawn to the left, or with Alt held, what lies within it. */
export class Box {
  constructor(stage) { this.stage = stage; }
  down(e) {
    if (!e.shiftKey && !e.altKey) return false;
    this.from = { x: e.offsetX, y: e.offsetY, tx: e.offsetX, ty: e.offsetY, how: "touching" };
    return true;
  }
  move(e) { Object.assign(this.from, { tx: e.offsetX, ty: e.offsetY, how: e.altKey || e.offsetX < this.from.x ? "within" : "touching" }); this.stage.blit(); }
  none() { this.from = null; }
  up(e, { moved }) {
    const { x, y, tx, ty, how } = this.from;
    this.from = null;
    if (!moved) { this.stage.tools.find((t) => t instanceof Choose)?.click(e, e.shiftKey); return; }
    const box = this.stage.view.box(x, y, tx, ty);
    if (this.stage.tools.some((t) => t.boxed?.(box, how))) return;
    this.stage.choose([...new Set([...this.stage.chosen, ...inBox(this.stage.scene.items, box, how)])]);
  }
  paint(c) {
    if (!this.from) return;
    const { x, y, tx, ty, how } = this.from;
    c.setTransform(this.stage.view.dpr, 0, 0, this.stage.view.dpr, 0, 0);
    c.strokeStyle = LICHEN; c.lineWidth = 1.5; c.setLineDash(how === "within" ? [] : [5, 4]);
    c.strokeRect(x, y, tx - x, ty - y);
  }
}

/** A click takes the contour under it; a drag moves the view. */
export class Choose {
  constructor(stage) { this.stage = stage; }
  down(e) {
    this.from = { x: e.offsetX, y: e.offsetY, ...{ view: this.stage.view.now } };
    return true;
  }
  move(e) {
    this.stage.canvas.classList.add("held");
    this.stage.look({ ...this.from.view, x: this.from.view.x + e.offsetX - this.from.x, y: this.from.view.y + e.offsetY - this.from.y });
  }
  up(e, { moved, lost }) {
    if (moved) this.stage.redraw(); else if (!lost) this.click(e, e.shiftKey || e.ctrlKey || e.metaKey);
  }
  click(e, more) {
    const { stage } = this, { view, scene } = stage;
    if (!scene) return;
    const found = pick(scene.items, ...view.mm(e.offsetX, e.offsetY), 6 / view.k);
    if (!found) { if (!more) stage.choose([]); return; }
    const held = stage.chosen.includes(found.item);
    stage.choose(more ? (held ? stage.chosen.filter((i) => i !== found.item) : [...stage.chosen, found.item]) : [found.item], found);
  }
  key(e) {
    const { view } = this.stage, step = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] }[e.key];
    const zoom = { "+": 1.25, "-": 0.8 }[e.key];
    if (step) this.stage.look({ ...view.now, x: view.x + step[0], y: view.y + step[1] });
    else if (zoom) this.stage.look(view.zoomed(zoom, view.w / 2, view.h / 2));
    return Boolean(step || zoom);
  }
}
