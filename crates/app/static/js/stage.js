// The stage: fetches the scene, keeps what is drawn, and gives the pointer and the keys to the tools that the station has.
// It decides nothing; what is drawn comes from the server, y up in mm.
import { pressed } from "./bindings.js";
import { Legend } from "./legend.js";
import { widened } from "./pick.js";
import { bench } from "./paint/bench.js";
import { cuts } from "./paint/cuts.js";
import { LICHEN } from "./paint/inks.js";
import { marks } from "./paint/marks.js";
import { sheet } from "./paint/sheet.js";
import { Scene } from "./scene.js";
import { closed, lying } from "./shapes.js";
import { Box, Choose } from "./tools/always.js";
import { Measure } from "./tools/measure.js";
import { listen } from "./pointing.js";
import { Carry } from "/static/rooms/stations/nest/carry.js";
import { Compare } from "/static/rooms/stations/intake/compare.js";
import { Grain } from "/static/rooms/stations/assign/grain.js";
import { Region } from "/static/rooms/stations/intake/crop.js";
import { Nick } from "/static/rooms/stations/hold/nick.js";
import { Pierce } from "/static/rooms/stations/hold/pierce.js";
import { Sequence } from "/static/rooms/stations/order/sequence.js";
import { Sort } from "/static/rooms/stations/assign/sort.js";
import { Start } from "/static/rooms/stations/order/start.js";
import { Zero } from "/static/rooms/stations/release/zero.js";
import { View } from "./view.js";

/** Tools by the names under which stations ask for them. */
const TOOLS = { region: Region, compare: Compare, sort: Sort, grain: Grain, carry: Carry, nick: Nick, pierce: Pierce, sequence: Sequence, start: Start, zero: Zero };

export class Stage {
  constructor(element) {
    this.element = element;
    element.stage = this;
    this.canvas = element.querySelector("canvas");
    this.view = new View(element, this.canvas);
    this.layer = document.createElement("canvas");
    Object.assign(this, { scene: null, numbers: true, chosen: [], marked: null, overlay: null, underlay: null, layers: [], tools: [], pictures: new Map(), asked: 0, taken: 0 });
    this.scheme = matchMedia("(prefers-color-scheme: dark)");
    this.scheme.addEventListener("change", () => this.redraw());
    // A view that no hand chose fits the room there is, also when that changes.
    new ResizeObserver(() => { this.view.resize(); if (this.scene && !this.touched && !this.marked) this.fit(this.fitted ?? undefined); else this.redraw(); }).observe(element);
    this.equip("", "");
    this.legend = new Legend(this);
    listen(this);
  }

  get dark() { return this.scheme.matches; }

  tell(what, detail) { this.element.dispatchEvent(new CustomEvent(what, { detail })); }

  /** The tools and layers of a station, as its docket names them. */
  equip(tools, layers) {
    this.layers = layers.split(" ").filter(Boolean);
    if (this.equipped === tools) return false;
    this.tools.forEach((t) => t.leave?.());
    this.equipped = tools;
    // Distances are measured at every station.
    this.tools = [new Measure(this), ...tools.split(" ").filter(Boolean).map((name) => new TOOLS[name](this)), new Box(this), new Choose(this)];
    return true;
  }

