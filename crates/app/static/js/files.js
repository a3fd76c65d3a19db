// Files dropped anywhere, or picked.

const $ = (selector) => document.querySelector(selector);
const docket = () => $("#docket");

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
      // What is told is told on the docket that stays: an answer is there before it is shown.
      const shown = new Promise((done) => { document.addEventListener("htmx:after:swap", done, { once: true }); setTimeout(done, 1500); });
      await htmx.ajax("GET", `/jobs/${docket().dataset.job}/${docket().dataset.station}?part=docket`, { target: "#docket", swap: "outerHTML" });
      await shown;
    }
    if (said) notice(said);
  }
  dropZone?.addEventListener("dragover", (event) => { event.preventDefault(); dropZone.classList.add("dropping"); });
  dropZone?.addEventListener("dragleave", (event) => { if (event.relatedTarget === null) dropZone.classList.remove("dropping"); });
  dropZone?.addEventListener("drop", (event) => { event.preventDefault(); dropZone.classList.remove("dropping"); send(event.dataTransfer.files); });
  document.addEventListener("change", (event) => { if (event.target.matches("input[type=file]")) send(event.target.files, event.target.dataset.replace ?? target()); });
}
