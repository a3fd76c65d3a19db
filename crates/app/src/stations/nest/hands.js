// What is chosen of the copies at Nest, and what a hand does with it: shown at once, sent one after the other; where copies may lie,
// the server decides.
import { after } from "/static/js/shapes.js";
import { inSight, next } from "/static/js/walk.js";

/** Presses of arrow keys that follow each other within this are one move, ms. */
const GESTURE = 260;

export class Hands {
  constructor(stage) {
    Object.assign(this, { stage, chosen: [], ghost: null, rests: null, busy: Promise.resolve(), waiting: 0, nudged: null, taken: [], at: [0, 0], guides: null });
    // Whether a place is on a part is asked of the part's own path.
    this.probe = document.createElement("canvas").getContext("2d");
  }

  shown() { this.ghost = null; this.chosen = this.chosen.map((c) => this.find(c.copy.id)).filter(Boolean); this.tell(); }
  leave() { this.settle(); this.chosen = []; this.ghost = null; }
  /** Done when what was begun is stored. */
  settled() { this.settle(); return this.busy; }
  /** What was pressed by arrow keys so far is one move. */
  settle() {
    clearTimeout(this.rest);
    const wish = this.nudged && this.ghost;
    this.nudged = null;
    if (wish) this.put(wish);
  }

  /** The copy of a name with its sheet. */
  find(id) {
    const sheets = this.stage.scene.sheets;
    for (let sheet = 0; sheet < sheets.length; sheet += 1) {
      const copy = sheets[sheet].sheet.copies.find((c) => c.id === id);
      if (copy) return { copy, sheet };
    }
    return null;
  }

  /** All copies of a part. */
  ofPart(id) {
    const { scene } = this.stage;
    return (scene?.sheets ?? []).flatMap(({ sheet: s }, sheet) => s.copies.filter((c) => scene.parts[c.part].id === id).map((copy) => ({ copy, sheet })));
  }

  searching() { return document.querySelector("#search")?.dataset.searching === "true"; }

  /** Presses add up, however quickly they come; what they come to is one move. */
  nudge(dx, dy) {
    const { x, y } = this.nudged ?? { x: 0, y: 0 };
    this.nudged = { x: x + dx, y: y + dy };
    this.ghost = this.moved([1, 0, 0, 1, this.nudged.x, this.nudged.y]);
    this.stage.blit();
    clearTimeout(this.rest);
    this.rest = setTimeout(() => this.settle(), GESTURE);
  }

  /** To the next copy, sheet by sheet. */
  walk(step) {
    const { scene } = this.stage, [now] = this.chosen;
    const things = scene.sheets.flatMap(({ sheet: s }, sheet) => s.copies.map((copy) => { const b = scene.box(copy); return { copy, sheet, b: [s.x + b[0], s.y + b[1], s.x + b[2], s.y + b[3]], at: [s.x + b[0], s.y + b[3]] }; }));
    const found = next(things, (t) => t.copy.id === now?.copy.id, step);
    if (!found) return false;
    this.choose((c) => c.copy.id === found.copy.id);
    inSight(this.stage, found.b);
    return true;
  }

  /** Chooses all copies of the parts that are chosen, or only some of what is chosen. */
  chooseKind() { const kinds = new Set(this.chosen.map((c) => c.copy.part)); this.choose((c) => kinds.has(c.copy.part)); }
  chooseSheet() { const on = this.chosen[0]?.sheet ?? Math.max(0, this.sheetAt(...this.at)); this.choose((c) => c.sheet === on); }
  narrow(part) { this.settle(); this.chosen = this.chosen.filter((c) => this.stage.scene.parts[c.copy.part].id === part); this.stage.redraw(); this.tell(); }
  choose(wanted) {
    this.settle();
    const all = this.stage.scene.sheets.flatMap(({ sheet: s }, sheet) => s.copies.map((copy) => ({ copy, sheet })));
    this.chosen = all.filter(wanted);
    this.stage.redraw();
    this.tell();
  }
  sheetAt(x, y) { return this.stage.scene.sheets.findIndex(({ sheet: s }) => x >= s.x && y >= s.y && x <= s.x + s.w && y <= s.y + s.h); }

