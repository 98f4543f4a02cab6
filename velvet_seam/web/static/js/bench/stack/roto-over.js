// What is done with a roto over the clip: followed, looked at again, held, and its last stroke seen without and taken back.
import { say } from "../../common.js";
import { RotoStrip } from "../time/roto-strip.js";

const POLL = 500, OPEN = ["waiting", "working"];

export class RotoOver {
  constructor(bench, picture, roto, strip) {
    Object.assign(this, { bench, picture, roto });
    this.strip = new RotoStrip(bench, strip, roto);
    this.watch(); // one that goes on when the page is opened again
    this.acts = {
      "roto-follow": ({ layer, dataset: { part } }) => (part !== this.strip.matte?.id ? this.strip.show(part) : this.strip.busy ? this.stop() : this.follow(layer, part)),
      "roto-look": () => this.look(1),
      "roto-hold": ({ layer, dataset }) => this.hold(layer, dataset.part, Boolean(dataset.on)),
      "roto-loose": ({ layer, dataset }) => this.hold(layer, dataset.part, false),
      "roto-back": ({ layer, dataset }) => this.back(layer, dataset.part),
    };
    bench.addEventListener("unpainted", ({ detail }) => this.goOn(detail));
    document.getElementById("panel").addEventListener("pointerdown", ({ target }) => { if (target.closest("[data-before]")) this.before(true); });
    document.getElementById("panel").addEventListener("keydown", (event) => { if (event.target.closest("[data-before]") && [" ", "Enter"].includes(event.key) && !event.repeat) { event.preventDefault(); this.before(true); } });
    for (const name of ["pointerup", "pointercancel", "keyup", "blur"]) addEventListener(name, () => this.before(false));
  }

  /** The brush laid down: what is not followed yet is, in the background. */
  async goOn(part) {
    const { bench, strip } = this, { layer } = bench;
    strip.show(part); // what was painted on stays in sight
    const { matte } = strip;
    if (!layer || matte?.id !== part || strip.busy) return;
    await bench.settled();
    await strip.ask();
    if (strip.found?.counts.waiting) this.follow(layer, matte.id);
  }

  async follow(layer, part) {
    if (await this.bench.send("roto-follow", { layer: layer.id, matte: part }).catch(() => null)) this.watch();
  }

  stop() { return fetch(`/shots/${this.bench.id}/working/roto`, { method: "DELETE" }).catch(() => null); }

  /** While it is followed, the strip and the panel say how far; at the end only what went wrong is told. */
  async watch() {
    const { bench, strip } = this;
    if (strip.busy) return;
    const now = () => fetch(`/shots/${bench.id}/working/roto`).then((answer) => (answer.ok ? answer.json() : null)).catch(() => null);
    let told = await now();
    while (!told || OPEN.includes(told.state)) {
      strip.busy = bench.following = true;
      await strip.ask();
      await new Promise((done) => { setTimeout(done, POLL); });
      told = await now();
    }
    if (strip.busy && told.state === "failed") say(told.sentence, true);
    strip.busy = bench.following = false;
    bench.tell("followed");
    await strip.ask();
  }

  /** To where a stretch is to be looked at next; from the last one on to the first. */
  look(by) {
    const { bench, strip } = this, { matte } = strip;
    if (!matte) { say("Choose a seam with a roto first."); return; }
    const runs = strip.found?.runs.filter(([, , state]) => state === "look") ?? [];
    if (!runs.length) { say(strip.found?.counts.waiting ? "Nothing is known of its frames yet: follow it first." : "No frame is to be looked at."); return; }
    // the most doubtful frame of each stretch: what is painted there puts most of it right
    const frames = runs.map((run) => run[3]), { frame } = bench;
    const next = by > 0 ? frames.find((one) => one > frame) ?? frames[0] : frames.findLast((one) => one < frame) ?? frames.at(-1);
    bench.tell("pause");
    bench.go(next);
  }

  async hold(layer, part, on) {
    const { strip, bench } = this, [frame, last] = strip.chosen;
    if (await bench.send("roto-hold", { layer: layer.id, matte: part, frame, last, on }).catch(() => null)) strip.stretch = null;
    strip.render();
  }

  last(layer, part) {
    const held = layer?.seam.matte.find((one) => one.id === part), strokes = held?.strokes ?? [];
    return { strokes, held: held?.held.some((one) => one.strokes >= strokes.length) };
  }

  /** Seen as it was before the last stroke, while held. */
  before(on) {
    const { bench, strip } = this, { matte } = strip;
    if (on === Boolean(this.seeing)) return;
    if (on && (!matte || !matte.strokes.length || this.last(bench.layer, matte.id).held)) return;
    this.seeing = on;
    bench.bare = on ? { do: "set-values", target: bench.layer.id, values: { [`seam.matte.${matte.id}.strokes`]: matte.strokes.slice(0, -1) } } : null;
    this.picture.refreshMain();
  }

  back(layer, part) {
    const { strokes, held } = this.last(layer, part);
    if (!strokes.length) return null;
    if (held) { say("Frames are held as they were with this stroke: let go of them first."); return null; }
    return this.bench.set(layer.id, { [`seam.matte.${part}.strokes`]: strokes.slice(0, -1) });
  }
}
