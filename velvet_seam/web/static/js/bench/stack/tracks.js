// Tracks: drawn on the picture, followed in the background, set by hand where they are wrong, and followed by others.
import { layerMap, round } from "../handles/geometry.js";
import { add } from "../handles/svg.js";

const LEAST = 10; // canvas pixels: a smaller box is a click

export class Tracks {
  constructor(bench, handles, watch) {
    Object.assign(this, { bench, handles, watch });
    this.moved = null; // where the track under the hand is, canvas pixels before what moves the layer
    this.pending = null; // what is being followed: drawn where it was set, until it is
    this.active = null;
    handles.tracks = this;
    this.acts = {
      "draw-point": ({ layer }) => this.draw(layer, "point"),
      "draw-plane": ({ layer }) => this.draw(layer, "plane"),
      "remove-track": ({ layer, dataset }) => bench.edit({ do: "remove-track", layer: layer.id, track: dataset.track }),
      "smooth-track": ({ layer, dataset }) => this.change(layer, dataset.track, { smooth: Number(dataset.to) }),
      "still-track": ({ layer, dataset }) => this.hold(layer, dataset.track),
      "follow-track": ({ layer, dataset }) => this.follow(layer, dataset.of, dataset.track),
      "follow-how": ({ layer, dataset }) => this.set(layer, { ...layer.follow, how: dataset.how }),
      "follow-here": ({ layer }) => this.set(layer, { ...layer.follow, frame: bench.frame }),
      "follow-keyed": ({ layer }) => bench.send("keyed", { layer: layer.id }).catch(() => null),
      "put-onto": ({ layer, dataset }) => bench.send("onto", { layer: layer.id, of: dataset.of, track: dataset.track, frame: bench.frame }).catch(() => null),
      "follow-none": ({ layer }) => this.set(layer, {}),
      "carry-outline": ({ layer, dataset }) => this.carry(layer, dataset.part),
      "go-to": ({ dataset }) => { bench.tell("pause"); bench.go(Number(dataset.frame)); },
    };
    document.addEventListener("change", ({ target }) => {
      const { layer } = bench;
      if (target.dataset?.trackName && layer) this.change(layer, target.dataset.trackName, { name: target.value });
      if (target.dataset?.aim && target.value && layer) {
        const [of, id] = target.value.split(":");
        bench.send("aim", { layer: layer.id, part: target.dataset.aim, of, tracks: [id] }).catch(() => null);
      }
      if (target.dataset?.maskFollows && layer) this.maskFollows(layer, target.dataset.maskFollows, target.value);
    });
    document.getElementById("panel").addEventListener("pointerdown", ({ target }) => {
      const block = target.closest("[data-track]");
      if (block && block.dataset.track !== this.active) { this.active = block.dataset.track; handles.render(); }
    });
  }

  draw(layer, kind) {
    const words = kind === "point" ? "Drag a box around what is to be followed." : "Drag a box over something flat; move its corners afterwards.";
    this.handles.draw(words, "joined", ({ from, to }) => {
      const [x0, x1] = [from.x, to.x].sort((a, b) => a - b), [y0, y1] = [from.y, to.y].sort((a, b) => a - b);
      if (kind === "plane") this.begin(layer, { kind, places: [[x0, y0], [x1, y0], [x1, y1], [x0, y1]] });
      else {
        const size = Math.max(x1 - x0, y1 - y0);
        this.begin(layer, { kind, places: [[(x0 + x1) / 2, (y0 + y1) / 2]], ...(size > LEAST ? { size } : {}) });
      }
    });
  }

  /** The server counts in canvas pixels as they are seen. */
  async begin(layer, body) {
    const seen = body.places.map(([x, y]) => { const p = this.seen({ x, y }); return [round(p.x, 2), round(p.y, 2)]; });
    const answer = await this.bench.send("track", { layer: layer.id, frame: this.bench.frame, ...body, places: seen }).catch(() => null);
    if (!answer) return;
    this.active = answer.track;
    const pending = this.pending = { layer: layer.id, id: answer.track, frame: this.bench.frame, kind: body.kind, size: body.size, points: body.places.map(([x, y]) => ({ x, y })) };
    this.handles.render();
    this.watch("track").then(() => {
      if (this.pending === pending) this.pending = null;
      this.handles.render();
    });
  }

