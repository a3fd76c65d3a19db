// Exact measures of drawn lines and arcs: boxes, distances, crossings. A line is x, y, bulge, x, y, bulge, x, y;
// bulge = tan(sweep / 4), 0 for a straight piece.

/** Centre, radius, angle at the start and sweep of an arc; null for a straight piece. */
export function arcOf(x0, y0, bulge, x1, y1) {
  if (Math.abs(bulge) < 1e-9) return null;
  const k = (1 - bulge * bulge) / (4 * bulge), cx = (x0 + x1) / 2 - (y1 - y0) * k, cy = (y0 + y1) / 2 + (x1 - x0) * k;
  const r = Math.hypot(x0 - cx, y0 - cy);
  return r > 1e6 ? null : { cx, cy, r, from: Math.atan2(y0 - cy, x0 - cx), sweep: 4 * Math.atan(bulge) };
}

/** How far along its sweep an arc passes an angle, 0 to 1; null where it does not. */
function passes(arc, angle) {
  const turn = 2 * Math.PI, ahead = (((angle - arc.from) * Math.sign(arc.sweep)) % turn + turn) % turn;
  const share = ahead / Math.abs(arc.sweep);
  if (share <= 1 + 1e-12) return share;
  // A hair before the start is the start.
  return turn - ahead < 1e-9 ? 0 : null;
}

/** Calls visit(x0, y0, bulge, x1, y1) for each piece. */
export function pieces(d, visit) {
  for (let i = 2; i < d.length; i += 3) visit(d[i - 2], d[i - 1], d[i], d[i + 1], d[i + 2]);
}

/** Box of a line: [least x, least y, greatest x, greatest y]. */
export function boundsOf(d) {
  const b = [Infinity, Infinity, -Infinity, -Infinity];
  const grow = (x, y) => { b[0] = Math.min(b[0], x); b[1] = Math.min(b[1], y); b[2] = Math.max(b[2], x); b[3] = Math.max(b[3], y); };
  if (d.length >= 2) grow(d[0], d[1]);
  pieces(d, (x0, y0, bulge, x1, y1) => {
    grow(x1, y1);
    const arc = arcOf(x0, y0, bulge, x1, y1);
    if (!arc) return;
    for (let q = 0; q < 4; q += 1) {
      const a = (q * Math.PI) / 2;
      if (passes(arc, a) !== null) grow(arc.cx + arc.r * Math.cos(a), arc.cy + arc.r * Math.sin(a));
    }
  });
  return b;
}

/** Length of a line, mm. */
export function lengthOf(d) {
  let sum = 0;
  pieces(d, (x0, y0, bulge, x1, y1) => { const arc = arcOf(x0, y0, bulge, x1, y1); sum += arc ? arc.r * Math.abs(arc.sweep) : Math.hypot(x1 - x0, y1 - y0); });
  return sum;
}

/** Distance from a place to a line, the share of its length where it is nearest, and that place as a segment and a share of it. */
export function nearest(d, px, py) {
  let best = { distance: Infinity, at: 0, segment: 0, on: 0 }, length = 0, n = 0;
  pieces(d, (x0, y0, bulge, x1, y1) => {
    const arc = arcOf(x0, y0, bulge, x1, y1);
    let t, x, y, long;
    if (arc) {
      long = arc.r * Math.abs(arc.sweep);
      const on = passes(arc, Math.atan2(py - arc.cy, px - arc.cx));
      t = on ?? (Math.hypot(px - x0, py - y0) < Math.hypot(px - x1, py - y1) ? 0 : 1);
      const a = arc.from + arc.sweep * Math.min(1, t);
      x = arc.cx + arc.r * Math.cos(a); y = arc.cy + arc.r * Math.sin(a);
    } else {
      const dx = x1 - x0, dy = y1 - y0;
      long = Math.hypot(dx, dy);
      t = long ? Math.max(0, Math.min(1, ((px - x0) * dx + (py - y0) * dy) / (long * long))) : 0;
      x = x0 + dx * t; y = y0 + dy * t;
    }
    const distance = Math.hypot(px - x, py - y);
    if (distance < best.distance) best = { distance, at: length + long * t, segment: n, on: Math.min(1, t) };
    length += long;
    n += 1;
  });
  return { distance: best.distance, share: length ? best.at / length : 0, segment: best.segment, on: best.on };
}

/** True where a line has a point in a box: one of its ends, or a crossing of one of the box's sides. */
export function meetsBox(d, [l, b, r, t]) {
  const inside = (x, y) => x >= l && x <= r && y >= b && y <= t;
  if (d.length >= 2 && inside(d[0], d[1])) return true;
  let met = false;
  pieces(d, (x0, y0, bulge, x1, y1) => {
    if (met || inside(x1, y1)) { met = true; return; }
    const arc = arcOf(x0, y0, bulge, x1, y1);
    if (arc) {
      const on = (x, y) => passes(arc, Math.atan2(y - arc.cy, x - arc.cx)) !== null;
      for (const x of [l, r]) { const h = arc.r ** 2 - (x - arc.cx) ** 2; if (h >= 0) for (const s of [-1, 1]) { const y = arc.cy + s * Math.sqrt(h); if (y >= b && y <= t && on(x, y)) met = true; } }
      for (const y of [b, t]) { const h = arc.r ** 2 - (y - arc.cy) ** 2; if (h >= 0) for (const s of [-1, 1]) { const x = arc.cx + s * Math.sqrt(h); if (x >= l && x <= r && on(x, y)) met = true; } }
      return;
    }
    // The stretch of the line that is in the box, clipped side by side.
    let from = 0, to = 1;
    for (const [p, q] of [[x0 - x1, x0 - l], [x1 - x0, r - x0], [y0 - y1, y0 - b], [y1 - y0, t - y0]]) {
      if (p === 0) { if (q < 0) return; } else if (p < 0) from = Math.max(from, q / p); else to = Math.min(to, q / p);
    }
    if (from <= to) met = true;
  });
  return met;
}
