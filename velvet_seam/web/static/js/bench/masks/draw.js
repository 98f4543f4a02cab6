// Drawing a new mask: a drag says where it lies, or an outline is drawn by hand or point by point.
import { say } from "../../common.js";
import { mask as told } from "../kinds.js";
import { round } from "../handles/geometry.js";
import { maskMap, simplified, through, toPath } from "./shape.js";
import { tidy } from "./handles.js";
import { outlineAt } from "../time/moving.js";

export class MaskDraw {
  constructor(bench, handles, newId) {
    Object.assign(this, { bench, handles, newId });
    this.acts = {
      "draw-mask": ({ layer, dataset }) => this.start(layer, dataset.kind, dataset.lookPart),
      "save-outline": ({ layer, dataset }) => this.save(layer, dataset.part),
      "fix-mask": ({ layer, dataset }) => bench.send("fixed-mask", { layer: layer.id, mask: dataset.part, to: dataset.to, frame: bench.frame }).catch(() => null),
    };
    document.addEventListener("change", (event) => {
      if (event.target.matches("[data-outline-file]")) this.takeFile(event.target);
    });
  }

  /** A mask at the middle of its layer, from which canvas places are turned into its own. */
  map(layer) {
    const at = this.bench.frame - layer.span.first;
    return maskMap({ x: 0, y: 0, rotation: 0, fixed: "layer" }, layer, at, this.bench.shot.canvas, this.handles.stray(layer), this.handles.size(layer));
  }

  add(layer, mask) {
    const id = this.newId("m");
    const { part } = this;
    const beside = part ? layer.look.parts.find((one) => one.id === part)?.masks ?? [] : layer.seam.masks;
    const first = !beside.some((one) => one.use === "limit");
    this.handles.masks.active = id;
    this.handles.masks.taken = null;
    return this.bench.edit({ do: "add-mask", layer: layer.id, ...(part ? { part } : {}), mask: { id, combine: first ? "add" : "intersect", ...mask } });
  }

  /** `part`: of the look, which is to act only inside the mask. */
  start(layer, kind, part = null) {
    this.part = part;
    if (kind === "drawn") { this.handles.drawLine(told(kind).hint, (points) => this.outline(layer, points)); return; }
    this.handles.draw(told(kind).hint, "joined", (box) => {
      const map = this.map(layer);
      const a = map.base.toSource(box.from.x, box.from.y), b = map.base.toSource(box.to.x, box.to.y);
      const du = b.u - a.u, dv = b.v - a.v, long = Math.hypot(du, dv);
      const degrees = (radians) => round(((((radians * 180) / Math.PI + 180) % 360) + 360) % 360 - 180, 1);
      const middle = { x: round((a.u + b.u) / 2, 1), y: round((a.v + b.v) / 2, 1) };
      const made = {
        straight: () => ({ ...middle, rotation: degrees(Math.atan2(-du, dv) + Math.PI) }),
        band: () => ({ ...middle, width: round(Math.max(1, long), 1), rotation: degrees(Math.atan2(dv, du)) }),
        star: () => ({ x: round(a.u, 1), y: round(a.v, 1), radius: round(Math.max(1, long), 1), rotation: degrees(Math.atan2(du, -dv)) }),
      }[kind] ?? (() => {
        const { place } = layer;
        const turned = typeof place.rotation === "number" && !place.flip_x && !place.flip_y ? -place.rotation : 0;
        return {
          ...middle, rotation: turned,
          width: round(Math.max(1, Math.abs(box.to.x - box.from.x) / map.unit), 1),
          height: round(Math.max(1, Math.abs(box.to.y - box.from.y) / map.unit), 1),
        };
      });
      this.add(layer, { kind, feather_in: 4, feather_out: 4, ...made() });
    }, told(kind).line);
  }

  /** An outline from places on the canvas; what was drawn by hand becomes a few smooth points. */
  outline(layer, { points, freehand }) {
    const map = this.map(layer);
    const own = points.map(({ x, y }) => { const { u, v } = map.base.toSource(x, y); return [u, v]; });
    const tolerance = 2.2 / (this.handles.picture.rect.k * map.unit);
    const kept = freehand ? simplified([...own, own[0]], tolerance).slice(0, -1) : own;
    if (kept.length < 3) { say("An outline has at least three points. Nothing was added.", true); return; }
    const cx = kept.reduce((sum, [x]) => sum + x, 0) / kept.length, cy = kept.reduce((sum, [, y]) => sum + y, 0) / kept.length;
    const about = kept.map(([x, y]) => [x - cx, y - cy]);
    const plain = about.map(([x, y]) => ({ x, y }));
    this.add(layer, { kind: "drawn", x: round(cx, 1), y: round(cy, 1), feather_in: 1, feather_out: 1, outline: (freehand ? through(about) : plain).map(tidy) });
  }

  async takeFile(input) {
    const [file] = input.files;
    input.value = "";
    const layer = this.bench.layer;
    if (!file || !layer) return;
    if (file.size > 1 << 20) { say(`${file.name} is longer than 1 MB. Nothing was added.`, true); return; }
    const text = await file.text(), { bench } = this;
    const answer = await bench.send("svg-outline", { layer: layer.id, text, frame: bench.frame }).catch(() => null);
    if (answer) this.handles.masks.take(answer.mask);
  }

  save(layer, id) {
    const mask = layer.seam.masks.find((one) => one.id === id);
    const outline = outlineAt(mask.outline, this.bench.at(layer));
    const xs = outline.map((one) => one.x), ys = outline.map((one) => one.y);
    const [x, y, w, h] = [Math.min(...xs), Math.min(...ys), Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys)];
    const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="${[x, y, w, h].map((n) => round(n, 2)).join(" ")}"><path fill-rule="evenodd" d="${toPath(outline)}"/></svg>\n`;
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([svg], { type: "image/svg+xml" }));
    link.download = `${layer.name} outline.svg`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 5000);
  }
}
