// Draws the stage and picks on it. It decides nothing: what is drawn comes from the server, y up in mm.

import { boundsOf, meetsBox, nearest } from "./measures.js";

const INK = { picture: "#8a5a2b", cut: "#22292b", score: "#7b3b63", engrave: "#8a5a2b", mark: "#1f6f6b", reference: "#8b959b" };
const STOP = "#c8402a", LOOK = "#b98510", LICHEN = "#5f7a3a";
const ORDER = ["reference", "picture", "engrave", "mark", "score", "cut"];

/** Adds x, y, bulge, x, y, ... to a path: lines, and arcs where the bulge is not 0. */
function trace(path, d, close) {
  if (d.length < 2) return;
  path.moveTo(d[0], d[1]);
  for (let i = 2; i < d.length; i += 3) arcTo(path, d[i - 2], d[i - 1], d[i], d[i + 1], d[i + 2]);
  if (close) path.closePath();
}

/** One line or arc; bulge = tan(sweep / 4). */
export function arcTo(path, x0, y0, bulge, x1, y1) {
  if (Math.abs(bulge) < 1e-5) { path.lineTo(x1, y1); return; }
  const dx = x1 - x0, dy = y1 - y0, chord = Math.hypot(dx, dy);
  const k = (1 - bulge * bulge) / (4 * bulge);
  const cx = (x0 + x1) / 2 - dy * k, cy = (y0 + y1) / 2 + dx * k;
  const r = (chord * (1 + bulge * bulge)) / (4 * Math.abs(bulge));
  path.arc(cx, cy, r, Math.atan2(y0 - cy, x0 - cx), Math.atan2(y1 - cy, x1 - cx), bulge < 0);
}

const shade = (hex, by) => {
  const n = parseInt(hex.slice(1), 16);
  const c = (v) => Math.max(0, Math.min(255, Math.round(v + by)));
  return `rgb(${c(n >> 16)} ${c((n >> 8) & 255)} ${c(n & 255)})`;
};

export class Stage {
  constructor(element) {
    this.element = element;
    element.stage = this;
    this.canvas = element.querySelector("canvas");
    this.scene = null;
    this.numbers = true;
    this.chosen = [];
    this.marked = null;
    this.overlay = null;
    this.underlay = null;
    this.view = { x: 0, y: 0, k: 1 };
    this.layer = document.createElement("canvas");
    this.dark = matchMedia("(prefers-color-scheme: dark)");
    this.dark.addEventListener("change", () => this.redraw());
    // A view that no hand chose fits the room there is, also when that changes.
    new ResizeObserver(() => { this.resize(); if (this.scene && !this.touched && !this.marked) this.fit(this.fitted ?? undefined); else this.redraw(); }).observe(element);
    this.listen();
    this.resize();
  }

  resize() {
    this.dpr = window.devicePixelRatio || 1;
    this.w = this.element.clientWidth;
    this.h = this.element.clientHeight;
    this.canvas.width = Math.max(1, this.w * this.dpr);
    this.canvas.height = Math.max(1, this.h * this.dpr);
  }

  /** Fetches the scene of a station; the view is kept while a search runs or the same things are shown. */
  async load(job, station, live = false, keepView = false) {
    const response = await fetch(`/jobs/${job}/stage/${station}${live ? "?live=true" : ""}`);
    if (!response.ok) return;
    const scene = await response.json();
    const before = this.extent, moved = this.station !== station;
    this.station = station;
    this.job = job;
    this.scene = scene;
    this.overlay = null;
    this.underlay = null;
    this.chosen = [];
    this.region = null;
    if (this.measuring) this.measuring = { points: [] };
    this.build();
    const same = before && this.extent && before.every((v, i) => Math.abs(v - this.extent[i]) < 1e-6);
    // A view that a hand chose stays while the same things are shown; what a jump to a finding zoomed to does not outlive
    // its station, and a layout that grows is seen whole.
    const keep = this.touched ? same || (keepView && before && moved === false) : same && moved === false;
    if (keep) this.redraw(); else this.fit();
    const empty = !scene.bench.length && !scene.sheets.length;
    const note = this.element.querySelector("#stage-note");
    note.hidden = !empty;
    note.textContent = empty ? "The bench is empty. Drop drawings here." : "";
  }

