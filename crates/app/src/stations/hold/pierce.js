// Hold's tool for leads: a pierce is carried to another place in the scrap. While it is carried the server is asked whether its lead
// would touch anything: then the ghost is red.
import { LICHEN, PAPER, STOP } from "/static/js/paint/inks.js";
import { nearest } from "/static/js/measures.js";
import { pointOn } from "/static/rooms/stations/order/start.js";

const REACH = 9;

export class Pierce {
  constructor(stage) { Object.assign(this, { stage, held: null, at: null, free: true }); }

  /** The cut whose pierce is under the pointer. */
  beneath(e) {
    const { view, scene } = this.stage, [x, y] = view.mm(e.offsetX, e.offsetY), far = (i) => Math.hypot(i.dx + i.start[0] - x, i.dy + i.start[1] - y) * view.k;
    const near = scene.items.filter((i) => i.cut && i.leads?.length && far(i) < REACH);
    return near.sort((a, b) => far(a) - far(b))[0] ?? null;
  }
  cursor(e) { return this.stage.scene && this.beneath(e) ? "move" : null; }

  down(e) {
    if (!this.stage.scene || e.shiftKey || e.altKey) return false;
    this.held = this.beneath(e);
    Object.assign(this, { at: null, free: true });
    return Boolean(this.held);
  }

  move(e) {
    const { view } = this.stage, [x, y] = view.mm(e.offsetX, e.offsetY);
    this.at = [x - this.held.dx, y - this.held.dy];
    this.stage.canvas.classList.add("held");
    this.stage.blit();
    this.ask();
  }

  body(more) {
    const { revision, batch } = document.querySelector("#docket").dataset;
    const reach = document.querySelector("#nick-reach input:checked")?.value ?? "all";
    return { revision, batch, cut: this.held.cut, to: this.at.map((v) => v.toFixed(6)).join(","), reach, ...more };
  }

  async ask() {
    if (this.asking) return;
    this.asking = true;
    for (let asked = null; this.held && this.at && asked !== this.at;) {
      asked = this.at;
      const answer = await fetch(`/jobs/${this.stage.job}/pierce`, { method: "POST", body: new URLSearchParams(this.body({ ask: "on" })) }).catch(() => null);
      if (!this.held) break;
      this.free = answer?.ok ? (await answer.json()).free : false;
      this.stage.blit();
    }
    this.asking = false;
  }

  up(e, { moved, lost }) {
    const { held, at, stage } = this;
    const values = held && at && moved && !lost ? this.body({}) : null;
    this.held = this.at = null;
    stage.blit();
    if (values) this.lay(values);
    else if (held && !moved) stage.choose([held], { share: 0, segment: 0, on: 0, item: held });
  }

  /** Where the lead would touch something it is not laid. */
  async lay(values) {
    const { stage } = this, at = `/jobs/${stage.job}/pierce`;
    const answer = await fetch(at, { method: "POST", body: new URLSearchParams({ ...values, ask: "on" }) }).catch(() => null);
    if (answer?.ok && !(await answer.json()).free) {
      stage.tell("refused", { sentence: "The lead would touch a part, a cut, another lead, a bridge or the edge there: the pierce stays where it was." });
      return;
    }
    htmx.ajax("POST", at, { target: "#docket", swap: "outerHTML", values });
  }

  paint(c) {
    if (!this.held || !this.at) return;
    const { view } = this.stage, { dx, dy, d } = this.held, [ox, oy] = view.pixels(c, false), [x, y] = this.at;
    const to = pointOn(d, nearest(d, x, y)), px = ox + (dx + x) * view.k, py = oy - (dy + y) * view.k;
    c.setLineDash([]); c.lineWidth = 2; c.strokeStyle = this.free ? LICHEN : STOP; c.fillStyle = PAPER;
    c.beginPath(); c.moveTo(px, py); c.lineTo(ox + (dx + to[0]) * view.k, oy - (dy + to[1]) * view.k); c.stroke();
    c.beginPath(); c.moveTo(px, py - 7); c.lineTo(px + 7, py); c.lineTo(px, py + 7); c.lineTo(px - 7, py); c.closePath(); c.fill(); c.stroke();
    const words = `${Math.hypot(to[0] - x, to[1] - y).toFixed(1)} mm off${this.free ? "" : ": it touches something"}`;
    c.font = "12px 'Spline Sans Mono', monospace";
    c.fillStyle = PAPER; c.fillRect(px + 10, py - 18, c.measureText(words).width + 8, 17);
    c.fillStyle = this.free ? "#22292b" : STOP; c.fillText(words, px + 14, py - 5);
  }
}
