// How the picture is looked at: zoom and pan, phone size, safe areas, the shade of the mat. A way of
// looking never changes the shot.
import { follow } from "../drag.js";
const STEPS = [0.1, 0.25, 0.5, 1, 2, 4, 8];
const PHONE_WIDTH = (70 / 25.4) * 96; // a phone held upright is about 70 mm wide; CSS has 96 px an inch
const SHADES = ["dark", "middle", "light"];
/** What a phone's own words and buttons cover, as parts of a picture: top, right, bottom. */
const SAFE = { top: 0.08, right: 0.14, bottom: 0.19 };

export class View {
  constructor(bench, picture) {
    Object.assign(this, { bench, picture });
    this.mat = picture.mat;
    this.choice = document.getElementById("zoom");
    this.choice.addEventListener("change", () => { this.pick(this.choice.value); this.choice.blur(); });
    document.getElementById("mat-shade").addEventListener("click", () => this.shade(1));
    this.safeButton = document.getElementById("safe");
    this.safeButton.addEventListener("click", () => this.safe());
    this.mat.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    this.mat.addEventListener("pointerdown", (event) => this.press(event));
    bench.addEventListener("layout", () => this.say());
    this.shade(0);
    this.say();
  }

  pick(value) {
    const { picture, bench } = this;
    if (value === "fit") picture.zoom = null;
    else if (value === "phone") picture.zoom = PHONE_WIDTH / bench.shot.canvas.width;
    else picture.zoom = Number(value);
    picture.phone = value === "phone";
    picture.pan = { x: 0, y: 0 };
    picture.layout();
  }

  /** One step nearer or farther about a point of the mat, which stays where it is. */
  step(by, point) {
    const { rect } = this.picture;
    const next = by > 0 ? STEPS.find((k) => k > rect.k * 1.01) : STEPS.findLast((k) => k < rect.k * 0.99);
    this.to(next ?? rect.k, point);
  }

  to(k, point) {
    const { picture, mat } = this;
    const { rect } = picture;
    const at = point ?? { x: mat.clientWidth / 2, y: mat.clientHeight / 2 };
    const to = Math.min(Math.max(k, 0.05), 16);
    const grown = to / rect.k;
    const middle = { x: rect.x + rect.width / 2, y: rect.y + rect.height / 2 };
    const home = picture.home();
    picture.zoom = to;
    picture.phone = false;
    picture.pan = {
      x: at.x + (middle.x - at.x) * grown - home.x,
      y: at.y + (middle.y - at.y) * grown - home.y,
    };
    picture.layout();
  }

  wheel(event) {
    if (event.ctrlKey || event.metaKey) {
      event.preventDefault();
      const box = this.mat.getBoundingClientRect();
      const point = { x: event.clientX - box.left, y: event.clientY - box.top };
      this.to(this.picture.rect.k * Math.exp(-event.deltaY * 0.004), point);
    } else if (this.picture.zoom) {
      event.preventDefault();
      this.move(-event.deltaX, -event.deltaY);
    }
  }

  move(dx, dy) {
    const { picture } = this;
    picture.pan = { x: picture.pan.x + dx, y: picture.pan.y + dy };
    picture.layout();
  }

  /** The middle button, or the mat where there is no handle, moves an enlarged picture. */
  press(event) {
    const free = event.button === 0 && !event.shiftKey && !event.target.dataset?.grab && !event.target.closest("button, select");
    if (!this.picture.zoom || !(free || event.button === 1)) return;
    event.preventDefault();
    let last = event;
    this.mat.classList.add("moving");
    follow(this.mat, event, { saving: 0 }, () => ({
      move: (next) => {
        this.move(next.clientX - last.clientX, next.clientY - last.clientY);
        last = next;
      },
      end: () => this.mat.classList.remove("moving"),
    }));
  }

  shade(by) {
    let at = SHADES.indexOf(localStorage.getItem("mat") ?? "dark");
    at = (Math.max(0, at) + by) % SHADES.length;
    localStorage.setItem("mat", SHADES[at]);
    this.mat.dataset.shade = SHADES[at];
    document.getElementById("mat-shade").title = `Grey of the mat: ${SHADES[at]} · ,`;
  }

  safe() {
    this.picture.safe = !this.picture.safe;
    this.safeButton.setAttribute("aria-pressed", this.picture.safe);
    this.picture.layout();
  }

  say() {
    const { picture, choice } = this;
    const percent = `${Math.round(100 * picture.rect.k)} %`;
    const shown = picture.phone ? "phone" : picture.zoom ? String(picture.zoom) : "fit";
    const known = [...choice.options].find((one) => one.value === shown && !one.dataset.own);
    const own = choice.querySelector("[data-own]");
    own.hidden = Boolean(known);
    if (!known) { own.value = shown; own.textContent = percent; }
    const narrow = choice.clientWidth < 80; // on a phone, where it would be cut off
    choice.options[0].textContent = picture.zoom || narrow ? "Fit" : `Fit · ${percent}`;
    choice.value = shown;
  }
}

/** Where a phone's own words and buttons lie over a picture of this size, as a path of an SVG. */
export function safeAreas(x, y, width, height) {
  const top = height * SAFE.top, bottom = height * SAFE.bottom, right = width * SAFE.right;
  const middle = height - top - bottom;
  return `M${x} ${y}h${width}v${top}h${-width}z`
    + `M${x} ${y + height - bottom}h${width}v${bottom}h${-width}z`
    + `M${x + width - right} ${y + top + middle * 0.42}h${right}v${middle * 0.58}h${-right}z`;
}
