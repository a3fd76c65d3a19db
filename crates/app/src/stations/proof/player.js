// Plays a sheet's program: what is cut so far, where the head is, what time it is.
import { INK } from "/static/js/paint/inks.js";
import { arcTo } from "/static/js/shapes.js";

const $ = (selector) => document.querySelector(selector);
const clock = (s) => `${Math.floor(Math.round(s) / 60)}:${String(Math.round(s) % 60).padStart(2, "0")}`;

/** A place on a move: on its chord, or on its arc, which turns by four times the arc tangent of its bulge. */
function along([x, y, bulge, tx, ty], share) {
  if (Math.abs(bulge) < 1e-6) return { x: x + (tx - x) * share, y: y + (ty - y) * share };
  const up = (1 - bulge * bulge) / (4 * bulge), cx = (x + tx) / 2 - (ty - y) * up, cy = (y + ty) / 2 + (tx - x) * up;
  const turn = 4 * Math.atan(bulge) * share, dx = x - cx, dy = y - cy;
  return { x: cx + dx * Math.cos(turn) - dy * Math.sin(turn), y: cy + dx * Math.sin(turn) + dy * Math.cos(turn) };
}

export class Player {
  constructor(stage, job) {
    Object.assign(this, { stage, job, moves: [], kinds: [], total: 0, time: 0, last: 0, running: false });
    $("#play-sheet").addEventListener("change", () => this.load());
    $("#play").addEventListener("click", () => this.toggle());
    $("#step").addEventListener("click", () => this.step());
    $("#scrub").addEventListener("input", (e) => this.go((this.total * e.target.value) / 1000));
    $("#play-lines").addEventListener("click", ({ target }) => this.toLine(Number(target.closest("[data-line]")?.dataset.line)));
    this.chosen = ({ detail }) => this.toWork(detail.n, detail.sheet);
    stage.element.addEventListener("chosen", this.chosen);
    this.load();
  }

  async load() {
    const sheet = Number($("#play-sheet").value);
    const response = await fetch(`/jobs/${this.job}/moves/${sheet}`);
    if (!response.ok) return;
    const { moves, kinds, seconds } = await response.json();
    // The last move's end is the end: both are rounded, and not alike.
    Object.assign(this, { moves, kinds, total: moves.at(-1)?.[5] ?? seconds, sheet: this.stage.scene.sheets.find((g) => g.sheet.n === sheet)?.sheet });
    this.shown = 0;
    if (!this.sheet) return;
    const { x, y, w, h } = this.sheet;
    this.stage.overlay = (c) => this.draw(c);
    this.stage.underlay = (c) => this.done(c, 0, this.index());
    this.stage.fit([x, y, x + w, y + h]);
    this.go(this.total);
  }

