// Assign's tool: what is chosen is carried to a process; over a chip or a row of the key it is made that.
import { over } from "/static/js/pick.js";

const target = (e) => document.elementFromPoint(e.clientX, e.clientY)?.closest("[data-process]");
const plain = () => document.querySelectorAll(".carried-over").forEach((t) => t.classList.remove("carried-over"));

export class Sort {
  constructor(stage) { this.stage = stage; }
  down(e) {
    const { view, chosen } = this.stage;
    return !e.shiftKey && !e.altKey && over(chosen, ...view.mm(e.offsetX, e.offsetY), 6 / view.k);
  }
  move(e) {
    this.stage.canvas.classList.add("held");
    plain();
    target(e)?.classList.add("carried-over");
  }
  up(e, { moved, lost }) {
    plain();
    if (!moved) { this.stage.click(e); return; }
    const to = !lost && target(e), form = document.querySelector("#carry-form");
    if (!to || !form) return;
    form.querySelector("[name=on]").value = [...new Set(this.stage.chosen.map((i) => i.id))].join(",");
    form.querySelector("[name=value]").value = to.dataset.process;
    form.requestSubmit();
  }
}
