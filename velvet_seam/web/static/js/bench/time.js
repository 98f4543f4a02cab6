// The time strip: a lane for each layer in stack order, then the sounds; bars are dragged and trimmed.
import { scrolling } from "./arrange.js";
import { Bars } from "./bars.js";
import { follow } from "./drag.js";
import { Films } from "./films.js";
import { NAMES, node } from "./time-parts.js";
import { Marks } from "./marks.js";
import { sourceAlong, valueAt } from "./moving.js";

const RULER = 26;
const LANES = { usual: [27, 19], compact: [20, 14] }; // of a row, and of its bar; compact from eight rows on
const MANY = 8;
export const SNAP = 7;
const STEPS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600];
const FRAMES = [1, 2, 5, 10];
const WIDEST = 24; // pixels a frame

export class TimeStrip {
  constructor(bench) {
    this.bench = bench;
    this.svg = document.getElementById("lanes");
    this.clock = document.getElementById("clock");
    this.note = document.getElementById("frame-note");
    this.waves = new Map();
    this.held = null;
    this.marks = new Marks(bench, this);
    this.bars = new Bars(bench, this);
    this.films = new Films(bench, this);
    this.only = false;
    this.from = 0; // first frame in sight
    this.wide = null; // pixels a frame; none when all of the shot fits
    this.svg.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    for (const name of ["state", "chosen", "also"]) bench.addEventListener(name, () => { if (!this.held) this.render(); });
    bench.addEventListener("frame", () => this.moveHead());
    bench.addEventListener("ready", ({ detail }) => { this.ready = detail; this.drawReady(); });
    this.ready = new Set();
    new ResizeObserver(() => this.render()).observe(this.svg.parentElement);
    this.svg.addEventListener("pointerdown", (event) => this.press(event));
    this.render();
  }

  /** What has a lane: all there is, from the top; with `only` what is chosen, if anything is. */
  get things() {
    const { bench } = this, chosen = bench.layer ?? bench.sound;
    if (this.only && chosen) return [chosen];
    return [...bench.shot.layers].reverse().concat(bench.shot.sounds);
  }
  get rows() { return this.things.length >= MANY ? LANES.compact : LANES.usual; }
  /** Pixels a frame. */
  get scale() { return this.wide ?? this.room / this.bench.shot.length; }
  x(frame) { return NAMES + (frame - this.from) * this.scale; }
  frameAt(clientX) {
    const box = this.svg.getBoundingClientRect();
    return (clientX - box.left - NAMES) / this.scale + this.from;
  }

  /** Show a frame so many pixels wide; what lies under a place of the strip stays there. */
  zoom(wide, x = this.x(this.bench.frame)) {
    const { length } = this.bench.shot, least = this.room / length;
    const at = this.from + (x - NAMES) / this.scale;
    this.wide = wide <= least ? null : Math.min(Math.max(wide, least), Math.max(WIDEST, least));
    this.scrollTo(this.wide ? at - (x - NAMES) / this.wide : 0);
  }

  scrollTo(frame) {
    const most = this.bench.shot.length - this.room / this.scale;
    this.from = Math.min(Math.max(0, frame), Math.max(0, most));
    this.render();
    this.bench.tell("strip");
  }

  wheel(event) {
    const across = Math.abs(event.deltaX) > Math.abs(event.deltaY) ? event.deltaX : event.shiftKey ? event.deltaY : 0;
    if (event.ctrlKey || event.metaKey) {
      event.preventDefault();
      this.zoom(this.scale * Math.exp(-event.deltaY * 0.003), event.clientX - this.svg.getBoundingClientRect().left);
    } else if (across && this.wide) {
      event.preventDefault();
      this.scrollTo(this.from + across / this.scale);
    }
  }

