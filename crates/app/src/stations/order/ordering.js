// Order's list of cuts: a row lights its cut on the stage and the other way round; it is dragged to its place, or its place is typed.
import { place } from "./sequence.js";

export function ordering(stage) {
  const row = (target) => target.closest?.("#cuts [data-cut]"), items = () => stage.scene?.items ?? [];
  const order = () => stage.tools.find((t) => t.begin);
  document.addEventListener("click", ({ target }) => {
    if (target.closest("#sequence-start")) { const tool = order(); if (tool?.cuts) tool.done(); else tool?.begin(); }
  });
  document.addEventListener("change", ({ target }) => {
    const of = row(target);
    if (of && target.name === "at") place(stage.job, [of.dataset.cut], target.value);
  });
  document.addEventListener("submit", (event) => {
    if (!event.target.matches(".place-cut")) return;
    event.preventDefault();
    const { cut, at } = Object.fromEntries(new FormData(event.target));
    place(stage.job, [cut], at);
  });
  const light = (cut) => {
    if (stage.litCut === cut) return;
    stage.litCut = cut;
    stage.chosen = cut ? items().filter((i) => i.cut === cut) : [];
    stage.redraw();
  };
  document.addEventListener("pointerover", ({ target }) => { const of = row(target); if (of || stage.litCut) light(of?.dataset.cut ?? null); });
  stage.element.addEventListener("chosen", ({ detail }) => {
    for (const one of document.querySelectorAll("#cuts [data-cut]")) one.classList.toggle("lit", one.dataset.cut === detail.cut);
    document.querySelector("#cuts .lit")?.scrollIntoView({ block: "nearest" });
  });
  let carried = null;
  document.addEventListener("dragstart", (e) => { carried = row(e.target); e.dataTransfer?.setData("text/plain", ""); });
  document.addEventListener("dragover", (e) => { const over = carried && row(e.target); if (over && over.dataset.kind === carried.dataset.kind) e.preventDefault(); });
  document.addEventListener("drop", (e) => {
    const over = carried && row(e.target);
    if (!over) return;
    e.preventDefault();
    if (over !== carried) place(stage.job, [carried.dataset.cut], over.dataset.n);
    carried = null;
  });
}
