/** Numbers, times and dates as sentences show them. */

const clock = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });
const day = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short" });

/** A number with fixed decimals, or the word for an unknown one. */
export function fixed(value: number | null | undefined, digits: number, unknown = "unknown") {
  return value === null || value === undefined ? unknown : value.toFixed(digits);
}

/** A number without needless zeros: 9, 8.5, 14.25. */
export function plain(value: number) {
  return String(Number(value.toFixed(3)));
}

const month = new Intl.DateTimeFormat("en-GB", { month: "long", year: "numeric" });

/** A month written as 2026-03 in words: March 2026; as it stands where it is none. */
export function monthWords(written: string) {
  const first = new Date(`${written}-01T12:00:00`);
  return Number.isNaN(first.getTime()) ? written : month.format(first);
}

/** A time today as 14:02, on another day as 3 Nov, 14:02. */
export function moment(iso: string) {
  const then = new Date(iso);
  const today = then.toDateString() === new Date().toDateString();
  return today ? clock.format(then) : `${day.format(then)}, ${clock.format(then)}`;
}

/** A date as 3 Nov. */
export const dayMonth = (date: Date) => day.format(date);

/** Strings as a list in a sentence: a, b and c. */
export function listed(parts: string[]) {
  return parts.length < 2 ? parts.join("") : `${parts.slice(0, -1).join(", ")} and ${parts.at(-1)}`;
}

/** A difference with its sign, as +0.4 or −1.2. */
export function signed(value: number, digits: number) {
  return `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(digits)}`;
}
