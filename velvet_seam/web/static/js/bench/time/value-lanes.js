// Lanes of values: every value of the chosen layer or sound that moves, with a knot for each of its
// keyframes; one of them open as a curve.
import { CurveView } from "./curve.js";
import { follow } from "../drag.js";
import { lookOf, values } from "../kinds.js";
import { round } from "../handles/geometry.js";
import { moving, valueOf } from "./moving.js";
import { NAMES, node } from "./parts.js";
import { SNAP } from "./snap.js";

const ROW = 24;
export class ValueLanes {
  constructor(bench, strip) {
    Object.assign(this, { bench, strip });
    this.svg = document.getElementById("value-lanes");
    this.button = document.getElementById("lanes-on");
    this.ease = document.getElementById("ease");
    this.none = document.getElementById("lanes-none");
    this.open = false;
    this.path = null; // of the value whose curve is shown
    this.chosen = {}; // keyframes that are chosen: by path, their frames
    this.held = null;
    this.curve = new CurveView(this);
    this.button.addEventListener("click", () => this.toggle());
    this.ease.addEventListener("change", () => { this.easeBy(this.ease.value); this.ease.blur(); });
    this.svg.addEventListener("pointerdown", (event) => this.press(event));
    this.svg.addEventListener("dblclick", (event) => this.double(event));
    for (const name of ["state", "strip", "refused"]) bench.addEventListener(name, () => { if (!this.held) this.render(); });
    bench.addEventListener("chosen", () => { this.chosen = {}; this.render(); });
    bench.addEventListener("frame", () => this.moveHead());
  }

  toggle() {
    this.open = !this.open;
    this.button.setAttribute("aria-pressed", this.open);
    this.strip.only = this.open;
    this.strip.render();
    this.render();
  }

  get thing() { return this.bench.layer ?? this.bench.sound; }
  x(frame) { return this.strip.x(frame + this.thing.span.first); }
  frameAt(clientX) { return this.strip.frameAt(clientX) - this.thing.span.first; }
  has(path, frame) { return this.chosen[path]?.includes(frame) ?? false; }
  get any() { return this.open && Object.keys(this.chosen).length > 0; }

  /** What a lane is called: its value, and of which mask or matte. */
  name(path) {
    const look = /^look\.parts\.([^.]+)\.(.+)$/.exec(path);
    const part = /^seam\.(masks|matte)\.([^.]+)\.(.+)$/.exec(path);
    const words = (word) => word.replaceAll("_", " ").replace(/^./, (c) => c.toUpperCase());
    if (look) {
      const held = this.thing.look.parts.find((one) => one.id === look[1]);
      return `${words(look[2].split(".").pop())}, ${lookOf(held.kind).label.toLowerCase()}${look[2].includes(".") ? ", inside" : ""}`;
    }
    if (!part) return values[path]?.title ?? words(path.split(".").pop());
    const held = this.thing.seam[part[1]].find((one) => one.id === part[2]);
    const of = part[1] === "masks" ? held.kind : held.kind.replace("-key", "");
    return `${words(part[3])}, ${of}`;
  }

  render() {
    const { svg, thing } = this;
    const lanes = this.open && thing ? moving(thing) : [];
    this.none.hidden = !this.open || lanes.length > 0;
    this.none.textContent = thing ? `No value of ${thing.name} moves yet. The knot beside a name puts a keyframe at the playhead; K does for all of its place, or of a mask.` : "Choose a layer, a seam or a sound to see its values that move.";
    svg.toggleAttribute("hidden", !lanes.length);
    svg.replaceChildren();
    this.easesShown();
    if (!lanes.length) return;
    for (const [path, frames] of Object.entries(this.chosen)) {  // what has gone is chosen no more
      const value = valueOf(thing, path);
      const left = frames.filter((frame) => value?.keys?.some((key) => key.frame === frame));
      if (left.length) this.chosen[path] = left;
      else delete this.chosen[path];
    }
    if (!lanes.some((lane) => lane.path === this.path && !lane.outline)) this.path = null;
    const room = this.strip.room;
    const clip = node("clipPath", { id: "values-field" });
    this.field = node("g", { "clip-path": "url(#values-field)", class: thing.seam ? `thread-${thing.thread}` : "thread-sound" });
    svg.append(clip, this.field);
    let y = 0;
    this.rows = [];
    for (const lane of lanes) {
      this.renderLane(lane, y);
      y += ROW;
      if (lane.path === this.path) {
        this.curve.render(lane, y);
        y += this.curve.height;
      }
    }
    clip.append(node("rect", { x: NAMES - 7, y: 0, width: room + 14, height: y }));
    svg.setAttribute("height", y + 2);
    svg.setAttribute("viewBox", `0 0 ${room + NAMES + 8} ${y + 2}`);
    this.head = node("line", { class: "head-line", y1: 0, y2: y });
    this.field.append(this.head);
    this.moveHead();
  }

