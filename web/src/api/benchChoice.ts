const KEY = "vapocline.bench";

/** The bench chosen in this browser; none for the person's own. */
export function chosenBench() {
  const stored = Number(localStorage.getItem(KEY));
  return Number.isInteger(stored) && stored > 0 ? stored : undefined;
}

/** Use a bench in this browser. */
export function chooseBench(id: number) {
  localStorage.setItem(KEY, String(id));
}

/** Go back to the person's own bench. */
export function forgetBench() {
  localStorage.removeItem(KEY);
}
