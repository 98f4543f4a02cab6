// Measuring tapes: a value with its unit. Drag, wheel, arrows, type, double-click for the default.
import { say } from "../common.js";
import { moves, valueAt, valueOf } from "./moving.js";

const PIXELS = 150;

export class Tapes {
  constructor(bench) {
    this.bench = bench;
    this.panel = document.getElementById("panel");
    bench.addEventListener("shown", () => this.place());
    bench.addEventListener("refused", () => this.place());
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
      if (moves(value)) this.showMoving(tape, value, this.bench.at(thing));
      else if (!moved) this.show(tape, this.value(tape));
    }
  }

  /** A value that moves, as it is at the playhead, and whether a keyframe lies just there. */
  showMoving(tape, value, at) {
    this.show(tape, valueAt(value, at));
    const here = value.keys.some((key) => key.frame === at);
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
    if (document.activeElement !== number || number.value !== text) number.value = text;
  }

  target(tape) { return tape.closest("[data-target]").dataset.target; }

  try(tape, value) {
    this.show(tape, value);
    this.bench.trySet(this.target(tape), { [tape.dataset.path]: value });
  }

  commit(tape, value) {
    this.show(tape, value);
    this.bench.set(this.target(tape), { [tape.dataset.path]: value });
  }

  press(event) {
    const scale = event.target.closest(".tape-scale");
    if (!scale || event.button !== 0) return;
    const tape = scale.parentElement;
    event.preventDefault();
    scale.focus();
    scale.setPointerCapture(event.pointerId);
    const begin = this.value(tape), x0 = event.clientX;
    const range = Number(tape.dataset.to) - Number(tape.dataset.from);
    const width = scale.clientWidth || PIXELS;
    const box = scale.getBoundingClientRect();
    let value = begin, moved = false, waiting = false, last = event;
    const apply = () => {
      waiting = false;
      const fine = last.altKey;
      const by = ((last.clientX - x0) / width) * range * (fine ? 0.1 : 1);
      value = this.fit(tape, begin + by, fine);
      this.try(tape, value);
    };
    const move = (next) => {
      if (!moved && Math.abs(next.clientX - x0) < 2) return;
      moved = true;
      last = next;
      if (!waiting) {
        waiting = true;
        requestAnimationFrame(apply);
      }
    };
    const end = (next) => {
      for (const name of ["pointermove", "pointerup", "pointercancel"]) scale.removeEventListener(name, name === "pointermove" ? move : end);
      if (next.type === "pointercancel") {
        this.show(tape, begin);
        this.bench.trial = null;
        this.bench.tell("refused");
        return;
      }
      if (moved) {
        last = next;
        apply();
        this.commit(tape, value);
      } else if (next.detail < 2) {
        const part = (next.clientX - box.left) / box.width;
        const to = this.fit(tape, Number(tape.dataset.from) + part * range);
        clearTimeout(this.click);
        this.click = setTimeout(() => this.commit(tape, to), 220);
        scale.addEventListener("dblclick", () => clearTimeout(this.click), { once: true });
      }
    };
    scale.addEventListener("pointermove", move);
    scale.addEventListener("pointerup", end);
    scale.addEventListener("pointercancel", end);
  }

  /** Steps that follow one another quickly become one edit. */
  nudge(tape, by) {
    const fine = Math.abs(by) < 1;
    const value = this.fit(tape, this.value(tape) + by * Number(tape.dataset.step), fine);
    this.try(tape, value);
    clearTimeout(this.later);
    this.later = setTimeout(() => this.commit(tape, value), 350);
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
      event.preventDefault();
      event.stopPropagation();
      this.nudge(tape, up * size);
    } else if (event.key === "Escape" && !scale) {
      this.show(tape, this.value(tape));
      event.target.blur();
    } else if (event.key === "Enter" && !scale) {
      event.target.blur();
    }
  }

  typed(event) {
    const number = event.target.closest(".tape-number");
    if (!number) return;
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