  /** A drawn outline along what it goes round, over the next frames or those before. */
  async carry(layer, mask) {
    const frames = Number(document.getElementById(`carry-${mask}`)?.value) || 12;
    if (await this.bench.send("carry", { layer: layer.id, mask, frame: this.bench.frame, frames }).catch(() => null)) this.watch("carry");
  }

  seen(p) {
    const { handles } = this, [x, y] = handles.point(p), { rect } = handles.picture;
    return { x: (x - rect.x) / rect.k, y: (y - rect.y) / rect.k };
  }

  change(layer, id, values) {
    const track = layer.tracks.find((one) => one.id === id);
    return track && this.bench.edit({ do: "set-track", layer: layer.id, track: { ...track, ...values } });
  }

  set(layer, follow, part = null) {
    return this.bench.edit({ do: "follow-track", layer: layer.id, ...(part ? { part } : {}), follow });
  }

  kind(of, id) { return this.bench.shot.layers.find((one) => one.id === of)?.tracks.find((one) => one.id === id)?.kind; }

  /** One more track of the same layer, or one less; of another layer, that one instead. */
  follow(layer, of, id) {
    const { follow } = layer, same = follow.layer === of && !follow.still;
    const tracks = !same ? [id] : follow.tracks.includes(id) ? follow.tracks.filter((one) => one !== id) : [...follow.tracks, id];
    if (!tracks.length) return this.set(layer, {});
    const how = same && follow.tracks.length ? follow.how : this.kind(of, id) === "plane" ? "plane" : "shift";
    const better = same && tracks.length > 1 && follow.tracks.length === 1 && how === "shift" ? "stretch" : how;
    return this.set(layer, { layer: of, tracks, how: better, frame: same ? follow.frame : this.bench.frame });
  }

  hold(layer, id) {
    const { follow } = layer, on = follow.still && follow.tracks.includes(id);
    if (on) return this.set(layer, {});
    const plane = layer.tracks.find((one) => one.id === id)?.kind === "plane";
    return this.set(layer, { tracks: [id], how: plane ? "plane" : "shift", frame: this.bench.frame, still: true });
  }

  /** What a mask follows: "layer:track:how", or nothing. */
  maskFollows(layer, part, value) {
    const [of, id] = value.split(":");
    if (!of) return this.set(layer, {}, part);
    const how = this.kind(of, id) === "plane" ? "stretch" : "shift";
    return this.set(layer, { layer: of, tracks: [id], how, frame: this.bench.frame }, part);
  }

  /** Where the points of a track are drawn: under the hand where that has it. */
  points(layer, track) {
    if (this.moved?.id === track.id) return this.moved.points;
    const { pending } = this;
    if (pending?.id === track.id && pending.frame === this.bench.frame) return pending.points;
    const flat = this.handles.stray(layer).tracks?.[track.id];
    if (!flat) return null;
    return Array.from({ length: flat.length / 2 }, (_, n) => ({ x: flat[2 * n], y: flat[2 * n + 1] }));
  }

  render(layer) {
    const stray = this.handles.stray(layer), { pending } = this;
    if (pending?.layer === layer.id && pending.frame === this.bench.frame && !layer.tracks.some((one) => one.id === pending.id)) this.renderPending(layer, pending);
    for (const track of layer.tracks) {
      const points = this.points(layer, track);
      if (points) this.renderTrack(layer, track, points, Math.round(stray.source ?? 0) - track.first);
    }
  }

