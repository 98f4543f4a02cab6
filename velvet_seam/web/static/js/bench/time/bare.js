// Stretches of frames that no layer covers.
import { node } from "./parts.js";

export class Bare {
  constructor(bench, strip) { Object.assign(this, { bench, strip, group: null, frames: 0 }); }

  /** Stretches of frames that no layer covers: the empty canvas shows. */
  stretches(moved) {
    const { layers, length } = this.bench.shot;
    const spans = layers.filter((one) => !one.hidden).map((one) => (one.id === moved?.id ? moved : one).span).sort((a, b) => a.first - b.first);
    const found = [];
    let from = 0;
    for (const { first, last } of spans) {
      if (first > from) found.push([from, Math.min(first, length)]);
      from = Math.max(from, last + 1);
      if (from >= length) break;
    }
    if (from < length && layers.length) found.push([from, length]);
    return found.filter(([a, b]) => b > a);
  }

  render(height, moved) {
    const bare = this.stretches(moved), group = node("g", {});
    for (const [first, end] of bare) {
      const x = this.strip.x(first);
      const shade = node("rect", { class: "bare", x, y: this.strip.top, width: this.strip.x(end) - x, height: height - this.strip.top });
      const title = node("title", {});
      title.textContent = `${end - first} frames that no layer covers: the empty canvas shows`;
      shade.append(title);
      group.append(shade);
    }
    if (this.group) this.group.replaceWith(group);
    else this.strip.field.append(group);
    this.group = group;
    this.frames = bare.reduce((sum, [a, b]) => sum + b - a, 0);
  }
}
