// What bars, marks and the playhead like to meet: found near a frame, and shown while it is met.
import { NAMES, node } from "./parts.js";

/** Pixels within which something is met. */
export const SNAP = 7;

export class Snap {
  constructor(bench, strip) { Object.assign(this, { bench, strip }); }

  /** Frames that bars and the playhead like to meet, with what they are. */
  targets(except) {
    const { bench } = this;
    // of two on one frame the first is named
    const found = bench.shot.marks.filter((mark) => mark.id !== except).map((mark) => ({ frame: mark.frame, word: mark.name }));
    found.push({ frame: 0, word: "start" }, { frame: bench.shot.length, word: "end" });
    if (except) found.push({ frame: bench.frame, word: "playhead" });
    for (const thing of this.strip.things) {
      if (thing.id === except) continue;
      found.push({ frame: thing.span.first, word: thing.name }, { frame: thing.span.last + 1, word: thing.name });
    }
    return found;
  }

  near(frame, targets) {
    const near = SNAP / this.strip.scale;
    let best = null;
    for (const target of targets) {
      const away = Math.abs(target.frame - frame);
      if (away <= near && (!best || away < best.away)) best = { ...target, away };
    }
    return best;
  }

  show(hit) {
    this.mark?.remove();
    if (!hit) return;
    const x = this.strip.x(hit.frame);
    this.mark = node("g", {});
    const late = x > NAMES + this.strip.room - 90;
    const word = node("text", { class: "snap-word", x: x + (late ? -4 : 4), y: 13, "text-anchor": late ? "end" : "start" });
    word.textContent = hit.word;
    this.mark.append(node("line", { class: "snap-line", x1: x, x2: x, y1: 4, y2: 400 }), word);
    this.strip.field.append(this.mark);
  }
}