  /** A region just drawn, while it is followed. */
  renderPending(layer, { kind, size, points }) {
    const { handles } = this;
    const [[x, y], ...more] = points.map((p) => handles.point(p));
    if (kind === "plane") { add(handles.svg, "path", { class: "track-line waiting", d: `M${[[x, y], ...more].map((p) => p.join(" ")).join("L")}Z` }); return; }
    const half = Math.max(6, ((size ?? LEAST) * handles.picture.rect.k) / 2);
    add(handles.svg, "rect", { class: "track-line waiting", x: x - half, y: y - half, width: 2 * half, height: 2 * half, rx: 3 });
    add(handles.svg, "path", { class: "track-line waiting", d: `M${x - 7} ${y}H${x + 7}M${x} ${y - 7}V${y + 7}` });
  }

  renderTrack(layer, track, points, at) {
    const { handles } = this, { svg } = handles;
    const held = this.moved?.id === track.id;
    const lost = !held && track.path[at] === null, active = track.id === (this.active ?? layer.tracks.at(-1).id);
    const look = `${lost ? " lost" : ""}${active ? "" : " beside"}`;
    if (active) this.renderWay(layer, track, at);
    const drawn = points.map((p) => handles.point(p));
    const grab = { "data-grab": "track-move", "data-track": track.id };
    if (track.kind === "plane") {
      const d = `M${drawn.map((p) => p.join(" ")).join("L")}Z`;
      add(svg, "path", { class: "grab", d, ...grab });
      add(svg, "path", { class: `track-line${look}`, d });
      drawn.forEach(([x, y], n) => add(svg, "circle", { class: `track-knob${look}`, cx: x, cy: y, r: 5, "data-grab": "track-corner", "data-track": track.id, "data-n": n }));
      return;
    }
    const [x, y] = drawn[0], map = layerMap(layer.place, handles.at(layer), handles.stray(layer), handles.size(layer));
    const half = Math.max(6, (track.size * map.scale * handles.picture.rect.k) / 2);
    add(svg, "rect", { class: `track-line${look}`, x: x - half, y: y - half, width: 2 * half, height: 2 * half, rx: 3 });
    add(svg, "path", { class: `track-line${look}`, d: `M${x - 7} ${y}H${x + 7}M${x} ${y - 7}V${y + 7}` });
    add(svg, "rect", { class: "grab", x: x - half, y: y - half, width: 2 * half, height: 2 * half, ...grab });
  }

  /** The way it takes, as far as it is near in time. */
  renderWay(layer, track, at) {
    const { handles } = this, size = handles.size(layer), map = layerMap(layer.place, handles.at(layer), handles.stray(layer), size);
    const near = track.path.slice(Math.max(0, at - 25), at + 26).filter(Boolean).map((one) => {
      const n = one.length / 2, sum = [0, 1].map((k) => one.filter((_, i) => i % 2 === k).reduce((a, b) => a + b, 0) / n);
      return handles.point(map.toCanvas(sum[0] - size.width / 2, sum[1] - size.height / 2)).map((v) => round(v, 1)).join(" ");
    });
    if (near.length > 1) add(handles.svg, "path", { class: "track-way", d: `M${near.join("L")}` });
  }

  /** A track, or a corner of it, under the hand; let go of, it is followed anew from this frame. */
  drag(layer, node, start) {
    const track = layer.tracks.find((one) => one.id === node.dataset.track);
    const from = track && this.points(layer, track);
    if (!from) return null;
    this.active = track.id;
    const n = node.dataset.grab === "track-corner" ? Number(node.dataset.n) : -1;
    this.handles.loupe.sample(true);
    return {
      move: (now) => {
        const by = { x: now.x - start.x, y: now.y - start.y };
        this.moved = { id: track.id, points: from.map((p, k) => (n < 0 || n === k ? { x: p.x + by.x, y: p.y + by.y } : p)) };
        this.handles.render();
      },
      end: async (finished) => {
        this.handles.loupe.sample(false);
        const { moved } = this;
        if (finished && moved) await this.begin(layer, { track: track.id, places: moved.points.map(({ x, y }) => [x, y]) });
        if (this.moved === moved) this.moved = null;
        this.handles.render();
      },
    };
  }
}

