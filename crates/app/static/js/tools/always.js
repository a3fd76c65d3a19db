// What works at every station: choosing by click and by box, and moving the view. A tool has down, move, up, key and paint,
// each where it needs it; the first whose `down` takes the pointer has it until it is let go.
import { LICHEN } from "../paint/inks.js";
import { boundsOf } from "../measures.js";
import { inBox, pick } from "../pick.js";
import { lying } from "../shapes.js";
import { inSight, next } from "../walk.js";

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

/** The keyboard goes to the card of what is chosen; false where there is none. */
function toCard() {
  const first = document.querySelector("#card:not([hidden]) :is(input:not([type=hidden]), select, button, textarea)");
  first?.focus();
  return Boolean(first);
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
  /** To the next contour or cut; what it is says the card. */
  walk(step) {
    const { stage } = this, [now] = stage.chosen;
    if (!stage.scene) return false;
    const box = (i) => boundsOf(lying([i.m[0], i.m[1], i.m[2], i.m[3], i.m[4] + i.dx, i.m[5] + i.dy], i.d));
    const things = stage.scene.items.map((item) => { const b = box(item); return { item, b, n: item.n || undefined, at: [b[0], b[3]] }; });
    const found = next(things, (t) => t.item === now, step);
    if (!found) return false;
    stage.choose([found.item], { walked: true });
    inSight(stage, found.b);
    return true;
  }

  get table() {
    const { view } = this.stage, steps = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] }, zooms = { "+": 1.25, "-": 0.8 };
    const look = ([x, y]) => this.stage.look({ ...view.now, x: view.x + x, y: view.y + y });
    return [
      { chords: ". ,", shown: ". and ,", words: "choose the next thing on the stage, the one before", act: (e) => this.walk(e.key === "." ? 1 : -1) },
      { chords: "Enter", words: "to the card of what is chosen", act: () => toCard() },
      { chords: Object.keys(steps).join(" "), shown: "← ↑ ↓ →", words: "look further that way", act: (e) => look(steps[e.key]) },
      { chords: "+ -", shown: "+ −", words: "nearer, further away", act: (e) => this.stage.look(view.zoomed(zooms[e.key], view.w / 2, view.h / 2)) },
    ];
  }
}