  /** A box takes the copies that it touches, or those within it. */
  boxed(box, how) {
    if (!this.stage.scene?.sheets.length) return false;
    const { scene } = this.stage;
    const meets = ({ copy, sheet }) => {
      const s = scene.sheets[sheet].sheet, b = scene.box(copy), [x0, y0, x1, y1] = [s.x + b[0], s.y + b[1], s.x + b[2], s.y + b[3]];
      return how === "within" ? x0 >= box[0] && y0 >= box[1] && x1 <= box[2] && y1 <= box[3] : x0 <= box[2] && y0 <= box[3] && x1 >= box[0] && y1 >= box[1];
    };
    const held = new Set(this.chosen.map((c) => c.copy.id));
    this.choose((c) => held.has(c.copy.id) || meets(c));
    return true;
  }

  /** Once more: beside it where it is one, else as far to the right as their box is wide. */
  twin() {
    if (this.chosen.length === 1) { this.post({ do: "more" }); return; }
    const [x0, , x1] = this.box();
    this.double(this.moved([1, 0, 0, 1, x1 - x0 + 4, 0]));
  }
  double(places) { this.post({ ...this.wish(places), do: "double" }, places.map((p) => p.copy.id)); }

  /** What was taken, laid where the pointer is; on the first sheet where that is over none. */
  paste() {
    const { scene } = this.stage, [x, y] = this.at, on = Math.max(0, this.sheetAt(x, y)), s = scene.sheets[on]?.sheet;
    if (!s) return;
    const boxes = this.taken.map((c) => scene.box(c)), [bx, by] = [Math.min(...boxes.map((b) => b[0])), Math.min(...boxes.map((b) => b[1]))];
    this.double(this.taken.map((copy) => ({ copy, sheet: on, pose: after([1, 0, 0, 1, x - s.x - bx, y - s.y - by], copy.pose) })));
  }

  /** A part of the list, dropped on a sheet: its middle goes there. */
  drop(part, px, py) {
    const { scene, view } = this.stage, [x, y] = view.mm(px, py), on = this.sheetAt(x, y);
    if (on < 0) return;
    const s = scene.sheets[on].sheet;
    this.post({ do: "drop", to: [x - s.x, y - s.y, 0, 0, on].join(",") }, [`${part}-1`]);
  }

  /** The box round all that are chosen, as they lie on their sheets. */
  box() { return this.boxOf(this.chosen.map(({ copy }) => ({ copy, pose: copy.pose }))); }
  boxOf(places) {
    const all = places.map(({ copy, pose }) => this.stage.scene.box({ ...copy, pose }));
    return [Math.min(...all.map((b) => b[0])), Math.min(...all.map((b) => b[1])), Math.max(...all.map((b) => b[2])), Math.max(...all.map((b) => b[3]))];
  }

  /** All that are chosen, where a matrix moves them. */
  moved(m) { return this.chosen.map((c) => ({ ...c, pose: after(m, c.copy.pose) })); }
  shift(m) { this.settle(); this.put(this.moved(m)); }

  /** A turn about the middle of the box of what is chosen; quarters are exact. */
  turned(degrees) {
    const [x0, y0, x1, y1] = this.box(), x = (x0 + x1) / 2, y = (y0 + y1) / 2, a = (degrees * Math.PI) / 180;
    const [s, c] = [Math.round(Math.sin(a) * 1e12) / 1e12, Math.round(Math.cos(a) * 1e12) / 1e12];
    return [c, s, -s, c, x - c * x + s * y, y - s * x - c * y];
  }
  turn(degrees) { this.settle(); this.put(this.moved(this.turned(degrees))); }

