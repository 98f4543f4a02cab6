// Paint: while the brush is taken up, each drag on the picture is a stroke.
import { say } from "../../common.js";
import { before, layerMap, round } from "../handles/geometry.js";
import { simplified } from "../masks/shape.js";

const MOST = 4000; // points of a stroke
const NEAR = 1.2; // pixels of the screen between two points

export class Paint {
  constructor(bench, handles, picture) {
    Object.assign(this, { bench, handles, picture });
    this.brush = null; // what is being drawn
    this.on = false;
    this.canvas = document.getElementById("brush");
    this.acts = {
      brush: () => this.take(!this.on),
      "clear-paint": ({ layer }) => bench.set(layer.id, { "source.strokes": [] }),
    };
    this.canvas.addEventListener("pointerdown", (event) => this.press(event));
    for (const name of ["chosen", "layout", "shown"]) bench.addEventListener(name, () => this.place());
    bench.addEventListener("painted", () => { if (!this.brush) this.wipe(); });
  }

  get here() { return this.on && this.bench.layer?.source.kind === "paint" && this.bench.kind === "layer"; }

  take(on) {
    this.on = on;
    if (on) say("Draw on the picture. Esc or the button lays the brush down.");
    this.place();
  }

  /** The brush laid down; whether it was up. */
  putDown() {
    if (!this.here) return false;
    this.take(false);
    return true;
  }

  place() {
    const { canvas, picture } = this, { x, y, width, height } = picture.rect;
    canvas.hidden = !this.here;
    for (const one of document.querySelectorAll('[data-do="brush"]')) one.setAttribute("aria-pressed", this.here);
    if (canvas.hidden) return;
    Object.assign(canvas.style, { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px` });
    if (canvas.width !== Math.round(width) || canvas.height !== Math.round(height)) Object.assign(canvas, { width: Math.round(width), height: Math.round(height) });
  }

  wipe() { this.canvas.getContext("2d").clearRect(0, 0, this.canvas.width, this.canvas.height); }

  get setting() {
    const number = (id) => Number(document.getElementById(id)?.value);
    return { width: number("brush-width"), hardness: number("brush-hardness"), opacity: number("brush-opacity"), colour: document.getElementById("brush-colour").value, erase: document.getElementById("brush-erase").checked };
  }

  press(event) {
    if (event.button !== 0 || !this.here) return;
    event.preventDefault();
    const { canvas, picture, bench } = this, { k } = picture.rect, setting = this.setting, layer = bench.layer;
    canvas.setPointerCapture(event.pointerId);
    const line = [picture.toCanvas(event)], pen = canvas.getContext("2d");
    this.brush = line;
    Object.assign(pen, { lineWidth: Math.max(1, setting.width * k), lineCap: "round", lineJoin: "round", strokeStyle: setting.erase ? "#ffffff88" : setting.colour, globalAlpha: setting.opacity / 100 });
    const draw = () => { // at once, before the server has drawn it
      this.wipe();
      pen.beginPath();
      line.forEach((p, n) => pen[n ? "lineTo" : "moveTo"](p.x * k, p.y * k));
      if (line.length === 1) pen.lineTo(line[0].x * k + 0.01, line[0].y * k);
      pen.stroke();
    };
    const move = (next) => {
      for (const one of next.getCoalescedEvents?.() ?? [next]) {
        const p = picture.toCanvas(one), last = line.at(-1);
        if (Math.hypot(p.x - last.x, p.y - last.y) * k >= NEAR) line.push(p);
      }
      draw();
    };
    const end = (last) => {
      canvas.removeEventListener("pointermove", move);
      this.brush = null;
      if (last.type === "pointercancel") { this.wipe(); return; }
      this.send(layer, line, setting);
    };
    draw();
    canvas.addEventListener("pointermove", move);
    for (const name of ["pointerup", "pointercancel"]) canvas.addEventListener(name, end, { once: true });
  }

  send(layer, line, setting) {
    const { bench, handles, picture } = this;
    const map = layerMap(layer.place, bench.at(layer), handles.stray(layer), handles.size(layer));
    const own = line.map((p) => { const { x, y } = before(handles.camera, p), { u, v } = map.toSource(x, y); return [u, v]; });
    let kept = simplified(own, 0.35 / picture.rect.k);
    if (kept.length > MOST) kept = kept.filter((_, n) => n % Math.ceil(kept.length / MOST) === 0);
    const points = kept.map((point) => point.map((n) => round(n, 1)));
    return bench.edit({ do: "add-stroke", layer: layer.id, stroke: { ...setting, points } }).then((answer) => { if (!answer) this.wipe(); });
  }
}
