// Files dropped anywhere, or picked.

const $ = (selector) => document.querySelector(selector);
const docket = () => $("#docket");

/** Longest wait for a docket that was asked for, ms. */
const LATEST = 20000;
/** Done when a docket that is asked for is shown. */
const swapped = () => new Promise((done) => {
  document.addEventListener("htmx:after:swap", () => done(), { once: true });
  setTimeout(done, LATEST);
});

export function takeFiles(notice, sentenceOf) {
  const target = () => document.querySelector("[data-drop]")?.dataset.drop ?? (docket() ? `/jobs/${docket().dataset.job}/drawings` : null);
  const dropZone = $(".bench") ?? document.querySelector("[data-drop]");
  async function send(files, to = target()) {
    if (!files.length || !to) return;
    const form = new FormData();
    for (const file of files) form.append("file", file);
    let response;
    try {
      response = await fetch(to, { method: "POST", body: form });
    } catch {
      notice("The upload broke off. Is the file over the limit of 160 MB? Nothing was changed.");
      return;
    }
    const said = response.ok ? null : await sentenceOf(response);
    const elsewhere = response.headers.get("hx-redirect");
    if (elsewhere) { location.href = elsewhere; return; }
    if (docket()) {
      // The answer is there before it is shown, and showing what has changed clears what was told before.
      const there = swapped();
      await htmx.ajax("GET", `/jobs/${docket().dataset.job}/${docket().dataset.station}?part=docket`, { target: "#docket", swap: "outerHTML" });
      await there;
    }
    if (said) notice(said);
  }
  // At Proof a program is laid over the sheet; it is no drawing.
  const program = (files) => {
    const field = $("#outside-file");
    if (!field || files.length !== 1 || !/\.(nc|gcode|tap|ngc)$/i.test(files[0].name)) return false;
    field.files = files;
    field.dispatchEvent(new Event("change", { bubbles: true }));
    return true;
  };
  dropZone?.addEventListener("dragover", (event) => { event.preventDefault(); dropZone.classList.add("dropping"); });
  dropZone?.addEventListener("dragleave", (event) => { if (event.relatedTarget === null) dropZone.classList.remove("dropping"); });
  dropZone?.addEventListener("drop", (event) => { event.preventDefault(); dropZone.classList.remove("dropping"); if (!program(event.dataTransfer.files)) send(event.dataTransfer.files); });
  // Each field is listened to itself: one that the docket's next answer has replaced while its dialog stood open still gives its file.
  const heard = new WeakSet();
  const listen = () => {
    for (const field of document.querySelectorAll("input[type=file]:not([data-own])")) {
      if (heard.has(field)) continue;
      heard.add(field);
      field.addEventListener("change", () => {
        const files = [...field.files], to = field.dataset.replace ?? target();
        // Where there is nothing to drop a file on, it goes with its form.
        if (!to) return;
        // The same file can be given again.
        field.value = "";
        send(files, to);
      });
    }
  };
  document.addEventListener("htmx:after:swap", listen);
  listen();
}
