// The card at the foot of the docket: for what was chosen, measured or carried on the stage.

const $ = (selector) => document.querySelector(selector);

/** A card from one of the docket's templates, with its fields filled; null where the docket has no such card. */
function card(template, what, fields, focus = true) {
  const box = $("#card"), form = $(template);
  if (!box || !form) return null;
  box.hidden = false;
  box.replaceChildren(form.content.cloneNode(true));
  box.querySelector(".what").textContent = what;
  for (const [name, value] of Object.entries(fields)) { const field = box.querySelector(`[name=${name}]`); if (field) field.value = value; }
  htmx.process(box);
  box.scrollIntoView({ block: "nearest" });
  if (focus) box.querySelector("input:not([type=hidden])")?.focus();
  return box;
}

export function cards(stage, { notice, sentenceOf }) {
  const on = (what, show) => stage.element.addEventListener(what, ({ detail }) => show(detail));

  on("chosen", ({ ids, of, why, process, share, place, copy, size }) => {
    const box = $("#card"), template = $("#card-template");
    if (!box || !template) return;
    box.hidden = ids.length === 0;
    if (!ids.length) return;
    const where = share === undefined ? "" : `, at ${(share * 100).toFixed(1)} % of its length`;
    const measure = size && share === undefined ? `, ${size[0].toFixed(2)} × ${size[1].toFixed(2)} mm` : "";
    card("#card-template", ids.length === 1 ? `${process}${where}${measure}` : `${ids.length} contours`, {}, false);
    const reason = box.querySelector(".why");
    if (reason) reason.textContent = why;
    const list = box.querySelector(".orders") ? `${of}:${ids.join(",")}` : ids.join(",");
    for (const field of box.querySelectorAll("[name=on]")) field.value = field.dataset.copy !== undefined ? `${list}@${copy ?? ""}` : list;
    if (place !== undefined) for (const field of box.querySelectorAll("input[name=value]")) field.value = place;
  });
  on("measured", ({ length, drawing }) => card("#measure-template", `${length.toFixed(3)} mm, ${(length / 25.4).toFixed(4)} in`, { drawing: drawing ?? "", measured: length.toFixed(9) }));
  on("region", ({ drawing, box: [x0, y0, x1, y1] }) => card("#region-template", `A region of ${(x1 - x0).toFixed(0)} × ${(y1 - y0).toFixed(0)} mm`, { drawing, x0, y0, x1, y1 }));

  on("copy", (copy) => {
    if (!copy) { if ($("#card .copy")) $("#card").hidden = true; return; }
    const slid = copy.slid > 0.01 ? `; it slid ${copy.slid.toFixed(1)} mm to where it can lie` : "";
    card("#copy-template", `${copy.name}, this copy${slid}`, { x: copy.x.toFixed(2), y: copy.y.toFixed(2), angle: copy.angle.toFixed(2) }, false);
  });
  document.addEventListener("submit", (event) => {
    if (!event.target.matches(".copy")) return;
    event.preventDefault();
    const { x, y, angle } = Object.fromEntries(new FormData(event.target));
    stage.tools.find((t) => t.typed)?.typed({ x: Number(x), y: Number(y), angle: Number(angle) });
  });
  on("refused", async ({ answer }) => notice(answer ? await sentenceOf(answer) : "The copy did not reach the shop: the line is down. It lies where it was."));
  // What a copy's new place comes to is fetched once the hand rests; the figures follow, the stage is as it is.
  let rest = null;
  on("laid", () => {
    clearTimeout(rest);
    rest = setTimeout(async () => {
      const docket = $("#docket"), { job, station, batch, revision } = docket.dataset;
      const page = await fetch(`/jobs/${job}/${station}?batch=${batch}`).catch(() => null);
      if (!page?.ok || docket.dataset.revision !== revision) return;
      const fresh = new DOMParser().parseFromString(await page.text(), "text/html");
      for (const part of ["#route", "#figures", "#docket .findings", "#docket .on"]) {
        const [now, then] = [$(part), fresh.querySelector(part)];
        if (now && then) now.replaceWith(then); else if (now) now.remove(); else if (then && part.includes("findings")) $("#docket h1").after(then);
      }
      for (const field of document.querySelectorAll("#docket [name=revision]")) field.value = revision;
      htmx.process($("#docket"));
      document.body.dataset.ready = revision + station;
    }, 400);
  });
}
