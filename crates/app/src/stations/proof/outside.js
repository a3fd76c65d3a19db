// A program from outside, laid over the sheet that is played: where it burns, and each difference on the stage.
import { trace } from "/static/js/shapes.js";

const $ = (selector) => document.querySelector(selector), OTHER = "#c8402a";

export function outside(stage) {
  document.addEventListener("change", ({ target }) => { if (target.id === "play-sheet" && $("#outside-sheet")) $("#outside-sheet").value = target.value; });
  document.addEventListener("htmx:after:swap", () => {
    const box = $("#outside-says"), data = box?.querySelector(".burns");
    if (!data || data.shown) return;
    data.shown = true;
    const moves = JSON.parse(data.textContent), n = Number(box.dataset.sheet), path = new Path2D();
    for (const m of moves) trace(path, m, false);
    const at = stage.scene.sheets.find((g) => g.sheet.n === n)?.sheet;
    if (!at || !box.querySelector(".differences")) return;
    const before = stage.overlay;
    box.dataset.drawn = moves.length;
    stage.overlay = (c) => {
      before?.(c);
      stage.view.place(c, at.x, at.y, false);
      c.setLineDash([6 / stage.view.k, 4 / stage.view.k]);
      c.lineWidth = 1.5 / stage.view.k;
      c.strokeStyle = OTHER;
      c.stroke(path);
      c.setLineDash([]);
    };
    stage.redraw();
  });
  document.addEventListener("click", ({ target }) => {
    const spot = target.closest("[data-spot]"), box = $("#outside-says");
    if (!spot || !box) return;
    const [x, y] = spot.dataset.spot.split(",").map(Number), at = stage.scene.sheets.find((g) => g.sheet.n === Number(box.dataset.sheet))?.sheet;
    if (at) stage.fit([at.x + x - 15, at.y + y - 15, at.x + x + 15, at.y + y + 15]);
  });
}
