// Kinds and values as the server tells them: names, words and ways, said once (web/kinds.py).
const told = JSON.parse(document.getElementById("kinds").textContent);

export const { looks, sources, masks, mattes, values, ways } = told;

export const lookOf = (kind) => looks.find((one) => one.kind === kind);
export const mask = (kind) => masks.find((one) => one.kind === kind);
