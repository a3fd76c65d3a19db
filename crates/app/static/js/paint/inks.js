// Forms and inks of the processes: form first, colour second.

import { lengthOf } from "../measures.js";

export const INK = { picture: "#8a5a2b", cut: "#22292b", score: "#7b3b63", engrave: "#8a5a2b", mark: "#1f6f6b", reference: "#8b959b" };
/** Dashes of a process's lines, px; without, they are whole. */
const DASHES = { score: [7, 2, 3, 2], mark: [9, 2, 1.5, 2], reference: [1.2, 3.2] };
export const STOP = "#c8402a", LOOK = "#b98510", LICHEN = "#5f7a3a", PAPER = "#f4f0e7";
export const ORDER = ["reference", "picture", "engrave", "mark", "score", "cut"];

export const shade = (hex, by) => {
  const n = parseInt(hex.slice(1), 16);
  const c = (v) => Math.max(0, Math.min(255, Math.round(v + by)));
  return `rgb(${c(n >> 16)} ${c((n >> 8) & 255)} ${c(n & 255)})`;
};

/** Under which key a line's path is gathered: its process, and of what is scored how long it is too, by powers of two, mm. */
export const inkKey = (process, d) => (process === "score" ? `score ${Math.floor(Math.log2(Math.max(lengthOf(d), 0.01)))}` : process);

/** What is gathered of these processes, each in its form. */
export function inked(c, view, inks, processes, px, cut) {
  for (const p of processes) for (const [key, path] of Object.entries(inks)) if (key.split(" ")[0] === p) ink(c, view, key, path, px, cut);
}

/** A scored line shorter than this on the screen, px, is drawn whole: its dashes would be all there is to see. */
const WHOLE = 42;

/** One process in its own form: cut solid, score double dashed, mark with ticks, reference dotted. */
export function ink(c, view, key, path, px, cut = INK.cut) {
  const [process, length] = key.split(" ");
  if (process === "picture") return;
  const short = length !== undefined && 2 ** (Number(length) + 1) * view.k < WHOLE;
  const width = { engrave: 0.8, reference: 1.2 }[process] ?? px;
  view.pen(c, process === "cut" ? cut : INK[process] ?? cut, width, short ? undefined : DASHES[process]);
  c.stroke(path);
}

/** Pictures in their engraved tone, with corner ticks. */
export function pictures(c, view, group, under) {
  for (const { image, matrix: [a, b, cc, d, e, f] } of group.pictures) {
    if (under) {
      // What will lie under it is the material.
      c.save(); c.transform(a, b, cc, d, e, f); c.fillStyle = under; c.fillRect(0, 0, 1, 1); c.restore();
    }
    if (image.complete && image.naturalWidth) { c.save(); c.transform(a, b, cc, d, e, f); c.drawImage(image, 0, 0, 1, 1); c.restore(); }
    view.pen(c, INK.picture, 1.6);
    const tick = 9 / view.k, u = tick / Math.hypot(a, b), v = tick / Math.hypot(cc, d);
    c.beginPath();
    for (const [x, y] of [[0, 0], [1, 0], [1, 1], [0, 1]]) {
      const at = (p, q) => [a * p + cc * q + e, b * p + d * q + f], du = x ? -u : u, dv = y ? -v : v;
      c.moveTo(...at(x + du, y)); c.lineTo(...at(x, y)); c.lineTo(...at(x, y + dv));
    }
    c.stroke();
  }
}
