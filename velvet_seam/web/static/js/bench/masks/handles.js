// Handles of masks on the picture: place, size, turn, feather, and the points of drawn outlines.
import { say } from "../../common.js";
import { moves, outlineAt, still, valueAt } from "../time/moving.js";
import { round } from "../handles/geometry.js";
import { inHand, maskPath, masksOf } from "./held.js";
import { MaskPoints } from "./points.js";
import { closed, maskMap, nearestOn, outlines, smoothed } from "./shape.js";
import { add } from "../handles/svg.js";

const REACH = 24;

export class MaskHandles {
  constructor(handles) {
    this.handles = handles;
    this.bench = handles.bench;
    this.active = null;
    this.taken = null; // number of the point taken last, of the active drawn mask
    this.points = new MaskPoints(); // and where there are several of them
    document.getElementById("panel").addEventListener("pointerdown", (event) => {
      const block = event.target.closest("[data-mask]");
      if (block && block.dataset.mask !== this.active) this.take(block.dataset.mask);
    });
  }

  take(id) {
    this.active = id;
    this.taken = null;
    this.points.clear();
    this.handles.render();
  }

  at(layer) { return this.bench.frame - layer.span.first; }
  map(mask, layer) { return maskMap(mask, layer, this.at(layer), this.bench.shot.canvas, this.handles.stray(layer), this.handles.size(layer)); }

  /** The mask that carries its knobs: the one taken last, else the last there is. */
  current(layer) {
    const shown = masksOf(this.bench, layer).filter((mask) => mask.on);
    return shown.find((mask) => mask.id === this.active) ?? shown.at(-1);
  }

  /** Only one mask at a time carries its knobs; the others are thin lines that can be taken up. */
  render(layer, changed) {
    const shown = masksOf(this.bench, layer).filter((mask) => mask.on), active = this.current(layer);
    if (active && moves(active.outline)) this.renderBeside(layer, active);
    for (const mask of [...shown.filter((one) => one !== active), ...(active ? [active] : [])]) {
      this.renderMask(layer, still(changed?.id === mask.id ? changed : mask, this.at(layer)), mask === active);
    }
  }

  path(mask, map, by = 0) {
    const lines = outlines(mask, this.at(this.bench.layer), by / map.unit);
    return lines.map((line) => {
      const points = line.map(([u, v]) => { const p = map.toCanvas(u, v); return this.handles.point(p).map((n) => round(n, 1)).join(" "); });
      return `M${points.join("L")}${closed(mask) ? "Z" : ""}`;
    }).join("");
  }

  /** The outlines of the keyframes before and after, faintly. */
  renderBeside(layer, mask) {
    const at = this.at(layer), { keys } = mask.outline;
    for (const key of [keys.findLast((one) => one.frame < at), keys.find((one) => one.frame > at)]) {
      if (!key) continue;
      const there = still(mask, key.frame);
      const d = this.path(there, this.map(there, layer));
      add(this.handles.svg, "path", { class: `mask-beside${key.frame < at ? " before" : ""}`, d });
    }
  }

