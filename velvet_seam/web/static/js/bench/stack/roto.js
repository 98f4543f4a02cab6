// Roto: while the brush is up, a drag on the picture says what to keep, with the right button what to drop.
import { say } from "../../common.js";
import { thinned } from "../masks/shape.js";
import { Brush } from "./brush.js";

const MOST = 4000; // points of a stroke
const LINES = { keep: ["#fff6df"], drop: ["#2a0f1c", [10, 7]], rub: ["#ffffff66"] };

export class Roto {
  constructor(bench, handles, picture) {
    Object.assign(this, { bench, handles, picture });
    this.part = null; // the roto that is painted on
    this.how = "keep"; // what the left button says
    this.width = 12; // source pixels
    this.before = "joined"; // the way of seeing to go back to
    this.waiting = new Set(); // strokes on their way to the document
    this.acts = {
      "paint-strokes": ({ dataset }) => (this.matte?.id === dataset.part && this.here ? this.putDown() : this.take(dataset.part)),
      "roto-how": ({ dataset }) => { this.how = dataset.to; this.mark(); },
      "roto-clear": ({ layer, dataset }) => bench.send("roto-clear", { layer: layer.id, matte: dataset.part, frame: bench.frame }).catch(() => null),
      "roto-step": ({ layer, dataset }) => this.step(layer, dataset),
    };
    this.brush = new Brush(bench, picture, document.getElementById("strokes"), {
      here: () => this.here, ready: () => this.ready(), buttons: [0, 2, 5], style: (event) => this.style(this.said(event)), done: (line, event) => this.send(line, this.said(event)), idle: () => this.show(),
    });
    for (const name of ["chosen", "layout", "shown", "state"]) bench.addEventListener(name, () => { if (this.part && !this.here) this.putDown(); this.mark(); });
    bench.addEventListener("brush-up", ({ detail }) => { if (detail.roto) this.take(detail.roto); });
    document.addEventListener("input", (event) => {
      if (!event.target.matches("[data-roto-width]")) return;
      this.width = Math.min(Math.max(Number(event.target.value) || 12, 0.5), 2000);
    });
  }

  get matte() { return this.bench.layer?.seam.matte.find((one) => one.id === this.part && one.kind === "roto"); }

  get here() { return Boolean(this.part && this.matte && this.bench.kind === "seam"); }

  /** Whether the picture that is seen is of this frame: else a stroke would lie on another than it was painted on. */
  get there() {
    const { picture: { playing, stray }, bench } = this;
    return !playing && stray?.layer === bench.layer?.id && stray.frame === bench.frame;
  }

  ready() {
    const { picture } = this;
    if (this.there) return true;
    say(picture.playing ? "Stop the play first: strokes are painted on one frame." : "The picture of this frame is still coming: paint when it is there.");
    return false;
  }

  /** What a press says: the right button drops, Alt rubs out, and a pen's other end too. */
  said(event) {
    if (event.altKey || event.button === 5) return "rub";
    return event.button === 2 ? "drop" : this.how;
  }

  take(part) {
    this.part = part;
    if (!this.here) { this.part = null; return; }
    this.before = this.bench.way;
    this.bench.painting = true;
    this.bench.see("dropped");
    say("Left button keeps, right button drops, with Alt it rubs out. Esc ends it.");
    this.mark();
  }

  /** The brush laid down; whether it was up. */
  putDown() {
    if (!this.part) return false;
    this.bench.tell("unpainted", this.part);
    this.part = null;
    this.bench.painting = false;
    if (this.bench.way === "dropped") this.bench.see(this.bench.layer ? this.before : "joined");
    this.mark();
    return true;
  }

  mark() {
    this.brush.place();
    for (const one of document.querySelectorAll('[data-do="paint-strokes"]')) one.setAttribute("aria-pressed", this.here && one.dataset.part === this.part);
    for (const one of document.querySelectorAll('[data-do="roto-how"]')) one.setAttribute("aria-pressed", one.dataset.to === this.how);
    for (const field of document.querySelectorAll("[data-roto-width]")) if (document.activeElement !== field) field.value = this.width;
  }

  style(how) {
    const [strokeStyle, dash = []] = LINES[how], { layer } = this.bench;
    return { lineWidth: this.width * this.handles.scaleOf(layer), strokeStyle, globalAlpha: 0.9, dash };
  }

  /** The strokes of this frame, thin, over the picture. */
  show() {
    const { matte, bench } = this, { stray } = this.picture;
    if (!matte || stray?.layer !== bench.layer.id || stray.frame !== bench.frame) return;
    const frame = Math.floor(stray.source + 1e-6);
    for (const one of matte.strokes.filter((each) => each.frame === frame && each.how !== "rub")) {
      const line = this.handles.fromOwn(bench.layer, one.points), [strokeStyle] = LINES[one.how], { k } = this.picture.rect;
      this.brush.draw(line, { lineWidth: 4 / k, strokeStyle: one.how === "keep" ? "#2a0f1c" : "#fff6df", globalAlpha: 0.75 });
      this.brush.draw(line, { lineWidth: 2 / k, strokeStyle });
    }
    for (const { line, how } of this.waiting) this.brush.draw(line, this.style(how));
  }

  /** To the next frame of a state, or to the one before. */
  step(layer, { part, by, state = "painted" }) {
    const { bench } = this, words = new URLSearchParams({ frame: bench.frame, by, state });
    return fetch(`/shots/${bench.id}/roto-next/${layer.id}/${part}?${words}`).then((answer) => (answer.ok ? answer.json() : null)).catch(() => null).then((found) => {
      const where = Number(by) > 0 ? "after" : "before";
      if (found?.at == null) say(`No frame ${where} this one is ${state === "look" ? "to be looked at" : state}.`);
      else bench.go(found.at);
      return found?.at ?? null;
    });
  }

  send(line, how) {
    const { bench, picture, handles } = this, { layer } = bench;
    const points = thinned(handles.toOwn(layer, line), 0.35 / picture.rect.k, MOST);
    const waits = { line, how };
    this.waiting.add(waits);
    return bench.send("roto-strokes", { layer: layer.id, matte: this.part, frame: bench.frame, stroke: { how, width: this.width, points } })
      .catch(() => null).then(() => { this.waiting.delete(waits); this.brush.place(); });
  }
}
