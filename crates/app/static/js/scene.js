// What is there: the server's scene as paths for painting and as items for picking. A part's paths are made once; its
// copies only have poses.
import { boundsOf } from "./measures.js";
import { inkKey } from "./paint/inks.js";
import { IDENTITY, closed, lying, trace } from "./shapes.js";

const grow = (all, x, y, w, h) => [Math.min(all[0], x), Math.min(all[1], y), Math.max(all[2], x + w), Math.max(all[3], y + h)];
const NOTHING = [Infinity, Infinity, -Infinity, -Infinity];

export class Scene {
  /** `picture` gives an image for an address and a matrix. */
  constructor(data, job, picture) {
    Object.assign(this, { data, job, picture, items: [], groups: [], tone: data.tone, grain: data.grain, marks: data.marks, revision: data.revision });
    this.parts = data.parts.map((p) => this.part(p));
    data.bench.forEach((b) => this.groups.push(this.bench(b)));
    data.sheets.forEach((s) => this.groups.push(this.sheet(s)));
    const all = this.groups.reduce((a, g) => grow(a, ...g.box), NOTHING);
    this.extent = all[0] === Infinity ? null : all;
  }

  get empty() { return !this.groups.length; }
  get sheets() { return this.groups.filter((g) => g.kind === "sheet"); }

  toned(id, matrix) { return this.picture(`/jobs/${this.job}/tone/${id}?revision=${this.revision}`, matrix); }

  part(p) {
    const inks = {}, engraved = new Path2D(), wound = new Path2D();
    for (const [process, winding, , shut, d] of p.lines) {
      trace((inks[inkKey(process, d)] ??= new Path2D()), d, shut);
      if (process === "engrave" && shut) trace(winding ? wound : engraved, d, true);
    }
    const lines = p.lines.map(([process, , id, shut, d]) => ({ id, p: process, closed: shut, d, b: boundsOf(d) }));
    const bounds = boundsOf(p.outline);
    return { ...p, area: closed([p.outline, ...p.holes]), inks, engraved, wound, lines, bounds };
  }

  bench(b) {
    const group = { kind: "bench", box: [b.x, b.y, b.w, b.h], name: b.name, id: b.id, inks: {}, solid: new Path2D(), gone: new Path2D(), fresh: new Path2D(), engraved: new Path2D(), wound: new Path2D(), pictures: [], texts: b.texts, grains: b.grains };
    group.picture = b.picture && this.picture(...b.picture);
    b.gone.forEach((d) => trace(group.gone, d, false));
    for (const c of b.contours) {
      if (c.fresh) trace(group.fresh, c.d, c.closed);
      if (c.picture) group.pictures.push(this.toned(c.id, c.picture));
      trace((group.inks[inkKey(c.p, c.d)] ??= new Path2D()), c.d, c.closed);
      if (c.p === "engrave" && c.closed) trace(c.wound ? group.wound : group.engraved, c.d, true);
      if (c.closed && c.p === "cut") trace(group.solid, c.d, true);
      this.items.push({ ...c, dx: 0, dy: 0, m: IDENTITY, b: boundsOf(c.d) });
    }
    return group;
  }

