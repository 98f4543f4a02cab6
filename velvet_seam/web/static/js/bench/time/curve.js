// A value's curve over time, with its keyframes to be moved in both directions and the handles of the
// way between two of them.
import { round } from "../handles/geometry.js";
import { curveOf, valueAt, valueOf } from "./moving.js";
import { NAMES, node } from "./parts.js";

const PAD = 14;

export class CurveView {
  constructor(lanes) {
    this.lanes = lanes;
    this.height = 104;
  }

  render({ path, keys }, top) {
    const { lanes } = this, { field, svg } = lanes;
    Object.assign(this, { path, keys, top });
    const first = Math.min(0, keys[0].frame), last = Math.max(lanes.thing.span.last - lanes.thing.span.first, keys.at(-1).frame);
    const step = Math.max(0.25, 2 / lanes.strip.scale);
    const value = { keys };
    const values = [];
    for (let frame = first; frame <= last; frame += step) values.push([frame, valueAt(value, frame)]);
    for (const key of keys) values.push([key.frame, key.value]);
    values.sort((a, b) => a[0] - b[0]);
    const all = values.map(([, v]) => v);
    this.low = Math.min(...all);
    this.high = Math.max(...all);
    if (this.high - this.low < 1e-9) { this.low -= 1; this.high += 1; }
    field.append(node("rect", { class: "curve-field", x: NAMES - 6, y: top, width: lanes.strip.room + 12, height: this.height - 4, rx: 4 }));
    for (const [v, at] of [[this.high, 4], [this.low, 4]]) {
      const text = node("text", { class: "tick", x: NAMES - 10, y: this.y(v) + at, "text-anchor": "end" });
      text.textContent = String(round(v, Math.abs(this.high - this.low) > 20 ? 0 : 2)).replace("-", "−");
      svg.append(text);
    }
    // a value that holds steps, it does not slope
    let d = "", before = null;
    for (const [frame, v] of values) {
      const x = round(lanes.x(frame), 1), y = round(this.y(v), 1);
      const held = before && keys.some((key) => key.ease === "hold" && key.frame <= before[0] && !keys.some((k) => k.frame > key.frame && k.frame <= before[0]));
      d += before ? (held ? `H${x}V${y}` : `L${x} ${y}`) : `M${x} ${y}`;
      before = [frame, v];
    }
    field.append(node("path", { class: "curve-line", d }));
    this.renderHandles(keys);
    for (const key of keys) {
      field.append(node("circle", {
        class: `lane-knot${lanes.has(path, key.frame) ? " chosen" : ""}`, cx: lanes.x(key.frame), cy: this.y(key.value), r: 5.5,
        "data-curve": path, "data-key": path, "data-frame": key.frame,
      }));
    }
    this.speed = node("text", { class: "tick", x: 0, y: top + this.height / 2 + 4 });
    svg.append(this.speed);
  }

  y(value) {
    return this.top + PAD + (1 - (value - this.low) / (this.high - this.low)) * (this.height - 4 - 2 * PAD);
  }

  /** The two handles of the way that leaves a chosen keyframe. */
  renderHandles(keys) {
    const { lanes } = this, { field } = lanes;
    keys.forEach((key, n) => {
      const next = keys[n + 1];
      if (!next || key.ease === "hold" || !lanes.has(this.path, key.frame)) return;
      const [x1, y1, x2, y2] = curveOf(key.ease);
      const at = (x, y) => [lanes.x(key.frame + x * (next.frame - key.frame)), this.y(key.value + y * (next.value - key.value))];
      for (const [which, from, to] of [[0, at(0, 0), at(x1, y1)], [1, at(1, 1), at(x2, y2)]]) {
        field.append(
          node("path", { class: "curve-arm", d: `M${from.map((v) => round(v, 1)).join(" ")}L${to.map((v) => round(v, 1)).join(" ")}` }),
          node("rect", { class: "curve-handle", x: to[0] - 4.5, y: to[1] - 4.5, width: 9, height: 9, rx: 3, "data-curve": "handle", "data-which": which, "data-frame": key.frame }),
        );
      }
    });
  }

  press(event) {
    return event.target.dataset.curve === "handle" ? this.dragHandle(event) : this.dragKey(event);
  }

  dragKey(event) {
    const { lanes } = this, y0 = event.clientY;
    const unit = (this.high - this.low) / (this.height - 4 - 2 * PAD);
    let upright = false;
    return lanes.dragKeys(event, (next) => {
      if (Math.abs(next.clientY - y0) > 3) upright = true; // not by a shaking hand
      return upright ? round((y0 - next.clientY) * unit, this.high - this.low > 20 ? 1 : 3) : 0;
    });
  }

  dragHandle(event) {
    const { lanes, path, keys } = this;
    const frame = Number(event.target.dataset.frame), which = Number(event.target.dataset.which);
    const n = keys.findIndex((key) => key.frame === frame), key = keys[n], next = keys[n + 1];
    const rise = next.value - key.value || 1e-9;
    const box = lanes.svg.getBoundingClientRect();
    let edit = null;
    return {
      move: (event2) => {
        const along = (lanes.frameAt(event2.clientX) - key.frame) / (next.frame - key.frame);
        const part = 1 - (event2.clientY - box.top - this.top - PAD) / (this.height - 4 - 2 * PAD);
        let across = (this.low + part * (this.high - this.low) - key.value) / rise;
        // it overshoots only when that is asked for, with Shift
        across = event2.shiftKey ? Math.min(3, Math.max(-2, across)) : Math.min(1, Math.max(0, across));
        const ease = [...curveOf(key.ease)];
        ease[2 * which] = round(Math.min(1, Math.max(0, along)), 3);
        ease[2 * which + 1] = round(across, 3);
        edit = { do: "ease-keys", target: lanes.thing.id, keys: { [path]: [frame] }, ease };
        lanes.bench.try(edit);
        this.preview(keys.map((one, k) => (k === n ? { ...one, ease } : one)));
      },
      end: (finished) => {
        if (edit && finished) lanes.bench.edit(edit);
        else { lanes.bench.trial = null; lanes.bench.tell("refused"); }
      },
    };
  }

  /** The curve as it would be, while a handle is under the hand. */
  preview(keys) {
    const { lanes } = this, saved = valueOf(lanes.thing, this.path).keys;
    const line = lanes.field.querySelector(".curve-line");
    let d = "";
    for (let frame = saved[0].frame; frame <= saved.at(-1).frame; frame += Math.max(0.25, 2 / lanes.strip.scale)) {
      d += `${d ? "L" : "M"}${round(lanes.x(frame), 1)} ${round(this.y(valueAt({ keys }, frame)), 1)}`;
    }
    line.setAttribute("d", d);
  }

  /** How fast the value changes at the playhead. */
  moveHead() {
    const { lanes } = this;
    if (!this.speed?.isConnected) return;
    const at = lanes.bench.frame - lanes.thing.span.first, value = { keys: this.keys };
    const fast = (valueAt(value, at + 0.5) - valueAt(value, at - 0.5)) * lanes.bench.rate;
    this.speed.textContent = `${String(round(fast, Math.abs(fast) < 100 ? 1 : 0)).replace("-", "−")} a second`;
  }
}
