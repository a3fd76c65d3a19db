// What a dragged box comes into line with: edges and middles of its neighbours and of the sheet.

/** Within so many pixels it snaps. */
const NEAR = 7;

/** The lines that a box may come into line with on a sheet, made once for a drag: places along x and along y. */
export function lines(scene, sheet, but) {
  const s = scene.sheets[sheet]?.sheet;
  if (!s) return { x: [], y: [] };
  const boxes = s.copies.filter((c) => !but.has(c.id)).map((c) => scene.box(c)), whole = [0, 0, s.w, s.h];
  const of = (a, b) => [...boxes, whole].flatMap((box) => [box[a], (box[a] + box[b]) / 2, box[b]].map((at) => ({ at, box })));
  return { x: of(0, 2), y: of(1, 3) };
}

/** How far a box goes to be in line, and the lines that it is in line with then. */
export function snapped(box, { x, y }, k) {
  const best = (mine, all) => {
    let found = null;
    for (const line of all) for (const at of mine) {
      const by = line.at - at, far = Math.abs(by) * k;
      if (far < NEAR && (!found || far < found.far)) found = { by, far, line };
    }
    return found;
  };
  const across = best([box[0], (box[0] + box[2]) / 2, box[2]], x), up = best([box[1], (box[1] + box[3]) / 2, box[3]], y);
  return { by: [across?.by ?? 0, up?.by ?? 0], x: across?.line ?? null, y: up?.line ?? null };
}
