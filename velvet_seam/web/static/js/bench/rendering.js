// A render that was begun here: how far it is, in the head of the bench.
import { say } from "../common.js";

export class Rendering {
  constructor() { this.jobs = new Set(); }

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
