// A brush over the picture: while it is up, each drag is a line, drawn at once.

const NEAR = 1.2; // pixels of the screen between two points

export class Brush {
  /**
   * @param {{here: () => boolean, buttons: number[], style: (press: PointerEvent) => object, done: Function, ready?: () => boolean, idle?: Function}} what
   * `here` says whether it is up, `ready` whether it may draw now; `style` how its line looks; `done(line, press)` gets
   * places in canvas pixels, and the press that began it; `idle` draws what is there beside it.
   */
  constructor(bench, picture, canvas, what) {
    Object.assign(this, { bench, picture, canvas, what });
    this.line = null;
    canvas.addEventListener("pointerdown", (event) => this.press(event));
    canvas.addEventListener("contextmenu", (event) => { if (what.buttons.includes(2)) event.preventDefault(); });
    for (const name of ["chosen", "layout", "shown"]) bench.addEventListener(name, () => this.place());
    bench.addEventListener("painted", () => { if (!this.line) this.wipe(); });
  }

  place() {
    const { canvas, picture, what } = this, { x, y, width, height } = picture.rect;
    canvas.hidden = !what.here();
    if (canvas.hidden) return;
    Object.assign(canvas.style, { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px` });
    if (canvas.width !== Math.round(width) || canvas.height !== Math.round(height)) Object.assign(canvas, { width: Math.round(width), height: Math.round(height) });
    if (!this.line) this.wipe();
  }

  wipe() {
    this.canvas.getContext("2d").clearRect(0, 0, this.canvas.width, this.canvas.height);
    if (!this.canvas.hidden) this.what.idle?.();
  }

  /** A line of canvas pixels. */
  draw(line, style) {
    const pen = this.canvas.getContext("2d"), { k } = this.picture.rect;
    pen.save();
    pen.setLineDash(style.dash ?? []);
    Object.assign(pen, { lineCap: "round", lineJoin: "round", ...style, lineWidth: Math.max(1, style.lineWidth * k) });
    pen.beginPath();
    line.forEach((p, n) => pen[n ? "lineTo" : "moveTo"](p.x * k, p.y * k));
    if (line.length === 1) pen.lineTo(line[0].x * k + 0.01, line[0].y * k);
    pen.stroke();
    pen.restore();
  }

  press(event) {
    const { canvas, picture, what } = this, { button } = event;
    if (!what.buttons.includes(button) || !what.here() || this.line) return;
    event.preventDefault();
    if (what.ready && !what.ready()) return;
    document.activeElement?.blur?.(); // keys belong to the picture again, not to the field of the width
    const { k } = picture.rect, style = what.style(event), line = [picture.toCanvas(event)];
    canvas.setPointerCapture(event.pointerId);
    this.line = line;
    const redraw = () => { this.wipe(); this.draw(line, style); }; // at once, before the server has drawn it
    const move = (next) => {
      for (const one of next.getCoalescedEvents?.() ?? [next]) {
        const p = picture.toCanvas(one), last = line.at(-1);
        if (Math.hypot(p.x - last.x, p.y - last.y) * k >= NEAR) line.push(p);
      }
      redraw();
    };
    const end = (last) => {
      canvas.removeEventListener("pointermove", move);
      for (const name of ["pointerup", "pointercancel"]) canvas.removeEventListener(name, end);
      this.line = null;
      if (last.type === "pointercancel") this.wipe();
      else what.done(line, event);
    };
    redraw();
    canvas.addEventListener("pointermove", move);
    for (const name of ["pointerup", "pointercancel"]) canvas.addEventListener(name, end);
  }
}