  /** Turns the scene into paths: one for each ink of each sheet or drawing, so that a frame is few strokes. */
  build() {
    const { bench, sheets } = this.scene;
    this.items = [];
    this.groups = [];
    const all = [Infinity, Infinity, -Infinity, -Infinity];
    const add = (x, y, w, h) => { all[0] = Math.min(all[0], x); all[1] = Math.min(all[1], y); all[2] = Math.max(all[2], x + w); all[3] = Math.max(all[3], y + h); };
    for (const b of bench) {
      add(b.x, b.y, b.w, b.h);
      const gone = new Path2D(), fresh = new Path2D();
      b.gone.forEach((d) => trace(gone, d, false));
      b.contours.filter((c) => c.fresh).forEach((c) => trace(fresh, c.d, c.closed));
      const picture = b.picture && this.picture(...b.picture);
      const inks = {}, pictures = [], engraved = new Path2D(), wound = new Path2D();
      const solid = new Path2D();
      for (const c of b.contours) {
        if (c.picture) pictures.push(this.picture(`/jobs/${this.job}/tone/${c.id}?revision=${this.scene.revision}`, c.picture));
        trace((inks[c.p] ??= new Path2D()), c.d, c.closed);
        if (c.p === "engrave" && c.closed) trace(c.wound ? wound : engraved, c.d, true);
        if (c.closed && c.p === "cut") trace(solid, c.d, true);
        this.items.push({ ...c, dx: 0, dy: 0, b: boundsOf(c.d) });
      }
      this.groups.push({ kind: "bench", box: [b.x, b.y, b.w, b.h], name: b.name, id: b.id, inks, solid, gone, fresh, picture, pictures, texts: b.texts, engraved, wound });
    }
    for (const s of sheets) {
      add(s.x, s.y, s.w, s.h);
      const group = { kind: "sheet", box: [s.x, s.y, s.w, s.h], sheet: s, inks: {}, kerfs: new Map(), leads: new Path2D(), parts: new Path2D(), edge: new Path2D(), rows: new Path2D(), engraved: new Path2D(), wound: new Path2D(), travel: new Path2D(), pictures: s.pictures.map(([id, matrix]) => this.picture(`/jobs/${this.job}/tone/${id}?revision=${this.scene.revision}`, matrix)) };
      if (s.outline.length) s.outline.forEach((o) => trace(group.edge, o, true)); else group.edge.rect(0, 0, s.w, s.h);
      for (const p of s.parts) { trace(group.parts, p.outline, true); p.holes.forEach((h) => trace(group.parts, h, true)); }
      for (const k of s.strokes) {
        if (k.p === "cut") {
          let path = group.kerfs.get(k.kerf);
          if (!path) group.kerfs.set(k.kerf, (path = new Path2D()));
          k.runs.forEach((r) => trace(path, r, false));
        } else {
          k.runs.forEach((r) => trace((group.inks[k.p] ??= new Path2D()), r, false));
          if (k.p === "engrave") k.runs.forEach((r) => trace(k.wound ? group.wound : group.engraved, r, true));
        }
        k.leads.forEach((l) => trace(group.leads, l, false));
        this.items.push({ id: k.id, p: k.p, d: k.drawn, dx: s.x, dy: s.y, b: boundsOf(k.drawn), closed: true });
      }
      for (const row of s.rows) for (let i = 0; i + 3 < row.length; i += 4) { group.rows.moveTo(row[i], row[i + 1]); group.rows.lineTo(row[i + 2], row[i + 3]); }
      for (const t of s.travel) { group.travel.moveTo(t[0], t[1]); group.travel.lineTo(t[2], t[3]); }
      this.groups.push(group);
    }
    this.extent = all[0] === Infinity ? null : all;
  }

  /** A picture under its outlines, drawn once it is there. */
  picture(address, matrix) {
    this.pictures ??= new Map();
    let image = this.pictures.get(address);
    if (!image) {
      image = new Image();
      image.onload = () => this.redraw();
      image.src = address;
      // Tones of earlier revisions are not wanted again.
      if (this.pictures.size > 60) this.pictures.clear();
      this.pictures.set(address, image);
    }
    return { image, matrix };
  }

  fit(box = this.extent) {
    if (!box) { this.redraw(); return; }
    const [x0, y0, x1, y1] = box, room = 46;
    const k = Math.min((this.w - 2 * room) / Math.max(1, x1 - x0), (this.h - 2 * room) / Math.max(1, y1 - y0));
    this.view = { k, x: (this.w - k * (x0 + x1)) / 2, y: (this.h + k * (y0 + y1)) / 2 };
    this.touched = false;
    this.fitted = box === this.extent ? null : box;
    this.redraw();
  }

