// Find anything: `/` opens it on every page. Pages may add things of their own with `provide`.
import { asked, ordered } from "./fitting.js";

const pop = document.getElementById("find-pop");
const field = document.getElementById("find-field");
const list = document.getElementById("find-list");
const providers = [];
let found = [], at = 0, run = 0, hurry = false;

/** `provider()` answers a list of { title, note, also, go }; what fits is chosen, and put in order, here. */
export const provide = (provider) => providers.push(provider);

async function elsewhere(text) {
  const answer = await fetch(`/find?q=${encodeURIComponent(text)}`).catch(() => null);
  if (!answer?.ok) return [];
  return (await answer.json()).found.map((one) => ({ ...one, go: () => { location.href = one.address; } }));
}

async function look() {
  run += 1;
  const mine = run;
  const words = asked(field.value);
  const near = ordered(providers.flatMap((provider) => provider()), words).filter(([far]) => far < Infinity).map(([, one]) => one);
  show(near, false);
  const far = ordered(await elsewhere(field.value), words).map(([, one]) => one);
  if (mine !== run) return;
  show([...near, ...far], true);
  if (hurry) take(at);
  hurry = false;
}

function show(results, settled) {
  found = results.slice(0, 40);
  at = Math.min(at, Math.max(0, found.length - 1));
  list.replaceChildren(...found.map((one, n) => {
    const row = document.createElement("li");
    row.id = `found-${n}`;
    row.className = "found";
    row.setAttribute("role", "option");
    row.setAttribute("aria-selected", n === at);
    const title = document.createElement("b"), note = document.createElement("span");
    title.textContent = one.title;
    note.textContent = one.note;
    row.append(title, note);
    row.addEventListener("click", () => take(n));
    return row;
  }));
  if (!found.length && settled) {
    const none = document.createElement("li");
    none.className = "text-quiet p-2";
    none.textContent = "Nothing of that name here.";
    list.append(none);
  }
  field.setAttribute("aria-activedescendant", found.length ? `found-${at}` : "");
}

function take(n) {
  const one = found[n];
  if (!one) return;
  close();
  one.go();
}

/** The browser takes the focus off a hidden field only with the next frame; keys must not wait. */
function close() {
  field.blur();
  pop.hidePopover();
}

export function openFind() {
  field.value = "";
  at = 0;
  hurry = false;
  pop.showPopover();
  field.focus();
  look();
}

field.addEventListener("input", () => { at = 0; hurry = false; look(); });
field.addEventListener("keydown", (event) => {
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (by) {
    event.preventDefault();
    at = (at + by + found.length) % Math.max(1, found.length);
    [...list.children].forEach((row, n) => row.setAttribute("aria-selected", n === at));
    list.children[at]?.scrollIntoView({ block: "nearest" });
    field.setAttribute("aria-activedescendant", `found-${at}`);
  } else if (event.key === "Enter") {
    event.preventDefault();
    if (found.length) take(at);
    else hurry = true; // what was asked for is on its way
  } else if (event.key === "Escape") {
    event.preventDefault();
    close();
  }
  event.stopPropagation();
});
document.addEventListener("keydown", (event) => {
  if (event.key !== "/" || event.target.closest("input, textarea, select") || event.ctrlKey || event.metaKey) return;
  event.preventDefault();
  openFind();
});
document.addEventListener("click", (event) => { if (event.target.closest("[data-find]")) openFind(); });
