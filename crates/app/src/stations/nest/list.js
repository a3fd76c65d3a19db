// The list of parts: a quantity that is typed is sent by the one form that there is for them all.

export function quantities() {
  document.addEventListener("change", ({ target }) => {
    const form = document.querySelector("#quantity"), part = target.dataset?.quantity;
    if (!form || !part) return;
    form.elements.on.value = part;
    form.elements.value.value = target.value;
    form.requestSubmit();
  });
  document.addEventListener("keydown", (event) => {
    if (event.key === "Enter" && event.target.matches?.("[data-quantity]")) event.target.blur();
  });
}