  toggleNumbers() { this.numbers = !this.numbers; this.redraw(); }

  /** Shows where a finding is. */
  show(index) {
    const mark = this.scene?.marks[index];
    this.marked = mark ?? null;
    if (!mark) { this.redraw(); return; }
    let points = mark.points;
    if (!points.length) points = this.items.filter((i) => mark.contours.includes(i.id)).flatMap((i) => [[i.b[0] + i.dx, i.b[1] + i.dy], [i.b[2] + i.dx, i.b[3] + i.dy]]);
    if (!points.length) { this.redraw(); return; }
    const xs = points.map((p) => p[0]), ys = points.map((p) => p[1]), room = 25;
    this.fit([Math.min(...xs) - room, Math.min(...ys) - room, Math.max(...xs) + room, Math.max(...ys) + room]);
  }

  choose(items, detail = {}) {
    this.chosen = items;
    this.redraw();
    const first = items[0];
    this.element.dispatchEvent(new CustomEvent("chosen", { detail: { ids: [...new Set(items.map((i) => i.id))], of: first?.of, size: first ? [first.b[2] - first.b[0], first.b[3] - first.b[1]] : null, process: first?.p ?? "", why: first?.why ?? "", ...detail } }));
  }

  /** Draws the scene to the layer, a margin wider than the window, and the layer to the screen. */
  redraw() {
    this.stale = false;
    this.drawn = { ...this.view };
    const m = this.margin = Math.round(Math.min(this.w, this.h) * 0.35);
    const layer = this.layer;
    layer.width = (this.w + 2 * m) * this.dpr;
    layer.height = (this.h + 2 * m) * this.dpr;
    const c = layer.getContext("2d", { alpha: false });
    c.fillStyle = this.dark.matches ? "#191d1f" : "#e6dfd1";
    c.fillRect(0, 0, layer.width, layer.height);
    if (this.scene) {
      const { x, y, k } = this.view;
      for (const g of this.groups) {
        const [gx, gy, gw, gh] = g.box;
        const left = x + gx * k, bottom = y - gy * k;
        if (left > this.w + m || left + gw * k < -m || bottom < -m || bottom - gh * k > this.h + m) continue;
        if (g.kind === "bench") this.drawBench(c, g); else this.drawSheet(c, g);
      }
      if (this.underlay) this.underlay(c);
      this.drawMarks(c);
    }
    this.blit();
  }

  /** Adds to what is drawn, at the view it was drawn for. */
  paint(add) {
    const view = this.view;
    this.view = this.drawn;
    add(this.layer.getContext("2d", { alpha: false }));
    this.view = view;
    this.blit();
  }

  /** The picture at the present view: while it moves, the drawn layer is only shifted and stretched. */
  blit() {
    const c = this.canvas.getContext("2d", { alpha: false });
    const { drawn, view, margin, dpr } = this;
    const f = view.k / drawn.k;
    c.setTransform(1, 0, 0, 1, 0, 0);
    c.fillStyle = this.dark.matches ? "#191d1f" : "#e6dfd1";
    c.fillRect(0, 0, this.canvas.width, this.canvas.height);
    c.imageSmoothingEnabled = f !== 1;
    const left = view.x - drawn.x * f - margin * f, top = view.y - drawn.y * f - margin * f;
    c.drawImage(this.layer, left * dpr, top * dpr, this.layer.width * f, this.layer.height * f);
    if (this.overlay) this.overlay(c);
    if (this.lasso) {
      const { x, y, tx, ty, box } = this.lasso;
      c.setTransform(dpr, 0, 0, dpr, 0, 0);
      c.strokeStyle = LICHEN; c.lineWidth = 1.5; c.setLineDash(box === "within" ? [] : [5, 4]);
      c.strokeRect(x, y, tx - x, ty - y);
    }
  }

  /** Pixels from mm, for a drawing or sheet at dx, dy. */
  place(c, dx = 0, dy = 0, onLayer = true) {
    const { x, y, k } = this.view, d = this.dpr, m = onLayer ? this.margin : 0;
    c.setTransform(k * d, 0, 0, -k * d, (x + m + dx * k) * d, (y + m - dy * k) * d);
  }

