// Keys: of the page, and of the tools that the stage has.

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

/** Keys of every page; what is none of them is offered to the stage's tools. `playing` gives the player, where there is one. */
export function keys(stage, playing) {
  // Enter in a field that is sent when it is left leaves it: sent once, not twice.
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
      const which = event.shiftKey ? "#redo" : "#undo";
      inTurn(async () => { await stage?.settled(); return $(which); });
      return;
    }
    if (key === "Escape") { $("dialog[open]")?.close(); stage?.none(); }
    if (typing || event.defaultPrevented) return;
    if (event.ctrlKey || event.metaKey || event.altKey) {
      // What the browser does with them is done where no tool takes them.
      if (event.target === document.body && stage?.press(event)) event.preventDefault();
      return;
    }
    const stop = /^[1-8]$/.test(key) && document.querySelectorAll("#route .stop")[Number(key) - 1];
    if (stop) { location.href = stop.getAttribute("href"); return; }
    const acts = {
      g: () => nextFinding(stage),
      a: () => inTurn(async () => { await stage?.settled(); return document.querySelector(".finding.now .remedy.first") ?? document.querySelector(".finding .remedy.first"); }),
      A: () => inTurn(async () => { await stage?.settled(); return $("#mend-all"); }),
      f: () => stage?.fit(),
      n: () => stage?.toggleNumbers(),
      h: () => $("#open-history")?.click(),
      "?": () => $("#keys").showModal(),
      "/": () => ($("#find") ? $("#find").focus() : (location.href = "/")),
      " ": () => playing() && $("#play").click(),
    };
    if (key === " " && event.target.closest("button, a")) return;
    if (!acts[key] && event.target !== document.body) return;
    if (acts[key] || stage?.press(event)) event.preventDefault();
    acts[key]?.();
  });
}
