// A curve drawn in a field: points are added, dragged and taken away; the line is the one the server computes.
import { curveAt, MOST, slopesOf, STRAIGHT } from "./curve-points.js";
import { follow } from "./drag.js";
import { moves } from "./time/moving.js";

const SVG = "http://www.w3.org/2000/svg";
const NEAR = 0.012; // two points keep so far apart along the field

export class CurveFields {
  constructor(bench) {
    this.bench = bench;
    this.which = new Map(); // by the path of the part: the curve that is shown
    this.taken = new Map();
    this.sent = new Map(); // points that are on their way to the server: the next key goes on from them
    this.levels = new Map(); // by the path of the part: how bright what comes to it is
    bench.addEventListener("painted", () => this.count());
    const panel = document.getElementById("panel");
    for (const name of ["shown", "refused", "frame"]) bench.addEventListener(name, () => this.render());
    panel.addEventListener("click", (event) => {
      const button = event.target.closest("[data-curve]");
      if (!button) return;
      const { curves } = button.closest("[data-curves]").dataset;
      this.which.set(curves, button.dataset.curve);
      this.taken.delete(curves);
      this.render();
    });
    panel.addEventListener("pointerdown", (event) => this.press(event));
    panel.addEventListener("dblclick", (event) => this.drop(event));
    panel.addEventListener("keydown", (event) => this.key(event));
    this.render();
  }

  name(at) { return this.which.get(at) ?? "master"; }

  part(box) {
    const [, , id] = box.dataset.curves.split(".");
    return this.bench.layer?.look.parts.find((one) => one.id === id);
  }

  render() {
    if (!this.bench.layer) this.sent.clear();
    for (const box of document.querySelectorAll("#panel [data-curves]")) {
      const part = this.part(box);
      if (part) this.draw(box, part);
    }
  }

  /** The points of the curve that is shown, at the playhead. */
  now(box, part) {
    const { layer } = this.bench;
    const sent = this.sent.get(`${box.dataset.curves}.${this.name(box.dataset.curves)}`);
    return sent ?? curveAt(part[this.name(box.dataset.curves)], layer ? this.bench.at(layer) : 0);
  }

  draw(box, part, points = this.now(box, part)) {
    const at = box.dataset.curves, name = this.name(at), svg = box.querySelector(".curve-field");
    for (const one of box.querySelectorAll("[data-curve]")) {
      one.setAttribute("aria-pressed", one.dataset.curve === name);
      one.classList.toggle("bent", JSON.stringify(part[one.dataset.curve]) !== JSON.stringify(STRAIGHT));
    }
    const knot = box.querySelector(".knot-button"), value = part[name];
    knot.dataset.path = `${at}.${name}`;
    const moved = moves(value) && value.keys.some((key) => key.frame === this.bench.at(this.bench.layer));
    knot.toggleAttribute("data-moves", moves(value));
    knot.dataset.here = moved;
    knot.setAttribute("aria-pressed", moved);
    svg.replaceChildren();
    if (!this.levels.has(at)) this.count();
    const put = (kind, values) => {
      const node = document.createElementNS(SVG, kind);
      for (const [key, value] of Object.entries(values)) node.setAttribute(key, value);
      svg.append(node);
      return node;
    };
    const wide = svg.clientWidth || 262, high = svg.clientHeight || 190;
    const shares = this.levels.get(at)?.[["master", "red", "green", "blue"].indexOf(name)];
    if (shares) put("path", { class: "curve-levels", d: hills(shares, wide, high) });
    for (const n of [0.25, 0.5, 0.75]) put("path", { class: "curve-grid", d: `M${n * wide} 0V${high}M0 ${n * high}H${wide}` });
    put("path", { class: "curve-grid", d: `M0 ${high}L${wide} 0` });
    put("path", { class: `curve-line ${name}`, d: line(points, wide, high) });
    points.forEach(([x, y], n) => put("circle", { class: `curve-point${this.taken.get(at) === n ? " held" : ""}`, cx: wide * x, cy: high * (1 - y), r: 5, "data-n": n }));
  }

  /** How bright the picture is that comes to each curve; asked for once nothing moves any more. */
  count() {
    const boxes = document.querySelectorAll("#panel [data-curves]");
    if (!boxes.length) return;
    clearTimeout(this.soon);
    this.soon = setTimeout(async () => {
      const { bench } = this, { layer } = bench;
      if (!layer || bench.trial || bench.playing) return;
      for (const box of document.querySelectorAll("#panel [data-curves]")) {
        const at = box.dataset.curves, part = this.part(box), for_ = `${bench.state.revision ?? bench.state.stamp} ${bench.frame} ${layer.id}`;
        if (!part || this.levels.get(at)?.for_ === for_) continue;
        const frame = Math.min(layer.span.last, Math.max(layer.span.first, bench.frame));
        const answer = await fetch(`/shots/${bench.id}/levels/${layer.id}/${part.id}?frame=${frame}`).catch(() => null);
        if (!answer?.ok) continue;
        this.levels.set(at, Object.assign(await answer.json(), { for_ }));
        if (box.isConnected && !bench.trial) this.draw(box, this.part(box) ?? part);
      }
    }, 150);
  }

