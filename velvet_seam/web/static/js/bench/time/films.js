// Films: small pictures of a clip along its bar, behind the lanes, each at its place in the clip's own time.
import { sourceAlong } from "./moving.js";
import { NAMES } from "./parts.js";

export class Films {
  constructor(bench, strip) {
    Object.assign(this, { bench, strip });
    this.canvas = document.createElement("canvas");
    this.canvas.className = "films";
    this.canvas.setAttribute("aria-hidden", "true");
    strip.svg.before(this.canvas);
    this.tiles = new Map();
  }

  get bar() { return this.strip.rows[1]; }

  clip(layer) {
    const item = ["footage", "nested", "baked"].includes(layer.source?.kind) ? this.bench.state.footage[layer.source.footage] : null;
    return item && item.kind !== "sound" && !item.missing ? item : null;
  }

  /** The pictures of a piece of footage at the height of a bar, side by side; none until they are there. */
  tilesOf(item) {
    const { bar } = this, key = `${item.id} ${item.seen ?? ""} ${bar}`;
    if (this.tiles.has(key)) return this.tiles.get(key);
    if (!item.ready) return null;
    this.tiles.set(key, null);
    const image = new Image();
    image.onload = () => {
      const ratio = devicePixelRatio || 1, tall = Math.round(bar * ratio);
      const count = Math.max(1, Math.round(image.naturalWidth / ((item.width * image.naturalHeight) / item.height)));
      const wide = Math.max(1, Math.round((image.naturalWidth / count) * (tall / image.naturalHeight)));
      const small = document.createElement("canvas");
      Object.assign(small, { width: wide * count, height: tall });
      small.getContext("2d").drawImage(image, 0, 0, small.width, tall);
      this.tiles.set(key, { small, count, wide, tall });
      if (!this.strip.held) this.strip.render();
    };
    image.src = item.seen ? `/shots/${item.id}/strip.jpg?r=${item.seen}` : `/footage/${item.id}/strip.jpg`;
    return null;
  }

  /** Begin anew, as large as the lanes. */
  clear(width, height) {
    const { canvas } = this, ratio = devicePixelRatio || 1;
    Object.assign(canvas, { width: Math.round(width * ratio), height: Math.round(height * ratio) });
    Object.assign(canvas.style, { width: `${width}px`, height: `${height}px` });
    this.ratio = ratio;
  }

  /** The film of one bar, in the place of what was there; answers whether it has one. */
  draw(layer, x0, x1, y) {
    const item = this.clip(layer), film = item && this.tilesOf(item);
    if (!film) return false;
    const { ratio, strip } = this, pen = this.canvas.getContext("2d");
    pen.clearRect(0, y * ratio, this.canvas.width, film.tall);
    const { small, count, wide, tall } = film, slot = wide / ratio;
    const at = sourceAlong(layer, this.bench.rate), { ends } = layer.time;
    const left = Math.max(x0, NAMES - 6), right = Math.min(x1, NAMES + strip.room + 8);
    pen.save();
    pen.beginPath();
    pen.roundRect(left * ratio, y * ratio, Math.max(0, right - left) * ratio, tall, 5 * ratio);
    pen.clip();
    pen.globalAlpha = layer.hidden ? 0.25 : 0.85;
    for (let n = Math.max(0, Math.floor((left - x0) / slot)); x0 + n * slot < right; n += 1) {
      const part = Math.min(1, ((n + 0.5) * slot) / (x1 - x0));
      const tile = count < 2 ? 0 : Math.round(folded(at(part) / item.seconds, ends) * (count - 1));
      pen.drawImage(small, tile * wide, 0, wide, tall, Math.round((x0 + n * slot) * ratio), Math.round(y * ratio), wide, tall);
    }
    pen.restore();
    return true;
  }
}

/** How far through a clip a time of it is, 0 to 1, beyond its ends as it has been told to go on. */
function folded(part, ends) {
  if (ends === "loop") return ((part % 1) + 1) % 1;
  if (ends === "bounce") return 1 - Math.abs((((part % 2) + 2) % 2) - 1);
  return Math.min(Math.max(part, 0), 1);
}