  /** All anew; or, while a bar is under the hand, only what it is moved to. */
  render(moved) {
    const { svg, bench } = this;
    if (moved && this.groups?.has(moved.id)) {
      this.renderLane(moved, this.things.findIndex((one) => one.id === moved.id));
      this.renderBare(RULER + this.things.length * this.rows[0] + 6, moved);
      return;
    }
    this.groups = new Map();
    this.bareGroup = null;
    this.room = Math.max(60, svg.parentElement.clientWidth - NAMES - 8);
    if (this.wide && this.wide < this.room / bench.shot.length) this.wide = null;
    if (!this.wide) this.from = 0;
    const things = this.things;
    const height = RULER + things.length * this.rows[0] + 6;
    svg.setAttribute("height", height);
    svg.setAttribute("viewBox", `0 0 ${this.room + NAMES + 8} ${height}`);
    svg.replaceChildren();
    this.films.clear(this.room + NAMES + 8, height);
    const clip = node("clipPath", { id: "lanes-field" });
    clip.append(node("rect", { x: NAMES - 1, y: 0, width: this.room + 9, height: height + 200 }));
    this.field = node("g", { "clip-path": "url(#lanes-field)" });
    svg.append(clip, this.field);
    this.renderRuler();
    things.forEach((thing, row) => this.renderLane(thing, row));
    this.renderBare(height);
    this.marks.render(height);
    this.readyLine = node("path", { class: "ready-line" });
    this.field.append(node("path", { class: "unready-line", d: `M${this.x(0)} ${RULER - 3}H${this.x(bench.shot.length)}` }), this.readyLine);
    this.drawReady();
    this.head = node("g", {});
    this.headLine = node("line", { class: "head-line", y1: 8, y2: height });
    this.grip = node("path", { class: "head-grip", d: "M-6 0h12v7l-6 6-6-6z" });
    this.head.append(this.headLine, this.grip);
    this.field.append(this.head);
    this.moveHead();
  }

  renderRuler() {
    const { bench, field: svg } = this;
    const perSecond = this.scale * bench.rate;
    // seconds, or where there is room frames
    const frames = FRAMES.find((count) => count * this.scale >= 58 && count < bench.rate);
    const step = frames ?? (STEPS.find((seconds) => seconds * perSecond >= 58) ?? 600) * bench.rate;
    svg.append(node("rect", { x: NAMES - 6, y: 0, width: this.room + 12, height: RULER, fill: "transparent", "data-grab": "head", style: "" }));
    svg.append(node("line", { x1: NAMES, x2: NAMES + this.room, y1: RULER - 4.5, y2: RULER - 4.5, stroke: "#d9cfc2" }));
    for (let at = Math.floor(this.from / step) * step; at <= bench.shot.length; at += step) {
      const x = this.x(at);
      if (x > NAMES + this.room - 4) break;
      svg.append(node("line", { x1: x, x2: x, y1: RULER - 9, y2: RULER - 4, stroke: "#a89a92" }));
      const text = node("text", { class: "tick", x: x + 8, y: 13, "pointer-events": "none" });
      text.textContent = frames ? bench.spell(at) : `${Math.round(at / bench.rate)}s`;
      svg.append(text);
    }
  }

