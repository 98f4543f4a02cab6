// Popovers: one way to open them, beside what they belong to and inside the window.

/** Open a popover below an element or a box of the window, above it where there is more room, or at its left. */
export function openBy(pop, anchor, side = "below") {
  if (!pop.matches(":popover-open")) pop.showPopover();
  putBy(pop, anchor, side);
}

/** The same for one that is open. */
export function putBy(pop, anchor, side = "below") {
  const box = anchor.getBoundingClientRect ? anchor.getBoundingClientRect() : anchor, { offsetWidth: wide, offsetHeight: high } = pop;
  const below = box.bottom + 6, above = box.top - 6 - high, lowest = innerHeight - 8 - high;
  const upwards = side === "above" ? above >= 8 : below + high > innerHeight - 8 && above >= 8;
  const top = side === "left" ? Math.min(box.top, lowest) : upwards ? above : Math.min(below, lowest);
  const left = side === "left" ? box.left - 8 - wide : Math.min(box.left, innerWidth - 8 - wide);
  Object.assign(pop.style, { position: "fixed", inset: "auto", left: `${Math.max(8, left)}px`, top: `${Math.max(8, top)}px` });
}
