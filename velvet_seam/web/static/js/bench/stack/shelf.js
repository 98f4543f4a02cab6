// The shelf of a bench: footage for a new layer, or in the place of what a layer shows.
import { putBy } from "../popover.js";
import { say, sendFile } from "../../common.js";

export class Shelf {
  constructor(bench) {
    this.bench = bench;
    this.pop = document.getElementById("shelf-pop");
    this.target = null;
    this.pop.addEventListener("beforetoggle", (event) => {
      if (event.newState === "open") this.arrange();
      else this.target = null;
    });
    this.pop.addEventListener("toggle", (event) => {
      if (event.newState !== "open") return;
      this.place();
      this.anew();
    });
    document.getElementById("files").addEventListener("change", (event) => {
      this.bringIn([...event.target.files]);
      event.target.value = "";
    });
    this.pop.addEventListener("click", (event) => {
      const whose = event.target.closest("[data-of]"), kind = event.target.closest("[data-only-kind]");
      if (whose) this.filter(whose);
      if (kind) {
        for (const one of this.pop.querySelectorAll("[data-only-kind]")) one.setAttribute("aria-pressed", one === kind);
        this.filter(this.pop.querySelector("[data-of][aria-pressed='true']"));
      }
    });
  }

  /** Open it to choose something in the place of what a layer or a sound shows. */
  replace(thing, button) {
    this.target = thing;
    this.at = button ?? null;
    this.pop.showPopover();
  }

  arrange() {
    const { pop, target } = this;
    pop.querySelector("[data-title]").textContent = target ? `Instead of ${target.name}` : "Add a layer";
    pop.querySelector("[data-only-add]").hidden = Boolean(target);
    const heard = target && target.footage !== undefined;
    for (const item of pop.querySelectorAll("[data-add]")) {
      item.dataset.unfit = Boolean(target) && (heard ? item.dataset.heard !== "yes" : item.dataset.kind === "sound");
    }
    this.filter(pop.querySelector("[data-of][aria-pressed='true']"));
    pop.style.opacity = 0; // how large it is, is known only once it is open
  }

  place() {
    const { pop, target } = this;
    if (target && this.at) {
      putBy(pop, this.at, "left");
    } else {
      const { left, top, bottom } = document.getElementById("add-layer").getBoundingClientRect();
      putBy(pop, { left: left - 120, top, bottom }); // over the stack rather than over the picture
    }
    pop.style.opacity = "";
  }

  filter(chosen) {
    if (!chosen) return;
    for (const one of this.pop.querySelectorAll("[data-of]")) one.setAttribute("aria-pressed", one === chosen);
    const kind = this.pop.querySelector("[data-only-kind][aria-pressed='true']")?.dataset.onlyKind;
    for (const item of this.pop.querySelectorAll("[data-add]")) {
      const other = (kind && item.dataset.kind !== kind) || (chosen.dataset.of !== "all" && item.dataset.whose !== chosen.dataset.of);
      item.hidden = other || item.dataset.unfit === "true";
    }
  }

  async take(body) {
    const { target, bench } = this;
    this.pop.hidePopover();
    if (!target) {
      const answer = await bench.send("layers", { frame: bench.frame, ...body }).catch(() => null);
      if (answer && body.generated === "paint") bench.tell("brush-up", { paint: true }); // there is nothing to be seen of it yet
      return answer;
    }
    return bench.send("replace", { target: target.id, footage: body.footage }).catch(() => null);
  }

  async bringIn(files) {
    const { target } = this;
    for (const file of files) {
      try {
        say(`Bringing in ${file.name}`);
        const { id } = await sendFile(file, (part) => { if (part === null) say(`The connection broke; ${file.name} goes on by itself.`); });
        this.target = target;
        await this.take({ footage: id });
      } catch (problem) {
        say(problem.message, true);
      }
      if (target) break;
    }
    await this.anew();
  }

  /** What there is now: a plate or a shot may have come since it was shown last. What is chosen in it stays. */
  async anew() {
    const answer = await fetch(`/shots/${this.bench.id}/shelf`).catch(() => null);
    if (!answer?.ok) return;
    const text = await answer.text(), { pop } = this, target = document.getElementById("shelf");
    const chosen = [...pop.querySelectorAll("[aria-pressed='true']")].map((one) => ({ ...one.dataset }));
    window.htmx.swap({ target, sourceElement: target, text, swap: "innerMorph" });
    for (const dataset of chosen) {
      for (const [name, value] of Object.entries(dataset)) {
        const every = [...pop.querySelectorAll("[aria-pressed]")].filter((one) => name in one.dataset);
        for (const one of every) one.setAttribute("aria-pressed", one.dataset[name] === value);
      }
    }
    if (pop.matches(":popover-open")) {
      this.arrange();
      this.place();
    }
  }
}
