// Keys: of the page, and of the tools that the stage has.
import { listed, pressed } from "./bindings.js";

const $ = (selector) => document.querySelector(selector);

/** Goes to the finding after the one in hand. */
function nextFinding(stage) {
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

/** Longest wait for the answer to a key, ms. */
const LATEST = 20000;
/** What is shown of an answer is shown within this, ms. */
const SETTLES = 80;
let before = Promise.resolve();

/** Buttons that keys press are pressed one after the other: the next is looked for when the page shows what the one before has done. */
function inTurn(find) {
  before = before.then(async () => {
    const button = await find();
    if (!button || button.disabled) return;
    const shown = new Promise((done) => {
      for (const event of ["htmx:after:swap", "htmx:error", "htmx:response:error"]) document.addEventListener(event, done, { once: true });
      // What is swapped nowhere ends as well.
      document.addEventListener("htmx:finally:request", () => setTimeout(done, SETTLES), { once: true });
      setTimeout(done, LATEST);
    });
    button.click();
    await shown;
  }).catch(() => {});
}

/** Keys of every page, and of a job's page: what they do. */
function table(stage, playing) {
  const job = Boolean(stage), there = (selector) => () => Boolean($(selector));
  const go = (n) => { const stop = document.querySelectorAll("#route .stop")[n]; if (stop) location.href = stop.getAttribute("href"); };
  const settled = (find) => inTurn(async () => { await stage?.settled(); return find(); });
  const all = [
    { chords: "1 2 3 4 5 6 7 8", shown: "1 … 8", words: "go to a station", act: (e) => go(Number(e.key) - 1), when: there("#route .stop"), on: job },
    { chords: "g", words: "next finding", act: () => nextFinding(stage), on: job },
    { chords: "a", words: "take its first remedy", act: () => settled(() => $(".finding.now .remedy.first") ?? $(".finding .remedy.first")), on: job },
    { chords: "A", shown: "Shift+A", words: "take all remedies of this station that are safe", act: () => settled(() => $("#mend-all")), on: job },
    { chords: "f", words: "fit everything", act: () => stage.fit(), on: job },
    { chords: "l", words: "what the signs on the stage mean", act: () => stage.legend.toggle(), on: job },
    { chords: "n", words: "numbers and arrows", act: () => stage.toggleNumbers(), on: job },
    { chords: "h", words: "history", act: () => $("#open-history")?.click(), on: job },
    { chords: "Space", shown: "space", words: "play or pause the proof", act: () => (playing() ? $("#play").click() : false), when: there("#play"), on: job },
    { chords: "Ctrl+z", shown: "Ctrl+Z", words: "undo", act: () => settled(() => $("#undo")), on: job },
    { chords: "Ctrl+Shift+z", shown: "Ctrl+Shift+Z", words: "redo", act: () => settled(() => $("#redo")), on: job },
    { chords: "/", words: "to the floor, to find a job", act: () => ($("#find") ? $("#find").focus() : (location.href = "/")), on: true },
    { chords: "Escape", shown: "Esc", words: "let go of what is chosen", act: () => { $("dialog[open]")?.close(); stage?.none(); }, on: true },
    { chords: "?", words: "these keys", act: () => tellKeys(all, stage), on: true },
  ].filter((line) => line.on);
  return all;
}

/** The keys that hold on this page, told. */
function tellKeys(all, stage) {
  const tools = (stage?.tools ?? []).flatMap((t) => t.table ?? []);
  $("#keys dl").replaceChildren(...listed(all), ...listed(tools));
  $("#keys").showModal();
}

/** Keys of every page; what is none of them is offered to the stage's tools. `playing` gives the player, where there is one. */
export function keys(stage, playing) {
  // Enter in a field that is sent when it is left leaves it: sent once, not twice.
  document.addEventListener("keydown", (event) => {
    const field = event.target;
    if (event.key !== "Enter" || !field.matches?.("form[hx-trigger='change'] input")) return;
    event.preventDefault();
    field.blur();
  });

  const all = table(stage, playing);
  document.addEventListener("keydown", (event) => {
    const field = event.target.closest("input:not([type=range]), select, textarea"), key = event.key;
    if (event.defaultPrevented) return;
    // Undo and redo are the page's where nothing was typed in the field that has the keyboard; Escape leaves the field.
    const untouched = field && (field.matches("select, [type=checkbox], [type=radio]") || field.value === field.defaultValue);
    const takenBack = (event.ctrlKey || event.metaKey) && key.toLowerCase() === "z" && untouched;
    if (field && key !== "Escape" && !takenBack) return;
    if (field && key === "Escape") field.blur();
    if (key === " " && event.target.closest("button, a, summary")) return;
    if (pressed(all, event)) { if (key !== "Escape") event.preventDefault(); return; }
    // What a button or a link does with a key, and what the browser does where no tool takes it, they do.
    if (event.target === document.body && stage?.press(event)) event.preventDefault();
  });
}
