// What the pointer, the wheel and the keys do on the stage: the first tool that takes a pointer has it until it is let go.

export function listen(stage) {
  const el = stage.canvas;
  let hand = null;
  /** What is under way ends as it began. */
  stage.let = () => { const was = hand; hand = null; el.classList.remove("held"); was?.tool?.up?.({ shiftKey: false, offsetX: was.x, offsetY: was.y }, { moved: was.moved, lost: true }); };
  el.addEventListener("pointerdown", (e) => {
    if (!stage.scene || e.button === 2) { if (stage.scene) stage.aim(e); return; }
    hand = { tool: stage.tools.find((t) => t.down?.(e)), x: e.offsetX, y: e.offsetY, moved: false };
    // A pointer that has gone by then cannot be held.
    try { el.setPointerCapture(e.pointerId); } catch { /* nothing to hold */ }
  });
  el.addEventListener("pointermove", (e) => {
    if (!hand) stage.legend.hover(e.offsetX, e.offsetY);
    if (!hand) { el.style.cursor = stage.tools.map((t) => t.cursor?.(e)).find(Boolean) ?? ""; return; }
    hand.moved ||= Math.hypot(e.offsetX - hand.x, e.offsetY - hand.y) > 3;
    if (hand.moved) hand.tool?.move?.(e);
  });
  const release = (e) => {
    el.classList.remove("held");
    const was = hand;
    hand = null;
    was?.tool?.up?.(e, { moved: was.moved, lost: e.type !== "pointerup" });
  };
  el.addEventListener("pointerup", release);
  el.addEventListener("pointercancel", release);
  el.addEventListener("wheel", (e) => {
    e.preventDefault();
    stage.look(stage.view.zoomed(Math.exp(-e.deltaY * (e.deltaMode ? 0.05 : 0.0016)), e.offsetX, e.offsetY));
  }, { passive: false });
  el.addEventListener("pointerleave", () => { stage.legend.name.hidden = true; });
  el.addEventListener("keydown", (e) => { if (stage.press(e)) e.preventDefault(); });
}