  /** Fetches what `docket` shows; the view is kept while a search runs or the same things are shown. */
  async load({ job, station, batch, tools, layers }, live = false, keepView = false) {
    const about = `batch=${batch ?? 1}${live ? "&live=true" : ""}`, turn = ++this.asked;
    if (live && this.scene && this.shown === station + batch) {
      const poses = await fetch(`/jobs/${job}/poses?${about}`), lie = poses.ok && await poses.json();
      if (turn < this.taken) return;
      if (lie && this.scene.pose(lie)) { this.redraw(); return; }
    }
    const response = await fetch(`/jobs/${job}/stage/${station}?${about}`);
    if (!response.ok) return;
    const data = await response.json();
    // What was asked for earlier and comes later is of yesterday.
    if (turn < this.taken) return;
    this.taken = turn;
    const before = this.scene?.extent, moved = this.shown !== station + batch;
    Object.assign(this, { job, shown: station + batch, overlay: null, underlay: null, chosen: [] });
    this.equip(tools ?? "", layers ?? "");
    this.scene = new Scene(data, job, (address, matrix) => this.picture(address, matrix));
    this.reload = () => this.load({ job, station, batch, tools, layers }, false, true);
    this.tools.forEach((t) => t.shown?.());
    const same = before && this.scene.extent && before.every((v, i) => Math.abs(v - this.scene.extent[i]) < 1e-6);
    // A view that a hand chose stays while the same things are shown; what a jump to a finding zoomed to does not outlive
    // its station, and a layout that grows is seen whole.
    const keep = this.touched ? same || (keepView && before && !moved) : same && !moved;
    if (keep) this.redraw(); else this.fit();
    const note = this.element.querySelector("#stage-note");
    note.hidden = !this.scene.empty;
    note.textContent = this.scene.empty ? "The bench is empty. Drop drawings here." : "";
  }

