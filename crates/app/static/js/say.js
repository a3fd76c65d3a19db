// What goes wrong, told at the head of the page.

/** Tells a sentence; an empty one takes the last away. A deed, with its label, is offered beside it. */
export function say(text, deed = null) {
  const p = document.createElement("p");
  p.className = "sentence";
  p.setAttribute("role", "alert");
  p.textContent = text;
  if (deed) {
    const button = Object.assign(document.createElement("button"), { type: "button", className: "remedy", textContent: deed.label });
    button.addEventListener("click", () => { say(""); deed.act(); });
    p.append(" ", button);
  }
  document.querySelector("#notice").replaceChildren(...(text ? [p] : []));
}
