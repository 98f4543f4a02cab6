// The frames of a roto below the lanes: painted, held, followed, to be looked at, not followed yet. A click goes to a
// frame; a drag chooses a stretch, to be held as it is.
import { follow } from "../drag.js";
import { NAMES, node } from "./parts.js";

const TALL = 30, MIDDLE = 13;
const BARS = { painted: 12, held: 12, carried: 4, look: 10, waiting: 1, guessed: 3, nothing: 0 }; // how tall each is drawn
export const WORDS = { painted: "painted", held: "held as it is", carried: "followed", look: "to be looked at", waiting: "not followed yet", guessed: "guessed by itself", nothing: "nothing painted before its cut" };

export class RotoStrip {
  constructor(bench, strip, roto) {
    Object.assign(this, { bench, strip, roto });
    this.svg = document.getElementById("roto-strip");
    this.found = null; // what the server last said: runs and counts
    this.stretch = null; // first and last frame of the shot that are chosen
    this.busy = false; // something is being followed
    this.part = null; // the roto that was asked for
    for (const name of ["state", "chosen", "shown", "way"]) bench.addEventListener(name, () => this.later());
    bench.addEventListener("strip", () => this.render());
    bench.addEventListener("frame", () => { this.moveHead(); this.say(); });
    bench.addEventListener("chosen", () => { this.stretch = null; });
    new ResizeObserver(() => this.render()).observe(this.svg.parentElement);
    this.svg.addEventListener("pointerdown", (event) => this.press(event));
  }

  /** The roto whose frames are shown: that which is painted on, else that which was asked for, else the first. */
  get matte() {
    const { bench, roto } = this;
    if (bench.kind !== "seam" || !bench.layer || !this.clip) return null;
    const rotos = bench.layer.seam.matte.filter((one) => one.kind === "roto");
    return roto.matte ?? rotos.find((one) => one.id === this.part) ?? rotos[0] ?? null;
  }

  /** Show the frames of another roto of this layer. */
  show(part) {
    this.part = part;
    this.stretch = null;
    this.later();
  }

  get clip() { return this.bench.state.footage[this.bench.layer.source.footage]?.kind === "clip"; }

  /** What is chosen to be held: the stretch, else this frame. */
  get chosen() { return this.stretch ?? [this.bench.frame, this.bench.frame]; }

  later() {
    clearTimeout(this.timer);
    this.render();
    this.timer = setTimeout(() => this.ask(), this.matte ? 120 : 0);
  }

  async ask() {
    const { bench, matte } = this;
    if (!matte) { this.found = null; this.render(); return; }
    const of = `${bench.layer.id}/${matte.id}`;
    const answer = await fetch(`/shots/${bench.id}/roto-states/${of}`).catch(() => null);
    const found = answer?.ok ? await answer.json() : null;
    if (this.matte?.id !== matte.id) return;
    this.found = found && { ...found, of };
    this.render();
  }

  stateAt(frame) { return this.found?.runs.find(([first, last]) => first <= frame && frame <= last)?.[2] ?? null; }

  render() {
    const { svg, strip, found } = this, runs = this.matte && found?.of.endsWith(`/${this.matte.id}`) ? found.runs : null;
    svg.toggleAttribute("hidden", !runs);
    svg.replaceChildren();
    this.head = null;
    this.say();
    if (!runs) return;
    svg.setAttribute("height", TALL);
    svg.setAttribute("viewBox", `0 0 ${strip.room + NAMES + 8} ${TALL}`);
    const label = node("text", { x: 0, y: MIDDLE + 4, class: "lane-name" });
    label.textContent = "Roto";
    const clip = node("clipPath", { id: "roto-field" });
    clip.append(node("rect", { x: NAMES - 1, y: 0, width: strip.room + 9, height: TALL }));
    const field = node("g", { "clip-path": "url(#roto-field)" });
    for (const [first, last, state] of runs) field.append(this.run(first, last, state));
    if (this.stretch) {
      const [first, last] = this.stretch;
      field.append(node("rect", { class: "lane-box", x: strip.x(first), y: 1, width: (last - first + 1) * strip.scale, height: TALL - 6, rx: 4 }));
    }
    this.head = node("line", { class: "head-line", y1: 0, y2: TALL - 4 });
    field.append(this.head);
    svg.append(label, clip, field);
    this.moveHead();
  }

