// The pages of a drawing: a box drawn on them is a region that is taken.

export function boxing() {
  const form = document.querySelector("#boxing"), stage = form?.querySelector("svg"), box = stage?.querySelector(".boxing");
  if (!box) return;
  let from = null;
  const at = (e) => new DOMPoint(e.clientX, e.clientY).matrixTransform(stage.getScreenCTM().inverse());
  const show = (p) => {
    const set = (name, value) => box.setAttribute(name, value);
    set("x", Math.min(from.x, p.x)); set("y", Math.min(from.y, p.y));
    set("width", Math.abs(p.x - from.x)); set("height", Math.abs(p.y - from.y));
  };
  stage.addEventListener("pointerdown", (e) => { from = at(e); e.preventDefault(); });
  stage.addEventListener("pointermove", (e) => { if (from) show(at(e)); });
  addEventListener("pointerup", (e) => {
    if (!from) return;
    const [a, b] = [from, at(e)], pixels = stage.getScreenCTM().a;
    from = null;
    if (Math.abs(a.x - b.x) * pixels < 6 || Math.abs(a.y - b.y) * pixels < 6) { box.setAttribute("width", 0); return; }
    for (const [name, value] of Object.entries({ x0: a.x, y0: a.y, x1: b.x, y1: b.y })) form.elements[name].value = value;
    form.submit();
  });
}
