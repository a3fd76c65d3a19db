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

/** The stretches of a piece up to the place nearest to the head, which goes on along them and never back. */
function upTo(piece, x, y) {
  const points = piece.lines.flatMap((l, i) => Array.from({ length: l.length / 2 }, (_, k) => [l[2 * k], l[2 * k + 1], i, k]));
  let best = at.step, least = Infinity;
  for (let i = at.step; i < points.length; i++) {
    const away = Math.hypot(points[i][0] - x, points[i][1] - y);
    if (away < least - 1e-9) { least = away; best = i; }
  }
  at.step = best;
  if (!points[best]) return [];
  const [, , stretch, step] = points[best];
  return [...piece.lines.slice(0, stretch), piece.lines[stretch].slice(0, 2 * step + 2)];
}

/** Shows how far it is. */
export function follow(state) {
  const box = document.querySelector("#run-progress"), turns = document.querySelector("#turns");
  if (!work || !box) return;
  const finished = Number(box.dataset.done), x = Number(box.dataset.x), y = Number(box.dataset.y);
  const burning = ["running", "paused", "stopped", "fault", "lost"].includes(state), known = box.dataset.x !== undefined;
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
