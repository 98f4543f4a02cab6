// A layer put into a window of a frame, and two layers that change places.

export class Windows {
  constructor(bench) {
    const number = (id) => document.getElementById(id)?.value;
    this.acts = {
      "into-window": ({ layer }) => {
        const [of, at] = number("window-into").split(":");
        return bench.send("into-window", { layer: layer.id, of, number: Number(at), frame: bench.frame }).catch(() => null);
      },
      "swap-windows": ({ layer }) => bench.send("swap-windows", { layer: layer.id, other: number("window-with"), frame: bench.frame }).catch(() => null),
    };
  }
}
