// Where it is hot: what was burned within the last seconds of a time that is slid to, over the sheets; the last is the darkest.
import { trace } from "/static/js/shapes.js";

const $ = (selector) => document.querySelector(selector), STEPS = 6, HOT = "#b3541e";

export function heat(stage) {
  let moves = null, of = "";

  const fetched = async () => {
    const now = `${stage.job} ${stage.scene.revision}`;
    if (of === now) return;
    of = now;
    moves = await Promise.all(stage.scene.sheets.map(async ({ sheet }) => {
      const answer = await fetch(`/jobs/${stage.job}/moves/${sheet.n}`).catch(() => null);
      return answer?.ok ? answer.json() : { seconds: 0, moves: [] };
    }));
  };

  const shown = async () => {
    const box = $("#heat");
    if (!box?.open || !stage.scene) { if (stage.underlay?.heat) { stage.underlay = null; stage.redraw(); } return; }
    await fetched();
    const share = Number($("#heat-time").value), last = Math.max(1, parseFloat($("#heat-window").value) || 30);
    const total = Math.max(...moves.map((m) => m.seconds), 0), t = share * total;
    $("#heat-state").textContent = `at ${Math.floor(t / 60)}:${String(Math.floor(t % 60)).padStart(2, "0")}`;
    const paths = stage.scene.sheets.map((g, i) => {
      const bands = Array.from({ length: STEPS }, () => new Path2D());
      for (const [x0, y0, bulge, x1, y1, end, kind] of moves[i].moves) {
        const ago = t - end;
        if (kind && ago >= 0 && ago < last) trace(bands[Math.floor((ago / last) * STEPS)], [x0, y0, bulge, x1, y1], false);
      }
      return [g, bands];
    });
    stage.underlay = (c) => {
      for (const [g, bands] of paths) {
        stage.view.place(c, g.sheet.x, g.sheet.y);
        bands.forEach((path, k) => { stage.view.pen(c, HOT, 7); c.lineCap = "round"; c.globalAlpha = 0.75 * (1 - k / STEPS); c.stroke(path); });
        c.globalAlpha = 1;
      }
    };
    stage.underlay.heat = true;
    stage.redraw();
  };

  document.addEventListener("toggle", ({ target }) => { if (target.id === "heat") shown(); }, true);
  document.addEventListener("input", ({ target }) => { if (target.id === "heat-time" || target.id === "heat-window") shown(); });
}
