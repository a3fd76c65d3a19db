// What is under the pointer, in a box, or like what is chosen.
import { boundsOf, meetsBox, nearest } from "./measures.js";
import { inverse, lying, moved } from "./shapes.js";

/** A place of the stage in an item's own mm; motions are rigid, so distances are the same there. */
const own = (i, x, y) => moved(inverse(i.m), x - i.dx, y - i.dy);
const within = ([x0, y0, x1, y1], x, y, reach) => x > x0 - reach && x < x1 + reach && y > y0 - reach && y < y1 + reach;

/** The contour nearest to a place within reach, the smallest first; with the place on it. */
export function pick(items, x, y, reach) {
  let best = null;
  for (const item of items) {
    const [lx, ly] = own(item, x, y), b = item.b;
    if (!within(b, lx, ly, reach)) continue;
    const near = nearest(item.d, lx, ly), size = (b[2] - b[0]) * (b[3] - b[1]);
    if (near.distance <= reach && (!best || size < best.size)) best = { item, size, ...near };
  }
  return best;
}

/** True when the place is on one of the items, or within reach of its box. */
export const over = (items, x, y, reach) => items.some((i) => within(i.b, ...own(i, x, y), reach));

/** What lies within a box, or touches it. */
export function inBox(items, box, how) {
  return items.filter((i) => {
    const d = lying([i.m[0], i.m[1], i.m[2], i.m[3], i.m[4] + i.dx, i.m[5] + i.dy], i.d);
    const [x0, y0, x1, y1] = boundsOf(d);
    return how === "within" ? x0 >= box[0] && y0 >= box[1] && x1 <= box[2] && y1 <= box[3] : meetsBox(d, box);
  });
}

/** A wider choice: the same looks or size as the first, what lies inside it, or everything else of its drawing. */
export function widened(items, chosen, how) {
  const [first] = chosen;
  if (!first) return [];
  const w = (i) => i.b[2] - i.b[0], h = (i) => i.b[3] - i.b[1];
  const held = (i) => chosen.includes(i);
  const inside = (i) => chosen.some((c) => c !== i && i.b[0] >= c.b[0] && i.b[1] >= c.b[1] && i.b[2] <= c.b[2] && i.b[3] <= c.b[3]);
  const rules = {
    looks: (i) => held(i) || i.looks === first.looks,
    size: (i) => held(i) || (Math.abs(w(i) - w(first)) < 0.02 && Math.abs(h(i) - h(first)) < 0.02 && i.closed === first.closed),
    inside: (i) => held(i) || inside(i),
    others: (i) => !held(i),
  };
  const found = items.filter((i) => i.of === first.of).filter(rules[how]);
  return how === "others" ? found : [first, ...found.filter((i) => i !== first)];
}

/** The nearest end, middle or centre within reach of a place; the place itself where there is none. */
export function snapped(items, mx, my, reach) {
  let best = [mx, my], least = reach;
  const consider = (x, y) => { const d = Math.hypot(x - mx, y - my); if (d < least) [best, least] = [[x, y], d]; };
  for (const i of items) {
    if (!within(i.b, ...own(i, mx, my), reach)) continue;
    const d = lying([i.m[0], i.m[1], i.m[2], i.m[3], i.m[4] + i.dx, i.m[5] + i.dy], i.d);
    for (let n = 2; n < d.length; n += 3) {
      const [x0, y0, bulge, x1, y1] = d.slice(n - 2, n + 3);
      consider(x0, y0); consider(x1, y1);
      if (Math.abs(bulge) < 1e-5) { consider((x0 + x1) / 2, (y0 + y1) / 2); continue; }
      const q = (1 - bulge * bulge) / (4 * bulge);
      consider((x0 + x1) / 2 - (y1 - y0) * q, (y0 + y1) / 2 + (x1 - x0) * q);
    }
  }
  return best;
}
