// Nest's tool: copies are taken by hand, one or several. Their ghost moves at once; where they may lie, the server decides, and
// they take the server's place.
import { LICHEN, PAPER, STOP } from "/static/js/paint/inks.js";
import { after, inverse, moved } from "/static/js/shapes.js";

const STEP = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

export class Carry {
  constructor(stage) {
    Object.assign(this, { stage, chosen: [], ghost: null, rests: null, busy: Promise.resolve() });
    // Whether a place is on a part is asked of the part's own path.
    this.probe = document.createElement("canvas").getContext("2d");
  }

  shown() { this.ghost = null; this.chosen = this.chosen.map((c) => this.find(c.copy.id)).filter(Boolean); this.tell(); }
  leave() { this.chosen = []; this.ghost = null; }

  /** The copy of a name with its sheet. */
  find(id) {
    const sheets = this.stage.scene.sheets;
    for (let sheet = 0; sheet < sheets.length; sheet += 1) {
      const copy = sheets[sheet].sheet.copies.find((c) => c.id === id);
      if (copy) return { copy, sheet };
    }
    return null;
  }

  /** All copies of a part. */
  ofPart(id) {
    const { scene } = this.stage;
    return (scene?.sheets ?? []).flatMap(({ sheet: s }, sheet) => s.copies.filter((c) => scene.parts[c.part].id === id).map((copy) => ({ copy, sheet })));
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
    if (e.altKey || !this.stage.scene?.sheets.length || document.querySelector("#search")?.dataset.searching === "true") return false;
    const [x, y] = this.stage.view.mm(e.offsetX, e.offsetY), found = this.beneath(x, y);
    if (!found) { if (!e.shiftKey && this.chosen.length) { this.chosen = []; this.tell(); } return false; }
    const at = this.chosen.findIndex((c) => c.copy.id === found.copy.id);
    if (e.shiftKey) { if (at < 0) this.chosen.push(found); else this.chosen.splice(at, 1); }
    else if (at < 0) this.chosen = [found];
    this.from = this.chosen.length && !e.shiftKey ? [x, y] : null;
    this.stage.redraw();
    return true;
  }

  move(e) {
    if (!this.from) return;
    const { view, scene } = this.stage, [x, y] = view.mm(e.offsetX, e.offsetY);
    // Over another sheet they are that sheet's.
    const to = scene.sheets.findIndex(({ sheet: s }) => x >= s.x && y >= s.y && x <= s.x + s.w && y <= s.y + s.h);
    this.ghost = this.chosen.map(({ copy, sheet }) => {
      const on = to < 0 ? sheet : to, was = scene.sheets[sheet].sheet, is = scene.sheets[on].sheet;
      return { copy, sheet: on, pose: after([1, 0, 0, 1, x - this.from[0] + was.x - is.x, y - this.from[1] + was.y - is.y], copy.pose) };
    });
    this.stage.canvas.classList.add("held");
    this.stage.blit();
    this.slide();
  }

  /** While the hand moves, where the copies would come to lie is asked again and again: they slide along what is in their way. */
  async slide() {
    if (this.asking) return;
    this.asking = true;
    for (let asked = null; this.ghost && this.from && asked !== this.ghost;) {
      asked = this.ghost;
      const answer = await this.ask({ ...this.wish(asked), ask: "on" }, asked.map((w) => w.copy.id));
      if (!this.ghost || !this.from) break;
      this.rests = answer?.ok ? (await answer.json()).moved : [];
      this.stage.blit();
    }
    this.asking = false;
  }

  up(e, { moved: dragged, lost }) {
    if (dragged && !lost && this.ghost) { this.put(this.ghost); return; }
    this.ghost = this.rests = this.from = null;
    this.stage.redraw();
    this.tell();
  }

