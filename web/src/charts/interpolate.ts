/** The first index at which rising values reach a bound. */
function indexOf(values: readonly number[], bound: number) {
  let [low, high] = [0, values.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((values[middle] ?? 0) < bound) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** A rising clock's value at a time, straight between samples, the ends going on. */
export function interpolated(time_s: readonly number[], values: readonly number[], t: number) {
  const i = indexOf(time_s, t);
  if (i === 0) return values[0] ?? 0;
  if (i >= time_s.length) return values.at(-1) ?? 0;
  const [t0, t1] = [time_s[i - 1] ?? 0, time_s[i] ?? 0];
  const [v0, v1] = [values[i - 1] ?? 0, values[i] ?? 0];
  return v0 + ((v1 - v0) * (t - t0)) / (t1 - t0);
}

/** The time at which values that never fall reach one, straight between samples. */
export function invertedAt(time_s: readonly number[], values: readonly number[], value: number) {
  const i = indexOf(values, value);
  if (i === 0) return time_s[0] ?? 0;
  if (i >= values.length) return time_s.at(-1) ?? 0;
  const [v0, v1] = [values[i - 1] ?? 0, values[i] ?? 0];
  const [t0, t1] = [time_s[i - 1] ?? 0, time_s[i] ?? 0];
  return v1 === v0 ? t0 : t0 + ((t1 - t0) * (value - v0)) / (v1 - v0);
}
