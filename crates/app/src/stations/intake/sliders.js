// Sliders say their figure; a tracing or tone is shown on the stage while it is being set.

export function trySliders(stage) {
  let trying = null;
  document.addEventListener("input", ({ target: field }) => {
    if (field.type === "range") field.nextElementSibling.value = field.value;
    const tracing = field.closest("form.trace"), toning = field.closest("form.tone");
    clearTimeout(trying);
    if (tracing) {
      if (field.name === "threshold") tracing.elements.found.checked = false;
      trying = setTimeout(async () => {
        const f = tracing.elements;
        const wish = new URLSearchParams({ speck: f.speck.value, smooth: f.smooth.value, invert: f.side.value === "light" });
        if (!f.found.checked) wish.set("threshold", f.threshold.value);
        const answer = await fetch(`${tracing.dataset.tracing}?${wish}`);
        if (answer.ok) stage.tryOut(await answer.json());
      }, 60);
    }
    if (toning) {
      trying = setTimeout(() => {
        const f = toning.elements;
        const wish = new URLSearchParams({ dither: f.dither.value, brightness: f.brightness.value, contrast: f.contrast.value, gamma: f.gamma.value, invert: f.invert.checked });
        stage.tryTone(toning.closest("[data-picture]").dataset.picture, wish);
      }, 60);
    }
  });
}
