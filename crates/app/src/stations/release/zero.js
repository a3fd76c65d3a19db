// Release's tool: a point that is asked for is taken by a click on the stage, on a sheet or in the bed's picture under it.
import { zero } from "/static/js/paint/bed.js";

const $ = (selector) => document.querySelector(selector);
const r = (v) => Math.round(v * 100) / 100;

export class Zero {
  constructor(stage) {
    Object.assign(this, { stage, wanted: null });
    this.ask = ({ target }) => {
      const button = target.closest?.("[data-take]");
      if (!button) return;
      this.want(button.dataset.take);
    };
    document.addEventListener("click", this.ask);
    this.fill = (e) => this.send(e);
    document.addEventListener("submit", this.fill, true);
    document.addEventListener("change", this.laid);
  }
  leave() {
    document.removeEventListener("change", this.laid);
    document.removeEventListener("click", this.ask);
    document.removeEventListener("submit", this.fill, true);
  }
  shown() { this.want(null); }
  /** Where a sheet lies was typed: all sheets' fields go by one form. */
  laid({ target }) {
    if (!target.matches?.("[data-lay]")) return;
    const form = $("#lay-form");
    [form.elements.on.value, form.elements.value.value] = [target.dataset.lay, target.value];
    form.requestSubmit();
  }

  want(what) {
    this.wanted = what;
    for (const b of document.querySelectorAll("[data-take]")) b.setAttribute("aria-pressed", b.dataset.take === what);
    this.stage.canvas.style.cursor = what ? "crosshair" : "";
  }

  down(e) { return Boolean(this.wanted) && !e.shiftKey; }
  up(e, { moved, lost }) {
    if (moved || lost) return;
    const [x, y] = this.stage.view.mm(e.offsetX, e.offsetY), [what] = this.wanted.split("-");
    const sheets = this.stage.scene.sheets, chosen = Number($("#align [name=on]")?.selectedOptions[0]?.dataset.through);
    const on = what === "zero" ? sheets.find((g) => x >= g.sheet.x && y >= g.sheet.y && x <= g.sheet.x + g.sheet.w && y <= g.sheet.y + g.sheet.h) : sheets.find((g) => g.sheet.n === chosen);
    if (!on) return;
    let [sx, sy] = [x - on.sheet.x, y - on.sheet.y];
    if (what === "zero") {
      this.want(null);
      const form = $("#zero-form");
      form.elements.value.value = `${r(sx)}, ${r(sy)}`;
      form.requestSubmit();
      return;
    }
    if (what === "bed" && on.sheet.bed) {
      // The picture's matrix takes the unit square to the sheet: back from there, and to the bed's mm.
      const p = new DOMMatrix(on.sheet.bed[1]).inverse().transformPoint(new DOMPoint(sx, sy)), m = on.sheet.bed[1];
      [sx, sy] = [p.x * Math.hypot(m[0], m[1]), (1 - p.y) * Math.hypot(m[2], m[3])];
    }
    $(`[data-point="${this.wanted}"]`).value = `${r(sx)}, ${r(sy)}`;
    const next = { "sheet-1": "bed-1", "bed-1": "sheet-2", "sheet-2": "bed-2" }[this.wanted];
    this.want(next && $(`[data-take="${next}"]`) ? next : null);
  }

  send(e) {
    if (e.target.id !== "align") return;
    e.target.elements.value.value = ["sheet-1", "bed-1", "sheet-2", "bed-2"].map((n) => $(`[data-point="${n}"]`).value).join(", ");
  }

  under(c) {
    const { view, scene } = this.stage;
    for (const g of scene.sheets) { view.place(c, g.sheet.x, g.sheet.y); zero(c, view, g.sheet.zero); }
  }
}
