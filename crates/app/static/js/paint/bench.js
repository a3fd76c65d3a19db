// A drawing on the bench: its lines by process, its writing, what is new and what has gone.
import { INK, LICHEN, ORDER, STOP, inked, pictures, shade } from "./inks.js";

export function bench(c, { view, scene, dark }, g) {
  view.place(c);
  if (g.picture?.image.complete) {
    c.save();
    c.transform(...g.picture.matrix);
    c.globalAlpha = 0.55;
    c.drawImage(g.picture.image, 0, 0);
    c.restore();
  }
  c.fillStyle = shade(scene.tone, 10);
  c.fill(g.solid, "evenodd");
  pictures(c, view, g, shade(scene.tone, 10));
  c.fillStyle = INK.engrave + "59"; c.fill(g.engraved, "evenodd"); c.fill(g.wound, "nonzero");
  // On a dark bench inks that are dark stand on a light seam.
  if (dark) for (const key of Object.keys(g.inks)) if (!/^(cut|picture)/.test(key)) { view.pen(c, "#ece6da", 3); c.globalAlpha = 0.75; c.stroke(g.inks[key]); c.globalAlpha = 1; }
  inked(c, view, g.inks, ORDER, 1.5, dark ? "#ece6da" : INK.cut);
  grains(c, view, g);
  view.pen(c, STOP, 1.6, [6, 4]); c.stroke(g.gone);
  view.pen(c, LICHEN, 3); c.stroke(g.fresh);
  const [x, y] = view.pixels(c), k = view.k;
  c.fillStyle = dark ? "#a9b0ac" : "#59625f";
  c.font = "13px Commissioner, sans-serif";
  c.fillText(g.name, x + g.box[0] * k, y - g.box[1] * k + 20);
  for (const [tx, ty, height, angle, text] of g.texts) {
    if (height * k < 5) continue;
    c.save();
    c.translate(x + tx * k, y - ty * k);
    c.rotate(-angle);
    c.font = `${height * k * 1.35}px Commissioner, sans-serif`;
    c.fillStyle = INK.reference;
    c.fillText(text, 0, 0);
    c.restore();
  }
}

/** Which way the grain of parts runs: a long stroke with an open barb at either end. */
function grains(c, view, g) {
  if (!g.grains.length) return;
  c.beginPath();
  for (const [x0, y0, x1, y1] of g.grains) {
    const long = Math.hypot(x1 - x0, y1 - y0) || 1, f = Math.min(9 / view.k, long * 0.2) / long, dx = (x1 - x0) * f, dy = (y1 - y0) * f;
    c.moveTo(x0 + dx - dy * 0.5, y0 + dy + dx * 0.5); c.lineTo(x0, y0); c.lineTo(x1, y1); c.lineTo(x1 - dx + dy * 0.5, y1 - dy - dx * 0.5);
  }
  view.pen(c, INK.engrave, 1.6); c.stroke();
}
