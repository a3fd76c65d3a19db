// Keys, dropping of files, history, and the search for a nest. Drawing is in stage.js.
import { Stage } from "./stage.js";
import { Player } from "./player.js";
import { takeFiles } from "./files.js";
import { trySliders } from "./sliders.js";

const $ = (selector) => document.querySelector(selector);
const docket = () => $("#docket");
const stageElement = $("#stage");
const stage = stageElement ? new Stage(stageElement) : null;
let player = null;
let shown = null;

/** Tells the person something that went wrong, in the sentence the server gave. */
function notice(text) {
  const box = $("#notice");
  const p = document.createElement("p");
  p.className = "sentence";
  p.setAttribute("role", "alert");
  p.textContent = text;
  box.replaceChildren(p);
}

async function sentenceOf(response) {
  const page = new DOMParser().parseFromString(await response.text(), "text/html");
  return page.querySelector("#sentence")?.textContent ?? `The answer was ${response.status}; load the page again.`;
}

/** After every change: what is drawn, what is chosen, what is being searched. */
function refresh() {
  const d = docket();
  if (!d || !stage || shown === d) return;
  shown = d;
  $("#notice").replaceChildren();
  stage.load(d.dataset.job, d.dataset.station, searching()).then(() => {
    player?.stop();
    player = d.dataset.station === "proof" && $("#play-sheet option") ? new Player(stage, d.dataset.job) : null;
    document.body.dataset.ready = d.dataset.revision + d.dataset.station;
  });
  if (searching()) watchSearch();
}

const searching = () => $("#search")?.dataset.searching === "true";

/** Follows a search until it ends, then fetches the docket with the kept layout. */
function watchSearch() {
  const { job, station } = docket().dataset;
  const events = new EventSource(`/jobs/${job}/search/events`);
  let tries = -1;
  events.onmessage = (event) => {
    const state = JSON.parse(event.data);
    const line = $("#search-state");
    if (line) line.textContent = `${state.left} s left, ${state.tries} tries, ${state.sheets} ${state.sheets === 1 ? "sheet" : "sheets"}, yield ${(state.yield * 100).toFixed(1)} %`;
    if (state.tries !== tries && !state.ended) {
      tries = state.tries;
      stage.load(job, station, true, true);
    }
    if (state.ended) {
      events.close();
      htmx.ajax("GET", `/jobs/${job}/${station}?part=docket`, { target: "#docket", swap: "outerHTML" });
    }
  };
  events.onerror = () => { events.close(); setTimeout(() => { if (searching()) watchSearch(); }, 2000); };
}

document.addEventListener("htmx:after:swap", () => {
  takeFiles(notice, sentenceOf);
trySliders(stage);
refresh();
  const history = $("#history");
  if (history?.firstElementChild && history.hidden && $("#open-history").dataset.wanted) {
    history.hidden = false;
    $("#open-history").setAttribute("aria-expanded", "true");
  }
});
document.addEventListener("htmx:after:request", (event) => {
  const path = event.detail?.ctx?.request?.action ?? "";
  if (/\/search\/start$/.test(path)) {
    const search = $("#search");
    search.dataset.searching = "true";
    $("#nest-start-form").hidden = true;
    $("#nest-stop").hidden = $("#nest-longer").hidden = false;
    watchSearch();
  }
});

document.addEventListener("click", (event) => {
  const widen = event.target.closest("[data-choose]");
  if (widen) stage.widen(widen.dataset.choose);
  const verb = event.target.closest(".verb");
  if (verb) {
    // The example comes with its first figure chosen, to be typed over.
    const field = verb.closest("form").querySelector(".order"), example = verb.dataset.example;
    field.value = example;
    field.focus();
    const figure = /"[^"]*"|[-\d][-\d.x,/]*/.exec(example);
    if (figure) field.setSelectionRange(figure.index, figure.index + figure[0].length);
  }
  const show = event.target.closest("[data-show]");
  if (show) stage.show(show.dataset.show);
  if (event.target.closest("#open-history")) {
    const history = $("#history");
    const opening = history.hidden;
    event.target.dataset.wanted = opening ? "1" : "";
    if (!opening) { history.hidden = true; event.target.setAttribute("aria-expanded", "false"); }
  }
  if (event.target.closest("#history button")) { $("#history").hidden = true; $("#open-history").dataset.wanted = ""; }
});

/** The card at the foot of the docket, for what was chosen on the stage. */
stageElement?.addEventListener("chosen", (event) => {
  const card = $("#card");
  const template = $("#card-template");
  if (!card || !template) return;
  const { ids, of, why, process, share, size } = event.detail;
  card.hidden = ids.length === 0;
  if (!ids.length) return;
  card.replaceChildren(template.content.cloneNode(true));
  const where = share === undefined ? "" : `, at ${(share * 100).toFixed(1)} % of its length`;
  const measure = size && share === undefined ? `, ${size[0].toFixed(2)} × ${size[1].toFixed(2)} mm` : "";
  card.querySelector(".what").textContent = ids.length === 1 ? `${process}${where}${measure}` : `${ids.length} contours`;
  const reason = card.querySelector(".why");
  if (reason) reason.textContent = why;
  const orders = card.querySelector(".orders");
  card.querySelector("[name=on]").value = orders ? `${of}:${ids.join(",")}` : ids.join(",");
  const value = card.querySelector("input[name=value]");
  if (value && share !== undefined) value.value = share.toFixed(6);
  htmx.process(card);
  card.scrollIntoView({ block: "nearest" });
});

