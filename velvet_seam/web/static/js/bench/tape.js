// Measuring tapes: a value with its unit. Drag, wheel, arrows, type, double-click for the default.
import { say } from "../common.js";
import { follow } from "./drag.js";
import { inSpan } from "./handles/geometry.js";
import { moves, valueAt, valueOf } from "./time/moving.js";

const PIXELS = 150;

export class Tapes {
  constructor(bench) {
    this.bench = bench;
    this.panel = document.getElementById("panel");
    bench.addEventListener("shown", () => this.place());
    bench.addEventListener("refused", () => this.place());
    bench.addEventListener("flush", () => this.flush());
    bench.addEventListener("trial", () => this.follow(bench.trial));
    bench.addEventListener("frame", () => this.place(this.panel, true));
    this.panel.addEventListener("pointerdown", (event) => this.press(event));
    this.panel.addEventListener("dblclick", (event) => {
      const tape = event.target.closest(".tape-scale")?.parentElement;
      if (tape) this.commit(tape, Number(tape.dataset.default));
    });
    this.panel.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    this.panel.addEventListener("keydown", (event) => this.key(event));
    this.panel.addEventListener("change", (event) => this.typed(event));
    this.typing = null; // the number that one is writing: an answer that comes meanwhile leaves it alone
    this.panel.addEventListener("input", ({ target }) => { if (target.matches(".tape-number")) this.typing = target; });
    this.panel.addEventListener("focusout", ({ target }) => { if (target === this.typing) this.typing = null; });
    this.panel.addEventListener("focusin", (event) => {
      if (event.target.matches(".tape-number")) event.target.select();
    });
    this.place();
  }

  value(tape) { return Number(tape.querySelector(".tape-scale").getAttribute("aria-valuenow")); }

  /** Keep a value inside its bounds and on a sensible grid. */
  fit(tape, value, fine = false) {
    const { low, high, step } = tape.dataset;
    const grid = Number(step) / (fine ? 10 : 1);
    const snapped = Math.round(value / grid) * grid;
    return Math.min(Number(high), Math.max(Number(low), Number(snapped.toFixed(4))));
  }

  /** Show every number; with `moved` only those that change from frame to frame. */
  place(root = this.panel, moved = false) {
    for (const tape of root.querySelectorAll(".tape")) {
      const thing = this.bench.thing(this.target(tape));
      const value = thing && valueOf(thing, tape.dataset.path);
      if (moves(value)) this.showMoving(tape, value, this.bench.at(thing), inSpan(thing, this.bench.frame));
      else if (!moved) this.show(tape, this.value(tape));
    }
  }

  /** A value that moves, as it is at the playhead, and whether a keyframe lies just there. */
  showMoving(tape, value, at, there) {
    this.show(tape, valueAt(value, at));
    const here = there && value.keys.some((key) => key.frame === at);
    const knot = tape.querySelector(".knot-button");
    knot.dataset.here = here;
    knot.setAttribute("aria-pressed", here);
    knot.title = `${here ? "Take this keyframe away" : "Put a keyframe here"}; ${value.keys.length} in all`;
  }

  /** Numbers follow a handle that is dragged on the picture. */
  follow(edit) {
    for (const [path, value] of Object.entries(edit?.values ?? {})) {
      const tape = this.panel.querySelector(`.tape[data-path="${path}"]`);
      if (tape && typeof value === "number") this.show(tape, value);
    }
  }

  show(tape, value) {
    const { from, to, unit } = tape.dataset;
    const part = Math.min(1, Math.max(0, (value - from) / (to - from)));
    const scale = tape.querySelector(".tape-scale");
    const text = String(Number(value.toFixed(2)));
    tape.querySelector(".tape-pointer").style.left = `${100 * part}%`;
    scale.setAttribute("aria-valuenow", text);
    scale.setAttribute("aria-valuetext", `${text} ${unit}`.trim());
    const number = tape.querySelector(".tape-number");
    if (number !== this.typing && number.value !== text) number.value = text;
  }

  target(tape) { return tape.closest("[data-target]").dataset.target; }

  try(tape, value) {
    this.show(tape, value);
    this.bench.trySet(this.target(tape), { [tape.dataset.path]: value });
  }

