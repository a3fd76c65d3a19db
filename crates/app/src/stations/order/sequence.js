// Order's tool for the sequence: cuts are clicked in the wanted order, their numbers appear as they are clicked; Enter ends, Escape
// gives it up, Backspace takes the last one back. What was not clicked is filled in behind.
import { LICHEN, PAPER } from "/static/js/paint/inks.js";
import { pick } from "/static/js/pick.js";

export class Sequence {
  constructor(stage) { Object.assign(this, { stage, cuts: null }); }
  leave() { this.cuts = null; }
  shown() { this.end(); }

  begin() { this.cuts = []; this.tell(); this.stage.canvas.focus(); }
  end() { this.cuts = null; this.tell(); this.stage.redraw(); }

  tell() {
    const state = document.querySelector("#sequence-state"), button = document.querySelector("#sequence-start");
    if (!state || !button) return;
    state.textContent = this.cuts ? `${this.cuts.length} clicked: Enter ends, Backspace takes one back, Escape gives up` : "";
    button.textContent = this.cuts ? "That is the order" : "Click the order";
  }

  down(e) {
    if (!this.cuts || e.shiftKey || e.altKey) return false;
    const { view, scene } = this.stage, found = pick(scene.items.filter((i) => i.cut), ...view.mm(e.offsetX, e.offsetY), 6 / view.k)?.item;
    if (!found) return false;
    const [first] = this.cuts;
    if (first && (first.p !== found.p || first.dx !== found.dx || first.dy !== found.dy)) { this.stage.tell("refused", { sentence: "Cuts of one kind on one sheet are put in order together." }); return true; }
    const at = this.cuts.indexOf(found);
    if (at < 0) this.cuts.push(found); else this.cuts.splice(at, 1);
    this.tell();
    this.stage.redraw();
    return true;
  }

  get table() {
    const when = () => Boolean(this.cuts);
    return [
      { chords: "Enter", words: "the cuts that were clicked come first, in that order", act: () => this.done(), when },
      { chords: "Backspace", words: "the last that was clicked is none of them", act: () => { this.cuts.pop(); this.tell(); this.stage.redraw(); }, when },
    ];
  }
  none() { if (this.cuts) this.end(); }

  done() {
    const { cuts, stage } = this;
    if (!cuts?.length) { this.end(); return; }
    // The first of its kind on this sheet.
    const kind = stage.scene.items.filter((i) => i.cut && i.p === cuts[0].p && i.dx === cuts[0].dx && i.dy === cuts[0].dy);
    place(stage.job, cuts.map((i) => i.cut), Math.min(...kind.map((i) => i.n)));
  }

  under(c) {
    if (!this.cuts) return;
    const { view } = this.stage, [ox, oy] = view.pixels(c, true);
    c.font = "600 12px 'Spline Sans Mono', monospace"; c.setLineDash([]); c.textAlign = "center";
    this.cuts.forEach((i, n) => {
      const x = ox + (i.dx + i.start[0]) * view.k, y = oy - (i.dy + i.start[1]) * view.k;
      c.fillStyle = LICHEN; c.beginPath(); c.arc(x, y, 11, 0, 7); c.fill();
      c.fillStyle = PAPER; c.fillText(String(n + 1), x, y + 4);
    });
    c.textAlign = "start";
  }
}

/** Gives cuts their places, the first this number; an empty one gives them back. */
export function place(job, cuts, at) {
  const { revision, batch } = document.querySelector("#docket").dataset;
  htmx.ajax("POST", `/jobs/${job}/places`, { target: "#docket", swap: "outerHTML", values: { revision, batch, cuts: cuts.join(","), at } });
}
