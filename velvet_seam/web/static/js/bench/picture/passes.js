// Passes of a repeated camera move: shown over the take, and made layers of.

export class Passes {
  constructor(bench, watch) {
    Object.assign(this, { bench, watch });
    this.off = new Set(); // numbers of passes that are left out
    this.acts = {
      "find-passes": ({ layer }) => this.begin({ layer: layer.id }),
      "make-passes": ({ layer }) => this.begin({ layer: layer.id, make: this.chosen.map((one) => one.number) }),
    };
    bench.addEventListener("shown", () => this.shown());
  }

  get chosen() { return (this.found?.passes ?? []).filter((one) => !this.off.has(one.number)); }

  async begin(body) {
    const { bench } = this, { layer } = bench;
    if (!await bench.send("passes", body).catch(() => null)) return;
    await this.watch("passes");
    this.off.clear();
    if (bench.layer?.id === layer.id) this.shown(true);
  }

  leave(number) {
    if (this.off.has(number)) this.off.delete(number); else this.off.add(number);
    this.draw();
  }

  async shown(again = false) {
    const box = document.getElementById("passes"), { layer } = this.bench;
    if (!box || !layer) return;
    if (again || this.of !== layer.id) {
      const answer = await fetch(`/shots/${this.bench.id}/passes/${layer.id}`).catch(() => null);
      this.found = answer?.ok ? await answer.json() : { passes: [] };
      this.of = layer.id;
      this.off.clear();
    }
    this.draw();
  }

  /** The take as a strip, each pass on it with its way; below it what is done with them. */
  draw() {
    const box = document.getElementById("passes-found");
    if (!box) return;
    const { passes = [], span } = this.found ?? {};
    box.hidden = !passes.length;
    document.getElementById("passes-none").hidden = passes.length > 0;
    if (!passes.length) return;
    const long = span[1] - span[0] + 1;
    const bars = passes.map((one) => {
      const bar = document.createElement("button");
      bar.className = "pass-bar";
      bar.dataset.do = "go-to";
      bar.dataset.frame = one.first;
      bar.setAttribute("aria-label", `${one.name}, ${one.words}`);
      bar.title = `${one.name}: ${one.words}${one.way < 0 ? ", the other way" : ""}`;
      bar.style.left = `${(100 * (one.first - span[0])) / long}%`;
      bar.style.width = `${(100 * (one.last - one.first + 1)) / long}%`;
      bar.textContent = one.way < 0 ? `← ${one.number + 1}` : `${one.number + 1} →`;
      bar.classList.toggle("off", this.off.has(one.number));
      return bar;
    });
    document.getElementById("passes-strip").replaceChildren(...bars);
    document.getElementById("passes-list").replaceChildren(...passes.map((one) => {
      const chip = document.createElement("button");
      chip.className = "chip";
      chip.dataset.number = one.number;
      chip.setAttribute("aria-pressed", !this.off.has(one.number));
      chip.textContent = one.name;
      chip.addEventListener("click", () => this.leave(one.number));
      return chip;
    }));
    document.getElementById("passes-make").disabled = this.chosen.length < 2;
  }
}