  pen(c, colour, px, dash = []) {
    c.strokeStyle = colour;
    c.lineWidth = px / this.view.k;
    c.setLineDash(dash.map((v) => v / this.view.k));
    c.lineCap = "butt";
    c.lineJoin = "round";
  }

  drawBench(c, g) {
    this.place(c);
    if (g.picture?.image.complete) {
      c.save();
      c.transform(...g.picture.matrix);
      c.globalAlpha = 0.55;
      c.drawImage(g.picture.image, 0, 0);
      c.restore();
    }
    c.fillStyle = shade(this.scene.tone, 10);
    c.fill(g.solid, "evenodd");
    this.drawPictures(c, g);
    c.fillStyle = INK.engrave + "59"; c.fill(g.engraved, "evenodd"); c.fill(g.wound, "nonzero");
    for (const p of ORDER) if (g.inks[p]) this.ink(c, p, g.inks[p], 1.5);
    this.pen(c, STOP, 1.6, [6, 4]); c.stroke(g.gone);
    this.pen(c, LICHEN, 3); c.stroke(g.fresh);
    const d = this.dpr, { x, y, k } = this.view, m = this.margin;
    c.setTransform(d, 0, 0, d, 0, 0);
    c.fillStyle = this.dark.matches ? "#a9b0ac" : "#59625f";
    c.font = "13px Commissioner, sans-serif";
    c.fillText(g.name, x + m + g.box[0] * k, y + m - g.box[1] * k + 20);
    for (const [tx, ty, height, angle, text] of g.texts) {
      if (height * k < 5) continue;
      c.save();
      c.translate((x + m + tx * k), (y + m - ty * k));
      c.rotate(-angle);
      c.font = `${height * k * 1.35}px Commissioner, sans-serif`;
      c.fillStyle = INK.reference;
      c.fillText(text, 0, 0);
      c.restore();
    }
  }

  /** Pictures in their engraved tone, with corner ticks. */
  drawPictures(c, g) {
    for (const { image, matrix: [a, b, cc, d, e, f] } of g.pictures) {
      if (g.kind === "bench") {
        // What will lie under it is the material.
        c.save(); c.transform(a, b, cc, d, e, f); c.fillStyle = shade(this.scene.tone, 10); c.fillRect(0, 0, 1, 1); c.restore();
      }
      if (image.complete && image.naturalWidth) {
        c.save();
        c.transform(a, b, cc, d, e, f);
        c.drawImage(image, 0, 0, 1, 1);
        c.restore();
      }
      this.pen(c, INK.picture, 1.6);
      const tick = 9 / this.view.k, u = tick / Math.hypot(a, b), v = tick / Math.hypot(cc, d);
      c.beginPath();
      for (const [x, y] of [[0, 0], [1, 0], [1, 1], [0, 1]]) {
        const at = (p, q) => [a * p + cc * q + e, b * p + d * q + f], du = x ? -u : u, dv = y ? -v : v;
        c.moveTo(...at(x + du, y)); c.lineTo(...at(x, y)); c.lineTo(...at(x, y + dv));
      }
      c.stroke();
    }
  }

  /** A picture in a tone that is being tried. */
  tryTone(id, wish) {
    for (const g of this.groups) for (const p of g.pictures) {
      if (!p.image.src.includes(`/tone/${id}`)) continue;
      const next = new Image();
      next.onload = () => { p.image = next; this.redraw(); };
      next.src = `/jobs/${this.job}/tone/${id}?${wish}`;
    }
  }

  /** Outlines that are being tried, over what is drawn; none to stop. */
  tryOut(lines) {
    this.underlay = lines && ((c) => {
      const path = new Path2D();
      lines.forEach((d) => trace(path, d, true));
      this.place(c); this.pen(c, LICHEN, 2); c.stroke(path);
    });
    this.redraw();
  }

  /** One process in its own form: cut solid, score double dashed, mark with ticks, reference dotted. */
  ink(c, process, path, px) {
    if (process === "picture") return;
    if (process === "engrave") this.pen(c, INK.engrave, 0.8);
    else if (process === "score") this.pen(c, INK.score, px, [7, 2, 3, 2]);
    else if (process === "mark") this.pen(c, INK.mark, px, [9, 2, 1.5, 2]);
    else if (process === "reference") this.pen(c, INK.reference, 1.2, [1.2, 3.2]);
    else this.pen(c, this.dark.matches && this.scene.bench.length ? "#ece6da" : INK.cut, px);
    c.stroke(path);
  }

