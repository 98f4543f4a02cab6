// A stitch that is dragged across the picture: without the look on one side of it, or one take beside another.
import { Slot } from "../live.js";

export class Stitch {
  constructor(bench, live, picture) {
    Object.assign(this, { bench, picture });
    this.on = false;
    this.at = 0.5;
    this.canvas = document.getElementById("before");
    this.line = document.getElementById("stitch");
    this.slot = new Slot(live, ({ bitmap }) => {
      Object.assign(this.canvas, { width: bitmap.width, height: bitmap.height });
      this.canvas.getContext("2d", { alpha: false }).drawImage(bitmap, 0, 0);
      bitmap.close();
      this.place();
    });
    for (const name of ["state", "frame", "way", "trial"]) bench.addEventListener(name, () => { this.place(); this.want(); });
    bench.addEventListener("chosen", () => { if (this.on && bench.kind !== "look") this.toggle(); else this.want(); });
    bench.addEventListener("shown", () => this.say());
    this.line.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      this.line.setPointerCapture(event.pointerId);
      const move = (next) => { this.to((next.clientX - this.picture.mat.getBoundingClientRect().left - this.picture.rect.x) / this.picture.rect.width); };
      this.line.addEventListener("pointermove", move);
      for (const end of ["pointerup", "pointercancel"]) this.line.addEventListener(end, () => this.line.removeEventListener("pointermove", move), { once: true });
    });
    this.line.addEventListener("keydown", (event) => {
      const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
      if (by) { event.preventDefault(); event.stopPropagation(); this.to(this.at + by); }
    });
  }

  toggle() {
    this.on = !this.on;
    this.say();
    this.place();
    this.want();
  }

  say() { for (const one of document.querySelectorAll('[data-do="stitch"]')) one.setAttribute("aria-pressed", this.on); }

  to(at) {
    this.at = Math.min(1, Math.max(0, at));
    this.place();
  }

  want() {
    const { bench, picture } = this, { layer } = bench;
    if (!this.there || !layer || picture.playing) return;
    if (picture.compare.stitched) {
      this.slot.want({ frame: bench.frame, view: "compare-upper", chosen: layer.id, solo: [], trial: bench.trial, ...picture.compare.more });
      return;
    }
    const bare = { do: "set-values", target: layer.id, values: { "look.on": false } };
    this.slot.want({ frame: bench.frame, view: picture.view, chosen: layer.id, solo: [...bench.solo], trial: bare });
  }

  get there() { return this.picture.compare.stitched || (this.on && this.bench.kind === "look"); }

  place() {
    const { canvas, line, picture, there } = this, { x, y, width, height } = picture.rect;
    const [left, right] = line.children;
    [left.textContent, right.textContent] = picture.compare.stitched ? ["this layer", "the other"] : ["before", "after"];
    canvas.hidden = line.hidden = !there;
    if (!there) return;
    Object.assign(canvas.style, { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px`, clipPath: `inset(0 ${100 * (1 - this.at)}% 0 0)` });
    Object.assign(line.style, { left: `${x + this.at * width}px`, top: `${y}px`, height: `${height}px` });
    line.setAttribute("aria-valuenow", Math.round(100 * this.at));
  }
}
