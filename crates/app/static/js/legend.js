// What the signs on the stage mean: those that are on it now, and the one under the pointer.
import { INK, LICHEN, LOOK, PAPER, STOP, ink } from "./paint/inks.js";

const SIZE = [40, 20];
const pen = { pen(c, colour, px, dash = []) { c.strokeStyle = colour; c.lineWidth = px; c.setLineDash(dash); } };

const line = (process, px = 2) => (c) => { const path = new Path2D("M4 10H36"); ink(c, pen, process, path, px); };
const stroke = (d, colour, px = 1.6, dash = []) => (c) => { pen.pen(c, colour, px, dash); c.stroke(new Path2D(d)); };
const plate = (draw) => (c) => { c.fillStyle = PAPER; c.beginPath(); c.arc(20, 10, 8, 0, 7); c.fill(); draw(c); };
const circle = (colour) => (c) => { pen.pen(c, colour, 2); c.beginPath(); c.arc(20, 10, 7, 0, 7); c.stroke(); };
function flag(c) {
  c.fillStyle = PAPER; pen.pen(c, INK.cut, 0.8);
  c.beginPath(); c.moveTo(13, 19); c.lineTo(13, 2); c.rect(13, 2, 14, 12); c.fill(); c.stroke();
  c.fillStyle = INK.cut; c.font = "10px 'Spline Sans Mono', monospace"; c.fillText("7", 17, 12);
}
function diamond(c) {
  c.fillStyle = PAPER; pen.pen(c, INK.cut, 1.2);
  c.beginPath(); c.moveTo(20, 5); c.lineTo(25, 10); c.lineTo(20, 15); c.lineTo(15, 10); c.closePath(); c.fill(); c.stroke();
}
function engraved(c) { pen.pen(c, INK.engrave, 1.2); for (const y of [5, 8, 11, 14]) { c.beginPath(); c.moveTo(6, y); c.lineTo(34, y); c.stroke(); } }
function tack(c) { c.fillStyle = LICHEN; c.strokeStyle = PAPER; c.lineWidth = 2; c.setLineDash([]); c.beginPath(); c.arc(20, 10, 5, 0, 7); c.fill(); c.stroke(); }
function slip(c) { c.fillStyle = PAPER; c.fillRect(8, 3, 24, 14); pen.pen(c, INK.reference, 1); c.strokeRect(8.5, 3.5, 23, 13); }

const strokes = (stage) => stage.scene.sheets.flatMap((g) => g.sheet.strokes);
const has = (process) => ({ scene }) => scene.items.some((i) => i.p === process) || scene.sheets.some((g) => [g.inks, g.cuts].some((of) => Object.keys(of).some((key) => key.split(" ")[0] === process))) || (process === "picture" && scene.groups.some((g) => g.pictures.length));
const shows = (layer) => (stage) => stage.layers.includes(layer) && (layer === "nicks" || stage.numbers);
const fates = (what) => (stage) => shows("fates")(stage) && stage.scene.sheets.some((g) => g.sheet.fates.some((f) => f[2] === what));
const found = (severity) => ({ scene }) => Object.values(scene.marks).some((m) => m.severity === severity && m.points.length);

/** Every sign that there is: its name, what it means, how it looks, and whether it is on the stage. */
export const SIGNS = [
  { name: "cut", means: "cut through, as wide as the kerf", draw: line("cut", 2.4), on: (s) => has("cut")(s) || s.scene.sheets.some((g) => g.kerfs.size) },
  { name: "score", means: "scored: a shallow line", draw: line("score"), on: has("score") },
  { name: "engrave", means: "engraved in rows", draw: engraved, on: (s) => has("engrave")(s) || s.scene.sheets.some((g) => g.sheet.rows.length) },
  { name: "picture", means: "a picture, engraved", draw: stroke("M8 8V4h5M27 4h5v4M32 12v4h-5M13 16H8v-4", INK.picture), on: has("picture") },
  { name: "mark", means: "marked by a tool", draw: line("mark"), on: has("mark") },
  { name: "reference", means: "reference: seen, never sent", draw: line("reference"), on: has("reference") },
  { name: "lead", means: "a lead: the cut begins in the scrap", draw: stroke("M6 16Q18 16 20 4", INK.cut, 1.2), on: (s) => strokes(s).some((k) => k.leads.length) },
  { name: "shared", means: "an edge that two parts share, cut once", draw: stroke("M6 10H34M6 6v8M34 6v8", INK.cut, 1.4), on: ({ scene }) => scene.sheets.some((g) => g.ends.length) },
  { name: "nick", means: "a nick: a bridge is left here", draw: stroke("M17 5v10M23 5v10", LICHEN), on: (s) => shows("nicks")(s) && strokes(s).some((k) => k.nicks.length) },
  { name: "pierce", means: "a pierce: the beam or torch begins here", draw: diamond, on: (s) => shows("pierces")(s) && strokes(s).some((k) => k.p === "cut" && k.n) },
  { name: "number", means: "its number in the order, at its start", draw: flag, on: (s) => shows("numbers")(s) && strokes(s).some((k) => k.n) },
  { name: "way", means: "which way it is cut", draw: stroke("M16 5l8 5l-8 5", INK.cut), on: (s) => shows("numbers")(s) && strokes(s).some((k) => k.n) },
  { name: "travel", means: "travel: the head moves without cutting", draw: stroke("M4 10H36", LICHEN, 1, [4, 3]), on: (s) => shows("travel")(s) && s.scene.sheets.some((g) => g.sheet.travel.length) },
  { name: "falls", means: "falls through the slats", draw: plate(stroke("M15 8h3M22 8h3M20 5v10M17.500 12.500L20 15l2.500-2.500", INK.cut)), on: fates("falls") },
  { name: "tips", means: "tips when it is cut free", draw: plate(stroke("M15 13h10M15 11l9-5", INK.cut)), on: fates("tips") },
  { name: "held", means: "held where it lies when the rest is nested again", draw: tack, on: ({ scene }) => scene.sheets.some((g) => g.sheet.copies.some((c) => c.held)) },
  { name: "slip", means: "the job or the kit that it belongs to", draw: slip, on: ({ scene }) => scene.parts.some((p) => p.slip) },
  { name: "clamp", means: "a clamp: nothing is laid here", draw: stroke("M8 4h24v12H8zM8 12l8-8M16 16L28 4M24 16l8-8", INK.reference, 1.2), on: ({ scene }) => scene.sheets.some((g) => g.sheet.clamps.length) },
  { name: "stop", means: "a finding that has to be settled", draw: circle(STOP), on: found("stop") },
  { name: "look", means: "a finding to look at", draw: circle(LOOK), on: found("look") },
  { name: "fresh", means: "new in this revision", draw: stroke("M4 10H36", LICHEN, 3), on: ({ scene }) => scene.data.bench.some((b) => b.contours.some((c) => c.fresh)) },
  { name: "gone", means: "gone with this revision", draw: stroke("M4 10H36", STOP, 1.6, [6, 4]), on: ({ scene }) => scene.data.bench.some((b) => b.gone.length) },
];

