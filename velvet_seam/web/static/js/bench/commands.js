// What buttons, fields and keys do.
import { ask, say, sendFile } from "../common.js";
import { layerMap, round } from "./handles.js";

const newId = (letter) => letter + crypto.randomUUID().replaceAll("-", "").slice(0, 15);

export class Commands {
  constructor({ bench, handles, stack, player }) {
    Object.assign(this, { bench, handles, stack, player });
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("keydown", (event) => this.key(event));
    document.getElementById("files").addEventListener("change", (event) => {
      this.bringIn([...event.target.files]);
      event.target.value = "";
    });
    document.getElementById("to-start").addEventListener("click", () => { bench.tell("pause"); bench.go(0); });
    const shelf = document.getElementById("shelf-pop");
    shelf.addEventListener("toggle", (event) => {
      if (event.newState !== "open") return;
      const box = document.getElementById("add-layer").getBoundingClientRect();
      Object.assign(shelf.style, { position: "fixed", inset: "auto", left: `${Math.max(8, box.left - 120)}px`, top: `${box.bottom + 4}px` });
    });
  }

  click(event) {
    const { bench } = this;
    const button = event.target.closest("[data-do], [data-set], [data-way], [data-add], [data-add-colour], [data-bring]");
    if (button && !button.disabled) {
      const { dataset } = button;
      if (dataset.do) this.act(dataset.do, dataset);
      else if (dataset.set) bench.set(button.closest("[data-target]").dataset.target, { [dataset.set]: dataset.to });
      else if (dataset.way) bench.see(dataset.way);
      else if (dataset.add) this.add({ footage: dataset.add });
      else if ("addColour" in dataset) this.add({ colour: document.getElementById("new-colour").value });
      else document.getElementById("files").click();
      return;
    }
    if (event.target.closest("#undo")) this.undo();
    else if (event.target.closest("#redo")) this.redo();
    else if (event.target.closest("#split")) this.split();
    else if (event.target.closest("#render")) this.deliver();
    else if (event.target.closest("[data-do-render]")) this.render();
    else {
      const choice = event.target.closest("[data-choose]");
      if (choice && !choice.dataset.dragged) bench.choose(choice.dataset.choose);
    }
  }

  act(name, dataset) {
    const { bench } = this;
    const id = dataset.layer ?? bench.layer?.id;
    const layer = bench.shot.layers.find((one) => one.id === id);
    if (name === "remove-sound") return bench.edit({ do: "remove-sound", sound: dataset.sound });
    if (!layer) return null;
    const actions = {
      hide: () => bench.set(id, { hidden: !layer.hidden }),
      lock: () => bench.set(id, { locked: !layer.locked }),
      solo: () => {
        if (bench.solo.has(id)) bench.solo.delete(id);
        else bench.solo.add(id);
        bench.tell("solo");
        bench.tell("frame");
      },
      duplicate: () => bench.edit({ do: "duplicate-layer", layer: id, new_id: newId("l") }),
      remove: () => {
        bench.solo.delete(id);
        return bench.edit({ do: "remove-layer", layer: id });
      },
      flip: () => bench.set(id, { [`place.flip_${dataset.axis}`]: !layer.place[`flip_${dataset.axis}`] }),
      fit: () => this.fit(layer, Math.min),
      fill: () => this.fit(layer, Math.max),
      measure: () => this.measure({ layer: id }),
      area: () => this.area(layer),
      "draw-mask": () => this.drawMask(layer),
      "remove-part": () => bench.edit({ do: "remove-part", layer: id, part: dataset.part }),
    };
    return actions[name]?.();
  }

