// What is done to layers and sounds that are chosen: hidden, heard alone, copied, swapped, moved by keys, taken out.
import { say, telling } from "../../common.js";
import { round } from "../handles/geometry.js";
import { inHand, maskPath, masksOf } from "../masks/held.js";
import { maskMap } from "../masks/shape.js";
import { valueAt, valueOf } from "../time/moving.js";

/** Work that is done in the background: what is said of it meanwhile, when it is done, and when it was stopped. */
const WORK = {
  bake: ["Baking", "Baked.", "Not baked"],
  hold: ["Measuring every frame", "Every frame is in register.", "Stopped"],
  drift: ["Measuring the light of every frame", "The light is matched.", "Stopped"],
  passes: ["Looking at every frame", "The passes are known.", "Stopped"],
  carry: ["Carrying it on", "The outline is carried on.", "Stopped"],
  track: ["Following", "It is followed.", "Stopped"],
  "in-time": ["Comparing the takes", "They are in time.", "Stopped"],
  plate: ["Making the plate", "The plate is in your footage.", "Stopped"],
};

export class Layers {
  constructor(bench, handles, newId) {
    Object.assign(this, { bench, handles, newId });
    this.stillBaking();
    this.acts = {
      "hear-alone": ({ dataset }) => this.hearAlone(dataset.sound ? [dataset.sound] : bench.targets.map((one) => one.id)),
      mute: ({ dataset }) => bench.set(dataset.sound, { on: !bench.thing(dataset.sound).on }),
      "remove-sound": ({ dataset }) => bench.edit({ do: "remove-sound", sound: dataset.sound }),
      hide: ({ layer, targets }) => this.turn("hidden", layer, targets),
      lock: ({ layer, targets }) => this.turn("locked", layer, targets),
      solo: ({ targets }) => this.solo(targets.filter((one) => one.seam)),
      "show-all": () => this.showAll(),
      duplicate: ({ targets }) => this.duplicate(targets.filter((one) => one.seam), false),
      "duplicate-here": ({ targets }) => this.duplicate(targets.filter((one) => one.seam), true),
      remove: ({ targets }) => bench.editAll(`remove ${targets.length} layers`, targets.map((one) => (one.seam ? { do: "remove-layer", layer: one.id } : { do: "remove-sound", sound: one.id }))),
      "close-gap": ({ targets }) => (targets.length ? bench.edit({ do: "close-gap", targets: targets.map((one) => one.id) }) : null),
      flip: ({ layer, dataset }) => layer && bench.set(layer.id, { [`place.flip_${dataset.axis}`]: !layer.place[`flip_${dataset.axis}`] }),
      fit: ({ layer }) => this.fit(layer, "inside"),
      fill: ({ layer }) => this.fit(layer, "over"),
      pin: ({ layer }) => this.pin(layer),
      unpin: ({ layer }) => bench.set(layer.id, Object.fromEntries(Object.keys(layer.place.pins).map((name) => [`place.pins.${name}`, 0]))),
      uncrop: ({ layer }) => bench.set(layer.id, Object.fromEntries(Object.keys(layer.crop).map((name) => [`crop.${name}`, 0]))),
      "more-colours": ({ layer, dataset }) => this.colours(layer, dataset.path, 1),
      "fewer-colours": ({ layer, dataset }) => this.colours(layer, dataset.path, -1),
      group: ({ targets }) => this.group(targets.filter((one) => one.seam)),
      plate: ({ layer, dataset }) => this.plate(layer, dataset),
      "plate-below": ({ layer }) => bench.send("plate-below", { layer: layer.id }).catch(() => null),
      drift: ({ layer }) => this.drift(layer),
      "all-in-time": ({ layer }) => this.allInTime(layer),
      hold: ({ layer, dataset }) => this.hold(layer, dataset),
      bake: ({ layer }) => this.bake(layer),
      unbake: ({ layer }) => bench.edit({ do: "unbake", layer: layer.id }),
      "take-apart": ({ layer }) => bench.send("take-apart", { layer: layer.id }).catch(() => null),
      // the links themselves lead there: only the moment is told
      "go-in": ({ button }) => this.tellMoment(button),
      "go-out": ({ button }) => this.tellMoment(button),
      swap: ({ layer }) => layer && this.swap(layer),
      "remove-part": ({ layer, dataset }) => bench.edit({ do: "remove-part", layer: layer.id, part: dataset.part }),
    };
  }

  /** A card's own tools act on all that is chosen when the card is one of them. */
  targets(layer) {
    const { targets } = this.bench;
    return !layer || targets.some((one) => one.id === layer.id) ? targets : [layer];
  }

