// Nest's tool: copies are taken by hand, one or several. Their ghost moves at once; where they may lie, the server decides, and
// they take the server's place.
import { LICHEN, PAPER, STOP } from "/static/js/paint/inks.js";
import { after, inverse, moved } from "/static/js/shapes.js";
import { Hands } from "./hands.js";
import { alongside, sideOf } from "./sides.js";
import { lines, snapped } from "./snapping.js";

/** The handle to turn by stands so many pixels above what is chosen, and is so large. */
const HANDLE = { above: 26, reach: 9 };
/** It snaps to so many degrees, unless Shift is held. */
const SNAP = 15;
const STEP = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

export class Carry extends Hands {
  /** Nothing is chosen any more; a drag ends where it began. */
  none() { this.settle(); this.ghost = this.rests = this.from = this.turning = this.guides = this.siding = null; if (this.chosen.length) { this.chosen = []; this.tell(); } }

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

  /** Where the handle to turn by is, in pixels; null where nothing is chosen, or on several sheets. */
  handle() {
    const { view, scene } = this.stage, [first] = this.chosen;
    if (!first || this.chosen.some((c) => c.sheet !== first.sheet)) return null;
    const [x0, , x1, y1] = this.box(), s = scene.sheets[first.sheet].sheet;
    return [view.x + (s.x + (x0 + x1) / 2) * view.k, view.y - (s.y + y1) * view.k - HANDLE.above];
  }
  onHandle(e) { const at = this.handle(); return at && Math.hypot(e.offsetX - at[0], e.offsetY - at[1]) < HANDLE.reach; }

  /** What a click would do here, as the pointer shows it. */
  cursor(e) {
    this.at = this.stage.view.mm(e.offsetX, e.offsetY);
    if (!this.stage.scene?.sheets.length || this.searching()) return null;
    if (this.siding) return this.beneath(...this.at) ? "crosshair" : "not-allowed";
    if (this.onHandle(e)) return "alias";
    const found = this.beneath(...this.at);
    return found ? (e.altKey ? "copy" : "move") : null;
  }

  down(e) {
    if (!this.stage.scene?.sheets.length || this.searching()) return false;
    const [x, y] = this.stage.view.mm(e.offsetX, e.offsetY), more = e.shiftKey || e.ctrlKey || e.metaKey;
    this.settle();
    if (this.siding) { this.side(x, y); return true; }
    if (!more && this.onHandle(e)) { this.turning = { from: [x, y] }; return true; }
    const found = this.beneath(x, y);
    if (!found) { if (!more && !e.altKey && this.chosen.length) { this.chosen = []; this.tell(); } return false; }
    const at = this.chosen.findIndex((c) => c.copy.id === found.copy.id);
    if (more) { if (at < 0) this.chosen.push(found); else this.chosen.splice(at, 1); }
    else if (at < 0) this.chosen = [found];
    this.from = this.chosen.length && !more ? [x, y] : null;
    this.doubling = e.altKey;
    this.lines = null;
    this.stage.redraw();
    return true;
  }

  /** The next two clicks are sides: the first goes along the second. */
  sides() { this.siding = {}; this.stage.tell("refused", { sentence: "Click near the side that goes, then near the side of another copy that it goes along. Escape leaves it." }); }
  side(x, y) {
    const found = this.beneath(x, y), { scene } = this.stage, s = found && scene.sheets[found.sheet].sheet;
    const side = found && sideOf(scene, found.copy, x - s.x, y - s.y), { first } = this.siding;
    if (!side) { this.stage.tell("refused", { sentence: found ? "That copy has no straight side." : "There is no copy there." }); return; }
    if (!first || first.copy.id === found.copy.id) { this.siding.first = { ...found, side }; this.chosen = [found]; this.tell(); this.stage.redraw(); return; }
    this.siding = null;
    const gap = Number(document.querySelector("#copy-template").dataset.spacing) + 0.002, { copy } = first;
    this.chosen = [first];
    this.put([{ copy, sheet: found.sheet, pose: after(alongside(first.side, side, gap), copy.pose) }]);
  }

  move(e) {
    const { view, scene } = this.stage, [x, y] = view.mm(e.offsetX, e.offsetY);
    if (this.turning) { this.turnTo(x, y, e.shiftKey); return; }
    if (!this.from || this.siding) return;
    // Over another sheet they are that sheet's.
    const one = this.chosen.every((c) => c.sheet === this.chosen[0].sheet), to = one ? this.sheetAt(x, y) : -1;
    const shifted = (bx, by) => this.chosen.map(({ copy, sheet }) => {
      const on = to < 0 ? sheet : to, was = scene.sheets[sheet].sheet, is = scene.sheets[on].sheet;
      return { copy, sheet: on, pose: after([1, 0, 0, 1, x - this.from[0] + was.x - is.x + bx, y - this.from[1] + was.y - is.y + by], copy.pose) };
    });
    this.ghost = shifted(0, 0);
    this.guides = null;
    if (one && !e.ctrlKey) {
      const on = this.ghost[0].sheet;
      if (this.lines?.sheet !== on) this.lines = { sheet: on, ...lines(scene, on, new Set(this.doubling ? [] : this.chosen.map((c) => c.copy.id))) };
      const found = snapped(this.boxOf(this.ghost), this.lines, view.k);
      if (found.x || found.y) { this.ghost = shifted(...found.by); this.guides = { sheet: on, ...found }; }
    }
    this.stage.canvas.classList.add("held");
    this.stage.blit();
    this.slide();
  }

