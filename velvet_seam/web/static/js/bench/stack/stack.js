// The stack: cards are chosen, dragged into another order, and carry their small pictures.
import { say } from "../../common.js";
import { follow } from "../drag.js";
import { scrolling } from "./arrange.js";

export class Stack {
  constructor(bench) {
    this.bench = bench;
    this.root = document.getElementById("stack");
    bench.addEventListener("shown", () => this.refresh());
    bench.addEventListener("frame", () => this.later());
    for (const name of ["solo", "also", "heard"]) bench.addEventListener(name, () => this.refresh());
    this.root.addEventListener("pointerdown", (event) => this.press(event));
    this.refresh();
  }

  refresh() {
    const { bench } = this;
    for (const image of this.root.querySelectorAll("img[data-card]")) {
      const { card, view, key } = image.dataset;
      const address = `/shots/${bench.id}/picture.jpg?view=${view}&chosen=${card}&frame=${bench.frame}&side=96&k=${key}`;
      if (image.getAttribute("src") !== address) image.src = address;
    }
    for (const button of this.root.querySelectorAll('[data-do="solo"]')) {
      button.setAttribute("aria-pressed", bench.solo.has(button.dataset.layer));
    }
    for (const button of document.querySelectorAll('[data-do="hear-alone"]')) {
      button.setAttribute("aria-pressed", bench.heard.has(button.dataset.sound));
    }
    for (const card of this.root.querySelectorAll(".card.thread-sound")) {
      const sound = bench.thing(card.dataset.choose.split(":")[1]);
      card.classList.toggle("off", !sound?.on || (bench.heard.size > 0 && !bench.heard.has(sound.id)));
    }
    for (const card of this.root.querySelectorAll(".card")) {
      card.classList.toggle("also", bench.also.has(card.dataset.choose.split(":")[1]));
    }
    const many = document.getElementById("many");
    many.hidden = bench.also.size === 0;
    many.firstElementChild.textContent = `${bench.targets.length} chosen: what is done to one is done to all`;
    const alone = document.getElementById("alone"), shown = bench.shot.layers.filter((one) => bench.solo.has(one.id));
    alone.hidden = !shown.length;
    if (shown.length) alone.firstElementChild.textContent = `${shown.length === 1 ? `Only ${shown[0].name} is` : `Only ${shown.length} layers are`} shown while you work`;
    for (const card of this.root.querySelectorAll(".card[data-layer]")) {
      const layer = bench.shot.layers.find((one) => one.id === card.dataset.layer);
      card.classList.toggle("off", Boolean(layer?.hidden) || (bench.solo.size > 0 && !bench.solo.has(card.dataset.layer)));
    }
  }

  /** Card pictures follow the playhead once it rests. */
  later() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.refresh(), 400);
  }

  press(event) {
    const card = event.target.closest(".card[data-layer]");
    if (!card || event.button !== 0 || event.target.closest(".card-tools")) return;
    follow(card, event, this.bench, () => this.lift(card, event.clientY));
  }

  /** A card that is dragged to another place in the stack. */
  lift(card, y0) {
    const list = document.getElementById("stack-list");
    const cards = () => [...list.querySelectorAll(".card[data-layer]")];
    let line = null, index = null, at = y0, stop = () => {};
    return {
      move: (next) => {
        at = next.clientY;
        if (!line && Math.abs(at - y0) < 6) return;
        if (!line) {
          line = document.createElement("div");
          line.className = "drop-line";
          card.classList.add("lifted");
          stop = scrolling(this.root, () => at);
        }
        const others = cards();
        const place = others.findIndex((other) => at < other.getBoundingClientRect().top + other.offsetHeight / 2);
        index = place < 0 ? others.length : place;
        const item = others[index]?.closest("li");
        if (item) item.before(line);
        else list.append(line);
      },
      end: (finished) => {
        stop();
        line?.remove();
        card.classList.remove("lifted");
        if (index === null || !finished) return;
        card.dataset.dragged = "yes";
        setTimeout(() => delete card.dataset.dragged, 0);
        const from = cards().indexOf(card), to = index > from ? index - 1 : index;
        if (to !== from) this.reorder(card.dataset.layer, cards().length - 1 - to);
      },
    };
  }

  reorder(layer, index) {
    this.bench.edit({ do: "reorder-layer", layer, index });
  }

  shift(by) {
    const { bench } = this, id = bench.layer?.id;
    if (!id) return;
    bench.editThen(() => {
      const to = bench.shot.layers.findIndex((one) => one.id === id) + by;
      if (to >= 0 && to < bench.shot.layers.length) return { do: "reorder-layer", layer: id, index: to };
      say(by > 0 ? "This layer is on top already." : "This layer is at the bottom already.");
      return null;
    });
  }
}