  /** Switch something of some layers, all to what the first of them is not. */
  turn(field, layer, targets) {
    const edits = targets.filter((one) => one.seam).map((one) => ({ do: "set-values", target: one.id, values: { [field]: !layer?.[field] } }));
    return this.bench.editAll(`${field} ${edits.length} layers`, edits);
  }

  solo(layers) {
    const { bench } = this, alone = layers.every((one) => bench.solo.has(one.id));
    for (const one of layers) if (alone) bench.solo.delete(one.id); else bench.solo.add(one.id);
    this.shown();
  }

  showAll() {
    this.bench.solo.clear();
    this.shown();
  }

  shown() {
    this.bench.tell("solo");
    this.bench.tell("frame");
  }

  group(layers) {
    const { bench } = this;
    if (!layers.length) { say("Choose the layers first: with Ctrl one more, with Shift all between."); return null; }
    return bench.send("group", { layers: layers.map((one) => one.id) }).then(() => {
      bench.also.clear();
      bench.tell("also");
      say("They are a shot of their own now: Open it to work inside.");
    }).catch(() => null);
  }

  /** Begin it, say how far it is, and take over what has changed when it is done. */
  async bake(layer) {
    if (layer && await this.bench.send("bake", { layer: layer.id }).catch(() => null)) this.watch("bake");
  }

  /** One that goes on when the page is opened again is told of, too. */
  async stillBaking() {
    const going = await fetch(`/shots/${this.bench.id}/working`).then((answer) => (answer.ok ? answer.json() : [])).catch(() => []);
    for (const what of going) if (what in WORK) this.watch(what);
  }

  /** A take locked off, or its shake followed. */
  async hold(layer, dataset) {
    const body = { layer: layer.id, frame: this.bench.frame, follow: "follow" in dataset, beside: this.compare.more.beside };
    if (await this.bench.send("hold", body).catch(() => null)) this.watch("hold");
  }

  /** A clean plate of the layer's take. */
  async plate(layer, dataset) {
    const frames = "here" in dataset ? [this.bench.frame] : [];
    const clear = document.getElementById("plate-clear")?.checked ?? false;
    const body = { layer: layer.id, clear, frames, part: dataset.part ?? null, frame: this.bench.frame };
    if (await this.bench.send("plate", body).catch(() => null)) this.watch("plate");
  }

  /** Light matched on every frame. */
  async drift(layer) {
    if (await this.bench.send("drift", { layer: layer.id, beside: this.compare.more.beside, frame: this.bench.frame }).catch(() => null)) this.watch("drift");
  }

  /** All other takes put in time with this one. */
  async allInTime(layer) {
    if (await this.bench.send("together", { layer: layer.id, by: this.compare.time.by }).catch(() => null)) this.watch("in-time");
  }

  async watch(what) {
    const { bench } = this, address = `/shots/${bench.id}/working/${what}`;
    const [now, done, not] = WORK[what];
    const line = telling(() => fetch(address, { method: "DELETE" }));
    line.say(`${now} …`);
    for (;;) {
      await new Promise((done) => { setTimeout(done, 400); });
      const told = await fetch(address).then((answer) => (answer.ok ? answer.json() : null)).catch(() => null);
      if (!told || ["waiting", "working"].includes(told.state)) {
        if (told) line.say(`${now}, ${Math.round(100 * told.part)} %. You can go on working.`);
        continue;
      }
      line.end();
      say({ done: told.sentence || done, cancelled: `${not}; nothing was changed.` }[told.state] ?? told.sentence, told.state === "failed");
      if (told.state === "done") await bench.changed(told.stamp);
      if (what === "plate") await bench.anew();
      return;
    }
  }

  tellMoment(link) {
    const address = new URL(link.href);
    address.searchParams.set("at", this.bench.frame);
    link.href = address;
  }

  /** Pull the corners on the picture, or no more; its fold says which. */
  pin(layer) {
    if (!layer) { say("Choose a layer first."); return; }
    this.handles.pin();
    const fold = document.querySelector("[data-part=pins]");
    if (fold && this.handles.place.mode === "pins") this.bench.fold(fold, true);
  }

  /** One colour more at the end of a list, like the last; or one less. */
  colours(layer, path, by) {
    const held = valueOf(layer, path);
    return this.bench.set(layer.id, { [path]: by > 0 ? [...held, held.at(-1)] : held.slice(0, -1) });
  }

  fit(layer, how) { return layer && this.bench.send("fit", { layer: layer.id, how }).catch(() => null); }

