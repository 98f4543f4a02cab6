// Before and after: the picture without the look on one side of a stitch that is dragged across.
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
    for (const name of ["state", "frame", "way"]) bench.addEventListener(name, () => this.want());
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
    if (!this.on || !layer || picture.playing) return;
    const bare = { do: "set-values", target: layer.id, values: { "look.on": false } };
    this.slot.want({ frame: bench.frame, view: picture.view, chosen: layer.id, solo: [...bench.solo], trial: bare });
  }

  place() {
    const { canvas, line, picture } = this, { x, y, width, height } = picture.rect;
    const there = this.on && this.bench.kind === "look";
    canvas.hidden = line.hidden = !there;
    if (!there) return;
    Object.assign(canvas.style, { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px`, clipPath: `inset(0 ${100 * (1 - this.at)}% 0 0)` });
    Object.assign(line.style, { left: `${x + this.at * width}px`, top: `${y}px`, height: `${height}px` });
    line.setAttribute("aria-valuenow", Math.round(100 * this.at));
  }
}
