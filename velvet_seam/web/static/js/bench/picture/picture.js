// The mat: the joined picture in the middle, this layer and what lies below at its sides.
import { Slot } from "../live.js";
import { safeAreas } from "./view.js";

const GAP = 34;
const EDGE = 20;
const TOP = 48;
const SIDE = 270;
const PREVIEW = 540; // short side of a preview, as the server makes it
const HALF = PREVIEW / 2;
const CONTROLS = 200; // milliseconds that a picture waits for the controls of what has been chosen

export class Picture {
  constructor(bench, live) {
    this.bench = bench;
    this.mat = document.getElementById("mat");
    this.main = document.getElementById("picture");
    this.sides = {
      layer: document.getElementById("side-layer"),
      below: document.getElementById("side-below"),
    };
    this.labels = {
      layer: document.getElementById("label-layer"),
      below: document.getElementById("label-below"),
    };
    this.overlay = document.getElementById("safe-areas");
    this.zoom = null;
    this.pan = { x: 0, y: 0 };
    this.phone = this.safe = false;
    this.empty = document.getElementById("empty");
    this.playing = false;
    this.rect = { x: 0, y: 0, width: 1, height: 1, k: 1 };
    this.room = { top: TOP, width: 1, height: 1 }; // the mat below its row of buttons
    this.stray = null; // where the chosen layer lies in the picture that is seen
    this.slot = new Slot(live, (answer, wish) => { if (!this.playing) this.paint(answer, wish.window); });
    this.around = new Slot(live, (answer) => { if (!this.playing && this.enlarged) this.paintAround(answer); });
    this.also = {}; // what else each picture is asked to tell: an instrument, marks
    this.sharp = null; // the part of an enlarged picture that is made of the originals' own pixels
    this.sideSlots = {};
    for (const side of ["layer", "below"]) {
      this.sideSlots[side] = new Slot(live, ({ bitmap }) => {
        draw(this.sides[side], bitmap);
        bitmap.close();
      });
    }
    for (const name of ["answered", "frame", "way"]) bench.addEventListener(name, () => this.refresh());
    // another layer's controls first; in the picture nothing changes but what is drawn over it
    bench.addEventListener("chosen", () => {
      this.layout(false);
      this.later = setTimeout(() => this.refresh(), CONTROLS);
    });
    bench.addEventListener("shown", () => { if (this.later) this.refresh(); });
    for (const name of ["trial", "refused"]) bench.addEventListener(name, () => this.refreshMain());
    new ResizeObserver(() => this.layout()).observe(this.mat);
    this.layout();
  }

  wish(view, frame = this.bench.frame) {
    const { bench } = this;
    const solo = bench.solo.size ? [...bench.solo] : [];
    const wish = { frame, view, chosen: bench.layer?.id ?? null, solo, trial: bench.bare ?? bench.trial, ...this.also, ...(bench.way === "compare" ? this.compare.more : {}) };
    return bench.trial && this.small ? { ...wish, side: HALF } : wish;
  }

  /** Whether half of a preview has as many pixels as the screen shows: that is enough under a moving hand,
   * and is sent, unpacked and drawn in a fraction of the time. */
  get small() {
    const { width, height } = this.bench.shot.canvas;
    return this.rect.k * (devicePixelRatio || 1) * Math.min(width, height) <= HALF * 1.02;
  }

  get view() {
    const { layer, way, bed } = this.bench;
    if (!layer) return "joined";
    return way === "alone" ? bed : way === "compare" ? this.compare.view : way;
  }

  refresh() {
    clearTimeout(this.later);
    this.later = 0;
    this.refreshMain();
    this.refreshSides();
  }

  refreshMain() {
    clearTimeout(this.resting);
    if (this.playing) return;
    this.late(true);
    if (!this.enlarged) { this.slot.want(this.wish(this.view)); return; }
    // seen larger than the preview: what is in sight is made of the originals' own pixels, also under a hand;
    // what lies around it, for when the picture is moved, comes once the hand rests
    this.slot.want({ ...this.wish(this.view), side: PREVIEW, full: true, window: this.window });
    if (!this.bench.trial) this.resting = setTimeout(() => this.around.want(this.wish(this.view)), 350);
  }

  /** The part of the canvas that is in sight, in whole pixels of it. */
  get window() {
    const { rect, mat } = this, { width, height } = this.bench.shot.canvas;
    const [left, top] = [-rect.x, -rect.y].map((at) => Math.max(0, Math.floor(at / rect.k)));
    const right = Math.min(width, Math.ceil((mat.clientWidth - rect.x) / rect.k)), bottom = Math.min(height, Math.ceil((mat.clientHeight - rect.y) / rect.k));
    return [Math.min(left, width - 1), Math.min(top, height - 1), Math.max(1, right - left), Math.max(1, bottom - top)];
  }

  /** While a picture takes longer than one notices, it says so. */
  late(on) {
    clearTimeout(this.lateTimer);
    if (!on) { this.mat.classList.remove("late"); return; }
    this.lateTimer = setTimeout(() => this.mat.classList.add("late"), 400);
  }

  /** Whether the screen shows more pixels than the preview has. */
  get enlarged() {
    const { width, height } = this.bench.shot.canvas;
    const density = Math.min(2, devicePixelRatio || 1);
    return this.zoom !== null && this.rect.k * density * Math.min(width, height) > 1.1 * PREVIEW;
  }

  /** The middle of the room for the picture. */
  home() {
    return { x: this.mat.clientWidth / 2, y: TOP + (this.mat.clientHeight - TOP - EDGE) / 2 };
  }

