// Assign's second tool: `w` takes it up, and a stroke on a part shows which way its grain runs.
import { LICHEN } from "/static/js/paint/inks.js";

export class Grain {
  constructor(stage) { Object.assign(this, { stage, on: false, from: null, to: null }); }
  leave() { this.on = false; }
  get table() { return [{ chords: "w", words: "then a stroke on a part shows its grain", act: () => this.toggle() }]; }
  toggle() {
    this.on = !this.on;
    this.stage.canvas.classList.toggle("measuring", this.on);
  }
  down(e) {
    if (!this.on || e.shiftKey || e.altKey) return false;
    this.from = this.stage.view.mm(e.offsetX, e.offsetY);
    return true;
  }
  move(e) { this.to = this.stage.view.mm(e.offsetX, e.offsetY); this.stage.blit(); }
  up(e, { moved, lost }) {
    const { from, stage } = this, to = stage.view.mm(e.offsetX, e.offsetY);
    this.from = this.to = null;
    stage.blit();
    if (!moved || lost) return;
    this.on = false;
    stage.canvas.classList.remove("measuring");
    const { revision } = document.querySelector("#docket").dataset;
    htmx.ajax("POST", `/jobs/${stage.job}/grain`, { target: "#docket", swap: "outerHTML", values: { revision, x0: from[0], y0: from[1], x1: to[0], y1: to[1] } });
  }
  paint(c) {
    if (!this.from || !this.to) return;
    const { view } = this.stage;
    view.place(c); view.pen(c, LICHEN, 2.5);
    c.beginPath(); c.moveTo(...this.from); c.lineTo(...this.to); c.stroke();
  }
}