/** How near to a sign the pointer has to be, in pixels. */
const NEAR = 8;

export class Legend {
  constructor(stage) {
    this.stage = stage;
    this.box = Object.assign(document.createElement("section"), { className: "legend", hidden: true, ariaLabel: "Signs on the stage" });
    this.name = Object.assign(document.createElement("p"), { className: "sign-name", hidden: true });
    stage.element.append(this.box, this.name);
  }

  toggle() { this.box.hidden = !this.box.hidden; this.last = null; this.shown(); }

  /** The signs that are on the stage now. */
  now() { return this.stage.scene && !this.stage.scene.empty ? SIGNS.filter((s) => s.on(this.stage)) : []; }

  shown() {
    this.name.hidden = true;
    if (this.box.hidden) return;
    const all = this.now(), names = all.map((s) => s.name).join();
    if (names === this.last) return;
    this.last = names;
    const list = document.createElement("dl"), dpr = devicePixelRatio;
    for (const { name, means, draw } of all) {
      const picture = Object.assign(document.createElement("canvas"), { width: SIZE[0] * dpr, height: SIZE[1] * dpr, ariaHidden: "true" }), c = picture.getContext("2d");
      c.scale(dpr, dpr);
      draw(c);
      const dt = document.createElement("dt"), dd = Object.assign(document.createElement("dd"), { textContent: means });
      dt.dataset.sign = name;
      dt.append(picture);
      list.append(dt, dd);
    }
    this.box.replaceChildren(list);
  }

  /** The sign under a place of the window, if there is one. */
  at(px, py) {
    const { stage } = this, { scene, view, layers, numbers } = stage;
    if (!scene || scene.empty) return null;
    const near = (s, x, y, r = NEAR) => Math.hypot(view.x + (s.x + x) * view.k - px, view.y - (s.y + y) * view.k - py) < r;
    for (const mark of Object.values(scene.marks)) if (mark.severity !== "note" && mark.points.some(([x, y]) => near({ x: 0, y: 0 }, x, y, 11))) return mark.severity;
    for (const { sheet: s } of scene.sheets) {
      if (layers.includes("fates") && numbers) { const fate = s.fates.find(([x, y]) => near(s, x, y)); if (fate) return fate[2] === "falls" ? "falls" : "tips"; }
      const held = s.copies.find((copy) => { if (!copy.held) return false; const [x0, y0, x1, y1] = scene.box(copy); return near(s, (x0 + x1) / 2, (y0 + y1) / 2); });
      if (held) return "held";
      for (const k of s.strokes) {
        if (layers.includes("nicks") && k.nicks.some(([x, y]) => near(s, x, y))) return "nick";
        if (!numbers || !k.n) continue;
        if (layers.includes("pierces") && k.p === "cut" && near(s, ...k.start, 6)) return "pierce";
        if (layers.includes("numbers") && near(s, ...k.start, NEAR)) return "number";
      }
      if (s.clamps.some(([x, y, w, h]) => { const [mx, my] = view.mm(px, py); return mx > s.x + x && mx < s.x + x + w && my > s.y + y && my < s.y + y + h; })) return "clamp";
    }
    return null;
  }

  /** Names what is under the pointer, beside it. */
  hover(px, py) {
    const sign = SIGNS.find((s) => s.name === this.at(px, py));
    this.name.hidden = !sign;
    if (!sign) return;
    this.name.textContent = sign.means;
    this.name.style.left = `${Math.min(px + 14, this.stage.view.w - this.name.offsetWidth - 6)}px`;
    this.name.style.top = `${py + 16}px`;
  }
}
