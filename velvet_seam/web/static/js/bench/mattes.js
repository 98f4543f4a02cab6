// Mattes from the panel of a seam: a screen or colour measured, areas sampled and dropped, plates, new mattes.
import { say } from "../common.js";
import { layerMap } from "./handles.js";
import { sourceSeconds } from "./moving.js";

export class Mattes {
  constructor(bench, handles, newId) { Object.assign(this, { bench, handles, newId }); }

  async measure(body) {
    const { bench } = this;
    const answer = await bench.send("keys", { frame: bench.frame, ...body }).catch(() => null);
    if (!answer?.reading || body.area) return;
    const share = Math.round(100 * answer.reading.share);
    say(`Screen found along ${share} % of the border, uneven by ${answer.reading.uneven.toFixed(1)} stops.`);
  }

  dropSample(layer, { part, at }) {
    const key = layer.seam.matte.find((one) => one.id === part);
    if (key.kind === "screen-key") { this.dropArea(layer, key, Number(at)); return; }
    if (key.colours.length === 1) { say("A colour key needs one sample at least. Add another first, or take the key away."); return; }
    this.bench.set(layer.id, { [`seam.matte.${part}.colours`]: key.colours.filter((_, n) => n !== Number(at)) });
  }

  /** One area fewer that a screen's colour is the mean of. */
  dropArea(layer, key, at) {
    const samples = key.samples.filter((_, n) => n !== at);
    const channel = (k) => Math.round(samples.reduce((sum, one) => sum + parseInt(one.slice(k, k + 2), 16), 0) / samples.length);
    const colour = `#${[1, 3, 5].map((k) => channel(k).toString(16).padStart(2, "0")).join("")}`;
    const path = `seam.matte.${key.id}`;
    this.bench.set(layer.id, { [`${path}.samples`]: samples.length > 1 ? samples : [], [`${path}.colour`]: colour });
  }

  area(layer, { kind = "screen-key", part, more }) {
    const { bench, handles } = this;
    const words = kind === "screen-key" ? "Drag over the screen, near the subject. Esc gives up." : "Drag over what to keep. Esc gives up.";
    handles.draw(words, "source", (box) => {
      const map = layerMap(layer.place, bench.frame - layer.span.first);
      const size = handles.size(layer);
      const corners = [[box.from.x, box.from.y], [box.to.x, box.from.y], [box.to.x, box.to.y], [box.from.x, box.to.y]]
        .map(([x, y]) => map.toSource(x, y));
      const us = corners.map(({ u }) => u + size.width / 2), vs = corners.map(({ v }) => v + size.height / 2);
      this.measure({ layer: layer.id, kind, part: part ?? null, more: Boolean(more), area: [Math.min(...us), Math.min(...vs), Math.max(...us), Math.max(...vs)] });
    });
  }

  /** A matte that needs no measuring before it is there. */
  addKey(layer, kind) {
    const { bench } = this;
    const clip = layer.source.kind === "footage" && bench.state.footage[layer.source.footage];
    const others = bench.shot.layers.filter((one) => one.id !== layer.id);
    const below = bench.shot.layers[bench.shot.layers.indexOf(layer) - 1];
    const made = {
      "luma-key": () => ({}),
      "own-alpha": () => ({}),
      "difference-key": () => ({ plate: clip?.kind === "clip" ? { kind: "median" } : { kind: "footage", footage: clip.id, frame: 0 } }),
      "layer-matte": () => ({ layer: (below ?? others[0]).id }),
    }[kind]();
    return bench.edit({ do: "add-matte", layer: layer.id, matte: { kind, id: this.newId("k"), combine: layer.seam.matte.length ? "intersect" : "add", ...made } });
  }

  /** Frame of the clip shown at the playhead, as a clean plate. */
  plateHere(layer, part) {
    const { bench } = this;
    const clip = bench.state.footage[layer.source.footage];
    const seconds = sourceSeconds(layer.time, bench.at(layer), bench.rate);
    const frame = Math.max(0, Math.floor(Math.min(seconds, clip.seconds) * clip.rate + 1e-6));
    bench.set(layer.id, { [`seam.matte.${part}.plate`]: { kind: "frame", frame } });
  }
}