  place(svg, event) {
    const box = svg.getBoundingClientRect();
    return [Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)), Math.min(1, Math.max(0, 1 - (event.clientY - box.top) / box.height))];
  }

  send(box, points, keep) {
    const path = `${box.dataset.curves}.${this.name(box.dataset.curves)}`, target = box.closest("[data-target]").dataset.target;
    const values = { [path]: points.map((point) => point.map((n) => Math.round(n * 1000) / 1000)) };
    if (keep) {
      this.sent.set(path, values[path]);
      this.bench.set(target, values).finally(() => {
        if (this.sent.get(path) === values[path]) this.sent.delete(path);
        this.render();
      });
    }
    else this.bench.trySet(target, values);
  }

  press(event) {
    const svg = event.target.closest(".curve-field");
    if (!svg || event.button !== 0) return;
    event.preventDefault();
    svg.focus();
    const box = svg.closest("[data-curves]"), at = box.dataset.curves, part = this.part(box);
    const before = this.now(box, part), [x, y] = this.place(svg, event);
    const side = svg.getBoundingClientRect();
    let n = before.findIndex(([px, py]) => Math.hypot((px - x) * side.width, (py - y) * side.height) < 11);
    let points = before.map((point) => [...point]);
    if (n < 0) {
      if (points.length >= MOST || points.some(([px]) => Math.abs(px - x) < NEAR)) return;
      n = points.findIndex(([px]) => px > x);
      if (n < 0) n = points.length;
      points.splice(n, 0, [x, y]);
    }
    this.taken.set(at, n);
    const added = points.length > before.length;
    this.draw(box, part, points);
    follow(svg, event, this.bench, () => {
      let moved = added;
      return {
        move: (next) => {
          points = this.moved(points, n, this.place(svg, next));
          moved = true;
          this.draw(box, part, points);
          this.send(box, points, false);
        },
        end: (finished) => {
          if (finished && moved) this.send(box, points, true);
          else { this.bench.trial = null; this.bench.tell("refused"); }
        },
      };
    });
  }

  /** A point elsewhere, between its neighbours. */
  moved(points, n, [x, y]) {
    const low = n > 0 ? points[n - 1][0] + NEAR : 0, high = n < points.length - 1 ? points[n + 1][0] - NEAR : 1;
    return points.map((point, k) => (k === n ? [Math.min(high, Math.max(low, x)), y] : point));
  }

  drop(event) {
    const svg = event.target.closest(".curve-field"), n = Number(event.target.dataset?.n ?? -1);
    if (!svg || n < 0) return;
    this.take(svg.closest("[data-curves]"), n);
  }

  take(box, n) {
    const points = this.now(box, this.part(box));
    if (points.length <= 2) { this.send(box, STRAIGHT, true); return; }
    this.taken.delete(box.dataset.curves);
    this.send(box, points.filter((_, k) => k !== n), true);
  }

  key(event) {
    const svg = event.target.closest(".curve-field");
    if (!svg) return;
    const box = svg.closest("[data-curves]"), at = box.dataset.curves, points = this.now(box, this.part(box));
    const n = this.taken.get(at) ?? 0, step = event.shiftKey ? 0.05 : 0.01;
    const [dx, dy] = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, step], ArrowDown: [0, -step] }[event.key] ?? [0, 0];
    if (dx || dy) {
      const [x, y] = points[Math.min(n, points.length - 1)];
      this.send(box, this.moved(points, Math.min(n, points.length - 1), [Math.min(1, Math.max(0, x + dx)), Math.min(1, Math.max(0, y + dy))]), true);
    } else if (event.key === "Delete" || event.key === "Backspace") this.take(box, n);
    else if (event.key === "PageDown" || event.key === "PageUp") {
      this.taken.set(at, (n + (event.key === "PageDown" ? 1 : points.length - 1)) % points.length);
      this.draw(box, this.part(box));
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
}

/** The curve as cubics of SVG, over a field whose bottom is black. */
function line(points, wide, high) {
  const slopes = slopesOf(points), at = (x, y) => `${(wide * x).toFixed(2)} ${(high * (1 - y)).toFixed(2)}`;
  const [first] = points, last = points.at(-1);
  let d = `M${at(0, first[1])}L${at(...first)}`;
  for (let n = 0; n + 1 < points.length; n += 1) {
    const [x0, y0] = points[n], [x1, y1] = points[n + 1], third = (x1 - x0) / 3;
    d += `C${at(x0 + third, y0 + third * slopes[n])} ${at(x1 - third, y1 - third * slopes[n + 1])} ${at(x1, y1)}`;
  }
  return `${d}L${at(1, last[1])}`;
}

/** How many pixels are how bright, as a filled line; few are seen beside many. */
function hills(shares, wide, high) {
  const most = Math.max(...shares.slice(1, -1), 1e-6), step = wide / shares.length;
  const tops = shares.map((share, n) => `L${((n + 0.5) * step).toFixed(1)} ${(high * (1 - 0.92 * Math.sqrt(Math.min(share / most, 1)))).toFixed(1)}`);
  return `M0 ${high}${tops.join("")}L${wide} ${high}Z`;
}
