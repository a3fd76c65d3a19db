// The card at the foot of the docket: for what was chosen, measured or carried on the stage.
import { heat } from "/static/rooms/stations/proof/heat.js";
import { ordering } from "/static/rooms/stations/order/ordering.js";
import { outside } from "/static/rooms/stations/proof/outside.js";
import { thin } from "/static/rooms/stations/hold/thin.js";
import { trying } from "/static/rooms/stations/clean/trying.js";

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

/** The buttons of a card as a list beside the pointer, until something else is clicked. */
function offer(box, x, y) {
  $("#offer")?.remove();
  const list = Object.assign(document.createElement("menu"), { id: "offer", className: "offer" });
  const shown = [...box.querySelectorAll("button")].filter((b) => b.offsetParent !== null);
  for (const button of shown) {
    const item = Object.assign(document.createElement("button"), { type: "button", className: "quiet", textContent: button.ariaLabel || button.textContent.trim(), disabled: button.disabled });
    item.addEventListener("click", () => { list.remove(); button.click(); });
    list.append(item);
  }
  if (!shown.length) return;
  document.body.append(list);
  list.style.left = `${Math.min(x, innerWidth - list.offsetWidth - 8)}px`;
  list.style.top = `${Math.min(y, innerHeight - list.offsetHeight - 8)}px`;
  list.firstElementChild.focus();
  document.addEventListener("pointerdown", (event) => { if (!list.contains(event.target)) list.remove(); }, { once: true });
}