  renderLane({ path, keys, outline }, y) {
    const middle = y + ROW / 2;
    this.rows.push({ path, y });
    const label = node("text", { x: 0, y: middle + 4, class: `lane-name${outline ? "" : " opens"}`, "data-open": outline ? "" : path });
    const words = this.name(path);
    label.textContent = words.length > 15 ? `${words.slice(0, 14)}…` : words;
    const title = node("title", {});
    title.textContent = outline ? words : `${words}: show its curve`;
    label.append(title);
    this.svg.append(label);
    this.field.append(
      node("rect", { x: NAMES - 6, y: y + 1, width: this.strip.room + 12, height: ROW - 2, fill: "transparent", "data-lane": path }),
      node("line", { class: "lane-line", x1: this.x(keys[0].frame), x2: this.x(keys.at(-1).frame), y1: middle, y2: middle }),
    );
    for (const { frame, ease } of keys) {
      const x = this.x(frame);
      const knot = node("circle", {
        class: `lane-knot${this.has(path, frame) ? " chosen" : ""}${ease === "hold" ? " holds" : ""}`, cx: x, cy: middle, r: 5.5,
        "data-key": path, "data-frame": frame,
      });
      this.field.append(knot);
    }
  }

  moveHead() {
    if (!this.head || !this.thing) return;
    const x = this.strip.x(this.bench.frame);
    this.head.setAttribute("x1", x);
    this.head.setAttribute("x2", x);
    this.curve.moveHead();
  }

  /** Which ease the chosen keyframes have, and whether one can be chosen at all. */
  easesShown() {
    const found = Object.entries(this.chosen).flatMap(([path, frames]) => (valueOf(this.thing, path)?.keys ?? []).filter((key) => frames.includes(key.frame)).map((key) => key.ease));
    this.ease.hidden = !this.open;
    this.ease.disabled = !found.length;
    const names = new Set(found.map((ease) => (Array.isArray(ease) ? "drawn" : ease)));
    this.ease.value = names.size === 1 ? [...names][0] : "";
  }

  easeBy(ease) {
    if (this.any && ease) this.bench.edit({ do: "ease-keys", target: this.thing.id, keys: this.chosen, ease });
  }

  remove() {
    if (!this.any) return false;
    this.bench.edit({ do: "remove-keys", target: this.thing.id, keys: this.chosen });
    this.chosen = {};
    return true;
  }

  nudge(by) {
    if (!this.any) return false;
    const keys = this.chosen;
    this.chosen = shifted(keys, (frame) => frame + by);
    this.bench.edit({ do: "move-keys", target: this.thing.id, keys, by });
    return true;
  }

  press(event) {
    if (event.button !== 0) return;
    const { dataset } = event.target;
    if (dataset.open) { this.path = this.path === dataset.open ? null : dataset.open; this.render(); return; }
    event.preventDefault();
    const target = { dataset: { ...dataset } };
    if (dataset.key) { // at once, so that an ease chosen next is this one's
      this.choose(dataset.key, Number(dataset.frame), event.shiftKey || event.ctrlKey || event.metaKey);
      this.render();
    }
    follow(this.svg, event, this.bench, () => {
      const drag = dataset.curve ? this.curve.press(event) : dataset.key ? this.dragKeys(event, undefined, target) : this.dragBox(event);
      return drag && {
        move: (next) => drag.move(next),
        end: (finished) => { this.strip.snap.show(null); drag.end(finished); },
      };
    }, (held) => { this.held = held; });
  }

  /** Choose the keyframe under the pointer; with Shift or Ctrl beside those that are chosen. */
  choose(path, frame, more) {
    if (this.has(path, frame)) {
      if (more) this.chosen = prune({ ...this.chosen, [path]: this.chosen[path].filter((one) => one !== frame) });
      return;
    }
    this.chosen = more ? { ...this.chosen, [path]: [...(this.chosen[path] ?? []), frame] } : { [path]: [frame] };
  }

