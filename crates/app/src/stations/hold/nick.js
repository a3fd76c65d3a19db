// Hold's tool: a click on an outline adds a nick, a nick is carried along its outline, a click on a nick takes it off; in every copy
// or in this one alone, as the docket says.
import { LICHEN, PAPER } from "/static/js/paint/inks.js";
import { nearest } from "/static/js/measures.js";
import { pick } from "/static/js/pick.js";
import { pointOn } from "/static/rooms/stations/order/start.js";

const REACH = 8;

export class Nick {
  constructor(stage) { Object.assign(this, { stage, held: null, to: null }); }

  /** The nick under the pointer, with its cut. */
  beneath(e) {
    const { view, scene } = this.stage, [x, y] = view.mm(e.offsetX, e.offsetY);
    let best = null;
    for (const item of scene.items.filter((i) => i.nicks?.length)) for (const [nx, ny] of item.nicks) {
      const far = Math.hypot(item.dx + nx - x, item.dy + ny - y) * view.k;
      if (far < REACH && (!best || far < best.far)) best = { far, item, at: [nx, ny] };
    }
    return best;
  }

  /** A nick can be carried; on an outline a click adds one. */
  cursor(e) {
    if (!this.stage.scene) return null;
    if (this.beneath(e)) return "move";
    const { view, scene } = this.stage;
    return pick(scene.items.filter((i) => i.cut && i.p === "cut"), ...view.mm(e.offsetX, e.offsetY), 6 / view.k) ? "copy" : null;
  }

  down(e) {
    if (!this.stage.scene || e.shiftKey || e.altKey) return false;
    const { view, scene } = this.stage, nick = this.beneath(e);
    const item = nick?.item ?? pick(scene.items.filter((i) => i.cut && i.p === "cut"), ...view.mm(e.offsetX, e.offsetY), 6 / view.k)?.item;
    if (!item) return false;
    this.held = { item, from: nick?.at ?? null };
    this.to = null;
    return true;
  }

  place(e) {
    const { item } = this.held, [x, y] = this.stage.view.mm(e.offsetX, e.offsetY);
    return pointOn(item.d, nearest(item.d, x - item.dx, y - item.dy));
  }

  move(e) {
    if (!this.held?.from) return;
    this.to = this.place(e);
    this.stage.canvas.classList.add("held");
    this.stage.blit();
  }

  up(e, { moved, lost }) {
    const { held, stage } = this;
    if (!held || lost) { this.held = this.to = null; stage.blit(); return; }
    const to = moved ? this.to : held.from ? null : this.place(e);
    this.held = this.to = null;
    stage.blit();
    if (moved && !held.from) return;
    stage.choose([held.item], { share: 0, segment: 0, on: 0, item: held.item });
    const { revision, batch } = document.querySelector("#docket").dataset;
    const reach = document.querySelector("#nick-reach input:checked")?.value ?? "all", words = (p) => p?.map((v) => v.toFixed(6)).join(",") ?? "";
    htmx.ajax("POST", `/jobs/${stage.job}/nick`, { target: "#docket", swap: "outerHTML", values: { revision, batch, cut: held.item.cut, from: words(held.from), to: words(to), reach } });
  }

  paint(c) {
    if (!this.held || !this.to) return;
    const { view } = this.stage, { item } = this.held, [ox, oy] = view.pixels(c, false);
    const x = ox + (item.dx + this.to[0]) * view.k, y = oy - (item.dy + this.to[1]) * view.k;
    c.setLineDash([]); c.lineWidth = 2; c.strokeStyle = LICHEN; c.fillStyle = PAPER;
    c.beginPath(); c.rect(x - 5, y - 5, 10, 10); c.fill(); c.stroke();
  }
}