  drawSheet(c, g) {
    const s = g.sheet, k = this.view.k, tone = this.scene.tone;
    this.place(c, s.x, s.y);
    c.save();
    c.shadowColor = "rgb(0 0 0 / 28%)"; c.shadowBlur = 14; c.shadowOffsetY = 4;
    c.fillStyle = shade(tone, -14);
    c.fill(g.edge, "evenodd");
    c.restore();
    c.fillStyle = shade(tone, 12);
    c.fill(g.parts, "evenodd");
    if (this.scene.grain) this.drawGrain(c, g);
    this.drawPictures(c, g);
    if (!s.rows.length) { c.fillStyle = INK.engrave + "88"; c.fill(g.engraved, "evenodd"); c.fill(g.wound, "nonzero"); }
    if (s.rows.length) { c.strokeStyle = INK.engrave; c.lineWidth = Math.max(s.pitch * 0.82, 0.35 / k); c.setLineDash([]); c.stroke(g.rows); }
    for (const p of ["mark", "score"]) if (g.inks[p]) this.ink(c, p, g.inks[p], 1.4);
    c.setLineDash([]);
    for (const [kerf, path] of g.kerfs) {
      c.strokeStyle = INK.cut; c.lineCap = "butt"; c.lineJoin = "round";
      c.lineWidth = Math.max(kerf, 1.25 / k);
      c.stroke(path);
      c.globalAlpha = 0.55; c.lineWidth *= 0.6; c.stroke(g.leads); c.globalAlpha = 1;
    }
    const later = ["order", "hold", "proof", "release"].includes(this.station);
    if (later) this.drawNicks(c, g);
    if (this.station === "order" && this.numbers) { this.pen(c, LICHEN, 1, [4, 3]); c.stroke(g.travel); this.drawNumbers(c, g); }
    else if (this.numbers && this.station === "hold") this.drawPierces(c, g);
  }

  /** Faint strokes along the sheet. */
  drawGrain(c, g) {
    const s = g.sheet, k = this.view.k;
    c.save();
    c.clip(g.edge, "evenodd");
    c.strokeStyle = "rgb(96 66 28 / 9%)"; c.lineWidth = 1 / k; c.setLineDash([]);
    c.beginPath();
    const gap = Math.max(5, 6 / k);
    for (let y = gap / 2, i = 0; y < s.h; y += gap * (0.7 + ((i * 7919) % 13) / 20), i += 1) {
      const from = ((i * 104729) % 100) / 100 * s.w * 0.5, to = from + s.w * (0.3 + ((i * 1299709) % 50) / 100);
      c.moveTo(from, y); c.bezierCurveTo(from + 30, y + 0.8, to - 30, y - 0.8, Math.min(to, s.w), y);
    }
    c.stroke();
    c.restore();
  }

  drawNicks(c, g) {
    const k = this.view.k, tick = Math.max(1.5, 6 / k);
    c.strokeStyle = LICHEN; c.lineWidth = Math.max(0.3, 1.6 / k); c.setLineDash([]);
    c.beginPath();
    for (const s of g.sheet.strokes) for (const [x, y, nx, ny] of s.nicks) {
      for (const side of [-1, 1]) {
        const ax = x + ny * side * tick * 0.35, ay = y - nx * side * tick * 0.35;
        c.moveTo(ax - nx * tick * 0.6, ay - ny * tick * 0.6); c.lineTo(ax + nx * tick * 0.6, ay + ny * tick * 0.6);
      }
    }
    c.stroke();
  }

  drawPierces(c, g) {
    const r = Math.max(0.6, 3.4 / this.view.k);
    c.strokeStyle = INK.cut; c.fillStyle = "#f4f0e7"; c.lineWidth = 1.1 / this.view.k; c.setLineDash([]);
    c.beginPath();
    for (const s of g.sheet.strokes) if (s.p === "cut" && s.n) { const [x, y] = s.start; c.moveTo(x, y - r); c.lineTo(x + r, y); c.lineTo(x, y + r); c.lineTo(x - r, y); c.closePath(); }
    c.fill(); c.stroke();
  }

