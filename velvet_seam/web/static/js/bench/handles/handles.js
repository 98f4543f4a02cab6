// Handles on the picture: place of a layer, garbage masks, areas dragged over the screen.
import { follow } from "../drag.js";
import { MaskHandles } from "../masks/handles.js";
import { MotionPath } from "./motion-path.js";
import { still, valueAt } from "../time/moving.js";
import { CORNERS, inSpan, layerMap, pinned, pulledAt, round, STILL } from "./geometry.js";
import { add, redraw } from "./svg.js";

const KNOB = 5;
const REACH = 26;

export class Handles {
  constructor(bench, picture) {
    this.bench = bench;
    this.picture = picture;
    this.svg = document.getElementById("handles");
    this.hint = document.getElementById("hint");
    this.hint.querySelector("button").addEventListener("click", () => this.stopDrawing());
    this.drawing = null;
    this.held = null;
    this.pinning = false; // the corners of the chosen layer are pulled, rather than scaled by
    this.box = null; // dragged to take points of an outline
    // with the picture, not before it: outlines and picture are always of one frame
    for (const name of ["state", "painted", "chosen", "layout", "way", "refused"]) {
      bench.addEventListener(name, () => { if (!this.held) this.render(); });
    }
    this.svg.addEventListener("pointerdown", (event) => this.press(event));
    this.masks = new MaskHandles(this);
    this.path = new MotionPath(this);
    this.render();
  }

  size(layer) {
    if (layer.source.kind === "colour") return this.bench.shot.canvas;
    return this.bench.state.footage[layer.source.footage];
  }

  at(layer) { return this.bench.frame - layer.span.first; }

  /** What arrival and stirring make of the layer's place in the picture that is seen. */
  stray(layer) {
    const { stray } = this.picture;
    return stray?.layer === layer.id && stray.frame === this.bench.frame ? stray : STILL;
  }

  render(place, mask) { redraw(this.svg, () => this.renderAll(place, mask)); }

  renderAll(place, mask) {
    const { bench, svg } = this;
    if (this.drawing) {
      add(svg, "rect", { class: "grab grab-all", x: 0, y: 0, width: "100%", height: "100%", "data-grab": "draw" });
      if (this.drawing.box) this.renderMarquee(this.drawing.box);
      if (this.drawing.points) this.renderDrawn(this.drawing);
      return;
    }
    const layer = bench.layer;
    if (!layer || layer.hidden || layer.locked || !inSpan(layer, bench.frame) || this.picture.playing) return;
    if (bench.kind === "layer") this.renderPlace(layer, still(place ?? layer.place, this.at(layer)));
    else this.masks.render(layer, mask);
    if (this.box) this.renderMarquee(this.box);
  }

  point(p) {
    const { x, y, k } = this.picture.rect;
    return [x + p.x * k, y + p.y * k];
  }

  outline(map, cx, cy, width, height) {
    const corners = [[-1, -1], [1, -1], [1, 1], [-1, 1]];
    return corners.map(([a, b]) => this.point(map.toCanvas(cx + (a * width) / 2, cy + (b * height) / 2)));
  }

  renderPlace(layer, place) {
    const { svg } = this;
    const { width, height } = this.size(layer);
    const stray = this.stray(layer), map = layerMap(place, this.at(layer), stray, this.size(layer));
    const corners = this.outline(map, 0, 0, width, height);
    const path = `M${corners.map((p) => p.join(" ")).join("L")}Z`;
    add(svg, "path", { class: "grab", d: path, "data-grab": "move" });
    add(svg, "path", { class: "frame-line", d: path });
    this.path.render(layer);
    const { room } = this.picture; // to ask the page for it would make it arrange itself once more
    const inside = ([x, y]) => [Math.min(Math.max(x, 10), room.width - 10), Math.min(Math.max(y, room.top + 10), room.height - 10)];
    corners.forEach((corner, n) => {
      const [x, y] = inside(corner);
      if (this.pinning) add(svg, "rect", { class: "knob", x: x - KNOB, y: y - KNOB, width: 2 * KNOB, height: 2 * KNOB, "data-grab": "pin", "data-corner": n });
      else add(svg, "circle", { class: "knob", cx: x, cy: y, r: KNOB, "data-grab": "scale", "data-corner": n });
    });
    if (this.pinning) return;
    const middle = this.point(map.toCanvas(0, 0));
    const turn = ((valueAt(place.rotation, this.at(layer)) + stray.turn) * Math.PI) / 180;
    const flip = place.flip_y ? -1 : 1;
    const topEdge = this.point(map.toCanvas(0, (-flip * height) / 2));
    const long = Math.max(Math.hypot(topEdge[0] - middle[0], topEdge[1] - middle[1]) - REACH, REACH);
    const spot = inside([middle[0] + long * Math.sin(turn), middle[1] - long * Math.cos(turn)]);
    add(svg, "circle", { class: "knob", cx: spot[0], cy: spot[1], r: KNOB + 1, "data-grab": "turn" });
    add(svg, "path", { class: "frame-line", d: `M${spot[0] - 4} ${spot[1] - 12}q4 -4 8 0` });
  }

