// What goes wrong, told at the head of the page.

/** Tells a sentence; an empty one takes the last away. */
export function say(text) {
  const p = document.createElement("p");
  p.className = "sentence";
  p.setAttribute("role", "alert");
  p.textContent = text;
  document.querySelector("#notice").replaceChildren(...(text ? [p] : []));
}
