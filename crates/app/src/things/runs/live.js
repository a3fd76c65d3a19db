// The sheet as it burns: what is done in ink, what is in hand up to the head, what is to come hair-thin, and the head itself.

const SVG = "http://www.w3.org/2000/svg";
let work = null, paths = [], head = null, box = null, at = { piece: -1, step: 0 };

const made = (name, attributes) => {
  const it = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) it.setAttribute(key, value);
  return it;
};
const d = (lines) => lines.map((l) => l.reduce((text, v, i) => text + (i % 2 ? ` ${(work.height - v).toFixed(2)}` : `${i ? "L" : "M"}${v}`), "")).join("");

/** Fetches what a run burns and draws it as yet to come; a run whose sheet cannot be worked out any more has no such picture. */
export async function open(run) {
  box = document.querySelector("#live");
  const response = await fetch(`/runs/${run}/work`).catch(() => null);
  if (!box || !response?.ok) return;
  work = await response.json();
  paths = work.pieces.map((piece) => {
    const coming = made("path", { d: d(piece.lines), class: `coming ${piece.process}` }), done = made("path", { class: `burned ${piece.process}` });
    box.append(coming, done);
    return { done, whole: coming.getAttribute("d") };
  });
  head = made("circle", { class: "head", r: Math.max(work.width, work.height) / 90, visibility: "hidden" });
  box.append(head);
}

/** How far a place lies from a line between two points. */
function off(x, y, [ax, ay], [bx, by]) {
  const l = (bx - ax) ** 2 + (by - ay) ** 2, t = l ? Math.max(0, Math.min(1, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / l)) : 0;
  return Math.hypot(x - ax - t * (bx - ax), y - ay - t * (by - ay));
}

/** The stretches of a piece up to the head: on from where it was, to the first line that it is near to, and never back. */
function upTo(piece, x, y) {
  const lines = piece.lines.flatMap((l, i) => Array.from({ length: l.length / 2 - 1 }, (_, k) => [[l[2 * k], l[2 * k + 1]], [l[2 * k + 2], l[2 * k + 3]], i, k]));
  const near = Math.max(work.width, work.height) / 200, found = lines.findIndex(([a, b], i) => i >= at.step && off(x, y, a, b) < near);
  if (found >= 0) at.step = found;
  const here = lines[at.step];
  if (!here) return [];
  const [, , stretch, step] = here, begun = piece.lines[stretch].slice(0, 2 * step + 2);
  return [...piece.lines.slice(0, stretch), found >= 0 ? [...begun, x, y] : begun];
}

/** Shows how far it is. */
export function follow(state) {
  const progress = document.querySelector("#run-progress"), turns = document.querySelector("#turns");
  if (!work || !progress) return;
  const finished = Number(progress.dataset.done), x = Number(progress.dataset.x), y = Number(progress.dataset.y);
  const burning = ["running", "paused", "stopped", "fault", "lost"].includes(state), known = progress.dataset.x !== undefined;
  if (at.piece !== finished) at = { piece: finished, step: 0 };
  paths.forEach((p, i) => {
    if (i < finished || state === "done") p.done.setAttribute("d", p.whole);
    else if (i === finished && burning && known) p.done.setAttribute("d", d(upTo(work.pieces[i], x, y)));
    else p.done.setAttribute("d", "");
  });
  head.setAttribute("visibility", known ? "visible" : "hidden");
  if (known) { head.setAttribute("cx", x); head.setAttribute("cy", work.height - y); }
  const name = (i) => (work.pieces[i] ? `${i + 1}. ${work.pieces[i].name}` : "home");
  turns.hidden = !["running", "paused", "ready"].includes(state);
  document.querySelector("#turn-now").textContent = state === "ready" ? "waits for its start" : name(finished);
  document.querySelector("#turn-then").textContent = name(state === "ready" ? 0 : finished + 1);
}
