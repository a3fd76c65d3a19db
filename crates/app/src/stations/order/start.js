// Order's tool for starts: a start is taken by its mark and carried along its contour; a click on a contour asks on a card where
// and which way it is to be cut. The place itself is told, not how long the way is.
import { LICHEN, PAPER } from "/static/js/paint/inks.js";
import { nearest, pieces } from "/static/js/measures.js";

// Pixels within which a start is taken, and mm that it keeps off a corner unless Alt is held.
const REACH = 9, OFF = 2;

/** Places on the pieces of a line. */
function pieceOf(d, segment) {
  let n = 0, found = null;
  pieces(d, (...p) => { if (n === segment) found = p; n += 1; });
  return found;
}

/** A place on a line as x, y. */
export function pointOn(d, { segment, on }) {
  const [x0, y0, bulge, x1, y1] = pieceOf(d, segment);
  if (Math.abs(bulge) < 1e-9) return [x0 + (x1 - x0) * on, y0 + (y1 - y0) * on];
  const k = (1 - bulge * bulge) / (4 * bulge), cx = (x0 + x1) / 2 - (y1 - y0) * k, cy = (y0 + y1) / 2 + (x1 - x0) * k;
  const r = Math.hypot(x0 - cx, y0 - cy), a = Math.atan2(y0 - cy, x0 - cx) + 4 * Math.atan(bulge) * on;
  return [cx + r * Math.cos(a), cy + r * Math.sin(a)];
}

export class Start {
  constructor(stage) { Object.assign(this, { stage, held: null }); }

  /** What the card of a choice tells besides. */
  detail({ share, segment, on, item }) {
    if (share === undefined) return {};
    return { share, place: `${segment}:${on.toFixed(9)}`, copy: item?.copy, cut: item?.cut, n: item?.n, turned: item?.turned };
  }

  /** The cut whose start is under the pointer. */
  beneath(e) {
    const { view, scene } = this.stage, [x, y] = view.mm(e.offsetX, e.offsetY), far = (i) => Math.hypot(i.dx + i.start[0] - x, i.dy + i.start[1] - y) * view.k;
    const near = scene.items.filter((i) => i.cut && i.start && far(i) < REACH);
    return near.sort((a, b) => far(a) - far(b))[0] ?? null;
  }
  cursor(e) { return this.stage.scene && this.stage.numbers && this.beneath(e) ? "move" : null; }

  down(e) {
    const { scene, numbers } = this.stage;
    if (e.shiftKey || !numbers || !scene) return false;
    this.held = this.beneath(e);
    this.place = null;
    return Boolean(this.held);
  }

  move(e) {
    const { held, stage } = this, [x, y] = stage.view.mm(e.offsetX, e.offsetY);
    if (!held) return;
    const place = nearest(held.d, x - held.dx, y - held.dy);
    if (!e.altKey) {
      // Corners stay crisp.
      const [x0, y0, , x1, y1] = pieceOf(held.d, place.segment), off = OFF / Math.max(Math.hypot(x1 - x0, y1 - y0), 1e-9);
      if (off < 0.5) place.on = Math.min(1 - off, Math.max(off, place.on));
    }
    this.place = place;
    stage.canvas.classList.add("held");
    stage.blit();
  }

  up(e, { moved, lost }) {
    const { held, place, stage } = this;
    this.held = this.place = null;
    if (!moved) { stage.click(e); return; }
    stage.blit();
    if (lost || !held || !place) return;
    const { revision, batch } = document.querySelector("#docket").dataset;
    const values = { revision, batch, station: "order", do: "start", on: held.id, value: `${place.segment}:${place.on.toFixed(9)}` };
    htmx.ajax("POST", `/jobs/${stage.job}/edit`, { target: "#docket", swap: "outerHTML", values });
  }

  paint(c) {
    if (!this.held || !this.place) return;
    const { view } = this.stage, [ox, oy] = view.pixels(c, false), [x, y] = pointOn(this.held.d, this.place);
    const px = ox + (this.held.dx + x) * view.k, py = oy - (this.held.dy + y) * view.k;
    c.setLineDash([]); c.lineWidth = 2; c.strokeStyle = LICHEN; c.fillStyle = PAPER;
    c.beginPath(); c.moveTo(px, py - 7); c.lineTo(px + 7, py); c.lineTo(px, py + 7); c.lineTo(px - 7, py); c.closePath(); c.fill(); c.stroke();
    const words = `${(this.place.share * 100).toFixed(1)} %`;
    c.font = "12px 'Spline Sans Mono', monospace";
    c.fillStyle = PAPER; c.fillRect(px + 10, py - 18, c.measureText(words).width + 8, 17);
    c.fillStyle = "#22292b"; c.fillText(words, px + 14, py - 5);
  }
}
