// Paint: while the brush is taken up, each drag on the picture is a stroke.
import { say } from "../../common.js";
import { thinned } from "../masks/shape.js";
import { Brush } from "./brush.js";

const MOST = 4000; // points of a stroke

export class Paint {
  constructor(bench, handles, picture) {
    Object.assign(this, { bench, handles, picture });
    this.on = false;
    this.acts = {
      brush: () => this.take(!this.on),
      "clear-paint": ({ layer }) => bench.set(layer.id, { "source.strokes": [] }),
    };
    this.brush = new Brush(bench, picture, document.getElementById("brush"), {
      here: () => this.here, buttons: [0], style: () => this.style, done: (line) => this.send(bench.layer, line),
    });
    document.addEventListener("input", ({ target }) => {
      const shown = target.matches("[id^='brush-'][data-unit]") && target.closest("label").querySelector("output");
      if (shown) shown.textContent = `${target.value} ${target.dataset.unit}`;
    });
    bench.addEventListener("brush-up", ({ detail }) => { if (detail.paint) this.take(true); });
    for (const name of ["chosen", "layout", "shown"]) bench.addEventListener(name, () => this.place());
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
    this.brush.place();
    for (const one of document.querySelectorAll('[data-do="brush"]')) one.setAttribute("aria-pressed", this.here);
  }

  get setting() {
    const number = (id) => Number(document.getElementById(id)?.value);
    return { width: number("brush-width"), hardness: number("brush-hardness"), opacity: number("brush-opacity"), colour: document.getElementById("brush-colour").value, erase: document.getElementById("brush-erase").checked };
  }

  get style() {
    const { width, erase, colour, opacity } = this.setting;
    return { lineWidth: width, strokeStyle: erase ? "#ffffff88" : colour, globalAlpha: opacity / 100 };
  }

  send(layer, line) {
    const points = thinned(this.handles.toOwn(layer, line), 0.35 / this.picture.rect.k, MOST);
    return this.bench.edit({ do: "add-stroke", layer: layer.id, stroke: { ...this.setting, points } }).then((answer) => { if (!answer) this.brush.wipe(); });
  }
}
