// One lane of the time strip: the name, the bar with what it shows, fades and the wave of a sound.
import { NAMES, node } from "./parts.js";
import { RULER } from "./ruler.js";
import { heardAlong, valueAt } from "./moving.js";

export class Lanes {
  constructor(bench, strip) {
    Object.assign(this, { bench, strip });
    this.waves = new Map();
    this.groups = new Map();
  }

  /** Begin anew: no lane has been drawn. */
  clear() { this.groups.clear(); }

  has(thing) { return this.groups.has(thing.id); }

  render(thing, row) {
    const { bench, strip } = this, [LANE, BAR] = strip.rows;
    const y = RULER + row * LANE;
    const sound = thing.footage !== undefined;
    const chosen = bench.target === thing.id || bench.also.has(thing.id);
    const lane = node("g", { class: sound ? "thread-sound" : `thread-${thing.thread}` });
    const name = node("text", { x: 0, y: y + LANE / 2 + 3, "font-weight": chosen ? 700 : 400, "data-choose": `${sound ? "sound" : "layer"}:${thing.id}` });
    name.textContent = thing.name.length > 14 ? `${thing.name.slice(0, 13)}…` : thing.name;
    const title = node("title", {});
    title.textContent = thing.name;
    name.append(title);
    const x0 = this.strip.x(thing.span.first), x1 = this.strip.wide ? this.strip.x(thing.span.last + 1) : Math.min(this.strip.x(thing.span.last + 1), NAMES + this.strip.room);
    const width = Math.max(3, x1 - x0);
    const off = thing.hidden || thing.on === false;
    const film = !sound && this.strip.films.draw(thing, x0, x0 + width, y + 3);
    const bar = node("rect", {
      class: `bar${chosen ? " chosen" : ""}${off ? " off" : ""}${film ? " film" : ""}`, x: x0, y: y + 3, width, height: BAR, rx: 5,
      "data-grab": "bar", "data-thing": thing.id,
    });
    const before = this.groups.get(thing.id);
    if (!before) strip.svg.append(name);
    lane.append(bar);
    if (sound) this.renderWave(lane, thing, x0, width, y + 3);
    if (sound) this.renderFades(lane, thing, x0, x1, y + 3);
    const reach = Math.min(9, width / 3);
    const late = this.late ?? [];
    this.late = null;
    lane.append(
      node("rect", { class: "bar-end", x: x0, y: y + 3, width: reach, height: BAR, rx: 4, "data-grab": "first", "data-thing": thing.id }),
      node("rect", { class: "bar-end", x: x1 - reach, y: y + 3, width: reach, height: BAR, rx: 4, "data-grab": "last", "data-thing": thing.id }),
      ...late,
    );
    if (before) before.replaceWith(lane);
    else this.strip.field.append(lane);
    this.groups.set(thing.id, lane);
  }

  /** What a fade takes away, as corners of the bar; each with a knob at its end. */
  renderFades(lane, track, x0, x1, y) {
    const { scale } = this.strip, chosen = this.bench.target === track.id, [, BAR] = this.strip.rows;
    for (const [side, x, way] of [["in", x0, 1], ["out", x1, -1]]) {
      const frames = valueAt(track[`fade_${side}`], side === "in" ? 0 : track.span.last - track.span.first), end = x + way * frames * scale;
      if (frames) lane.append(node("path", { class: "fade", d: `M${x} ${y + BAR}V${y}H${end}Q${(x + end) / 2} ${y} ${x} ${y + BAR}z` }));
      if (frames || chosen) {
        const knob = node("circle", { class: "fade-knob", cx: end, cy: y + 3, r: 4.5, "data-grab": "fade", "data-side": side, "data-thing": track.id });
        const title = node("title", {});
        title.textContent = side === "in" ? "Drag to let the sound come slowly" : "Drag to let the sound go slowly";
        knob.append(title);
        this.late = [...(this.late ?? []), knob]; // above the ends of the bar
      }
    }
  }

  renderWave(lane, track, x, width, y) {
    const wave = this.waves.get(track.footage);
    if (wave === undefined) {
      if (!this.bench.state.footage[track.footage]?.ready) return;
      this.waves.set(track.footage, null);
      fetch(`/footage/${track.footage}/wave.json`).then((answer) => (answer.ok ? answer.json() : null)).then((points) => {
        this.waves.set(track.footage, points);
        if (points && !this.strip.held) this.strip.render();
      });
      return;
    }
    if (!wave) return;
    const { bench } = this, [, BAR] = this.strip.rows;
    const seconds = bench.state.footage[track.footage]?.seconds ?? 1;
    const along = heardAlong(track, bench.rate, seconds), at = (part) => Math.floor((along(part) / seconds) * wave.length);
    let path = "";
    const seen = Math.max(1, NAMES - x), until = Math.min(width - 1, NAMES + this.strip.room - x);
    for (let px = seen - (seen % 2) + 1; px < until; px += 2) {
      const [i, last] = [at(px / width), at(Math.min(1, (px + 2) / width))].sort((one, other) => one - other);
      const loud = wave.slice(Math.max(0, i), Math.max(i + 1, last));
      if (!loud.length) continue;
      const tall = Math.max(0.6, Math.max(...loud) * (BAR - 5));
      path += `M${(x + px).toFixed(1)} ${(y + BAR / 2 - tall / 2).toFixed(1)}h1.2v${tall.toFixed(1)}h-1.2z`;
    }
    lane.append(node("path", { class: "wave", d: path }));
  }
}
