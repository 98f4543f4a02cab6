// What buttons and fields do.
import { ask, say } from "../common.js";
import { ClipTime } from "./time/clip-time.js";
import { Copying } from "./stack/copying.js";
import { round } from "./handles/geometry.js";
import { Keyboard } from "./keyboard.js";
import { MaskDraw } from "./masks/draw.js";
import { maskMap } from "./masks/shape.js";
import { Mattes } from "./stack/mattes.js";
import { valueAt } from "./time/moving.js";
import { Rendering } from "./rendering.js";
import { Shelf } from "./stack/shelf.js";
import { Wall } from "./picture/wall.js";

const newId = (letter) => letter + crypto.randomUUID().replaceAll("-", "").slice(0, 15);

export class Commands {
  constructor({ bench, handles, stack, player, view, loupe, strip, lanes, keyframes }) {
    Object.assign(this, { bench, handles, stack, player, view, loupe, strip, lanes, keyframes });
    this.shelf = new Shelf(bench);
    this.masks = new MaskDraw(bench, handles, newId);
    this.wall = new Wall(bench);
    this.clips = new ClipTime(bench, newId);
    this.mattes = new Mattes(bench, handles, newId);
    this.copying = new Copying(bench, (layer, part, to) => this.copy(layer, part, to));
    this.rendering = new Rendering();
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    document.getElementById("to-start").addEventListener("click", () => this.go(0));
    this.keyboard = new Keyboard(this);
  }

  click(event) {
    const { bench } = this;
    const button = event.target.closest("[data-do], [data-set], [data-way], [data-add], [data-add-colour], [data-bring]");
    if (button && !button.disabled) {
      const { dataset } = button;
      if (dataset.do) {
        if (button.closest("summary")) event.preventDefault();
        this.act(dataset.do, dataset, button);
      }
      else if (dataset.set) {
        event.preventDefault(); // inside the head of a part it would fold it
        bench.set(button.closest("[data-target]").dataset.target, { [dataset.set]: "json" in dataset ? JSON.parse(dataset.to) : dataset.to });
      }
      else if (dataset.way) bench.see(dataset.way);
      else if (dataset.add) this.shelf.take({ footage: dataset.add });
      else if ("addColour" in dataset) this.shelf.take({ colour: document.getElementById("new-colour").value });
      else document.getElementById("files").click();
      return;
    }
    if (event.target.closest("#undo")) this.undo();
    else if (event.target.closest("#redo")) this.redo();
    else if (event.target.closest("#split")) this.clips.split();
    else if (event.target.closest("#render")) this.deliver();
    else if (event.target.closest("[data-do-render]")) this.render();
    else {
      const choice = event.target.closest("[data-choose]");
      if (choice && !choice.dataset.dragged) this.choose(choice.dataset.choose, event);
    }
  }

  /** With Ctrl one more or one less is chosen, with Shift all between it and the chosen one. */
  choose(choice, event) {
    const { bench } = this;
    const [kind, id] = choice.split(":");
    const several = (event.ctrlKey || event.metaKey || event.shiftKey) && kind !== "shot" && bench.targets.length;
    if (!several || kind === "seam") { bench.choose(choice); return; }
    if (!event.shiftKey) { bench.chooseAlso([id]); return; }
    const order = [...bench.shot.layers, ...bench.shot.sounds].map((thing) => thing.id);
    const [from, to] = [order.indexOf(bench.target), order.indexOf(id)].sort((a, b) => a - b);
    bench.chooseAlso(order.slice(from, to + 1), true);
  }

