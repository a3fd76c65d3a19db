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
      $(event.shiftKey ? "#redo" : "#undo")?.click();
      return;
    }
    if (typing || event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    const stop = /^[1-8]$/.test(key) && document.querySelectorAll("#route .stop")[Number(key) - 1];
    if (stop) { location.href = stop.getAttribute("href"); return; }
    const acts = {
      g: () => nextFinding(stage),
      a: () => (document.querySelector(".finding.now .remedy.first") ?? document.querySelector(".finding .remedy.first"))?.click(),
      f: () => stage?.fit(),
      n: () => stage?.toggleNumbers(),
      h: () => $("#open-history")?.click(),
      "?": () => $("#keys").showModal(),
      "/": () => ($("#find") ? $("#find").focus() : (location.href = "/")),
      " ": () => playing() && $("#play").click(),
      Escape: () => stage?.choose([]),
    };
    if (key === " " && event.target.closest("button, a")) return;
    if (!acts[key] && event.target !== document.body) return;
    if (acts[key] || stage?.press(event)) event.preventDefault();
    acts[key]?.();
  });
}