  /** All that are chosen, turned about the middle of their box as the pointer goes round it. */
  turnTo(x, y, free) {
    const { scene } = this.stage, s = scene.sheets[this.chosen[0].sheet].sheet, [x0, y0, x1, y1] = this.box();
    const [mx, my] = [s.x + (x0 + x1) / 2, s.y + (y0 + y1) / 2], angle = (p) => (Math.atan2(p[1] - my, p[0] - mx) * 180) / Math.PI;
    const by = angle([x, y]) - angle(this.turning.from), degrees = free ? by : Math.round(by / SNAP) * SNAP;
    this.ghost = this.moved(this.turned(degrees));
    this.stage.blit();
  }

  /** While the hand moves, where the copies would come to lie is asked again and again: they slide along what is in their way. */
  async slide() {
    if (this.asking) return;
    this.asking = true;
    for (let asked = null; this.ghost && this.from && asked !== this.ghost;) {
      asked = this.ghost;
      const answer = await this.ask({ ...this.wish(asked), ...(this.doubling ? { do: "double" } : {}), ask: "on" }, asked.map((w) => w.copy.id));
      if (!this.ghost || !this.from) break;
      this.rests = answer?.ok ? (await answer.json()).moved.map(([id, ...rest], n) => [this.doubling ? asked[n].copy.id : id, ...rest]) : [];
      this.stage.blit();
    }
    this.asking = false;
  }

  up(e, { moved: dragged, lost }) {
    const { ghost, doubling } = this;
    this.guides = this.turning = null;
    this.doubling = false;
    if (dragged && !lost && ghost) {
      if (doubling) { this.ghost = this.rests = this.from = null; this.double(ghost); } else this.put(ghost);
      return;
    }
    this.ghost = this.rests = this.from = null;
    this.stage.redraw();
    this.tell();
  }

  /** Keys for what is chosen. */
  get table() {
    const when = () => this.chosen.length > 0, arrows = (held) => Object.keys(STEP).map((a) => held + a).join(" ");
    const by = (size) => (e) => this.nudge(STEP[e.key][0] * size, STEP[e.key][1] * size);
    const take = () => { this.settle(); this.taken = this.chosen.map(({ copy }) => ({ ...copy })); };
    return [
      { chords: arrows(""), shown: "arrows", words: "move what is chosen by 1 mm", act: by(1), when },
      { chords: arrows("Shift+"), shown: "Shift+arrows", words: "by 10 mm", act: by(10), when },
      { chords: arrows("Alt+"), shown: "Alt+arrows", words: "by 0.1 mm", act: by(0.1), when },
      { chords: arrows("Ctrl+"), shown: "Ctrl+arrows", words: "push until it touches", act: (e) => this.post({ do: "push", way: STEP[e.key].join(",") }), when },
      { chords: "t", words: "turn by 90°", act: () => this.turn(90), when },
      { chords: "x", words: "mirror", act: () => this.mirror(), when },
      { chords: "k", words: "hold in place, or let go", act: () => this.hold(), when },
      { chords: "+", words: "one more copy", act: () => this.post({ do: "more" }), when },
      { chords: "Delete", words: "lift off", act: () => this.post({ do: "lift" }), when },
      { chords: ". ,", shown: ". and ,", words: "choose the next copy, the one before", act: (e) => this.walk(e.key === "." ? 1 : -1), when: () => this.stage.scene?.sheets.length > 0 },
      { chords: "Ctrl+a", shown: "Ctrl+A", words: "choose all on this sheet", act: () => this.chooseSheet() },
      { chords: "Ctrl+Shift+a", shown: "Ctrl+Shift+A", words: "choose all of this part", act: () => this.chooseKind() },
      { chords: "Ctrl+c", shown: "Ctrl+C", words: "copy", act: take, when },
      { chords: "Ctrl+x", shown: "Ctrl+X", words: "take off the sheet, to be pasted", act: () => { take(); this.post({ do: "lift" }); }, when },
      { chords: "Ctrl+v", shown: "Ctrl+V", words: "paste at the pointer", act: () => this.paste(), when: () => this.taken.length > 0 },
      { chords: "Ctrl+d", shown: "Ctrl+D", words: "once more beside it", act: () => this.twin(), when },
    ];
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
    this.knob(c);
  }

  /** The handle to turn by. */
  knob(c) {
    const { view } = this.stage, at = this.handle();
    if (!at) return;
    view.pixels(c, true);
    const [x, y] = [at[0] + view.margin, at[1] + view.margin];
    c.setLineDash([]); c.lineWidth = 1.5; c.strokeStyle = LICHEN; c.fillStyle = PAPER;
    c.beginPath(); c.moveTo(x, y + 6); c.lineTo(x, y + HANDLE.above); c.stroke();
    c.beginPath(); c.arc(x, y, 6, 0, 7); c.fill(); c.stroke();
  }

  /** The lines that what is dragged is in line with, from it to what it is in line with. */
  guide(c, box) {
    if (!this.guides) return;
    const { view, scene } = this.stage, s = scene.sheets[this.guides.sheet].sheet;
    view.place(c, s.x, s.y, false);
    view.pen(c, LICHEN, 1, [4, 3]);
    c.beginPath();
    const { x, y } = this.guides;
    if (x) { c.moveTo(x.at, Math.min(box[1], x.box[1])); c.lineTo(x.at, Math.max(box[3], x.box[3])); }
    if (y) { c.moveTo(Math.min(box[0], y.box[0]), y.at); c.lineTo(Math.max(box[2], y.box[2]), y.at); }
    c.stroke();
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
    this.guide(c, this.boxOf(this.ghost));
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
