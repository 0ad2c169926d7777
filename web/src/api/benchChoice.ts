const KEY = "vapocline.bench";

/** The bench that this browser stands at, where it is not the first person's own. */
export function chosenBench() {
  const stored = Number(localStorage.getItem(KEY));
  return Number.isInteger(stored) && stored > 0 ? stored : undefined;
}

/** Stand at a bench from now on. */
export function chooseBench(id: number) {
  localStorage.setItem(KEY, String(id));
}

/** Stand at one's own bench again. */
export function forgetBench() {
  localStorage.removeItem(KEY);
}