  renderMask(layer, mask, active) {
    const { svg } = this.handles;
    const at = this.at(layer), map = this.map(mask, layer);
    const path = this.path(mask, map);
    const grab = { "data-grab": "mask-move", "data-mask": mask.id };
    if (closed(mask)) add(svg, "path", { class: "grab", d: path, ...grab });
    add(svg, "path", { class: "grab-line", d: path, ...grab }); // the line itself too, not only what it goes round
    if (!active) {
      add(svg, "path", { class: "mask-feather", d: path });
      return;
    }
    const outer = valueAt(mask.grow, at) + valueAt(mask.feather_out, at), inner = valueAt(mask.grow, at) - valueAt(mask.feather_in, at);
    for (const by of new Set([outer, inner])) {
      const line = by ? this.path(mask, map, by) : "";
      if (line) add(svg, "path", { class: "mask-feather", d: line });
    }
    if (mask.use === "garbage") add(svg, "path", { class: "mask-ink", d: path });
    add(svg, "path", { class: `mask-line mask-${mask.use}`, d: path });
    if (mask.kind === "drawn") { this.renderPoints(mask, map); return; }
    const knob = (u, v, data, kind = "rect") => {
      const [x, y] = this.handles.point(map.toCanvas(u, v));
      if (kind === "rect") add(svg, "rect", { class: "mask-knob", x: x - 4.5, y: y - 4.5, width: 9, height: 9, rx: 2, "data-mask": mask.id, ...data });
      else add(svg, "circle", { class: "mask-knob", cx: x, cy: y, r: 5, "data-mask": mask.id, ...data });
      return [x, y];
    };
    if (mask.width !== undefined && mask.height !== undefined) {
      for (const [a, b] of [[-1, -1], [0, -1], [1, -1], [1, 0], [1, 1], [0, 1], [-1, 1], [-1, 0]]) {
        knob((a * mask.width) / 2, (b * mask.height) / 2, { "data-grab": "mask-size", "data-a": a, "data-b": b });
      }
    } else if (mask.kind === "band") {
      for (const a of [-1, 1]) knob((a * mask.width) / 2, 0, { "data-grab": "mask-size", "data-a": a, "data-b": 0 });
    } else if (mask.kind === "star") {
      knob(0, -mask.radius, { "data-grab": "mask-radius" });
      const a = Math.PI / Math.round(valueAt(mask.points, at)), r = (mask.radius * valueAt(mask.inner, at)) / 100;
      knob(r * Math.sin(a), -r * Math.cos(a), { "data-grab": "mask-inner" });
    }
    const k = this.handles.picture.rect.k * map.unit;
    const top = mask.height !== undefined ? mask.height / 2 : mask.radius ?? 60 / k;
    const [x, y] = knob(0, -top - REACH / k, { "data-grab": "mask-turn" }, "circle");
    add(svg, "path", { class: "frame-line", d: `M${x - 4} ${y - 11}q4 -4 8 0` });
    const side = mask.kind === "straight" ? 0 : mask.width !== undefined ? mask.width / 2 : mask.radius * 0.5;
    const along = mask.kind === "straight" || mask.kind === "band" ? 90 / k : mask.height !== undefined ? mask.height * 0.22 : 0;
    knob(side + (outer + 12 / this.handles.picture.rect.k) / map.unit, along, { "data-grab": "mask-feather" }, "circle");
  }

  renderPoints(mask, map) {
    const { svg } = this.handles;
    mask.outline.forEach((vertex, n) => {
      const [x, y] = this.handles.point(map.toCanvas(vertex.x, vertex.y));
      if (n === this.taken && !this.points.many) {
        const { x: fx, y: fy, line } = this.featherSpot(mask, map, n);
        add(svg, "path", { class: "frame-line", d: `M${x} ${y}L${fx} ${fy}` });
        add(svg, "circle", { class: "mask-knob mask-soft", cx: fx, cy: fy, r: 5, "data-grab": "mask-point-feather", "data-mask": mask.id, "data-n": n, "data-along": line.join(" ") });
        for (const side of ["in", "out"]) {
          if (!vertex[`${side}_x`] && !vertex[`${side}_y`]) continue;
          const [hx, hy] = this.handles.point(map.toCanvas(vertex.x + vertex[`${side}_x`], vertex.y + vertex[`${side}_y`]));
          add(svg, "path", { class: "frame-line", d: `M${x} ${y}L${hx} ${hy}` });
          add(svg, "circle", { class: "mask-knob", cx: hx, cy: hy, r: 4, "data-grab": "mask-handle", "data-mask": mask.id, "data-n": n, "data-side": side });
        }
      }
      add(svg, "rect", {
        class: `mask-knob${n === this.taken || this.points.has(n) ? " held" : ""}`, x: x - 4, y: y - 4, width: 8, height: 8, rx: 2,
        "data-grab": "mask-point", "data-mask": mask.id, "data-n": n,
      });
    });
    this.points.render(svg, this.handles, mask, map);
  }

  /** The drawn mask whose points can be taken by a box, as it is at the playhead; else nothing. */
  drawn() {
    const { bench } = this, { layer } = bench;
    const mask = inHand(bench) && layer && !layer.locked && !this.handles.picture.playing && this.current(layer);
    return mask?.kind === "drawn" ? still(mask, this.at(layer)) : null;
  }

  /** Take all points of the active mask in a box of canvas pixels; `more` keeps those taken before. */
  takeIn(box, more) {
    const mask = this.drawn();
    if (!mask) return;
    this.active = mask.id;
    this.points.takeIn(mask, this.map(mask, this.bench.layer), box, more);
    const [only] = this.points.taken;
    this.taken = only ?? null;
    if (!this.points.many) this.points.clear();
  }

