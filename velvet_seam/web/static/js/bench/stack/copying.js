// Copy to: other layers by their pictures and places in the stack, several at once.
import { openBy } from "../popover.js";

export class Copying {
  constructor(bench, copy) {
    Object.assign(this, { bench, copy });
    this.pop = document.getElementById("copy-pop");
    this.list = document.getElementById("copy-list");
    this.go = document.getElementById("copy-go");
    this.list.addEventListener("change", () => this.count());
    this.go.addEventListener("click", () => this.done());
  }

  open(layer, part, button) {
    const { bench } = this;
    this.what = { layer, part };
    const others = [...bench.shot.layers].reverse().filter((one) => one.id !== layer.id);
    this.list.replaceChildren(...others.map((one) => this.row(one)));
    this.count();
    openBy(this.pop, button);
    this.list.querySelector("input")?.focus();
  }

  row(layer) {
    const { bench } = this, row = document.createElement("label");
    row.className = "copy-row";
    const check = document.createElement("input"), picture = document.createElement("img"), words = document.createElement("span"), note = document.createElement("small");
    Object.assign(check, { type: "checkbox", value: layer.id, disabled: layer.locked });
    Object.assign(picture, { alt: "", src: `/shots/${bench.id}/picture.jpg?view=source&chosen=${layer.id}&frame=${bench.frame}&side=96` });
    const at = bench.shot.layers.indexOf(layer) + 1;
    words.textContent = layer.name;
    note.textContent = layer.locked ? "locked" : `${at} of ${bench.shot.layers.length} from below`;
    words.append(document.createElement("br"), note);
    row.append(check, picture, words);
    return row;
  }

  get chosen() { return [...this.list.querySelectorAll("input:checked")].map((one) => one.value); }

  count() {
    const { length } = this.chosen;
    this.go.disabled = length === 0;
    this.go.textContent = length > 1 ? `Copy to ${length} layers` : "Copy";
  }

  done() {
    const { layer, part } = this.what, to = this.chosen;
    this.pop.hidePopover();
    if (to.length) this.copy(layer, part, to);
  }
}
