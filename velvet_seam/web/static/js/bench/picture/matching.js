// Match: the light of the chosen layer brought to another one's.

export class Matching {
  constructor(bench, compare) {
    Object.assign(this, { bench, compare });
    this.told = new Map(); // by layer: what the last match found
    bench.addEventListener("shown", () => this.shown());
    this.acts = { match: ({ layer, dataset, button }) => this.match(layer, dataset, button) };
  }

  async match(layer, dataset, button) {
    const { bench } = this;
    button.setAttribute("aria-busy", "true");
    const body = { layer: layer.id, beside: this.compare.more.beside, frame: bench.frame, lend: "lend" in dataset };
    const answer = await bench.send("match", body).catch(() => null);
    button.removeAttribute("aria-busy");
    if (!answer) return;
    this.told.set(layer.id, answer.matched);
    this.shown();
  }

  shown() {
    const box = document.getElementById("match-said"), { layer } = this.bench;
    const told = layer && this.told.get(layer.id);
    if (!box || !told || !layer.look.parts.some((part) => part.id.endsWith("-match"))) return;
    box.replaceChildren(Object.assign(document.createElement("span"), { textContent: this.words(told) }));
  }

  words(told) {
    if (told.model === undefined) return `It has the colours of ${told.name} now, at 60 %: a part of its look.`;
    const stops = `${Math.abs(told.stops).toFixed(2)} stops ${told.stops < 0 ? "darker" : "brighter"}`;
    const warm = Math.abs(told.warmer) < 0.02 ? "" : told.warmer > 0 ? ", warmer" : ", cooler";
    const by = { gain: "a gain of each channel", mix: "a mix of channels", curve: "a curve of each channel" }[told.model];
    const cut = told.stops < -0.05 && told.cut_off > 0.005 ? ` ${(100 * told.cut_off).toFixed(1)} % of it is cut off in white, and takes on a hue when it is darkened: match ${told.name} to this one instead.` : "";
    return `${stops}${warm}, by ${by}. ΔE ${told.before.toFixed(1)} → ${told.after.toFixed(1)} on the ${Math.round(100 * told.share)} % that both show.${cut}`;
  }
}