  /** Pull the corners of the chosen layer, or scale by them again. */
  pin(on = !this.pinning) {
    this.pinning = on;
    for (const button of document.querySelectorAll('[data-do="pin"]')) button.setAttribute("aria-pressed", on);
    this.render();
  }

  renderMarquee({ from, to }) {
    const [x0, y0] = this.point(from), [x1, y1] = this.point(to);
    if (this.drawing?.line) {
      add(this.svg, "path", { class: "mask-line", d: `M${x0} ${y0}L${x1} ${y1}` });
      return;
    }
    add(this.svg, "rect", {
      class: "marquee", x: Math.min(x0, x1), y: Math.min(y0, y1),
      width: Math.abs(x1 - x0), height: Math.abs(y1 - y0),
    });
  }

  /** Ask for a rectangle on the picture: `done` gets it in canvas pixels. */
  draw(words, way, done, line = false) {
    this.begin(words, way, { done, box: null, line });
  }

  /** Ask for an outline: `done` gets its places in canvas pixels, and whether it was drawn by hand. */
  drawLine(words, done) {
    this.begin(words, "joined", { done, points: [] });
  }

  begin(words, way, drawing) {
    this.stopDrawing();
    this.drawing = { before: this.bench.way, ...drawing };
    this.hint.firstElementChild.textContent = words;
    this.hint.hidden = false;
    if (way) this.bench.see(way);
    this.loupe.sample(way === "source");
    this.render();
  }

  /** What is asked for by a drag is put in the middle by Enter, to be placed by numbers and keys. */
  placeHere() {
    const { drawing } = this;
    if (!drawing || drawing.points) return false;
    const { width, height } = this.bench.shot.canvas;
    this.stopDrawing();
    drawing.done({ from: { x: width * 0.3, y: height * 0.35 }, to: { x: width * 0.7, y: height * 0.65 } });
    return true;
  }

  stopDrawing() {
    if (!this.drawing) return false;
    const { before } = this.drawing;
    this.drawing = null;
    this.hint.hidden = true;
    this.loupe.sample(false);
    if (this.bench.way !== before) this.bench.see(before);
    this.render();
    return true;
  }

  renderDrawn({ points, hover }) {
    const at = [...points, ...(hover ? [hover] : [])].map((p) => this.point(p).join(" "));
    if (at.length > 1) add(this.svg, "path", { class: "mask-line", d: `M${at.join("L")}` });
    if (this.drawing.freehand) return;
    points.forEach((p, n) => {
      const [x, y] = this.point(p);
      add(this.svg, "rect", { class: "mask-knob", x: x - 4, y: y - 4, width: 8, height: 8, rx: 2, "pointer-events": "none", "data-n": n });
    });
  }

  /** By hand the outline ends when the pointer is lifted; by clicks when it is closed at the first
   * point, or with Enter. */
  dragLine(start) {
    const { drawing } = this;
    const near = (a, b, px) => Math.hypot(a.x - b.x, a.y - b.y) * this.picture.rect.k < px;
    const first = drawing.points[0];
    if (first && drawing.points.length > 2 && near(first, start, 10)) {
      return { move: () => {}, end: () => this.endLine(false) };
    }
    drawing.points.push(start);
    drawing.hover = null;
    const line = [start];
    return {
      move: (to) => {
        if (near(line.at(-1), to, 3)) return;
        line.push(to);
        if (drawing.points.length === 1 || drawing.freehand) {
          drawing.freehand = line.length > 4;
          drawing.points = drawing.freehand ? line : [start];
        }
        this.render();
      },
      end: (finished) => {
        if (finished && drawing.freehand) this.endLine(true);
        else this.render();
      },
    };
  }

  endLine(freehand) {
    const { points, done } = this.drawing;
    this.stopDrawing();
    done({ points, freehand });
  }

  press(event) {
    const grab = event.target.dataset?.grab;
    if (event.button !== 0) return;
    const points = !this.drawing && (grab ? grab === "mask-move" && event.shiftKey : !this.picture.zoom || event.shiftKey) && this.masks.drawn();
    if (points) { this.boxPoints(event); return; }
    if (!grab) return;
    event.preventDefault();
    if (grab === "mask-point" && event.shiftKey) { this.masks.join(event.target.dataset.mask, Number(event.target.dataset.n)); return; }
    // handles are drawn anew with every press, so the browser never sees two on one of them
    const again = this.lastPress && event.timeStamp - this.lastPress.time < 380
      && Math.hypot(event.clientX - this.lastPress.x, event.clientY - this.lastPress.y) < 6;
    this.lastPress = again ? null : { time: event.timeStamp, x: event.clientX, y: event.clientY };
    if (again && this.masks.double(event)) return;
    const start = this.picture.toCanvas(event);
    const node = { dataset: { ...event.target.dataset } }; // handles are drawn anew meanwhile
    follow(this.svg, event, this.bench, () => {
      const drag = grab !== "draw" ? this.dragHandle(node, start) : this.drawing?.points ? this.dragLine(start) : this.drawing && this.dragMarquee(start);
      return drag && {
        move: (next) => drag.move(this.picture.toCanvas(next), next),
        end: (finished) => { drag.end(finished); this.render(); },
      };
    }, (held) => { this.held = held; });
  }