  act(name, dataset, button) {
    const { bench } = this;
    const id = dataset.layer ?? bench.layer?.id;
    const layer = bench.shot.layers.find((one) => one.id === id);
    if (name === "hear-alone") return this.hearAlone(dataset.sound ? [dataset.sound] : bench.targets.map((one) => one.id));
    if (name === "mute") return bench.set(dataset.sound, { on: !bench.thing(dataset.sound).on });
    if (name === "remove-sound") return bench.edit({ do: "remove-sound", sound: dataset.sound });
    if (name === "keep-frame") return this.clips.keepFrame();
    if (name === "replace") return this.shelf.replace(layer ?? bench.sound, button);
    // a card's own tools act on all that is chosen when the card is one of them
    if (name === "wall" && !layer) { say("Choose a layer or a seam first."); return null; }
    const things = bench.targets.some((one) => one.id === id) || !layer ? bench.targets : [layer];
    const layers = things.filter((one) => one.seam);
    if (!things.length) return null;
    const all = (word) => `${word} ${things.length} layers`;
    const turn = (field) => bench.editAll(all(field), layers.map((one) => ({ do: "set-values", target: one.id, values: { [field]: !layer?.[field] } })));
    const actions = {
      hide: () => turn("hidden"),
      lock: () => turn("locked"),
      solo: () => {
        const alone = layers.every((one) => bench.solo.has(one.id));
        for (const one of layers) if (alone) bench.solo.delete(one.id); else bench.solo.add(one.id);
        bench.tell("solo");
        bench.tell("frame");
      },
      duplicate: () => this.duplicate(all("duplicate"), layers, false),
      "duplicate-here": () => this.duplicate(all("duplicate"), layers, true),
      remove: () => {
        return bench.editAll(all("remove"), things.map((one) => (one.seam ? { do: "remove-layer", layer: one.id } : { do: "remove-sound", sound: one.id })));
      },
      // what begins after the last of what goes moves up by as many frames as they took
      "close-gap": () => {
        const first = Math.min(...things.map((one) => one.span.first)), last = Math.max(...things.map((one) => one.span.last));
        const later = [...bench.shot.layers, ...bench.shot.sounds].filter((one) => one.span.first > last && !one.locked);
        const moved = later.map((one) => ({ do: "move-in-time", target: one.id, by: first - last - 1 }));
        const gone = things.map((one) => (one.seam ? { do: "remove-layer", layer: one.id } : { do: "remove-sound", sound: one.id }));
        return bench.editAll("remove and close the gap", [...gone, ...moved]);
      },
      detach: () => this.clips.detach(layer),
      flip: () => bench.set(id, { [`place.flip_${dataset.axis}`]: !layer.place[`flip_${dataset.axis}`] }),
      fit: () => bench.send("fit", { layer: id, how: "inside" }).catch(() => null),
      fill: () => bench.send("fit", { layer: id, how: "over" }).catch(() => null),
      measure: () => this.mattes.measure({ layer: id }),
      area: () => this.mattes.area(layer, dataset),
      "add-key": () => this.mattes.addKey(layer, dataset.kind),
      "plate-here": () => bench.send("clean-frame", { layer: id, part: dataset.part, frame: bench.frame }).catch(() => null),
      "drop-sample": () => this.mattes.dropSample(layer, dataset),
      "draw-mask": () => this.masks.start(layer, dataset.kind),
      "save-outline": () => this.masks.save(layer, dataset.part),
      "fix-mask": () => bench.send("fixed-mask", { layer: id, mask: dataset.part, to: dataset.to, frame: bench.frame }).catch(() => null),
      "hold-matte": () => bench.send("held-matte", { layer: id, part: dataset.part, moves: dataset.to === "layer", frame: bench.frame }).catch(() => null),
      "copy-to": () => this.copying.open(layer, dataset.part ?? null, button),
      wall: () => this.wall.toggle(),
      "key-mask": () => { this.handles.masks.take(dataset.part); return this.keyframes.whole(); },
      reverse: () => bench.edit({ do: "reverse", target: id }),
      freeze: () => this.clips.freeze(layer, dataset.apart === "true"),
      conform: () => this.clips.conform(layer),
      swap: () => this.swap(layer),
      "remove-part": () => bench.edit({ do: "remove-part", layer: id, part: dataset.part }),
    };
    return actions[name]?.();
  }

  /** Copies, which are chosen then; `here`: they begin at the playhead. */
  async duplicate(label, layers, here) {
    const { bench } = this, ids = layers.map(() => newId("l"));
    const edits = layers.flatMap((one, n) => [
      { do: "duplicate-layer", layer: one.id, new_id: ids[n] },
      ...(here ? [{ do: "move-in-time", target: ids[n], by: bench.frame - one.span.first }] : []),
    ]);
    if (!edits.length || !(await bench.editAll(label, edits))) return;
    await bench.choose(`${bench.kind === "seam" ? "seam" : "layer"}:${ids[0]}`);
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
    const { bench } = this, id = bench.layer?.id, frame = bench.frame;
    if (!id) return;
    const by = event.shiftKey ? 10 : 1;
    const dx = { ArrowLeft: -by, ArrowRight: by }[event.key] ?? 0, dy = { ArrowUp: -by, ArrowDown: by }[event.key] ?? 0;
    const mask = bench.kind === "seam" && this.handles.masks.current(bench.layer)?.id;
    bench.editThen(() => {
      const layer = bench.thing(id);
      if (!layer) return null;
      const at = Math.min(Math.max(frame, layer.span.first), layer.span.last) - layer.span.first;
      const held = layer.seam.masks.find((one) => one.id === mask);
      const values = held ? this.nudgedMask(layer, held, at, dx, dy) : nudgedPlace(layer, at, dx, dy);
      return bench.setting(id, values, bench.autoKey ? at : undefined);
    });
  }

