// Marks: named frames, drawn as pins in the ruler. Put, moved, named, jumped to, and found in footage.
import { openBy } from "../popover.js";
import { say } from "../../common.js";
import { NAMES, node } from "./parts.js";

export class Marks {
  constructor(bench, strip) {
    Object.assign(this, { bench, strip });
    this.chosen = null;
    this.name = document.getElementById("mark-name");
    this.box = document.getElementById("mark-pop");
    this.name.addEventListener("change", () => this.rename());
    this.name.addEventListener("keydown", (event) => { if (event.key === "Enter") this.box.hidePopover(); });
    this.box.querySelector("[data-mark-remove]").addEventListener("click", () => { this.box.hidePopover(); this.remove(); });
    this.box.addEventListener("click", (event) => {
      const thread = event.target.closest("[data-thread]")?.dataset.thread;
      if (thread && this.chosen) this.bench.edit({ do: "set-values", target: null, values: { [`marks.${this.chosen}.thread`]: Number(thread) } });
    });
  }

  get all() { return this.bench.shot.marks; }

  render(height) {
    const { strip } = this;
    for (const mark of this.all) {
      const x = strip.x(mark.frame);
      if (x < NAMES - 6 || x > NAMES + strip.room + 6) continue;
      const pin = node("g", { class: `mark thread-${mark.thread}${mark.id === this.chosen ? " chosen" : ""}` });
      pin.append(
        node("line", { x1: x, x2: x, y1: 20, y2: height }),
        node("circle", { cx: x, cy: 17, r: 4.5, "data-grab": "mark", "data-mark": mark.id }),
      );
      const title = node("title", {});
      title.textContent = `${mark.name}, ${this.bench.spell(mark.frame)}`;
      pin.append(title);
      strip.field.append(pin);
    }
  }

  /** Put a mark at the playhead, also while playing; where one is, it is taken away. */
  async toggle() {
    const { bench } = this;
    const here = this.all.filter((mark) => mark.frame === bench.frame);
    const id = `n${crypto.randomUUID().replaceAll("-", "").slice(0, 15)}`;
    bench.marking = true;
    await bench.edit(here.length ? { do: "remove-marks", marks: here.map((mark) => mark.id) }
      : { do: "add-mark", mark: { id, frame: bench.frame, name: `Mark ${this.all.length + 1}` } });
    bench.marking = false;
  }

  jump(by) {
    const { bench } = this;
    const next = by > 0 ? this.all.find((mark) => mark.frame > bench.frame) : this.all.findLast((mark) => mark.frame < bench.frame);
    if (!next) { say(this.all.length ? `There is no mark ${by > 0 ? "after" : "before"} this frame.` : "There is no mark yet; M puts one."); return; }
    bench.tell("pause");
    bench.go(next.frame);
  }

  press(event) {
    const { bench, strip } = this;
    const mark = this.all.find((one) => one.id === event.target.dataset.mark);
    if (!mark) return null; // it is gone by now
    this.chosen = mark.id;
    let to = mark.frame, moved = false;
    return {
      move: (frame, next) => {
        const hit = next.altKey ? null : strip.snap.near(frame, strip.snap.targets(mark.id));
        to = Math.min(Math.max(0, hit ? hit.frame : Math.round(frame)), bench.shot.length - 1);
        if (to === mark.frame && !moved) return;
        moved = true;
        bench.go(to);
        strip.snap.show({ frame: to, word: hit ? hit.word : bench.spell(to) });
      },
      end: (finished) => {
        if (moved && finished) { bench.edit({ do: "set-values", target: null, values: { [`marks.${mark.id}.frame`]: to } }); return; }
        if (!finished) return;
        bench.tell("pause");
        bench.go(mark.frame);
        this.show(mark, event.clientX);
      },
    };
  }

  /** Name, colour and removal of a mark, just above it. */
  show(mark, x) {
    this.name.value = mark.name;
    this.strip.render();
    const { top } = this.strip.svg.getBoundingClientRect();
    openBy(this.box, { left: x - 110, top, bottom: top + 20 }, "above");
    this.name.select();
  }

  rename() {
    const name = this.name.value.trim();
    if (name && this.chosen) this.bench.edit({ do: "set-values", target: null, values: { [`marks.${this.chosen}.name`]: name } });
  }

  remove() {
    if (this.chosen) this.bench.edit({ do: "remove-marks", marks: [this.chosen] });
    this.chosen = null;
  }

  /** Marks on what is found in a layer's or a sound's footage. */
  async find(target, found) {
    const answer = await this.bench.send("marks", { target, found }).catch(() => null);
    if (answer) say(answer.said);
  }

  /** Move a thing so that a moment of it lies on the mark nearest to the playhead, or on the playhead. */
  async lay(thing, found) {
    const { bench } = this;
    const to = [...this.all].sort((a, b) => Math.abs(a.frame - bench.frame) - Math.abs(b.frame - bench.frame))[0];
    await bench.send("lay", { target: thing.id, found, frame: to?.frame ?? bench.frame }).catch(() => null);
  }
}
