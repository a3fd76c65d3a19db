// Groups of settings remember whether they are folded: on every job, on this computer.

const key = (group) => `folded:${group.dataset.remember}`;

/** Folds what was folded when it was left. */
function asLeft() {
  for (const group of document.querySelectorAll("details[data-remember]")) {
    const said = localStorage.getItem(key(group));
    if (said !== null) group.open = said !== "yes";
  }
}

/** Remembers, and folds now and after every answer. */
export function folds() {
  asLeft();
  document.addEventListener("htmx:after:swap", asLeft);
  document.addEventListener("toggle", (event) => {
    const group = event.target;
    // What is drawn anew opens without a hand.
    if (group.dataset?.remember && group.matches(":focus-within, :hover")) localStorage.setItem(key(group), group.open ? "no" : "yes");
  }, true);
}
