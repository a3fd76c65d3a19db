// Where findings are, and what is chosen.
import { LICHEN, LOOK, STOP } from "./inks.js";
import { trace } from "../shapes.js";

export function ring(c, view, points, colour) {
  const [x, y] = view.pixels(c);
  c.strokeStyle = colour; c.lineWidth = 2; c.setLineDash([]);
  for (const [px, py] of points) { c.beginPath(); c.arc(x + px * view.k, y - py * view.k, 9, 0, 7); c.stroke(); }
}

function outline(c, view, items, colour) {
  for (const i of items) {
    view.place(c, i.dx, i.dy);
    c.transform(...i.m);
    const path = new Path2D();
    trace(path, i.d, i.closed);
    view.pen(c, colour, 3.2);
    c.stroke(path);
  }
}

export function marks(c, { view, scene, marked, chosen }) {
  const colour = (mark) => (mark.severity === "stop" ? STOP : LOOK);
  for (const mark of Object.values(scene.marks)) if (mark.severity !== "note") ring(c, view, mark.points, colour(mark));
  if (marked) {
    ring(c, view, marked.points, colour(marked));
    outline(c, view, scene.items.filter((i) => marked.contours.includes(i.id)), colour(marked));
  }
  outline(c, view, chosen, LICHEN);
}