  /** Cut what is chosen in two at the playhead; the later piece is chosen then. */
  async split() {
    const { bench } = this;
    const thing = bench.layer ?? bench.sound;
    if (!thing) { say("Choose the layer or the sound to split first."); return; }
    const kind = bench.layer ? "layer" : "sound", new_id = newId(kind[0] === "l" ? "l" : "t");
    const answer = await bench.edit({ do: "split", target: thing.id, at: bench.frame, new_id });
    if (answer) bench.choose(`${kind}:${new_id}`);
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

  area(layer) {
    const { bench, handles } = this;
    handles.draw("Drag over the screen, near the subject. Esc gives up.", "source", (box) => {
      const map = layerMap(layer.place, bench.frame - layer.span.first);
      const size = handles.size(layer);
      const corners = [[box.from.x, box.from.y], [box.to.x, box.from.y], [box.to.x, box.to.y], [box.from.x, box.to.y]]
        .map(([x, y]) => map.toSource(x, y));
      const us = corners.map(({ u }) => u + size.width / 2), vs = corners.map(({ v }) => v + size.height / 2);
      this.measure({ layer: layer.id, area: [Math.min(...us), Math.min(...vs), Math.max(...us), Math.max(...vs)] });
    });
  }

  drawMask(layer) {
    const { bench, handles } = this;
    handles.draw("Drag a box around what to keep. Esc gives up.", "joined", (box) => {
      const map = layerMap(layer.place, bench.frame - layer.span.first);
      const middle = map.toSource((box.from.x + box.to.x) / 2, (box.from.y + box.to.y) / 2);
      bench.edit({
        do: "add-mask", layer: layer.id,
        mask: {
          kind: "box", id: newId("m"), x: round(middle.u, 1), y: round(middle.v, 1),
          width: Math.max(1, round(Math.abs(box.to.x - box.from.x) / map.scale, 1)),
          height: Math.max(1, round(Math.abs(box.to.y - box.from.y) / map.scale, 1)), feather: 8,
        },
      });
    });
  }

  async add(body) {
    document.getElementById("shelf-pop").hidePopover();
    return this.bench.send("layers", { frame: this.bench.frame, ...body }).catch(() => null);
  }

  async bringIn(files) {
    for (const file of files) {
      try {
        say(`Bringing in ${file.name}`);
        const { id } = await sendFile(file, () => {});
        await this.add({ footage: id });
      } catch (problem) {
        say(problem.message, true);
      }
    }
    const shelf = await fetch(`/shots/${this.bench.id}/shelf`);
    document.getElementById("shelf").innerHTML = await shelf.text();
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
    const body = { kind: chosen.kind, scale: Number(chosen.scale), quality: chosen.quality, rate: chosen.rate || null };
    const answer = await ask(`/shots/${this.bench.id}/renders`, { method: "POST", body }).catch(() => null);
    if (answer) location.href = "/renders";
  }

  change(event) {
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
    if (field.dataset.type === "int") value = Math.round(Number(value));
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
    if (control) return;
    if (event.altKey && ["ArrowUp", "ArrowDown"].includes(event.key)) {
      event.preventDefault();
      this.stack.shift(event.key === "ArrowUp" ? 1 : -1);
      return;
    }
    if ((event.key === "Enter" || event.key === " ") && event.target.matches(".card")) {
      if (event.key === " " && event.target.matches(".chosen")) { event.preventDefault(); player.toggle(); return; }
      event.preventDefault();
      bench.choose(event.target.dataset.choose);
      return;
    }
    if (event.key === " " && event.target.closest("button, a")) return;
    if (event.key === "Tab") return this.tab(event);
    const step = event.shiftKey ? 10 : 1;
    const go = (frame) => { bench.tell("pause"); bench.go(frame); };
    const edge = (name) => {
      const thing = bench.layer ?? bench.sound;
      if (thing) bench.edit({ do: "trim", target: thing.id, edge: name, to: bench.frame });
    };
    const actions = {
      " ": () => player.toggle(),
      ArrowLeft: () => go(bench.frame - step),
      ArrowRight: () => go(bench.frame + step),
      Home: () => go(0),
      End: () => go(bench.shot.length - 1),
      1: () => bench.see("joined"),
      2: () => bench.see("matte"),
      3: () => bench.see("source"),
      i: () => edge("first"),
      o: () => edge("last"),
      d: () => this.act("duplicate", {}),
      h: () => this.act("hide", {}),
      k: () => this.act("lock", {}),
      c: () => this.split(),
      s: () => this.act("solo", {}),
      l: () => player.setLoop(!player.loop),
      r: () => { const name = document.getElementById("field-name"); name?.focus(); name?.select(); },
      "?": () => document.getElementById("keys-pop").togglePopover(),
      Delete: () => (bench.sound ? bench.edit({ do: "remove-sound", sound: bench.sound.id }) : this.act("remove", {})),
      Escape: () => { if (!this.handles.stopDrawing()) bench.choose("shot:"); },
    };
    const action = actions[event.key] ?? actions[event.key.toLowerCase()];
    if (!action || event.altKey) return;
    event.preventDefault();
    action();
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
