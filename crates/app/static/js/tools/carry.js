// Nest's tool: a copy is taken by hand and laid elsewhere. Its ghost moves at once; where it may lie, the server decides, and
// the copy takes the server's place.
import { LICHEN, PAPER, STOP } from "../paint/inks.js";
import { after, inverse, moved } from "../shapes.js";

const STEP = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

export class Carry {
  constructor(stage) {
    Object.assign(this, { stage, chosen: null, ghost: null, busy: Promise.resolve() });
    // Whether a place is on a part is asked of the part's own path.
    this.probe = document.createElement("canvas").getContext("2d");
  }

  shown() { this.ghost = null; this.chosen = this.chosen && this.find(this.chosen.copy.id); this.tell(); }
  leave() { this.chosen = this.ghost = null; }

  /** The copy of a name with its sheet. */
  find(id) {
    const sheets = this.stage.scene.sheets;
    for (let sheet = 0; sheet < sheets.length; sheet += 1) {
      const copy = sheets[sheet].sheet.copies.find((c) => c.id === id);
      if (copy) return { copy, sheet };
    }
    return null;
  }

  /** The copy under a place of the stage. */
  beneath(x, y) {
    const { scene } = this.stage, sheets = scene.sheets;
    for (let sheet = 0; sheet < sheets.length; sheet += 1) {
      const { sheet: s } = sheets[sheet];
      if (x < s.x || y < s.y || x > s.x + s.w || y > s.y + s.h) continue;
      const copy = s.copies.findLast((c) => this.probe.isPointInPath(scene.parts[c.part].area, ...moved(inverse(c.pose), x - s.x, y - s.y), "evenodd"));
      if (copy) return { copy, sheet };
    }
    return null;
  }

  down(e) {
    if (e.shiftKey || e.altKey || !this.stage.scene?.sheets.length || document.querySelector("#search")?.dataset.searching === "true") return false;
    const [x, y] = this.stage.view.mm(e.offsetX, e.offsetY), found = this.beneath(x, y);
    if (!found) { this.chosen = null; return false; }
    this.chosen = found;
    this.from = [x, y];
    return true;
  }

  move(e) {
    const { view, scene } = this.stage, [x, y] = view.mm(e.offsetX, e.offsetY), { copy, sheet } = this.chosen;
    // Over another sheet it is that sheet's.
    const to = scene.sheets.findIndex(({ sheet: s }) => x >= s.x && y >= s.y && x <= s.x + s.w && y <= s.y + s.h);
    const on = to < 0 ? sheet : to, was = scene.sheets[sheet].sheet, is = scene.sheets[on].sheet;
    const by = [1, 0, 0, 1, x - this.from[0] + was.x - is.x, y - this.from[1] + was.y - is.y];
    this.ghost = { ...this.chosen, sheet: on, pose: after(by, copy.pose) };
    this.stage.canvas.classList.add("held");
    this.stage.blit();
  }

  up(e, { moved: dragged, lost }) {
    if (dragged && !lost && this.ghost) { this.put(this.ghost); return; }
    this.ghost = null;
    this.stage.redraw();
    this.tell();
  }

  /** Arrow keys by 1 mm, with Shift 10, with Alt 0.1; `t` turns by a quarter. */
  key(e) {
    if (!this.chosen) return false;
    const step = STEP[e.key], size = e.shiftKey ? 10 : e.altKey ? 0.1 : 1;
    if (step) this.put({ ...this.chosen, pose: after([1, 0, 0, 1, step[0] * size, step[1] * size], this.chosen.copy.pose) });
    else if (e.key === "t") this.put({ ...this.chosen, pose: this.turned(90) });
    else return false;
    return true;
  }

