// Renders refresh themselves through htmx; a video that plays must not be swapped away.
import { drawProgress } from "./common.js";

document.addEventListener("htmx:before:swap", (event) => {
  const playing = [...document.querySelectorAll("#renders video")].some((video) => !video.paused);
  if (playing && document.querySelector('[data-state="working"], [data-state="waiting"]') === null) {
    event.preventDefault();
  }
});
drawProgress();
