// What buttons, fields and keys do.
import { ask, say } from "../common.js";
import { fits, provide } from "../find.js";
import { ClipTime } from "./clip-time.js";
import { layerMap, round } from "./handles.js";
import { MaskDraw } from "./mask-draw.js";
import { tidy } from "./mask-handles.js";
import { maskMap, OWN_LENGTHS } from "./mask-shape.js";
import { moves, sourceSeconds, valueAt } from "./moving.js";
import { Shelf } from "./shelf.js";
import { Wall } from "./wall.js";

const newId = (letter) => letter + crypto.randomUUID().replaceAll("-", "").slice(0, 15);

export class Commands {
  constructor({ bench, handles, stack, player, view, loupe, strip, lanes, keyframes }) {
    Object.assign(this, { bench, handles, stack, player, view, loupe, strip, lanes, keyframes });
    this.shelf = new Shelf(bench);
    this.masks = new MaskDraw(bench, handles, newId);
    this.wall = new Wall(bench);
    this.clips = new ClipTime(bench, newId);
    this.actions = this.table();
    this.byKey = new Map(this.actions.flatMap((action) => action.keys.map((key) => [key, action])));
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("keydown", (event) => this.key(event));
    document.getElementById("to-start").addEventListener("click", () => this.go(0));
    this.listKeys();
    provide((words) => this.find(words));
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
      "hear-alone": () => this.hearAlone(dataset.sound ? [dataset.sound] : things.map((one) => one.id)),
      duplicate: () => bench.editAll(all("duplicate"), layers.map((one) => ({ do: "duplicate-layer", layer: one.id, new_id: newId("l") }))),
      "duplicate-here": () => bench.editAll(all("duplicate"), layers.flatMap((one) => {
        const new_id = newId("l");
        return [{ do: "duplicate-layer", layer: one.id, new_id }, { do: "move-in-time", target: new_id, by: bench.frame - one.span.first }];
      })),
      remove: () => {
        for (const one of layers) bench.solo.delete(one.id);
        return bench.editAll(all("remove"), things.map((one) => (one.seam ? { do: "remove-layer", layer: one.id } : { do: "remove-sound", sound: one.id })));
      },
      // what begins after the last of what goes moves up by as many frames as they took
      "close-gap": () => {
        const first = Math.min(...things.map((one) => one.span.first)), last = Math.max(...things.map((one) => one.span.last));
        const later = [...bench.shot.layers, ...bench.shot.sounds].filter((one) => one.span.first > last && !one.locked);
        for (const one of layers) bench.solo.delete(one.id);
        const moved = later.map((one) => ({ do: "move-in-time", target: one.id, by: first - last - 1 }));
        const gone = things.map((one) => (one.seam ? { do: "remove-layer", layer: one.id } : { do: "remove-sound", sound: one.id }));
        return bench.editAll("remove and close the gap", [...gone, ...moved]);
      },
      detach: () => this.clips.detach(layer),
      flip: () => bench.set(id, { [`place.flip_${dataset.axis}`]: !layer.place[`flip_${dataset.axis}`] }),
      fit: () => this.fit(layer, Math.min),
      fill: () => this.fit(layer, Math.max),
      measure: () => this.measure({ layer: id }),
      area: () => this.area(layer, dataset),
      "add-key": () => this.addKey(layer, dataset.kind),
      "plate-here": () => this.plateHere(layer, dataset.part),
      "drop-sample": () => this.dropSample(layer, dataset),
      "draw-mask": () => this.masks.start(layer, dataset.kind),
      "save-outline": () => this.masks.save(layer, dataset.part),
      "fix-mask": () => this.fixMask(layer, dataset.part, dataset.to),
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

  /** Only these are heard, or with them others again; the shot and its renders stay as they are. */
  hearAlone(ids) {
    const { bench } = this, alone = ids.every((id) => bench.heard.has(id));
    for (const id of ids) if (alone) bench.heard.delete(id); else bench.heard.add(id);
    bench.tell("heard");
  }

  /** Move the chosen layer, or the active mask, by pixels of the canvas. */
  nudge(event) {
    const { bench } = this, { layer } = bench;
    if (!layer) return;
    const by = event.shiftKey ? 10 : 1, at = bench.at(layer);
    const dx = { ArrowLeft: -by, ArrowRight: by }[event.key] ?? 0, dy = { ArrowUp: -by, ArrowDown: by }[event.key] ?? 0;
    const mask = bench.kind === "seam" && this.handles.masks.current(layer);
    if (!mask) {
      bench.set(layer.id, { ...(dx ? { "place.x": valueAt(layer.place.x, at) + dx } : {}), ...(dy ? { "place.y": valueAt(layer.place.y, at) + dy } : {}) });
      return;
    }
    const { base } = maskMap(mask, layer, at, bench.shot.canvas);
    const from = base.toSource(0, 0), to = base.toSource(dx, dy);
    const moved = { x: round(valueAt(mask.x, at) + to.u - from.u, 2), y: round(valueAt(mask.y, at) + to.v - from.v, 2) };
    bench.set(layer.id, Object.fromEntries(Object.entries(moved).map(([name, value]) => [`seam.masks.${mask.id}.${name}`, value])));
  }

  /** Of all that may be chosen, the smallest goes first: keyframes, a point of an outline, layers. */
  remove(event) {
    if (event.shiftKey) return this.act("close-gap", {});
    return this.lanes.remove() || this.handles.masks.removePoint() || this.act("remove", {});
  }

  fit(layer, choose) {
    const { bench } = this;
    const { canvas } = bench.shot;
    const { width, height } = this.handles.size(layer);
    const scale = round(100 * choose(canvas.width / width, canvas.height / height), 4);
    bench.set(layer.id, {
      "place.x": canvas.width / 2, "place.y": canvas.height / 2, "place.scale": scale, "place.rotation": 0,
    });
  }

  async measure(body) {
    const { bench } = this;
    const answer = await bench.send("keys", { frame: bench.frame, ...body }).catch(() => null);
    if (!answer?.reading || body.area) return;
    const share = Math.round(100 * answer.reading.share);
    say(`Screen found along ${share} % of the border, uneven by ${answer.reading.uneven.toFixed(1)} stops.`);
  }

  dropSample(layer, { part, at }) {
    const key = layer.seam.matte.find((one) => one.id === part);
    if (key.kind === "screen-key") { this.dropArea(layer, key, Number(at)); return; }
    if (key.colours.length === 1) { say("A colour key needs one sample at least. Add another first, or take the key away."); return; }
    this.bench.set(layer.id, { [`seam.matte.${part}.colours`]: key.colours.filter((_, n) => n !== Number(at)) });
  }

  /** One area fewer that a screen's colour is the mean of. */
  dropArea(layer, key, at) {
    const samples = key.samples.filter((_, n) => n !== at);
    const channel = (k) => Math.round(samples.reduce((sum, one) => sum + parseInt(one.slice(k, k + 2), 16), 0) / samples.length);
    const colour = `#${[1, 3, 5].map((k) => channel(k).toString(16).padStart(2, "0")).join("")}`;
    const path = `seam.matte.${key.id}`;
    this.bench.set(layer.id, { [`${path}.samples`]: samples.length > 1 ? samples : [], [`${path}.colour`]: colour });
  }

  area(layer, { kind = "screen-key", part, more }) {
    const { bench, handles } = this;
    const words = kind === "screen-key" ? "Drag over the screen, near the subject. Esc gives up." : "Drag over what to keep. Esc gives up.";
    handles.draw(words, "source", (box) => {
      const map = layerMap(layer.place, bench.frame - layer.span.first);
      const size = handles.size(layer);
      const corners = [[box.from.x, box.from.y], [box.to.x, box.from.y], [box.to.x, box.to.y], [box.from.x, box.to.y]]
        .map(([x, y]) => map.toSource(x, y));
      const us = corners.map(({ u }) => u + size.width / 2), vs = corners.map(({ v }) => v + size.height / 2);
      this.measure({ layer: layer.id, kind, part: part ?? null, more: Boolean(more), area: [Math.min(...us), Math.min(...vs), Math.max(...us), Math.max(...vs)] });
    });
  }

  /** A matte that needs no measuring before it is there. */
  addKey(layer, kind) {
    const { bench } = this;
    const clip = layer.source.kind === "footage" && bench.state.footage[layer.source.footage];
    const others = bench.shot.layers.filter((one) => one.id !== layer.id);
    const below = bench.shot.layers[bench.shot.layers.indexOf(layer) - 1];
    const made = {
      "luma-key": () => ({}),
      "own-alpha": () => ({}),
      "difference-key": () => ({ plate: clip?.kind === "clip" ? { kind: "median" } : { kind: "footage", footage: clip.id, frame: 0 } }),
      "layer-matte": () => ({ layer: (below ?? others[0]).id }),
    }[kind]();
    return bench.edit({ do: "add-matte", layer: layer.id, matte: { kind, id: newId("k"), combine: layer.seam.matte.length ? "intersect" : "add", ...made } });
  }

  /** Frame of the clip shown at the playhead, as a clean plate. */
  plateHere(layer, part) {
    const { bench } = this;
    const clip = bench.state.footage[layer.source.footage];
    const seconds = sourceSeconds(layer.time, bench.at(layer), bench.rate);
    const frame = Math.max(0, Math.floor(Math.min(seconds, clip.seconds) * clip.rate + 1e-6));
    bench.set(layer.id, { [`seam.matte.${part}.plate`]: { kind: "frame", frame } });
  }

  /** A mask stays where it is seen when it is fixed to something else. */
  fixMask(layer, id, to) {
    const mask = layer.seam.masks.find((one) => one.id === id);
    if (mask.fixed === to) return null;
    const moved = this.seenFrom(mask, layer, to, layer);
    return this.bench.set(layer.id, Object.fromEntries(Object.entries(moved).map(([name, value]) => [`seam.masks.${id}.${name}`, value])));
  }

  /** What changes of a mask when it is fixed to the canvas or to another layer and stays where it is. */
  seenFrom(mask, layer, to, other) {
    const { bench } = this;
    const moved = { fixed: to };
    const lengths = OWN_LENGTHS.slice(2).filter((name) => mask[name] !== undefined);
    if (["x", "y", "rotation", "outline", ...lengths].some((name) => moves(mask[name]))) return moved;
    const at = bench.frame - layer.span.first, there = bench.frame - other.span.first;
    const old = maskMap(mask, layer, at, bench.shot.canvas);
    const spot = old.toCanvas(0, 0);
    const next = maskMap({ ...mask, x: 0, y: 0, fixed: to }, other, there, bench.shot.canvas);
    const { u, v } = next.base.toSource(spot.x, spot.y);
    const k = old.unit / next.unit;
    const turned = (fixed, place, frame) => (fixed === "canvas" ? 0 : valueAt(place.rotation, frame));
    const turn = turned(mask.fixed, layer.place, at) - turned(to, other.place, there);
    Object.assign(moved, { x: round(u, 1), y: round(v, 1), rotation: round(mask.rotation + turn, 1) });
    for (const name of lengths) moved[name] = round(mask[name] * k, 1);
    if (mask.outline) {
      moved.outline = mask.outline.map((one) => tidy(Object.fromEntries(Object.entries(one).map(([key, value]) => [key, key === "feather" ? value : value * k]))));
    }
    return moved;
  }

  /** A matte or a mask for another layer too; a mask lies there where it lies here. */
  copyPart(layer, id, to) {
    const { bench } = this;
    const other = bench.shot.layers.find((one) => one.id === to);
    const mask = layer.seam.masks.find((one) => one.id === id);
    if (mask) {
      const copy = { ...mask, id: newId("m"), ...(mask.fixed === "layer" ? this.seenFrom(mask, layer, "layer", other) : {}) };
      bench.edit({ do: "add-mask", layer: to, mask: copy }).then((done) => { if (done) say(`${other.name} has the mask too.`); });
      return;
    }
    const matte = layer.seam.matte.find((one) => one.id === id);
    bench.edit({ do: "add-matte", layer: to, matte: { ...matte, id: newId("k") } }).then((done) => { if (done) say(`${other.name} has the matte too.`); });
  }

  swap(layer) {
    const { bench } = this;
    const at = bench.shot.layers.indexOf(layer);
    if (at <= 0) { say("There is no layer below this one to swap with."); return null; }
    return bench.edit({ do: "reorder-layer", layer: layer.id, index: at - 1 });
  }

  undo() { if (this.bench.state.undo) this.bench.send("undo").catch(() => null); }
  redo() { if (this.bench.state.redo) this.bench.send("redo").catch(() => null); }

  /** Open the choices of a render; their numbers come from the server. */
  async deliver() {
    await this.bench.queue;
    const pop = document.getElementById("deliver-pop");
    await window.htmx.ajax("GET", `/shots/${this.bench.id}/deliver`, { target: "#deliver", swap: "outerHTML" });
    const box = document.getElementById("render").getBoundingClientRect();
    Object.assign(pop.style, { position: "fixed", inset: "auto", left: `${Math.max(8, box.right - 340)}px`, top: `${box.bottom + 6}px` });
    pop.showPopover();
    pop.querySelector("[data-do-render]").focus();
  }

  async render() {
    const chosen = Object.fromEntries(new FormData(document.getElementById("deliver")));
    const body = { kind: chosen.kind, scale: Number(chosen.scale), quality: chosen.quality, rate: chosen.rate || null, loudness: chosen.loudness ?? "as-mixed" };
    const answer = await ask(`/shots/${this.bench.id}/renders`, { method: "POST", body }).catch(() => null);
    if (answer) location.href = "/renders";
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
    const copy = event.target.closest("[data-copy-part]");
    if (copy) { this.copyPart(this.bench.layer, copy.dataset.copyPart, copy.value); copy.value = ""; return; }
    if ("rate" in event.target.dataset) { this.clips.changeRate(event.target.value); return; }
    const field = event.target.closest("[data-value], [data-trim]");
    if (!field) return;
    const { bench } = this;
    const target = field.closest("[data-target]").dataset.target;
    if (field.dataset.trim) {
      const to = Number(field.value);
      if (!Number.isInteger(to)) { bench.tell("restore"); return; }
      bench.edit({ do: "trim", target, edge: field.dataset.trim, to });
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

  key(event) {
    const { bench, player } = this;
    const inField = event.target.closest("input, select, textarea");
    const control = event.ctrlKey || event.metaKey;
    if (control && event.key.toLowerCase() === "z") {
      if (inField && inField.type === "text") return;
      event.preventDefault();
      if (event.shiftKey) this.redo();
      else this.undo();
      return;
    }
    if (control && event.key === "Enter") {
      event.preventDefault();
      if (!document.getElementById("render").disabled) this.deliver();
      return;
    }
    if (inField && !["checkbox", "color"].includes(inField.type)) {
      if (event.key === "Enter") inField.blur();
      return;
    }
    if (control && event.key.toLowerCase() === "a") {
      event.preventDefault();
      const [first, ...rest] = bench.shot.layers.map((layer) => layer.id).reverse();
      if (first && !bench.layer) bench.choose(`layer:${first}`).then(() => bench.chooseAlso(rest, true));
      else bench.chooseAlso([first, ...rest].filter(Boolean), true);
      return;
    }
    if (control && event.key.startsWith("Arrow")) { event.preventDefault(); this.nudge(event); return; }
    if (control && event.key.toLowerCase() === "c" && this.lanes.any && !String(getSelection())) { event.preventDefault(); this.keyframes.copy(this.lanes.chosen); return; }
    if (control && event.key.toLowerCase() === "v" && this.keyframes.copied) { event.preventDefault(); this.keyframes.paste(); return; }
    if (control) return;
    if (event.altKey && ["ArrowUp", "ArrowDown"].includes(event.key)) {
      event.preventDefault();
      this.stack.shift(event.key === "ArrowUp" ? 1 : -1);
      return;
    }
    if ((event.key === "Enter" || event.key === " ") && event.target.matches(".card")) {
      if (event.key === " " && event.target.matches(".chosen")) { event.preventDefault(); player.toggle(); return; }
      event.preventDefault();
      this.choose(event.target.dataset.choose, event);
      return;
    }
    if (event.key === " " && event.target.closest("button, a, summary")) return;
    if (event.key === "Enter" && this.handles.drawing?.points?.length > 2) {
      event.preventDefault(); // the button that began it may still have the focus
      this.handles.endLine(false);
      return;
    }
    if (event.key === "Tab") return this.tab(event);
    const action = this.byKey.get(event.key) ?? this.byKey.get(event.key.toLowerCase());
    if (!action || event.altKey) return;
    event.preventDefault();
    action.run(event);
  }

  go(frame) {
    this.bench.tell("pause");
    this.bench.go(frame);
  }

  edge(name) {
    const { bench } = this;
    bench.editAll(`${name} frame of ${bench.targets.length} layers`, bench.targets.map((thing) => ({ do: "trim", target: thing.id, edge: name, to: bench.frame })));
  }

  /** Everything that has a key, and what it does: for the keys themselves, their list, and finding. */
  table() {
    const { bench, player, view } = this;
    const by = (event) => (event.shiftKey ? 10 : 1);
    const one = (keys, words, run, shown) => ({ keys, words, run, shown: shown ?? keys.map((key) => (key.length === 1 ? key.toUpperCase() : key)) });
    return [
      one([" "], "play, pause", () => player.toggle(), ["Space"]),
      one(["ArrowLeft"], "one frame back; with Shift ten", (event) => this.go(bench.frame - by(event)), ["←"]),
      one(["ArrowRight"], "one frame forward; with Shift ten", (event) => this.go(bench.frame + by(event)), ["→"]),
      one(["Home"], "first frame", () => this.go(0)),
      one(["End"], "last frame", () => this.go(bench.shot.length - 1)),
      one(["1"], "see the joined picture", () => bench.see("joined")),
      one(["2"], "see the matte", () => bench.see("matte")),
      one(["3"], "see the source", () => bench.see("source")),
      one(["4"], "see what is dropped, holes and specks", () => bench.see("dropped")),
      one(["5"], "see the layer alone; again over black, over white", () => bench.see("alone")),
      one(["b"], "blend wall", () => this.act("wall", {})),
      one(["x"], "swap the layer with the one below", () => this.act("swap", {})),
      one(["+", "="], "see it larger", () => view.step(1), ["+"]),
      one(["-"], "see it smaller", () => view.step(-1), ["−"]),
      one(["0"], "fit the picture into the mat", () => view.pick("fit")),
      one(["u"], "loupe: colour and coverage under the pointer", () => this.loupe.toggle()),
      one(["a"], "safe areas of a phone on, off", () => view.safe()),
      one([","], "another grey for the mat", () => view.shade(1), [","]),
      one(["i"], "the layer's first frame is here", () => this.edge("first")),
      one(["o"], "the layer's last frame is here", () => this.edge("last")),
      one(["y"], "split the layer or sound at the playhead; with Shift all that is there", (event) => (event.shiftKey ? this.clips.splitAll() : this.clips.split())),
      one(["d"], "duplicate; with Shift the copy begins at the playhead", (event) => this.act(event.shiftKey ? "duplicate-here" : "duplicate", {})),
      one(["h"], "hide, show", () => this.act("hide", {})),
      one(["s"], "show alone; a sound: hear it alone", () => this.act(bench.sound ? "hear-alone" : "solo", {})),
      one(["f"], "lock, unlock", () => this.act("lock", {})),
      one(["r"], "rename", () => { const name = document.getElementById("field-name"); name?.focus(); name?.select(); }),
      one(["k"], "keyframe here: of the place, of the mask, else of opacity or gain", () => this.keyframes.whole()),
      one(["m"], "mark here; again takes it away", () => this.strip.marks.toggle()),
      one(["PageUp"], "the mark before", () => this.strip.marks.jump(-1)),
      one(["PageDown"], "the next mark", () => this.strip.marks.jump(1)),
      one(["["], "the keyframe before", () => this.keyframes.jump(-1), ["["]),
      one(["]"], "the next keyframe", () => this.keyframes.jump(1), ["]"]),
      one(["v"], "values of this layer that move, as lanes", () => this.lanes.toggle()),
      one(["<"], "chosen keyframes a frame earlier", () => this.lanes.nudge(-1), ["<"]),
      one([">"], "chosen keyframes a frame later", () => this.lanes.nudge(1), [">"]),
      one(["z"], "time strip: a frame as wide as a finger, and all of the shot again", () => this.strip.zoom(this.strip.wide ? 0 : 24)),
      one(["Delete", "Backspace"], "remove what is chosen; with Shift what comes later moves up", (event) => this.remove(event), ["Delete"]),
      one(["l"], "loop on, off", () => player.setLoop(!player.loop)),
      one(["?"], "show the keys", () => document.getElementById("keys-pop").togglePopover()),
      one(["Escape"], "give up drawing; choose the shot", () => { if (!this.handles.stopDrawing()) bench.choose("shot:"); }, ["Esc"]),
    ];
  }

  /** The list of keys: those of the table, and the few that need a second key or the mouse. */
  listKeys() {
    const others = [
      [["Tab"], "next seam, with Shift the one before (while the stack has the focus)"],
      [["Alt", "↑", "↓"], "move the layer up, down in the stack"],
      [["Ctrl", "click"], "choose one more; with Shift all between"],
      [["Ctrl", "A"], "choose all layers"],
      [["Ctrl", "Z"], "undo; with Shift redo"],
      [["Ctrl", "arrows"], "nudge the layer or the mask by a pixel; with Shift ten"],
      [["Ctrl", "C"], "copy the chosen keyframes; Ctrl V pastes them at the playhead"],
      [["Alt", "drag"], "on a bar: slip its source; where two bars meet: move both ends; on a keyframe: stretch those chosen"],
      [["Ctrl", "wheel"], "over the time strip: wider, narrower"],
      [["Ctrl", "Enter"], "render"],
      [["Ctrl", "wheel"], "zoom the picture at the pointer"],
      [["/"], "find anything"],
    ];
    const list = document.getElementById("keys-list");
    for (const [keys, words] of [...this.actions.map((action) => [action.shown, action.words]), ...others]) {
      const left = document.createElement("span"), right = document.createElement("span");
      for (const key of keys) {
        const cap = document.createElement("kbd");
        cap.textContent = key;
        left.append(cap, " ");
      }
      right.textContent = words;
      list.append(left, right);
    }
  }

  /** Layers, seams, sounds and things to do of this bench, by words. */
  find(words) {
    const { bench } = this;
    const layers = [...bench.shot.layers].reverse();
    const found = [
      ...layers.map((layer) => ({ title: layer.name, note: "layer of this shot", go: () => bench.choose(`layer:${layer.id}`) })),
      ...layers.map((layer) => ({ title: `Seam of ${layer.name}`, note: "how it joins", go: () => bench.choose(`seam:${layer.id}`) })),
      ...bench.shot.sounds.map((sound) => ({ title: sound.name, note: "sound of this shot", go: () => bench.choose(`sound:${sound.id}`) })),
      ...this.actions.map((action) => ({ title: action.words[0].toUpperCase() + action.words.slice(1), note: `key ${action.shown.join(" ")}`, go: () => action.run({}) })),
    ];
    return found.filter((one) => fits(`${one.title} ${one.note}`, words));
  }

  /** Tab walks from seam to seam while the stack has the focus; elsewhere it is the browser's. */
  tab(event) {
    const { bench } = this;
    if (!event.target.closest("#stack")) return;
    const order = [...bench.shot.layers].reverse().map((layer) => layer.id);
    const at = bench.kind === "seam" ? order.indexOf(bench.target) : -1;
    const next = at + (event.shiftKey ? -1 : 1);
    if (next < 0 || next >= order.length) return;
    event.preventDefault();
    bench.choose(`seam:${order[next]}`).then(() => document.getElementById(`seam-${order[next]}`)?.focus());
  }
}
