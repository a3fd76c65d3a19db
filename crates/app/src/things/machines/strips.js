// The machines' strips, as they stand: looked at every two seconds, and told where the shop does not answer.
import { say } from "/static/js/say.js";

const EVERY = 2000;
let lost = null;

/** Keeps the strips as they are; `moved` is told when a machine's queue is another than before. */
export function follow(list, moved = () => {}) {
  const queues = () => [...list.querySelectorAll("[data-queue]")].map((s) => s.dataset.queue).join("|");
  const look = async () => {
    const answer = document.hidden ? null : await fetch("/machines/strips", { signal: AbortSignal.timeout(EVERY) }).catch(() => undefined);
    if (answer?.ok) {
      const before = queues(), text = await answer.text(), focus = document.activeElement?.getAttribute?.("href");
      if (lost) { say(""); lost = null; }
      if (text !== list.dataset.was) {
        const within = list.contains(document.activeElement);
        list.innerHTML = text;
        list.dataset.was = text;
        if (within && focus) list.querySelector(`[href="${focus}"]`)?.focus();
        if (queues() !== before) moved();
      }
    } else if (answer !== null && !lost) {
      lost = new Date();
      say(`Nothing was heard of the shop since ${lost.toLocaleTimeString()}. What stands here is as it was then.`);
    }
    setTimeout(look, EVERY);
  };
  list.dataset.was = list.innerHTML;
  setTimeout(look, EVERY);
}