  /** With Shift a point joins those that are taken, or leaves them. */
  join(id, n) {
    if (id !== this.active) this.take(id);
    this.points.toggle(n, this.taken);
    this.taken = n;
    this.handles.render();
  }

  /** Where the knob of a point's own feather lies on the screen, and the way outward in canvas pixels. */
  featherSpot(mask, map, n) {
    const { outline } = mask;
    const place = (one) => map.toCanvas(one.x, one.y);
    const before = place(outline.at(n - 1)), here = place(outline[n]), after = place(outline[(n + 1) % outline.length]);
    const area = outline.reduce((sum, one, k) => {
      const a = place(one), b = place(outline[(k + 1) % outline.length]);
      return sum + a.x * b.y - b.x * a.y;
    }, 0);
    const long = Math.hypot(after.x - before.x, after.y - before.y) || 1, side = area > 0 ? 1 : -1;
    const line = [(side * (after.y - before.y)) / long, (-side * (after.x - before.x)) / long];
    const away = (outline[n].feather ?? 0) + 22 / this.handles.picture.rect.k;
    const [x, y] = this.handles.point({ x: here.x + line[0] * away, y: here.y + line[1] * away });
    return { x, y, line };
  }

  /** What a drag of a handle changes: a function from where the pointer is to new values. */
  change(layer, node, start) {
    const data = { ...node.dataset }; // the node itself may stand for another place when all is redrawn
    const kept = masksOf(this.bench, layer).find((one) => one.id === data.mask);
    if (!kept) return null;
    const mask = still(kept, this.at(layer));
    const fresh = mask.id !== this.active;
    this.active = mask.id;
    if (fresh) this.taken = null;
    if (fresh || (data.grab === "mask-point" && !this.points.has(Number(data.n))) || data.grab === "mask-handle") this.points.clear();
    const map = this.map(mask, layer), at = this.at(layer);
    const from = map.toOwn(start.x, start.y), base = map.base.toSource(start.x, start.y);
    const n = Number(data.n);
    if (/^mask-(point|point-feather|handle)$/.test(data.grab)) this.taken = n;
    const a = Number(data.a ?? 0), b = Number(data.b ?? 0);
    const turn = (valueAt(mask.rotation, at) * Math.PI) / 180;
    const moved = (changes) => ({ outline: mask.outline.map((vertex, k) => (k === n ? { ...vertex, ...changes } : vertex)) });
    const changes = {
      "mask-move": (now) => {
        const to = map.base.toSource(now.x, now.y);
        return { x: mask.x + to.u - base.u, y: mask.y + to.v - base.v };
      },
      "mask-size": (now, event) => {
        const to = map.toOwn(now.x, now.y);
        const du = to.u - from.u, dv = to.v - from.v;
        const middle = event.altKey ? 0 : 1; // with Alt about the middle, else the other side stays
        const cu = (a * a * du * middle) / 2, cv = (b * b * dv * middle) / 2;
        const next = {
          x: mask.x + Math.cos(turn) * cu - Math.sin(turn) * cv, y: mask.y + Math.sin(turn) * cu + Math.cos(turn) * cv,
          width: Math.max(1, mask.width + a * du * (2 - middle)),
        };
        if (mask.height !== undefined) next.height = Math.max(1, mask.height + b * dv * (2 - middle));
        return next;
      },
      "mask-radius": (now) => {
        const to = map.toOwn(now.x, now.y);
        return { radius: Math.max(1, Math.hypot(to.u, to.v)) };
      },
      "mask-inner": (now) => {
        const to = map.toOwn(now.x, now.y);
        return { inner: Math.min(100, Math.max(0, (100 * Math.hypot(to.u, to.v)) / mask.radius)) };
      },
      "mask-turn": (now, event) => {
        const q = map.base.toSource(now.x, now.y);
        let angle = (Math.atan2(q.v - mask.y, q.u - mask.x) * 180) / Math.PI + 90;
        if (event.shiftKey) angle = Math.round(angle / 15) * 15;
        return { rotation: ((((angle + 180) % 360) + 360) % 360) - 180 };
      },
      "mask-feather": (now) => {
        const to = map.toOwn(now.x, now.y);
        const by = (to.u - from.u) * map.unit;
        const out = valueAt(mask.feather_out, at) + by;
        return out >= 0 ? { feather_out: Math.min(1000, out) } : { feather_out: 0, feather_in: Math.min(1000, valueAt(mask.feather_in, at) - out) };
      },
      "mask-point": (now) => {
        const to = map.toOwn(now.x, now.y), vertex = mask.outline[n];
        return moved({ x: vertex.x + to.u - from.u, y: vertex.y + to.v - from.v });
      },
      "mask-point-feather": (now) => {
        const [ox, oy] = data.along.split(" ").map(Number);
        const by = (now.x - start.x) * ox + (now.y - start.y) * oy;
        return moved({ feather: Math.min(1000, Math.max(0, (mask.outline[n].feather ?? 0) + by)) });
      },
      "mask-handle": (now, event) => {
        const to = map.toOwn(now.x, now.y), vertex = mask.outline[n], { side } = data;
        const hx = to.u - vertex.x, hy = to.v - vertex.y;
        const other = side === "in" ? "out" : "in";
        const long = Math.hypot(vertex[`${other}_x`], vertex[`${other}_y`]), here = Math.hypot(hx, hy) || 1;
        // the other handle stays in line; with Alt each goes its own way
        const mirrored = event.altKey || !long ? {} : { [`${other}_x`]: (-hx / here) * long, [`${other}_y`]: (-hy / here) * long };
        return moved({ [`${side}_x`]: hx, [`${side}_y`]: hy, ...mirrored });
      },
    };
    const together = /^mask-points-/.test(data.grab) || (data.grab === "mask-point" && this.points.many);
    const change = together ? this.points.change(data.grab, mask, map, start, Number(data.corner)) : changes[data.grab];
    if (!change) return null;
    return (now, event) => {
      const next = change(now, event);
      for (const [key, value] of Object.entries(next)) {
        next[key] = typeof value === "number" ? round(value, 1) : value.map(tidy);
      }
      this.handles.render(undefined, { ...mask, ...next });
      return Object.fromEntries(Object.entries(next).map(([key, value]) => [`${maskPath(this.bench.layer, mask.id)}.${key}`, value]));
    };
  }

