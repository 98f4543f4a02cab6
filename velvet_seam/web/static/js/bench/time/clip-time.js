// A clip's own time, from the panel and the keys: cut in two, frozen, each frame once; its sound by itself; a
// frame of the shot kept; the rate of the shot.
import { say } from "../../common.js";

export class ClipTime {
  constructor(bench, newId) {
    Object.assign(this, { bench, newId });
    this.acts = {
      "keep-frame": () => this.keepFrame(),
      detach: ({ layer }) => this.detach(layer),
      reverse: ({ layer }) => bench.edit({ do: "reverse", target: layer?.id ?? bench.target }),
      freeze: ({ layer, dataset }) => this.freeze(layer, dataset.apart === "true"),
      repeat: () => this.again("repeat", { times: "again-times", apart: "again-apart" }),
      "loop-over": () => this.again("loop-over", { fade: "again-fade" }),
      conform: ({ layer }) => this.conform(layer),
    };
  }

  /** Cut what is chosen in two at the playhead; the later piece is chosen then. */
  async split() {
    const { bench } = this;
    const thing = bench.layer ?? bench.sound;
    if (!thing) { say("Choose the layer or the sound to split first."); return; }
    const kind = bench.layer ? "layer" : "sound", new_id = this.newId(kind[0] === "l" ? "l" : "t");
    const answer = await bench.edit({ do: "split", target: thing.id, at: bench.frame, new_id });
    if (answer) bench.choose(`${kind}:${new_id}`);
  }

  /** Cut everything that is there at the playhead, and not locked, in two. */
  splitAll() {
    const { bench } = this, { frame } = bench;
    const across = [...bench.shot.layers, ...bench.shot.sounds].filter((one) => !one.locked && one.span.first < frame && one.span.last >= frame);
    if (!across.length) { say("Nothing has a frame on both sides of the playhead."); return null; }
    return bench.editAll(`split ${across.length} at the playhead`, across.map((one) => ({ do: "split", target: one.id, at: frame, new_id: this.newId(one.seam ? "l" : "t") })));
  }

  /** Hold the frame at the playhead for as long as the field beside says. */
  async freeze(layer, apart) {
    const { bench } = this;
    const frames = Math.max(1, Math.round(Number(document.getElementById("freeze-frames").value) || 1));
    const frozen_id = this.newId("l");
    const answer = await bench.edit({ do: "freeze", layer: layer.id, at: bench.frame, frames, frozen_id, rest_id: this.newId("l"), apart });
    if (answer) bench.choose(`layer:${frozen_id}`);
  }

  /** Copies of what is chosen, by the numbers in the fields. */
  again(what, fields) {
    const { bench } = this, thing = bench.layer ?? bench.sound;
    if (!thing) { say("Choose a layer or a sound first."); return null; }
    const numbers = Object.fromEntries(Object.entries(fields).map(([name, id]) => [name, Math.round(Number(document.getElementById(id)?.value) || 0)]));
    return bench.edit({ do: what, target: thing.id, new_id: this.newId(thing.seam ? "l" : "t"), ...numbers });
  }

  /** A speed at which each source frame shows in exactly one frame of the shot. */
  conform(layer) { return this.bench.send("conform", { layer: layer.id }).catch(() => null); }

  ramp(layer, way) { return this.bench.edit({ do: "ramp-speed", layer: layer.id, way }); }

  /** A clip's sound as a sound of its own beside the stack; the clip itself falls silent. */
  async detach(layer) {
    const { bench } = this, id = this.newId("t");
    const answer = await bench.edit({ do: "detach-sound", layer: layer.id, new_id: id });
    if (answer) bench.choose(`sound:${id}`);
  }

  /** The joined picture at the playhead becomes footage. */
  async keepFrame() {
    const { bench } = this;
    const answer = await bench.send("keep-frame", { frame: bench.frame }).catch(() => null);
    if (answer) say(`${answer.kept} is in your footage now.`);
  }

  async changeRate(rate) {
    const answer = await this.bench.edit({ do: "change-rate", rate });
    if (answer) say("Bars, keyframes and marks stay where they are in time, to the nearest frame.");
  }
}