  /** Move the chosen keyframes; with Alt at the press they are stretched about the farthest of them. */
  dragKeys(event, rise, target = event.target) {
    const frame = Number(target.dataset.frame);
    const keys = this.chosen, all = Object.values(keys).flat();
    const from = this.frameAt(event.clientX);
    const ends = [Math.min(...all), Math.max(...all)];
    const about = event.altKey && ends[0] !== ends[1] ? ends.reduce((a, b) => (Math.abs(a - frame) > Math.abs(b - frame) ? a : b)) : null;
    let edit = null, to = keys;
    return {
      move: (next) => {
        let by = Math.round(this.frameAt(next.clientX) - from);
        if (!next.altKey || about !== null) by += this.snapBy(frame + by);
        const raised = rise ? rise(next) : 0;
        const moved = { target: this.thing.id, keys, ...(raised ? { rise: raised } : {}) };
        if (about === null) {
          to = shifted(keys, (one) => one + by);
          edit = { do: "move-keys", ...moved, by };
        } else {
          const stretch = (frame + by - about) / (frame - about);
          to = shifted(keys, (one) => about + Math.round((one - about) * stretch));
          edit = { do: "move-keys", ...moved, about, stretch };
        }
        if (!by && !raised) edit = null;
        if (edit) this.bench.try(edit);
        this.preview(to);
      },
      end: (finished) => {
        if (edit && finished) { this.chosen = to; this.bench.edit(edit); }
        else { this.bench.trial = null; this.bench.tell("refused"); this.render(); }
      },
    };
  }

  /** Knots where they would lie, while they are dragged. */
  preview(to) {
    for (const knot of this.field.querySelectorAll(".lane-knot.chosen")) {
      const path = knot.dataset.key, at = this.chosen[path].indexOf(Number(knot.dataset.frame));
      knot.setAttribute("cx", round(this.x(to[path][at]), 2));
    }
  }

  /** How many frames more bring a keyframe onto something it likes to meet. */
  snapBy(frame) {
    const { first } = this.thing.span;
    const hit = this.strip.snap.near(frame + first, this.strip.snap.targets(""));
    const near = hit && hit.away * this.strip.scale <= SNAP ? hit : null;
    this.strip.snap.show(near);
    return near ? near.frame - first - frame : 0;
  }

  dragBox(press) {
    const box = this.svg.getBoundingClientRect();
    const y0 = press.clientY - box.top, f0 = this.frameAt(press.clientX);
    const more = press.shiftKey || press.ctrlKey || press.metaKey, before = more ? this.chosen : {};
    const mark = node("rect", { class: "lane-box" });
    let moved = false;
    return {
      move: (next) => {
        if (!moved && Math.abs(next.clientX - press.clientX) + Math.abs(next.clientY - press.clientY) < 4) return;
        moved = true;
        const y1 = next.clientY - box.top, f1 = this.frameAt(next.clientX);
        const [fa, fb] = [f0, f1].sort((a, b) => a - b), [ya, yb] = [y0, y1].sort((a, b) => a - b);
        this.chosen = { ...before };
        for (const { path, y } of this.rows) {
          if (y + ROW / 2 < ya - 6 || y + ROW / 2 > yb + 6) continue;
          const inside = valueOf(this.thing, path).keys.map((key) => key.frame).filter((frame) => frame >= fa && frame <= fb);
          if (inside.length) this.chosen[path] = [...new Set([...(before[path] ?? []), ...inside])];
        }
        this.render();
        const x = this.x(fa), wide = this.x(fb) - x;
        for (const [name, value] of Object.entries({ x, y: ya, width: wide, height: yb - ya })) mark.setAttribute(name, value);
        this.field.append(mark);
      },
      end: () => {
        if (!moved) this.chosen = before;
        this.render();
      },
    };
  }

  /** A double click on a lane puts a keyframe there. */
  double(event) {
    const path = event.target.dataset.lane;
    if (!path) return;
    const { thing, bench } = this;
    const frame = Math.round(this.frameAt(event.clientX));
    this.chosen = { [path]: [frame] };
    bench.edit({ do: "key-here", target: thing.id, paths: [path], frame, on: true });
  }
}

const shifted = (keys, to) => Object.fromEntries(Object.entries(keys).map(([path, frames]) => [path, frames.map(to)]));
const prune = (keys) => Object.fromEntries(Object.entries(keys).filter(([, frames]) => frames.length));
