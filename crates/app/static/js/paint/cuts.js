// What is known of the cuts, over the sheet: nicks, pierces, travel, numbers of the order. A station names those it shows.
import { INK, LICHEN, PAPER } from "./inks.js";

export const cuts = {
  nicks(c, { view }, g) {
    const k = view.k, tick = Math.max(1.5, 6 / k);
    view.place(c, g.sheet.x, g.sheet.y);
    c.strokeStyle = LICHEN; c.lineWidth = Math.max(0.3, 1.6 / k); c.setLineDash([]);
    c.beginPath();
    for (const s of g.sheet.strokes) for (const [x, y, nx, ny] of s.nicks) {
      for (const side of [-1, 1]) {
        const ax = x + ny * side * tick * 0.35, ay = y - nx * side * tick * 0.35;
        c.moveTo(ax - nx * tick * 0.6, ay - ny * tick * 0.6); c.lineTo(ax + nx * tick * 0.6, ay + ny * tick * 0.6);
      }
    }
    c.stroke();
  },

  pierces(c, { view, numbers }, g) {
    if (!numbers) return;
    const r = Math.max(0.6, 3.4 / view.k);
    view.place(c, g.sheet.x, g.sheet.y);
    c.strokeStyle = INK.cut; c.fillStyle = PAPER; c.lineWidth = 1.1 / view.k; c.setLineDash([]);
    c.beginPath();
    for (const s of g.sheet.strokes) if (s.p === "cut" && s.n) { const [x, y] = s.start; c.moveTo(x, y - r); c.lineTo(x + r, y); c.lineTo(x, y + r); c.lineTo(x - r, y); c.closePath(); }
    c.fill(); c.stroke();
  },

  /** What falls: an arrow down through a gap; what tips: a lid ajar. */
  fates(c, { view, numbers }, g) {
    if (!numbers) return;
    const [x, y] = view.pixels(c), k = view.k, s = g.sheet, taken = [];
    c.setLineDash([]); c.lineWidth = 1.6; c.strokeStyle = INK.cut; c.fillStyle = PAPER;
    for (const [fx, fy, what] of s.fates) {
      const px = x + (s.x + fx) * k, py = y - (s.y + fy) * k;
      if (taken.some((o) => Math.abs(o[0] - px) < 15 && Math.abs(o[1] - py) < 15)) continue;
      taken.push([px, py]);
      c.beginPath(); c.arc(px, py, 8, 0, 7); c.fill();
      c.beginPath();
      if (what === "falls") { c.moveTo(px - 5, py - 2); c.lineTo(px - 2, py - 2); c.moveTo(px + 2, py - 2); c.lineTo(px + 5, py - 2); c.moveTo(px, py - 5); c.lineTo(px, py + 5); c.moveTo(px - 2.5, py + 2.5); c.lineTo(px, py + 5); c.lineTo(px + 2.5, py + 2.5); }
      else { c.moveTo(px - 5, py + 3); c.lineTo(px + 5, py + 3); c.moveTo(px - 5, py + 1); c.lineTo(px + 4, py - 4); }
      c.stroke();
    }
  },

  travel(c, { view, numbers }, g) {
    if (!numbers) return;
    view.place(c, g.sheet.x, g.sheet.y);
    view.pen(c, LICHEN, 1, [4, 3]);
    c.stroke(g.travel);
  },

  /** Paper flags with the number of each start, and a chevron along the cut. */
  numbers(c, { view, numbers }, g) {
    if (!numbers) return;
    const [x, y] = view.pixels(c), k = view.k, s = g.sheet, taken = [];
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
      const px = x + (s.x + sx) * k, py = y - (s.y + sy) * k;
      const text = String(stroke.n), w = text.length * 6.7 + 7;
      if (free(px - 2, py - 23, px + w + 2, py - 5)) {
        c.fillStyle = PAPER; c.strokeStyle = INK.cut; c.lineWidth = 0.8;
        c.beginPath(); c.moveTo(px, py); c.lineTo(px, py - 21); c.rect(px, py - 21, w, 14); c.fill(); c.stroke();
        c.fillStyle = INK.cut; c.fillText(text, px + 3.5, py - 10);
      }
      if (!free(px - 5, py - 4, px + 5, py + 5)) continue;
      c.strokeStyle = INK.cut; c.lineWidth = 1.3;
      c.beginPath();
      c.moveTo(px - wx * 5 - wy * 3.2, py + wy * 5 - wx * 3.2); c.lineTo(px + wx * 2, py - wy * 2); c.lineTo(px - wx * 5 + wy * 3.2, py + wy * 5 + wx * 3.2);
      c.stroke();
    }
  },
};
