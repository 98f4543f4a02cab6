// Compare: the chosen layer against another one, and the line-up that puts them in register.
import { iconAt, say } from "../../common.js";
import { InTime } from "./in-time.js";
import { Matching } from "./matching.js";

const GAINS = [4, 16, 1];
const BLINK = 500; // milliseconds

function icon(name) {
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg"), use = document.createElementNS("http://www.w3.org/2000/svg", "use");
  svg.setAttribute("class", "icon");
  svg.setAttribute("aria-hidden", "true");
  use.setAttribute("href", iconAt(name));
  svg.append(use);
  return svg;
}

export class Compare {
  constructor(bench, picture) {
    Object.assign(this, { bench, picture });
    this.time = new InTime(bench, this);
    this.matching = new Matching(bench, this);
    this.how = "half";
    this.gain = GAINS[0];
    this.upper = true; // which of the two is seen in a blink
    this.beside = new Map(); // by layer: what it is compared with, where one has chosen
    this.model = "turn";
    this.was = new Map(); // by layer: how far it was off before it was lined up
    this.row = document.getElementById("comparing");
    this.row.addEventListener("click", (event) => {
      const button = event.target.closest("[data-compare]");
      if (button) this.pick(button.dataset.compare);
    });
    const panel = document.getElementById("panel");
    panel.addEventListener("click", (event) => {
      const button = event.target.closest("[data-line-model]");
      if (button) { this.model = button.dataset.lineModel; this.shown(); this.measure(); }
    });
    panel.addEventListener("change", (event) => {
      if (event.target.id !== "lineup-with") return;
      this.beside.set(bench.layer.id, event.target.value || null);
      this.was.delete(bench.layer.id);
      this.again();
    });
    bench.addEventListener("way", () => this.place());
    bench.addEventListener("chosen", () => {
      // who lines up wants to see both; who goes elsewhere sees what was seen before
      const here = bench.kind === "lineup";
      const pair = bench.shot.layers.filter((one) => one.source.footage).length > 1;
      if (here && pair && bench.way === "joined") { this.own = true; bench.see("compare"); }
      else if (!here && this.own && bench.way === "compare") bench.see("joined");
      if (!here) this.own = false;
    });
    bench.addEventListener("shown", () => this.shown());
    for (const name of ["frame", "state"]) bench.addEventListener(name, () => this.soon());
    setInterval(() => {
      if (bench.way !== "compare" || this.how !== "blink" || document.hidden) return;
      this.upper = !this.upper;
      picture.refreshMain();
    }, BLINK);
    this.acts = {
      ...this.time.acts, ...this.matching.acts,
      "line-up": ({ layer }) => this.lineUp(layer),
    };
  }

  /** The view that is asked for, and what goes with it. */
  get view() {
    if (this.how === "blink") return this.upper ? "compare-upper" : "compare-lower";
    return `compare-${this.how === "stitch" ? "lower" : this.how}`;
  }
  get more() { return { beside: this.beside.get(this.bench.layer?.id) ?? null, gain: this.gain }; }
  get stitched() { return this.bench.way === "compare" && this.how === "stitch"; }

  /** A way of comparing; difference once more is raised more. */
  pick(how) {
    const again = this.bench.way === "compare" && this.how === how;
    if (again && how === "difference") this.gain = GAINS[(GAINS.indexOf(this.gain) + 1) % GAINS.length];
    this.how = how;
    if (this.bench.way !== "compare") this.bench.see("compare");
    else this.again();
    this.place();
  }

  again() {
    this.bench.tell("way");
    this.soon();
  }

  place() {
    this.row.hidden = this.bench.way !== "compare";
    for (const one of this.row.children) {
      const here = one.dataset.compare === this.how;
      one.setAttribute("aria-pressed", here);
      if (one.dataset.compare === "difference") one.textContent = here ? `Difference × ${this.gain}` : "Difference";
    }
  }

  /** The controls have come anew: they say what is chosen. */
  shown() {
    const box = document.getElementById("lineup");
    this.soon();
    if (!box) return;
    for (const one of box.querySelectorAll("[data-line-model]")) one.setAttribute("aria-pressed", one.dataset.lineModel === this.model);
    const other = document.getElementById("lineup-with");
    if (other) other.value = this.beside.get(box.dataset.layer) ?? "";
    if (this.told && this.told.layer === box.dataset.layer) this.tell(this.told);
  }

  soon() {
    clearTimeout(this.timer);
    const open = document.getElementById("line-off");
    if (open || document.getElementById("tab-lineup")) this.timer = setTimeout(() => this.measure(), open ? 250 : 900);
  }

