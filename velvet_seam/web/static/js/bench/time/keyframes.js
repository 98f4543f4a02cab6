// Knots: a keyframe put at the playhead or taken away, for one value or for a whole place or mask;
// going from one to the next; copying them.
import { maskPath } from "../masks/held.js";
import { say } from "../../common.js";
import { moves, moving, valueOf } from "./moving.js";

const PLACE = ["place.x", "place.y", "place.scale", "place.rotation"];
const MASK = [
  "x", "y", "rotation", "width", "height", "round", "radius", "inner", "points", "outline", "grow", "feather_in", "feather_out", "opacity",
];

export class Keyframes {
  constructor(bench, handles) {
    Object.assign(this, { bench, handles });
    this.copied = null;
    document.getElementById("panel").addEventListener("click", (event) => {
      const knot = event.target.closest(".knot-button");
      if (knot) this.toggle([knot.dataset.path]);
    });
    this.button = document.getElementById("auto-key");
    this.button.addEventListener("click", () => {
      bench.autoKey = !bench.autoKey;
      this.button.setAttribute("aria-pressed", bench.autoKey);
    });
  }

  get thing() { return this.bench.layer ?? this.bench.sound; }

  has(path, frame) {
    const value = valueOf(this.thing, path);
    return moves(value) && value.keys.some((key) => key.frame === frame);
  }

  /** Put a keyframe on all of them at the playhead, or take it away where all have one. */
  toggle(paths) {
    const { bench, thing } = this;
    const frame = bench.at(thing);
    if (bench.frame !== thing.span.first + frame) { say(`${thing.name} is not there at the playhead.`); return null; }
    const on = !paths.every((path) => this.has(path, frame));
    return bench.edit({ do: "key-here", target: thing.id, paths, frame, on });
  }

  /** What belongs together gets one keyframe in one go: a place, a whole mask, else the opacity or gain. */
  whole() {
    const { bench, thing } = this;
    if (!thing) { say("Choose a layer, a seam or a sound first."); return null; }
    if (bench.kind === "sound") return this.toggle(["gain"]);
    if (["layer", "around"].includes(bench.kind)) return this.toggle(PLACE);
    const mask = this.handles.masks.current(thing);
    if (!mask) return this.toggle([bench.kind === "look" ? "look.strength" : "seam.opacity"]);
    return this.toggle(MASK.filter((name) => mask[name] !== undefined).map((name) => `${maskPath(thing, mask.id)}.${name}`));
  }

  /** To the next keyframe of what is chosen, or the one before. */
  jump(by) {
    const { bench, thing } = this;
    if (!thing) return;
    const frames = moving(thing).flatMap(({ keys }) => keys.map((key) => key.frame + thing.span.first));
    const ordered = [...new Set(frames)].sort((a, b) => a - b);
    const next = by > 0 ? ordered.find((frame) => frame > bench.frame) : ordered.findLast((frame) => frame < bench.frame);
    if (next === undefined) { say(ordered.length ? `There is no keyframe ${by > 0 ? "after" : "before"} this frame.` : "Nothing of it moves yet."); return; }
    bench.tell("pause");
    bench.go(next);
  }

  /** Keyframes that are chosen in the lanes, kept for pasting: by path, counted from the first of them. */
  copy(keys) {
    const all = Object.values(keys).flat();
    if (!all.length) return;
    const first = Math.min(...all);
    this.copied = Object.fromEntries(Object.entries(keys).map(([path, frames]) => [
      path, { keys: valueOf(this.thing, path).keys.filter((key) => frames.includes(key.frame)).map((key) => ({ ...key, frame: key.frame - first })) },
    ]));
    say(`${all.length} keyframe${all.length === 1 ? "" : "s"} copied. They are pasted at the playhead, here or on another layer.`);
  }

  paste() {
    const { bench, thing, copied } = this;
    if (!copied || !thing) return;
    const fits = Object.entries(copied).filter(([path]) => valueOf(thing, path) !== undefined);
    if (!fits.length) { say(`${thing.name} has none of the values that were copied.`); return; }
    bench.edit({ do: "paste-keys", target: thing.id, at: bench.at(thing), keys: Object.fromEntries(fits) });
  }
}