  /** A box dragged beside an outline's points, or with Shift over it, takes those inside. */
  boxPoints(event) {
    event.preventDefault();
    const from = this.picture.toCanvas(event);
    follow(this.svg, event, this.bench, () => ({
      move: (next) => { this.box = { from, to: this.picture.toCanvas(next) }; this.render(); },
      end: (finished) => {
        const box = this.box ?? { from, to: from };
        this.box = null;
        if (finished) this.masks.takeIn(box, event.shiftKey);
        this.render();
      },
    }), (held) => { this.held = held; });
  }

  dragMarquee(from) {
    const drawing = this.drawing;
    return {
      move: (to) => { drawing.box = { from, to }; this.render(); },
      end: (finished) => {
        const box = drawing.box;
        drawing.box = null;
        if (!finished || !box) return;
        const wide = Math.abs(box.to.x - box.from.x), high = Math.abs(box.to.y - box.from.y);
        if (Math.max(wide, high) * this.picture.rect.k < 4) return;
        this.stopDrawing();
        drawing.done(box);
      },
    };
  }

  dragHandle(node, start) {
    const layer = this.bench.layer;
    const { grab } = node.dataset;
    const change = grab.startsWith("mask") ? this.masks.change(layer, node, start)
      : grab === "motion-key" ? this.path.change(layer, node, start) : this.placeChange(layer, node, start);
    if (!change) return null;
    let values = null;
    return {
      move: (now, event) => {
        values = change(now, event);
        this.bench.try(this.bench.setting(layer.id, values, change.at));
      },
      end: (finished) => {
        if (values && finished) this.bench.edit(this.bench.setting(layer.id, values, change.at));
        else { this.bench.trial = null; this.bench.tell("refused"); }
      },
    };
  }

  placeChange(layer, node, start) {
    const place = still(layer.place, this.at(layer));
    const stray = this.stray(layer), seen = { x: place.x + stray.x, y: place.y + stray.y };
    const away = (p) => Math.hypot(p.x - seen.x, p.y - seen.y);
    const angle = (p) => (Math.atan2(p.y - seen.y, p.x - seen.x) * 180) / Math.PI;
    const size = this.size(layer), corner = Number(node.dataset.corner), before = pulledAt(place.pins, 0);
    const { plain } = layerMap(place, 0, stray, size);
    const from = plain.toSource(start.x, start.y);
    let kept = place.pins;
    const changes = {
      // a corner goes with the pointer until it would cross another
      pin: (now) => {
        const { u, v } = plain.toSource(now.x, now.y);
        const pulled = before.map(([x, y], n) => (n === corner ? [round(x + u - from.u, 1), round(y + v - from.v, 1)] : [x, y]));
        if (pinned(size, pulled)) kept = { ...place.pins, [`${CORNERS[corner]}_x`]: pulled[corner][0], [`${CORNERS[corner]}_y`]: pulled[corner][1] };
        return { pins: kept };
      },
      move: (now, event) => {
        let x = place.x + now.x - start.x, y = place.y + now.y - start.y;
        if (event.shiftKey) {
          if (Math.abs(now.x - start.x) > Math.abs(now.y - start.y)) y = place.y;
          else x = place.x;
        }
        const middle = this.bench.shot.canvas, near = 6 / this.picture.rect.k;
        if (!event.altKey && Math.abs(x - middle.width / 2) < near) x = middle.width / 2;
        if (!event.altKey && Math.abs(y - middle.height / 2) < near) y = middle.height / 2;
        return { x: round(x, 1), y: round(y, 1) };
      },
      scale: (now) => ({ scale: Math.min(3200, Math.max(1, round((place.scale * away(now)) / Math.max(away(start), 1), 2))) }),
      turn: (now, event) => {
        let turned = place.rotation + angle(now) - angle(start);
        turned = ((((turned + 180) % 360) + 360) % 360) - 180;
        if (event.shiftKey) turned = Math.round(turned / 15) * 15;
        return { rotation: round(turned, 1) };
      },
    };
    const change = changes[node.dataset.grab];
    return (now, event) => {
      const next = change(now, event);
      this.render({ ...place, ...next });
      if (next.pins) return Object.fromEntries(["x", "y"].map((way) => [`place.pins.${CORNERS[corner]}_${way}`, next.pins[`${CORNERS[corner]}_${way}`]]));
      return Object.fromEntries(Object.entries(next).map(([key, value]) => [`place.${key}`, value]));
    };
  }
}
