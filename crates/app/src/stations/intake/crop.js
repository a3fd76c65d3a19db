// Intake's tool: a region of a page.
import { LICHEN } from "/static/js/paint/inks.js";

/** A box drawn on a drawing is a region of it. */
export class Region {
  constructor(stage) { Object.assign(this, { stage, box: null }); }
  shown() { this.box = null; }
  boxed(box) {
    const on = this.stage.scene.groups.find(({ box: [x, y, w, h] }) => box[0] < x + w && box[2] > x && box[1] < y + h && box[3] > y);
    this.box = on ? box : null;
    this.stage.redraw();
    if (on) this.stage.tell("region", { drawing: on.id, box });
    return true;
  }
  under(c) {
    if (!this.box) return;
    const { view } = this.stage, [x0, y0, x1, y1] = this.box;
    view.place(c); view.pen(c, LICHEN, 2); c.strokeRect(x0, y0, x1 - x0, y1 - y0);
  }
}