  /** Copies, which are chosen then; `here`: they begin at the playhead. */
  async duplicate(layers, here) {
    const { bench } = this, ids = layers.map(() => this.newId("l"));
    const edits = layers.flatMap((one, n) => [
      { do: "duplicate-layer", layer: one.id, new_id: ids[n] },
      ...(here ? [{ do: "move-in-time", target: ids[n], by: bench.frame - one.span.first }] : []),
    ]);
    if (!edits.length || !(await bench.editAll(`duplicate ${layers.length} layers`, edits))) return;
    await bench.choose(`${["seam", "look", "around", "track"].includes(bench.kind) ? bench.kind : "layer"}:${ids[0]}`);
    bench.chooseAlso(ids.slice(1), true);
  }

  /** Only these are heard, or with them others again; the shot and its renders stay as they are. */
  hearAlone(ids) {
    const { bench } = this, alone = ids.every((id) => bench.heard.has(id));
    for (const id of ids) if (alone) bench.heard.delete(id); else bench.heard.add(id);
    bench.tell("heard");
  }

  /** Move the chosen layer, or the active mask, by pixels of the canvas: each from where the one before it has
   * put it. */
  nudge(event) {
    const by = event.shiftKey ? 10 : 1;
    this.nudgeBy({ ArrowLeft: -by, ArrowRight: by }[event.key] ?? 0, { ArrowUp: -by, ArrowDown: by }[event.key] ?? 0);
  }

  nudgeBy(dx, dy) {
    const { bench } = this, id = bench.layer?.id, frame = bench.frame;
    if (!id) return;
    const mask = inHand(bench) && this.handles.masks.current(bench.layer)?.id;
    bench.editThen(() => {
      const layer = bench.thing(id);
      if (!layer) return null;
      const at = Math.min(Math.max(frame, layer.span.first), layer.span.last) - layer.span.first;
      const held = masksOf(bench, layer).find((one) => one.id === mask);
      const values = held ? this.nudgedMask(layer, held, at, dx, dy) : nudgedPlace(layer, at, dx, dy);
      return bench.setting(id, values, bench.autoKey ? at : undefined);
    });
  }

  nudgedMask(layer, mask, at, dx, dy) {
    const { base } = maskMap(mask, layer, at, this.bench.shot.canvas, this.handles.stray(layer), this.handles.size(layer));
    const from = base.toSource(0, 0), to = base.toSource(dx, dy);
    const moved = { x: round(valueAt(mask.x, at) + to.u - from.u, 2), y: round(valueAt(mask.y, at) + to.v - from.v, 2) };
    return Object.fromEntries(Object.entries(moved).map(([name, value]) => [`${maskPath(layer, mask.id)}.${name}`, value]));
  }

  /** A matte, a mask, or how a layer comes, goes, stirs and echoes, for other layers too. */
  copy(layer, part, to) {
    const { bench } = this;
    return bench.send("copies", { layer: layer.id, part, to, frame: bench.frame }).then(() => {
      const names = to.map((id) => bench.thing(id)?.name).filter(Boolean);
      say(names.length === 1 ? `${names[0]} has it too.` : `${names.length} layers have it too.`);
    }).catch(() => null);
  }

  /** The layer and the one below it change places; pressed again, they change back. */
  swap(layer) {
    const { bench } = this;
    return bench.editThen(() => {
      const at = bench.shot.layers.findIndex((one) => one.id === layer.id);
      const below = bench.shot.layers[at - 1], { swapped } = this;
      // what was just put below is brought up again, as long as it lies there
      const back = swapped?.below === layer.id && bench.shot.layers[at + 1]?.id === swapped.above;
      if (back) {
        this.swapped = null;
        return { do: "reorder-layer", layer: layer.id, index: at + 1 };
      }
      if (!below) { say("There is no layer below this one to swap with."); return null; }
      this.swapped = { below: layer.id, above: below.id };
      return { do: "reorder-layer", layer: layer.id, index: at - 1 };
    });
  }

  edge(name) {
    const { bench } = this;
    bench.editAll(`${name} frame of ${bench.targets.length} layers`, bench.targets.map((thing) => ({ do: "trim", target: thing.id, edge: name, to: bench.frame })));
  }
}

/** A place so many pixels further. */
function nudgedPlace({ place }, at, dx, dy) {
  return { ...(dx ? { "place.x": round(valueAt(place.x, at) + dx, 4) } : {}), ...(dy ? { "place.y": round(valueAt(place.y, at) + dy, 4) } : {}) };
}