  /** On the line a point is added; a point turns from a corner to smooth and back. Whether it did. */
  double(event) {
    const { grab, mask: id, n } = event.target.dataset ?? {};
    const layer = this.bench.layer;
    const kept = layer && masksOf(this.bench, layer).find((one) => one.id === id);
    if (!kept || kept.kind !== "drawn") return false;
    const mask = still(kept, this.at(layer));
    let outline = null;
    if (grab === "mask-point") {
      const vertex = mask.outline[n];
      const corner = !vertex.in_x && !vertex.in_y && !vertex.out_x && !vertex.out_y;
      const next = corner ? smoothed(mask.outline, Number(n)) : { ...vertex, in_x: 0, in_y: 0, out_x: 0, out_y: 0 };
      outline = mask.outline.map((one, k) => (k === Number(n) ? next : one));
    } else if (grab === "mask-move") {
      const map = this.map(mask, layer), p = this.handles.under(event);
      const { u, v } = map.toOwn(p.x, p.y);
      const near = nearestOn(mask.outline, u, v);
      if (near.away * map.unit * this.handles.picture.rect.k > 14) return false;
      this.taken = near.n + 1;
      this.points.clear();
      this.bench.edit({ do: "add-point", layer: layer.id, mask: id, after: near.n, part: near.t });
      return true;
    }
    this.points.clear();
    if (outline) this.bench.set(layer.id, { [`${maskPath(layer, id)}.outline`]: outline.map(tidy) });
    return Boolean(outline);
  }

  /** Remove what points are taken; false where there are none. */
  removePoint() {
    const layer = this.bench.layer;
    const mask = inHand(this.bench) && layer && masksOf(this.bench, layer).find((one) => one.id === this.active);
    if (!mask || mask.kind !== "drawn" || this.taken === null) return false;
    const gone = (this.points.many ? [...this.points.taken] : [this.taken]).sort((a, b) => b - a);
    if (outlineAt(mask.outline, 0).length - gone.length < 3) { // and by no means the layer in their place
      say("An outline has at least three points; nothing was removed.", true);
      return true;
    }
    if (gone.length > 1 && !moves(mask.outline)) {
      this.bench.set(layer.id, { [`${maskPath(layer, mask.id)}.outline`]: mask.outline.filter((_, n) => !gone.includes(n)) });
    } else for (const point of gone) this.bench.edit({ do: "remove-point", layer: layer.id, mask: mask.id, point });
    this.taken = null;
    this.points.clear();
    return true;
  }
}

export function tidy(vertex) {
  return Object.fromEntries(Object.entries(vertex).map(([key, value]) => [key, round(value, 2)]));
}
