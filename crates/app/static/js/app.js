// Keys, dropping of files, history, and the search for a nest. Drawing is in stage.js.
import { Stage } from "./stage.js";
import { boxing } from "/static/rooms/stations/intake/pages.js";
import { Player } from "/static/rooms/stations/proof/player.js";
import { takeFiles } from "./files.js";
import { trySliders } from "/static/rooms/stations/intake/sliders.js";
import { cards } from "./cards.js";
import { quantities } from "/static/rooms/stations/nest/list.js";
import { remembered } from "./focus.js";
import { folds } from "./folds.js";
import { keys } from "./keys.js";
import { say as notice } from "./say.js";
import { Search } from "/static/rooms/stations/nest/search.js";

const $ = (selector) => document.querySelector(selector);
const docket = () => $("#docket");
const stageElement = $("#stage");
const stage = stageElement ? new Stage(stageElement) : null;
let player = null;
let shown = null, shownAs = null;
const search = stage ? new Search(stage, notice) : null;

async function sentenceOf(response) {
  const page = new DOMParser().parseFromString(await response.text(), "text/html");
  return page.querySelector("#sentence")?.textContent ?? `The answer was ${response.status}; load the page again.`;
}

/** After every change: what is drawn, what is chosen, what is being searched. */
function refresh() {
  const d = docket();
  if (!d || !stage || shown === d) return;
  shown = d;
  // A sentence stays until something has changed: a docket that is drawn again as it was takes none away.
  const as = `${d.dataset.revision} ${d.dataset.station} ${d.dataset.batch}`;
  if (as !== shownAs) $("#notice").replaceChildren();
  shownAs = as;
  stage.load(d.dataset, search.shows()).then(() => {
    if (shown !== d) return;
    player?.stop();
    player = $("#play-sheet option") ? new Player(stage, d.dataset.job) : null;
    document.body.dataset.ready = d.dataset.revision + d.dataset.station;
  });
  search.follow();
}

let putBack = null;
document.addEventListener("htmx:before:swap", () => { const d = docket(); putBack = d ? remembered(d) : null; });
document.addEventListener("htmx:after:swap", () => {
  trySliders(stage);
  refresh();
  if (docket()) putBack?.(docket());
  putBack = null;
  const history = $("#history");
  if (history?.firstElementChild && history.hidden && $("#open-history").dataset.wanted) {
    history.hidden = false;
    $("#open-history").setAttribute("aria-expanded", "true");
  }
});
document.addEventListener("htmx:after:request", (event) => {
  const path = event.detail?.ctx?.request?.action ?? "";
  if (/\/search\/start$/.test(path)) {
    search.begun();
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
/** Who does things is asked once: a name typed in one field stands in all, and everything that is sent is signed with it. */
const mine = () => new URLSearchParams(document.cookie.replaceAll("; ", "&")).get("person") ?? "";
for (const field of document.querySelectorAll("[data-person]")) field.value = mine();
document.addEventListener("change", ({ target }) => {
  if (!target.matches("[data-person]")) return;
  document.cookie = `${new URLSearchParams({ person: target.value.trim() })}; path=/; max-age=31536000; SameSite=Strict`;
  for (const field of document.querySelectorAll("[data-person]")) field.value = target.value.trim();
});

$("#find")?.addEventListener("input", (event) => {
  const wanted = event.target.value.toLowerCase();
  for (const card of document.querySelectorAll(".job-card")) card.parentElement.hidden = !card.dataset.name.toLowerCase().includes(wanted);
});

takeFiles(notice, sentenceOf);
boxing();
trySliders(stage);
quantities();
if (stage) cards(stage, { notice, sentenceOf });
folds();
keys(stage, () => player);
refresh();

// A shipped dialect that is taken stands in the field beside its sample.
document.addEventListener("htmx:after:swap", () => {
  for (const taken of document.querySelectorAll(".dialect .taken")) {
    taken.closest(".dialect").querySelector("textarea").value = taken.content.textContent.trim();
    taken.remove();
  }
});
