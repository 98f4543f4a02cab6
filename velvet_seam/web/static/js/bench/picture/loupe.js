// The loupe: the pixels under the pointer, large, with their colour and the chosen layer's coverage.
const CELL = 9;

export class Loupe {
  constructor(bench, picture) {
    Object.assign(this, { bench, picture });
    this.box = document.getElementById("loupe");
    this.canvas = this.box.querySelector("canvas");
    this.words = this.box.querySelector("p");
    this.button = document.getElementById("loupe-on");
    this.on = false;
    this.sampling = false;
    this.button.addEventListener("click", () => this.toggle());
    picture.mat.addEventListener("pointermove", (event) => this.move(event));
    picture.mat.addEventListener("pointerleave", () => { this.last = null; this.box.hidden = true; });
    for (const name of ["painted", "layout"]) bench.addEventListener(name, () => this.look());
  }

  toggle() {
    this.on = !this.on;
    this.button.setAttribute("aria-pressed", this.on);
    this.box.hidden = !this.on || !this.last;
    this.look();
  }

  get wanted() { return (this.on || this.sampling) && Boolean(this.last); }

  /** While an area is dragged to take its colour the loupe is there by itself. */
  sample(sampling) {
    this.sampling = sampling;
    if (!sampling && !this.on) this.box.hidden = true;
  }

  move(event) {
    const box = this.picture.mat.getBoundingClientRect();
    const place = this.picture.toCanvas(event);
    const { width, height } = this.bench.shot.canvas;
    const within = place.x >= 0 && place.y >= 0 && place.x < width && place.y < height;
    this.last = within && !event.target.closest?.("button, select") ? { ...place, left: event.clientX - box.left, top: event.clientY - box.top } : null;
    if (!this.last) { this.box.hidden = true; return; }
    this.look();
  }

  /** Ask for what is under the pointer; while an answer is on its way only the newest place waits. */
  async look() {
    if (!this.wanted || this.picture.playing) return;
    if (this.busy) { this.again = true; return; }
    this.busy = true;
    do {
      this.again = false;
      const { x, y } = this.last;
      const { bench } = this;
      const layer = bench.layer && !bench.sound ? bench.layer.id : "";
      const wish = new URLSearchParams({ x, y, layer, frame: bench.frame, view: this.picture.view, full: this.picture.enlarged });
      const seen = await fetch(`/shots/${bench.id}/loupe?${wish}`).then((answer) => (answer.ok ? answer.json() : null), () => null);
      if (seen && this.wanted) this.draw(seen); // it may have been put away meanwhile
    } while (this.again && this.wanted);
    this.busy = false;
  }

  draw({ side, colours, coverage, before }) {
    const { canvas, words, box, last } = this;
    canvas.width = canvas.height = side * CELL;
    const pen = canvas.getContext("2d");
    colours.forEach((colour, n) => {
      if (!colour) return;
      pen.fillStyle = colour;
      pen.fillRect((n % side) * CELL, Math.floor(n / side) * CELL, CELL, CELL);
    });
    const middle = (side * side - 1) / 2, at = ((side - 1) / 2) * CELL;
    for (const [shade, by] of [["#fff", 0.5], ["#000", 1.5]]) {
      pen.strokeStyle = shade;
      pen.strokeRect(at - by, at - by, CELL + 2 * by, CELL + 2 * by);
    }
    const colour = colours[middle] || "outside";
    const parts = colour.startsWith("#") ? [1, 3, 5].map((k) => parseInt(colour.slice(k, k + 2), 16)).join(" ") : "";
    words.replaceChildren(
      line(`${Math.floor(last.x)}, ${Math.floor(last.y)}`, colour),
      line("R G B", parts),
      ...(before ? [line("before", [1, 3, 5].map((k) => parseInt(before.slice(k, k + 2), 16)).join(" "))] : []),
      ...(coverage ? [line("covers", `${coverage[middle].toFixed(coverage[middle] % 1 ? 1 : 0)} %`)] : []),
    );
    box.hidden = false;
    const { clientWidth, clientHeight } = this.picture.mat;
    const right = last.left + 22 + box.offsetWidth < clientWidth, below = last.top + 22 + box.offsetHeight < clientHeight;
    box.style.left = `${right ? last.left + 22 : last.left - 22 - box.offsetWidth}px`;
    box.style.top = `${below ? last.top + 22 : last.top - 22 - box.offsetHeight}px`;
  }
}

function line(name, value) {
  const row = document.createElement("span");
  const left = document.createElement("span"), right = document.createElement("b");
  left.textContent = name;
  right.textContent = value;
  row.append(left, right);
  return row;
}
