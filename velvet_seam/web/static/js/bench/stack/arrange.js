// How the bench is divided: the height of the time strip, and on a phone one sheet at a time.
import { follow } from "../drag.js";

const LEAST = 96;

/** The divider between picture and time: dragged, or moved by the arrow keys; kept for the next time. */
export function divide(bench) {
  const divider = document.getElementById("divider"), box = document.querySelector(".lanes-box");
  const most = () => Math.max(LEAST, Math.round(innerHeight * 0.6));
  const set = (height) => {
    const to = Math.round(Math.min(Math.max(height, LEAST), most()));
    document.querySelector(".bench").style.setProperty("--time", `${to}px`);
    divider.setAttribute("aria-valuenow", to);
    divider.setAttribute("aria-valuemax", most());
    localStorage.setItem("time-height", to);
  };
  const kept = Number(localStorage.getItem("time-height"));
  if (kept) set(kept);
  divider.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    event.preventDefault();
    divider.focus();
    const from = box.clientHeight, y0 = event.clientY;
    follow(divider, event, { ...bench, saving: 0 }, () => ({ move: (next) => set(from + y0 - next.clientY), end: () => {} }));
  });
  divider.addEventListener("keydown", (event) => {
    const by = { ArrowUp: 24, ArrowDown: -24 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    set(box.clientHeight + by);
  });
  divider.addEventListener("dblclick", () => set(206));
}

/** On a phone: the picture, the stack or the controls. Choosing a card goes on to its controls. */
export function sheets(bench) {
  const page = document.querySelector(".bench"), tabs = [...document.querySelectorAll("[data-sheet]:not(.bench)")];
  const show = (name) => {
    page.dataset.sheet = name;
    for (const tab of tabs) tab.setAttribute("aria-pressed", tab.dataset.sheet === name);
  };
  for (const tab of tabs) tab.addEventListener("click", () => show(page.dataset.sheet === tab.dataset.sheet ? "" : tab.dataset.sheet));
  bench.addEventListener("chosen", () => { if (page.dataset.sheet === "stack") show("panel"); });
}

/** While something is dragged near an end of a list, the list scrolls. Answers what ends it. */
export function scrolling(box, at) {
  let going = true;
  const step = () => {
    if (!going) return;
    const { top, bottom } = box.getBoundingClientRect(), y = at();
    const by = y < top + 28 ? y - top - 28 : y > bottom - 28 ? y - bottom + 28 : 0;
    if (by) box.scrollTop += Math.max(-14, Math.min(14, by / 2));
    requestAnimationFrame(step);
  };
  requestAnimationFrame(step);
  return () => { going = false; };
}