  refreshSides() {
    if (this.playing || !this.sidesShown) return;
    this.labels.layer.textContent = `this layer${this.away}`;
    for (const side of ["layer", "below"]) {
      this.sideSlots[side].want({ ...this.wish(side), trial: null, solo: [], side: SIDE });
    }
  }

  /** Why the chosen layer is not seen at this moment, where time is the reason. */
  get away() {
    const { layer, frame } = this.bench;
    if (!layer) return "";
    if (frame < layer.span.first) return `, from ${this.bench.spell(layer.span.first)}`;
    return frame > layer.span.last ? `, until ${this.bench.spell(layer.span.last + 1)}` : "";
  }

  /** Show a picture; of one at canvas size, maybe only a `window`. */
  paint({ bitmap, frame, trial, revision, stray, more }, window = null) {
    this.stray = stray;
    this.more = more;
    this.late(false);
    if (window) this.enlarge().drawImage(bitmap, window[0], window[1]);
    else draw(this.main, bitmap);
    this.sharp = window;
    bitmap.close();
    this.main.dataset.frame = frame;
    this.main.dataset.trial = trial;
    this.main.dataset.revision = revision;
    this.bench.tell("painted", { frame });
  }

  /** The picture's canvas at the size of the shot's, with what it shows kept. */
  enlarge() {
    const { main } = this, { width, height } = this.bench.shot.canvas;
    if (main.width !== width || main.height !== height) {
      const before = document.createElement("canvas");
      draw(before, main);
      Object.assign(main, { width, height });
      main.getContext("2d", { alpha: false }).drawImage(before, 0, 0, width, height);
    }
    return main.getContext("2d", { alpha: false });
  }

  /** What lies around the part that is in sight, from a preview. */
  paintAround({ bitmap }) {
    const { width, height } = this.bench.shot.canvas, to = this.enlarge();
    to.save();
    if (this.sharp) {
      const [left, top, wide, high] = this.sharp;
      const around = new Path2D();
      around.rect(0, 0, width, height);
      around.rect(left, top, wide, high);
      to.clip(around, "evenodd");
    }
    to.drawImage(bitmap, 0, 0, width, height);
    to.restore();
    bitmap.close();
  }

  layout(asking = true) {
    const { bench, mat } = this;
    const { width, height } = bench.shot.canvas;
    const room = { width: mat.clientWidth - 2 * EDGE, height: mat.clientHeight - TOP - EDGE };
    this.room = { top: TOP, width: mat.clientWidth, height: mat.clientHeight };
    if (room.width <= 0 || room.height <= 0) return;
    let k = Math.min(room.width / width, room.height / height);
    // with a seam chosen the side pictures get room of their own, where it leaves the main one large
    const small = 0.53;
    const withSides = Math.min(room.height / height, (room.width - 2 * GAP) / (width * (1 + 2 * small)));
    this.sidesShown = bench.kind === "seam" && withSides > 0.68 * k;
    if (this.zoom) { this.sidesShown = false; k = this.zoom; }
    if (this.sidesShown) k = Math.min(k, withSides);
    const w = Math.round(width * k), h = Math.round(height * k);
    const home = this.home();
    if (this.zoom) {  // some of the picture always stays in sight
      const reach = { x: (w + mat.clientWidth) / 2 - 60, y: (h + mat.clientHeight) / 2 - 60 };
      for (const axis of ["x", "y"]) this.pan[axis] = Math.min(Math.max(this.pan[axis], -reach[axis]), reach[axis]);
    }
    const pan = this.zoom ? this.pan : { x: 0, y: 0 };
    const x = Math.round(home.x + pan.x - w / 2), y = Math.round(home.y + pan.y - h / 2);
    this.rect = { x, y, width: w, height: h, k: w / width };
    put(this.main, x, y, w, h);
    for (const [side, canvas] of Object.entries(this.sides)) {
      canvas.hidden = this.labels[side].hidden = !this.sidesShown;
      if (!this.sidesShown) continue;
      const sw = Math.round(w * small), sh = Math.round(h * small);
      const sx = side === "layer" ? x - GAP - sw : x + w + GAP;
      const sy = Math.round(y + (h - sh) / 2);
      put(canvas, sx, sy, sw, sh);
      put(this.labels[side], sx, sy + sh + 6, sw, 18);
    }
    this.main.classList.toggle("by-pixel", k >= 2);
    this.mat.classList.toggle("enlarged", this.zoom !== null && (y < TOP || w > mat.clientWidth));
    this.overlay.firstElementChild.setAttribute("d", this.safe ? safeAreas(x, y, w, h) : "");
    this.empty.hidden = bench.shot.layers.length > 0;
    this.stitch?.place();
    this.bench.tell("layout");
    if (asking) this.refresh();
  }

  /** Mat coordinates of a pointer event, in canvas pixels. */
  toCanvas(event) {
    const box = this.mat.getBoundingClientRect();
    return {
      x: (event.clientX - box.left - this.rect.x) / this.rect.k,
      y: (event.clientY - box.top - this.rect.y) / this.rect.k,
    };
  }
}

function put(element, x, y, width, height) {
  Object.assign(element.style, { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px` });
}

function draw(canvas, bitmap) {
  if (canvas.width !== bitmap.width || canvas.height !== bitmap.height) {
    canvas.width = bitmap.width;
    canvas.height = bitmap.height;
  }
  canvas.getContext("2d", { alpha: false }).drawImage(bitmap, 0, 0);
}