  /** A picture under its outlines, drawn once it is there. */
  picture(address, matrix) {
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

  fit(box = this.scene?.extent) {
    if (box) this.view.fit(box);
    this.touched = false;
    this.fitted = box === this.scene?.extent ? null : box;
    this.redraw();
  }

  toggleNumbers() { this.numbers = !this.numbers; this.redraw(); }

  /** Shows where a finding is. */
  show(index) {
    const mark = this.scene?.marks[index];
    this.marked = mark ?? null;
    const world = (i) => lying([i.m[0], i.m[1], i.m[2], i.m[3], i.m[4] + i.dx, i.m[5] + i.dy], [i.b[0], i.b[1], 0, i.b[2], i.b[3]]);
    const points = !mark ? [] : mark.points.length ? mark.points : this.scene.items.filter((i) => mark.contours.includes(i.id)).flatMap((i) => { const d = world(i); return [[d[0], d[1]], [d[3], d[4]]]; });
    if (!points.length) { this.redraw(); return; }
    const xs = points.map((p) => p[0]), ys = points.map((p) => p[1]), room = 25;
    this.fit([Math.min(...xs) - room, Math.min(...ys) - room, Math.max(...xs) + room, Math.max(...ys) + room]);
  }

  choose(items, found = {}) {
    this.chosen = items;
    this.redraw();
    const first = items[0], more = this.tools.map((t) => t.detail?.(found)).find(Boolean) ?? {};
    this.tell("chosen", { walked: found.walked, ids: [...new Set(items.map((i) => i.id))], of: first?.of, size: first ? [first.b[2] - first.b[0], first.b[3] - first.b[1]] : null, process: first?.p ?? "", why: first?.why ?? "", cut: first?.cut, n: first?.n, sheet: first?.sheet, ...more });
  }

  /** Takes what is under the pointer, as a click does. */
  click(e) { this.tools.at(-1).click(e, e.shiftKey); }

  widen(how) { this.choose(widened(this.scene.items, this.chosen, how)); }

  /** Draws the scene to the layer, a margin wider than the window, and the layer to the screen. */
  redraw() {
    const { view, layer } = this, { w, h, dpr } = view;
    this.drawn = view.now;
    const m = view.margin = Math.round(Math.min(w, h) * 0.35);
    layer.width = (w + 2 * m) * dpr;
    layer.height = (h + 2 * m) * dpr;
    const c = layer.getContext("2d", { alpha: false });
    c.fillStyle = this.dark ? "#191d1f" : "#e6dfd1";
    c.fillRect(0, 0, layer.width, layer.height);
    if (this.scene) {
      const { x, y, k } = view;
      for (const g of this.scene.groups) {
        const [gx, gy, gw, gh] = g.box, left = x + gx * k, bottom = y - gy * k;
        if (left > w + m || left + gw * k < -m || bottom < -m || bottom - gh * k > h + m) continue;
        if (g.kind === "bench") bench(c, this, g);
        else { sheet(c, this, g); this.layers.forEach((name) => cuts[name](c, this, g)); }
      }
      if (this.underlay) this.underlay(c);
      marks(c, this);
      this.tools.forEach((t) => t.under?.(c));
    }
    this.blit();
    this.legend?.shown();
  }

  /** Adds to what is drawn, at the view it was drawn for. */
  paint(add) {
    const now = this.view.now;
    this.view.set(this.drawn);
    add(this.layer.getContext("2d", { alpha: false }));
    this.view.set(now);
    this.blit();
  }

  /** The picture at the present view: while it moves, the drawn layer is only shifted and stretched. */
  blit() {
    const c = this.canvas.getContext("2d", { alpha: false }), { drawn, view } = this;
    const f = view.k / drawn.k;
    c.setTransform(1, 0, 0, 1, 0, 0);
    c.fillStyle = this.dark ? "#191d1f" : "#e6dfd1";
    c.fillRect(0, 0, this.canvas.width, this.canvas.height);
    c.imageSmoothingEnabled = f !== 1;
    const left = view.x - drawn.x * f - view.margin * f, top = view.y - drawn.y * f - view.margin * f;
    c.drawImage(this.layer, left * view.dpr, top * view.dpr, this.layer.width * f, this.layer.height * f);
    if (this.overlay) this.overlay(c);
    this.tools.forEach((t) => t.paint?.(c));
  }

  /** Looks elsewhere: shifts what is drawn at once, draws anew when it comes to rest or its margin is used up. */
  look(place) {
    this.view.set(place);
    this.touched = true;
    const f = this.view.k / this.drawn.k, out = Math.max(Math.abs(this.view.x - this.drawn.x * f), Math.abs(this.view.y - this.drawn.y * f));
    clearTimeout(this.rest);
    if (f > 2.5 || f < 0.5 || (f === 1 && out > this.view.margin * 0.98)) { this.redraw(); return; }
    if (!this.frame) this.frame = requestAnimationFrame(() => { this.frame = null; this.blit(); });
    this.rest = setTimeout(() => this.redraw(), 90);
  }

  /** A picture in a tone that is being tried. */
  tryTone(id, wish) {
    for (const g of this.scene.groups) for (const p of g.pictures) {
      if (!p.image.src.includes(`/tone/${id}`)) continue;
      const next = new Image();
      next.onload = () => { p.image = next; this.redraw(); };
      next.src = `/jobs/${this.job}/tone/${id}?${wish}`;
    }
  }

  /** Outlines that are being tried, over what is drawn; none to stop. */
  tryOut(lines) {
    this.underlay = lines && ((c) => { this.view.place(c); this.view.pen(c, LICHEN, 2); c.stroke(closed(lines)); });
    this.redraw();
  }

  /** A right click takes what is under it, where it is not taken already. */
  aim(e) {
    const tool = this.tools.find((t) => t.twin);
    const found = tool?.beneath(...this.view.mm(e.offsetX, e.offsetY));
    if (tool?.chosen && found && !tool.chosen.some((c) => c.copy?.id === found.copy?.id)) { tool.down(e); tool.up(e, { moved: false, lost: false }); }
    else if (!tool?.chosen && !this.chosen.length) this.click(e);
  }

  /** Nothing is chosen any more, and whatever a hand had begun is let go. */
  none() {
    this.let();
    this.tools.forEach((t) => t.none?.());
    this.choose([]);
    for (const card of document.querySelectorAll("#card")) card.hidden = true;
    document.querySelector("#offer")?.remove();
  }

  /** Done when all that was begun by hand is stored. */
  settled() { return Promise.all(this.tools.map((t) => t.settled?.())); }

  /** Gives a key to the tools; true where one took it. */
  press(e) { return this.tools.some((t) => t.table && pressed(t.table, e)); }
}