/** A card at the foot of the docket from one of its templates, with its fields filled. */
function card(template, what, fields) {
  const box = $("#card"), form = $(template);
  if (!box || !form) return;
  box.hidden = false;
  box.replaceChildren(form.content.cloneNode(true));
  box.querySelector(".what").textContent = what;
  for (const [name, value] of Object.entries(fields)) box.querySelector(`[name=${name}]`).value = value;
  htmx.process(box);
  box.scrollIntoView({ block: "nearest" });
  box.querySelector("input:not([type=hidden])")?.focus();
}
stageElement?.addEventListener("measured", ({ detail: { length, drawing } }) => card("#measure-template", `${length.toFixed(3)} mm, ${(length / 25.4).toFixed(4)} in`, { drawing: drawing ?? "", measured: length.toFixed(9) }));
stageElement?.addEventListener("region", ({ detail: { drawing, box: [x0, y0, x1, y1] } }) => card("#region-template", `A region of ${(x1 - x0).toFixed(0)} × ${(y1 - y0).toFixed(0)} mm`, { drawing, x0, y0, x1, y1 }));

/** Goes to the finding after the one in hand. */
function nextFinding() {
  const all = [...document.querySelectorAll(".finding")];
  if (!all.length) return;
  const at = all.findIndex((f) => f.classList.contains("now"));
  all[at]?.classList.remove("now");
  const next = all[(at + 1) % all.length];
  next.classList.add("now");
  next.focus({ preventScroll: true });
  next.scrollIntoView({ block: "nearest" });
  stage?.show(next.dataset.finding);
}

/** Enter in a field that is sent when it is left leaves it: sent once, not twice. */
document.addEventListener("keydown", (event) => {
  const field = event.target;
  if (event.key !== "Enter" || !field.matches?.("form[hx-trigger='change'] input")) return;
  event.preventDefault();
  field.blur();
});

document.addEventListener("keydown", (event) => {
  const typing = event.target.closest("input:not([type=range]), select, textarea");
  const key = event.key;
  if ((event.ctrlKey || event.metaKey) && key.toLowerCase() === "z" && !typing) {
    event.preventDefault();
    $(event.shiftKey ? "#redo" : "#undo")?.click();
    return;
  }
  if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
  const stop = /^[1-8]$/.test(key) && document.querySelectorAll("#route .stop")[Number(key) - 1];
  if (stop) { location.href = stop.getAttribute("href"); return; }
  const acts = {
    g: nextFinding,
    a: () => (document.querySelector(".finding.now .remedy.first") ?? document.querySelector(".finding .remedy.first"))?.click(),
    f: () => stage?.fit(),
    m: () => docket()?.dataset.station === "intake" && stage.toggleMeasure(),
    n: () => stage?.toggleNumbers(),
    h: () => $("#open-history")?.click(),
    "?": () => $("#keys").showModal(),
    "/": () => ($("#find") ? $("#find").focus() : (location.href = "/")),
    " ": () => player && $("#play").click(),
    Escape: () => stage?.choose([]),
  };
  if (acts[key] && !(key === " " && event.target.closest("button, a"))) {
    event.preventDefault();
    acts[key]();
  }
});

/** What is chosen is carried to a process: over a chip or a row of the key it is made that. */
const over = (x, y) => document.elementFromPoint(x, y)?.closest("[data-process]");
stageElement?.addEventListener("carry", ({ detail: { x, y } }) => {
  document.querySelectorAll(".carried-over").forEach((e) => e.classList.remove("carried-over"));
  over(x, y)?.classList.add("carried-over");
});
stageElement?.addEventListener("dropped", ({ detail: { x, y, ids, done } }) => {
  document.querySelectorAll(".carried-over").forEach((e) => e.classList.remove("carried-over"));
  const to = done && over(x, y), form = $("#carry-form");
  if (!to || !form) return;
  form.querySelector("[name=on]").value = ids.join(",");
  form.querySelector("[name=value]").value = to.dataset.process;
  form.requestSubmit();
});

/** How many rows of the key are ticked. */
document.addEventListener("change", ({ target: field }) => {
  if (field.name !== "keys") return;
  const n = document.querySelectorAll("[name=keys]:checked").length;
  $("#bulk").hidden = n === 0;
  $("#bulk-count").textContent = n;
});
document.addEventListener("click", ({ target: button }) => {
  const crop = button.closest("[data-crop], [data-uncrop]");
  if (!crop) return;
  const chosen = stage.chosen.find((i) => i.closed && i.p !== "picture");
  if (crop.matches("[data-crop]") && !chosen) { notice("Choose the outline on the stage first, then crop to it."); return; }
  const form = crop.closest("form");
  form.elements.crop.value = crop.matches("[data-crop]") ? chosen.id : "";
  form.requestSubmit();
});
/** Who writes in the shop's book is asked once. */
for (const field of document.querySelectorAll("[data-person]")) {
  field.value = localStorage.getItem("person") ?? "";
  field.addEventListener("change", () => localStorage.setItem("person", field.value));
}

/** A word typed over a long list leaves the rows that have it. */
document.addEventListener("input", ({ target }) => {
  if (!target.matches("[data-sieve]")) return;
  const wanted = target.value.toLowerCase();
  for (const row of document.querySelectorAll(`${target.dataset.sieve} tbody tr`)) row.hidden = !row.textContent.toLowerCase().includes(wanted);
});

$("#find")?.addEventListener("input", (event) => {
  const wanted = event.target.value.toLowerCase();
  for (const card of document.querySelectorAll(".job-card")) card.parentElement.hidden = !card.dataset.name.toLowerCase().includes(wanted);
});

takeFiles(notice, sentenceOf);
trySliders(stage);
refresh();