  /** Arrow keys by 1 mm, with Shift 10, with Alt 0.1, with Ctrl until it touches; the rest as the card says. */
  key(e) {
    if (!this.chosen.length) return false;
    const step = STEP[e.key], size = e.shiftKey ? 10 : e.altKey ? 0.1 : 1;
    if (step && e.ctrlKey) this.post({ do: "push", way: step.join(",") });
    else if (step) this.shift([1, 0, 0, 1, step[0] * size, step[1] * size]);
    else if (e.ctrlKey) return false;
    else if (e.key === "t") this.turn(90);
    else if (e.key === "x") this.mirror();
    else if (e.key === "k") this.hold();
    else if (e.key === "Delete") this.post({ do: "lift" });
    else if (e.key === "+") this.post({ do: "more" });
    else return false;
    return true;
  }

  /** The box round all that are chosen, as they lie on their sheets. */
  box() {
    const all = this.chosen.map(({ copy }) => this.stage.scene.box(copy));
    return [Math.min(...all.map((b) => b[0])), Math.min(...all.map((b) => b[1])), Math.max(...all.map((b) => b[2])), Math.max(...all.map((b) => b[3]))];
  }

  /** All that are chosen, moved by a matrix. */
  shift(m) { this.put(this.chosen.map((c) => ({ ...c, pose: after(m, c.copy.pose) }))); }

  /** Turned about the middle of their box; quarters are exact. */
  turn(degrees) {
    const [x0, y0, x1, y1] = this.box(), x = (x0 + x1) / 2, y = (y0 + y1) / 2, a = (degrees * Math.PI) / 180;
    const [s, c] = [Math.round(Math.sin(a) * 1e12) / 1e12, Math.round(Math.cos(a) * 1e12) / 1e12];
    this.shift([c, s, -s, c, x - c * x + s * y, y - s * x - c * y]);
  }

  mirror() { const [x0, , x1] = this.box(); this.shift([-1, 0, 0, 1, x0 + x1, 0]); }

  hold() { this.post({ do: this.chosen.every((c) => c.copy.held) ? "free" : "hold" }); }

  /** As typed: the lower left of its box, and its angle. */
  typed({ x, y, angle }) {
    const { copy } = this.chosen[0], now = this.figures(copy), a = ((angle - now.angle) * Math.PI) / 180;
    const [x0, y0, x1, y1] = this.stage.scene.box(copy), [mx, my] = [(x0 + x1) / 2, (y0 + y1) / 2];
    const [s, c] = [Math.round(Math.sin(a) * 1e12) / 1e12, Math.round(Math.cos(a) * 1e12) / 1e12];
    const pose = after([c, s, -s, c, mx - c * mx + s * my, my - s * mx - c * my], copy.pose), [bx, by] = this.stage.scene.box({ ...copy, pose });
    this.put([{ ...this.chosen[0], pose: after([1, 0, 0, 1, x - bx, y - by], pose) }]);
  }

  figures(copy) {
    const [x, y] = this.stage.scene.box(copy), [a, b, c, d] = copy.pose, mirrored = a * d - b * c < 0;
    const angle = ((Math.atan2(mirrored ? -b : b, mirrored ? -a : a) * 180) / Math.PI + 360) % 360;
    return { x, y, angle, mirrored };
  }

  /** Copies with poses, as the server wants them. */
  wish(places) {
    const to = places.map(({ copy, pose }) => { const { angle, mirrored } = this.figures({ ...copy, pose }); return [pose[4], pose[5], angle, mirrored ? 1 : 0].join(","); });
    return { do: "lay", sheet: places[0].sheet, to: to.join(";") };
  }

  put(wish) {
    this.ghost = wish;
    this.stage.blit();
    this.post(this.wish(wish), wish.map((w) => w.copy.id));
  }

  /** One after the other: the next is asked of the revision that the one before has made. */
  post(wish, ids = this.chosen.map((c) => c.copy.id)) { this.busy = this.busy.then(() => this.send(wish, ids)); }

  ask(wish, ids) {
    const { revision, batch } = document.querySelector("#docket").dataset;
    const body = new URLSearchParams({ revision, batch, copies: ids.join(","), ...wish });
    return fetch(`/jobs/${this.stage.job}/copies`, { method: "POST", body }).catch(() => null);
  }

