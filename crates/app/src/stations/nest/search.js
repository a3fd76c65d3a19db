// A search for a nest, followed from whatever station: what is shown now, how it came to that, and what came of it.

const $ = (selector) => document.querySelector(selector);
const sheets = (n) => `${n} ${n === 1 ? "sheet" : "sheets"}`;

export class Search {
  constructor(stage, notice) { Object.assign(this, { stage, notice, events: null }); }

  /** True where the stage shows the best of a search, and not what is kept. */
  shows() { return $("#search")?.dataset.searching === "true"; }
  goes() { return this.shows() || $("#docket")?.dataset.nesting === "true"; }

  begun() {
    $("#search").dataset.searching = "true";
    $("#nest-start-form").hidden = true;
    $("#nest-running").hidden = false;
    this.follow();
  }

  /** Follows it until it ends, then fetches the docket with what was kept. */
  follow() {
    if (!this.goes() || this.events) return;
    const { job } = $("#docket").dataset;
    let tries = -1;
    this.events = new EventSource(`/jobs/${job}/search/events`);
    this.events.onmessage = (event) => {
      const state = JSON.parse(event.data), { station, batch } = $("#docket").dataset;
      this.tell(state);
      if (state.ended) {
        this.shut();
        // What is told stays: the docket is drawn anew before.
        const told = () => station !== "nest" && this.notice("The nest has ended; Nest shows what was found.", { label: "Go to Nest", act: () => location.assign(`/jobs/${job}/nest?batch=${batch}`) });
        Promise.resolve(htmx.ajax("GET", `/jobs/${job}/${station}?part=docket&batch=${batch}`, { target: "#docket", swap: "outerHTML" })).then(told, told);
      } else if (this.shows() && state.tries !== tries) {
        tries = state.tries;
        this.stage.load($("#docket").dataset, true, true);
      }
    };
    this.events.onerror = () => { this.shut(); setTimeout(() => this.follow(), 2000); };
  }
  shut() { this.events?.close(); this.events = null; }

  tell({ waits, paused, left, tries, sheets: n, worth, curve, run }) {
    const line = $("#search-state"), shown = $("#search-shown");
    if (!line) return;
    line.textContent = waits ? "waiting for its turn: other jobs are nesting" : `${paused ? "paused, " : ""}${left} s left, ${tries} tries`;
    $("#nest-pause").hidden = paused;
    $("#nest-resume").hidden = !paused;
    if (!n) return;
    shown.hidden = false;
    shown.textContent = `shown: ${sheets(n)} for ${worth.price.toFixed(2)}, yield ${(worth.yield * 100).toFixed(1)} %, ${(worth.rest / 1e6).toFixed(2)} m² free in one piece, worth ${worth.rest_price.toFixed(2)}`;
    // The ledger's figures are of what is kept: those that are known of what is shown stand in their place until it ends.
    $("#figures")?.classList.add("passing");
    for (const [name, value] of [["sheets", String(n)], ["yield", `${(worth.yield * 100).toFixed(1)} %`]]) {
      const figure = $(`#figures [data-figure=${name}]`);
      if (figure) { figure.classList.add("now"); figure.querySelector(".value").textContent = value; figure.querySelector(".change")?.remove(); }
    }
    this.curve(curve, run);
  }

  /** Yield over time as far as the search has come, up to now. */
  curve(steps, run) {
    const svg = $("#search-curve");
    if (!svg || !steps?.length) return;
    svg.hidden = false;
    const top = Math.max(...steps.map((s) => s.yield_share), 0.01), y = (s) => 42 - (s.yield_share / top) * 38, x = (t) => (t / Math.max(1, run)) * 300;
    // What was found stands until something better is.
    const points = steps.flatMap((s, i) => [...(i ? [`${x(s.after)},${y(steps[i - 1])}`] : []), `${x(s.after)},${y(s)}`]);
    svg.firstElementChild.setAttribute("points", [...points, `300,${y(steps.at(-1))}`].join(" "));
  }
}