export function cards(stage, { notice, sentenceOf }) {
  const on = (what, show) => stage.element.addEventListener(what, ({ detail }) => show(detail));

  on("chosen", (chosen) => {
    const { ids, of, why, process, share, place, copy, size } = chosen;
    const box = $("#card"), template = $("#card-template");
    if (!box || !template) return;
    box.hidden = ids.length === 0;
    if (!ids.length) return;
    const where = share === undefined ? "" : `, at ${(share * 100).toFixed(1)} % of its length`;
    const measure = size && share === undefined ? `, ${size[0].toFixed(2)} × ${size[1].toFixed(2)} mm` : "";
    card("#card-template", ids.length === 1 ? `${process}${where}${measure}` : `${ids.length} contours`, {}, false);
    const reason = box.querySelector(".why");
    if (reason) reason.textContent = why;
    // What is to be done with it can be typed at once.
    if (!chosen.walked) box.querySelector(".order")?.focus({ preventScroll: true });
    const list = box.querySelector(".orders") ? `${of}:${ids.join(",")}` : ids.join(",");
    for (const field of box.querySelectorAll("[name=on]")) field.value = field.dataset.copy !== undefined ? `${list}@${copy ?? ""}` : list;
    if (place !== undefined) for (const field of box.querySelectorAll("input[name=value]")) field.value = place;
    const told = { cut: chosen.cut, n: chosen.n, way: chosen.turned ? "drawn" : "against" };
    for (const field of box.querySelectorAll("[data-fill]")) field.value = told[field.dataset.fill] ?? "";
  });
  ordering(stage);
  heat(stage);
  thin(stage);
  trying(stage);
  outside(stage);
  on("measured", ({ length, drawing, x, y }) => card("#measure-template", `${length.toFixed(3)} mm, ${(length / 25.4).toFixed(4)} in`, { drawing: drawing ?? "", measured: length.toFixed(9), x, y }));
  on("compared", ({ mine: [w, h], theirs: [tw, th], drawing, name }) => {
    const share = (a, b) => `${(a / b * 100).toFixed(2)} %`;
    card("#compare-template", `${w.toFixed(2)} × ${h.toFixed(2)} mm over ${tw.toFixed(2)} × ${th.toFixed(2)} mm in ${name}: ${share(w, tw)} as wide, ${share(h, th)} as high`, { drawing, measured: tw.toFixed(9), value: w.toFixed(9) }, false);
  });
  on("region", ({ drawing, box: [x0, y0, x1, y1] }) => card("#region-template", `A region of ${(x1 - x0).toFixed(0)} × ${(y1 - y0).toFixed(0)} mm`, { drawing, x0, y0, x1, y1 }));

  // Copies on a sheet: one with its figures, or several. Their rows in the list light up with them.
  on("copies", (copies) => {
    for (const row of document.querySelectorAll("tr[data-part]")) row.classList.toggle("lit", row.dataset.part === copies?.part);
    if (!copies) { if ($("#card .copy")) $("#card").hidden = true; return; }
    const slid = copies.slid > 0.01 ? `; it slid ${copies.slid.toFixed(1)} mm to where it can lie` : "", several = copies.count > 1;
    const box = card("#copy-template", `${several ? `${copies.count} copies` : `${copies.name}, this copy`}${copies.held ? ", held" : ""}${slid}`, { x: copies.x.toFixed(2), y: copies.y.toFixed(2), angle: copies.angle.toFixed(2) }, false);
    for (const one of box?.querySelectorAll(".single, .places") ?? []) one.hidden = several;
    for (const one of box?.querySelectorAll(".several") ?? []) one.hidden = !several;
    const kinds = box?.querySelector(".kinds");
    if (kinds) {
      kinds.hidden = copies.kinds.length < 2;
      kinds.replaceChildren(...copies.kinds.map(({ name, count }) => Object.assign(document.createElement("button"), { type: "button", className: "quiet", textContent: `${name} × ${count}`, title: "Choose only these" })));
      [...kinds.children].forEach((button, n) => { button.dataset.narrow = copies.kinds[n].id; });
    }
    const hold = box?.querySelector("[data-hand=hold]");
    if (hold) hold.textContent = copies.held ? "Let go" : "Hold in place";
    document.querySelector("tr.lit")?.scrollIntoView({ block: "nearest" });
    box?.scrollIntoView({ block: "nearest" });
  });
  const hands = () => stage.tools.find((t) => t.twin);
  document.addEventListener("click", ({ target }) => {
    const kind = target.closest("[data-narrow]");
    if (kind) hands()?.narrow(kind.dataset.narrow);
    const button = target.closest("[data-hand]"), what = button?.dataset.hand;
    if (!what || !hands()) return;
    if (what === "kind") { hands().chooseKind(); return; }
    if (what === "all") { hands().chooseSheet(); return; }
    if (what === "twin") { hands().twin(); return; }
    if (what === "sides") { hands().sides(); return; }
    if (what === "line") { hands().post({ do: what, align: button.dataset.align }); return; }
    if (what === "turn") hands().turn(90);
    else if (what === "mirror" || what === "hold") hands()[what]();
    else if (what === "push") hands().post({ do: what, way: button.dataset.way });
    else if (what === "repeat") hands().post({ do: what, ...Object.fromEntries(new FormData(button.closest("form"))) });
    else hands().post({ do: what });
  });
  // A part of the list is dragged on to a sheet.
  document.addEventListener("dragstart", (event) => {
    const row = event.target.closest?.("tr[data-part]");
    if (row && hands()) event.dataTransfer.setData("text/part", row.dataset.part);
  });
  stage.canvas.addEventListener("dragover", (event) => { if (event.dataTransfer.types.includes("text/part")) event.preventDefault(); });
  stage.canvas.addEventListener("drop", (event) => {
    const part = event.dataTransfer.getData("text/part");
    if (!part) return;
    event.preventDefault();
    event.stopPropagation();
    hands()?.drop(part, event.offsetX, event.offsetY);
  });
  // A right click offers what the card has.
  stage.canvas.addEventListener("contextmenu", (event) => {
    const box = $("#card:not([hidden])");
    if (!box) return;
    event.preventDefault();
    offer(box, event.clientX, event.clientY);
  });
  // A part's row lights up its copies.
  const light = (part) => { const hand = hands(); if (hand && hand.lit !== part) { hand.lit = part; stage.redraw(); } };
  document.addEventListener("pointerover", ({ target }) => light(target.closest?.("tr[data-part]")?.dataset.part ?? null));
  document.addEventListener("submit", (event) => {
    if (!event.target.matches(".copy")) return;
    event.preventDefault();
    const { x, y, angle } = Object.fromEntries(new FormData(event.target));
    hands()?.post({ do: "place", x, y, angle });
  });
  on("refused", async ({ answer, sentence, deed }) => notice(sentence ?? (answer ? await sentenceOf(answer) : "The copy did not reach the shop: the line is down. It lies where it was."), deed));
  on("changed", () => {
    const { job, station, batch } = $("#docket").dataset;
    htmx.ajax("GET", `/jobs/${job}/${station}?part=docket&batch=${batch}`, { target: "#docket", swap: "outerHTML" });
  });
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