  commit(tape, value) {
    this.forget();
    this.show(tape, value);
    this.send(this.target(tape), tape.dataset.path, value);
  }

  send(target, path, value) {
    const keep = path === "time.speed" && document.getElementById("field-keep")?.value;
    if (keep === "stretch") this.bench.edit({ do: "change-speed", target, speed: value });
    else this.bench.set(target, { [path]: value });
  }

  /** A value that waits for the hand to rest is not sent by itself any more. */
  forget() {
    clearTimeout(this.later);
    this.waiting = null;
  }

  /** Something else is sent: what waits goes before it. */
  flush() {
    const { waiting } = this;
    if (!waiting) return;
    this.forget();
    this.send(...waiting);
  }

  press(event) {
    const scale = event.target.closest(".tape-scale");
    if (!scale || event.button !== 0) return;
    const tape = scale.parentElement;
    event.preventDefault();
    scale.focus();
    const x0 = event.clientX, path = tape.dataset.path, target = this.target(tape);
    follow(scale, event, this.bench, () => {
      if (!scale.isConnected || tape.dataset.path !== path || this.target(tape) !== target) return null;
      const begin = this.value(tape), box = scale.getBoundingClientRect();
      const range = Number(tape.dataset.to) - Number(tape.dataset.from);
      let value = begin, moved = false;
      return {
        move: (next) => {
          if (!moved && Math.abs(next.clientX - x0) < 2) return;
          moved = true;
          const by = ((next.clientX - x0) / (box.width || PIXELS)) * range * (next.altKey ? 0.1 : 1);
          value = this.fit(tape, begin + by, next.altKey);
          this.try(tape, value);
        },
        end: (finished, last) => {
          if (!finished) {
            this.show(tape, begin);
            this.bench.trial = null;
            this.bench.tell("refused");
          } else if (moved) this.commit(tape, value);
          else if (last.detail < 2) {
            const to = this.fit(tape, Number(tape.dataset.from) + ((last.clientX - box.left) / box.width) * range);
            clearTimeout(this.click);
            this.click = setTimeout(() => this.commit(tape, to), 220);
            scale.addEventListener("dblclick", () => clearTimeout(this.click), { once: true });
          }
        },
      };
    });
  }

  /** Steps that follow one another quickly become one edit. */
  nudge(tape, by) {
    const fine = Math.abs(by) < 1;
    const value = this.fit(tape, this.value(tape) + by * Number(tape.dataset.step), fine);
    this.try(tape, value);
    clearTimeout(this.later);
    this.waiting = [this.target(tape), tape.dataset.path, value];
    this.later = setTimeout(() => this.flush(), 350);
  }

  wheel(event) {
    const scale = event.target.closest(".tape-scale");
    if (!scale || document.activeElement !== scale) return;
    event.preventDefault();
    this.nudge(scale.parentElement, (event.deltaY < 0 ? 1 : -1) * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1));
  }

  key(event) {
    const scale = event.target.closest(".tape-scale");
    const tape = event.target.closest(".tape");
    if (!tape) return;
    const size = event.shiftKey ? 10 : event.altKey ? 0.1 : 1;
    const up = { ArrowUp: 1, ArrowDown: -1, ...(scale ? { ArrowRight: 1, ArrowLeft: -1 } : {}) }[event.key];
    if (up) {
      this.typing = null;
      event.preventDefault();
      event.stopPropagation();
      this.nudge(tape, up * size);
    } else if (event.key === "Escape" && !scale) {
      this.typing = null;
      this.show(tape, this.value(tape));
      event.target.blur();
    } else if (event.key === "Enter" && !scale) {
      event.target.blur();
    }
  }

  typed(event) {
    const number = event.target.closest(".tape-number");
    if (!number) return;
    this.typing = null;
    const tape = number.closest(".tape");
    const { low, high, unit } = tape.dataset;
    const value = Number(number.value.replace(",", ".").replace(/[^\d.+\-e]/gi, ""));
    if (!number.value.trim() || !Number.isFinite(value) || value < Number(low) || value > Number(high)) {
      say(`${number.getAttribute("aria-label").split(",")[0]} lies between ${Number(low)} and ${Number(high)} ${unit}. The value was kept.`, true);
      number.value = "";
      this.show(tape, this.value(tape));
      return;
    }
    this.commit(tape, value);
  }
}
