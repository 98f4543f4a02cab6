// The blend wall: every blend on this very frame, both ways round. Resting on one shows it large,
// a click takes it. It follows the playhead.
const WALL_SIDE = 108;

export class Wall {
  constructor(bench) {
    this.bench = bench;
    this.pop = document.getElementById("wall-pop");
    this.words = document.getElementById("wall-words");
    this.note = document.getElementById("wall-above");
    this.tiles = [...this.pop.querySelectorAll(".wall-tile")];
    for (const name of ["state", "frame", "chosen"]) bench.addEventListener(name, () => this.soon());
    this.pop.addEventListener("pointerover", (event) => this.look(event));
    this.pop.addEventListener("focusin", (event) => this.look(event));
    this.pop.addEventListener("pointerleave", () => this.rest());
    this.pop.addEventListener("focusout", () => this.rest());
    this.pop.addEventListener("click", (event) => this.take(event));
    this.pop.addEventListener("keydown", (event) => {
      if (event.key === "Escape" || event.key.toLowerCase() === "b") { event.preventDefault(); event.stopPropagation(); this.close(); }
      if (event.key.startsWith("Arrow")) { event.preventDefault(); event.stopPropagation(); this.step(event.key); }
    });
    document.addEventListener("pointerdown", (event) => {
      if (this.open && !this.pop.contains(event.target) && !event.target.closest("#mat, .time, [data-do=wall]")) this.close();
    });
  }

  get open() { return this.pop.matches(":popover-open"); }

  toggle() {
    if (this.open) { this.close(); return; }
    const mat = document.getElementById("mat").getBoundingClientRect();
    // below the ways of seeing, which stay in reach
    const top = mat.top + 46;
    Object.assign(this.pop.style, { left: "8px", top: `${top}px` });
    this.pop.style.maxHeight = `${Math.round(innerHeight - top - 8)}px`;
    // the picture stays in sight beside it
    const picture = document.getElementById("picture").getBoundingClientRect();
    this.pop.style.width = `${Math.round(Math.max(380, Math.min(654, picture.left - 20, mat.right - 20)))}px`;
    this.pop.showPopover();
    this.draw();
    this.pop.querySelector("button").focus({ preventScroll: true });
  }

  /** The nearest tile that way. */
  step(key) {
    const buttons = [...this.pop.querySelectorAll(".wall-pair button")], here = document.activeElement.closest(".wall-pair button") ?? buttons[0];
    const middle = (one) => { const box = one.getBoundingClientRect(); return { x: box.left + box.width / 2, y: box.top + box.height / 2 }; };
    const from = middle(here), across = key === "ArrowLeft" || key === "ArrowRight", sign = key === "ArrowLeft" || key === "ArrowUp" ? -1 : 1;
    let best = null;
    for (const one of buttons) {
      const to = middle(one), along = sign * (across ? to.x - from.x : to.y - from.y), aside = Math.abs(across ? to.y - from.y : to.x - from.x);
      if (along < 4 || (across && aside > 20)) continue;
      const far = along + 3 * aside;
      if (!best || far < best.far) best = { one, far };
    }
    best?.one.focus();
    best?.one.scrollIntoView({ block: "nearest" });
  }

  close() {
    this.rest();
    this.pop.hidePopover();
  }

  soon() {
    if (!this.open) return;
    if (!this.bench.layer) { this.close(); return; }
    this.mark();
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.draw(), 90);
  }

  mark() {
    const now = this.bench.layer?.seam.blend;
    for (const tile of this.tiles) tile.classList.toggle("here", tile.dataset.blend === now);
  }

  async draw() {
    const { bench } = this;
    const { layer } = bench;
    if (!layer) return;
    this.mark();
    const answer = await fetch(`/shots/${bench.id}/wall.jpg?layer=${layer.id}&frame=${bench.frame}&r=${bench.state.stamp}`).catch(() => null);
    const image = answer?.ok ? await createImageBitmap(await answer.blob()).catch(() => null) : null;
    if (!image) return;
    this.note.hidden = answer.headers.get("x-without-above") !== "1";
    const width = image.width / 2, height = image.height / this.tiles.length;
    this.tiles.forEach((tile, row) => {
      tile.querySelectorAll("canvas").forEach((canvas, column) => {
        canvas.width = width;
        canvas.height = height;
        canvas.getContext("2d").drawImage(image, column * width, row * height, width, height, 0, 0, width, height);
      });
    });
    this.pop.dataset.frame = bench.frame;
  }

  edit(button) {
    const { bench } = this;
    const { blend } = button.closest(".wall-tile").dataset;
    const set = { do: "set-values", target: bench.layer.id, values: { "seam.blend": blend } };
    const at = bench.shot.layers.indexOf(bench.layer);
    if (button.dataset.order !== "swapped" || at === 0) return set;
    return { do: "several", label: `swap and blend ${bench.layer.name}`, edits: [{ do: "reorder-layer", layer: bench.layer.id, index: at - 1 }, set] };
  }

  look(event) {
    const button = event.target.closest("button[data-order]");
    if (!button || button === this.seen || !this.bench.layer) return;
    this.seen = button;
    this.words.textContent = button.closest(".wall-tile").querySelector(".wall-title").title;
    this.bench.try(this.edit(button));
  }

  rest() {
    if (!this.seen) return;
    this.seen = null;
    this.words.textContent = "\u00a0";
    this.bench.trial = null;
    this.bench.tell("refused");
  }

  take(event) {
    const button = event.target.closest("button[data-order]");
    if (!button || !this.bench.layer) return;
    const edit = this.edit(button);
    this.seen = null;
    this.bench.edit(edit);
  }
}
