// A sheet as it will look: its own tone and grain, parts a little lighter, engraved rows, kerf at true width.
import { bed } from "./bed.js";
import { INK, PAPER, inked, pictures, shade } from "./inks.js";

export function sheet(c, stage, g) {
  const { view, scene } = stage, s = g.sheet, k = view.k;
  view.place(c, s.x, s.y);
  const through = bed(c, { picture: (...of) => stage.picture(...of) }, g);
  c.save();
  if (through) c.globalAlpha = 0.3;
  c.shadowColor = "rgb(0 0 0 / 28%)"; c.shadowBlur = 14; c.shadowOffsetY = 4;
  c.fillStyle = shade(scene.tone, -14);
  c.fill(g.edge, "evenodd");
  c.restore();
  c.fillStyle = shade(scene.tone, 12);
  if (through) c.globalAlpha = 0.55;
  if (!s.tray) c.fill(g.parts, "evenodd");
  c.globalAlpha = 1;
  if (scene.grain && !through) grain(c, view, g);
  clamps(c, view, s);
  pictures(c, view, g);
  if (s.rows.length) { c.strokeStyle = INK.engrave; c.lineWidth = Math.max(s.pitch * 0.82, 0.35 / k); c.setLineDash([]); c.stroke(g.rows); }
  else { c.fillStyle = INK.engrave + "88"; c.fill(g.engraved, "evenodd"); c.fill(g.wound, "nonzero"); }
  for (const of of [g.inks, g.cuts]) inked(c, view, of, ["engrave", "mark", "score"], 1.4);
  c.setLineDash([]);
  c.strokeStyle = INK.cut; c.lineCap = "butt"; c.lineJoin = "round";
  if (g.inks.cut) { c.lineWidth = Math.max(0.2, 1.25 / k); c.stroke(g.inks.cut); }
  for (const [kerf, path] of g.kerfs) {
    c.lineWidth = Math.max(kerf, 1.25 / k);
    c.stroke(path);
    c.globalAlpha = 0.55; c.lineWidth *= 0.6; c.stroke(g.leads); c.globalAlpha = 1;
  }
  shared(c, k, g);
  slips(c, view, scene, g);
}

/** Parts of another job carry its name on a paper slip, as long as there is room for it. */
function slips(c, view, scene, g) {
  const of = g.sheet.copies.filter((copy) => scene.parts[copy.part].slip);
  if (!of.length) return;
  const [ox, oy] = view.pixels(c);
  c.font = "11px Commissioner, sans-serif"; c.setLineDash([]); c.textBaseline = "middle";
  for (const copy of of) {
    const [x0, y0, x1, y1] = scene.box(copy), text = scene.parts[copy.part].slip, w = c.measureText(text).width + 10;
    if (w > (x1 - x0) * view.k + 24) continue;
    const x = ox + (g.sheet.x + (x0 + x1) / 2) * view.k - w / 2, y = oy - (g.sheet.y + (y0 + y1) / 2) * view.k;
    c.fillStyle = PAPER; c.fillRect(x, y - 8, w, 16);
    c.strokeStyle = INK.reference; c.lineWidth = 1; c.strokeRect(x + 0.5, y - 7.5, w - 1, 15);
    c.fillStyle = "#22292b"; c.fillText(text, x + 5, y + 0.5);
  }
  c.textBaseline = "alphabetic";
}

/** Boxes that nothing may lie on: hatched, as what is not ours to use. */
function clamps(c, view, s) {
  if (!s.clamps.length) return;
  c.save();
  c.beginPath();
  for (const [x, y, w, h] of s.clamps) c.rect(x, y, w, h);
  c.fillStyle = "#8b959b55"; c.fill();
  view.pen(c, INK.reference, 1.4); c.stroke();
  c.clip();
  c.beginPath();
  const gap = 7 / view.k;
  for (const [x, y, w, h] of s.clamps) for (let d = -h; d < w; d += gap) { c.moveTo(x + d, y); c.lineTo(x + d + h, y + h); }
  view.pen(c, INK.reference, 1); c.stroke();
  c.restore();
}

/** A common edge: one slit with a short cross stroke at each end. */
function shared(c, k, g) {
  if (!g.ends.length) return;
  c.lineWidth = 1.25 / k;
  if (!g.sheet.strokes.length) c.stroke(g.shared);
  c.beginPath();
  for (const [x, y, dx, dy] of g.ends) {
    const f = 4.5 / k / (Math.hypot(dx, dy) || 1);
    c.moveTo(x - dy * f, y + dx * f); c.lineTo(x + dy * f, y - dx * f);
  }
  c.stroke();
}

/** Faint strokes along the sheet. */
function grain(c, view, g) {
  const s = g.sheet, k = view.k;
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
