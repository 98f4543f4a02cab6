// Handles on the picture: place of a layer, garbage masks, areas dragged over the screen.
import { follow } from "../drag.js";
import { MaskHandles } from "../masks/handles.js";
import { MotionPath } from "./motion-path.js";
import { before, inSpan, layerMap, STILL, through } from "./geometry.js";
import { PlaceHandles } from "./place.js";
import { add, redraw } from "./svg.js";

export class Handles {
  constructor(bench, picture) {
    this.bench = bench;
    this.picture = picture;
    this.svg = document.getElementById("handles");
    this.hint = document.getElementById("hint");
    this.hint.querySelector("button").addEventListener("click", () => this.stopDrawing());
    this.drawing = null;
    this.held = null;
    this.box = null; // dragged to take points of an outline
    // with the picture, not before it: outlines and picture are always of one frame
    for (const name of ["state", "painted", "chosen", "layout", "way", "refused"]) {
      bench.addEventListener(name, () => { if (!this.held) this.render(); });
    }
    this.svg.addEventListener("pointerdown", (event) => this.press(event));
    this.masks = new MaskHandles(this);
    this.path = new MotionPath(this);
    this.place = new PlaceHandles(this);
    this.render();
  }

  size(layer) {
    if (layer.source.footage === undefined) return this.bench.shot.canvas;
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
    if (bench.kind === "track") this.tracks.render(layer);
    else if (["layer", "around", "lineup"].includes(bench.kind)) this.place.render(layer, place ?? layer.place);
    else this.masks.render(layer, mask);
    if (this.box) this.renderMarquee(this.box);
  }

  /** What cameras above the chosen layer make of canvas pixels: handles lie where the layer is seen, and count as if
   * no camera were there. */
  get camera() { return this.bench.layer ? this.stray(this.bench.layer).camera ?? null : null; }

  point(p) {
    const { x, y, k } = this.picture.rect, seen = through(this.camera, p);
    return [x + seen.x * k, y + seen.y * k];
  }

  /** The canvas pixel under a pointer, before a camera moved it. */
  under(event) { return before(this.camera, this.picture.toCanvas(event)); }

  /** Where places in canvas pixels lie in a layer's own picture, from its middle: as it is seen now, pulled and moved. */
  toOwn(layer, line) {
    const map = layerMap(layer.place, this.at(layer), this.stray(layer), this.size(layer));
    return line.map((p) => { const { x, y } = before(this.camera, p), { u, v } = map.toSource(x, y); return [u, v]; });
  }

  fromOwn(layer, points) {
    const map = layerMap(layer.place, this.at(layer), this.stray(layer), this.size(layer));
    return points.map(([u, v]) => through(this.camera, map.toCanvas(u, v)));
  }

  /** Canvas pixels to one of a layer's own. */
  scaleOf(layer) { return layerMap(layer.place, this.at(layer), this.stray(layer), this.size(layer)).scale; }

  outline(map, cx, cy, width, height) {
    const corners = [[-1, -1], [1, -1], [1, 1], [-1, 1]];
    return corners.map(([a, b]) => this.point(map.toCanvas(cx + (a * width) / 2, cy + (b * height) / 2)));
  }

  /** Pull the corners of the chosen layer, or scale by them again. */
  pin(on = this.place.mode !== "pins") {
    this.place.mode = on ? "pins" : "place";
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
    const start = this.under(event);
    const node = { dataset: { ...event.target.dataset } }; // handles are drawn anew meanwhile
    follow(this.svg, event, this.bench, () => {
      const drag = grab !== "draw" ? this.dragHandle(node, start) : this.drawing?.points ? this.dragLine(start) : this.drawing && this.dragMarquee(start);
      return drag && {
        move: (next) => drag.move(this.under(next), next),
        end: (finished) => { drag.end(finished); this.render(); },
      };
    }, (held) => { this.held = held; });
  }

  /** A box dragged beside an outline's points, or with Shift over it, takes those inside. */
  boxPoints(event) {
    event.preventDefault();
    const from = this.under(event);
    follow(this.svg, event, this.bench, () => ({
      move: (next) => { this.box = { from, to: this.under(next) }; this.render(); },
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
    if (grab.startsWith("track")) return this.tracks.drag(layer, node, start);
    const change = grab.startsWith("mask") ? this.masks.change(layer, node, start)
      : grab === "motion-key" ? this.path.change(layer, node, start) : this.place.change(layer, node, start);
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
}