  mirror() { this.settle(); const [x0, , x1] = this.box(); this.shift([-1, 0, 0, 1, x0 + x1, 0]); }

  hold() { this.post({ do: this.chosen.every((c) => c.copy.held) ? "free" : "hold" }); }

  figures(copy) {
    const [x, y] = this.stage.scene.box(copy), [a, b, c, d] = copy.pose, mirrored = a * d - b * c < 0;
    const angle = ((Math.atan2(mirrored ? -b : b, mirrored ? -a : a) * 180) / Math.PI + 360) % 360;
    return { x, y, angle, mirrored };
  }

  /** Copies with poses, as the server wants them. */
  wish(places) {
    const to = places.map(({ copy, pose, sheet }) => { const { angle, mirrored } = this.figures({ ...copy, pose }); return [pose[4], pose[5], angle, mirrored ? 1 : 0, sheet].join(","); });
    return { do: "lay", to: to.join(";") };
  }

  /** Copies go where they are wanted at once; the server says where they may lie. */
  put(wish) {
    const lie = this.rests?.length ? this.rests.map(([id, sheet, pose]) => ({ id, sheet, pose })) : wish.map((w) => ({ id: w.copy.id, sheet: w.sheet, pose: w.pose }));
    this.ghost = this.rests = this.from = null;
    this.lie(lie);
    this.post(this.wish(wish), wish.map((w) => w.copy.id));
  }
  lie(places) {
    this.stage.scene.moveAll(places);
    this.chosen = this.chosen.map((c) => this.find(c.copy.id)).filter(Boolean);
    this.stage.redraw();
  }

  /** One after the other: the next is asked of the revision that the one before has made. */
  post(wish, ids = this.chosen.map((c) => c.copy.id)) {
    this.settle();
    this.waiting += 1;
    this.busy = this.busy.then(() => this.send(wish, ids)).finally(() => { this.waiting -= 1; });
  }

  ask(wish, ids) {
    const { revision, batch } = document.querySelector("#docket").dataset;
    const body = new URLSearchParams({ revision, batch, copies: ids.join(","), ...wish });
    return fetch(`/jobs/${this.stage.job}/copies`, { method: "POST", body }).catch(() => null);
  }

  async send(wish, ids) {
    const docket = document.querySelector("#docket").dataset, { stage } = this;
    const answer = await this.ask(wish, ids);
    if (!answer?.ok) {
      const against = answer?.headers.get("against");
      // They lie where they lay.
      await stage.reload?.();
      this.tell();
      stage.tell("refused", { answer, deed: against && { label: `Lay it ${against}`, act: () => this.post({ ...wish, against: "on" }, ids) } });
      return;
    }
    const done = await answer.json();
    docket.revision = done.revision;
    for (const field of document.querySelectorAll("#docket [name=revision]")) field.value = done.revision;
    // What a hand has done since stands as it is.
    if (this.waiting <= 1 && !this.nudged && !this.from) this.lie(done.moved.map(([id, sheet, pose]) => ({ id, sheet, pose })));
    if (done.anew || !this.nudged) this.tell(done.slid);
    stage.tell(done.anew ? "changed" : "laid", done);
  }

  tell(slid = 0) {
    const { scene } = this.stage, list = this.chosen;
    if (!list.length) { this.stage.tell("copies", null); return; }
    const { copy } = list[0], [x, y] = list.length > 1 ? this.box() : [];
    const part = scene.parts[copy.part], figures = this.figures(copy);
    const kinds = new Map();
    for (const c of list) { const { id, name } = scene.parts[c.copy.part]; kinds.set(id, { id, name, count: (kinds.get(id)?.count ?? 0) + 1 }); }
    this.stage.tell("copies", { kinds: [...kinds.values()], count: list.length, name: part.name, part: part.id, held: list.every((c) => c.copy.held), slid, ...figures, ...(list.length > 1 ? { x, y } : {}) });
  }
}