  /** Paper flags with the number of each start, and a chevron along the cut. */
  drawNumbers(c, g) {
    const d = this.dpr, { x, y, k } = this.view, m = this.margin, s = g.sheet, taken = [];
    c.setTransform(d, 0, 0, d, 0, 0);
    c.font = "11px 'Spline Sans Mono', monospace";
    c.setLineDash([]);
    // Nothing lies over anything else: what has no room is left out until one zooms in.
    const free = (l, t, r, b) => {
      if (taken.some((o) => l < o[2] && r > o[0] && t < o[3] && b > o[1])) return false;
      taken.push([l, t, r, b]);
      return true;
    };
    for (const stroke of s.strokes) {
      if (!stroke.n) continue;
      const [sx, sy, wx, wy] = stroke.start;
      const px = x + m + (s.x + sx) * k, py = y + m - (s.y + sy) * k;
      const text = String(stroke.n), w = text.length * 6.7 + 7;
      if (free(px - 2, py - 23, px + w + 2, py - 5)) {
        c.fillStyle = "#f4f0e7"; c.strokeStyle = "#22292b"; c.lineWidth = 0.8;
        c.beginPath(); c.moveTo(px, py); c.lineTo(px, py - 21); c.rect(px, py - 21, w, 14); c.fill(); c.stroke();
        c.fillStyle = "#22292b"; c.fillText(text, px + 3.5, py - 10);
      }
      if (!free(px - 5, py - 4, px + 5, py + 5)) continue;
      c.strokeStyle = INK.cut; c.lineWidth = 1.3;
      c.beginPath();
      c.moveTo(px - wx * 5 - wy * 3.2, py + wy * 5 - wx * 3.2); c.lineTo(px + wx * 2, py - wy * 2); c.lineTo(px - wx * 5 + wy * 3.2, py + wy * 5 + wx * 3.2);
      c.stroke();
    }
  }

  drawMarks(c) {
    const ring = (points, colour) => {
      const d = this.dpr, { x, y, k } = this.view, m = this.margin;
      c.setTransform(d, 0, 0, d, 0, 0);
      c.strokeStyle = colour; c.lineWidth = 2; c.setLineDash([]);
      for (const [px, py] of points) { c.beginPath(); c.arc(x + m + px * k, y + m - py * k, 9, 0, 7); c.stroke(); }
    };
    const outline = (items, colour) => {
      for (const i of items) { this.place(c, i.dx, i.dy); const path = new Path2D(); trace(path, i.d, i.closed); this.pen(c, colour, 3.2); c.stroke(path); }
    };
    for (const mark of Object.values(this.scene.marks)) if (mark.severity !== "note") ring(mark.points, mark.severity === "stop" ? STOP : LOOK);
    if (this.marked) {
      const colour = this.marked.severity === "stop" ? STOP : LOOK;
      ring(this.marked.points, colour);
      outline(this.items.filter((i) => this.marked.contours.includes(i.id)), colour);
    }
    outline(this.chosen, LICHEN);
    if (this.region) { this.place(c); this.pen(c, LICHEN, 2); c.strokeRect(this.region[0], this.region[1], this.region[2] - this.region[0], this.region[3] - this.region[1]); }
    if (this.measuring) {
      const p = this.measuring.points;
      ring(p, LICHEN);
      if (p.length === 2) {
        this.place(c); this.pen(c, LICHEN, 2);
        c.beginPath(); c.moveTo(...p[0]); c.lineTo(...p[1]); c.stroke();
      }
    }
  }

