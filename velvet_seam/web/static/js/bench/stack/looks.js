// Looks: worn from the shelf, put together of parts, ordered, copied to other layers, kept by a name.
import { say } from "../../common.js";

export class Looks {
  constructor(bench, copying, picture, newId) {
    Object.assign(this, { bench, picture, newId });
    this.acts = {
      "add-look-part": ({ layer, dataset }) => this.add(layer, dataset.kind),
      "move-look": ({ layer, dataset }) => this.move(layer, dataset),
      "copy-look": ({ layer, button }) => copying.open(layer, "look", button),
      "wear-look": ({ layer, dataset }) => this.wear(layer, dataset),
      "keep-look": ({ layer, button }) => this.keep(layer, button),
      "drop-look": ({ dataset }) => this.drop(dataset.kept),
      stitch: () => this.picture.stitch.toggle(),
    };
    document.addEventListener("change", (event) => { 
      if (event.target.matches("[data-cdl-file]")) this.read(event.target);
      else if (event.target.matches("[data-cube-file]")) this.bring(event.target.files[0], event.target.dataset.cubeFile);
    });
    document.addEventListener("keyup", (event) => { if (event.key.toLowerCase() === "e") this.bare(false); });
    addEventListener("blur", () => this.bare(false));
    document.addEventListener("click", (event) => { if (event.target.closest("[data-sheet]")) this.later(); }); // on a phone it comes into sight
    for (const name of ["shown", "painted"]) bench.addEventListener(name, () => this.later());
    document.getElementById("keep-look-go").addEventListener("click", () => this.kept());
    document.getElementById("keep-look-name").addEventListener("keydown", (event) => { if (event.key === "Enter") this.kept(); });
  }

  add(layer, kind) {
    if (!layer) { say("Choose a layer first."); return null; }
    const { parts } = layer.look;
    if (parts.length >= 32) { say("A look has at most 32 parts. Nothing was added.", true); return null; }
    return this.bench.edit({ do: "add-look-part", layer: layer.id, part: { kind, id: this.newId("p") } }).then((answer) => {
      const held = answer && document.querySelector("[data-look-part]:last-of-type, .look-part:last-of-type");
      held?.scrollIntoView({ block: "nearest" });
      return answer;
    });
  }

  move(layer, { part, by }) {
    const at = layer.look.parts.findIndex((one) => one.id === part);
    return this.bench.edit({ do: "move-look-part", layer: layer.id, part, index: Math.max(0, at + Number(by)) });
  }

  copy(layer, to) {
    const { bench } = this;
    return bench.edit({ do: "wear-look", layers: to, look: layer.look, name: `look of ${layer.name}`, of: layer.id, new_id: this.newId("w") }).then((answer) => {
      if (answer) say(to.length === 1 ? `${bench.thing(to[0])?.name} wears it too.` : `${to.length} layers wear it too.`);
    });
  }

  wear(layer, { name, kept }) {
    return this.bench.send("look", { layer: layer.id, name, kept: kept ?? null }).catch(() => null);
  }

  keep(layer, button) {
    this.of = layer.id;
    const pop = document.getElementById("keep-look-pop"), field = document.getElementById("keep-look-name");
    field.value = `${layer.name} look`;
    pop.showPopover({ source: button });
    const { left, bottom } = button.getBoundingClientRect();
    Object.assign(pop.style, { left: `${Math.max(8, Math.min(left, innerWidth - pop.offsetWidth - 8))}px`, top: `${bottom + 6}px` });
    field.select();
    field.focus();
  }

  kept() {
    const name = document.getElementById("keep-look-name").value.trim();
    if (!name) return;
    document.getElementById("keep-look-pop").hidePopover();
    this.bench.send("kept-looks", { layer: this.of, name }).then(() => say(`${name} is kept.`)).catch(() => null);
  }

  drop(id) { return this.bench.send(`kept-looks/${id}`, {}, "DELETE").catch(() => null); }

  /** The picture without the look of the chosen layer, while a key is held. */
  bare(on) {
    const { bench } = this, { layer } = bench;
    if (on && !layer) { say("Choose a layer first."); return; }
    if (on === Boolean(bench.bare)) return;
    bench.bare = on ? { do: "set-values", target: layer.id, values: { "look.on": false } } : null;
    this.picture.refreshMain();
  }

  /** A table of colours for the chosen layer: for a part of its look, or for a new one. */
  async bring(file, part = "") {
    const { bench } = this, { layer } = bench;
    if (!file) return;
    if (!layer) { say(`Choose the layer that ${file.name} is for, then drop it again.`, true); return; }
    if (file.size > 24 << 20) { say(`${file.name} is longer than 24 MB. Nothing was changed.`, true); return; }
    await bench.settled();
    const query = new URLSearchParams({ layer: layer.id, part, name: file.name, chosen: bench.chosen });
    const answer = await fetch(`/shots/${bench.id}/tables?${query}`, { method: "POST", body: file }).catch(() => null);
    const told = await answer?.json().catch(() => null);
    if (!answer?.ok) { say(told?.problem ?? `${file.name} could not be sent. Nothing was changed.`, true); return; }
    bench.take(told, bench.chosen);
    say(told.said);
  }

  async read(input) {
    const [file] = input.files, part = input.dataset.cdlFile;
    input.value = "";
    if (!file) return;
    if (file.size > 1 << 20) { say(`${file.name} is longer than 1 MB. Nothing was changed.`, true); return; }
    const text = await file.text();
    await this.bench.send("cdl", { layer: this.bench.layer.id, part, text }).catch(() => null);
  }

  /** The tiles of the shelf on this very frame, once the hand rests. */
  later() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.tiles(), 350);
  }

  async tiles() {
    const shelf = document.getElementById("look-shelf"), { bench } = this;
    if (!shelf || bench.trial || bench.playing || bench.saving || shelf.offsetParent === null) return;
    const of = `${shelf.dataset.layer} ${bench.frame} ${bench.state.stamp}`;
    if (shelf.dataset.of === of) return;
    shelf.dataset.of = of;
    const url = `/shots/${bench.id}/looks.jpg?layer=${shelf.dataset.layer}&frame=${bench.frame}&stamp=${bench.state.stamp}`;
    const answer = await fetch(url).catch(() => null);
    if (!answer?.ok || document.getElementById("look-shelf") !== shelf) return;
    const strip = await createImageBitmap(await answer.blob());
    const tiles = [...shelf.querySelectorAll("canvas")], wide = strip.width / tiles.length;
    tiles.forEach((tile, n) => {
      Object.assign(tile, { width: wide, height: strip.height });
      tile.getContext("2d").drawImage(strip, n * wide, 0, wide, strip.height, 0, 0, wide, strip.height);
    });
    strip.close();
  }
}

