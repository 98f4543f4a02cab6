// Instruments: levels, waveform and hues of each picture that is painted, and marks where it is lost.

export class Scope {
  constructor(bench, picture) {
    Object.assign(this, { bench, picture });
    this.which = "";
    this.layer = this.marks = false;
    const panel = document.getElementById("panel");
    panel.addEventListener("click", (event) => {
      const button = event.target.closest("[data-scope]");
      if (button) this.pick(button.dataset.scope);
    });
    panel.addEventListener("change", (event) => {
      if (event.target.id === "scope-layer") this.layer = event.target.checked;
      else if (event.target.id === "clip-marks") this.marks = event.target.checked;
      else return;
      this.want();
    });
    bench.addEventListener("shown", () => this.shown());
    bench.addEventListener("painted", () => this.draw());
    bench.addEventListener("chosen", () => { if (bench.kind !== "look" && Object.keys(picture.also).length) { picture.also = {}; picture.refreshMain(); } });
  }

  pick(which) {
    this.which = which === this.which ? "" : which;
    this.shown();
    this.want();
  }

  /** What is asked of each picture from now on. */
  want() {
    const { which, layer, marks } = this;
    this.picture.also = which ? { scope: which, scope_layer: layer, marks } : {};
    this.picture.refreshMain();
  }

  /** The controls have come anew: they say what is on. */
  shown() {
    const { which } = this, canvas = document.getElementById("scope");
    if (!canvas) return;
    for (const one of document.querySelectorAll("[data-scope]")) one.setAttribute("aria-pressed", one.dataset.scope === which);
    canvas.hidden = document.getElementById("scope-row").hidden = !which;
    document.getElementById("scope-layer").checked = this.layer;
    document.getElementById("clip-marks").checked = this.marks;
    if (which && !this.picture.also.scope) this.want();
    else if (which) this.draw();
  }

  async draw() {
    const { more } = this.picture, canvas = document.getElementById("scope");
    if (!canvas || !this.which || !more?.scope) return;
    const bytes = Uint8Array.from(atob(more.scope), (sign) => sign.charCodeAt(0));
    const bitmap = await createImageBitmap(new Blob([bytes], { type: "image/jpeg" }));
    if (canvas.width !== bitmap.width) Object.assign(canvas, { width: bitmap.width, height: bitmap.height });
    canvas.getContext("2d").drawImage(bitmap, 0, 0);
    bitmap.close();
    const said = document.getElementById("scope-said");
    if (said) said.textContent = `${more.lost[0].toFixed(1)} % black · ${more.lost[1].toFixed(1)} % white`;
  }
}