  listen() {
    const el = this.canvas;
    let from = null;
    el.addEventListener("pointerdown", (e) => {
      const box = e.shiftKey ? "within" : e.altKey ? "touching" : null;
      const carried = !box && this.station === "assign" && this.chosen.length > 0 && this.held(e.offsetX, e.offsetY);
      from = { carried, x: e.offsetX, y: e.offsetY, view: { ...this.view }, moved: false, box };
      // A pointer that has gone by then cannot be held.
      try { el.setPointerCapture(e.pointerId); } catch { /* nothing to hold */ }
    });
    el.addEventListener("pointermove", (e) => {
      if (!from) return;
      const dx = e.offsetX - from.x, dy = e.offsetY - from.y;
      if (Math.hypot(dx, dy) > 3) { from.moved = true; if (!from.box) el.classList.add("held"); }
      if (!from.moved) return;
      if (from.carried) { this.element.dispatchEvent(new CustomEvent("carry", { detail: { x: e.clientX, y: e.clientY } })); return; }
      if (from.box) { this.lasso = { ...from, tx: e.offsetX, ty: e.offsetY }; this.blit(); }
      else this.move({ ...from.view, x: from.view.x + dx, y: from.view.y + dy });
    });
    const release = (e) => {
      el.classList.remove("held");
      if (from?.carried && from.moved) {
        const ids = [...new Set(this.chosen.map((i) => i.id))];
        this.element.dispatchEvent(new CustomEvent("dropped", { detail: { x: e.clientX, y: e.clientY, ids, done: e.type === "pointerup" } }));
        from = null;
        return;
      }
      if (from && !from.moved && e.type === "pointerup" && this.measuring) this.measure(e.offsetX, e.offsetY);
      else if (from && !from.moved && e.type === "pointerup") this.pick(e.offsetX, e.offsetY, e.shiftKey);
      else if (this.lasso && this.station === "intake") { const l = this.lasso; this.lasso = null; this.askRegion(l); }
      else if (this.lasso) { const { x, y, tx, ty, box } = this.lasso; this.lasso = null; this.chooseBox(x, y, tx, ty, box); }
      else if (from?.moved) this.redraw();
      from = null;
    };
    el.addEventListener("pointerup", release);
    el.addEventListener("pointercancel", release);
    el.addEventListener("wheel", (e) => {
      e.preventDefault();
      const f = Math.exp(-e.deltaY * (e.deltaMode ? 0.05 : 0.0016)), { x, y, k } = this.view;
      const next = Math.min(400, Math.max(0.02, k * f)), g = next / k;
      this.move({ k: next, x: e.offsetX - (e.offsetX - x) * g, y: e.offsetY - (e.offsetY - y) * g });
    }, { passive: false });
    el.addEventListener("keydown", (e) => {
      const step = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] }[e.key];
      if (step) { e.preventDefault(); this.move({ ...this.view, x: this.view.x + step[0], y: this.view.y + step[1] }); }
      const zoom = { "+": 1.25, "-": 0.8 }[e.key];
      if (zoom) this.move({ k: this.view.k * zoom, x: this.w / 2 - (this.w / 2 - this.view.x) * zoom, y: this.h / 2 - (this.h / 2 - this.view.y) * zoom });
    });
  }

  /** Changes the view: shifts what is drawn at once, draws anew when it comes to rest or its margin is used up. */
  move(view) {
    this.view = view;
    this.touched = true;
    const f = view.k / this.drawn.k;
    const out = Math.max(Math.abs(view.x - this.drawn.x * f), Math.abs(view.y - this.drawn.y * f));
    clearTimeout(this.rest);
    if (f > 2.5 || f < 0.5 || (f === 1 && out > this.margin * 0.98)) { this.redraw(); return; }
    if (!this.frame) this.frame = requestAnimationFrame(() => { this.frame = null; this.blit(); });
    this.rest = setTimeout(() => this.redraw(), 90);
  }

  /** A box drawn at Intake: which drawing it is on, and where on the bench. */
  askRegion({ x: x0, y: y0, tx, ty }) {
    const { x, y, k } = this.view;
    const box = [(Math.min(x0, tx) - x) / k, (y - Math.max(y0, ty)) / k, (Math.max(x0, tx) - x) / k, (y - Math.min(y0, ty)) / k];
    const on = this.groups.find(({ box: [gx, gy, gw, gh] }) => box[0] < gx + gw && box[2] > gx && box[1] < gy + gh && box[3] > gy);
    this.region = on ? box : null;
    this.redraw();
    if (on) this.element.dispatchEvent(new CustomEvent("region", { detail: { drawing: on.id, box } }));
  }

  /** Begins or ends measuring. */
  toggleMeasure() {
    this.measuring = this.measuring ? null : { points: [] };
    this.canvas.classList.toggle("measuring", Boolean(this.measuring));
    this.redraw();
  }

  /** One more point of a measurement, on the nearest end, middle or centre within ten pixels. */
  measure(px, py) {
    const { x, y, k } = this.view;
    const at = this.snapped((px - x) / k, (y - py) / k, 10 / k);
    const points = this.measuring.points.length === 2 ? [at] : [...this.measuring.points, at];
    this.measuring = { points };
    this.redraw();
    if (points.length < 2) return;
    const length = Math.hypot(points[1][0] - points[0][0], points[1][1] - points[0][1]);
    const on = this.groups.find(({ box: [gx, , gw] }) => points[0][0] >= gx - 1e-6 && points[0][0] <= gx + gw + 1e-6);
    this.element.dispatchEvent(new CustomEvent("measured", { detail: { length, drawing: on?.id } }));
  }

  snapped(mx, my, reach) {
    let best = [mx, my], least = reach;
    const consider = (x, y) => { const d = Math.hypot(x - mx, y - my); if (d < least) [best, least] = [[x, y], d]; };
    for (const i of this.items) {
      const b = i.b;
      if (mx < b[0] + i.dx - reach || mx > b[2] + i.dx + reach || my < b[1] + i.dy - reach || my > b[3] + i.dy + reach) continue;
      for (let n = 2; n < i.d.length; n += 3) {
        const [x0, y0, bulge, x1, y1] = [i.d[n - 2] + i.dx, i.d[n - 1] + i.dy, i.d[n], i.d[n + 1] + i.dx, i.d[n + 2] + i.dy];
        consider(x0, y0); consider(x1, y1);
        if (Math.abs(bulge) < 1e-5) { consider((x0 + x1) / 2, (y0 + y1) / 2); continue; }
        const q = (1 - bulge * bulge) / (4 * bulge);
        consider((x0 + x1) / 2 - (y1 - y0) * q, (y0 + y1) / 2 + (x1 - x0) * q);
      }
    }
    return best;
  }

  /** What lies within a box on the screen, or touches it, is added to what is chosen. */
  chooseBox(x0, y0, x1, y1, how) {
    const { x, y, k } = this.view;
    const box = [(Math.min(x0, x1) - x) / k, (y - Math.max(y0, y1)) / k, (Math.max(x0, x1) - x) / k, (y - Math.min(y0, y1)) / k];
    const within = (i) => i.b[0] + i.dx >= box[0] && i.b[1] + i.dy >= box[1] && i.b[2] + i.dx <= box[2] && i.b[3] + i.dy <= box[3];
    const touches = (i) => meetsBox(i.d, [box[0] - i.dx, box[1] - i.dy, box[2] - i.dx, box[3] - i.dy]);
    const found = this.items.filter((i) => (how === "within" ? within(i) : touches(i)));
    this.choose([...new Set([...this.chosen, ...found])]);
  }

  /** Widens the choice: the same looks or size as the first, what lies inside it, or everything else of its drawing. */
  widen(how) {
    const [first] = this.chosen;
    if (!first) return;
    const w = (i) => i.b[2] - i.b[0], h = (i) => i.b[3] - i.b[1];
    const mine = this.items.filter((i) => i.of === first.of);
    const held = (i) => this.chosen.includes(i);
    const inside = (i) => this.chosen.some((c) => c !== i && i.b[0] >= c.b[0] && i.b[1] >= c.b[1] && i.b[2] <= c.b[2] && i.b[3] <= c.b[3]);
    const rules = {
      looks: (i) => held(i) || i.looks === first.looks,
      size: (i) => held(i) || (Math.abs(w(i) - w(first)) < 0.02 && Math.abs(h(i) - h(first)) < 0.02 && i.closed === first.closed),
      inside: (i) => held(i) || inside(i),
      others: (i) => !held(i),
    };
    const found = mine.filter(rules[how]);
    this.choose(how === "others" ? found : [first, ...found.filter((i) => i !== first)]);
  }

  /** True when the place is on something that is chosen. */
  held(px, py) {
    const { x, y, k } = this.view, reach = 6 / k, mx = (px - x) / k, my = (y - py) / k;
    return this.chosen.some((i) => {
      const lx = mx - i.dx, ly = my - i.dy, b = i.b;
      return lx > b[0] - reach && lx < b[2] + reach && ly > b[1] - reach && ly < b[3] + reach;
    });
  }

  /** The contour nearest to a click, within six pixels, the smallest first. */
  pick(px, py, more) {
    if (!this.scene) return;
    const { x, y, k } = this.view, reach = 6 / k;
    const mx = (px - x) / k, my = (y - py) / k;
    let best = null;
    for (const item of this.items) {
      const lx = mx - item.dx, ly = my - item.dy, b = item.b;
      if (lx < b[0] - reach || lx > b[2] + reach || ly < b[1] - reach || ly > b[3] + reach) continue;
      const near = nearest(item.d, lx, ly);
      const size = (b[2] - b[0]) * (b[3] - b[1]);
      if (near.distance <= reach && (!best || size < best.size)) best = { item, size, share: near.share };
    }
    if (!best) { if (!more) this.choose([]); return; }
    this.choose(more ? [...this.chosen, best.item] : [best.item], this.station === "order" ? { share: best.share } : {});
  }
}
