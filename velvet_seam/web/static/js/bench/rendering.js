// Rendering: what is to be written, and how far it is, in the head of the bench.
import { ask, say } from "../common.js";
import { openBy, putBy } from "./popover.js";

export class Rendering {
  constructor(bench) {
    this.bench = bench;
    this.jobs = new Set();
  }

  /** Open the choices of a render; their numbers come from the server. */
  async open() {
    await this.bench.queue;
    const pop = document.getElementById("deliver-pop");
    openBy(pop, document.getElementById("render")); // at once: what can be chosen comes a moment later
    await window.htmx.ajax("GET", `/shots/${this.bench.id}/deliver`, { target: "#deliver", swap: "outerHTML" });
    putBy(pop, document.getElementById("render"));
    pop.querySelector("[data-do-render]")?.focus();
  }

  async begin() {
    const chosen = Object.fromEntries(new FormData(document.getElementById("deliver")));
    const body = { kind: chosen.kind, scale: Number(chosen.scale), quality: chosen.quality, rate: chosen.rate || null, loudness: chosen.loudness ?? "as-mixed" };
    const answer = await ask(`/shots/${this.bench.id}/renders`, { method: "POST", body }).catch(() => null);
    if (!answer) return;
    document.getElementById("deliver-pop").hidePopover();
    this.watch(answer.id);
  }

  /** Say how far a render is until it has ended. */
  watch(job) {
    this.jobs.add(job);
    say("Rendering in the background. You can go on working; later edits do not change it.");
    if (!this.timer) this.look();
  }

  async look() {
    const found = await Promise.all([...this.jobs].map((job) => fetch(`/renders/${job}/progress`).then((answer) => (answer.ok ? answer.json() : null), () => undefined)));
    [...this.jobs].forEach((job, n) => {
      const one = found[n];
      if (one === undefined) return; // no answer just now
      if (one && ["waiting", "working", "paused"].includes(one.state)) return;
      this.jobs.delete(job);
      if (one?.state === "done") say(`${one.name} is rendered: it is on the page of renders.`);
      else if (one?.state === "failed") say(one.sentence, true);
    });
    this.show(found.filter((one) => one && ["waiting", "working", "paused"].includes(one.state)));
    this.timer = this.jobs.size ? setTimeout(() => this.look(), 700) : null;
  }

  show(open) {
    const link = document.getElementById("rendering");
    if (!link) return;
    link.hidden = !open.length;
    if (!open.length) return;
    const done = open.reduce((sum, one) => sum + one.done, 0), total = open.reduce((sum, one) => sum + one.total, 0);
    const words = open.every((one) => one.state === "paused") ? "paused" : `${total ? Math.floor((100 * done) / total) : 0} %`;
    link.querySelector("span").textContent = open.length > 1 ? `${open.length} renders, ${words}` : words;
    link.querySelector("i").style.width = `${total ? (100 * done) / total : 0}%`;
  }
}
