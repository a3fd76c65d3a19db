// The operator's page: asks the shop again and again how the run stands, says when it hears nothing, and gives words to the machine.

import { follow, open as openLive } from "./live.js";
import { say } from "/static/js/say.js";

const LOOK = 400, PATIENCE = 1500, QUIET = 1800, ANSWER = 9000;
const $ = (selector) => document.querySelector(selector);
const run = $("main.run").dataset.run;
let heard = Date.now(), looks = 0;
const person = () => $("#checklist [name=person]");

/** A request that ends in time, whatever happens to the line. */
async function ask(path, options = {}, patience = PATIENCE) {
  const control = new AbortController(), end = setTimeout(() => control.abort(), patience);
  try {
    const response = await fetch(path, { ...options, signal: control.signal, cache: "no-store" });
    return { response, text: await response.text() };
  } finally {
    clearTimeout(end);
  }
}

/** Says since when nothing was heard of the shop; what is shown is then old. */
function tellSilence() {
  const silent = Date.now() - heard > QUIET;
  const line = $("#unheard");
  if (silent && line.hidden) {
    line.textContent = `Nothing heard from the shop since ${new Date(heard).toLocaleTimeString("en-GB")}. What is shown is old; the machine goes on by itself. Buttons may not reach it: use the machine's own stop.`;
  }
  line.hidden = !silent;
  document.body.classList.toggle("silent", silent);
}

/** Puts what came in its place: all of it, or the figures alone so that no button is redrawn under a hand. */
function show(text, state) {
  const box = $("#run-status"), before = box.dataset.state, ended = ["done", "stopped", "fault", "lost"];
  const part = new DOMParser().parseFromString(text, "text/html").body.firstElementChild;
  if (part) looks += 1;
  if (part?.id === "run-progress") $("#run-progress").replaceWith(part);
  else if (part?.id === "run-status") box.replaceWith(part);
  else return;
  $("#run-progress").dataset.look = looks;
  follow($("#run-status").dataset.state);
  // Once it has ended the page has more to ask: how it goes on, what is not cut through.
  if (ended.includes($("#run-status").dataset.state) && !ended.includes(before) && before) location.reload();
  const open = ["waiting", "sending", "loading", "ready", "walking"].includes(state ?? box.dataset.state);
  for (const tick of document.querySelectorAll("#checklist input")) tick.disabled = !open;
}

async function look() {
  try {
    const { response, text } = await ask(`/runs/${run}/status/${$("#run-status").dataset.shown}`);
    if (response.ok) {
      heard = Date.now();
      show(text, response.headers.get("x-state"));
    }
  } catch { /* told by tellSilence */ }
  tellSilence();
  setTimeout(look, LOOK);
}
setInterval(tellSilence, 200);
setTimeout(look, LOOK);
openLive(run).then(() => follow($("#run-status").dataset.state));

const sentence = (text) => new DOMParser().parseFromString(text, "text/html").querySelector("#sentence")?.textContent;

document.addEventListener("click", async ({ target }) => {
  const button = target.closest("[data-word]");
  if (!button) return;
  const word = button.dataset.word, label = button.textContent;
  button.disabled = true;
  say("");
  try {
    const { response, text } = await ask(`/runs/${run}/${word}`, { method: "POST" }, ANSWER);
    if (response.ok) { heard = Date.now(); show(text, response.headers.get("x-state")); }
    else say(sentence(text) ?? `“${label}” was answered with ${response.status}; look at the machine.`);
  } catch {
    say(`“${label}” did not reach the shop. ${word === "stop" ? "Use the machine's own stop." : "Look at the machine before going on."}`);
  }
  button.disabled = false;
});

$("#checklist").addEventListener("submit", (event) => event.preventDefault());
$("#checklist").addEventListener("change", async ({ target: tick }) => {
  if (tick.type !== "checkbox") return;
  const wanted = tick.checked, signed = tick.closest("label").querySelector(".signed");
  tick.checked = !wanted;
  if (wanted && !person().value.trim()) { say("Type your name first: the list keeps who ticked."); person().focus(); return; }
  say("");
  try {
    const body = new URLSearchParams({ item: tick.name, on: wanted ? "on" : "", person: person().value });
    const { response, text } = await ask(`/runs/${run}/tick`, { method: "POST", body }, ANSWER);
    if (!response.ok) { say(sentence(text) ?? "The tick was not kept; try again."); return; }
    tick.checked = wanted;
    signed.innerHTML = text;
  } catch {
    say("The tick did not reach the shop and is not kept.");
  }
});

// What still hangs is tapped in the picture or in the list: both show it.
const box = (copy) => document.querySelector(`#through [name=failed][value="${copy}"]`);
document.addEventListener("click", ({ target }) => {
  const path = target.closest(".hangs");
  if (path) { box(path.dataset.copy).checked = !box(path.dataset.copy).checked; hanging(); }
});
function hanging() { for (const path of document.querySelectorAll(".hangs")) path.classList.toggle("on", box(path.dataset.copy)?.checked ?? false); }
$("#through")?.addEventListener("change", hanging);
