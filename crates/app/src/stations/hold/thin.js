// Where parts are thin: what is thinner than so many kerfs, over the sheets, in bands; the thinnest is the darkest.
const $ = (selector) => document.querySelector(selector), THIN = "#7a2f6f";

export function thin(stage) {
  const shown = async () => {
    const box = $("#thin");
    if (!box?.open || !stage.scene) { if (stage.underlay?.thin) { stage.underlay = null; stage.redraw(); } return; }
    const kerfs = parseFloat($("#thin-kerfs").value) || 6, { batch } = $("#docket").dataset;
    const answer = await fetch(`/jobs/${stage.job}/thin?kerfs=${kerfs}&batch=${batch}`).catch(() => null);
    if (!answer?.ok) { $("#thin-state").textContent = answer ? "Type 0.5 to 50 kerfs." : "The line is down."; return; }
    const { widths, sheets } = await answer.json(), last = widths.length - 1;
    const path = (lines) => { const p = new Path2D(); for (const l of lines) { for (let i = 0; i < l.length; i += 2) p[i ? "lineTo" : "moveTo"](l[i], l[i + 1]); p.closePath(); } return p; };
    const painted = stage.scene.sheets.map((g, i) => [g, (sheets[i] ?? []).map(path)]);
    const places = sheets.reduce((n, bands) => n + (bands[last]?.length ?? 0), 0);
    $("#thin-state").textContent = places ? `${places} ${places === 1 ? "place" : "places"} under ${widths[last].toFixed(2)} mm` : `nothing under ${widths[last].toFixed(2)} mm`;
    box.dataset.places = places;
    stage.underlay = (c) => {
      for (const [g, bands] of painted) {
        stage.view.place(c, g.sheet.x, g.sheet.y);
        bands.forEach((p, k) => { c.fillStyle = THIN; c.globalAlpha = 0.9 - 0.18 * k; c.fill(p, "evenodd"); });
        c.globalAlpha = 1;
      }
    };
    stage.underlay.thin = true;
    stage.redraw();
  };

  document.addEventListener("toggle", ({ target }) => { if (target.id === "thin") shown(); }, true);
  document.addEventListener("change", ({ target }) => { if (target.id === "thin-kerfs") shown(); });
}
