// Mattes from the panel of a seam: a screen or colour measured, areas sampled and dropped, plates, new mattes.
import { say, unsay } from "../../common.js";

export class Mattes {
  constructor(bench, handles) {
    Object.assign(this, { bench, handles });
    this.acts = {
      measure: ({ layer, dataset }) => this.measure({ layer: layer.id, ...(dataset.kind ? { kind: dataset.kind } : {}) }),
      area: ({ layer, dataset }) => this.area(layer, dataset),
      "add-key": ({ layer, dataset }) => this.addKey(layer, dataset.kind),
      "plate-here": ({ layer, dataset }) => bench.send("clean-frame", { layer: layer.id, part: dataset.part, frame: bench.frame }).catch(() => null),
      "drop-sample": ({ layer, dataset }) => this.dropSample(layer, dataset),
      "hold-matte": ({ layer, dataset }) => bench.send("held-matte", { layer: layer.id, part: dataset.part, moves: dataset.to === "layer", frame: bench.frame }).catch(() => null),
    };
  }

  async measure(body) {
    const { bench } = this;
    // a screen that a proxy leaves in doubt is looked for in the original, which takes a second or two
    const slow = setTimeout(() => say("Looking at the colours of this layer."), 500);
    const answer = await bench.send("keys", { frame: bench.frame, ...body }).catch(() => null);
    clearTimeout(slow);
    if (answer && body.area) unsay(this.missing); // the screen has been shown
    if (answer?.found === false) this.missing = answer.said;
    // where no screen was found one shows it
    const key = answer?.found === false && bench.layer?.seam.matte.find((one) => one.kind === "screen-key");
    if (key) this.area(bench.layer, { part: key.id });
  }

  dropSample(layer, { part, at }) {
    return this.bench.edit({ do: "drop-sample", layer: layer.id, matte: part, sample: Number(at) });
  }

  area(layer, { kind = "screen-key", part, more }) {
    const { handles } = this;
    const words = kind === "screen-key" ? "Drag over the screen, near the subject. Esc gives up." : "Drag over what to keep. Esc gives up.";
    handles.draw(words, "source", ({ from, to }) => {
      const area = [Math.min(from.x, to.x), Math.min(from.y, to.y), Math.max(from.x, to.x), Math.max(from.y, to.y)];
      this.measure({ layer: layer.id, kind, part: part ?? null, more: Boolean(more), area });
    });
  }

  /** A matte that needs no measuring before it is there. */
  async addKey(layer, kind) {
    const { bench } = this, answer = await bench.send("mattes", { layer: layer.id, kind }).catch(() => null);
    // a new roto has nothing to show before it is painted: the brush is up at once, or a drag would move the layer
    if (answer && kind === "roto" && bench.layer?.id === layer.id) bench.tell("brush-up", { roto: bench.layer.seam.matte.findLast((one) => one.kind === kind)?.id });
  }
}