  /** The pose turned about the middle of the copy's box. */
  turned(degrees) {
    const { copy } = this.chosen, [x0, y0, x1, y1] = this.stage.scene.box(copy), a = (degrees * Math.PI) / 180;
    const [s, c] = [Math.round(Math.sin(a) * 1e12) / 1e12, Math.round(Math.cos(a) * 1e12) / 1e12], x = (x0 + x1) / 2, y = (y0 + y1) / 2;
    return after([c, s, -s, c, x - c * x + s * y, y - s * x - c * y], copy.pose);
  }

  /** As typed: the lower left of its box, and its angle. */
  typed({ x, y, angle }) {
    const now = this.figures(this.chosen.copy);
    const turned = { ...this.chosen.copy, pose: this.turned(angle - now.angle) };
    const [x0, y0] = this.stage.scene.box(turned);
    this.put({ ...this.chosen, pose: after([1, 0, 0, 1, x - x0, y - y0], turned.pose) });
  }

  figures(copy) {
    const [x, y] = this.stage.scene.box(copy), [a, b, c, d] = copy.pose, mirrored = a * d - b * c < 0;
    const angle = ((Math.atan2(mirrored ? -b : b, mirrored ? -a : a) * 180) / Math.PI + 360) % 360;
    return { x, y, angle, mirrored };
  }

  /** One after the other: the next is put on the revision that the one before has made. */
  put(wish) {
    this.ghost = wish;
    this.stage.blit();
    this.busy = this.busy.then(() => this.send(wish));
  }

  async send({ copy, sheet, pose }) {
    const docket = document.querySelector("#docket").dataset, { angle, mirrored } = this.figures({ ...copy, pose });
    const body = new URLSearchParams({ revision: docket.revision, batch: docket.batch, copy: copy.id, sheet, x: pose[4], y: pose[5], angle, mirrored });
    const answer = await fetch(`/jobs/${this.stage.job}/copies`, { method: "POST", body }).catch(() => null);
    this.ghost = null;
    if (!answer?.ok) { this.stage.tell("refused", { answer }); this.stage.redraw(); return; }
    const laid = await answer.json();
    docket.revision = laid.revision;
    this.stage.scene.move(copy.id, laid.sheet, laid.pose);
    this.chosen = this.find(copy.id);
    this.stage.redraw();
    this.tell(laid.slid);
    this.stage.tell("laid", laid);
  }

  tell(slid = 0) {
    const copy = this.chosen?.copy;
    this.stage.tell("copy", copy ? { id: copy.id, name: this.stage.scene.parts[copy.part].name, slid, ...this.figures(copy) } : null);
  }

  outline(c, { copy, sheet }, pose, colour, onLayer) {
    const { view, scene } = this.stage, s = scene.sheets[sheet]?.sheet;
    if (!s) return;
    view.place(c, s.x, s.y, onLayer);
    c.transform(...pose);
    view.pen(c, colour, 2.6);
    c.stroke(scene.parts[copy.part].area);
  }

  under(c) { if (this.chosen) this.outline(c, this.chosen, this.chosen.copy.pose, LICHEN, true); }

  /** The ghost with its figures beside it. */
  paint(c) {
    if (!this.ghost) return;
    const { view, scene } = this.stage, { copy, sheet, pose } = this.ghost;
    this.outline(c, this.ghost, pose, LICHEN, false);
    const { x, y, angle } = this.figures({ ...copy, pose }), s = scene.sheets[sheet].sheet, [ox, oy] = view.pixels(c, false);
    const out = x < 0 || y < 0, words = `x ${x.toFixed(1)}  y ${y.toFixed(1)}  ${angle.toFixed(0)}°`;
    const px = ox + (s.x + x) * view.k, py = oy - (s.y + y) * view.k + 18;
    c.font = "12px 'Spline Sans Mono', monospace"; c.setLineDash([]);
    c.fillStyle = PAPER; c.fillRect(px - 4, py - 12, c.measureText(words).width + 8, 17);
    c.fillStyle = out ? STOP : "#22292b"; c.fillText(words, px, py);
  }
}
