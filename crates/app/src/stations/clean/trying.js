// An operation while it is typed: its outcome as a ghost on the stage, and in a sentence what it does not do as asked.
import { trace } from "/static/js/shapes.js";
import { LICHEN } from "/static/js/paint/inks.js";

export function trying(stage) {
  let waiting = null, asked = 0;
  const ghost = (lines) => {
    const path = lines?.length ? new Path2D() : null;
    for (const [closed, d] of lines ?? []) trace(path, d, closed);
    stage.underlay = path && ((c) => { stage.view.place(c); stage.view.pen(c, LICHEN, 2, [6, 3]); c.stroke(path); c.setLineDash([]); });
    stage.redraw();
  };
  const ask = async (form) => {
    const turn = ++asked, told = form.querySelector(".tried"), fields = new URLSearchParams(new FormData(form));
    const answer = await fetch(`/jobs/${stage.job}/try`, { method: "POST", body: fields }).catch(() => null);
    if (turn !== asked || !form.isConnected) return;
    if (!answer?.ok) { told.textContent = ""; ghost(null); return; }
    const { lines, said, unclear } = await answer.json();
    told.textContent = said;
    told.dataset.unclear = unclear;
    form.querySelector("button.first").scrollIntoView({ block: "nearest" });
    ghost(lines);
  };
  document.addEventListener("input", ({ target: field }) => {
    if (!field.matches(".order")) return;
    clearTimeout(waiting);
    waiting = setTimeout(() => ask(field.form), 120);
  });
  document.addEventListener("click", ({ target }) => { const verb = target.closest(".verb"); if (verb) { clearTimeout(waiting); waiting = setTimeout(() => ask(verb.form), 120); } });
}
