// Line-up in time: by what is heard or moves in both, or by the same moment in each, found by hand.
import { say } from "../../common.js";

export class InTime {
  constructor(bench, compare) {
    Object.assign(this, { bench, compare });
    this.by = "sound";
    this.told = null;
    this.moments = {};
    document.getElementById("panel").addEventListener("click", (event) => {
      const button = event.target.closest("[data-line-by]");
      if (button) { this.by = button.dataset.lineBy; this.told = null; this.shown(); }
    });
    bench.addEventListener("shown", () => this.shown());
    bench.addEventListener("chosen", () => { this.told = null; this.moments = {}; });
    this.acts = {
      "measure-time": ({ layer }) => this.measure(layer),
      "move-in-time": ({ layer, dataset }) => this.move(layer, { by: this.by, other: "other" in dataset }),
      "frame-later": ({ layer, dataset }) => this.move(layer, { frames: Number(dataset.by) }),
      moment: ({ layer, dataset }) => this.moment(layer, dataset.of),
    };
  }

  get with() { return { beside: this.compare.more.beside, frame: this.bench.frame }; }

  shown() {
    const box = document.getElementById("time-said");
    if (!box) return;
    const { told, by } = this;
    for (const one of document.querySelectorAll("[data-line-by]")) one.setAttribute("aria-pressed", one.dataset.lineBy === by);
    document.getElementById("time-measure").hidden = by === "hand";
    document.getElementById("time-all").hidden = by === "hand";
    document.getElementById("time-hand").hidden = by !== "hand";
    const move = document.getElementById("time-move"), other = document.getElementById("time-other");
    move.hidden = !told || Boolean(told.why) || Math.abs(told.later) < 0.02;
    other.hidden = !told || told.other === undefined;
    const words = by === "hand" ? this.handWords() : this.words(told);
    box.className = `flex gap-[6px] items-start ${told?.why ? "said-fix" : told && !told.sure ? "said-look" : ""}`;
    box.replaceChildren(Object.assign(document.createElement("span"), { className: told || by === "hand" ? "" : "text-quiet", textContent: words }));
    if (told && !told.why) {
      move.textContent = `Move it ${this.frames(told.later)}`;
      if (told.other !== undefined) other.textContent = `Or ${this.frames(told.other)}`;
    }
  }

  frames(later) {
    const text = `${Math.abs(later).toFixed(1).replace(/\.0$/, "")}f`;
    return later < 0 ? `${text} earlier` : `${text} later`;
  }

  words(told) {
    if (this.asking) return "Comparing …";
    if (!told) return "Not measured yet.";
    if (told.why) return told.said;
    if (Math.abs(told.later) < 0.02) return `In time with ${told.name}, to a fiftieth of a frame.`;
    const when = `It must begin ${this.frames(told.later)} to be in time with ${told.name}.`;
    return told.sure ? when : `${when} That is not sure: look at it.`;
  }

  handWords() {
    const { this: here, other } = this.moments;
    if (here === undefined && other === undefined) return "Go to where something happens in this layer and press, then to where it happens in the other.";
    return here === undefined ? "Now go to the same moment of this layer." : "Now go to the same moment of the other.";
  }

  async measure(layer) {
    const { bench } = this;
    this.asking = true;
    this.told = null;
    this.shown();
    const words = new URLSearchParams({ frame: bench.frame, by: this.by, beside: this.compare.more.beside ?? "" });
    const answer = await fetch(`/shots/${bench.id}/in-time/${layer.id}?${words}`).catch(() => null);
    this.asking = false;
    const told = await answer?.json().catch(() => null);
    if (answer?.ok && bench.layer?.id === layer.id) this.told = told;
    else say(told?.problem ?? "They could not be compared. Try again.", true);
    this.shown();
  }

  async move(layer, more) {
    const answer = await this.bench.send("in-time", { layer: layer.id, ...this.with, ...more }).catch(() => null);
    if (!answer) return;
    if (more.frames === undefined) await this.measure(layer);
    else this.told = null;
    this.shown();
  }

  /** The same moment in each: once both are known, this layer is moved. */
  moment(layer, of) {
    this.moments[of] = this.bench.frame;
    const { this: here, other } = this.moments;
    if (here !== undefined && other !== undefined) {
      this.moments = {};
      if (here !== other) this.move(layer, { frames: other - here });
      else say("Both moments lie on one frame already.");
    }
    this.shown();
  }
}
