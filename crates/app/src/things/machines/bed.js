// The bed's page: a touch outlines what lies there; its corners are dragged, added and taken off; two points of a photo are clicked.

import { say } from "/static/js/say.js";

const SVG = "http://www.w3.org/2000/svg", $ = (selector) => document.querySelector(selector);
const stage = $("#bed-stage"), machine = stage?.dataset.machine, height = Number(stage?.dataset.height);
let rings = [], held = null;

/** The place of an event in the picture's own units. */
function place(e) {
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(stage.getScreenCTM().inverse());
  return [p.x, p.y];
}
const r = (v) => Math.round(v * 10) / 10;

const area = (ring) => Math.abs(ring.reduce((sum, [x, y], i) => { const [u, v] = ring[(i + 1) % ring.length]; return sum + x * v - u * y; }, 0) / 2);

function draw() {
  const group = $("#found");
  group.replaceChildren();
  rings.forEach((ring, k) => {
    const path = document.createElementNS(SVG, "path");
    path.setAttribute("d", `M${ring.map(([x, y]) => `${x} ${height - y}`).join("L")}Z`);
    path.setAttribute("class", k ? "hole" : "edge");
    group.append(path);
    ring.forEach(([x, y], i) => {
      const dot = document.createElementNS(SVG, "circle");
      for (const [name, value] of Object.entries({ cx: x, cy: height - y, r: height / 90, "data-ring": k, "data-corner": i })) dot.setAttribute(name, value);
      group.append(dot);
    });
  });
  const form = $("#keep");
  form.hidden = !rings.length;
  form.elements.rings.value = JSON.stringify(rings);
  if (rings.length) {
    const xs = rings[0].map((p) => p[0]), ys = rings[0].map((p) => p[1]);
    $("#found-size").textContent = `${r(Math.max(...xs) - Math.min(...xs))} × ${r(Math.max(...ys) - Math.min(...ys))} mm at ${r(Math.min(...xs))}, ${r(Math.min(...ys))}; ${((area(rings[0]) - rings.slice(1).reduce((s, h) => s + area(h), 0)) / 1e6).toFixed(3)} m²`;
  }
}

async function touch(x, y) {
  say("");
  const response = await fetch(`/bed/${machine}/touched`, { method: "POST", body: new URLSearchParams({ x, y }) });
  if (!response.ok) {
    const page = new DOMParser().parseFromString(await response.text(), "text/html");
    say(page.querySelector("#sentence")?.textContent ?? "Nothing was found there.");
    return;
  }
  ({ rings } = await response.json());
  draw();
}

if (stage && $("#keep")) {
  stage.addEventListener("pointerdown", (e) => {
    const dot = e.target.closest("circle[data-ring]");
    held = { dot, from: place(e), moved: false };
    if (dot) { try { stage.setPointerCapture(e.pointerId); } catch { /* it has gone */ } }
  });
  stage.addEventListener("pointermove", (e) => {
    if (!held) return;
    const [x, y] = place(e);
    held.moved ||= Math.hypot(x - held.from[0], y - held.from[1]) > height / 200;
    if (!held.dot || !held.moved) return;
    rings[held.dot.dataset.ring][held.dot.dataset.corner] = [r(x), r(height - y)];
    draw();
  });
  stage.addEventListener("pointerup", (e) => {
    const was = held;
    held = null;
    if (!was || was.moved) return;
    const [x, y] = place(e);
    if (was.dot) {
      // A click takes a corner off, as long as three stay.
      const ring = rings[was.dot.dataset.ring];
      if (ring.length > 3) ring.splice(was.dot.dataset.corner, 1);
      draw();
    } else if (e.target.closest("path.edge, path.hole") && near(x, height - y)) draw();
    else touch(r(x), r(height - y));
  });
}

/** A click on an edge adds a corner there; true where it did. */
function near(x, y) {
  for (const ring of rings) for (let i = 0; i < ring.length; i++) {
    const [ax, ay] = ring[i], [bx, by] = ring[(i + 1) % ring.length], l = Math.hypot(bx - ax, by - ay) || 1;
    const t = ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / (l * l), off = Math.abs((x - ax) * (by - ay) - (y - ay) * (bx - ax)) / l;
    if (t > 0 && t < 1 && off < height / 100) { ring.splice(i + 1, 0, [r(x), r(y)]); return true; }
  }
  return false;
}

// A photo: the first click is the first point, the second the other.
const known = $("#known");
if (stage && known) {
  stage.addEventListener("click", (e) => {
    const [x, y] = place(e), second = Boolean(known.elements.px.value) && !known.elements.qx.value;
    if (known.elements.qx.value) for (const name of ["px", "py", "qx", "qy"]) known.elements[name].value = "";
    const [u, v] = second ? ["qx", "qy"] : ["px", "py"];
    known.elements[u].value = x.toFixed(2); known.elements[v].value = y.toFixed(2);
    $("#points").replaceChildren(...[["px", "py"], ["qx", "qy"]].filter(([a]) => known.elements[a].value).map(([a, b]) => {
      const dot = document.createElementNS(SVG, "circle");
      for (const [name, value] of Object.entries({ cx: known.elements[a].value, cy: known.elements[b].value, r: stage.viewBox.baseVal.height / 80 })) dot.setAttribute(name, value);
      return dot;
    }));
  });
}

for (const field of document.querySelectorAll("#bed-photo")) field.addEventListener("change", async () => {
  const body = new FormData();
  body.append("file", field.files[0]);
  const response = await fetch(`/bed/${machine ?? field.dataset.machine}/photo`, { method: "POST", body });
  if (response.ok) location.reload();
  else say(new DOMParser().parseFromString(await response.text(), "text/html").querySelector("#sentence")?.textContent ?? "The photo was not taken.");
});