  run(first, last, state) {
    const { strip } = this, tall = BARS[state], wide = (last - first + 1) * strip.scale, gap = Math.min(1, strip.scale / 4);
    const group = node("g", { class: `roto-${state}` });
    const title = node("title", {});
    title.textContent = WORDS[state];
    group.append(title, node("rect", { class: "roto-room", x: strip.x(first), y: 0, width: wide, height: TALL }));
    if (tall) group.append(node("rect", { x: strip.x(first) + gap / 2, y: MIDDLE - tall / 2, width: Math.max(wide - gap, 1.5), height: tall, rx: Math.min(3, tall / 2) }));
    if (state === "held") for (const at of [first, last]) group.append(node("circle", { cx: strip.x(at + 0.5), cy: MIDDLE, r: 2.5 }));
    return group;
  }

  moveHead() {
    if (!this.head) return;
    const x = this.strip.x(this.bench.frame);
    this.head.setAttribute("x1", x);
    this.head.setAttribute("x2", x);
  }

  press(event) {
    const { bench, strip } = this, { span } = bench.layer;
    const frame = (x) => Math.min(Math.max(Math.floor(strip.frameAt(x)), span.first), span.last);
    const from = frame(event.clientX);
    if (event.button !== 0 || event.clientX - this.svg.getBoundingClientRect().left < NAMES - 6) return;
    event.preventDefault();
    this.stretch = null;
    follow(this.svg, event, { saving: 0 }, () => ({
      move: (next) => {
        const to = frame(next.clientX);
        this.stretch = to === from ? null : [Math.min(from, to), Math.max(from, to)];
        this.render();
      },
      end: () => {
        if (!this.stretch) { bench.tell("pause"); bench.go(from); }
        this.render();
      },
    }));
  }

  /** In the panel: how far each roto is followed, and what this frame is in it; of one at a time. */
  say() {
    const shown = this.matte?.id;
    for (const block of document.querySelectorAll("[data-roto]")) {
      if (block.dataset.roto === shown) this.tell(block);
      else this.rest(block);
    }
  }

  /** Of a roto whose frames are not shown. */
  rest(block) {
    block.querySelector(".roto-over").textContent = "Its frames are not shown below";
    block.querySelector(".roto-here").textContent = "";
    for (const button of block.querySelectorAll("button")) button.disabled = true;
    const go = block.querySelector(".roto-follow");
    Object.assign(go, { disabled: false, textContent: "Show its frames", title: "In place of those of the other roto" });
  }

  tell(block) {
    const { matte, stretch, busy } = this, part = (name) => block.querySelector(`.roto-${name}`);
    const counts = this.found?.counts ?? {}, look = counts.look ?? 0, waiting = counts.waiting ?? 0;
    const known = (counts.carried ?? 0) + look, all = known + waiting, state = this.stateAt(this.bench.frame);
    part("over").textContent = this.words(counts, known, all);
    part("here").textContent = stretch ? `${stretch[1] - stretch[0] + 1} frames chosen` : state ? `This frame: ${WORDS[state]}` : "Not there at the playhead";
    part("here").className = `roto-here flex-1 ${!stretch && state === "look" ? "said-look-words" : "text-quiet"}`;
    const held = state === "held" && !stretch, hold = part("hold"), go = part("follow");
    hold.textContent = held ? "Let go" : stretch ? "Hold them" : "It is right";
    hold.dataset.on = held ? "" : "yes";
    hold.disabled = !stretch && ["nothing", "guessed", null].includes(state);
    part("loose").hidden = !stretch;
    part("loose").disabled = false;
    go.disabled = !waiting && !busy;
    go.textContent = busy ? "Stop" : "Follow on";
    go.title = busy ? "What is followed stays" : waiting ? "Every frame is found in the background, and judged" : "Every frame is followed";
    part("look").disabled = !look;
    const last = matte.strokes.length && !matte.held.some((one) => one.strokes >= matte.strokes.length);
    for (const one of block.querySelectorAll(".roto-last button")) one.disabled = !last;
  }

  words({ guessed, look = 0 }, known, all) {
    if (guessed) return "Guessed, frame by frame; nothing is followed";
    if (!all) return this.found ? "Every frame is painted or held" : "…";
    if (known < all) return `${known} of ${all} frames followed`;
    return look ? `${look} of ${all} frames to be looked at` : "Followed; nothing to be looked at";
  }
}