  /** The tab of a seam says how far its layer is off, where both show the same place. */
  label(found) {
    const tab = document.getElementById("tab-lineup");
    if (tab) tab.textContent = found.why ? "Line up" : `Line up · ${found.off.toFixed(found.off < 10 ? 2 : 0)} px`;
  }

  /** How far the two are apart on this frame, once nothing moves. */
  async measure() {
    const { bench } = this, { layer } = bench;
    if (!document.getElementById("tab-lineup") || !layer?.source.footage || bench.trial || bench.saving || bench.playing) return;
    const key = `${layer.id} ${bench.frame} ${bench.state.stamp} ${this.model} ${this.more.beside}`;
    if (this.told?.key === key) { this.label(this.told); return; }
    if (this.asked === key) return;
    this.asked = key;
    // what is not wanted any more is let go of: it would keep a connection from an edit
    this.asking?.abort();
    this.asking = new AbortController();
    const words = new URLSearchParams({ frame: bench.frame, model: this.model, beside: this.more.beside ?? "" });
    // null where it failed, or was let go of, be it while its answer came in
    const found = await fetch(`/shots/${bench.id}/line-up/${layer.id}?${words}`, { signal: this.asking.signal })
      .then((answer) => (answer.ok ? answer.json() : null)).catch(() => null);
    if (this.asked !== key) return;
    this.asked = null;
    if (!found) { this.failed(); return; }
    this.tell({ ...found, key, layer: layer.id });
  }

  failed() {
    const said = document.getElementById("line-said");
    if (said && !this.told) said.textContent = "It could not be measured. Go to another frame and back to try again.";
  }

  tell(found) {
    this.told = found;
    this.label(found);
    const put = (id, text) => { const node = document.getElementById(id); if (node) node.textContent = text; };
    const refused = (one) => one.why && one.why !== "unsure";
    const off = (one) => {
      if (refused(one)) return "–";
      const sure = 2 * one.residual, digits = sure < 1 ? 2 : sure < 10 ? 1 : 0; // no more than can be known
      return `${one.off.toFixed(digits)} px ± ${sure.toFixed(digits)}`;
    };
    const turned = (one) => (refused(one) ? "–" : `${(one.turned + 0).toFixed(2)}°${Math.abs(one.grown - 1) > 5e-4 ? `, ${(100 * one.grown).toFixed(1)} %` : ""}`.replace("-0.00", "0.00"));
    const agrees = (one) => (one.why === "absent" ? "–" : `${Math.round(100 * one.agrees)} %`);
    const was = this.was.get(found.layer);
    for (const [end, one] of [["", found], ["-was", was]]) {
      if (!one) continue;
      put(`line-off${end}`, off(one));
      put(`line-turned${end}`, turned(one));
      put(`line-agrees${end}`, agrees(one));
    }
    for (const one of document.querySelectorAll("[data-was]")) one.hidden = !was;
    const said = document.getElementById("line-said");
    if (!said) return;
    const sure = 2 * found.residual, [look, words] = refused(found) ? ["said-fix", found.said]
      : found.why ? ["said-look", `${found.said.replace(/\.$/, "")}, within ${sure.toFixed(1)} px. Look at it closely.`]
      : found.off < Math.max(0.15, sure) ? ["said-fine", "Nobody will see it."]
      : found.off < 1 ? ["said-look", `Off by less than a pixel from ${found.name}.`] : ["said-look", `Lines of ${found.name} will double.`];
    said.className = `${look} flex gap-[6px] items-start mt-2`;
    said.replaceChildren(icon({ "said-fine": "circle-check", "said-look": "triangle-alert", "said-fix": "circle-x" }[look]), Object.assign(document.createElement("span"), { textContent: words }));
    const button = document.getElementById("line-up");
    if (button) button.disabled = Boolean(refused(found));
  }

  async lineUp(layer) {
    const { bench } = this;
    const button = document.getElementById("line-up");
    button?.setAttribute("aria-busy", "true");
    const answer = await bench.send("line-up", { layer: layer.id, model: this.model, beside: this.more.beside, frame: bench.frame }).catch(() => null);
    document.getElementById("line-up")?.removeAttribute("aria-busy");
    if (!answer) return;
    this.was.set(layer.id, answer.lined.before);
    const key = `${layer.id} ${bench.frame} ${bench.state.stamp} ${this.model} ${this.more.beside}`;
    this.tell({ ...answer.lined.after, key, layer: layer.id });
    say(answer.lined.before.why ? `${layer.name} is about in register: look at it closely.` : `${layer.name} is in register.`);
  }
}