  toggle() {
    this.running = !this.running;
    $("#play").textContent = this.running ? "Pause" : "Play";
    if (!this.running) return;
    if (this.time >= this.total) this.time = 0;
    this.last = performance.now();
    const tick = (now) => {
      if (!this.running) return;
      this.go(this.time + ((now - this.last) / 1000) * Number($("#play-speed").value));
      this.last = now;
      if (this.time >= this.total) { this.toggle(); return; }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  }

  stop() { this.running = false; this.stage.element.removeEventListener("chosen", this.chosen); }

  /** To where a piece of work begins: what was clicked on the stage. */
  toWork(n, sheet) {
    if (!n || (sheet && sheet !== this.sheet?.n)) return;
    const i = this.moves.findIndex((m) => m[8] === n);
    if (i >= 0) this.go(i > 0 ? this.moves[i - 1][5] + 1e-6 : 0);
  }

  /** To the move that a line of the program makes, or the first behind it. */
  toLine(line) {
    const i = line ? this.moves.findIndex((m) => m[7] >= line) : -1;
    if (i >= 0) this.go(this.moves[i][5]);
  }

  /** The program's lines beside the head; asked for once the head rests. */
  lines(line) {
    clearTimeout(this.asked);
    if (this.line === line) return;
    this.asked = setTimeout(async () => {
      this.line = line;
      const answer = await fetch(`/jobs/${this.job}/lines/${$("#play-sheet").value}?at=${line}`).catch(() => null);
      if (!answer?.ok || this.line !== line) return;
      $("#play-lines").replaceChildren(...(await answer.json()).map(({ n, text }) => {
        const li = document.createElement("li"), button = document.createElement("button");
        Object.assign(button, { type: "button", textContent: `${n}  ${text}` });
        button.dataset.line = n;
        if (n === line) li.setAttribute("aria-current", "true");
        li.append(button);
        return li;
      }));
    }, this.running ? 30 : 80);
  }

  /** To the end of the move under way. */
  step() {
    if (this.running) this.toggle();
    const next = this.moves.find((m) => m[5] > this.time + 1e-6);
    this.go(next ? next[5] : 0);
  }

  go(time) {
    this.time = Math.min(this.total, Math.max(0, time));
    $("#scrub").value = this.total ? (1000 * this.time) / this.total : 0;
    const n = this.index();
    // What is done only grows while time runs forward: the new moves are added to what is drawn.
    if (n < this.shown) this.stage.redraw();
    else this.stage.paint((c) => this.done(c, this.shown, n));
    this.tell(n);
  }

  /** Index of the first move that ends after the time. */
  index() {
    let a = 0, b = this.moves.length;
    while (a < b) { const m = (a + b) >> 1; if (this.moves[m][5] <= this.time) a = m + 1; else b = m; }
    return a;
  }

  /** Draws the moves from one to another, in their inks. */
  done(c, from, to) {
    const { stage, sheet } = this;
    this.shown = to;
    if (from >= to) return;
    stage.view.place(c, sheet.x, sheet.y);
    c.lineWidth = 2.2 / stage.view.k;
    c.lineCap = "round";
    c.setLineDash([]);
    for (let kind = 1; kind < this.kinds.length; kind += 1) {
      const path = new Path2D();
      for (let i = from; i < to; i += 1) {
        const m = this.moves[i];
        if (m[6] !== kind) continue;
        path.moveTo(m[0], m[1]);
        arcTo(path, m[0], m[1], m[2], m[3], m[4]);
      }
      // What is burned in its process's own ink; red is for findings.
      c.strokeStyle = INK[this.kinds[kind][0]];
      c.stroke(path);
    }
  }

  /** Where in which move the head is at the present time. */
  head(n) {
    const move = this.moves[Math.min(n, this.moves.length - 1)];
    if (!move) return null;
    const begun = n > 0 ? this.moves[n - 1][5] : 0;
    const share = n < this.moves.length ? Math.min(1, (this.time - begun) / Math.max(1e-9, move[5] - begun)) : 1;
    return { ...along(move, share), kind: n < this.moves.length ? this.kinds[move[6]][1] : "done" };
  }

  tell(n) {
    const head = this.head(n);
    const at = this.moves[Math.min(n, this.moves.length - 1)];
    if (at) this.lines(at[7]);
    if (head) $("#play-state").textContent = `${clock(this.time)} of ${clock(this.total)}, ${head.kind}, x ${head.x.toFixed(1)} y ${head.y.toFixed(1)}`;
  }

  /** The head, over everything. */
  draw(c) {
    const { stage, sheet } = this, head = this.head(this.index());
    if (!head) return;
    stage.view.place(c, sheet.x, sheet.y, false);
    const { x, y } = head, r = 7 / stage.view.k;
    c.lineWidth = 2.2 / stage.view.k;
    c.setLineDash([]);
    c.strokeStyle = "#5f7a3a";
    c.beginPath();
    c.arc(x, y, r, 0, 7);
    c.moveTo(x - 2 * r, y); c.lineTo(x + 2 * r, y);
    c.moveTo(x, y - 2 * r); c.lineTo(x, y + 2 * r);
    c.stroke();
  }
}