  /** Stretches of frames that no layer covers: the empty canvas shows. */
  bare(moved) {
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

  renderBare(height, moved) {
    const bare = this.bare(moved), group = node("g", {});
    for (const [first, end] of bare) {
      const x = this.x(first);
      const shade = node("rect", { class: "bare", x, y: RULER, width: this.x(end) - x, height: height - RULER });
      const title = node("title", {});
      title.textContent = `${end - first} frames that no layer covers: the empty canvas shows`;
      shade.append(title);
      group.append(shade);
    }
    if (this.bareGroup) this.bareGroup.replaceWith(group);
    else this.field.append(group);
    this.bareGroup = group;
    this.bareFrames = bare.reduce((sum, [a, b]) => sum + b - a, 0);
  }

  renderLane(thing, row) {
    const { bench, svg } = this, [LANE, BAR] = this.rows;
    const y = RULER + row * LANE;
    const sound = thing.footage !== undefined;
    const chosen = bench.target === thing.id || bench.also.has(thing.id);
    const lane = node("g", { class: sound ? "thread-sound" : `thread-${thing.thread}` });
    const name = node("text", { x: 0, y: y + LANE / 2 + 3, "font-weight": chosen ? 700 : 400, "data-choose": `${sound ? "sound" : "layer"}:${thing.id}` });
    name.textContent = thing.name.length > 14 ? `${thing.name.slice(0, 13)}…` : thing.name;
    const title = node("title", {});
    title.textContent = thing.name;
    name.append(title);
    const x0 = this.x(thing.span.first), x1 = this.wide ? this.x(thing.span.last + 1) : Math.min(this.x(thing.span.last + 1), NAMES + this.room);
    const width = Math.max(3, x1 - x0);
    const off = thing.hidden || thing.on === false;
    const film = !sound && this.films.draw(thing, x0, x0 + width, y + 3);
    const bar = node("rect", {
      class: `bar${chosen ? " chosen" : ""}${off ? " off" : ""}${film ? " film" : ""}`, x: x0, y: y + 3, width, height: BAR, rx: 5,
      "data-grab": "bar", "data-thing": thing.id,
    });
    const before = this.groups.get(thing.id);
    if (!before) svg.append(name);
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
    else this.field.append(lane);
    this.groups.set(thing.id, lane);
  }

  /** What a fade takes away, as corners of the bar; each with a knob at its end. */
  renderFades(lane, track, x0, x1, y) {
    const { scale } = this, chosen = this.bench.target === track.id, [, BAR] = this.rows;
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
        if (points && !this.held) this.render();
      });
      return;
    }
    if (!wave) return;
    const { bench } = this, [, BAR] = this.rows;
    const seconds = bench.state.footage[track.footage]?.seconds ?? 1;
    const along = sourceAlong(track, bench.rate);
    const at = (part) => {
      const second = along(part);
      const inside = track.time.ends === "loop" ? ((second % seconds) + seconds) % seconds : second;
      return Math.floor((inside / seconds) * wave.length);
    };
    let path = "";
    const seen = Math.max(1, NAMES - x), until = Math.min(width - 1, NAMES + this.room - x);
    for (let px = seen - (seen % 2) + 1; px < until; px += 2) {
      const [i, last] = [at(px / width), at(Math.min(1, (px + 2) / width))].sort((one, other) => one - other);
      const loud = wave.slice(Math.max(0, i), Math.max(i + 1, last));
      if (!loud.length) continue;
      const tall = Math.max(0.6, Math.max(...loud) * (BAR - 5));
      path += `M${(x + px).toFixed(1)} ${(y + BAR / 2 - tall / 2).toFixed(1)}h1.2v${tall.toFixed(1)}h-1.2z`;
    }
    lane.append(node("path", { class: "wave", d: path }));
  }

  /** Frames that will play without waiting, as a line under the ruler. */
  drawReady() {
    let path = "", from = -1;
    for (let frame = 0; frame <= this.bench.shot.length; frame += 1) {
      const here = this.ready.has(frame);
      if (here && from < 0) from = frame;
      if (!here && from >= 0) {
        path += `M${this.x(from).toFixed(1)} ${RULER - 3}H${this.x(frame).toFixed(1)}`;
        from = -1;
      }
    }
    this.readyLine?.setAttribute("d", path);
  }

  moveHead() {
    const { bench } = this;
    if (this.wide && !this.held && (this.x(bench.frame) < NAMES || this.x(bench.frame) > NAMES + this.room)) {
      this.scrollTo(bench.frame - (0.15 * this.room) / this.scale); // it comes back into sight
      return;
    }
    const x = this.x(bench.frame);
    this.head?.setAttribute("transform", `translate(${x.toFixed(2)} 0)`);
    this.clock.textContent = bench.spell(bench.frame);
    const length = bench.spell(bench.shot.length), bare = this.bareFrames;
    this.note.textContent = `frame ${bench.frame} of ${bench.shot.length}, ${bare ? `${bare} uncovered` : `${length} in all`}`;
    this.note.title = `The shot is ${length} long${bare ? `; on ${bare} of its frames no layer covers the canvas` : ""}`;
  }

  /** Frames that bars and the playhead like to meet, with what they are. */
  targets(except) {
    const { bench } = this;
    // of two on one frame the first is named
    const found = bench.shot.marks.filter((mark) => mark.id !== except).map((mark) => ({ frame: mark.frame, word: mark.name }));
    found.push({ frame: 0, word: "start" }, { frame: bench.shot.length, word: "end" });
    if (except) found.push({ frame: bench.frame, word: "playhead" });
    for (const thing of this.things) {
      if (thing.id === except) continue;
      found.push({ frame: thing.span.first, word: thing.name }, { frame: thing.span.last + 1, word: thing.name });
    }
    return found;
  }

  snap(frame, targets) {
    const near = SNAP / this.scale;
    let best = null;
    for (const target of targets) {
      const away = Math.abs(target.frame - frame);
      if (away <= near && (!best || away < best.away)) best = { ...target, away };
    }
    return best;
  }

  showSnap(hit) {
    this.snapMark?.remove();
    if (!hit) return;
    const x = this.x(hit.frame);
    this.snapMark = node("g", {});
    const late = x > NAMES + this.room - 90;
    const word = node("text", { class: "snap-word", x: x + (late ? -4 : 4), y: 13, "text-anchor": late ? "end" : "start" });
    word.textContent = hit.word;
    this.snapMark.append(node("line", { class: "snap-line", x1: x, x2: x, y1: 4, y2: 400 }), word);
    this.field.append(this.snapMark);
  }

  press(event) {
    const { bench } = this;
    const grab = event.target.dataset?.grab;
    if (event.target.closest("[data-choose]") || event.button !== 0) return;
    event.preventDefault();
    const start = this.frameAt(event.clientX), target = { dataset: { ...event.target.dataset } };
    let y = event.clientY;
    const stop = scrolling(this.svg.parentElement, () => y);
    const at = (next) => { y = next.clientY; };
    addEventListener("pointermove", at);
    addEventListener("pointerup", () => { removeEventListener("pointermove", at); stop(); }, { once: true });
    const changes = ["fade", "mark", "bar", "first", "last"].includes(grab); // the playhead waits for nothing
    follow(this.svg, event, changes ? bench : { saving: 0 }, () => {
      const drag = this.begin(grab, event, start, target);
      return drag && {
        move: (next) => drag.move(this.frameAt(next.clientX), next),
        end: (finished) => { this.showSnap(null); drag.end(finished); },
      };
    }, (held) => { this.held = held; }, grab === "bar" && !event.altKey ? () => this.bars.choose(bench.thing(target.dataset.thing), event) : null);
  }

  /** What a press begins: a fade, a mark, a bar or its end, or moving the playhead. */
  begin(grab, event, start, target) {
    const { bars, bench } = this, thing = bench.thing(target.dataset.thing);
    if (target.dataset.thing && !thing) return null; // it is gone by now
    if (grab === "fade") return bars.fade(target);
    if (grab === "mark") return this.marks.press(event);
    if (grab === "bar" && event.altKey) return bars.slip(thing, start);
    const end = grab === "first" || grab === "last";
    const both = end && event.altKey ? bars.meeting(target) : null;
    if (both) return bars.bothEnds(both, start);
    return end || grab === "bar" ? bars.bar(grab, thing, start, event) : this.dragHead(event);
  }

  dragHead(event) {
    const { bench } = this;
    bench.tell("pause");
    bench.go(Math.floor(this.frameAt(event.clientX)));
    return {
      move: (frame, next) => {
        const hit = next.altKey ? null : this.snap(frame, this.targets(null));
        this.showSnap(hit);
        bench.go(hit ? hit.frame : Math.floor(frame));
      },
      end: () => {},
    };
  }

}