  async send(wish, ids) {
    const docket = document.querySelector("#docket").dataset, { stage } = this;
    const answer = await this.ask(wish, ids);
    this.ghost = this.rests = this.from = null;
    if (!answer?.ok) { stage.tell("refused", { answer }); stage.redraw(); return; }
    const done = await answer.json();
    docket.revision = done.revision;
    for (const [id, sheet, pose] of done.moved) stage.scene.move(id, sheet, pose);
    this.chosen = this.chosen.map((c) => this.find(c.copy.id)).filter(Boolean);
    stage.redraw();
    this.tell(done.slid);
    stage.tell(done.anew ? "changed" : "laid", done);
  }

  tell(slid = 0) {
    const { scene } = this.stage, list = this.chosen;
    if (!list.length) { this.stage.tell("copies", null); return; }
    const { copy } = list[0], [x, y] = list.length > 1 ? this.box() : [];
    const part = scene.parts[copy.part], figures = this.figures(copy);
    this.stage.tell("copies", { count: list.length, name: part.name, part: part.id, held: list.every((c) => c.copy.held), slid, ...figures, ...(list.length > 1 ? { x, y } : {}) });
  }

  outline(c, { copy, sheet }, pose, colour, onLayer, width = 2.6) {
    const { view, scene } = this.stage, s = scene.sheets[sheet]?.sheet;
    if (!s) return;
    view.place(c, s.x, s.y, onLayer);
    c.transform(...pose);
    view.pen(c, colour, width);
    c.stroke(scene.parts[copy.part].area);
  }

  under(c) {
    for (const one of this.lit ? this.ofPart(this.lit) : []) this.outline(c, one, one.copy.pose, LICHEN, true, 1.6);
    for (const one of this.chosen) this.outline(c, one, one.copy.pose, LICHEN, true);
    this.tacks(c);
  }

  /** A tack in the middle of what is held. */
  tacks(c) {
    const { view, scene } = this.stage, [ox, oy] = view.pixels(c, true);
    for (const { sheet: s } of scene.sheets) for (const copy of s.copies.filter((one) => one.held)) {
      const [x0, y0, x1, y1] = scene.box(copy), x = ox + (s.x + (x0 + x1) / 2) * view.k, y = oy - (s.y + (y0 + y1) / 2) * view.k;
      c.setLineDash([]); c.lineWidth = 2; c.strokeStyle = PAPER; c.fillStyle = LICHEN;
      c.beginPath(); c.arc(x, y, 5, 0, 7); c.fill(); c.stroke();
    }
  }

  /** The ghost with its figures beside it. */
  paint(c) {
    if (!this.ghost) return;
    // Where they would lie is drawn full, where the hand has them thin; red where they can lie nowhere near.
    const lie = this.rests?.map(([id, sheet, at]) => ({ ...this.ghost.find((g) => g.copy.id === id), sheet, pose: at })) ?? this.ghost;
    const { view, scene } = this.stage, { copy, sheet, pose } = lie[0] ?? this.ghost[0];
    if (lie !== this.ghost) this.ghost.forEach((g) => this.outline(c, g, g.pose, lie.length ? LICHEN : STOP, false, 1));
    lie.forEach((g) => this.outline(c, g, g.pose, LICHEN, false));
    const { x, y, angle } = this.figures({ ...copy, pose }), s = scene.sheets[sheet].sheet, [ox, oy] = view.pixels(c, false);
    const out = x < 0 || y < 0, words = `x ${x.toFixed(1)}  y ${y.toFixed(1)}  ${angle.toFixed(0)}°`;
    const px = ox + (s.x + x) * view.k, py = oy - (s.y + y) * view.k + 18;
    c.font = "12px 'Spline Sans Mono', monospace"; c.setLineDash([]);
    c.fillStyle = PAPER; c.fillRect(px - 4, py - 12, c.measureText(words).width + 8, 17);
    c.fillStyle = out ? STOP : "#22292b"; c.fillText(words, px, py);
  }
}