  sheet(s) {
    const group = { kind: "sheet", box: [s.x, s.y, s.w, s.h], sheet: s, kerfs: new Map(), cuts: {}, leads: new Path2D(), edge: new Path2D(), rows: new Path2D(), travel: new Path2D(), shared: new Path2D(), ends: [] };
    if (s.outline.length) s.outline.forEach((o) => trace(group.edge, o, true)); else group.edge.rect(0, 0, s.w, s.h);
    for (const k of s.strokes) {
      if (k.p === "cut" && !group.kerfs.has(k.kerf)) group.kerfs.set(k.kerf, new Path2D());
      const path = k.p === "cut" ? group.kerfs.get(k.kerf) : (group.cuts[inkKey(k.p, k.drawn)] ??= new Path2D());
      k.runs.forEach((r) => trace(path, r, false));
      k.leads.forEach((l) => trace(group.leads, l, false));
      this.items.push({ id: k.id, p: k.p, d: k.drawn, dx: s.x, dy: s.y, m: IDENTITY, b: boundsOf(k.drawn), closed: true, copy: s.copies[k.copy]?.id, cut: k.cut, n: k.n, sheet: s.n, start: k.start, turned: k.turned, nicks: k.nicks, leads: k.leads });
    }
    for (const row of s.rows) for (let i = 0; i + 3 < row.length; i += 4) { group.rows.moveTo(row[i], row[i + 1]); group.rows.lineTo(row[i + 2], row[i + 3]); }
    for (const t of s.travel) { group.travel.moveTo(t[0], t[1]); group.travel.lineTo(t[2], t[3]); }
    for (const d of s.shared) {
      trace(group.shared, d, false);
      // The direction of a straight begin and end is that of their first and last two corners.
      const n = d.length;
      group.ends.push([d[0], d[1], d[3] - d[0], d[4] - d[1]], [d[n - 2], d[n - 1], d[n - 2] - d[n - 5], d[n - 1] - d[n - 4]]);
    }
    this.lay(group);
    return group;
  }

  /** The copies of a sheet as they lie now: their paths by kind, and where there is no toolpath their lines to pick. */
  lay(group) {
    const { sheet } = group;
    Object.assign(group, { parts: new Path2D(), inks: {}, engraved: new Path2D(), wound: new Path2D(), pictures: [] });
    if (!sheet.strokes.length) this.items = this.items.filter((i) => i.sheet !== sheet);
    for (const copy of sheet.copies) {
      const part = this.parts[copy.part], m = new DOMMatrix(copy.pose);
      group.parts.addPath(part.area, m);
      group.engraved.addPath(part.engraved, m);
      group.wound.addPath(part.wound, m);
      for (const [id, matrix] of part.pictures) {
        const { a, b, c, d, e, f } = m.multiply(new DOMMatrix(matrix));
        group.pictures.push(this.toned(id, [a, b, c, d, e, f]));
      }
      if (sheet.strokes.length) continue;
      for (const [process, path] of Object.entries(part.inks)) (group.inks[process] ??= new Path2D()).addPath(path, m);
      for (const line of part.lines) this.items.push({ ...line, dx: sheet.x, dy: sheet.y, m: copy.pose, copy: copy.id, sheet });
    }
  }

  /** Takes over poses alone; false where they are of other parts or sheets, and the scene has to be fetched anew. */
  pose({ parts, sheets, revision }) {
    const groups = this.sheets;
    if (parts !== this.parts.length || sheets.length !== groups.length || groups.some((g) => g.sheet.strokes.length)) return false;
    groups.forEach((group, i) => {
      group.sheet.copies = sheets[i].map(([id, part, pose]) => ({ id, part, pose }));
      this.apart(group);
      this.lay(group);
    });
    this.revision = revision;
    return true;
  }

  /** What copies shared is not known once they lie elsewhere. */
  apart(group) { Object.assign(group, { shared: new Path2D(), ends: [] }); }

  /** Copies lie elsewhere: each by its name, with sheet and pose. */
  moveAll(places) {
    const groups = this.sheets, touched = new Set(), wanted = new Map(places.map((p) => [p.id, p]));
    const gone = [];
    for (const group of groups) {
      const mine = group.sheet.copies.filter((c) => wanted.has(c.id));
      if (!mine.length) continue;
      touched.add(group);
      gone.push(...mine);
      group.sheet.copies = group.sheet.copies.filter((c) => !wanted.has(c.id));
    }
    for (const copy of gone) {
      const { sheet, pose } = wanted.get(copy.id), to = groups[sheet] ?? groups.at(-1);
      to.sheet.copies.push({ ...copy, pose });
      touched.add(to);
    }
    touched.forEach((g) => { this.apart(g); this.lay(g); });
  }

  /** The box round a copy as it lies on its sheet. */
  box(copy) { return boundsOf(lying(copy.pose, this.parts[copy.part].outline)); }
}
