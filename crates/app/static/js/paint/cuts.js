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

  /** Paper flags with the number of each start, and a chevron along the cut; where those of a part would cover it, one beside it with
   * the first and the last of them. */
  numbers(c, { view, scene, numbers }, g) {
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
    const place = ([px, py]) => [x + (s.x + px) * k, y - (s.y + py) * k];
    for (const [copy, strokes] of byCopy(s)) {
      const box = s.copies[copy] && scene.box(s.copies[copy]);
      const room = box ? (box[2] - box[0]) * (box[3] - box[1]) * k * k : Infinity;
      if (strokes.length * FLAG.area > room * FLAG.share) {
        const all = strokes.map((stroke) => stroke.n), [first, last] = [Math.min(...all), Math.max(...all)];
        const text = first === last ? String(first) : `${first}${last - first + 1 === all.length ? "–" : " … "}${last}`;
        const [left, top] = place([box[0], box[3]]), w = text.length * 6.7 + 7;
        // Above the part, else below it.
        const bottom = place([box[0], box[1]])[1];
        const at = [top - 17, bottom + 3].find((t) => free(left - 1, t - 1, left + w + 1, t + 15));
        if (at !== undefined) paper(c, left, at, w, text);
        continue;
      }
      for (const { n, start: [sx, sy, wx, wy] } of strokes) {
        const [px, py] = place([sx, sy]), text = String(n), w = text.length * 6.7 + 7;
        // A flag on an edge stands off the part: up on its upper half, down on its lower.
        const down = box && sy < (box[1] + box[3]) / 2, top = down ? py + 7 : py - 21;
        if (free(px - 2, top - 2, px + w + 2, top + 16)) {
          c.strokeStyle = INK.cut; c.lineWidth = 0.8;
          c.beginPath(); c.moveTo(px, py); c.lineTo(px, down ? py + 8 : py - 8); c.stroke();
          paper(c, px, top, w, text);
        }
        if (!free(px - 5, py - 4, px + 5, py + 5)) continue;
        c.strokeStyle = INK.cut; c.lineWidth = 1.3;
        c.beginPath();
        c.moveTo(px - wx * 5 - wy * 3.2, py + wy * 5 - wx * 3.2); c.lineTo(px + wx * 2, py - wy * 2); c.lineTo(px - wx * 5 + wy * 3.2, py + wy * 5 + wx * 3.2);
        c.stroke();
      }
    }
  },
};

/** Room that a flag takes, px², and the share of a part that its flags may. */
const FLAG = { area: 24 * 16, share: 0.12 };

/** The numbered strokes of a sheet by the copy that they are of; what is of none, each by itself. */
function byCopy(s) {
  const all = new Map();
  s.strokes.forEach((stroke, i) => {
    if (!stroke.n) return;
    const copy = s.copies[stroke.copy] ? stroke.copy : `alone ${i}`;
    if (!all.has(copy)) all.set(copy, []);
    all.get(copy).push(stroke);
  });
  return all;
}

/** A slip of paper with figures. */
function paper(c, left, top, w, text) {
  c.fillStyle = PAPER; c.strokeStyle = INK.cut; c.lineWidth = 0.8;
  c.beginPath(); c.rect(left, top, w, 14); c.fill(); c.stroke();
  c.fillStyle = INK.cut; c.fillText(text, left + 3.5, top + 11);
}
