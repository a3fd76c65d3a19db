// Where the stage looks: zoom and place, in pixels from mm with y up.

export class View {
  constructor(element, canvas) {
    Object.assign(this, { element, canvas, x: 0, y: 0, k: 1, margin: 0 });
    this.resize();
  }

  resize() {
    this.dpr = window.devicePixelRatio || 1;
    this.w = this.element.clientWidth;
    this.h = this.element.clientHeight;
    this.canvas.width = Math.max(1, this.w * this.dpr);
    this.canvas.height = Math.max(1, this.h * this.dpr);
  }

  /** As it is now, to go back to. */
  get now() { return { x: this.x, y: this.y, k: this.k }; }

  set({ x, y, k }) { Object.assign(this, { x, y, k }); }

  /** So that a box fits, with room round it. */
  fit([x0, y0, x1, y1], room = 46) {
    const k = Math.min((this.w - 2 * room) / Math.max(1, x1 - x0), (this.h - 2 * room) / Math.max(1, y1 - y0));
    this.set({ k, x: (this.w - k * (x0 + x1)) / 2, y: (this.h + k * (y0 + y1)) / 2 });
  }

  /** Zoomed by a factor about a pixel, within what makes sense. */
  zoomed(by, px, py) {
    const k = Math.min(400, Math.max(0.02, this.k * by)), f = k / this.k;
    return { k, x: px - (px - this.x) * f, y: py - (py - this.y) * f };
  }

  /** The place in mm under a pixel. */
  mm(px, py) { return [(px - this.x) / this.k, (this.y - py) / this.k]; }

  /** The box in mm between two pixels. */
  box(x0, y0, x1, y1) {
    const [a, b] = this.mm(Math.min(x0, x1), Math.max(y0, y1)), [c, d] = this.mm(Math.max(x0, x1), Math.min(y0, y1));
    return [a, b, c, d];
  }

  /** Pixels from mm, for a drawing or sheet at dx, dy; on the layer, which has a margin round the window. */
  place(c, dx = 0, dy = 0, onLayer = true) {
    const { x, y, k, dpr: d } = this, m = onLayer ? this.margin : 0;
    c.setTransform(k * d, 0, 0, -k * d, (x + m + dx * k) * d, (y + m - dy * k) * d);
  }

  /** Plain pixels; gives where 0, 0 mm is. */
  pixels(c, onLayer = true) {
    const m = onLayer ? this.margin : 0;
    c.setTransform(this.dpr, 0, 0, this.dpr, 0, 0);
    return [this.x + m, this.y + m];
  }

  pen(c, colour, px, dash = []) {
    c.strokeStyle = colour;
    c.lineWidth = px / this.k;
    c.setLineDash(dash.map((v) => v / this.k));
    c.lineCap = "butt";
    c.lineJoin = "round";
  }
}
