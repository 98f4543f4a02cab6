// The ruler of the time strip: its ticks, the frames that are ready, the playhead.
import { NAMES, node } from "./parts.js";

export const RULER = 26;
const STEPS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600];
const FRAMES = [1, 2, 5, 10];

export class Ruler {
  constructor(bench, strip) {
    Object.assign(this, { bench, strip });
    this.clock = document.getElementById("clock");
    this.note = document.getElementById("frame-note");
    this.ready = new Set();
    bench.addEventListener("frame", () => this.moveHead());
    bench.addEventListener("ready", ({ detail }) => { this.ready = detail; this.drawReady(); });
  }

  render() {
    const { bench, strip } = this, svg = strip.field;
    const perSecond = this.strip.scale * bench.rate;
    // seconds, or where there is room frames
    const frames = FRAMES.find((count) => count * this.strip.scale >= 58 && count < bench.rate);
    const step = frames ?? (STEPS.find((seconds) => seconds * perSecond >= 58) ?? 600) * bench.rate;
    svg.append(node("rect", { x: NAMES - 6, y: 0, width: this.strip.room + 12, height: RULER, fill: "transparent", "data-grab": "head", style: "" }));
    svg.append(node("line", { x1: NAMES, x2: NAMES + this.strip.room, y1: RULER - 4.5, y2: RULER - 4.5, stroke: "#d9cfc2" }));
    for (let at = Math.floor(this.strip.from / step) * step; at <= bench.shot.length; at += step) {
      const x = this.strip.x(at);
      if (x > NAMES + this.strip.room - 4) break;
      svg.append(node("line", { x1: x, x2: x, y1: RULER - 9, y2: RULER - 4, stroke: "#a89a92" }));
      const text = node("text", { class: "tick", x: x + 8, y: 13, "pointer-events": "none" });
      text.textContent = frames ? bench.spell(at) : `${Math.round(at / bench.rate)}s`;
      svg.append(text);
    }
  }

  /** Frames that will play without waiting, as a line under the ruler. */
  drawReady() {
    let path = "", from = -1;
    for (let frame = 0; frame <= this.bench.shot.length; frame += 1) {
      const here = this.ready.has(frame);
      if (here && from < 0) from = frame;
      if (!here && from >= 0) {
        path += `M${this.strip.x(from).toFixed(1)} ${RULER - 3}H${this.strip.x(frame).toFixed(1)}`;
        from = -1;
      }
    }
    this.readyLine?.setAttribute("d", path);
  }

  moveHead() {
    const { bench } = this;
    if (this.strip.wide && !this.strip.held && (this.strip.x(bench.frame) < NAMES || this.strip.x(bench.frame) > NAMES + this.strip.room)) {
      this.strip.scrollTo(bench.frame - (0.15 * this.strip.room) / this.strip.scale); // it comes back into sight
      return;
    }
    const x = this.strip.x(bench.frame);
    this.head?.setAttribute("transform", `translate(${x.toFixed(2)} 0)`);
    this.clock.textContent = bench.spell(bench.frame);
    const length = bench.spell(bench.shot.length), bare = this.strip.bare.frames;
    this.note.textContent = `frame ${bench.frame} of ${bench.shot.length}, ${bare ? `${bare} uncovered` : `${length} in all`}`;
    this.note.title = `The shot is ${length} long${bare ? `; on ${bare} of its frames no layer covers the canvas` : ""}`;
  }

  /** The line of frames that are ready, and the playhead, above all that is in the strip. */
  renderHead(height) {
    const { strip } = this;
    this.readyLine = node("path", { class: "ready-line" });
    strip.field.append(node("path", { class: "unready-line", d: `M${strip.x(0)} ${RULER - 3}H${strip.x(this.bench.shot.length)}` }), this.readyLine);
    this.drawReady();
    this.head = node("g", {});
    this.head.append(node("line", { class: "head-line", y1: 8, y2: height }), node("path", { class: "head-grip", d: "M-6 0h12v7l-6 6-6-6z" }));
    strip.field.append(this.head);
    this.moveHead();
  }
}