  nudgedMask(layer, mask, at, dx, dy) {
    const { base } = maskMap(mask, layer, at, this.bench.shot.canvas, this.handles.stray(layer));
    const from = base.toSource(0, 0), to = base.toSource(dx, dy);
    const moved = { x: round(valueAt(mask.x, at) + to.u - from.u, 2), y: round(valueAt(mask.y, at) + to.v - from.v, 2) };
    return Object.fromEntries(Object.entries(moved).map(([name, value]) => [`seam.masks.${mask.id}.${name}`, value]));
  }

  /** Of all that may be chosen, the smallest goes first: keyframes, a point of an outline, layers. */
  remove(event) {
    if (event.shiftKey) return this.act("close-gap", {});
    return this.lanes.remove() || this.handles.masks.removePoint() || this.act("remove", {});
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

  undo() { if (this.bench.state.undo) this.bench.send("undo").catch(() => null); }
  redo() { if (this.bench.state.redo) this.bench.send("redo").catch(() => null); }

  /** Open the choices of a render; their numbers come from the server. */
  async deliver() {
    await this.bench.queue;
    const pop = document.getElementById("deliver-pop");
    const box = document.getElementById("render").getBoundingClientRect();
    Object.assign(pop.style, { position: "fixed", inset: "auto", left: `${Math.max(8, box.right - 340)}px`, top: `${box.bottom + 6}px` });
    pop.showPopover(); // at once: what can be chosen comes a moment later
    await window.htmx.ajax("GET", `/shots/${this.bench.id}/deliver`, { target: "#deliver", swap: "outerHTML" });
    pop.querySelector("[data-do-render]")?.focus();
  }

  async render() {
    const chosen = Object.fromEntries(new FormData(document.getElementById("deliver")));
    const body = { kind: chosen.kind, scale: Number(chosen.scale), quality: chosen.quality, rate: chosen.rate || null, loudness: chosen.loudness ?? "as-mixed" };
    const answer = await ask(`/shots/${this.bench.id}/renders`, { method: "POST", body }).catch(() => null);
    if (!answer) return;
    document.getElementById("deliver-pop").hidePopover();
    this.rendering.watch(answer.id);
  }

  change(event) {
    const moment = event.target.closest("[data-moment]");
    if (moment) {
      const { target } = moment.closest("[data-target]").dataset, [what, found] = moment.value.split(":");
      moment.value = "";
      if (what === "mark") this.strip.marks.find(target, found);
      else this.strip.marks.lay(this.bench.thing(target), found);
      return;
    }
    if ("ramp" in event.target.dataset) { this.clips.ramp(this.bench.layer, event.target.value); return; }
    if ("rate" in event.target.dataset) { this.clips.changeRate(event.target.value); return; }
    const field = event.target.closest("[data-value], [data-trim]");
    if (!field) return;
    const { bench } = this;
    const target = field.closest("[data-target]").dataset.target;
    if (field.dataset.trim) {
      const to = Number(field.value), thing = bench.thing(target);
      if (!Number.isInteger(to) || !thing) { bench.tell("restore"); return; }
      const edit = field.dataset.trim === "move" ? { do: "move-in-time", target, by: to - thing.span.first } : { do: "trim", target, edge: field.dataset.trim, to };
      bench.edit(edit).then((answer) => { if (!answer) bench.tell("restore"); });
      return;
    }
    let value = field.type === "checkbox" ? field.checked : field.value;
    if ("json" in field.dataset) value = JSON.parse(value);
    if (field.dataset.type === "int") value = Math.round(Number(value));
    if (field.dataset.type === "number") value = Number(value);
    const values = { [field.dataset.value]: value };
    if (field.id === "field-screen") values[field.dataset.value.replace(/colour$/, "colour_from")] = "picked";
    bench.set(target, values).then((answer) => { if (!answer) bench.tell("restore"); });
  }

  go(frame) {
    this.bench.tell("pause");
    this.bench.go(frame);
  }

  edge(name) {
    const { bench } = this;
    bench.editAll(`${name} frame of ${bench.targets.length} layers`, bench.targets.map((thing) => ({ do: "trim", target: thing.id, edge: name, to: bench.frame })));
  }
}

/** A place so many pixels further. */
function nudgedPlace({ place }, at, dx, dy) {
  return { ...(dx ? { "place.x": valueAt(place.x, at) + dx } : {}), ...(dy ? { "place.y": valueAt(place.y, at) + dy } : {}) };
}
