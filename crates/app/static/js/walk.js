// The stage walked by keys: from one thing to the next in reading order, from the top left.

/** Things that lie within this share of the stage's height of each other are in one row. */
const ROW = 0.04;

/** The thing after what is chosen, or before it; the first where nothing is. Each has a place, x and y of the stage with y up. */
export function next(things, chosen, step) {
  if (!things.length) return null;
  const high = Math.max(...things.map((t) => t.at[1])) - Math.min(...things.map((t) => t.at[1])), row = Math.max(high * ROW, 1e-6);
  const order = [...things].sort((a, b) => (a.n !== undefined && b.n !== undefined && a.n !== b.n ? a.n - b.n : Math.round(b.at[1] / row) - Math.round(a.at[1] / row) || a.at[0] - b.at[0]));
  const at = order.findIndex((t) => chosen(t));
  return order[at < 0 ? (step > 0 ? 0 : order.length - 1) : (at + step + order.length) % order.length];
}

/** Looks where a box is, if it is not in the window. */
export function inSight(stage, [x0, y0, x1, y1]) {
  const { view } = stage, [left, right] = [view.x + x0 * view.k, view.x + x1 * view.k], [top, bottom] = [view.y - y1 * view.k, view.y - y0 * view.k];
  if (left >= 0 && top >= 0 && right <= view.w && bottom <= view.h) return;
  stage.look({ ...view.now, x: view.x + view.w / 2 - (left + right) / 2, y: view.y + view.h / 2 - (top + bottom) / 2 });
}
