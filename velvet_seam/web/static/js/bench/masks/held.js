// The masks in hand: those of a layer's seam, or, with its look open, those that limit the look's parts.

export const masksOf = (bench, layer) => (bench.kind === "look" ? layer.look.parts.flatMap((part) => part.masks) : layer.seam.masks);

/** Whether masks are what one works on. */
export const inHand = (bench) => bench.kind === "seam" || bench.kind === "look";

export function maskPath(layer, id) {
  const part = layer.look.parts.find((one) => one.masks.some((mask) => mask.id === id));
  return part ? `look.parts.${part.id}.masks.${id}` : `seam.masks.${id}`;
}
