// A machine's queue: rows are dragged, or moved by their arrows, and the order is kept at once.

import { say } from "/static/js/say.js";
import { follow } from "./strips.js";

let carried = null;

// Another queue than was drawn: the page is fetched anew, unless a hand is at work on it: a row that is carried, a field that is typed in.
const typed = (field) => (field.type === "checkbox" ? field.checked !== field.defaultChecked : "defaultValue" in field && field.value !== field.defaultValue);
const isAtWork = () => carried || document.querySelector("dialog[open]") || document.activeElement?.matches("input, select, textarea")
  || [...document.querySelectorAll("main input:not([type=hidden]), main textarea")].some(typed);
let stale = false;
follow(document.querySelector("#strips"), () => { stale = true; });
setInterval(() => { if (stale && !isAtWork()) { stale = false; location.reload(); } }, 500);

const rows = (list) => [...list.querySelectorAll("li[data-run]")];
function keep(list) {
  const form = list.parentElement.querySelector(".order-form");
  form.querySelector("[name=runs]").value = rows(list).filter((r) => r.draggable).map((r) => r.dataset.run).join(",");
  form.requestSubmit();
}
document.addEventListener("click", async ({ target }) => {
  const button = target.closest("[data-stop]");
  if (!button) return;
  const response = await fetch(`/machines/${button.dataset.stop}/stop`, { method: "POST" }).catch(() => null);
  say(response?.ok ? "" : "Stop did not reach the machine. Use the machine's own stop.");
});
document.addEventListener("click", ({ target }) => {
  const button = target.closest("[data-move]"), row = button?.closest("li");
  if (!row) return;
  const other = button.dataset.move < 0 ? row.previousElementSibling : row.nextElementSibling;
  if (!other?.draggable) return;
  if (button.dataset.move < 0) other.before(row); else other.after(row);
  keep(row.parentElement);
});

document.addEventListener("dragstart", (e) => { carried = e.target.closest?.(".queue li[draggable=true]"); e.dataTransfer?.setData("text/plain", ""); });
document.addEventListener("dragover", (e) => {
  const over = e.target.closest?.(".queue li");
  if (!carried || !over || over.parentElement !== carried.parentElement) return;
  e.preventDefault();
  if (over === carried || !over.draggable) return;
  const half = over.getBoundingClientRect();
  if (e.clientY < half.top + half.height / 2) over.before(carried); else over.after(carried);
});
document.addEventListener("drop", (e) => { if (carried) { e.preventDefault(); keep(carried.parentElement); } });
document.addEventListener("dragend", () => { carried = null; });
