// The wall of shots: posters that play while the pointer rests on them.
import { ask, drawTile, say, sendFile } from "./common.js";

const TILES = 12;
const still = matchMedia("(prefers-reduced-motion: reduce)");

function poster(link) {
  const first = new Image(), canvas = document.createElement("canvas");
  first.alt = "";
  link.append(first, canvas);
  const image = new Image();
  let timer = 0, at = Math.floor(TILES / 3);
  const draw = () => drawTile(canvas, image, TILES, at, true);
  image.addEventListener("load", () => {
    draw();
    new ResizeObserver(draw).observe(link);
  });
  const play = () => {
    if (still.matches || timer) return;
    timer = setInterval(() => { at = (at + 1) % TILES; draw(); }, 160);
  };
  const rest = () => {
    clearInterval(timer);
    timer = 0;
    at = Math.floor(TILES / 3);
    draw();
  };
  for (const [begin, end] of [["pointerenter", "pointerleave"], ["focus", "blur"]]) {
    link.addEventListener(begin, play);
    link.addEventListener(end, rest);
  }
  const load = (picture, source, done) => {
    for (const name of ["load", "error"]) picture.addEventListener(name, done, { once: true });
    picture.src = source;
  };
  return { still: (done) => load(first, link.dataset.still, done), strip: (done) => load(image, link.dataset.strip, done) };
}

// two at a time: a click on one need not wait for a free connection. First a picture of each, then what plays
const AT_ONCE = 2;
const stills = [], strips = [];
let loading = 0;
function next() {
  while (loading < AT_ONCE && stills.length + strips.length) {
    loading += 1;
    (stills.shift() ?? strips.shift())(() => { loading -= 1; next(); });
  }
}

// the page is there before its posters, and only those in sight are asked for
const begin = new Map([...document.querySelectorAll(".poster")].map((link) => [link, poster(link)]));
const sight = new IntersectionObserver((entries) => {
  for (const { target, isIntersecting } of entries) {
    if (!isIntersecting) continue;
    sight.unobserve(target);
    const { still: one, strip } = begin.get(target);
    stills.push(one);
    strips.push(strip);
  }
  next();
}, { rootMargin: "200px" });
const look = () => { for (const link of begin.keys()) sight.observe(link); };
if (document.readyState === "complete") look();
else addEventListener("load", look);

document.addEventListener("click", async (event) => {
  const button = event.target.closest("[data-remove]");
  if (!button) return;
  if (!confirm(`Delete the shot “${button.dataset.name}”? Its footage stays.`)) return;
  await ask(`/shots/${button.dataset.remove}`, { method: "DELETE" });
  button.closest("li").remove();
});

// what was saved as files comes back as a shot
const saved = document.getElementById("open-saved");
saved?.addEventListener("change", async () => {
  const [file] = saved.files, button = document.getElementById("open-button");
  saved.value = "";
  if (!file) return;
  button.disabled = true;
  try {
    const { id } = await sendFile(file, (part) => say(part === null ? `The connection broke; ${file.name} goes on by itself.` : `Opening ${file.name}: ${Math.round(100 * part)} %`), {}, "open");
    location.href = `/shots/${id}`;
  } catch (problem) {
    say(problem.message, true);
  } finally {
    button.disabled = false;
  }
});
document.getElementById("open-button")?.addEventListener("click", () => saved.click());

// a name is changed where it stands
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-rename]");
  if (!button) return;
  const name = button.closest("li").querySelector(".wall-name"), field = document.createElement("input");
  Object.assign(field, { className: "field", value: name.textContent, maxLength: 120 });
  field.setAttribute("aria-label", "Name of the shot");
  name.replaceWith(field);
  field.focus();
  field.select();
  let done = false;
  const end = async (keep) => {
    if (done) return;
    done = true;
    const to = field.value.trim();
    field.replaceWith(name);
    button.focus();
    if (!keep || !to || to === name.textContent) return;
    const edit = { do: "set-values", target: null, values: { name: to } };
    const answer = await ask(`/shots/${button.dataset.rename}/edits`, { method: "POST", body: { edit } }).catch(() => null);
    if (answer) name.textContent = answer.state.shot.name;
  };
  field.addEventListener("keydown", (pressed) => {
    if (pressed.key !== "Enter" && pressed.key !== "Escape") return;
    pressed.preventDefault(); // or Enter would press the button that has the focus by then
    end(pressed.key === "Enter");
  });
  field.addEventListener("blur", () => end(true));
});
