// The bed's picture under a sheet, as far as somebody wants to see it; and the program's zero on a sheet.
import { LICHEN, PAPER } from "./inks.js";

const KEY = "bed-shown";
export const bedShown = () => localStorage.getItem(KEY) === "yes";

/** The bed under a sheet; true where it is there to be seen through it. */
export function bed(c, { picture }, g) {
  if (!g.sheet.bed || !bedShown()) return false;
  const { image, matrix: [a, b, cc, d, e, f] } = picture(...g.sheet.bed);
  if (!image.complete || !image.naturalWidth) return false;
  c.save(); c.transform(a, b, cc, d, e, f); c.drawImage(image, 0, 0, 1, 1); c.restore();
  return true;
}

/** Zero: a ring whose furrow turns back, in the two axes' corner. */
export function zero(c, view, [x, y]) {
  const u = 1 / view.k;
  c.save();
  c.translate(x, y);
  for (const [ink, width] of [[PAPER, 5], [LICHEN, 2.4]]) {
    view.pen(c, ink, width);
    c.beginPath();
    c.arc(0, 0, 6 * u, 0, 7);
    c.moveTo(8 * u, 0); c.lineTo(26 * u, 0); c.moveTo(21 * u, 4 * u); c.lineTo(26 * u, 0); c.lineTo(21 * u, -4 * u);
    c.moveTo(0, 8 * u); c.lineTo(0, 26 * u); c.moveTo(-4 * u, 21 * u); c.lineTo(0, 26 * u); c.lineTo(4 * u, 21 * u);
    c.stroke();
  }
  c.restore();
}

/** The docket's box for it. */
document.addEventListener("change", ({ target }) => {
  if (!target.matches("[data-bed]")) return;
  localStorage.setItem(KEY, target.checked ? "yes" : "no");
  document.querySelector("#stage").stage.redraw();
});
const tick = () => { for (const box of document.querySelectorAll("[data-bed]")) box.checked = bedShown(); };
document.addEventListener("htmx:after:swap", tick);
tick();
