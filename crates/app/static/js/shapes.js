// Lines and arcs as the server sends them: x, y, bulge, x, y, ...; poses as matrices.

/** Adds a line to a path: straight pieces, and arcs where the bulge is not 0. */
export function trace(path, d, close) {
  if (d.length < 2) return;
  path.moveTo(d[0], d[1]);
  for (let i = 2; i < d.length; i += 3) arcTo(path, d[i - 2], d[i - 1], d[i], d[i + 1], d[i + 2]);
  if (close) path.closePath();
}

/** One line or arc; bulge = tan(sweep / 4). */
export function arcTo(path, x0, y0, bulge, x1, y1) {
  if (Math.abs(bulge) < 1e-5) { path.lineTo(x1, y1); return; }
  const dx = x1 - x0, dy = y1 - y0, chord = Math.hypot(dx, dy);
  const k = (1 - bulge * bulge) / (4 * bulge);
  const cx = (x0 + x1) / 2 - dy * k, cy = (y0 + y1) / 2 + dx * k;
  const r = (chord * (1 + bulge * bulge)) / (4 * Math.abs(bulge));
  path.arc(cx, cy, r, Math.atan2(y0 - cy, x0 - cx), Math.atan2(y1 - cy, x1 - cx), bulge < 0);
}

/** A path of several closed lines. */
export function closed(lines) {
  const path = new Path2D();
  lines.forEach((d) => trace(path, d, true));
  return path;
}

export const IDENTITY = [1, 0, 0, 1, 0, 0];

/** A point under a pose. */
export const moved = ([a, b, c, d, e, f], x, y) => [a * x + c * y + e, b * x + d * y + f];

/** A pose of a rigid motion the other way round. */
export function inverse([a, b, c, d, e, f]) {
  const det = a * d - b * c;
  return [d / det, -b / det, -c / det, a / det, (c * f - d * e) / det, (b * e - a * f) / det];
}

/** First one pose, then the other. */
export function after([a, b, c, d, e, f], [p, q, r, s, t, u]) {
  return [a * p + c * q, b * p + d * q, a * r + c * s, b * r + d * s, a * t + c * u + e, b * t + d * u + f];
}

/** A line under a pose; mirrored, its arcs turn the other way. */
export function lying(m, d) {
  const flip = m[0] * m[3] - m[1] * m[2] < 0 ? -1 : 1;
  const out = [...moved(m, d[0], d[1])];
  for (let i = 2; i < d.length; i += 3) out.push(flip * d[i], ...moved(m, d[i + 1], d[i + 2]));
  return out;
}
