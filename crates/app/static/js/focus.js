// Where the hand was: what had the keyboard before a docket was drawn anew has it after, or what stands in its place.

/** What tells an element from others of its docket: its own name, and the form that it is of. */
function mark(el) {
  if (el.id) return `#${el.id}`;
  const form = el.closest("form"), hidden = [...(form?.querySelectorAll("input[type=hidden]") ?? [])].filter((i) => ["do", "on", "what"].includes(i.name)).map((i) => i.value).join();
  const words = el.matches("button, summary, a") ? el.textContent.trim() : "";
  return [el.tagName, el.name ?? "", el.type ?? "", el.ariaLabel ?? "", el.dataset.hand ?? el.dataset.quantity ?? "", hidden, words, form?.getAttribute("hx-post") ?? ""].join("|");
}

const FOCUSABLE = "a[href], button:not([disabled]), input:not([type=hidden]), select, textarea, summary, [tabindex]";
const all = (root) => [...root.querySelectorAll(FOCUSABLE)];

/** Remembers what has the keyboard in an element that is about to be replaced; gives what puts it back. */
export function remembered(root) {
  const el = document.activeElement;
  if (!el || el === root || !root.contains(el)) return null;
  const own = mark(el), alike = all(root).filter((o) => mark(o) === own), nth = alike.indexOf(el);
  const finding = el.closest(".finding")?.dataset.finding ?? null;
  const range = el.selectionStart !== undefined && el.type !== "number" ? [el.selectionStart, el.selectionEnd] : null;
  return (fresh) => {
    if (document.activeElement && document.activeElement !== document.body) return;
    const there = all(fresh).filter((o) => mark(o) === own);
    let next = there[Math.min(nth, there.length - 1)];
    // A finding that is settled gives way to the one that comes in its place.
    if (!next && finding !== null) {
      const left = [...fresh.querySelectorAll(".finding")];
      next = (left.find((f) => Number(f.dataset.finding) >= Number(finding)) ?? left.at(-1))?.querySelector("button");
    }
    next ??= fresh.querySelector("h1");
    if (next?.matches("h1")) next.tabIndex = -1;
    next?.focus({ preventScroll: true });
    if (range && next?.setSelectionRange && next.type === el.type) { try { next.setSelectionRange(...range); } catch { /* a field without text */ } }
  };
}
